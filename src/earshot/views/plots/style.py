"""The look of every figure: warm paper, dark ink, five line colours that survive grey printing and colour blindness."""

from __future__ import annotations

import textwrap
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import PurePath
from typing import Any

import matplotlib as mpl
import numpy as np
from cycler import cycler
from matplotlib.axes import Axes
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.figure import Figure
from matplotlib.path import Path
from matplotlib.text import Text
from matplotlib.ticker import MaxNLocator

from ...lettering import visible
from ..palette import SHORE_STEPS

PAPER, INK, FAINT, GRID = "#fbf9f4", "#22303c", "#6f7d88", "#d9d4c7"
LINES = ("#0a6c74", "#d1740b", "#7a3b69", "#4f7f2b", "#b3362b")
DASHES = ("-", (0, (6, 2)), (0, (2, 1.5)), (0, (8, 2, 2, 2)), (0, (1, 1)))
SHORE = LinearSegmentedColormap.from_list("shore", SHORE_STEPS)
PORT = Path(
    [(-0.12, 1.0), (-1.0, 0.0), (-0.12, -1.0), (-0.12, 1.0), (0.12, 1.0), (1.0, 0.0), (0.12, -1.0), (0.12, 1.0)],
    [Path.MOVETO, Path.LINETO, Path.LINETO, Path.CLOSEPOLY] * 2,
)
"""The sign of a port: a lozenge with a gap in it."""
PORT_COLOUR = LINES[1]
SOFT = {"facecolor": PAPER, "edgecolor": "none", "alpha": 0.8, "pad": 0.8}
"""What lies behind a word among curves."""

_RULES = {
    "figure.facecolor": PAPER,
    "axes.facecolor": PAPER,
    "savefig.facecolor": PAPER,
    "text.color": INK,
    "axes.labelcolor": INK,
    "axes.edgecolor": FAINT,
    "axes.titlecolor": INK,
    "xtick.color": INK,
    "xtick.major.pad": 6.0,
    "ytick.color": INK,
    "axes.grid": True,
    "grid.color": GRID,
    "grid.linewidth": 0.8,
    "axes.spines.top": False,
    "axes.spines.right": False,
    "font.size": 11,
    "axes.titlesize": 14,
    "axes.titleweight": "bold",
    "axes.titlelocation": "left",
    "lines.linewidth": 2.2,
    "legend.frameon": False,
    "svg.fonttype": "none",
}


@contextmanager
def look() -> Iterator[None]:
    """Draw with the house style, leaving the caller's own settings alone."""
    rules: Any = _RULES | {"axes.prop_cycle": cycler(color=LINES) + cycler(linestyle=DASHES)}
    with mpl.rc_context(rules):
        yield


_UNDATED: dict[str, dict[str, None]] = {".svg": {"Date": None}, ".pdf": {"CreationDate": None}}


class _Sheet(Figure):
    """A figure whose words are shown as they are written: names are neither formulas nor orders.

    What is drawn twice makes the same file twice.
    """

    def savefig(self, fname: Any, **options: Any) -> None:
        undated = _UNDATED.get(PurePath(str(fname)).suffix, {})
        options["metadata"] = undated | (options.get("metadata") or {})
        with mpl.rc_context({"svg.hashsalt": "earshot"}):
            super().savefig(fname, **options)

    def draw(self, renderer: Any) -> None:
        for text in self._words():
            text.set_parse_math(False)
            text.set_text(visible(text.get_text()))
        super().draw(renderer)

    def _words(self) -> Iterator[Text]:
        """Titles, labels, legends and remarks; what stands at ticks is Matplotlib's own."""
        yield from self.texts
        for axes in self.axes:
            yield from axes.texts
            yield from (axes.title, axes.xaxis.label, axes.yaxis.label)
            legend = axes.get_legend()
            yield from legend.get_texts() if legend is not None else ()


def pen(number: int) -> tuple[str, object]:
    """Colour and dash of the curve of that number; no two of the first twenty-five have both alike."""
    turn = number // len(LINES)
    return LINES[number % len(LINES)], DASHES[(number + turn) % len(DASHES)]


def mark(number: int) -> str:
    """The mark on curves that dashes do not tell apart: none on as many as there are colours, then one each turn."""
    return ("", "s", "v", "P", "D")[number // len(LINES) % 5]


def sheet() -> Figure:
    """An empty figure that needs no display."""
    return _Sheet(figsize=(10.0, 6.25), dpi=128)


def length_unit(size: float) -> tuple[float, str]:
    """What lengths in metres are multiplied by on axes of a drawing so large, and the unit that makes."""
    return (1e3, "mm") if size < _SMALL else (1.0, "m")


_SMALL = 0.7


def few_ticks(axes: Axes, wide: float, tall: float) -> None:
    """As many ticks along the foot as a drawing to scale, so wide and so tall, has room for."""
    axes.xaxis.set_major_locator(MaxNLocator(int(np.clip(5.0 * wide / tall, 1, 5))))


def flat_axes(figure: Figure) -> Axes:
    """One pair of straight axes between the heading and the foot."""
    return figure.add_axes((0.085, 0.155, 0.885, 0.735))


_FOOT = 150
"""Letters in a line at the foot."""


def heading(figure: Figure, title: str, foot: str) -> None:
    """Title at the upper left; at the foot, what the figure was made from."""
    figure.text(0.02, 0.975, title, ha="left", va="top", fontsize=15, fontweight="bold")
    size = 9 if len(foot) <= _FOOT else 8
    lines = textwrap.fill(foot, _FOOT if size == 9 else int(_FOOT * 9 / 8))
    figure.text(0.02, 0.012 if "\n" in lines else 0.018, lines, ha="left", va="bottom", fontsize=size, color=FAINT)


def legend_above(axes: Axes) -> None:
    """The legend above the axes at the right, in as many rows as it takes; the axes make room for them."""
    labels = axes.get_legend_handles_labels()[1]
    if len(labels) < 2:
        return
    # Many are written smaller.
    size = 11.0 if len(labels) <= 12 else 8.0
    columns = max(1, min(len(labels), int(115 * 11.0 / size / (max(map(len, labels)) + 7))))
    rows = -(-len(labels) // columns)
    place = axes.get_position()
    axes.set_position((place.x0, place.y0, place.width, place.height - 0.035 * size / 11.0 * (rows - 1)))
    axes.legend(loc="lower right", bbox_to_anchor=(1.0, 0.995), ncols=columns, borderaxespad=0.2, fontsize=size)
