"""Figures of places: the profile between two stations, and maps of what they reach."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.axes import Axes
from matplotlib.cm import ScalarMappable
from matplotlib.colors import BoundaryNorm, LightSource, LinearSegmentedColormap, ListedColormap
from matplotlib.figure import Figure

from ...arraytypes import Floats
from ...constants import wavelength
from ...reach.diffraction import bulge
from ...units import engineering
from .scenes import from_above
from .style import INK, LINES, PAPER, SHORE, flat_axes, heading, legend_above, look, sheet

if TYPE_CHECKING:
    from ...reach import Coverage, Path, Terrain

_LAND, _SEA = "#cfc6ae", "#b9cdd6"
_TURN = LinearSegmentedColormap.from_list("turn", [LINES[1], "#f1d9b8", PAPER, "#b5d3d2", LINES[0]])
"""For what is less or more than before."""
_STEP = 5.0
"""dB from colour to colour of a map."""
_NAMED = 0.17
"""Of a profile, how far a name reaches."""
_SHOWN = 14
"""Colours of a map, at most."""


def profile(path: Path) -> Figure:
    """The ground between two stations with the earth's bulge in it, the ray, and the first Fresnel zone round it.

    Six tenths of that zone are hatched; where the ray has least room is marked. Heights are above the sea.
    """
    one, two = path.stations
    d, total = path.profile.distances, path.distance
    raised = path.profile.heights + bulge(d, path.radius)
    near, far = path.ends
    ray = near + (far - near) * d / total
    zone = np.sqrt(wavelength(path.frequency) * d * (total - d) / total)
    scale, unit = (1e-3, "km") if total >= 2e3 else (1.0, "m")
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        x = scale * d
        low, high = float(min(raised.min(), (ray - zone).min())), float(max(raised.max(), (ray + zone).max()))
        foot = low - 0.06 * (high - low)
        sea = bulge(d, path.radius)
        wet = (path.profile.heights <= 0.0) & bool((path.profile.heights <= 0.0).any())
        axes.fill_between(
            x, ray - zone, ray + zone, color=LINES[0], alpha=0.10, linewidth=0, label="first Fresnel zone"
        )
        axes.fill_between(x, ray - 0.6 * zone, ray + 0.6 * zone, color=LINES[0], alpha=0.14, linewidth=0,
                          label="six tenths of it")  # fmt: skip
        axes.plot(x, ray, color=LINES[0], linewidth=1.8, linestyle="-", label="ray")
        # The ground over it all: what is in the way is seen to be.
        axes.fill_between(x, foot, raised, color=_LAND, linewidth=0, alpha=0.82)
        axes.fill_between(x, foot, sea, where=wet, color=_SEA, linewidth=0)
        axes.plot(x, raised, color=INK, linewidth=1.2, linestyle="-")
        for at, station, top, side in ((0.0, one, near, "left"), (total, two, far, "right")):
            ground = float(path.profile.heights[0 if side == "left" else -1])
            axes.plot([scale * at] * 2, [ground, top], color=INK, linewidth=2.4, linestyle="-", solid_capstyle="butt")
            axes.plot(scale * at, top, "o", color=LINES[1], markersize=7, clip_on=False, zorder=5)
            # The name clears the ground and the ray beside its mast.
            beside = np.abs(d - at) < _NAMED * total
            over = max(float(raised[beside].max()), float(ray[beside].max()))
            axes.annotate(
                f"{station.name}, {top - ground:.3g} m up", (scale * at, over), (8 if side == "left" else -8, 10),
                textcoords="offset points", ha=side, fontsize=11, fontweight="bold", color=LINES[1],
                bbox={"facecolor": PAPER, "edgecolor": "none", "alpha": 0.75, "pad": 1.2},
            )  # fmt: skip
        n = int(np.argmin(np.abs(d - path.at)))
        axes.plot([x[n]] * 2, [raised[n], ray[n]], color=LINES[4], linewidth=1.6, linestyle="-")
        word = f"{path.gap:.2f} of the zone" if path.gap > 0.0 else f"in the way by {-path.gap:.2f} of the zone"
        left = path.at < 0.5 * total
        axes.annotate(word, (x[n], min(raised[n], ray[n])), (8 if left else -8, -22), textcoords="offset points",
                      ha="left" if left else "right", va="top", fontsize=10, color=LINES[4],
                      bbox={"facecolor": PAPER, "edgecolor": "none", "alpha": 0.8, "pad": 1.0})  # fmt: skip
        axes.set_xlim(0.0, scale * total)
        axes.set_ylim(foot, high + 0.12 * (high - low))
        axes.set_xlabel(f"distance, {unit}")
        axes.set_ylabel("height above the sea, m")
        legend_above(axes)
        round_ = path.radius / 6.371e6
        heading(
            figure, f"{one.name} to {two.name}: {path.margin:+.1f} dB of margin",
            f"{engineering(path.frequency, 'Hz', 6)}, {total * scale:.4g} {unit}; {path.loss:.1f} dB: free space "
            f"{path.free_space:.1f}, antennas {-path.antennas:+.1f}, ground {path.ground:+.1f}, terrain "
            f"{path.terrain:+.1f}; {path.level:.1f} dBm received; over {path.earth}, earth x {round_:.3g}; heights "
            f"drawn x {_stretch(axes, scale):.0f}",
        )  # fmt: skip
    return figure


def _stretch(axes: Axes, scale: float) -> float:
    """How much larger heights are drawn than distances."""
    box, (x0, x1), (y0, y1) = axes.get_position(), axes.get_xlim(), axes.get_ylim()
    assert axes.figure is not None
    wide, tall = axes.figure.get_size_inches()  # type: ignore[union-attr]
    return float((box.height * tall / (y1 - y0)) / (box.width * wide * scale / (x1 - x0)))


def coverage(found: Coverage) -> Figure:
    """A map of the greatest margin over shaded relief or what is built; where it suffices is outlined.

    Below what is needed colours fade out: there the ground alone is seen.
    """
    field = found.margin
    known = field[np.isfinite(field)]
    top = float(np.percentile(known, 99.5)) if known.size else 0.0
    step = max(_STEP, _STEP * math.ceil((top + 2.0 * _STEP) / _SHOWN / _STEP))
    edges = step * np.arange(-2, max(math.ceil(top / step), 1) + 1)
    colours = ListedColormap(SHORE(np.linspace(0.08, 1.0, len(edges) - 1)))
    strong = np.clip(1.0 + np.nan_to_num(field, nan=-1e9) / (2.0 * step), 0.25, 1.0) * 0.72
    names, up = ", ".join(one.name for one in found.stations), f"{found.carried.name}, {found.carried.height:g} m up"
    shown = np.ma.masked_where(~(field >= edges[0]), field)
    return _mapped(
        found, shown, colours, np.asarray(edges), strong, "margin, dB", "max", {"-": field},
        f"{up}, heard by {names}" if found.sends else f"{names}, heard by {up}",
        f"{engineering(found.frequency, 'Hz', 6)}; enough inside the red line, on {100.0 * found.share:.0f} % "
        f"of the map; {found.terrain if found.built is None else found.terrain.name}",
    )  # fmt: skip


def coverage_change(found: Coverage, before: Coverage, change: str) -> Figure:
    """How much greater the margin of one map is than another's, and where each suffices; change: in words.

    Raises UsageError for maps of unlike points.
    """
    field = found.gain_over(before)
    known = np.abs(field[np.isfinite(field)])
    top = max(float(np.percentile(known, 90.0)) if known.size else 0.0, 1.0)
    step = float(2.0 ** math.ceil(math.log2(top / 5.0)))
    edges = step * np.arange(-5.0, 6.0)
    colours = ListedColormap(_TURN(np.linspace(0.0, 1.0, len(edges) - 1)))
    shown = np.ma.masked_invalid(np.clip(field, edges[0], edges[-1]))
    strong = np.clip(np.abs(np.nan_to_num(field)) / (2.0 * step), 0.15, 1.0) * 0.8
    return _mapped(
        found, shown, colours, edges, strong, "margin gained, dB", "both", {"-": found.margin, "--": before.margin},
        f"{', '.join(one.name for one in found.stations)}: {change}",
        f"{engineering(found.frequency, 'Hz', 6)}; {found.carried.name} {found.carried.height:g} m up; enough inside "
        f"the red line on {100.0 * found.share:.0f} % of the map, inside the dashed one, on "
        f"{100.0 * before.share:.0f} %, before",
    )  # fmt: skip


def _mapped(
    found: Coverage, shown: Floats, colours: ListedColormap, edges: Floats, strong: Floats, label: str,
    extend: str, outlines: dict[str, Floats], title: str, foot: str,
) -> Figure:  # fmt: skip
    """Values over the ground, their scale beside, with lines where margins are zero, by their dashes."""
    own = found.terrain
    with look():
        figure = sheet()
        axes = figure.add_axes((0.085, 0.13, 0.79, 0.765))
        # A built scene is in metres.
        scale, unit = (1e-3, "km") if found.built is None else (1.0, "m")
        west, east, south, north = (scale * v for v in (own.west, own.east, own.south, own.north))
        extent = (west, east, south, north)
        if found.built is None:
            axes.imshow(_relief(own), extent=extent, origin="lower", interpolation="bilinear")
        norm = BoundaryNorm(edges, colours.N)
        axes.imshow(
            shown, extent=extent, origin="lower", cmap=colours, norm=norm, alpha=strong, interpolation="nearest"
        )
        x, y = (scale * (first + own.step * np.arange(n)) for first, n in
                ((own.west, own.heights.shape[1]), (own.south, own.heights.shape[0])))  # fmt: skip
        if np.nanmin(own.heights) <= 0.0 < np.nanmax(own.heights):
            axes.contour(x, y, own.heights, [0.01], colors=[INK], linewidths=0.7, alpha=0.7)
        for dash, margin in outlines.items():
            known = margin[np.isfinite(margin)]
            if known.size and known.min() < 0.0 < known.max():
                axes.contour(x, y, np.ma.masked_invalid(margin), [0.0], colors=[LINES[4]], linewidths=1.6,
                             linestyles=[dash])  # fmt: skip
        if found.built is not None:
            from_above(axes, found.built)
        for station in found.stations:
            place = scale * station.at[0], scale * station.at[1]
            axes.plot(*place, "o", color=LINES[1], markersize=8, markeredgecolor=PAPER, zorder=5)
            axes.annotate(
                station.name, place, (9, 7), fontweight="bold", textcoords="offset points", color=INK, fontsize=11,
                bbox={"facecolor": PAPER, "edgecolor": "none", "alpha": 0.75, "pad": 1.2},
            )  # fmt: skip
        axes.set_xlim(west, east)
        axes.set_ylim(south, north)
        axes.grid(False)
        axes.set_xlabel(f"x, {unit}")
        axes.set_ylabel(f"y, {unit}")
        axes.set_anchor("W")
        axes.apply_aspect()
        box = axes.get_position()
        beside = figure.add_axes((box.x1 + 0.02, box.y0, 0.016, box.height))
        bar = figure.colorbar(ScalarMappable(norm, colours), cax=beside, extend=extend, ticks=edges)
        bar.set_label(label)
        if label.startswith("margin,"):
            bar.ax.axhline(0.0, color=LINES[4], linewidth=2.0)
        heading(figure, title, foot)
    return figure


def _relief(terrain: Terrain) -> Floats:
    """Colours of shaded relief (rows, columns, 3): sea, and land by slopes lit from the north-west."""
    heights = np.nan_to_num(terrain.heights, nan=float(np.nanmin(terrain.heights)))
    light = LightSource(azdeg=315.0, altdeg=40.0)
    steep = 0.15 * math.hypot(terrain.east - terrain.west, terrain.north - terrain.south)
    bold = steep / max(float(np.ptp(heights)), 1e-3) / 8.0
    shade = light.hillshade(heights[::-1], vert_exag=max(bold, 1.0), dx=terrain.step, dy=terrain.step)[::-1]
    land = np.array([0.93, 0.91, 0.85]) * (0.55 + 0.45 * shade[..., None])
    sea = np.array([0.80, 0.86, 0.89])
    return np.where((heights <= 0.0)[..., None], sea, land)
