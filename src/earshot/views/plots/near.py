"""Near-field maps, and figures of merit over frequency."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.colors import LogNorm
from matplotlib.figure import Figure
from matplotlib.ticker import LogLocator

from ...description.antenna import Antenna
from ...errors import UsageError
from ...fields.near import NearField
from ...units import engineering
from .style import FAINT, INK, LINES, SHORE, flat_axes, heading, legend_above, look, sheet

if TYPE_CHECKING:
    import pandas as pd

_UNITS = {"E": "V/m", "H": "A/m", "S": "W/m²"}


def near(
    field: NearField,
    antenna: Antenna | None = None,
    *,
    which: str = "E",
    rms: bool = False,
    limit: float | None = None,
) -> Figure:
    """A map of |E|, |H| or power density over a plane of points, with the antenna's shadow and the contour of a limit.

    The plane's own two sides are the axes. Raises UsageError for points that are not a plane of them.
    """
    if field.points.ndim != 3:
        raise UsageError("a map needs a plane of points; make them with plane_of_points")
    level = field.magnitude(which, rms=rms)
    corner, u_end, v_end = field.points[0, 0], field.points[-1, 0], field.points[0, -1]
    sides = [u_end - corner, v_end - corner]
    lengths = [float(np.linalg.norm(s)) for s in sides]
    names = [_axis_name(s) for s in sides]
    starts = [float(corner @ s / n) for s, n in zip(sides, lengths, strict=True)]
    extent = (starts[0], starts[0] + lengths[0], starts[1], starts[1] + lengths[1])
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        axes.grid(visible=False)
        low = max(float(np.percentile(level[level > 0], 1)), float(level.max()) * 1e-5)
        scale = LogNorm(low, float(level.max()))
        picture = axes.imshow(np.maximum(level, low).T, origin="lower", extent=extent, cmap=SHORE, norm=scale)
        bar = figure.colorbar(picture, ax=axes, shrink=0.85, pad=0.02, format="%g", ticks=LogLocator(subs=(1, 2, 5)))
        bar.ax.minorticks_off()
        kind = "" if which == "S" else ", rms" if rms else ", peak"
        bar.set_label(f"|{which}|, {_UNITS[which]}{kind}")
        units = [s / n for s, n in zip(sides, lengths, strict=True)]
        for wire in antenna.wires if antenna is not None else ():
            axes.plot(wire.corners @ units[0], wire.corners @ units[1], color=INK, linewidth=2.5, linestyle="-")
        if limit is not None:
            for line in field.contour(limit, which, rms=rms):
                axes.plot(line @ units[0], line @ units[1], color=LINES[4], linewidth=1.8, linestyle="-")
        axes.set_xlim(extent[:2])
        axes.set_ylim(extent[2:])
        axes.set_xlabel(f"{names[0]}, m")
        axes.set_ylabel(f"{names[1]}, m")
        title = f"{antenna.name}: near field" if antenna is not None else "near field"
        across = np.cross(*units)
        foot = f"plane at {_axis_name(across)} = {float(corner @ across) * float(np.sign(across.sum())):.3g} m"
        foot += "" if limit is None else f"; red: {limit:g} {_UNITS[which]}"
        heading(figure, f"{title} at {engineering(field.frequency, 'Hz', 6)}", foot)
    return figure


def along(*fields: NearField, labels: Sequence[str] | None = None, rms: bool = False, title: str = "") -> Figure:
    """|E| along lines of points against level distance from z's axis, with what falls as the distance and its square.

    labels: one for each field. Raises UsageError for points that are not a line, or of which one is on the axis.
    """
    if not fields or (labels is not None and len(labels) != len(fields)):
        raise UsageError(f"along: {len(fields)} fields and {len(labels or ())} labels: give one label each")
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        levels, ends = [], []
        for n, field in enumerate(fields):
            if field.points.ndim != 2 or len(field.points) < 2:
                raise UsageError("along: it needs a line of points; make them with line_of_points")
            off = np.hypot(field.points[:, 0], field.points[:, 1])
            if not off.min() > 0.0:
                raise UsageError("along: a point is on the z axis, at no distance: begin farther out")
            levels.append(field.magnitude(rms=rms))
            axes.loglog(off, levels[-1], label=labels[n] if labels else f"height {field.points[0, 2]:.3g} m")
            ends.append((off[-1], levels[-1][-1], off[0]))
        axes.set_ylim(0.5 * min(x.min() for x in levels), 2.0 * max(x.max() for x in levels))
        stop, last, start = max(ends, key=lambda end: end[1])
        for power, name in ((1, "1/d"), (2, "1/d²")):
            guide = np.array([start, stop])
            axes.plot(guide, last * (stop / guide) ** power, color=FAINT, linewidth=1.0, linestyle=":")
            middle = stop ** (0.75 if power == 2 else 0.5) * start ** (0.25 if power == 2 else 0.5)
            axes.annotate(name, (middle, last * (stop / middle) ** power), color=FAINT, xytext=(4, 4),
                          textcoords="offset points", clip_on=True)  # fmt: skip
        for axis in (axes.xaxis, axes.yaxis):
            axis.set_major_formatter("{x:g}")
        axes.set_xlabel("distance d, m")
        axes.set_ylabel(f"|E|, V/m{', rms' if rms else ', peak'}")
        legend_above(axes)
        heading(figure, f"{title or 'field along a line'} at {engineering(fields[0].frequency, 'Hz', 6)}",
                "from the z axis; dotted: what falls as the distance, and as its square")  # fmt: skip
    return figure


def _axis_name(side: np.ndarray) -> str:
    share = np.abs(side) / np.linalg.norm(side)
    return "xyz"[int(share.argmax())] if share.max() > 0.999 else "along the side"


def figures(table: pd.DataFrame, *names: str, label: str = "", between: float | None = None) -> Figure:
    """Figures of merit over frequency, as `Solution.figures` gives them: gain and front-to-back unless named.

    between: how far currents between solved frequencies are off, as `Solution.currents_error` tells: points are joined
    then. Raises UsageError for a figure the table has not.
    """
    chosen = names or tuple(n for n in ("gain", "realized gain", "front-to-back ratio") if n in table)
    for name in chosen:
        if name not in table:
            raise UsageError(f"there is no figure '{name}'; there are: {', '.join(map(str, table.columns))}")
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        for name in chosen:
            drawn = table[name].dropna()
            places = np.asarray(drawn.index, float) / 1e6
            # Of a dozen solved frequencies nothing tells what lies between, so nothing joins them.
            mark, line = ("o", "none") if between is None else ("", "-")
            axes.plot(places, drawn.to_numpy(float), marker=mark, markersize=6, linestyle=line, label=name)
        axes.set_xlabel("frequency, MHz")
        axes.set_ylabel("dBi, dB or degrees, as each figure is")
        legend_above(axes)
        # What a fit leaves open is never told finer than a thousandth of a per cent.
        share = "" if between is None else f"{100 * max(between, 1e-5):.1g} %"
        words = "at solved frequencies" if between is None else f"currents between solved frequencies within {share}"
        heading(figure, f"{label}: figures over frequency" if label else "figures over frequency", words)
    return figure
