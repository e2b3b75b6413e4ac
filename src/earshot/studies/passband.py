"""How wide a match is, from its reflection at a few frequencies, and how that follows from each of them."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from ..arraytypes import Complexes, Floats

_FINE = 40
"""Places looked at between two frequencies."""


def stretch(frequencies: tuple[float, ...], back: Complexes, most: float, at: float | None) -> tuple[float, Floats]:
    """The widest stretch where a reflection coefficient (n,) is `most` at most, over the middle of the frequencies.

    at: a frequency, Hz, that has to be in it. Between the frequencies, Hz, the coefficient is a cubic spline. Where
    there is no such stretch it is below zero: by how much more is reflected where it should be. With it, how it changes
    with the real and the imaginary parts (2, n).
    """
    fine, weights = _spline(frequencies)
    seen = weights @ back
    size, span = np.abs(seen), 0.5 * (frequencies[0] + frequencies[-1])
    within = np.concatenate([[False], size <= most, [False]])
    edges = np.flatnonzero(within[1:] != within[:-1]).reshape(-1, 2)
    own = None if at is None else int(np.abs(fine - at).argmin())
    if own is not None:
        edges = edges[(edges[:, 0] <= own) & (own < edges[:, 1])]
    if not len(edges):
        place = int(size.argmin()) if own is None else own
        turned = np.conj(seen[place]) / size[place]
        slope = -weights[place] * turned
        return most - float(size[place]), np.stack([slope.real, -slope.imag])
    found = []
    for first, last in edges:
        low, by_low = _edge(fine, weights, seen, most, first - 1, first) if first else (fine[0], 0.0 * weights[0])
        high, by_high = _edge(fine, weights, seen, most, last, last - 1) if last < len(fine) else (fine[-1], 0.0)
        found.append((float(high - low) / span, (by_high - by_low) / span))
    width, slope = max(found, key=lambda one: one[0])
    return width, np.stack([slope.real, -slope.imag])


def _edge(
    fine: Floats, weights: Floats, seen: Complexes, most: float, outer: int, inner: int
) -> tuple[float, Complexes]:  # fmt: skip
    """Where |seen| is `most` between two places, and how that changes with the values.

    Of that the real part goes with the real ones, less the imaginary part with the imaginary ones.
    """
    size = np.abs(seen[[outer, inner]]) ** 2
    share = float((size[0] - most**2) / (size[0] - size[1]))
    rise = (size[0] - size[1]) / (fine[outer] - fine[inner])
    mixed = (1.0 - share) * weights[outer] + share * weights[inner]
    there = (1.0 - share) * seen[outer] + share * seen[inner]
    return float(fine[outer] + share * (fine[inner] - fine[outer])), -2.0 * np.conj(there) * mixed / rise


@lru_cache(maxsize=16)
def _spline(frequencies: tuple[float, ...]) -> tuple[Floats, Floats]:
    """Places between frequencies (m,), and what takes values at these to there (m, n)."""
    from scipy.interpolate import CubicSpline

    count = len(frequencies)
    fine = np.interp(np.linspace(0.0, count - 1.0, _FINE * (count - 1) + 1), range(count), frequencies)
    return fine, CubicSpline(frequencies, np.eye(len(frequencies)))(fine)
