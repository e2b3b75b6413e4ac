"""Vertices of curved sheets: new ones go onto the surface, then all go out by as much as flat triangles lie inside it.

Triangles with their corners on a ball are inside it; with corners pushed out by the mean depth, each in its own
neighbourhood, they enclose the same volume, and where a wire stands and they are small the metal is where it is drawn.
"""

from __future__ import annotations

import numpy as np

from ..arraytypes import Bools, Floats, Ints
from ..description.round_shapes import Round
from ..description.surfaces import Surface


def halfway(surface: Surface, one: Floats, two: Floats) -> tuple[Floats, Bools]:
    """Places (n, 3) on a surface halfway between pairs of places on it, and (n,) which are not on the straight line."""
    a, b = surface.to_local(one), surface.to_local(two)
    out = surface.shape.halfway(a, b)
    return surface.to_space(out), np.linalg.norm(out - (a + b) / 2.0, axis=1) > 0.0


def pushed(places: Floats, triangles: Ints, sheet: Ints, surfaces: tuple[Surface, ...], pinned: Bools) -> Floats:
    """Vertices (n, 3) for places on surfaces: out along the normal by the mean depth of the triangles round each.

    Over a triangle the depth of its sides below a quadratic surface is on average a 24th of the sum over its sides
    of side · (change of the unit normal along it). Where surfaces meet the mean of what each wants is taken. Pinned
    places (n,) stay.
    """
    shift, count = np.zeros_like(places), np.zeros(len(places))
    for number, surface in enumerate(surfaces):
        if not isinstance(surface.shape, Round):
            continue
        own = triangles[sheet == number]
        depth, ways = _depth(surface.shape, surface.to_local(places), own)
        touched = depth > 0.0
        shift[touched] += (depth[touched, None] * ways[touched]) @ surface.axes.T
        count[touched] += 1.0
    shift[pinned] = 0.0
    return np.asarray(places + shift / np.maximum(count, 1.0)[:, None])


def _bend(place: Floats, normal: Floats) -> Floats:
    """side · (change of the unit normal) for sides (..., 2, 3), so that a polygon gets the area of its circle.

    Chords of an angle t round a circle of radius r have 2r (1 - cos t) and are to be pushed out by a 12th: to first
    order that makes the areas equal, which √(t / sin t) does for any t.
    """
    side, turn = place[..., 1, :] - place[..., 0, :], normal[..., 1, :] - normal[..., 0, :]
    angle = 2.0 * np.arcsin(np.minimum(np.linalg.norm(turn, axis=-1) / 2.0, 0.9))
    angle = np.maximum(angle, 1e-3)
    exact = 6.0 * (np.sqrt(angle / np.sin(angle)) - 1.0) / (1.0 - np.cos(angle))
    return np.asarray((side * turn).sum(axis=-1) * exact)


def _depth(shape: Round, local: Floats, own: Ints) -> tuple[Floats, Floats]:
    """How deep (n,) the triangles round each place lie below a round shape, and the way out (n, 3).

    In a flat one it is how deep chords lie inside their circles.
    """
    ways = shape.ways_out(local)
    own = own[shape.curved(local[own].reshape(-1, 3)).reshape(-1, 3).all(axis=1)]
    x, n = local[own], ways[own]
    cross = np.linalg.norm(np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0]), axis=1)
    depth = sum(_bend(x[:, pair], n[:, pair]) for pair in ([0, 1], [1, 2], [2, 0])) / 24.0
    total, area = np.zeros(len(local)), np.zeros(len(local))
    for corner in own.T:
        np.add.at(total, corner, cross * depth)
        np.add.at(area, corner, cross)
    depth = total / np.maximum(area, 1e-300)
    return (_at_rims(local, own, ways, depth) if shape.flat else depth), ways


def _at_rims(local: Floats, own: Ints, ways: Floats, depth: Floats) -> Floats:
    """The same depth (n,), but at the edges of a flat surface that of their own chords."""
    sides = np.sort(np.concatenate([own[:, [0, 1]], own[:, [1, 2]], own[:, [2, 0]]]), axis=1)
    unique, times = np.unique(sides, axis=0, return_counts=True)
    rim = unique[times == 1]
    chords = _bend(local[rim], ways[rim]) / 12.0
    total, count = np.zeros(len(local)), np.zeros(len(local))
    for corner in rim.T:
        np.add.at(total, corner, chords)
        np.add.at(count, corner, 1.0)
    return np.where(count > 0.0, total / np.maximum(count, 1.0), depth)
