"""Polarisation, sectors and nulls of antennas whose answer is known."""

import math

import numpy as np
import pytest
from models import ONE_METRE, dipole, three_elements

import earshot as es
from earshot.fields import polarisation


def turnstile(phase):
    rods = [
        es.Wire("x", [(-0.24, 0, 0.004), (0.24, 0, 0.004)], radius=1e-3),
        es.Wire("y", [(0, -0.24, -0.004), (0, 0.24, -0.004)], radius=1e-3),
    ]
    antenna = es.Antenna("turnstile", rods, [es.Port("x", on="x"), es.Port("y", on="y")])
    sources = {"x": es.amperes(1), "y": es.amperes(1, phase=phase)}
    return es.solve(antenna, ONE_METRE).drive(sources).far_field()


def test_crossed_dipoles_are_circular_overhead_and_linear_at_the_horizon():
    beam = turnstile("-90 deg")
    up = beam.cut(azimuth="0 deg", step="1 deg")
    zenith, horizon = up.sel(angle=90, method="nearest"), up.sel(angle=0, method="nearest")
    assert zenith.axial_ratio < 0.6
    # x leads y: turning from x to y seen from behind a wave that goes up is right-handed.
    assert zenith.gain_rhcp - zenith.gain_lhcp > 25
    below = up.sel(angle=-90, method="nearest")
    assert below.gain_lhcp - below.gain_rhcp > 25
    assert horizon.axial_ratio > 40
    assert beam.summary().loc["axial ratio at the peak", "remark"] in ("right-hand", "left-hand")


def test_powers_of_any_two_components_add_up():
    beam = turnstile("-60 deg")
    cut = beam.cut("E", step="3 deg")
    for pair in (("theta", "phi"), ("rhcp", "lhcp"), ("co", "cross")):
        total = sum(10 ** (cut[f"gain_{name}"].values / 10) for name in pair)
        np.testing.assert_allclose(total, 10 ** (cut.gain.values / 10), rtol=1e-9)


def test_ellipses_by_hand():
    one, none = np.array([1.0 + 0j]), np.array([0j])
    assert polarisation.axial_ratio(one, -1j * one)[0] == pytest.approx(0, abs=1e-9)
    assert polarisation.axial_ratio(one, none)[0] == polarisation.MOST_AXIAL_RATIO
    assert polarisation.axial_ratio(one, 0.5j * one)[0] == pytest.approx(20 * math.log10(2))
    assert polarisation.tilt(one, one)[0] == pytest.approx(45)
    assert polarisation.tilt(one, -one)[0] == pytest.approx(-45)
    assert polarisation.tilt(one, 0.5j * one)[0] == pytest.approx(0)


def test_a_dipole_has_no_cross_polar_field_in_its_planes():
    beam = es.solve(dipole(0.48, 1e-3), ONE_METRE).drive().far_field()
    for plane in "EH":
        cut = beam.cut(plane)
        # The pole behind the beam is left out: Ludwig's directions turn round it.
        strong = (cut.gain.values > -10) & (np.abs(cut.angle.values) < 179.5)
        assert (cut.gain_co - cut.gain_cross).values[strong].min() > 100


def test_nulls_sectors_and_sides():
    beam = es.solve(dipole(0.48, 1e-3), ONE_METRE).drive().far_field()
    places = sorted(round(angle) for angle, _ in beam.nulls("E"))
    assert places == [-90, 90]
    assert [round(angle) % 360 for _, angle in beam.side_lobes("E")] == [180]
    ball = beam.sector((0, 0, 1), "180 deg")
    assert ball["mean"] == pytest.approx(0, abs=0.01)
    assert ball["greatest"] == pytest.approx(2.147, abs=0.01)
    yagi = es.solve(three_elements([0.49, 0.466, 0.44], [0, 0.15, 0.27], 1e-3, 1), ONE_METRE).drive().far_field()
    assert yagi.front_to_rear("1 deg") == pytest.approx(yagi.front_to_back, abs=0.05)
    assert yagi.front_to_rear("60 deg") <= yagi.front_to_back
    assert 1 < yagi.front_to_side < yagi.front_to_back
    with pytest.raises(es.UsageError, match="not a direction"):
        yagi.sector((0, 0, 0), "10 deg")


def test_units_of_gain():
    beam = es.solve(dipole(0.48, 1e-3), ONE_METRE).drive().far_field()
    in_dbi, in_dbd, plain = (beam.cut("H", unit=u).gain.values.max() for u in ("dBi", "dBd", "linear"))
    assert in_dbd == pytest.approx(in_dbi - 2.15)
    assert plain == pytest.approx(10 ** (in_dbi / 10))
    with pytest.raises(es.UsageError, match="not a unit of gain"):
        beam.cut("H", unit="dBm")
