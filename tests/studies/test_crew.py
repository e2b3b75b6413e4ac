"""Work over processes: in order, also where some of them are lost."""

import multiprocessing
import os
from pathlib import Path

import pytest

import earshot as es
from earshot.studies.crew import Crew


def squared(job):
    """Dies where a flag says so, once or always, but in no process that a test is in."""
    flag, number = job
    if multiprocessing.parent_process() is not None and Path(flag).exists():
        if not Path(flag).name.startswith("always"):
            Path(flag).unlink()
        os._exit(1)
    return number**2


def test_a_lost_process_costs_its_own_jobs_only(tmp_path, monkeypatch):
    flag = tmp_path / "once"
    flag.touch()
    found = list(Crew(2).each(squared, [(str(flag), n) for n in range(200)], "square"))
    assert found == [n**2 for n in range(200)]
    assert not flag.exists()
    always = tmp_path / "always"
    always.touch()
    monkeypatch.setattr("earshot.studies.crew._AGAIN", 1)
    with pytest.raises(es.RunError, match=r"lost 2 times.*fewer processes"):
        list(Crew(2).each(squared, [(str(always), n) for n in range(200)], "square"))
