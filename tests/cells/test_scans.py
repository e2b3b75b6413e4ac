"""Cells without end: what must hold whatever the cell is."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import earshot as es
from earshot.cells import (
    Cell,
    Lattice,
    blind,
    couplings,
    element_among_likes,
    illuminate,
    lobes,
    planes,
    rectangular,
    scan,
    scan_band,
    scan_cut,
    scan_line,
    skewed,
    towards,
    triangular,
)

WAVE = 0.3
HERTZ = 299_792_458.0 / WAVE
plate = es.shapes.plate


def _rod(long=0.15, high=0.0, medium=None, radius=1e-3, **more):
    rod = es.Wire("rod", [(-long / 2, 0, high), (long / 2, 0, high)], radius=radius, **more)
    return es.Antenna("rod", [rod], [es.Port("feed", on="rod")], medium)


def _metal(*sheets, wires=(), ports=(), medium=None):
    return es.Antenna("metal", wires, ports, medium, sheets=sheets)


def _crooked(with_plate, medium):
    """A bent wire askew, with a plate beside it or not."""
    bent = es.Wire("bent", [(-0.045, -0.015, 0.03), (0.03, 0.03, 0.06), (0.036, 0.006, 0.105)], radius=1e-3)
    sheets = [es.Sheet("plate", plate(0.06, 0.045, centre=(0, 0, 0.01)))] if with_plate else []
    return es.Antenna("crooked", [bent], [es.Port("feed", on="bent")], medium, sheets=sheets)


@settings(max_examples=6, deadline=None)
@given(
    st.floats(0.4, 0.8), st.floats(0.4, 0.8), st.floats(-25.0, 25.0), st.floats(2.0, 65.0), st.floats(0.0, 360.0),
    st.booleans(), st.booleans(),
)  # fmt: skip
def test_power_and_reciprocity(a, b, skew, theta, phi, with_plate, on_plane):
    antenna = _crooked(with_plate, es.perfect_plane() if on_plane else None)
    cell = Cell(antenna, skewed(a * WAVE, b * WAVE, skew))
    there, back = (scan(cell, towards(t, phi), HERTZ) for t in (theta, -theta))
    assert abs(there.fed(0).balance) < 1e-3
    assert np.abs(there.scattering - np.swapaxes(back.scattering, 1, 2)).max() < 1e-9
    one, two = (illuminate(cell, theta, p, HERTZ, terminations={"feed": 20j}) for p in (phi, phi + 180.0))
    assert np.abs(one.lost).max() < 1e-3
    # Turned round, what arrives and what leaves change places: TM along the surface keeps its sense, TE as well.
    assert (
        np.abs(one.reflection[0] - two.reflection[0].T).max() < 1e-6
        or np.abs(one.reflection[0] * [[1, -1], [-1, 1]] - two.reflection[0].T).max() < 1e-6
    )


@settings(max_examples=5, deadline=None)
@given(st.floats(0.0, 60.0), st.floats(0.0, 360.0), st.floats(0.42, 0.7))
def test_the_cell_may_be_drawn_anywhere(theta, phi, spacing):
    """Moved, and with its lattice told by other steps of the same one."""
    cells = [
        Cell(_rod(0.12), rectangular(spacing * WAVE)),
        Cell(_rod(0.12).moved((0.3, -0.1, 0.0)), Lattice([[spacing * WAVE, 0], [spacing * WAVE, spacing * WAVE]])),
    ]
    one, two = (scan(cell, towards(theta, phi), HERTZ).scattering[0, 0, 0] for cell in cells)
    assert abs(one - two) < 3e-6


def test_wires_that_go_on_may_be_cut_anywhere():
    """A screen of crossed wires: cells whose edges cut the wires, and cells whose corners are the crossings."""
    a = 0.1

    def wire(name, *points):
        return es.Wire(name, points, radius=1e-3)

    middle = [wire("x", (-a / 2, 0, 0), (0, 0, 0), (a / 2, 0, 0)), wire("y", (0, -a / 2, 0), (0, 0, 0), (0, a / 2, 0))]
    corner = [wire("x", (0, 0, 0), (a, 0, 0)), wire("y", (0, 0, 0), (0, a, 0))]
    found = [
        illuminate(Cell(_metal(wires=wires), rectangular(a)), 25.0, 30.0, HERTZ, height=0.0)
        for wires in (middle, corner)
    ]
    assert np.abs(found[0].reflection - found[1].reflection).max() < 5e-5
    for one in found:
        assert np.abs(one.lost).max() < 1e-4
        assert np.abs(one.reflection - one.transmission + np.eye(2)).max() < 1e-3


def test_metal_everywhere_is_a_mirror():
    full = Cell(_metal(es.Sheet("all", plate(0.1, 0.12))), rectangular(0.1, 0.12))
    found = illuminate(full, [0.0, 35.0], [0.0, 60.0], HERTZ)
    assert np.abs(found.reflection + np.eye(2)).max() < 1e-4
    assert np.abs(found.transmission).max() < 1e-4


def test_a_strip_that_goes_on_is_as_long_as_one_likes():
    strips = [Cell(_metal(es.Sheet("s", plate(0.04, b))), rectangular(0.12, b)) for b in (0.03, 0.05)]
    one, two = (illuminate(c, 20.0, 40.0, HERTZ).reflection for c in strips)
    assert np.abs(one - two).max() < 3e-3


def test_a_layer_of_air_is_a_plane():
    high = 0.03

    def cell(medium):
        return Cell(_metal(es.Sheet("s", plate(0.1, 0.06, centre=(0, 0, high))), medium=medium), triangular(0.16))

    air = es.Stack([es.Layer(high, es.Dielectric("air", 1.0))])
    one, two = (illuminate(cell(m), 30.0, 20.0, HERTZ).reflection for m in (es.perfect_plane(), air))
    # The board's mesh is finer: both tend to the same.
    assert np.abs(one - two).max() < 0.02
    assert np.abs(np.abs(np.linalg.eigvals(one[0])) - 1.0).max() < 1e-4


def _board(permittivity, thickness=0.01, **more):
    return es.Stack([es.Layer(thickness, es.Dielectric("board", permittivity))], **more)


SCANS = towards([0.0, 25.0, 50.0], [0.0, 90.0, 200.0])


def _slanting(medium, *sheets):
    rod = es.Wire("rod", [(-0.07, 0.01, 0.05), (0.06, 0.0, 0.08)], radius=1e-3)
    antenna = es.Antenna("slanting", [rod], [es.Port("feed", on="rod")], medium, sheets=sheets)
    return scan(Cell(antenna, skewed(0.17, 0.19, 15.0)), SCANS, HERTZ)


def test_over_earth_and_over_layers():
    """Earth that is nearly a perfect conductor, layers of nearly nothing; and real ones in balance."""
    plane = _slanting(es.perfect_plane())
    for medium in (es.materials.Earth("metal", 1.0, 1e7), _board(1.0)):
        assert np.abs(_slanting(medium).scattering - plane.scattering).max() < 5e-4
    nothing = _slanting(_board(1.0000001, open_below=True))
    assert np.abs(nothing.scattering - _slanting(None).scattering).max() < 1e-6
    for medium in (_board(3.0, 0.02), _board(3.0, 0.02, open_below=True)):
        found = _slanting(medium)
        assert max(abs(found.fed(n).balance) for n in range(3)) < 1e-3
    meadow = _slanting(es.earth("meadow"))
    assert dict(meadow.fed(0).budget()["power_W"])["earth (remainder)"] > 0.0


def test_printed_and_in_the_air_together():
    """A rod over a patch on next to nothing is one over a plate; on a board both ways are alike, and power is kept."""
    patch = es.Sheet("patch", plate(0.06, 0.04, centre=(0.01, 0.02, 0.01)), density=0.6)
    over, air = _slanting(es.perfect_plane(), patch), _slanting(_board(1.0), patch)
    assert np.abs(over.scattering - air.scattering).max() < 2e-3
    pin = es.Wire("pin", [(0, 0, 0), (0, 0, 0.01)], radius=1e-3)
    mast = es.Wire("mast", [(0, 0, 0.01), (0, 0.01, 0.07)], radius=1e-3)
    patch = es.Sheet("patch", plate(0.05, 0.04, centre=(0, 0, 0.01)), density=0.6)
    antenna = es.Antenna("mast", [pin, mast], [es.Port("feed", on="pin", at=0)], _board(3.0), sheets=[patch])
    cell = Cell(antenna, rectangular(0.15))
    there, back = (scan(cell, sign * towards(35.0, 25.0), HERTZ) for sign in (1.0, -1.0))
    assert abs(there.fed(0).balance) < 1e-3
    assert np.abs(there.scattering - back.scattering).max() < 1e-9


def test_losses_close_the_balance():
    """Metal that goes on over the cell's edge, wires of poor metal, and a load."""
    carbon = es.materials.Metal("carbon", 2e4)
    found = [
        scan(Cell(_rod(0.14, metal=carbon), rectangular(0.15)), towards(20.0, 30.0), HERTZ).fed(0),
        scan(
            Cell(
                _metal(
                    es.Sheet("s", plate(0.15, 0.01), metal=carbon, sides=2),
                    ports=[es.Port("feed", on="s", at=(0, 0, 0), across="x", gap=0.01)],
                ),
                rectangular(0.15),
            ),
            towards(20.0, 30.0), HERTZ,
        ).fed(0),
    ]  # fmt: skip
    for fed in found:
        lost = dict(fed.losses())["metal and jackets"]
        assert lost > 0.02 * fed.accepted
        assert abs(fed.balance) < 1e-3
        budget = fed.budget()["power_W"]
        assert budget.filter(like="wave").sum() + lost == pytest.approx(budget["accepted"], abs=1e-3)


