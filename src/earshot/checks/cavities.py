"""Where the inside of a closed body resonates: known for some shapes (Harrington 1961, secs. 4-4, 5-5 and 6-5)."""

from __future__ import annotations

import math
from functools import partial, singledispatch
from typing import Any

import numpy as np

from ..arraytypes import Floats
from ..constants import SPEED_OF_LIGHT
from ..description.round_shapes import Cylinder, Sphere
from ..description.shapes import Box, Shape


@singledispatch
def resonances(shape: Shape, highest: float) -> Floats | None:  # noqa: ARG001
    """Resonances of a closed shape below a frequency, Hz, in no order; None where no formula is known."""
    return None


@resonances.register
def _(box: Box, highest: float) -> Floats:
    most = 2.0 * highest / SPEED_OF_LIGHT
    counts = [np.arange(math.ceil(most * side) + 1) for side in box.sizes]
    m = np.stack(np.meshgrid(*counts, indexing="ij"), axis=-1).reshape(-1, 3)
    m = m[(m > 0).sum(axis=1) >= 2]
    return np.asarray(0.5 * SPEED_OF_LIGHT * np.sqrt(((m / np.array(box.sizes)) ** 2).sum(axis=1)))


@resonances.register
def _(can: Cylinder, highest: float) -> Floats:
    from scipy.special import jn_zeros, jnp_zeros

    most = 2.0 * math.pi * highest / SPEED_OF_LIGHT
    radius = can.diameter / 2.0
    orders, q = range(math.ceil(most * radius) + 2), np.arange(math.ceil(most * can.length / math.pi) + 2)
    across = [(jn_zeros(n, 8), q) for n in orders] + [(jnp_zeros(n, 8), q[1:]) for n in orders]
    k = [np.hypot(zeros[:, None] / radius, np.pi * steps / can.length).ravel() for zeros, steps in across]
    return SPEED_OF_LIGHT / (2.0 * math.pi) * np.concatenate(k)


@resonances.register
def _(ball: Sphere, highest: float) -> Floats:
    from scipy.optimize import brentq

    radius = ball.diameter / 2.0
    most = 2.0 * math.pi * highest / SPEED_OF_LIGHT
    x = np.linspace(0.5, max(most * radius, 0.6) + 0.5, 2000)
    roots: list[float] = []
    for n in range(1, math.ceil(most * radius) + 2):
        for electric in (False, True):
            known = partial(_radial, n, electric)
            values = known(x)
            turns = np.flatnonzero(values[:-1] * values[1:] < 0.0)
            roots += [float(brentq(known, x[i], x[i + 1])) for i in turns]
    return SPEED_OF_LIGHT / (2.0 * math.pi * radius) * np.array(roots)


def _radial(order: int, electric: bool, x: Any) -> Any:
    """What is zero at the wall of a sphere x = kr: the field along it of a wave with a magnetic or electric order."""
    from scipy.special import spherical_jn

    plain = spherical_jn(order, x)
    return plain + x * spherical_jn(order, x, derivative=True) if electric else plain
