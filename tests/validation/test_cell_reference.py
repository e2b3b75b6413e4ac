"""Cells of arrays without end against reference values: every open case, at the usual mesh."""

import json
from pathlib import Path

import numpy as np
import pytest
from scipy.linalg import eigvals

import earshot as es
from earshot.cells import Cell, blind, illuminate, lobes, rectangular, scan, scan_cut, towards
from earshot.network.rational import fit

CASES = {c["id"]: c for c in json.loads((Path(__file__).parent / "periodic.json").read_text())["cases"]}
WAVE = 0.3
HERTZ = 299_792_458.0 / WAVE


def _of(*starts):
    return [c for name, c in CASES.items() if name.startswith(starts)]


def _tube():
    rod = es.Wire("rod", [(-0.24 * WAVE, 0, 0.25 * WAVE), (0.24 * WAVE, 0, 0.25 * WAVE)], radius=0.0025 * WAVE)
    port = es.Port("feed", on="rod", gap=0.02 * WAVE)
    return Cell(es.Antenna("tube", [rod], [port], es.perfect_plane()), rectangular(0.5 * WAVE))


def _strip(length, width, gap, height, lattice, medium):
    sheet = es.Sheet("strip", es.shapes.plate(length * WAVE, width * WAVE, centre=(0, 0, height * WAVE)))
    port = es.Port("feed", on="strip", at=(0, 0, height * WAVE), across="x", gap=gap * WAVE)
    return Cell(es.Antenna("strip", [], [port], medium, sheets=[sheet]), rectangular(lattice * WAVE))


def _slab(thickness):
    return es.Stack([es.Layer(thickness * WAVE, es.Dielectric("slab", 2.55))])


def _impedances(cell, cases):
    angles = np.array([[c["parameters"]["theta_deg"], c["parameters"]["phi_deg"]] for c in cases], float)
    found = scan(cell, towards(*angles.T), HERTZ)
    assert max(abs(found.fed(n).balance) for n in range(len(found))) < 1e-3
    return found.table()["active_impedance_ohm"].to_numpy()


@pytest.mark.parametrize("kind", ["tube", "strip"])
def test_dipoles_over_a_plane(kind):
    cell = _tube() if kind == "tube" else _strip(0.48, 0.01, 0.02, 0.25, 0.6, es.perfect_plane())
    cases = _of(f"dip_{kind}")
    wanted = np.array([complex(*c["value"]) for c in cases])
    assert np.abs(_impedances(cell, cases) / wanted - 1.0).max() < 0.01


def test_printed_dipoles_and_their_blindness():
    cell = _strip(0.39, 0.01, 0.02, 0.19, 0.5, _slab(0.19))
    cases = [c for c in _of("printed_a0.5") if "blind" not in c["id"]]
    found = _impedances(cell, cases)
    matched = found[[c["id"] for c in cases].index("printed_a0.5_00")]
    for c, z in zip(cases, found, strict=True):
        wanted, gamma = complex(*c["value"][0]), c["value"][1]
        assert abs(abs((z - matched) / (z + matched.conjugate())) - gamma) < 0.01, c["id"]
        assert abs(z / wanted - 1.0) < (0.1 if "steep" in str(c) else 0.03), c["id"]
    pole, dark = CASES["printed_a0.5_blind"]["value"]
    cut = scan_cut(cell, 0.0, HERTZ, start=0.0, to=80.0)
    assert cut.solved.sum() < 0.25 * len(cut)
    told = blind(cut)
    assert list(told["cause"]) == ["surface wave TM0 by (-1, 0)"]
    assert told["theta_deg"][0] == pytest.approx(dark, abs=0.15)
    assert told["cause_theta_deg"][0] == pytest.approx(pole, abs=0.01)
    assert told["accepted"][0] < 1e-4
    assert lobes(cut)["theta_deg"][0] == pytest.approx(pole, abs=0.01)


def test_wide_strips_on_a_slab():
    cases = _of("widestrip")
    wanted = np.array([complex(*c["value"]) for c in cases])
    assert np.abs(_impedances(_strip(0.36, 0.08, 0.03, 0.10, 0.5, _slab(0.10)), cases) / wanted - 1.0).max() < 0.02