def test_currents_of_metal_that_goes_on():
    """What leaves at one edge comes in at the other, as far behind as the scan says; of wires and of sheets."""
    strip = _metal(
        es.Sheet("s", plate(0.15, 0.01)), ports=[es.Port("feed", on="s", at=(0, 0, 0), across="x", gap=0.01)]
    )
    wire = _metal(wires=[es.Wire("w", [(-0.075, 0, 0), (0.075, 0, 0)], radius=1e-3)], ports=[es.Port("feed", on="w")])
    for antenna in (strip, wire):
        fed = scan(Cell(antenna, rectangular(0.15)), towards(30.0, 0.0), HERTZ).fed(0)
        if antenna.wires:
            along = fed.driven().currents_table()["current_A"].to_numpy()
            first, last, near = along[0], along[-1], 1e-9
        else:
            table = fed.driven().sheet_currents_table().sort_values("x_m")
            first, last = table["Jx_A_per_m"].to_numpy()[:2].mean(), table["Jx_A_per_m"].to_numpy()[-2:].mean()
            near = 0.01 * abs(last)
        assert abs(first * np.exp(-1j * np.pi * 0.5) - last) < near
        assert abs(last) > 0.0
    assert es.plots.currents(fed.driven()) is not None


def test_ports_and_loads():
    """Two ports in a cell: one fed, the other closed; a load takes what it is told to."""
    wires = [es.Wire(n, [(-0.06, y, 0.05), (0.06, y, 0.05)], radius=1e-3) for n, y in (("a", -0.04), ("b", 0.04))]
    ports = [es.Port(f"p{n}", on=n) for n in "ab"]
    cell = Cell(es.Antenna("pair", wires, ports, es.perfect_plane()), rectangular(0.16))
    found = scan(cell, towards([0.0, 25.0], 60.0), HERTZ)
    assert found.scattering.shape == (2, 2, 2)
    fed = found.fed(1, {"pa": 1.0})
    assert abs(fed.balance) < 1e-3
    assert dict(fed.losses())["what closes port 'pb'"] == pytest.approx(abs(found.scattering[1, 1, 0]) ** 2, rel=1e-6)
    # Each way for itself: the matrix of a scan is not symmetric, and a cut has the same one.
    assert abs(found.scattering[1, 0, 1] - found.scattering[1, 1, 0]) > 1e-3
    cut = scan_line(cell, found.uv[0], found.uv[1], HERTZ, steps=2)
    assert np.abs(cut.scattering - found.scattering).max() < 1e-12
    both = found.table({"pa": 1.0, "pb": 1.0})
    assert list(both["port"]) == ["pa", "pa", "pb", "pb"]
    with pytest.raises(es.UsageError, match="say which are fed"):
        found.table()
    loaded = es.Antenna("pair", wires, ports[:1], es.perfect_plane(), loads=[es.Load("b", "b", impedance=50.0)])
    one = scan(Cell(loaded, rectangular(0.16)), towards(25.0, 60.0), HERTZ)
    assert one.scattering[0, 0, 0] == pytest.approx(found.scattering[1, 0, 0], abs=1e-9)


