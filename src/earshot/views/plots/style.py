"""The look of every figure: warm paper, dark ink, five line colours that survive grey printing and colour blindness."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import matplotlib as mpl
from cycler import cycler
from matplotlib.axes import Axes
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.figure import Figure

PAPER, INK, FAINT, GRID = "#fbf9f4", "#22303c", "#6f7d88", "#d9d4c7"
LINES = ("#0a6c74", "#d1740b", "#7a3b69", "#4f7f2b", "#b3362b")
DASHES = ("-", (0, (6, 2)), (0, (2, 1.5)), (0, (8, 2, 2, 2)), (0, (1, 1)))
SHORE = LinearSegmentedColormap.from_list("shore", ["#1b2a49", "#1f6f78", "#7fb685", "#f1d98a", "#d1740b"])

_RULES = {
    "figure.facecolor": PAPER,
    "axes.facecolor": PAPER,
    "savefig.facecolor": PAPER,
    "text.color": INK,
    "axes.labelcolor": INK,
    "axes.edgecolor": FAINT,
    "axes.titlecolor": INK,
    "xtick.color": INK,
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


def sheet() -> Figure:
    """An empty figure that needs no display."""
    return Figure(figsize=(10.0, 6.25), dpi=128)


def flat_axes(figure: Figure) -> Axes:
    """One pair of straight axes between the heading and the foot."""
    return figure.add_axes((0.085, 0.155, 0.885, 0.735))


def heading(figure: Figure, title: str, foot: str) -> None:
    """Title at the upper left; at the foot, what the figure was made from."""
    figure.text(0.02, 0.975, title, ha="left", va="top", fontsize=15, fontweight="bold")
    figure.text(0.02, 0.018, foot, ha="left", va="bottom", fontsize=9, color=FAINT)


def mark(axes: Axes, x: float, y: float, text: str, colour: str, *, above: bool = True) -> None:
    """A word beside a point of a curve, in the curve's colour, on whichever side of it there is room."""
    low, high = axes.get_xlim()
    share = (x - low) / (high - low)
    side = "left" if share < 0.3 else "right" if share > 0.7 else "center" if above else "left"
    axes.annotate(
        text,
        (x, y),
        xytext=(0 if above else 9, 14 if above else -16),
        textcoords="offset points",
        ha=side,
        color=colour,
        fontsize=10,
    )


def legend_above(axes: Axes, columns: int) -> None:
    """The legend above the axes at the right, out of the way of the curves."""
    axes.legend(loc="lower right", bbox_to_anchor=(1.0, 0.995), ncols=columns, borderaxespad=0.2)
