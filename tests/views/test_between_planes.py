"""A design between planes at the command line: no far field, everything else."""

from pathlib import Path

import pytest

import earshot as es

DESIGN = """
title = "Buried line"
frequency = "3 GHz"
[[layer]]
thickness = "1 mm"
of = "ptfe glass"
name = "middle"
[[layer]]
thickness = "1 mm"
of = "ptfe glass"
lid = true
[sheet.line]
trace = { points = ["0, 0, middle", "40 mm, 0, middle"], width = "1.5 mm" }
[wire.a]
radius = "0.25 mm"
points = ["0.5 mm, 0, 0", "0.5 mm, 0, middle"]
[wire.b]
radius = "0.25 mm"
points = ["39.5 mm, 0, 0", "39.5 mm, 0, middle"]
[port.a]
on = "a"
at = 0
[port.b]
on = "b"
at = 0
[case.through]
power = { a = "1 W" }
cuts = ["E"]
[case.through.near.beside]
corner = "0, -3 mm, 0.5 mm"
u = "40 mm, 0, 0"
v = "0, 6 mm, 0"
counts = [9, 5]
"""


@pytest.fixture(scope="module")
def design(tmp_path_factory):
    path = tmp_path_factory.mktemp("buried") / "line.toml"
    path.write_text(DESIGN)
    return path


def test_it_is_solved_written_and_opened_again(run, design: Path, tmp_path: Path):
    code, said, _ = run("solve", design, "--out", tmp_path / "out")
    assert code == 0
    assert "between planes, where no waves get out" in said
    assert "parallel-plate wave TM0" in said
    names = {path.name for path in (tmp_path / "out").iterdir()}
    assert {"results.nc", "network.s2p", "through-near-beside.csv"} <= names
    assert not any("cut" in name or "figures" in name for name in names)
    planes = "--plane", "a", "--plane", "b=20 mm"
    for words in (("show", tmp_path / "out" / "results.nc"), ("solve", design, "--all"), ("solve", design, "--json"),
                  ("ask", design, "budget"), ("export", design, tmp_path / "line.s2p", *planes)):  # fmt: skip
        code, _, wrong = run(*words)
        assert code == 0, wrong


def test_every_figure_it_has_is_drawn_and_others_are_told(run, design: Path, tmp_path: Path):
    assert run("plot", design, "near", "scattering", "geometry", "--out", tmp_path)[0] == 0
    assert (tmp_path / "near.png").exists()
    code, _, wrong = run("plot", design, "polar", "--out", tmp_path)
    assert code != 0
    assert "no far field" in wrong


def test_power_is_what_goes_off_sideways_and_what_is_closed(design: Path):
    driven = es.solve(es.read_design(design).design).drive({"a": es.watts(1)})
    parts = driven.budget()["power_W"]
    assert driven.radiated == 0.0
    assert parts[["what closes port 'b'", "parallel-plate wave TM0", "dielectric (remainder)"]].sum() == pytest.approx(
        driven.accepted
    )
