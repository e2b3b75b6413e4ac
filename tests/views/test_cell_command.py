"""earshot cell: tables, figures and files of arrays without end, as a user asks for them."""

import json
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import earshot as es
from earshot.cells import Cell, beside, blind, disk, illuminate, rectangular, scan, scan_band, scan_cut
from earshot.files.lattice_keys import cell_of
from overlaps import troubles

DEMO = Path(es.__file__).parent / "demo"
ROWS = """
title = "rods over a plane"
frequency = "1 GHz"
medium = "perfect plane"

[values]
pitch = { is = "150 mm", from = "120 mm", to = "240 mm" }

[wire.rod]
radius = "1 mm"
points = ["-70 mm, 0, 75 mm", "70 mm, 0, 75 mm"]

[port.feed]
on = "rod"

[band]
from = "0.9 GHz"
to = "1.1 GHz"
points = 21

"""
CASE = """
[case.main]
power = { feed = "1 W" }
"""
ROWS += CASE
LATTICE = """
[lattice]
spacing = "pitch"
between_rows = "pitch * 1.1"
skew = "20 deg"
"""
GRID = """
[array.grid]
columns = 3
rows = 3
spacing = "pitch"
"""


@pytest.fixture
def made(tmp_path):
    """A design file with some text more."""

    def write(more, text=ROWS):
        place = tmp_path / "rods.toml"
        place.write_text((text.replace(CASE, "") if "array" in more else text) + more)
        return place

    return write


def test_a_scan_and_its_figures(run, made, tmp_path):
    status, out, err = run("cell", made(LATTICE), "--map", "--to", "70 deg", "-o", tmp_path / "out")
    assert (status, err.count("error")) == (0, 0)
    assert "E, φ 0°" in out
    assert "H, φ 90°" in out
    assert "wave (0, 0) up" in out
    names = sorted(p.name for p in (tmp_path / "out").iterdir())
    assert names == [f"rods-over-a-plane-cell{x}" for x in ("-map.csv", "-map.png", ".csv", ".png")]
    table = pd.read_csv(tmp_path / "out" / "rods-over-a-plane-cell.csv")
    assert set(table["plane"]) == {"E, φ 0°", "H, φ 90°", "D, φ 45°"}
    assert table["vswr"].min() >= 1.0
    status, out, _ = run("cell", made(LATTICE), "--plane", "30 deg", "--to", "40 deg", "--json")
    told = json.loads(out)
    assert list(told["scans"]) == ["φ 30°"]
    assert told["lattice_m"] == pytest.approx(np.array([[0.15, 0], [0.165 * np.tan(np.radians(20)), 0.165]]))


def test_beside_the_panel(run, made, tmp_path):
    status, out, _ = run("cell", made(GRID), "--plane", "H", "--to", "60 deg", "--beside", "-o", tmp_path / "out")
    assert status == 0
    assert "Beside the solved panel of 9" in out
    table = pd.read_csv(tmp_path / "out" / "rods-over-a-plane-cell-beside.csv")
    assert table["error"].max() < 0.25
    assert {"cell_re", "central_im", "outermost_foretold_re", "alone_gain_dBi"} <= set(table)


def test_over_its_band(run, made, tmp_path):
    status, out, _ = run("cell", made(LATTICE), "--band", "--plane", "E", "--to", "30 deg", "-o", tmp_path / "out")
    assert status == 0
    assert "30° in E, φ 0°" in out
    assert (tmp_path / "out" / "rods-over-a-plane-cell-band.png").exists()


def test_the_mirror_of_the_demonstration(run, tmp_path):
    mirror = DEMO / "hill_mirror.toml"
    status, out, _ = run("cell", mirror, "-f", "5.8 GHz", "-f", "6 GHz", "--theta", "20 deg", "-o", tmp_path / "out")
    assert status == 0
    assert "20, 0" in out
    assert (tmp_path / "out" / "Ternholm-hill-mirror-waves.png").exists()
    status, out, _ = run("cell", mirror, "--vary", "length=13 mm to 17 mm in 3", "--json")
    phases = [row["phase of R, TM 0°, 0°"] for row in json.loads(out)["variants"]]
    assert (np.diff(phases) < 0.0).all()
    assert run("solve", mirror)[0] == 1


