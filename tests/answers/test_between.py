"""Currents between the solved frequencies of a band."""

import logging

import numpy as np
import pytest

import earshot as es


def rods(seed):
    """Three rods of random lengths and places, two of them fed, the third loaded."""
    rng = np.random.default_rng(seed)
    wires = [
        es.Wire(f"rod {i}", [(0.25 * i, 0, -h), (0.25 * i, rng.uniform(-0.1, 0.1), h)], radius=rng.uniform(1e-3, 6e-3))
        for i, h in enumerate(rng.uniform(0.2, 0.3, 3))
    ]
    load = es.Load("trap", "rod 2", impedance=complex(*rng.uniform(0, 80, 2)))
    return es.Antenna("rods", wires, [es.Port("one", "rod 0"), es.Port("two", "rod 1", at=0.4)], loads=[load])


@pytest.mark.parametrize("seed", range(4))
def test_currents_and_fields_in_a_band_are_those_of_a_solve_there(seed, caplog):
    antenna = rods(seed)
    solution = es.solve(antenna, es.band("200 MHz", "350 MHz", 101))
    assert 0 < solution.currents_error < 1e-3
    direct = es.solve(antenna, [*np.random.default_rng(seed).uniform(2e8, 3.5e8, 3), 3.5e8])
    caplog.set_level(logging.WARNING)
    for hertz in direct.solved[:-1]:
        got, want = (s.drive({"one": es.volts(1)}, hertz) for s in (solution, direct))
        share = np.linalg.norm(got.flow.ends - want.flow.ends) / np.linalg.norm(want.flow.ends)
        assert share < max(10 * solution.currents_error, 1e-7)
        assert got.far_field().gain(1.0, 0.3) == pytest.approx(want.far_field().gain(1.0, 0.3), abs=2e-3)
        assert got.balance == pytest.approx(want.balance, abs=2e-3)
    assert "solving it too" not in caplog.text


def test_what_is_not_known_between_is_solved(caplog):
    few = es.solve(rods(1), ["200 MHz", "300 MHz"])
    assert few.currents_error is None
    few.drive({"one": es.volts(1)}, "250 MHz")
    assert "250 MHz was not among the solved frequencies" in caplog.text
    loose = es.solve(rods(1), es.band("100 MHz", "900 MHz", 41, tolerance=0.9))
    assert loose.currents_error is None or loose.currents_error > 1e-3
    assert list(loose.smooth_figures({"one": es.volts(1)}).index) == loose.solved.tolist()


def test_figures_are_followed_where_they_bend():
    solution = es.solve(rods(2), es.band("200 MHz", "350 MHz", 101))
    table = solution.smooth_figures({"one": es.volts(1)})
    places, gain = table.index.to_numpy(float), table["gain"].to_numpy(float)
    assert (places[0], places[-1]) == (2e8, 3.5e8)
    assert len(table) >= 21
    between = 0.5 * (places[:-1] + places[1:])[::5]
    for hertz in between:
        known = solution.drive({"one": es.volts(1)}, hertz).far_field().summary()["value"]["gain"]
        assert np.interp(hertz, places, gain) == pytest.approx(known, abs=0.3)
    assert len(solution.smooth_figures({"one": es.volts(1)}, most=25)) <= 25


def test_it_holds_for_sheets_and_after_opening_again(tmp_path):
    mast = es.Wire("mast", [(0, 0, 0.1), (0, 0, 0.34)], radius=1e-3)
    plate = es.Sheet("plate", es.shapes.plate(0.3, 0.3, centre=(0, 0, 0.1)))
    over = es.Antenna("over", [mast], [es.Port("feed", "mast", at=0)], es.earth("meadow"), sheets=[plate])
    solution = es.solve(over, es.band("270 MHz", "330 MHz", 31))
    es.write(solution, tmp_path / "r.nc")
    again = es.read_results(tmp_path / "r.nc")
    want = es.solve(over, ["291.7 MHz", "330 MHz"]).drive(frequency="291.7 MHz").far_field().gain(1.2, 0.3)
    for one in (solution, again):
        gain = one.drive(frequency="291.7 MHz").far_field().gain(1.2, 0.3)
        assert gain == pytest.approx(want, abs=2e-3)
