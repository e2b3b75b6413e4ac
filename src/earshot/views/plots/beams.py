"""Arrays: the layout with its weights, beams over u and v, what errors do, and the match against scan."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.cm import ScalarMappable
from matplotlib.collections import LineCollection, PatchCollection
from matplotlib.colors import Normalize
from matplotlib.figure import Figure
from matplotlib.patches import Circle

from ...arrays.array import Array
from ...arrays.layouts import Layout
from ...arrays.scanning import in_words
from ...arrays.trials import Trials
from ...arrays.weights import Weights
from ...errors import UsageError
from ...fields.far import FarField
from ...fields.gains import decibels
from ...units import engineering
from .style import (
    DASHES,
    FAINT,
    INK,
    LINES,
    SHORE,
    SOFT,
    few_ticks,
    flat_axes,
    heading,
    legend_above,
    length_unit,
    look,
    sheet,
)
from .subjects import fields_of

if TYPE_CHECKING:
    import pandas as pd

_SPAN = 30.0


def layout(of: Array | Layout, weights: Weights | None = None, *, label: str = "") -> Figure:
    """The elements to scale, seen along the axis they spread over least: amplitude as colour, phase as a hand.

    The hand turns from upright, clockwise for a lag.

    Raises UsageError when the weights are not one for each element.
    """  # fmt: skip
    places = of.layout if isinstance(of, Array) else of
    own = weights or Weights(np.ones(len(places)))
    if len(own) != len(places):
        raise UsageError(f"layout: {len(own)} weights for {len(places)} elements: give one each")
    flat = int(np.ptp(places.positions, axis=0).argmin())
    if np.ptp(places.positions, axis=0)[2] == np.ptp(places.positions, axis=0)[flat]:
        flat = 2
    across, up = [a for a in (0, 1, 2) if a != flat]
    k, unit = length_unit(float(np.ptp(places.positions, axis=0).max()))
    xy = k * places.positions[:, [across, up]]
    size = np.abs(own.values)
    level = 20.0 * np.log10(np.maximum(size / size.max(), 10.0 ** (-_SPAN / 20.0)))
    lowest = -max(3.0 * math.ceil(-level[size > 0.0].min() / 3.0 - 1e-9), 3.0)
    radius = 0.4 * (k * places.closest if len(places) > 1 else 1.0)
    scale = Normalize(lowest, 0.0)
    with look():
        figure = sheet()
        axes = figure.add_axes((0.1, 0.14, 0.74, 0.75))
        axes.grid(visible=False)
        disks = PatchCollection([Circle(tuple(p), radius) for p in xy], linewidth=0.6)
        disks.set_facecolor([SHORE(scale(v)) if s > 0.0 else (0, 0, 0, 0) for v, s in zip(level, size, strict=True)])
        disks.set_edgecolor(FAINT)
        axes.add_collection(disks)
        turn = -np.angle(own.values)
        tips = xy + 0.85 * radius * np.stack([np.sin(turn), np.cos(turn)], axis=1)
        on = size > 0.0
        hands = LineCollection(list(np.stack([xy, tips], axis=1)[on]), linewidths=1.4, zorder=3)
        hands.set_color([INK if v > 0.55 * lowest else "#ffffff" for v in level[on]])
        axes.add_collection(hands)
        pad = 2.0 * radius
        axes.set_xlim(xy[:, 0].min() - pad, xy[:, 0].max() + pad)
        axes.set_ylim(xy[:, 1].min() - pad, xy[:, 1].max() + pad)
        axes.set_aspect("equal")
        few_ticks(axes, *(np.ptp(xy, axis=0) + 2.0 * pad))
        axes.set_xlabel(f"{'xyz'[across]}, {unit}")
        axes.set_ylabel(f"{'xyz'[up]}, {unit}")
        bar = figure.colorbar(ScalarMappable(scale, SHORE), cax=figure.add_axes((0.89, 0.2, 0.018, 0.6)))
        bar.set_label("amplitude, dB of the greatest")
        bar.outline.set_visible(False)
        name = label or (of.label if isinstance(of, Array) else "layout")
        off = int((size == 0.0).sum())
        foot = (
            f"{len(places)} elements, at least {engineering(places.closest, 'm', 3)} apart; " if len(places) > 1 else ""
        )
        heading(figure, f"{name}: layout", foot + "a hand upright is phase 0, clockwise a lag"
                + (f"; {off} off" if off else ""))  # fmt: skip
    return figure


def beam_map(given: FarField | Any, *, span: float = 40.0, lobes: pd.DataFrame | None = None) -> Figure:
    """Gain over the upper half space, by u = sin θ cos φ and v = sin θ sin φ, span decibels down from the greatest.

    lobes: where grating lobes are predicted, as `grating_lobes` gives them; marked.
    """
    field = fields_of(given)[0]
    # Rings as far apart in u and v as their samples, so that far fields find a grid of θ and φ.
    reach, turn = np.linspace(0.0, 1.0, 201), np.linspace(0.0, 2.0 * math.pi, 721)
    u, v = reach[:, None] * np.cos(turn), reach[:, None] * np.sin(turn)
    gain = decibels(field.gain(np.arcsin(reach)[:, None], turn))
    theta, phi = field.peak
    # A peak below the horizon is not on the map.
    top = max(float(gain.max()), float(decibels(field.gain(theta, phi))) if theta <= 0.5 * math.pi else -300.0)
    with look():
        figure = sheet()
        axes = figure.add_axes((0.06, 0.15, 0.78, 0.76))
        axes.grid(visible=False)
        picture = axes.pcolormesh(u, v, np.maximum(gain, top - span), cmap=SHORE, vmin=top - span, vmax=top,
                                  shading="gouraud", rasterized=True)  # fmt: skip
        axes.contour(u, v, gain, levels=[top - 3.0103], colors=[INK], linewidths=1.2, linestyles=["-"])
        if lobes is not None:
            axes.plot(
                lobes["u"].to_numpy(float),
                lobes["v"].to_numpy(float),
                marker="s",
                markersize=13,
                fillstyle="none",
                color=LINES[4],
                linestyle="none",
            )
        bar = over_directions(figure, axes, picture)
        bar.set_label("gain, dBi")
        marked = lobes is not None and len(lobes) > 0
        foot = "rings: angle from the zenith; line: half power" + ("; squares: grating lobes" if marked else "")
        heading(figure, f"{field.label}: gain at {engineering(field.frequency, 'Hz', 6)}, peak {top:.2f} dBi", foot)
    return figure


def over_directions(figure: Figure, axes: Axes, picture: Any) -> Any:
    """Rings and axes of a map of u and v, and the bar beside it."""
    for degrees in (30, 60, 90):
        r = math.sin(math.radians(degrees))
        rim = degrees == 90
        axes.add_patch(Circle((0, 0), r, fill=False, edgecolor=FAINT, linewidth=1.2 if rim else 0.7,
                              linestyle="-" if rim else ":"))  # fmt: skip
        axes.annotate(f"{degrees}°", (0, r), xytext=(3, 3), textcoords="offset points", fontsize=9,
                      bbox=None if rim else SOFT)  # fmt: skip
    axes.set_xlim(-1.06, 1.06)
    axes.set_ylim(-1.06, 1.09)
    axes.set_aspect("equal")
    axes.set_xlabel("u = sin θ cos φ")
    axes.set_ylabel("v = sin θ sin φ")
    bar = figure.colorbar(picture, cax=figure.add_axes((0.87, 0.2, 0.018, 0.6)))
    bar.outline.set_visible(False)
    return bar


def envelope(trials: Trials, phi: str | float | None = None, *, span: float = 60.0) -> Figure:
    """What errors leave of a beam: gain along a half circle, 5 to 95 percent of trials as a band, and the beam."""
    cut = trials.envelope(phi)
    angle = cut.angle.values
    top = float(cut["nominal"].max())
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        axes.fill_between(angle, cut["p5"], cut["p95"], color=LINES[0], alpha=0.25, linewidth=0, label="5 to 95 %")
        axes.plot(angle, cut["p50"], color=LINES[0], linewidth=1.4, linestyle="-", label="half of all")
        axes.plot(angle, cut["mean"], color=LINES[2], linewidth=1.4, linestyle=DASHES[2], label="mean power")
        axes.plot(angle, cut["nominal"], color=LINES[1], linewidth=1.6, linestyle=DASHES[1], label="without errors")
        axes.set_xlim(-90, 90)
        axes.set_ylim(top - span, top + 3)
        axes.set_xticks(range(-90, 91, 30))
        facing, along = (in_words(cut.attrs[name]) for name in ("facing", "along"))
        axes.set_xlabel(f"angle from {facing} towards {along}, degrees")
        axes.set_ylabel("gain, dBi")
        legend_above(axes)
        heading(figure, f"{trials.array.label}: with errors", f"{cut.attrs['trials']} trials at "
                f"{engineering(trials.frequency, 'Hz', 6)}; gain without coupling")  # fmt: skip
    return figure


def scan(*tables: pd.DataFrame, labels: tuple[str, ...] = (), title: str = "array", towards: str = "") -> Figure:
    """Worst and mean active VSWR, and realized gain, against the angle steered to, as `SolvedArray.scan` gives them."""
    with look():
        figure = sheet()
        upper = figure.add_axes((0.085, 0.53, 0.885, 0.36))
        lower = figure.add_axes((0.085, 0.125, 0.885, 0.34), sharex=upper)
        for n, table in enumerate(tables):
            named = f", {labels[n]}" if labels else ""
            angle = np.asarray(table.index, float)
            upper.plot(angle, table["worst_vswr"], color=LINES[2 * n], linestyle="-", label=f"worst element{named}")
            upper.plot(angle, table["mean_vswr"], color=LINES[2 * n + 1], linestyle=DASHES[1], label=f"mean{named}")
            lower.plot(angle, table["realized_gain_dBi"], color=LINES[2 * n], linestyle="-",
                       label=f"realized gain{named}")  # fmt: skip
            lower.plot(angle, table["gain_dBi"], color=LINES[2 * n + 1], linestyle=DASHES[1], label=f"gain{named}")
        lower.legend(loc="lower center", ncols=2 * len(tables))
        upper.tick_params(labelbottom=False)
        upper.set_ylabel("active VSWR")
        upper.set_ylim(1.0, min(10.0, max(2.0, 1.1 * max(t["worst_vswr"].max() for t in tables))))
        lower.set_ylabel("dBi, that way")
        most = max(t["gain_dBi"].max() for t in tables)
        least = min(t["realized_gain_dBi"].min() for t in tables)
        lower.set_ylim(max(least - 3.0, most - 30.0), most + 1.5)
        lower.set_xlabel("steered to, degrees from where it faces")
        upper.set_xlim(min(t.index.min() for t in tables), max(t.index.max() for t in tables))
        legend_above(upper)
        heading(
            figure,
            f"{title}: match and gain against scan",
            f"phases from the places alone{f', {towards}' if towards else ''}",
        )
    return figure


def coupling(table: pd.DataFrame, *, title: str = "array", frequency: float | None = None) -> Figure:
    """|S| between all elements as a chequered square, dB, as `SolvedArray.coupling` gives it."""
    if not hasattr(table, "to_numpy"):
        raise UsageError(f"coupling: a {type(table).__name__} is no table: give SolvedArray(...).coupling()")
    level = table.to_numpy(float)
    count = len(level)
    top = max(float(level.max()), -10.0)
    low = max(min(float(level.min()), top - 20.0), top - 60.0)
    with look():
        figure = sheet()
        axes = figure.add_axes((0.12, 0.2, 0.7, 0.69))
        axes.grid(visible=False)
        picture = axes.imshow(level, cmap=SHORE, vmin=low, vmax=top, origin="upper")
        ticks = range(0, count, math.ceil(count / 24))
        axes.set_xticks(ticks, [str(table.columns[n]) for n in ticks], rotation=45, ha="right")
        axes.set_yticks(ticks, [str(table.index[n]) for n in ticks])
        axes.tick_params(labelsize=9, length=0)
        if count <= 12:
            for (row, column), value in np.ndenumerate(level):
                axes.text(column, row, f"{value:.1f}", ha="center", va="center", fontsize=9,
                          color=INK if value > 0.5 * (low + top) else "#ffffff")  # fmt: skip
        axes.set_xlabel("fed")
        axes.set_ylabel("seen at")
        bar = figure.colorbar(picture, cax=figure.add_axes((0.87, 0.2, 0.018, 0.6)))
        bar.set_label("|S|, dB")
        bar.outline.set_visible(False)
        aside = level[~np.eye(count, dtype=bool)]
        most = f"; strongest between two {aside.max():.1f} dB" if aside.size else ""
        place = f" at {engineering(frequency, 'Hz', 6)}" if frequency is not None else ""
        heading(figure, f"{title}: coupling{place}", f"the diagonal is each one's own reflection{most}")
    return figure


def link(*tables: pd.DataFrame, labels: tuple[str, ...] = (), title: str = "array") -> Figure:
    """EIRP and G/T against the angle steered to, as `link_figures` gives them."""
    with look():
        figure = sheet()
        upper = figure.add_axes((0.085, 0.53, 0.885, 0.36))
        lower = figure.add_axes((0.085, 0.125, 0.885, 0.34), sharex=upper)
        for axes, column, words in ((upper, "EIRP_dBW", "EIRP, dBW"), (lower, "G_over_T_dB_per_K", "G/T, dB/K")):
            for n, table in enumerate(tables):
                axes.plot(table.index, table[column], color=LINES[n], linestyle=DASHES[n],
                          label=labels[n] if labels else None)  # fmt: skip
            every = np.concatenate([t[column].to_numpy(float) for t in tables])
            # A null on the way does not flatten the rest.
            axes.set_ylim(max(every.min() - 1.0, every.max() - 30.0), every.max() + 1.0)
            axes.set_ylabel(words)
        upper.tick_params(labelbottom=False)
        upper.set_xlim(min(t.index.min() for t in tables), max(t.index.max() for t in tables))
        lower.set_xlabel("steered to, degrees from where it faces")
        if labels:
            legend_above(upper)
        most = max(t["sent_W"].max() for t in tables)
        heading(figure, f"{title}: link figures against scan",
                f"at most {engineering(most, 'W', 3)} into the elements together")  # fmt: skip
    return figure
