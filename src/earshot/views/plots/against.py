"""Figures of merit against what was varied: curves one over another, or a map of two values."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from ... import units
from ...arraytypes import Floats
from ...errors import UnitError, UsageError
from ...studies.varying import Study
from .aside import FEW, Entry, list_aside, make_room
from .style import FAINT, PAPER, SHORE, flat_axes, heading, legend_above, look, mark, pen, sheet

_MOST = 4
_TALL, _MARGIN, _LETTERS = 0.735, 0.02, 60


def against(study: Study, *figures: str) -> Figure:
    """Figures against the first value that was varied, one drawing over another; a curve for every other change.

    figures: one to four of the study's. A hairline stands at what the design has. Raises UsageError for figures there
    are not, and where the first change is no quantity.
    """
    _known(study, figures)
    x, unit = numbers(study, study.changes[0])
    others = list(study.changes[1:])
    families = list(dict.fromkeys(tuple(row) for row in study.table[others].astype(str).to_numpy().tolist()))
    labels = [", ".join(f"{name} {text}" for name, text in zip(others, family, strict=True)) for family in families]
    with look():
        figure = sheet()
        drawn: list[Axes] = []
        for n, name in enumerate(figures):
            axes = flat_axes(figure)
            place, tall = axes.get_position(), (_TALL - 0.03 * (len(figures) - 1)) / len(figures)
            left = place.x0 + _MARGIN
            axes.set_position((left, place.y0 + (len(figures) - 1 - n) * (tall + 0.03), place.width - _MARGIN, tall))
            for number, family in enumerate(families):
                own = (
                    (study.table[others].astype(str) == list(family)).all(axis=1).to_numpy() if others else slice(None)
                )
                order = np.argsort(x[own], kind="stable")
                level = study.table[name].to_numpy(float)[own][order]
                colour, dash = pen(number)
                axes.plot(x[own][order], level, color=colour, linestyle=dash, marker=mark(number) or "o", markersize=4,
                          label=labels[number])  # fmt: skip
            if study.present.get(study.changes[0]):
                axes.axvline(_one(study.present[study.changes[0]], unit), color=FAINT, linewidth=1.0, linestyle=":")
            words = f"{name}, {study.units[name]}" if study.units[name] != "1" else name
            axes.set_ylabel(textwrap.fill(words, _LETTERS // len(figures)), fontsize=10 if len(figures) < _MOST else 9)
            if n + 1 < len(figures):
                axes.set_xticklabels([])
            drawn.append(axes)
        figure.align_ylabels(drawn)
        drawn[-1].set_xlabel(f"{study.changes[0]}, {unit}" if unit else study.changes[0])
        if len(families) > FEW:
            make_room(drawn)
            list_aside(figure, [Entry(*pen(i), label, marker=mark(i) or "o") for i, label in enumerate(labels)])
        elif others:
            legend_above(drawn[0])
        words = f"dotted: as the design is; {len(study.table)} variants" if study.present else ""
        heading(figure, f"{study.title}: against {study.changes[0]}", words)
    return figure


def over_two(study: Study, name: str) -> Figure:
    """A map of one figure over a grid of two values; raises UsageError where there is none."""
    _known(study, [name])
    if len(study.changes) != 2:
        raise UsageError(f"a map has two values; {len(study.changes)} were varied")
    (x, x_unit), (y, y_unit) = (numbers(study, change) for change in study.changes)
    across, up = np.unique(x), np.unique(y)
    if len(study.table) != len(across) * len(up) or min(len(across), len(up)) < 3:
        raise UsageError("a map needs a grid of three by three values at least")
    level = np.full((len(up), len(across)), np.nan)
    level[np.searchsorted(up, y), np.searchsorted(across, x)] = study.table[name].to_numpy(float)
    with look():
        figure = sheet()
        axes = figure.add_axes((0.09, 0.14, 0.74, 0.74))
        axes.grid(visible=False)
        drawn = axes.pcolormesh(across, up, level, cmap=SHORE, shading="gouraud")
        rungs = axes.contour(across, up, level, colors=PAPER, linewidths=0.8)
        axes.clabel(rungs, fontsize=9)
        bar = figure.colorbar(drawn, cax=figure.add_axes((0.87, 0.2, 0.018, 0.6)))
        bar.outline.set_visible(False)
        bar.set_label(f"{name}, {study.units[name]}" if study.units[name] != "1" else name)
        if all(study.present.get(change) for change in study.changes):
            here = [_one(study.present[c], u) for c, u in zip(study.changes, (x_unit, y_unit), strict=True)]
            axes.plot(*here, "D", markersize=8, markerfacecolor="none", color=PAPER, markeredgewidth=2)
        for setter, change, unit in ((axes.set_xlabel, 0, x_unit), (axes.set_ylabel, 1, y_unit)):
            setter(f"{study.changes[change]}, {unit}" if unit else study.changes[change])
        heading(figure, f"{study.title}: {name}", f"lozenge: as the design is; {len(study.table)} variants")
    return figure


def numbers(study: Study, change: str) -> tuple[Floats, str]:
    """What a change was, as numbers in the unit of its first text; raises UsageError where it is no quantity."""
    texts = study.table[change].astype(str).tolist()
    unit = texts[0].rpartition(" ")[2] if " " in texts[0] else ""
    try:
        return np.array([_one(text, unit) for text in texts]), unit
    except UnitError:
        raise UsageError(f"'{change}' is no quantity ({texts[0]}): name one first that is, to draw against") from None


def _one(text: str, unit: str) -> float:
    found = units.evaluate(text, wavelength=1.0, what="value")
    return found.si / units.evaluate(f"1 {unit}", wavelength=1.0, what="unit").si if unit else found.si


def _known(study: Study, figures: Sequence[str]) -> None:
    if not 1 <= len(figures) <= _MOST:
        raise UsageError(f"{len(figures)} figures; give one to {_MOST}")
    for name in figures:
        if name not in study.units:
            raise UsageError(f"there is no figure '{name}'; there are: {', '.join(study.units)}")
