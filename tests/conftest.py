"""Shared by all tests: models, the command line in process, and fresh kernels."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

if "PYTEST_XDIST_WORKER" in os.environ:
    # As many workers as processors: threads of linear algebra would only wait for one another.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import earshot as es
from earshot.views.commands.app import main

TESTS = Path(__file__).parent
sys.path.insert(0, str(TESTS / "validation"))
KERNELS = Path(es.__file__).parent / "kernels"
DEAREST = (
    "test_house.py", "views/test_demos.py", "validation/test_sheet_reference.py", "antennas/test_ready_made.py",
    "pages/test_live_sums.py", "pages/test_page.py", "fields/test_inside_layers.py", "moments/test_levels.py",
    "validation/test_evidence.py", "arrays/test_powers.py", "moments/test_long_pins.py", "studies/test_optimising.py",
)  # fmt: skip
"""Files that take longest, the longest first."""


def pytest_configure():
    # The compiler's cache looks at one file only; a kernel whose helper changed in another would be stale.
    newest = max(p.stat().st_mtime for p in KERNELS.glob("*.py"))
    for cached in KERNELS.glob("__pycache__/*.nb?"):
        if cached.stat().st_mtime < newest:
            cached.unlink()


def pytest_sessionstart(session):
    # Of the whole suite each worker would compile nearly every kernel for itself, since both meet them at once.
    whole = session.config.args_source is session.config.ArgsSource.TESTPATHS
    cold = not any(KERNELS.glob("__pycache__/*.nbi"))
    if whole and cold and not session.config.option.collectonly and "PYTEST_XDIST_WORKER" not in os.environ:
        script = TESTS / "first_kernels.py"
        halves = [subprocess.Popen([sys.executable, script, half], stderr=subprocess.DEVNULL) for half in "01"]
        failed = [half.wait() for half in halves]
        if any(failed):
            raise pytest.UsageError("tests/first_kernels.py fails: run it by itself, with 0 and with 1")


def pytest_collection_modifyitems(items):
    # Else a worker would begin with one of them when the other is about to be done.
    rank = {TESTS / name: number for number, name in enumerate(DEAREST)}
    items.sort(key=lambda item: rank.get(item.path, len(rank)))


@pytest.fixture(scope="session")
def demo_path():
    return Path(es.__file__).parent / "demo" / "tag_receiver.toml"


@pytest.fixture
def run(capsys):
    """Run a command in process: (exit status, standard output, standard error)."""

    def call(*words):
        status = main([str(w) for w in words])
        return status, *capsys.readouterr()

    return call


@pytest.fixture
def dipole():
    wire = es.Wire("rod", [(0, 0, "-0.48 m"), (0, 0, "0.48 m")], radius="3 mm")
    return es.Antenna("dipole", [wire], [es.Port("feed", on="rod")])
