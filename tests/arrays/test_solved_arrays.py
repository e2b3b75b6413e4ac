"""Arrays solved with their coupling, against the driven solution, and against pairwise theory."""

import math

import numpy as np
import pytest

import earshot as es
from earshot import arrays

HERTZ = 150e6
WAVE = 299792458.0 / HERTZ


def dipole():
    rod = es.Wire("rod", [(0, 0, -0.235 * WAVE), (0, 0, 0.235 * WAVE)], radius="4 mm")
    return es.Antenna("dipole", [rod], [es.Port("feed", "rod", at=0.5)])


@pytest.fixture(scope="module")
def six():
    layout = arrays.line(6, 0.42 * WAVE)
    return arrays.SolvedArray(es.solve(arrays.repeated(dipole(), layout), HERTZ), layout, HERTZ)


def test_sums_of_embedded_patterns_are_the_driven_solution(six):
    weights = six.steered(theta="90 deg", phi="60 deg").times([0.5, 0.8, 1, 1, 0.8, 0.5])
    theta, phi = np.linspace(0.1, 3.0, 9)[:, None], np.linspace(0, 6, 8)
    summed = np.einsum("n,nc...->c...", weights.values, six.patterns(theta, phi))
    driven = np.stack(six.beam(weights).field(theta, phi))
    assert np.abs(summed - driven).max() < 1e-10 * np.abs(driven).max()


def test_power_and_active_reflection_agree(six):
    weights = six.steered(theta="90 deg", phi="40 deg")
    driven = six.drive(weights)
    total = six.total_active_reflection(weights)
    assert driven.accepted / 6 == pytest.approx(1 - total**2, rel=1e-9)
    assert driven.far_field().radiated == pytest.approx(driven.accepted, rel=1e-3)
    active = six.active(weights)
    impedance = driven.voltages / driven.currents
    assert np.allclose(active["active_impedance_ohm"], impedance, rtol=1e-9)
    assert np.linalg.norm(six.scattering, 2) <= 1.0
    coupling = six.coupling()
    assert np.allclose(coupling, coupling.T)
    assert coupling.iloc[2, 3] > coupling.iloc[2, 5]


def test_four_coupled_dipoles_follow_pairwise_theory():
    """Z between two of four, the others open, is nearly that of the two alone: open ones scatter little."""
    layout = arrays.line(4, 0.42 * WAVE)
    solved = es.solve(arrays.repeated(dipole(), layout), HERTZ)
    z = solved.network.z().values[0]
    for apart in (1, 2, 3):
        pair = es.solve(arrays.repeated(dipole(), arrays.line(2, 0.42 * apart * WAVE)), HERTZ).network.z().values[0]
        assert z[0, apart] == pytest.approx(pair[0, 1], rel=0.12)
        # Induced EMF of sinusoidal currents has the same trend (Balanis 2016, eq. 8-68).
        assert abs(z[0, apart]) < 60


def test_embedded_patterns_correlate_as_their_powers_do(six):
    """Without losses the overlap of embedded patterns is δ - Σ S* S: the same from fields and from S (Stein 1962)."""
    s = six.scattering
    shared = np.eye(6) - s.conj().T @ s
    power = np.diag(shared).real
    from_s = np.abs(shared) ** 2 / np.outer(power, power)
    assert np.allclose(six.envelope_correlation(), from_s, atol=2e-4)


def test_scanning_changes_the_match_and_needs_no_solve(six):
    scan = six.scan(facing=(0, 1, 0), along=(1, 0, 0), angles=[-60, 0, 60])
    assert scan.loc[-60, "worst_vswr"] == pytest.approx(scan.loc[60, "worst_vswr"], rel=1e-3)
    assert scan.loc[0, "worst_vswr"] != pytest.approx(scan.loc[60, "worst_vswr"], rel=0.02)
    assert (scan["gain_dBi"] >= scan["realized_gain_dBi"]).all()
    with pytest.raises(es.UsageError, match="one direction"):
        six.scan(facing=(1, 0, 0))
    ideal = arrays.Array(six.layout, arrays.half_wave_dipole("z")).beam(HERTZ)
    assert float(six.beam(arrays.Weights(np.ones(6))).directivity(math.pi / 2, math.pi / 2)) == pytest.approx(
        float(ideal.directivity(math.pi / 2, math.pi / 2)), rel=0.15
    )


def test_elements_are_turned_and_others_put_at_the_edges():
    level = es.Wire("rod", [(-0.2 * WAVE, 0, 0), (0.2 * WAVE, 0, 0)], radius="4 mm")
    flat = es.Antenna("flat", [level], [es.Port("feed", "rod", at=0.5)])
    layout = arrays.arc(3, WAVE, "180 deg")
    antenna = arrays.repeated(flat, layout, others={0: dipole()})
    # Their x axis is upright where they face a horizon.
    points = antenna.wire("e2_rod").corners
    assert np.allclose(np.abs(np.diff(points, axis=0)[0]), [0, 0, 0.4 * WAVE], atol=1e-9)
    assert [p.name for p in antenna.ports] == ["e1_feed", "e2_feed", "e3_feed"]
    with pytest.raises(es.UsageError, match="there is no place 7"):
        arrays.repeated(flat, layout, others={7: dipole()})
    with pytest.raises(es.UsageError, match="cannot be tilted"):
        arrays.repeated(flat.raised("1 m").over(es.perfect_plane()), layout)
    with pytest.raises(es.UsageError, match="3 ports for 2 places"):
        arrays.SolvedArray(es.solve(arrays.repeated(flat, layout), HERTZ), arrays.line(2, 1.0), HERTZ)


def test_the_vswr_at_the_ports_is_the_active_one(six):
    weights = six.steered(theta="90 deg", phi="60 deg")
    table = six.drive(weights).ports_table()
    assert np.allclose(table["active_vswr"], six.active(weights)["vswr"], rtol=1e-9)
    alone = six.drive(weights.without([0])).ports_table()["active_vswr"]
    assert math.isinf(alone.iloc[0])
    assert np.isfinite(alone.iloc[1:]).all()
