"""Near-field maps, and figures of merit over frequency."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.axes import Axes
from matplotlib.cm import ScalarMappable
from matplotlib.collections import LineCollection
from matplotlib.colors import LogNorm
from matplotlib.figure import Figure
from matplotlib.ticker import LogLocator

from ...arraytypes import Floats
from ...description.antenna import Antenna
from ...errors import UsageError
from ...fields.near import NearField
from ...media.surroundings import Medium
from ...units import engineering
from .style import (
    FAINT,
    INK,
    LINES,
    PAPER,
    SHORE,
    few_ticks,
    flat_axes,
    heading,
    legend_above,
    length_unit,
    look,
    sheet,
)
from .surfaces import cut_lines, drawn_meshes

if TYPE_CHECKING:
    import pandas as pd

_UPRIGHT = 0.999
_UNITS = {"E": "V/m", "H": "A/m", "S": "W/m²"}


def near(
    field: NearField | Sequence[NearField],
    antenna: Antenna | None = None,
    *,
    which: str = "E",
    rms: bool = False,
    limit: float | None = None,
) -> Figure:
    """Maps of |E|, |H| or power density over one plane of points or several, in one scale of colours.

    The planes' own two sides are the axes. With contours, those of a limit in red; the metal of the antenna where it
    lies or shows through, and what is below it. Colours end where a hundredth of the points is below, and half of that
    above. Raises UsageError for points that are not a plane of them.
    """
    planes = [field] if isinstance(field, NearField) else list(field)
    if any(one.points.ndim != 3 for one in planes):
        raise UsageError("a map needs a plane of points; make them with plane_of_points")
    levels = [one.magnitude(which, rms=rms) for one in planes]
    with look():
        figure = sheet()
        every = np.concatenate([level[level > 0].ravel() for level in levels])
        top = float(np.percentile(every, 99.5))
        scale = LogNorm(max(float(np.percentile(every, 1)), top * 1e-5), top)
        feet, left, wide = [], 0.09, 0.80 / len(planes)
        for one, level in zip(planes, levels, strict=True):
            axes = figure.add_axes((left, 0.14, wide - (0.085 if len(planes) > 1 else 0.0), 0.74))
            left += wide
            feet.append(_map(axes, one, level, scale, antenna))
            if limit is not None:
                lengths, units = _sides(one)
                k = length_unit(max(lengths))[0]
                for line in one.contour(limit, which, rms=rms):
                    axes.plot(k * line @ units[0], k * line @ units[1], color=LINES[4], linewidth=1.8, linestyle="-")
        bar = figure.colorbar(ScalarMappable(scale, SHORE), cax=figure.add_axes((0.9, 0.2, 0.016, 0.62)), format="%g",
                              ticks=LogLocator(subs=(1, 2, 5)), extend="both")  # fmt: skip
        bar.ax.minorticks_off()
        kind = "" if which == "S" else ", rms" if rms else ", peak"
        bar.set_label(f"|{which}|, {_UNITS[which]}{kind}")
        title = f"{antenna.name}: near field" if antenna is not None else "near field"
        foot = f"plane{'s' if len(planes) > 1 else ''} at {', '.join(feet)}"
        foot += (
            "" if limit is None else f"; red: {limit:g} {_UNITS[which]}{_farthest(planes, antenna, limit, which, rms)}"
        )
        heading(figure, f"{title} at {engineering(planes[0].frequency, 'Hz', 6)}", foot)
    return figure


def _farthest(planes: Sequence[NearField], antenna: Antenna | None, limit: float, which: str, rms: bool) -> str:
    """How far from the metal a limit is found on the planes, in words; nothing where it is not."""
    lines = [line for one in planes for line in one.contour(limit, which, rms=rms)]
    if antenna is None or not lines:
        return "" if lines else ", found nowhere"
    far = float(antenna.distances(np.concatenate(lines)).max())
    return f", found up to {engineering(far, 'm', 3)} from the metal"


def _sides(field: NearField) -> tuple[list[float], list[Floats]]:
    """The lengths of a plane's two sides, m, and their directions."""
    corner = field.points[0, 0]
    sides = [field.points[-1, 0] - corner, field.points[0, -1] - corner]
    lengths = [float(np.linalg.norm(s)) for s in sides]
    return lengths, [s / n for s, n in zip(sides, lengths, strict=True)]


