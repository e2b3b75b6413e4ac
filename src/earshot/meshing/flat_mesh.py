"""Triangles on flat areas: a grid where the outline is a rectangle, else points of a wanted spacing, joined."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from shapely import Polygon, contains_xy, get_coordinates

from ..arraytypes import Bools, Floats, Ints

_GROWTH = 0.4
_ROUNDS = 12
_ROWS = 2000
_SAME = 1e-9
"""How far off places of areas that are alike may be, over their size."""


def grid_mesh(u: Floats, v: Floats) -> tuple[Floats, Ints]:
    """Vertices (n, 2) and triangles of a grid of cuts in two directions; diagonals alternate."""
    places = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2)
    i, j = (x.ravel() for x in np.meshgrid(np.arange(len(u) - 1), np.arange(len(v) - 1), indexing="ij"))
    a = i * len(v) + j
    b, c, d = a + len(v), a + len(v) + 1, a + 1
    even = ((i + j) % 2 == 0)[:, None, None]
    falling = np.stack([np.stack([a, b, d], axis=1), np.stack([b, c, d], axis=1)], axis=1)
    rising = np.stack([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)], axis=1)
    return places, np.where(even, rising, falling).reshape(-1, 3)


class Divided(NamedTuple):
    """An area divided: what it was made from, and what it became, places from the chain's first."""

    outline: Floats
    chain: Floats
    links: Ints
    most: float
    inner: Floats
    triangles: Ints
    lost: Ints

    def is_like(self, outline: Floats, chain: Floats, links: Ints, most: float) -> bool:
        """Whether another one is the same, but for where it is."""
        if (outline.shape, chain.shape, links.shape) != (self.outline.shape, self.chain.shape, self.links.shape):
            return False
        slack = _SAME * float(np.ptp(chain, axis=0).max())
        return (
            most == self.most
            and bool((np.abs(chain - self.chain) <= slack).all() and (np.abs(outline - self.outline) <= slack).all())
            and np.array_equal(links, self.links)
        )


def area_mesh(
    area: Polygon, chain: Floats, links: Ints, most: float, known: list[Divided]
) -> tuple[Floats, Ints, Ints]:
    """Vertices (n, 2), the chain's first, triangles, and which links are not edges of them.

    chain (k, 2): points on the outline and on lines that must be edges. links (l, 2): the edges between them. most:
    greatest spacing inside; near the chain it is the chain's own. known: areas divided before, to which this one is
    added: elements of an array are divided alike.
    """
    start = chain[0]
    shape = get_coordinates(area) - start, chain - start, links, most
    for other in known:
        if other.is_like(*shape):
            return np.concatenate([chain, start + other.inner]), other.triangles, other.lost
    vertices, triangles, lost = _divided(area, chain, links, most)
    known.append(Divided(*shape, vertices[len(chain) :] - start, triangles, lost))
    return vertices, triangles, lost


def _divided(area: Polygon, chain: Floats, links: Ints, most: float) -> tuple[Floats, Ints, Ints]:
    from scipy.spatial import Delaunay, cKDTree

    lengths = np.linalg.norm(chain[links[:, 0]] - chain[links[:, 1]], axis=1)
    total, times = (
        np.bincount(links.ravel(), weights, minlength=len(chain)) for weights in (np.repeat(lengths, 2), None)
    )
    own = total / np.maximum(times, 1)
    tree = cKDTree(chain)
    near = min(8, len(chain))

    def wanted(points: Floats, beyond: float = most) -> Floats:
        # Beyond this the chain does not matter; what is not found is infinitely far.
        distance, which = tree.query(points, range(1, near + 1), distance_upper_bound=1.01 * beyond / _GROWTH)
        size = own[np.minimum(which, len(own) - 1)] + _GROWTH * distance
        return np.asarray(np.minimum(most, size.min(axis=1)))

    inner = _scattered(area, chain, links, wanted, most)
    points = np.concatenate([chain, inner])
    for turn in range(_ROUNDS if len(inner) else 1):
        if turn == _ROUNDS - 1:
            points = np.concatenate([chain, _outside_circles(points[len(chain) :], chain, links)])
        faces = Delaunay(points).simplices if len(points) > 2 else np.zeros((0, 3), np.int64)
        corners = points[faces]
        centre = corners.mean(axis=1)
        double = _cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        keep = contains_xy(area, centre) & (np.abs(double) > 1e-7 * np.ptp(corners, axis=1).max(axis=1) ** 2)
        faces, centre, double = faces[keep], centre[keep], double[keep]
        if turn == _ROUNDS - 1 or not len(inner):
            break
        # Every inner point goes to the middle of its triangles, the finer ones counting for more.
        weight = np.abs(double) / wanted(centre) ** 2
        sums = np.zeros((len(points), 3))
        for c in range(3):
            np.add.at(sums, faces[:, c], np.column_stack([weight[:, None] * centre, weight]))
        moved = sums[:, :2] / np.maximum(sums[:, 2:], 1e-300)
        points[len(chain) :] = np.where(sums[len(chain) :, 2:] > 0.0, moved[len(chain) :], points[len(chain) :])
    faces = np.where((double > 0.0)[:, None], faces, faces[:, ::-1]).astype(np.int64)
    edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    n = len(points)
    there = np.isin(np.sort(links, axis=1) @ [n, 1], edges @ np.array([n, 1]))
    used, numbers = np.unique(np.concatenate([np.arange(len(chain)), faces.ravel()]), return_inverse=True)
    return points[used], numbers[len(chain) :].reshape(-1, 3), np.flatnonzero(~there)


