"""Directions that a beam is scanned through: from where an array faces, towards an axis."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Floats
from ..errors import UsageError
from ..fields.directions import angles_of, unit_vectors
from .layouts import Layout


def directions(
    facing: ArrayLike, along: ArrayLike, angles: ArrayLike | None, widest: float
) -> Iterator[tuple[float, float, float]]:
    """Angle, deg, θ and φ of every direction: from facing (x, y, z) towards along, made square to one another.

    angles: every 5 up to the widest either way unless given. Raises UsageError when the two are one direction.
    """
    front, side = (np.asarray(v, float) / np.linalg.norm(v) for v in (facing, along))
    side = side - (side @ front) * front
    if np.linalg.norm(side) < 1e-6:
        raise UsageError("scan: facing and along are one direction: give two")
    side /= np.linalg.norm(side)
    for angle in np.arange(-widest, widest + 1.0, 5.0) if angles is None else np.asarray(angles, float):
        turn = math.radians(angle)
        theta, phi = (float(x) for x in angles_of(math.cos(turn) * front + math.sin(turn) * side))
        yield float(angle), theta, phi


def axes_of(layout: Layout, peak: tuple[float, float]) -> Floats:
    """Axes (3, 3), a column each, that an array with a beam towards (θ, φ), rad, is looked at in: it faces the third.

    A flat one faces along its normal, on the beam's side, a line where the beam comes nearest to square to it; one that
    is neither, or whose beam lies flat in it, faces the beam. Elements in the x-y plane that face up keep x and y.
    """
    beam = unit_vectors(np.array(peak[0]), np.array(peak[1]))
    off = layout.positions - layout.positions.mean(axis=0)
    _, spread, own = np.linalg.svd(off, full_matrices=False)
    rank = int((spread > 1e-9 * max(float(spread[0]), 1e-30)).sum()) if len(layout) > 1 else 0
    front = beam
    if rank == 1:
        line = own[0] * np.sign(own[0][np.abs(own[0]).argmax()])
        front = beam - (beam @ line) * line
        if np.linalg.norm(front) < 1e-3:
            # End-fire: any direction square to the line will do.
            front = np.eye(3)[np.abs(line).argmin()]
            front = front - (front @ line) * line
        front /= np.linalg.norm(front)
        # Along x where it is one's, and upright or aside along y otherwise.
        first = line if np.abs(line).argmax() == 0 else np.cross(line, front)
        return _tidy(np.stack([first, np.cross(front, first), front], axis=1))
    if rank == 2 and abs(own[2] @ beam) > 0.3:
        front = own[2] * np.sign(own[2] @ beam)
    level = np.eye(3)[0] if abs(front[2]) > 0.9 else np.cross(np.eye(3)[2], front)
    first = level - (level @ front) * front
    first /= np.linalg.norm(first)
    return _tidy(np.stack([first, np.cross(front, first), front], axis=1))


def _tidy(axes: Floats) -> Floats:
    """Without rounding where axes are those of the world."""
    return np.asarray(np.where(np.abs(axes - np.round(axes)) < 1e-9, np.round(axes), axes)) + 0.0


def facing_of(layout: Layout, peak: tuple[float, float]) -> tuple[Floats, Floats]:
    """Where an array faces, as `axes_of` says, and which of the two other axes its elements are spread over more."""
    axes = axes_of(layout, peak)
    spread = np.ptp(layout.positions @ axes[:, :2], axis=0)
    return axes[:, 2], axes[:, int(spread[1] > spread[0] * (1.0 + 1e-9))]


def in_words(way: Floats) -> str:
    """A direction in words: an axis, or its three numbers."""
    axis = int(np.abs(way).argmax())
    if abs(way[axis]) > 1.0 - 1e-6:
        return f"{'' if way[axis] > 0.0 else '-'}{'xyz'[axis]}"
    return f"({', '.join(f'{c:.2g}' for c in way)})"
