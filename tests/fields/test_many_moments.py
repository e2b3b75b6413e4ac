"""Far fields of so many currents that a transform adds them up, against the sums themselves."""

import numpy as np
import pytest

from earshot.fields import radiator
from earshot.fields.radiator import Radiator, looking


@pytest.mark.parametrize("flat", [True, False])
@pytest.mark.parametrize("seed", range(3))
def test_a_transform_is_the_sum_of_its_terms(monkeypatch, flat, seed):
    rng = np.random.default_rng(seed)
    places = rng.uniform(-0.2, 0.2, (rng.integers(2, 900), 3))
    places[:, 2] += 3.0
    if flat:
        places[:, 2] = 3.0
    moments = rng.standard_normal(places.shape) + 1j * rng.standard_normal(places.shape)
    one = Radiator(None, np.zeros((0, 2)), places, moments, places, rng.uniform(1.0, 200.0))
    directions = rng.standard_normal((60, 3))
    directions /= np.linalg.norm(directions, axis=1)[:, None]
    sums = one.vectors(directions)
    monkeypatch.setattr(radiator, "_MANY", 0)
    np.testing.assert_allclose(one.vectors(directions), sums, atol=1e-8 * np.abs(moments).sum())


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("seed", range(6))
def test_what_is_known_of_all_directions_tells_each(monkeypatch, mirrored, seed):
    """Of places of any size, anywhere, single directions and grids from the polynomial are the sums themselves."""
    rng = np.random.default_rng(seed)
    places = rng.uniform(-1, 1, (rng.integers(2, 400), 3)) * rng.uniform(0.01, 0.5, 3) + rng.uniform(-2, 2, 3)
    moments = rng.standard_normal(places.shape) + 1j * rng.standard_normal(places.shape)
    wavenumber, most = rng.uniform(1.0, 120.0), np.abs(moments).sum()
    theta, phi = rng.uniform(0, np.pi, 80), rng.uniform(-np.pi, 2 * np.pi, 80)

    def asked(*angles):
        return Radiator(None, np.zeros((0, 2)), places, moments, places, wavenumber), looking(*angles)

    one, single = asked(theta, phi)
    sums = one.about_origin(single, mirrored=mirrored)
    grid = looking(np.linspace(0, np.pi, 7)[:, None], np.linspace(0, 6, 5))
    on_grid = one.about_origin(grid, mirrored=mirrored)
    assert "_waves" not in vars(one)
    monkeypatch.setattr(radiator, "_TOLD", 0)
    assert one._waves.shape[0] == 3
    np.testing.assert_allclose(one.about_origin(single, mirrored=mirrored), sums, atol=1e-8 * most)
    np.testing.assert_allclose(one.about_origin(grid, mirrored=mirrored), on_grid, atol=1e-8 * most)
