"""Tapers over ports wherever they are: those that a page offers."""

from __future__ import annotations

import numpy as np

from ...arrays.tapers import line_taper, round_taper
from ...arraytypes import Floats

_ON_LINES: dict[str, tuple[str, dict[str, float]]] = {
    "Taylor, -25 dB": ("taylor", {"side_lobe": 25.0}),
    "Chebyshev, -25 dB": ("chebyshev", {"side_lobe": 25.0}),
    "cosine, edge -10 dB": ("cosine", {"edge": -10.0}),
    "binomial": ("binomial", {}),
}
_SAME = 1e-6


def tapers_over(places: Floats) -> dict[str, list[float]]:
    """Amplitudes at places (n, 3), by name: one taper times another where they fill a lattice along the axes, else of
    the distance from their middle.
    """
    found = {"uniform": [1.0] * len(places)}
    counts = _lattice(places)
    for name, (kind, options) in _ON_LINES.items():
        if counts is not None:
            amplitudes = np.ones(len(places))
            for own, count in counts:
                amplitudes = amplitudes * line_taper(kind, count, **options)[own]
        elif kind in ("chebyshev", "binomial"):
            continue
        else:
            off = np.linalg.norm(places - places.mean(axis=0), axis=1)
            closest = np.diff(np.unique(np.round(off, 9))).min(initial=off.max())
            amplitudes = round_taper(kind, off / (off.max() + 0.5 * closest), **options)
        found[name] = amplitudes.tolist()
    return found


def _lattice(places: Floats) -> list[tuple[np.ndarray, int]] | None:
    """Which of how many along every axis that they spread over, if these make a full lattice."""
    size = float(np.ptp(places, axis=0).max())
    axes = []
    for along in places.T:
        steps, own = np.unique(np.round(along / (_SAME * size)), return_inverse=True)
        if len(steps) > 1:
            axes.append((own, len(steps)))
    return axes if np.prod([count for _, count in axes]) == len(places) else None
