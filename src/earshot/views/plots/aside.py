"""A list beside a drawing of many curves: how each is drawn, what it is called, and what is read off it."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from dataclasses import dataclass

from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D

from .style import INK

FEW = 3
"""So many curves are named and read off where they are; more in a list beside them."""
_LEFT, _TOP, _FOOT, _SAMPLE = 0.725, 0.885, 0.075, 0.035
_LARGEST, _LEAST = 10.0, 6.0
_WIDE, _TALL, _SMALLER = 0.64, 1.32, 0.86


@dataclass(frozen=True, slots=True)
class Entry:
    """A curve of the list: its pen, its name, and what is read off it, a line each."""

    colour: str
    dash: object
    name: str
    told: Sequence[str] = ()
    marker: str = ""


def make_room(axes: Sequence[Axes]) -> None:
    """Axes that filled the sheet leave the right of it to the list."""
    places = [one.get_position() for one in axes]
    left = min(place.x0 for place in places)
    share = (_LEFT - 0.02 - left) / (max(place.x1 for place in places) - left)
    for one, place in zip(axes, places, strict=True):
        one.set_position((left + share * (place.x0 - left), place.y0, share * place.width, place.height))


def list_aside(figure: Figure, entries: Sequence[Entry], left: float = _LEFT) -> None:
    """Write the list as large as there is room; names fold, and what is told is left out where nothing else helps."""
    wide, tall = (72.0 * size for size in figure.get_size_inches())
    width = (0.99 - left - _SAMPLE) * wide
    size = _LARGEST
    while size > _LEAST and _height(entries, size, width) > (_TOP - _FOOT) * tall:
        size -= 0.25
    bare = _height(entries, size, width) > (_TOP - _FOOT) * tall
    y = _TOP
    for one in entries:
        rows = _folded(one.name, size, width)
        step = _TALL * size / tall
        across, level = [left, left + _SAMPLE - 0.007], [y - 0.5 * step] * 2
        sample = Line2D(across, level, color=one.colour, marker=one.marker, transform=figure.transFigure)
        sample.set(linestyle=one.dash, linewidth=2.0, markersize=4)
        figure.add_artist(sample)
        for row in rows:
            figure.text(left + _SAMPLE, y, row, color=one.colour, fontsize=size, fontweight="bold", va="top")
            y -= step
        for row in () if bare else [r for t in one.told for r in _folded(t, _SMALLER * size, width)]:
            figure.text(left + _SAMPLE, y, row, color=INK, fontsize=_SMALLER * size, va="top")
            y -= _SMALLER * step
        y -= 0.35 * step


def _folded(text: str, size: float, width: float) -> list[str]:
    return textwrap.wrap(text, max(int(width / (_WIDE * size)), 8)) or [""]


def _height(entries: Sequence[Entry], size: float, width: float) -> float:
    """Of the list in points."""
    names = sum(len(_folded(one.name, size, width)) + 0.35 for one in entries)
    told = sum(len(_folded(t, _SMALLER * size, width)) for one in entries for t in one.told)
    return _TALL * size * (names + _SMALLER * told)