def _map(axes: Axes, field: NearField, level: Floats, scale: LogNorm, antenna: Antenna | None) -> str:
    """One plane in colours, with its contours, the metal and what is below; returns where it is."""
    own, units = _sides(field)
    corner, (k, unit) = field.points[0, 0], length_unit(max(own))
    lengths, starts = [k * n for n in own], [k * float(corner @ u) for u in units]
    extent = (starts[0], starts[0] + lengths[0], starts[1], starts[1] + lengths[1])
    low = float(scale.vmin or 0.0)
    jumps = antenna is not None and antenna.medium.layered and abs(units[1][2]) > _UPRIGHT
    fine, places = _finer(np.log(np.maximum(_past_sheets(level), 0.3 * low)), starts, lengths, 1 if jumps else 3)
    axes.grid(visible=False)
    axes.imshow(np.exp(fine).T, origin="lower", extent=extent, cmap=SHORE, norm=scale, interpolation="bilinear")
    rungs = LogLocator(subs=(1, 2, 5)).tick_values(low, float(scale.vmax or 1.0))
    axes.contour(*places, np.exp(fine).T, levels=rungs, colors=PAPER, linewidths=0.5, alpha=0.6)
    if antenna is not None:
        _metal(axes, antenna, field, units, k)
    axes.set_xlim(extent[:2])
    axes.set_ylim(extent[2:])
    if antenna is not None and abs(units[1][2]) > _UPRIGHT:
        _matter(axes, antenna.medium, k, extent[2:])
    for setter, side in ((axes.set_xlabel, units[0]), (axes.set_ylabel, units[1])):
        setter(f"{_axis_name(side)}, {unit}")
    few_ticks(axes, *lengths)
    across = np.cross(units[0], units[1])
    return f"{_axis_name(across)} = {k * float(corner @ across) * float(np.sign(across.sum())):.3g} {unit}"


def _past_sheets(level: Floats) -> Floats:
    """The same with the greater of what is on both sides where a single row of points lies on a sheet."""
    beside = np.pad(level, ((0, 0), (1, 1)))
    low, high = beside[:, :-2], beside[:, 2:]
    return np.where((level == 0.0) & (low > 0.0) & (high > 0.0), np.maximum(low, high), level)


def _finer(
    values: Floats, starts: list[float], lengths: list[float], upwards: int
) -> tuple[Floats, list[Floats]]:  # fmt: skip
    """Values over a plane three times as close, by splines that keep their own at the points; and the places.

    upwards: their degree along the second side.
    """
    from scipy.interpolate import RectBivariateSpline

    grids = [s + np.linspace(0.0, n, count) for s, n, count in zip(starts, lengths, values.shape, strict=True)]
    finer = [s + np.linspace(0.0, n, 3 * count) for s, n, count in zip(starts, lengths, values.shape, strict=True)]
    degree = [min(most, count - 1) for most, count in zip((3, upwards), values.shape, strict=True)]
    fine = RectBivariateSpline(*grids, values, kx=degree[0], ky=degree[1])(*finer)
    return np.clip(fine, values.min(), values.max()), finer


def _matter(axes: Axes, medium: Medium, k: float, seen: tuple[float, float]) -> None:
    """Faces of layers, and a strip of what is below a plane, on a map whose second side is upright."""
    margin = 0.03 * (seen[1] - seen[0])
    for z in medium.breaks:
        if seen[0] <= k * z <= seen[1]:
            axes.axhline(k * z, color=INK, linewidth=2.0 if z in medium.planes else 0.8, linestyle="-")
    if medium.one_sided and seen[0] <= margin:
        bottom = min(seen[0], 0.0) - margin
        axes.set_ylim(bottom=bottom)
        axes.axhspan(bottom, 0.0, facecolor=PAPER, edgecolor=INK, hatch="////", linewidth=0.0)


def _metal(axes: Axes, antenna: Antenna, field: NearField, units: list[Floats], k: float) -> None:
    """Wires as they show through; sheets where the plane cuts them; k times as large as in metres."""
    for wire in antenna.wires:
        axes.plot(k * wire.corners @ units[0], k * wire.corners @ units[1], color=INK, linewidth=2.0, linestyle="-")
    across = np.cross(units[0], units[1])
    off = float(field.points[0, 0] @ across)
    for own, mesh in zip(antenna.sheets, drawn_meshes(antenna), strict=True):
        cuts, open_there = cut_lines(mesh.corners, across, off), antenna.is_opening(own)
        # Openings are cut out of the line of their plane.
        look_of = {"colors": PAPER, "zorder": 2.5} if open_there else {"colors": INK}
        axes.add_collection(LineCollection(list(k * cuts @ np.stack(units, axis=1)), linewidths=2.0, **look_of))


def along(*fields: NearField, labels: Sequence[str] | None = None, rms: bool = False, title: str = "") -> Figure:
    """|E| along lines of points against level distance from z's axis, with what falls as the distance and its square.

    labels: one for each field. Raises UsageError for points that are not a line, or of which one is on the axis.
    """
    if not fields or (labels is not None and len(labels) != len(fields)):
        raise UsageError(f"along: {len(fields)} fields and {len(labels or ())} labels: give one label each")
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        place = axes.get_position()
        # Numbers such as 0.0002 take more room.
        axes.set_position((place.x0 + 0.03, place.y0, place.width - 0.03, place.height))
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
