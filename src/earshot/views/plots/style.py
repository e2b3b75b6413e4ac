"""The look of every figure: warm paper, dark ink, five line colours that survive grey printing and colour blindness."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

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
    rules = _RULES | {"axes.prop_cycle": cycler(color=LINES) + cycler(linestyle=DASHES)}
    with mpl.rc_context(rules):
        yield


def sheet(width: float = 10.0, height: float = 6.25) -> Figure:
    """An empty figure that needs no display."""
    return Figure(figsize=(width, height), dpi=128, layout="constrained")


def heading(figure: Figure, title: str, subtitle: str) -> None:
    """Title at the upper left, what it was made from below it."""
    figure.suptitle(title, x=0.015, ha="left", fontsize=15, fontweight="bold")
    figure.text(0.015, 0.012, subtitle, ha="left", va="bottom", fontsize=9, color=FAINT)


def clear_below(figure: Figure) -> None:
    """Keep room for the line at the foot of the page."""
    figure.get_layout_engine().set(rect=(0.0, 0.045, 1.0, 0.955))  # type: ignore[union-attr]


def end_label(axes: Axes, x: float, y: float, text: str, colour: str) -> None:
    """A word at a point of a curve, in the curve's colour."""
    axes.annotate(text, (x, y), xytext=(7, 7), textcoords="offset points", color=colour, fontsize=10)