def test_interpolated_cuts_and_bands():
    """Few are solved, and what lies between is what a solve gives, from onset to onset of the lobes."""
    cell = Cell(_rod(0.14, 0.075, es.perfect_plane()), rectangular(0.21))
    cut = scan_cut(cell, 90.0, HERTZ, to=80.0, steps=101)
    assert cut.solved.sum() < 60
    some = [7, 33, 52, 71, 96]
    assert np.abs(scan(cell, cut.uv[some], HERTZ).scattering - cut.scattering[some]).max() < 1e-3
    assert lobes(cut)["theta_deg"].dropna().tolist() == pytest.approx(
        [np.degrees(np.arcsin(1.0 / 0.7 - 1.0))] * 2, abs=1e-6
    )
    assert set(cut.table()["lobes"]) == {1, 2}
    band = scan_band(cell, towards(30.0, 90.0), np.linspace(0.8, 1.1, 61) * HERTZ)
    assert band.solved.sum() < 35
    at = [5, 31, 55]
    for n in at:
        alone = scan(cell, band.uv[n], float(band.frequencies[n]), rule=es.MeshRule())
        assert abs(alone.scattering[0, 0, 0] - band.scattering[n, 0, 0]) < 5e-3
    dark = scan_line(cell, [1.05, 0.0], [1.3, 0.0], HERTZ, steps=5)
    assert dark.table()["theta_deg"].isna().all()


