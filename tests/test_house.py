"""The house itself: its walls, its face, its examples, its words."""

import ast
import importlib.util
import re
import shlex
import statistics
import subprocess
import sys
from pathlib import Path

import pytest

import earshot as es

ROOT = Path(__file__).parent.parent
TOOLS = Path(sys.executable).parent


def call(*words):
    return subprocess.run([str(w) for w in words], cwd=ROOT, capture_output=True, text=True)


@pytest.mark.parametrize(
    "words", [("ruff", "check", "."), ("ruff", "format", "--check", "."), ("mypy",), ("lint-imports",)]
)
def test_lint_types_and_walls(words):
    done = call(TOOLS / words[0], *words[1:])
    assert done.returncode == 0, done.stdout + done.stderr


def test_the_face_is_explicit_and_sorted():
    assert es.__all__ == sorted(es.__all__)
    stub = ast.parse((ROOT / "src/earshot/__init__.pyi").read_text())
    named = {a.asname for node in stub.body if isinstance(node, ast.ImportFrom) for a in node.names}
    assert set(es.__all__) == named
    for name in es.__all__:
        assert getattr(es, name).__doc__


def test_import_is_light():
    code = "import sys, earshot; print([m for m in ('pandas','scipy','numba','matplotlib','pint') if m in sys.modules])"
    assert call(sys.executable, "-c", code).stdout == "[]\n"

    def seconds(name):
        line = call(sys.executable, "-X", "importtime", "-c", f"import {name}").stderr.splitlines()[-1]
        return int(line.split("|")[1])

    ours, numpys = (statistics.median(seconds(name) for _ in range(3)) for name in ("earshot", "numpy"))
    assert ours <= 3 * numpys


def run_alone(code, folder):
    """Run Python in a fresh process, where nothing has been loaded by another test."""
    done = subprocess.run([sys.executable, "-c", code], cwd=folder, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return done.stdout


@pytest.mark.parametrize("script", sorted((ROOT / "examples").glob("*.py")), ids=lambda p: p.stem)
def test_examples_run(script, tmp_path):
    assert run_alone(script.read_text(), tmp_path)
    assert list(tmp_path.glob("*.png"))


def test_files_stay_small():
    for path in (ROOT / "src").rglob("*.py"):
        assert len(path.read_text().splitlines()) <= 500, path


def test_readme_and_pictures_agree():
    readme = (ROOT / "README.md").read_text()
    linked = set(re.findall(r"docs/screenshots/([\w.-]+)", readme))
    assert linked == {p.name for p in (ROOT / "docs/screenshots").iterdir()}
    assert len(linked) < 20


def test_the_readme_does_what_it_says(tmp_path):
    blocks = re.findall(r"```python\n(.*?)```", (ROOT / "README.md").read_text(), re.S)
    run_alone("\n".join(blocks), tmp_path)
    assert {"tag.png", "tag.nc", "tag.s1p", "tag.toml"} <= {p.name for p in tmp_path.iterdir()}


def test_the_readme_tour_runs_as_it_is_written(run, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    assert run("demo", "--out", ".")[0] == 0
    tour = re.search(r"<!-- tour -->\n```\n(.*?)```", (ROOT / "README.md").read_text(), re.S).group(1)
    for line in tour.splitlines():
        status, out, err = run(*shlex.split(line)[1:])
        assert (status, bool(out)) == (0, True), (line, err)


@pytest.mark.parametrize("script", ["design_file", "antennas"])
def test_pages_made_from_the_code_are_current(script):
    spec = importlib.util.spec_from_file_location(script, ROOT / "docs" / f"{script}.py")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    assert module.PAGE.read_text() == module.page()
    for sketch in re.findall(r"\((antennas/\w+\.svg)\)", module.page()):
        assert (ROOT / "docs" / sketch).exists()


MEDIA = re.compile(r"isinstance\([\w.]+, *\(?(Stack|Earth|FreeSpace|PerfectPlane)\b")


def test_two_places_ask_what_a_medium_is():
    """One for the matrix, one for fields; all others are told by its facts."""
    source = ROOT / "src/earshot"
    asking = {str(p.relative_to(source)) for p in source.rglob("*.py") if MEDIA.search(p.read_text())}
    assert {name for name in asking if not name.startswith("media/")} == {"moments/formulation.py", "fields/around.py"}


def test_a_basis_has_no_flags():
    from dataclasses import fields

    from earshot.moments.basis import Basis

    assert [field.name for field in fields(Basis)] == ["wires", "sheets", "reach", "planes"]


def test_it_runs_where_the_system_tells_less(tmp_path):
    """Without what only some systems have: processors a process may use, and copies of processes."""
    code = (
        "import os; del os.sched_getaffinity, os.register_at_fork, os.fork; import earshot as es; "
        "rod = es.Wire('rod', [(0, 0, -0.24), (0, 0, 0.24)], radius=1e-3); "
        "print(round(es.solve(es.Antenna('a', [rod], [es.Port('p', 'rod')]), 3e8).network.z().values[0, 0, 0].real))"
    )
    assert 70 < float(run_alone(code, tmp_path)) < 90
