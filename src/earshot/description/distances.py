"""How far places are from triangles."""

from __future__ import annotations

import numpy as np

from ..arraytypes import Floats


def triangle_distances(corners: Floats, places: Floats) -> Floats:
    """Distances of places (..., 3) from triangles (..., 3, 3), pair by pair: (...)."""
    a, b, c = (corners[..., i, :] for i in range(3))
    normal = np.cross(b - a, c - a)
    size = np.linalg.norm(normal, axis=-1)
    normal = normal / np.maximum(size, 1e-300)[..., None]
    off = ((places - a) * normal).sum(axis=-1)
    foot = places - off[..., None] * normal
    # A triangle of no area has no inside.
    inside = np.broadcast_to(size > 0.0, off.shape).copy()
    best = np.full(off.shape, np.inf)
    for p, q in ((a, b), (b, c), (c, a)):
        along = q - p
        inside &= (np.cross(along, foot - p) * normal).sum(axis=-1) >= -1e-12 * size
        share = np.clip(((places - p) * along).sum(axis=-1) / np.maximum((along**2).sum(axis=-1), 1e-300), 0.0, 1.0)
        best = np.minimum(best, np.linalg.norm(p + share[..., None] * along - places, axis=-1))
    return np.asarray(np.where(inside, np.abs(off), best))


def distances(corners: Floats, points: Floats) -> Floats:
    """Distance of every point (n, 3) from the nearest of the triangles (m, 3, 3): (n,)."""
    rows = max(1, 200_000 // max(len(corners), 1))
    parts = [points[i : i + rows, None] for i in range(0, len(points), rows)]
    return np.concatenate([np.zeros(0), *(triangle_distances(corners, part).min(axis=1) for part in parts)])
