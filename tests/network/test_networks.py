"""Networks made from matrices, and the rational fit of many entries."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from earshot.network.network import admittance_of, scattering
from earshot.network.rational import fit


@given(st.integers(1, 6), st.integers(0, 10**6))
def test_scattering_and_admittance_are_each_others_inverse(ports, seed):
    rng = np.random.default_rng(seed)
    y = rng.normal(size=(2, ports, ports)) + 1j * rng.normal(size=(2, ports, ports))
    y = 0.01 * (y + np.swapaxes(y, 1, 2)) + 0.05 * np.eye(ports)
    references = rng.uniform(10, 300, ports) + 0j
    np.testing.assert_allclose(admittance_of(scattering(y, references), references), y, rtol=1e-7, atol=1e-10)


def resonator(x, entries):
    """A matrix of entries that share three resonances."""
    poles = np.array([0.5, 0.8, 1.1]) * (1 + 0.01j)
    weights = np.random.default_rng(3).normal(size=(3, entries))
    terms = x[:, None] / (x[:, None] ** 2 - poles**2)
    return 1j * (terms @ weights)


@pytest.mark.parametrize("entries", [1, 4, 100])
def test_a_fit_finds_shared_resonances_however_many_entries(entries):
    taken, everywhere = np.linspace(0.4, 1.2, 14), np.linspace(0.4, 1.2, 301)
    model = fit(taken, resonator(taken, entries))
    exact = resonator(everywhere, entries)
    assert np.abs(model(everywhere) - exact).max() < 1e-6 * np.abs(exact).max()