def test_unseen_scans_take_no_power():
    """Beyond what is seen nothing leaves: what is sent comes back."""
    cell = Cell(_rod(0.12, 0.06, es.perfect_plane()), rectangular(0.12))
    found = scan(cell, [[1.2, 0.1]], HERTZ)
    assert abs(found.scattering[0, 0, 0]) == pytest.approx(1.0, abs=1e-4)
    assert len(found.fed(0).waves()) == 0
    assert np.isnan(found.gains()[0])


def test_planes_and_gain():
    cell = Cell(_rod(0.14, 0.075, es.perfect_plane()).rotated(30.0), rectangular(0.15))
    ways = planes(cell, HERTZ)
    assert np.degrees([ways["E"], ways["H"], ways["D"]]) == pytest.approx([30.0, 120.0, 75.0], abs=0.01)
    found = scan(cell, towards([0.0, 40.0], 120.0), HERTZ)
    share = 1.0 - np.abs(found.scattering[:, 0, 0]) ** 2
    most = 4.0 * np.pi * 0.25 * np.cos(np.radians([0.0, 40.0]))
    assert 10.0 ** (found.gains() / 10.0) == pytest.approx(most * share, rel=1e-3)
    assert found.scan_loss() == pytest.approx(-10.0 * np.log10(share), abs=5e-3)


def test_what_beside_the_onset_of_a_lobe_is_told(caplog):
    cell = Cell(_rod(0.14), rectangular(0.2))
    found = scan(cell, [[0.5, 0.0]], HERTZ)
    assert "leaves along the array" in caplog.text
    assert np.isfinite(found.scattering).all()
    # Its waves and its power are those of where it was solved, a hair away.
    assert 0.0 < np.linalg.norm(found.uv[0] - [0.5, 0.0]) < 1e-3
    assert abs(found.fed(0).balance) < 1e-3