def _patches(p):
    board = p.get("h_mm", 0.0) * 1e-3
    medium = es.Stack([es.Layer(board, es.Dielectric("board", p["eps_r"], p["tan_delta"]))]) if board else None
    size = [x * 1e-3 for x in p["patch_mm"]]
    sheet = es.Sheet("patch", es.shapes.plate(*size, centre=(0, 0, board)))
    return Cell(es.Antenna("patch", medium=medium, sheets=[sheet]), rectangular(*(x * 1e-3 for x in p["cell_mm"])))


@pytest.mark.parametrize("kind", ["RA1", "RA2", "F1", "F2"])
def test_reflecting_cells(kind):
    """Sizes to 0.01; phases as those of a frequency 0.3 % off, or to 3 degrees."""
    for c in (c for c in _of(f"{kind}_") if "fres" not in c["id"]):
        p = c["parameters"]
        column = 0 if p["polarisation"].startswith("E along x") or "TM" in c["id"] else 1
        both = isinstance(c["value"][0], list)
        wanted = complex(*(c["value"][0] if both else c["value"]))
        angles, hertz = (p["theta_deg"], p["phi_deg"]), p["f_GHz"] * 1e9
        found = illuminate(_patches(p), *angles, hertz)
        back = found.reflection[0, column, column]
        assert abs(abs(back) - abs(wanted)) < 0.01, c["id"]
        off = abs(np.degrees(np.angle(back / wanted)))
        if off > 3.0:
            other = illuminate(_patches(p), *angles, 1.003 * hertz).reflection[0, column, column]
            assert off < abs(np.degrees(np.angle(other / back))), c["id"]
        if both:
            assert abs(found.transmission[0, column, column] - complex(*c["value"][1])) < 0.012, c["id"]
        if not p.get("tan_delta"):
            assert abs(found.lost[0, column]) < 1e-3


@pytest.mark.parametrize(("name", "low", "high"), [("RA1_fres", 8.2e9, 11.8e9), ("RA3_fres", 6.5e9, 14e9)])
def test_resonances_of_patches(name, low, high):
    """Poles of the rational fit through what comes back over frequency."""
    hertz = np.linspace(low, high, 13)
    back = illuminate(_patches(CASES[name]["parameters"]), 0.0, 0.0, hertz.tolist()).reflection[:, 0, 0]
    model = fit(hertz / high, back[:, None])
    # Where the denominator vanishes: the finite eigenvalues of an arrow.
    arrow, plain = np.zeros((len(model.points) + 1,) * 2, complex), np.eye(len(model.points) + 1)
    arrow[0, 1:], arrow[1:, 0], plain[0, 0] = model.weights, 1.0, 0.0
    arrow[1:, 1:] = np.diag(model.points)
    found = eigvals(arrow, plain)
    poles = found[np.isfinite(found)] * high
    wanted, quality = CASES[name]["value"]
    near = wanted * 1e9 * (1.0 + 0.5j / quality)
    nearest = poles[np.argmin(np.abs(np.abs(poles.real) + 1j * np.abs(poles.imag) - near))]
    assert abs(nearest.real) / 1e9 == pytest.approx(wanted, rel=3e-3)
    assert abs(nearest.real / nearest.imag) / 2.0 == pytest.approx(quality, rel=0.02)


def test_gratings_of_strips():
    """The strip goes on from cell to cell along y: however long the cell is."""
    for c in _of("strips_"):
        p = c["parameters"]
        strip = es.Sheet("strip", es.shapes.plate(p["strip_width_lambda0"] * WAVE, 0.1 * WAVE))
        cell = Cell(es.Antenna("grating", sheets=[strip]), rectangular(p["period_lambda0"] * WAVE, 0.1 * WAVE))
        found = illuminate(cell, p["theta_deg"], 0.0, HERTZ)
        column = 1 if "TE" in c["id"] else 0
        back, on = (complex(*x) for x in c["value"])
        assert abs(found.reflection[0, column, column] - back) < 0.01, c["id"]
        assert abs(found.transmission[0, column, column] - on) < 0.01, c["id"]
