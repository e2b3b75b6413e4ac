"""Circuits and drives from wishes: trees of dividers, matrices of hybrids, currents and beams in spite of coupling."""

import math

import numpy as np
import pytest

import earshot as es
from earshot.circuits import beam_matrix, divider_tree, hybrid_matrix, solve_circuit, with_q

HERTZ = 900e6


@pytest.mark.parametrize("count", [2, 3, 5, 8, 13])
@pytest.mark.parametrize("frequency", [None, HERTZ])
def test_a_tree_divides_as_asked_in_phase(count, frequency):
    rng = np.random.default_rng(count)
    shares = rng.uniform(0.3, 1, count)
    s = solve_circuit(divider_tree(shares.tolist(), frequency), HERTZ).matrices[0]
    assert np.abs(s[1:, 0]) ** 2 == pytest.approx(shares / shares.sum(), rel=1e-9)
    assert np.abs(np.angle(s[1:, 0] / s[1, 0])).max() < 1e-9
    assert np.abs(np.diag(s)).max() < 1e-9
    # Resistors keep outputs apart.
    assert np.abs(s[1:, 1:]).max() < 1e-9


@pytest.mark.parametrize("count", [2, 4, 8, 16])
@pytest.mark.parametrize("frequency", [None, HERTZ])
def test_hybrids_make_the_matrix_of_beams(count, frequency):
    """Unitary, matched, inputs apart; every beam with the textbook's step, as the ideal matrix has it."""
    s = solve_circuit(hybrid_matrix(count, frequency), HERTZ).matrices[0]
    assert np.abs(s @ s.conj().T - np.eye(2 * count)).max() < 1e-9
    assert np.abs(s[:count, :count]).max() < 1e-9
    through = s[count:, :count]
    assert np.abs(through) == pytest.approx(1 / math.sqrt(count), rel=1e-9)
    ideal = beam_matrix(count).scattering(np.array([HERTZ]), 50.0)[0][count:, :count]
    for k in range(count):
        assert np.abs(through[:, k] / through[0, k] - ideal[:, k] / ideal[0, k]).max() < 1e-8
        step = np.angle(through[1, k] / through[0, k])
        assert math.remainder(step - (2 * (k + 1) - 1 - count) * math.pi / count, 2 * math.pi) == pytest.approx(
            0, abs=1e-9
        )


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: divider_tree([1]), "two powers"),
        (lambda: divider_tree("12"), "two powers"),
        (lambda: divider_tree([1, -1]), "above zero"),
        (lambda: hybrid_matrix(6), "2, 4, 8"),
        (lambda: hybrid_matrix(1), "whole number"),
        (lambda: with_q(es.circuits.impedance(50), 10, "1 GHz"), "has none"),
        (lambda: with_q(es.circuits.series(0, "1 nH"), 0, "1 GHz"), "not above zero"),
    ],
)
def test_mistakes_are_named(make, says):
    with pytest.raises(es.UsageError, match=says):
        make()


def test_parts_have_their_q():
    """At its frequency R = X/Q in series, G = B/Q in parallel."""
    omega = 2 * math.pi * HERTZ
    coil = with_q(es.circuits.series(0, "10 nH"), 50, HERTZ).at(HERTZ)
    assert coil.imag / coil.real == pytest.approx(50)
    tank = 1 / with_q(es.circuits.parallel(None, "10 nH", "5 pF"), 80, HERTZ).at(HERTZ)
    assert tank.real == pytest.approx((1 / (omega * 10e-9) + omega * 5e-12) / 80)


@pytest.fixture(scope="module")
def row():
    rod = es.antennas.dipole("900 MHz").antenna
    return es.solve(es.arrays.repeated(rod, es.arrays.line(4, 0.11)), HERTZ)


def test_currents_are_what_was_wished(row):
    ports = [p.name for p in row.antenna.ports]
    rng = np.random.default_rng(1)
    wished = rng.normal(size=4) + 1j * rng.normal(size=4)
    drives = es.answers.drives_for_currents(row, dict(zip(ports, wished, strict=True)))
    assert np.abs(row.drive(drives).currents - wished).max() < 1e-9
    alone = es.answers.drives_for_currents(row, {ports[1]: 1.0})
    assert np.abs(row.drive(alone).currents - [0, 1, 0, 0]).max() < 1e-9
    for currents in ({"x": 1.0}, {ports[0]: 0.0}, {ports[0]: math.nan}):
        with pytest.raises(es.UsageError):
            es.answers.drives_for_currents(row, currents)


def test_a_beam_is_made_in_spite_of_coupling(row):
    """What ports can send they send exactly; of a beam they cannot, the nearest is no farther than any other."""
    ports = [p.name for p in row.antenna.ports]
    sent = {port: es.watts(1 + n, phase=50 * n) for n, port in enumerate(ports)}
    drives, off = es.answers.drives_for_beam(row, row.drive(sent).far_field())
    assert off < 1e-8
    for port in ports:
        assert drives[port].amount == pytest.approx(sent[port].amount, rel=1e-6)
    ideal = es.arrays.Array(es.arrays.line(4, 0.11), es.arrays.half_wave_dipole("y"), "ideal")
    weights = es.arrays.Array(es.arrays.line(4, 0.11), es.arrays.isotropic(), "w").tapered("chebyshev", side_lobe=25)
    wished = ideal.beam(HERTZ, weights)
    drives, off = es.answers.drives_for_beam(row, wished)
    assert off < 0.25
    with pytest.raises(es.UsageError, match="900"):
        es.answers.drives_for_beam(row, ideal.beam("850 MHz", weights))
