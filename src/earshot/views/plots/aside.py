"""A list beside a drawing of many curves: how each is drawn, what it is called, and what is read off it."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from dataclasses import dataclass, replace

from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D

from .style import INK

FEW = 3
"""So many curves are named and read off where they are; more in a list beside them."""
_LEFT, _TOP, _FOOT, _SAMPLE = 0.725, 0.885, 0.075, 0.035
_LARGEST, _LEAST = 10.0, 6.0
_WIDE, _TALL, _SMALLER, _BETWEEN = 0.64, 1.32, 0.86, 0.35


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
    """Write the list as large as there is room.

    Names fold; where nothing else helps, what is told is left out, then names are cut short, then the last of them.
    """
    wide, tall = (72.0 * size for size in figure.get_size_inches())
    width, room = (0.99 - left - _SAMPLE) * wide, (_TOP - _FOOT) * tall
    size = _LARGEST
    while size > _LEAST and _height(entries, size, width) > room:
        size -= 0.25
    if _height(entries, size, width) > room:
        entries = [replace(one, told=()) for one in entries]
    if _height(entries, size, width) > room:
        entries = [replace(one, name=_cut_short(one.name, size, width)) for one in entries]
    most = int(room / (_TALL * size * (1.0 + _BETWEEN)))
    y, step = _TOP, _TALL * size / tall
    for one in entries if len(entries) <= most else entries[: most - 1]:
        across, level = [left, left + _SAMPLE - 0.007], [y - 0.5 * step] * 2
        sample = Line2D(across, level, color=one.colour, marker=one.marker, transform=figure.transFigure)
        sample.set(linestyle=one.dash, linewidth=2.0, markersize=4)
        figure.add_artist(sample)
        for row in _folded(one.name, size, width):
            figure.text(left + _SAMPLE, y, row, color=one.colour, fontsize=size, fontweight="bold", va="top")
            y -= step
        for row in (r for t in one.told for r in _folded(t, _SMALLER * size, width)):
            figure.text(left + _SAMPLE, y, row, color=INK, fontsize=_SMALLER * size, va="top")
            y -= _SMALLER * step
        y -= _BETWEEN * step
    if len(entries) > most:
        figure.text(left + _SAMPLE, y, f"and {len(entries) - most + 1} more", color=INK, fontsize=size, va="top")


def _cut_short(name: str, size: float, width: float) -> str:
    """A name in one line: its beginning and its end, which tell most."""
    room = int(width / (_WIDE * size))
    return name if len(name) <= room else f"{name[: room - room // 3 - 1]}…{name[len(name) - room // 3 :]}"


def _folded(text: str, size: float, width: float) -> list[str]:
    return textwrap.wrap(text, max(int(width / (_WIDE * size)), 8)) or [""]


def _height(entries: Sequence[Entry], size: float, width: float) -> float:
    """Of the list in points."""
    names = sum(len(_folded(one.name, size, width)) + _BETWEEN for one in entries)
    told = sum(len(_folded(t, _SMALLER * size, width)) for one in entries for t in one.told)
    return _TALL * size * (names + _SMALLER * told)
