"""Far fields of so many currents that a transform adds them up, against the sums themselves."""

import numpy as np
import pytest

from earshot.fields import radiator
from earshot.fields.radiator import Radiator


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
