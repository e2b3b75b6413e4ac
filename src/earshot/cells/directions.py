"""Directions that an array without end is scanned to: u = sin θ cos φ and v = sin θ sin φ, of any size.

Beyond u² + v² = 1 nothing is seen of the scan itself; the elements' phases are as good as any others.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..arraytypes import Floats, Ints
from ..constants import wavenumber
from ..errors import UsageError
from ..lattice import Lattice

_GRAZING = 1e-4
"""How near, in u and v, a scan may come to where a wave leaves along the array."""


def towards(theta: ArrayLike, phi: ArrayLike) -> Floats:
    """u and v (..., 2) of angles, degrees, that go together."""
    t, p = np.broadcast_arrays(np.radians(np.asarray(theta, float)), np.radians(np.asarray(phi, float)))
    return np.stack([np.sin(t) * np.cos(p), np.sin(t) * np.sin(p)], axis=-1)


def disk(rings: int = 12, radius: float = 1.0) -> Floats:
    """u and v (n, 2) on so many rings round broadside, as far apart on them as they are, up to a radius.

    A radius of 1 is all that is seen; there the last ring is a thousandth inside, since at the horizon a wave leaves
    along the array. Raises UsageError for a radius that is none.
    """
    units.count(rings, "disk: rings", 1, 200)
    if not (math.isfinite(radius) and radius > 0.0):
        raise UsageError(f"disk: radius {radius} is not above zero")
    found = [np.zeros((1, 2))]
    for n in range(1, rings + 1):
        turn = 2.0 * math.pi * np.arange(6 * n) / (6 * n)
        size = radius * n / rings * (1.0 - 1e-3 * (radius == 1.0))
        found.append(size * np.stack([np.cos(turn), np.sin(turn)], axis=-1))
    return np.concatenate(found)


def zone(lattice: Lattice, frequency: float, counts: tuple[int, int]) -> Floats:
    """u and v (n, m, 2) of all phases from cell to cell, in equal steps, no phase twice."""
    first, second = (np.arange(n) / n for n in counts)
    shares = np.stack(np.meshgrid(first, second, indexing="ij"), axis=-1)
    return np.asarray((shares @ lattice.reciprocal) / wavenumber(frequency))


def angles(uv: Floats) -> tuple[Floats, Floats]:
    """θ and φ, degrees, of u and v (..., 2); θ is missing beyond what is seen."""
    size = np.linalg.norm(uv, axis=-1)
    theta = np.degrees(np.arcsin(np.where(size <= 1.0, size, np.nan)))
    phi = np.degrees(np.arctan2(uv[..., 1], uv[..., 0]))
    return theta, np.where(size < 1e-12, 0.0, phi % 360.0)


def onsets(lattice: Lattice, frequency: float, start: Floats, end: Floats) -> list[tuple[float, tuple[int, int]]]:
    """Where along a straight way in u and v a wave begins or ceases to leave: share of the way, and its number."""
    k = wavenumber(frequency)
    middle, half = 0.5 * (start + end), 0.5 * float(np.linalg.norm(end - start))
    numbers, _ = lattice.waves(k * middle, k * (1.0 + half + 1e-9))
    found = []
    for number, at in crossings(lattice, frequency, start, end, numbers, 1.0):
        found.append((at, (int(number[0]), int(number[1]))))
    return sorted(found)


def crossings(
    lattice: Lattice, frequency: float, start: Floats, end: Floats, numbers: Ints, index: float
) -> list[tuple[Ints, float]]:
    """Where along a way waves of some numbers (n, 2) have a transverse wavenumber of `index` times k: number, share."""
    steps = numbers @ lattice.reciprocal / wavenumber(frequency)
    way, found = end - start, []
    for number, step in zip(numbers, steps, strict=True):
        off = start + step
        # |off + t way| = index.
        a, b, c = float(way @ way), 2.0 * float(off @ way), float(off @ off) - index**2
        root = b * b - 4.0 * a * c
        if a > 0.0 and root > 0.0:
            both = [(-b + sign * math.sqrt(root)) / (2.0 * a) for sign in (-1.0, 1.0)]
            found += [(number, t) for t in both if 0.0 <= t <= 1.0]
    return found


def clear_of_onset(uv: Floats, lattice: Lattice, frequency: float) -> tuple[Floats, tuple[int, int] | None]:
    """A direction (2,), moved off where a wave leaves along the array, and the number of that wave if it was."""
    k = wavenumber(frequency)
    numbers, waves = lattice.waves(k * uv, 1.5 * k)
    size = np.linalg.norm(waves, axis=1) / k
    near = np.flatnonzero(np.abs(size - 1.0) < _GRAZING)
    if not len(near):
        return uv, None
    # The scan's own wave, where it is one of them.
    first = int(near[np.abs(numbers[near]).sum(axis=1).argmin()])
    # Inwards, so that the wave leaves.
    return uv - 2.0 * _GRAZING * waves[first] / (k * size[first]), (int(numbers[first, 0]), int(numbers[first, 1]))