def test_blind_by_no_wave_is_the_elements_own():
    cell = Cell(_rod(0.14, 0.075, es.perfect_plane(), radius=1e-4), rectangular(0.14))
    cut = scan_cut(cell, 0.0, HERTZ, start=0.0, to=89.0)
    assert (blind(cut)["cause"] == "the element's own match").all()
    with pytest.raises(es.UsageError, match="line"):
        blind(scan(cell, towards([0, 10, 40], [0, 0, 90]), HERTZ))


def test_couplings_and_an_element_among_its_likes():
    """What goes to others and what comes back, with what leaves, is all that is sent; a panel is foretold."""
    from earshot.arrays import grid, repeated

    cell = Cell(_rod(0.14, 0.075, es.perfect_plane()), rectangular(0.15))
    known = couplings(cell, HERTZ, (28, 28))
    one = element_among_likes(cell, HERTZ)
    assert one.efficiency == pytest.approx(1.0 - (np.abs(known.terms) ** 2).sum(), abs=3e-3)
    at = scan(cell, towards(35.0, 50.0), HERTZ)
    e = one.field(np.radians(35.0), np.radians(50.0), HERTZ)
    gain = 4.0 * np.pi * one.efficiency * sum(abs(x) ** 2 for x in e) / (2.0 * 376.730313)
    assert 10.0 * np.log10(gain) == pytest.approx(at.gains()[0], abs=0.03)
    places = grid(5, 5, 0.15)
    panel = es.solve(repeated(cell.antenna, places), HERTZ, errors=False).network.s().values[0]
    steps = np.round(places.positions[:, :2] / 0.15).astype(int)
    foretold = known.scattering(steps)
    middle = 12
    assert np.abs(foretold - panel)[middle].max() < 0.05
    active = known.at(towards(20.0, 90.0)[None], steps)[0]
    phases = np.exp(-2j * np.pi / WAVE * places.positions[:, :2] @ towards(20.0, 90.0))
    assert np.abs(active - panel @ phases / phases).max() < 0.12
    with pytest.raises(es.UsageError, match="ask for more cells"):
        known.scattering(np.array([[0, 0], [15, 0]]))


def test_designs_and_what_is_none():
    design = es.antennas.dipole("1 GHz")
    assert Cell(design, rectangular(0.2)).antenna == design.antenna
    for wrong in (("rod", rectangular(0.2)), (design, 0.2)):
        with pytest.raises(es.UsageError, match="cell"):
            Cell(*wrong)


@pytest.mark.parametrize("kind", ["strip", "wire", "rod"])
def test_what_stays_of_a_wave_is_lost_in_the_metal(kind):
    """Of metal that goes on from cell to cell and of a rod that does not: little of it goes as the resistance."""

    def lost(conductivity):
        poor = es.materials.Metal("poor", conductivity)
        if kind == "strip":
            antenna = _metal(es.Sheet("s", plate(0.04, 0.03), metal=poor, sides=2))
        else:
            end = (0.06, 0, 0) if kind == "wire" else (0.05, 0.01, 0)
            start = (-end[0], 0, 0)
            antenna = _metal(wires=[es.Wire("w", [start, end], radius=1e-3, metal=poor)])
        return illuminate(Cell(antenna, rectangular(0.12, 0.03)), 25.0, 70.0, HERTZ).lost[0]

    poor, good = lost(3e5), lost(1.2e6)
    assert (good > 1e-4).all()
    assert poor / good == pytest.approx([2.0, 2.0], rel=0.12)


