"""A design file from Python: the way the command line takes, without it."""

import json
import pickle

import pytest

import earshot as es
from earshot.files.tables import json_text

TEXT = """
title = "pair"
frequency = "150 MHz"
[wire.one]
points = ["0, 0, -0.48 m", "0, 0, 0.48 m"]
radius = "2 mm"
[wire.two]
points = ["0.6 m, 0, -0.48 m", "0.6 m, 0, 0.48 m"]
radius = "2 mm"
[port.a]
on = "one"
[port.b]
on = "two"
"""
CASE = '[case.both]\npower = { a = "1 W", b = "1 W" }\n'


def test_it_solves_tells_and_writes(tmp_path):
    path = tmp_path / "pair.toml"
    path.write_text(TEXT + CASE)
    result = es.run(path, with_evidence=True)
    assert [case.case.name for case in result.cases] == ["both"]
    assert not result.notes
    told = json.loads(json_text(result.to_dict()))
    assert told["cases"][0]["power_balance"] == pytest.approx(0.0, abs=1e-3)
    assert "evidence" in told
    names = {p.name for p in result.write(tmp_path / "out")}
    assert {"results.nc", "network.s2p", "both-figures.csv"} <= names
    again = es.open_run(tmp_path / "out/results.nc")
    assert again.cases[0].driven.accepted == pytest.approx(result.cases[0].driven.accepted)
    assert again.evidence is not None


def test_what_is_to_be_known_comes_as_notes(tmp_path):
    path = tmp_path / "pair.toml"
    path.write_text(TEXT)
    with pytest.raises(es.UsageError, match="has several ports and no case says"):
        es.run(path)
    es.write(es.solve(es.read_design(path).design, ["150 MHz"]), tmp_path / "pair.nc")
    opened = es.open_run(tmp_path / "pair.nc")
    assert len(opened.notes) == 1
    assert "drives port 'a' alone" in opened.notes[0]
    with pytest.raises(es.UsageError, match=r"was not solved at 160 MHz, but at 150 MHz"):
        es.open_run(tmp_path / "pair.nc", ["160 MHz"])


def test_the_file_may_be_none(tmp_path):
    with pytest.raises(es.EarshotError, match=r"none\.toml"):
        es.run(tmp_path / "none.toml")


def test_what_goes_to_another_process_comes_back(tmp_path):
    """Descriptions, answers and elements of arrays, also those made from functions."""
    path = tmp_path / "pair.toml"
    path.write_text(TEXT + CASE)
    result = es.run(path)
    beam = result.cases[0].field
    received = es.receive(result.solution, es.plane_wave(60, 10, 1.0))
    elements = [
        es.arrays.isotropic(), es.arrays.cosine(2), es.arrays.half_wave_dipole("y"),
        es.arrays.two_slots("0.5 m", "0.6 m"), es.arrays.solved_element(beam),
        es.arrays.tabulated(beam.sphere(10.0)),
    ]  # fmt: skip
    again, wave, *made = pickle.loads(pickle.dumps([result, received, *elements]))
    assert again.to_dict()["solved_Hz"] == result.to_dict()["solved_Hz"]
    assert wave.flow.ends == pytest.approx(received.flow.ends)
    for one, two in zip(elements, made, strict=True):
        for a, b in zip(one.field(0.4, 1.0, 150e6), two.field(0.4, 1.0, 150e6), strict=True):
            assert a == pytest.approx(b)
