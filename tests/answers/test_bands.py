"""Bands: interpolated from few solves, and what is read off them."""

import numpy as np
import pytest
from models import dipole, loop, three_elements

import earshot as es

HERTZ = 299_792_458.0


def four():
    wires = [es.Wire(f"w{i}", [(0.2 * i, 0, -0.24 + 0.01 * i), (0.2 * i, 0, 0.24)], radius=1e-3) for i in range(4)]
    return es.Antenna("four", wires, [es.Port(f"p{i}", on=f"w{i}") for i in range(4)])


@pytest.mark.parametrize(
    ("antenna", "low", "most"),
    [
        (dipole(0.48, 1e-3), 0.5, 13),
        (dipole(0.48, 1e-5), 0.7, 13),
        (three_elements([0.49, 0.466, 0.44], [0, 0.15, 0.27], 1e-3, 1), 0.5, 13),
        (three_elements([0.49, 0.466, 0.44], [0, 0.15, 0.27], 1e-3, 1), 0.7, 13),
        (four(), 0.5, 25),
        (loop(0.3, 0.0005, chords=24), 0.9, 25),
    ],
)
def test_a_wide_band_takes_few_solves_and_is_right(antenna, low, most):
    band = es.band(low * HERTZ, 3 * low * HERTZ, 241)
    rule = es.MeshRule(per_wavelength=40)
    swept = es.solve(antenna, band, rule=rule)
    every = es.solve(antenna, list(band), rule=rule)
    assert len(swept.solved) <= most
    error = np.abs(swept.network.s().values - every.network.s().values).max()
    assert error <= 1e-3
    # What it says of its own error is of the right size, or careful.
    assert swept.band_error <= 1e-3


def test_bands_and_single_frequencies_go_together():
    antenna = dipole(0.48, 1e-3)
    bands = [es.band("200 MHz", "400 MHz", 41, spacing="logarithmic"), es.band("250 MHz", "260 MHz", 11)]
    answer = es.solve(antenna, [*bands, "299.7 MHz"])
    assert 299.7e6 in answer.solved
    assert len(answer.frequencies) == 41 + 11 + 1
    assert np.all(np.diff(answer.frequencies) > 0)
    steps = np.diff(np.log(bands[0].frequencies))
    np.testing.assert_allclose(steps, steps[0])
    exact = es.solve(antenna, es.band("200 MHz", "400 MHz", 7, tolerance=0))
    assert len(exact.solved) == 7


def test_resonance_bandwidth_and_q_of_a_series_circuit():
    """R-L-C in closed form: resonance 1/2π√LC, Q = ωL/R."""
    r, q, f0 = 50.0, 12.0, 150e6
    f = np.linspace(120e6, 180e6, 121)
    z = r + 1j * r * q * (f / f0 - f0 / f)
    network = es.circuits.Network(f, (1 / z)[:, None, None], ("feed",), np.array([50.0]))
    found = network.resonances()
    assert found["frequency_Hz"][0] == pytest.approx(f0, rel=1e-7)
    assert found["Q"][0] == pytest.approx(q, rel=1e-4)
    assert list(found["kind"]) == ["series"]
    within = network.bandwidth(vswr=2)
    # |Γ| = 1/3 where X/R = 1/√2; X/R = q (f/f0 - f0/f), so the width is f0/(q√2).
    assert within["width_Hz"][0] == pytest.approx(f0 / (q * np.sqrt(2)), rel=1e-4)
    assert not within["cut_off"][0]
    assert within["best_Hz"][0] == pytest.approx(f0, rel=1e-6)
    assert network.bandwidth(return_loss=6)["width_Hz"][0] > within["width_Hz"][0]
    assert network.bandwidth(vswr=1e6)["cut_off"][0]
    with pytest.raises(es.UsageError, match="one limit"):
        network.bandwidth()