def test_a_pitch_varied(run, made):
    status, out, _ = run("cell", made(LATTICE), "--vary", "pitch=140 mm; 160 mm", "--json")
    assert status == 0
    rows = json.loads(out)["variants"]
    assert [row["pitch"] for row in rows] == ["140 mm", "160 mm"]
    assert rows[0]["VSWR 45° H"] != rows[1]["VSWR 45° H"]


@pytest.mark.parametrize(
    ("more", "words", "told"),
    [
        ("", [], "has no lattice"),
        ('[array.line]\ncount = 3\nspacing = "pitch"\n', [], "no lattice of two steps"),
        ('[lattice]\nspacing = "0 mm"\n', [], "above zero"),
        ('[lattice]\nspacing = "pich"\n', [], "pich"),
        ('[lattice]\nstep = "1 m"\n', [], "step"),
        ('[lattice]\nspacing = "60 mm"\n', [], "lie on one another"),
        (LATTICE, ["--beside"], "has no array"),
        (LATTICE, ["--port", "fed"], "no port 'fed'"),
        (LATTICE, ["--to", "91 deg"], "beyond 90"),
        (LATTICE, ["--plane", "F"], "--plane"),
        (LATTICE, ["--theta", "3 deg"], "say --waves"),
        (LATTICE, ["--waves", "--map"], "cells that are fed"),
        (LATTICE, ["--waves", "--theta", "90 deg"], "below 90"),
        (LATTICE, ["-f", "1 GHz", "-f", "2 GHz"], "one frequency"),
        (LATTICE, ["--band", "--map"], "by itself"),
        (LATTICE, ["--vary", "pitch"], "NAME=RANGE"),
        (LATTICE, ["--vary", "pitch=1 m; 2 m"], "outside its range"),
        (LATTICE, ["--vary", "pitch=140 mm; 150 mm", "--map"], "does not go with --vary"),
        (LATTICE, ["--format", "gif"], "png, svg, pdf"),
    ],
)
def test_what_is_wrong_is_told(run, made, more, words, told):
    status, out, err = run("cell", made(more), *words)
    assert status in (1, 2)
    assert out == ""
    assert told in err
    assert "Traceback" not in err


def test_a_port_is_only_missed_where_one_is_needed(made):
    bare = ROWS.replace('[port.feed]\non = "rod"\n', "").replace(CASE, "")
    assert cell_of(es.read_design(made(LATTICE, bare))).antenna.ports == ()
    with pytest.raises(es.DesignFileError, match="port is missing"):
        es.read_design(made("", bare))


def test_figures_are_readable():
    rod = es.Wire("rod", [(-0.07, 0, 0.075), (0.07, 0, 0.075)], radius=1e-3)
    antenna = es.Antenna("rods", [rod], [es.Port("feed", on="rod")], es.perfect_plane())
    cell = Cell(antenna, rectangular(0.2))
    cuts = [scan_cut(cell, phi, 1e9, to=75.0) for phi in (0.0, 90.0, 45.0)]
    labels = ["E, φ 0°", "H, φ 90°", "D, φ 45°"]
    figures = [
        es.plots.cell_scan(*cuts, labels=labels, blind=[blind(c) for c in cuts]),
        es.plots.cell_map(scan(cell, disk(5), 1e9)),
        es.plots.cell_band({"broadside": scan_band(cell, [0, 0], np.linspace(0.9e9, 1.1e9, 11))}),
        es.plots.cell_surface(illuminate(cell, [0, 40], 0, [0.9e9, 1e9, 1.1e9])),
    ]
    from earshot.arrays import SolvedArray, grid, repeated

    places = grid(3, 3, 0.2)
    panel = SolvedArray(es.solve(repeated(antenna, places), 1e9, errors=False), places, 1e9)
    laid = beside(cuts[0], panel, es.solve(antenna, 1e9), (12, 12))
    figures.append(es.plots.cell_beside(laid))
    for figure in figures:
        assert troubles(figure) == []
    assert figures[2].axes[1].get_xlim() == pytest.approx((0.9, 1.1))
    assert figures[3].axes[1].get_xlim() == pytest.approx((0.9, 1.1))
    other = grid(3, 3, 0.21)
    with pytest.raises(es.UsageError, match="not on the cell's lattice"):
        beside(cuts[0], SolvedArray(panel.solution, other, 1e9), es.solve(antenna, 1e9), (12, 12))
