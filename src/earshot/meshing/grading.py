"""Cutting a length into pieces that are short where something happens and grow from there."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

import numpy as np

from ..arraytypes import Floats


def graded_cuts(length: float, first: float, last: float, most: float, growth: float) -> Floats:
    """Cut [0, length] so that each segment spans an equal share, at most one, of ∫ ds/h.

    h(s) = min(most, first + growth s, last + growth (length - s)): its integral and inverse are logarithms.
    """
    first, last = min(first, most), min(last, most)
    # Neither end can be longer than growth from the other allows.
    first, last = min(first, last + growth * length), min(last, first + growth * length)
    # Where the rising flank ends and the falling one begins.
    up, down = (most - first) / growth, length - (most - last) / growth
    if up > down:
        up = down = min(max(0.5 * (length + (last - first) / growth), 0.0), length)
    peak = min(first + growth * up, most)
    rise = math.log(peak / first) / growth
    flat = (down - up) / peak
    fall = math.log(peak / last) / growth
    total = rise + flat + fall
    count = max(1, math.ceil(total - 1e-6))
    shares = total * np.arange(count + 1) / count
    cuts = np.where(
        shares <= rise,
        first * np.expm1(growth * np.minimum(shares, rise)) / growth,
        np.where(
            shares <= rise + flat,
            up + (shares - rise) * peak,
            length - last * np.expm1(growth * np.minimum(total - shares, fall)) / growth,
        ),
    )
    cuts[0], cuts[-1] = 0.0, length
    return np.asarray(cuts)


def marked_cuts(
    length: float, first: float, last: float, most: float, marks: Sequence[tuple[float, float]], growth: float
) -> Floats:
    """Cut [0, length] with a cut at every mark (place, size there): places inside only."""
    inside = sorted((s, size) for s, size in marks if 1e-9 * length < s < length * (1.0 - 1e-9))
    stops = [(0.0, first), *inside, (length, last)]
    cuts = [0.0]
    for (a, size_a), (b, size_b) in itertools.pairwise(stops):
        if b - a > 1e-9 * length:
            cuts += (a + graded_cuts(b - a, size_a, size_b, most, growth)[1:]).tolist()
    return np.array(cuts)