def _cross(a: Floats, b: Floats) -> Floats:
    return np.asarray(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])


def _scattered(
    area: Polygon, chain: Floats, links: Ints, wanted: Callable[[Floats, float], Floats], most: float
) -> Floats:
    """Points inside, about as far apart as wanted: lattices from fine to coarse, each where its spacing is right."""
    from scipy.spatial import cKDTree

    low_x, low_y, high_x, high_y = area.bounds
    one, two = chain[links[:, 0]], chain[links[:, 1]]
    finest = float(np.linalg.norm(one - two, axis=1).min())
    levels = max(0, math.ceil(math.log2(most / finest)))
    kept: Floats = np.zeros((0, 2))
    for level in range(levels, -1, -1):
        step = most / 2.0**level
        if (high_x - low_x) * (high_y - low_y) / step**2 > 4e6:
            continue
        rows = np.arange(low_y + step / 2.0, high_y, step * math.sqrt(3.0) / 2.0)
        columns = np.arange(low_x, high_x + step, step)
        x = columns + (step / 2.0) * (np.arange(len(rows)) % 2)[:, None]
        points = np.stack([x, np.broadcast_to(rows[:, None], x.shape)], axis=-1).reshape(-1, 2)
        points = points[contains_xy(area, points)]
        # Finer points are none where the spacing is larger, so that nobody asks how large.
        size = wanted(points, min(most, 1.5 * step) if level else most) if len(points) else np.zeros(0)
        fits = (size >= 0.75 * step) & ((size < 1.5 * step) | (level == 0))
        points, size = points[fits], size[fits]
        points = points[_clear(points, one, two, 0.6 * size)]
        if len(kept) and len(points):
            points = points[cKDTree(kept).query(points)[0] > 0.75 * step]
        kept = np.concatenate([kept, points])
    return kept


def _outside_circles(points: Floats, chain: Floats, links: Ints) -> Floats:
    """The points in no circle on a link as its diameter: a link whose circle is empty is an edge of Delaunay's."""
    one, two = chain[links[:, 0]], chain[links[:, 1]]
    parts = [points[first : first + _ROWS, None] for first in range(0, len(points), _ROWS)]
    outside = [(np.einsum("pli,pli->pl", one - part, two - part) > 0.0).all(axis=1) for part in parts]
    return np.asarray(points[np.concatenate(outside)]) if parts else points


def _clear(points: Floats, one: Floats, two: Floats, least: Floats) -> Bools:
    """Which points are at least so far from every link."""
    along = two - one
    square = np.einsum("ij,ij->i", along, along)
    clear = np.ones(len(points), bool)
    for first in range(0, len(points), _ROWS):
        part = slice(first, first + _ROWS)
        offset = points[part, None] - one
        share = np.clip(np.einsum("pli,li->pl", offset, along) / square, 0.0, 1.0)
        distance = np.linalg.norm(offset - share[..., None] * along, axis=2).min(axis=1)
        clear[part] = distance >= least[part]
    return clear