WRONG = {
    "over": (lambda: _metal(es.Sheet("s", plate(0.12, 0.05))), rectangular(0.1), "lie on one another"),
    "hardly over": (lambda: _metal(es.Sheet("s", plate(0.1001, 0.05))), rectangular(0.1), "set its steps farther"),
    "unmatched": (lambda: _metal(es.Sheet("s", plate(0.1, 0.1))), skewed(0.1, 0.1, 20.0), "do not"),
    "long wire": (lambda: _rod(0.12), rectangular(0.1), "lie on one another"),
    "port at the edge": (
        lambda: _metal(wires=[es.Wire("rod", [(0, 0, 0), (0.1, 0, 0)], radius=1e-3)],
                       ports=[es.Port("feed", on="rod", at=0.99)]),
        rectangular(0.1), "goes on into the next cell",
    ),
    "far too close": (lambda: _metal(es.Sheet("s", plate(0.9, 0.9))), rectangular(0.02), "far too close"),
    "a strip that goes on under a plate": (
        lambda: _metal(es.Sheet("s", plate(0.1, 0.02, centre=(0, 0, 0.01))),
                       es.Sheet("high", plate(0.03, 0.03, centre=(0, 0, 0.04))), medium=_board(2.2)),
        rectangular(0.1), "some printed and some in the air",
    ),
}  # fmt: skip


@pytest.mark.parametrize("which", WRONG)
def test_what_cannot_be_repeated_is_told(which):
    made, lattice, words = WRONG[which]
    with pytest.raises(es.EarshotError, match=words):
        illuminate(Cell(made(), lattice), 10.0, 0.0, HERTZ)


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        (lambda c: scan(c, [[np.nan, 0.0]], HERTZ), "only numbers"),
        (lambda c: scan(c, [], HERTZ), "at least one"),
        (lambda c: scan(c, [[0, 0]], 0), "above zero"),
        (lambda c: scan_cut(c, 0, HERTZ, to=95), "beyond 90"),
        (lambda c: scan_cut(c, 0, HERTZ, steps=1), "steps"),
        (lambda c: scan_line(c, [0, 0], [0, 0], HERTZ), "starts where it ends"),
        (lambda c: scan_band(c, [0, 0], [2e9, 1e9]), "sort them"),
        (lambda c: illuminate(c, 90.0, 0.0, HERTZ), "below 90"),
        (lambda c: illuminate(c, [], [], HERTZ), "at least one"),
        (lambda c: illuminate(c, 0, 0, HERTZ, terminations={"none": 1}), "no port"),
        (lambda c: couplings(c, HERTZ, (1, 4)), "cells"),
        (lambda c: scan(c, [[0, 0]], HERTZ).table({"none": 1}), "no port"),
        (lambda c: scan(c, [[0, 0]], HERTZ).table({"feed": 0}), "no port is fed"),
        (lambda c: scan(c, [[0, 0]], HERTZ).fed(1), "point"),
    ],
)
def test_questions_that_cannot_be(wrong, words):
    with pytest.raises(es.EarshotError, match=words):
        wrong(Cell(_rod(0.12), rectangular(0.15)))


def test_the_middle_of_eleven_by_eleven():
    """With ports of the array's own match: every plane, out to 40 degrees."""
    from earshot.arrays import SolvedArray, grid, repeated

    rod = es.Wire("rod", [(-0.072, 0, 0.075), (0.072, 0, 0.075)], radius=0.75e-3)
    port = es.Port("feed", on="rod", gap=6e-3, reference=163 - 19j)
    antenna, places = es.Antenna("rod", [rod], [port], es.perfect_plane()), grid(11, 11, 0.15)
    rule = es.MeshRule(per_wavelength=24.0, finest=1.0)
    panel = SolvedArray(es.solve(repeated(antenna, places), HERTZ, rule=rule, errors=False), places, HERTZ)
    for phi in (0.0, 45.0, 90.0):
        cell = scan(Cell(antenna, rectangular(0.15)), towards([0, 10, 20, 30, 40], phi), HERTZ, rule=rule)
        phases = np.exp(-2j * np.pi / WAVE * cell.uv @ places.positions[:, :2].T)
        middle = (phases @ panel.scattering.T / phases)[:, 60]
        assert np.abs(middle - cell.scattering[:, 0, 0]).max() < 0.05
