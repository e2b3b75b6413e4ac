"""Heights of points over layers and in them: every one needs a table."""

from __future__ import annotations

import numpy as np

from ..arraytypes import Floats, Ints
from ..constants import SPEED_OF_LIGHT
from ..errors import UsageError
from ..media.stack import Stack

_MOST_HEIGHTS = 400
_CLOSE = 1e-8
"""Of a wavelength: heights no farther apart are one."""


def heights_over(stack: Stack, frequency: float, points: Floats) -> tuple[Floats, Ints]:
    """Heights over the topmost face that points (n, 3) have (h,), m, and which each has (n,); raises UsageError for too
    many.
    """
    close = _CLOSE * SPEED_OF_LIGHT / frequency
    steps_up, which = np.unique(
        np.round((points[:, 2] - stack.thickness) / close).astype(np.int64), return_inverse=True
    )
    _refuse_many(len(steps_up))
    return np.asarray(steps_up * close, float), np.ascontiguousarray(which.ravel().astype(np.int64))


def heights_in(stack: Stack, frequency: float, points: Floats) -> tuple[Floats, Ints]:
    """The same over z = 0, of points in layers; what is within a millionth of a face is on it."""
    faces, close = np.array(stack.faces), min(_CLOSE * SPEED_OF_LIGHT / frequency, 1e-3 * stack.thickness)
    nearest = np.argmin(np.abs(points[:, 2, None] - faces), axis=1)
    off = points[:, 2] - faces[nearest]
    # Counted from the face, and never none but on it: fields jump there, and none may fall on its other side.
    steps = np.sign(off) * np.maximum(np.round(np.abs(off) / close), 1.0)
    steps[np.abs(off) <= 1e-6 * stack.thickness] = 0.0
    kinds, which = np.unique(np.stack([nearest, steps], axis=1), axis=0, return_inverse=True)
    _refuse_many(len(kinds))
    heights = np.clip(faces[kinds[:, 0].astype(int)] + kinds[:, 1] * close, faces[0], faces[-1])
    return heights, np.ascontiguousarray(which.ravel().astype(np.int64))


def _refuse_many(heights: int) -> None:
    if heights > _MOST_HEIGHTS:
        raise UsageError(
            f"near field: the points have {heights} different heights, and each needs a table: "
            f"ask for points of no more than {_MOST_HEIGHTS} at once, on a grid"
        )
