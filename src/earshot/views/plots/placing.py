"""Words on a drawing where there is room for them: off the curves, off one another and within the axes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from matplotlib.text import Text
from matplotlib.transforms import offset_copy
from mpl_toolkits.mplot3d.art3d import Text3D
from mpl_toolkits.mplot3d.proj3d import proj_transform

from ...arraytypes import Floats
from .style import SOFT

_WIDE, _TALL = 0.64, 1.35
"""Of a letter, over the size of the writing."""
_AROUND = 7.0
_ROWS, _COLUMNS = 40, 9
_SPACING = 3.0


class Room:
    """What is taken of a pair of axes whose curves and limits are final; places in points from their lower left."""

    def __init__(self, axes: Axes) -> None:
        self._axes = axes
        self._scale = 72.0 / float(axes.get_figure(root=True).dpi)  # type: ignore[union-attr]
        corner = axes.get_window_extent()
        self._corner = np.array([corner.x0, corner.y0]) * self._scale
        self._size = np.array([corner.width, corner.height]) * self._scale
        self._curves = self._drawn()
        self._taken: list[Floats] = []

    def put(self, text: str, at: tuple[float, float], *, size: float = 9.0, **how: Any) -> None:
        """Write something as near to a place (data, as fractions of the axes where `how` says so) as there is room."""
        transform = self._axes.transAxes if how.pop("of_axes", False) else self._axes.transData
        anchor = transform.transform(at) * self._scale - self._corner
        half = np.array([_WIDE * size * max(map(len, text.split("\n"))), _TALL * size * (1 + text.count("\n"))]) / 2.0
        shifts = self._shifts(half)
        middles = np.clip(anchor + shifts, half + 1.0, np.maximum(self._size - half - 1.0, half + 1.0))
        cost = np.linalg.norm(middles - anchor, axis=1) + 1e3 * self._hits(middles, half)
        middle = middles[int(cost.argmin())]
        self._taken.append(np.concatenate([middle - half, middle + half]))
        place = self._axes.transAxes.inverted().transform((middle + self._corner) / self._scale)
        x, y = place.tolist()
        style: dict[str, Any] = {"ha": "center", "va": "center", "fontsize": size, "bbox": SOFT} | how
        self._axes.text(x, y, text, transform=self._axes.transAxes, **style)

    @staticmethod
    def _shifts(half: Floats) -> Floats:
        """Where else it may stand: rows over and under, and columns aside."""
        up = np.concatenate([sign * (half[1] + _SPACING + half[1] * np.arange(_ROWS)) for sign in (1.0, -1.0)])
        across = np.linspace(-1.0, 1.0, _COLUMNS) * (half[0] + _AROUND)
        return np.stack(np.meshgrid(across, up), axis=-1).reshape(-1, 2)

    def _hits(self, middles: Floats, half: Floats) -> Floats:
        """How many words and pieces of curves lie under each place."""
        found = np.zeros(len(middles))
        for box in self._taken:
            apart = np.maximum(box[:2] - (middles + half), (middles - half) - box[2:])
            found += 100.0 * (apart.max(axis=1) < 1.0)
        if len(self._curves):
            off = np.abs(self._curves[None, :, :] - middles[:, None, :])
            found += (off < half + 1.0).all(axis=2).sum(axis=1)
        return found

    def _drawn(self) -> Floats:
        """Points along the curves, closer together than letters are wide."""
        found: list[Floats] = []
        for line in self._axes.lines:
            xy: Sequence[Any] = line.get_data()
            if len(xy[0]) < 2 or line.get_linestyle() in ("None", ":") or line.get_transform() != self._axes.transData:
                continue
            path = line.get_transform().transform(np.column_stack(xy).astype(float)) * self._scale - self._corner
            path = path[np.isfinite(path).all(axis=1)]
            path = path[(np.abs(path) < 1e5).all(axis=1)]
            if len(path) < 2:
                continue
            along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))])
            every = np.linspace(0.0, along[-1], min(int(along[-1] / _SPACING) + 2, 2000))
            found.append(np.column_stack([np.interp(every, along, path[:, i]) for i in (0, 1)]))
        return np.concatenate(found) if found else np.zeros((0, 2))


def spread(figure: Figure, axes: Any) -> None:
    """Move words of a drawing, flat or in space, that stand on one another; those turned stay where they are.

    Where that is not enough, all are written smaller.
    """
    renderer = FigureCanvasAgg(figure).get_renderer()  # type: ignore[no-untyped-call]
    figure.draw_without_rendering()
    # Words along lines belong there, and signs such as single letters are easily moved.
    texts = sorted(axes.texts, key=lambda t: (t.get_rotation() % 180.0 == 0.0, -len(t.get_text())))
    for size in (None, *_SMALLER):
        for text in texts if size is not None else ():
            text.set_fontsize(min(size or 0.0, text.get_fontsize()))
        shifts, clear = _moves([_seen(text, renderer) for text in texts])
        if clear:
            break
    for text, shift in zip(texts, shifts, strict=True):
        if shift.any():
            x, y = shift * 72.0 / figure.dpi
            text.set_transform(offset_copy(text.get_transform(), figure, x, y, units="points"))


def _moves(boxes: Sequence[Floats]) -> tuple[list[Floats], bool]:
    """How far words are moved to be clear of those before them, px, and whether all are."""
    taken: list[Floats] = []
    shifts: list[Floats] = []
    every = True
    for box in boxes:
        aside = _SHIFTS * (box[2:] - box[:2] + _GAP)
        clear = [not any(_overlap(box + np.tile(shift, 2), one) for one in taken) for shift in aside]
        best = min(aside[clear], key=lambda shift: float(np.hypot(*shift)), default=aside[0])
        every &= any(clear)
        taken.append(box + np.tile(best, 2))
        shifts.append(best)
    return shifts, every


_SMALLER = (7.5, 6.0)
_GAP = 3.0
_STEPS = np.array([0.0, 0.3, -0.3, 0.6, -0.6, 1.0, -1.0, 1.6, -1.6, 2.2, -2.2])
_SHIFTS = np.stack(np.meshgrid(_STEPS[:7], _STEPS), axis=-1).reshape(-1, 2)


def _overlap(one: Floats, two: Floats) -> bool:
    return bool((np.minimum(one[2:], two[2:]) - np.maximum(one[:2], two[:2]) > 0.0).all())


def _seen(text: Any, renderer: Any) -> Floats:
    """The corners of a text on the sheet, px; of one in space where it is seen."""
    if not isinstance(text, Text3D):
        return np.asarray(text.get_window_extent(renderer).extents)
    x, y, _ = proj_transform(*text.get_position_3d(), text.axes.get_proj())
    flat = Text(float(x), float(y), text.get_text())
    flat.update_from(text)
    flat.set_figure(text.get_figure())
    flat.set_transform(text.get_transform())
    return np.asarray(flat.get_window_extent(renderer).extents)
