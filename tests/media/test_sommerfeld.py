"""Sommerfeld integrals against closed forms at random sizes, and how many wavenumbers they ask for."""

import numpy as np
import pytest

import earshot as es
from earshot.media.sommerfeld import decay, faded_integrals


def waves_at(heights):
    """Spectra of e^{-jR}/R at heights, by Sommerfeld's identity, that say how many wavenumbers they were asked for."""

    def spectra(k):
        spectra.asked += k.size
        u = decay(k, 1.0)
        return np.exp(-u * heights[:, None]) / u

    spectra.asked = 0
    return spectra


@pytest.mark.parametrize("seed", range(12))
def test_waves_of_any_height_at_any_distance(seed):
    rng = np.random.default_rng(seed)
    heights, rho = 10 ** rng.uniform(-4, 0.8, 12), np.sort(10 ** rng.uniform(-3.5, 1.5, 40))
    spectra = waves_at(heights)
    found = es.layers.sommerfeld_integrals(spectra, rho, 1.5, heights.max())
    far = np.hypot(heights[:, None], rho)
    assert np.abs(found * far - np.exp(-1j * far)).max() < 1e-11
    # However thin is what is beside the highest: at most some two thousand for distances within a factor of two.
    assert spectra.asked < 2500 * np.ceil(np.log2(rho[-1] / rho[0]) + 1)


@pytest.mark.parametrize("seed", range(6))
def test_what_fades_is_followed_as_long(seed):
    rng = np.random.default_rng(seed)
    heights, rho = np.sort(10 ** rng.uniform(-2, 0.8, 8)), np.append(0.0, 10 ** rng.uniform(-3, 0.5, 20))
    spectra = waves_at(heights)
    found = faded_integrals(spectra, rho, 1.5, heights[0], heights[-1])
    far = np.hypot(heights[:, None], rho)
    assert np.abs(found * far - np.exp(-1j * far)).max() < 1e-11
