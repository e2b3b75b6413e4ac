"""Hankel functions on the ways out of Sommerfeld integrals, against those of a library."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.special import hankel1e

from earshot.media.hankel import hankel_outward


# The first call makes the rational function.
@settings(deadline=None)
@given(st.integers(0, 1), st.floats(-8, 2.4), st.floats(-37, 47))
def test_they_are_those_of_the_library(order, log, degrees):
    z = np.array([10**log * np.exp(1j * np.radians(degrees))])
    assert hankel_outward(order, z) == pytest.approx(hankel1e(order, z) * np.exp(1j * z), rel=1e-12)


@pytest.mark.parametrize("order", [0, 1])
def test_small_and_large_together_keep_their_shape_and_order(order):
    rng = np.random.default_rng(order)
    size = 10 ** rng.uniform(-3, 2, (123, 211))
    z = size * np.exp(1j * np.radians(rng.uniform(-31, 45, size.shape)))
    found = hankel_outward(order, z)
    assert found.shape == z.shape
    np.testing.assert_allclose(found, hankel1e(order, z) * np.exp(1j * z), rtol=1e-12)
    # Where a series goes over into the rational function.
    rim = np.exp(1j * np.radians(np.linspace(-37, 47, 50)))
    np.testing.assert_allclose(
        hankel_outward(order, 0.999999999 * rim), hankel_outward(order, 1.000000001 * rim), rtol=5e-9
    )
