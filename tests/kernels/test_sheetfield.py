"""Points on triangles for near fields: they stay within the room there is, whatever the triangle and the place."""

import math

import numpy as np
import pytest

from earshot.kernels.sheetfield import points_for, room_for_points


def area_of(t):
    a, b, c = t.reshape(3, 3)
    return 0.5 * np.linalg.norm(np.cross(b - a, c - a))


@pytest.mark.parametrize("aspect", [1.0, 8.0, 60.0, 1000.0])
def test_slivers_have_room_and_keep_their_area_and_centroid(aspect):
    rng = np.random.default_rng(int(aspect))
    stack, depth, found = room_for_points()
    for _ in range(300):
        a, b = rng.normal(size=3), rng.normal(size=3)
        across = np.cross(b - a, rng.normal(size=3))
        across *= np.linalg.norm(b - a) / aspect / np.linalg.norm(across)
        c = a + rng.uniform() * (b - a) + across
        t = np.concatenate([a, b, c])
        # On it, hardly over it, and about it.
        share = rng.dirichlet([1, 1, 1])
        off = 10.0 ** rng.uniform(-7, 1) * np.linalg.norm(b - a) * rng.choice([0.0, 1.0])
        place = share @ t.reshape(3, 3) + off * rng.normal(size=3)
        count = points_for(t, place, stack, depth, found)
        assert 0 < count <= found.shape[1]
        assert found[3, :count].sum() == pytest.approx(area_of(t), rel=1e-9)
        assert found[:3, :count] @ found[3, :count] / area_of(t) == pytest.approx(
            t.reshape(3, 3).mean(axis=0), abs=1e-9
        )


def test_the_potential_beside_a_sliver_is_that_of_a_strip():
    """∫ 1/R over a thin right triangle, which along its length is a line of falling strength."""
    stack, depth, found = room_for_points()
    thin = 1e-3
    t = np.array([0, 0, 0, 1, 0, 0, 0, thin, 0], float)
    for x, high in ((0.3, 0.05), (0.5, 0.02), (0.8, 0.3)):
        count = points_for(t, np.array([x, 0.0, high]), stack, depth, found)
        r = np.linalg.norm(found[:3, :count].T - [x, 0.0, high], axis=1)
        # Strength thin (1 - s) at s: in closed form.
        near, far = math.hypot(x, high), math.hypot(1 - x, high)
        logarithm = math.asinh((1 - x) / high) + math.asinh(x / high)
        want = thin * ((1 - x) * logarithm - (far - near))
        assert (found[3, :count] / r).sum() == pytest.approx(want, rel=2e-3)
