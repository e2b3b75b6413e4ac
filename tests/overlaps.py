"""What is wrong with a drawn figure, measured: words on one another or off the sheet, and words on curves."""

import itertools

import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.lines import Line2D
from matplotlib.text import Text
from mpl_toolkits.mplot3d.art3d import Text3D
from mpl_toolkits.mplot3d.proj3d import proj_transform

from earshot.views.plots.style import FAINT

SLACK = 3.0
"""Pixels that boxes of words may share: their margins."""


def troubles(figure, *, curves=True):
    """Every trouble in words."""
    canvas = FigureCanvasAgg(figure)
    canvas.draw()
    renderer = canvas.get_renderer()
    every = set(figure.findobj(Text)) - _undrawn(figure, renderer)
    words = [(t, _box(t, renderer)) for t in every if t.get_visible() and t.get_text().strip()]
    found = []
    for (one, a), (two, b) in itertools.combinations(words, 2):
        wide = min(a.x1, b.x1) - max(a.x0, b.x0)
        tall = min(a.y1, b.y1) - max(a.y0, b.y0)
        if wide > SLACK and tall > SLACK and not (one.get_rotation() % 90 or two.get_rotation() % 90):
            found.append(f"'{one.get_text()}' on '{two.get_text()}'")
    sheet = figure.bbox
    for text, box in words:
        if box.x0 < sheet.x0 - 1 or box.x1 > sheet.x1 + 1 or box.y0 < sheet.y0 - 1 or box.y1 > sheet.y1 + 1:
            found.append(f"'{text.get_text()}' is off the sheet")
    if curves:
        found += _on_curves(figure, words)
    return found


def _box(text, renderer):
    """Where a text is, px; one in space where it is seen."""
    if not isinstance(text, Text3D):
        return text.get_window_extent(renderer)
    flat = Text(*proj_transform(*text.get_position_3d(), text.axes.get_proj())[:2], text.get_text())
    flat.update_from(text)
    flat.set_transform(text.get_transform())
    flat.set_figure(text.get_figure())
    return flat.get_window_extent(renderer)


def _undrawn(figure, renderer):
    """Tick labels beyond the ends of their axis: they are there and not drawn."""
    found = set()
    for axes in (a for a in figure.axes if a.name == "rectilinear"):
        whole = axes.get_window_extent()
        for axis, along in ((axes.xaxis, "x"), (axes.yaxis, "y")):
            low, high = getattr(whole, f"{along}0") - 2, getattr(whole, f"{along}1") + 2
            for tick in [*axis.majorTicks, *axis.minorTicks]:
                for label in (tick.label1, tick.label2):
                    box = label.get_window_extent(renderer)
                    if not low < (getattr(box, f"{along}0") + getattr(box, f"{along}1")) / 2 < high:
                        found.add(label)
    return found


def _on_curves(figure, words):
    for axes in figure.axes:
        own = [
            (t, box) for t, box in words if t in axes.texts and t.get_bbox_patch() is None and t.get_color() != FAINT
        ]
        for line in axes.lines:
            thin = line.get_linewidth() < 1.45
            if not isinstance(line, Line2D) or len(line.get_xdata()) < 3 or thin or line.get_linestyle() == "None":
                continue
            path = line.get_transform().transform(np.column_stack(line.get_data()))
            steps = [path[:1]]
            for a, b in itertools.pairwise(path):
                if np.isfinite([*a, *b]).all():
                    steps.append(np.linspace(a, b, max(2, min(int(np.hypot(*(b - a))), 500))))
            path = np.concatenate(steps)
            for text, box in own:
                inside = (abs(path[:, 0] - (box.x0 + box.x1) / 2) < box.width / 2 - SLACK) & (
                    abs(path[:, 1] - (box.y0 + box.y1) / 2) < box.height / 2 - SLACK
                )
                if inside.any():
                    yield f"'{text.get_text()}' on a curve"
