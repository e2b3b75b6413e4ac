"""Figures of built scenes: rays from above and in space, when they arrive, and the pattern a scene leaves."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from matplotlib.axes import Axes
from matplotlib.collections import LineCollection, PatchCollection
from matplotlib.colors import ListedColormap, Normalize
from matplotlib.figure import Figure
from matplotlib.patches import PathPatch
from matplotlib.path import Path
from mpl_toolkits.mplot3d.art3d import Line3DCollection, Poly3DCollection

from ...arraytypes import Floats
from ...units import engineering
from .solids import bar, space
from .style import FAINT, INK, LINES, PAPER, SHORE, flat_axes, heading, legend_above, look, sheet

if TYPE_CHECKING:
    import pandas as pd

    from ...reach import Body, Rays, Scene

_WALL = "#c9bda5"
_BELOW = 40.0
"""dB below the strongest, down to which rays are drawn."""
_INKS = ListedColormap(SHORE(np.linspace(0.0, 0.88, 256)))
"""Without what is too pale for lines."""
_ROOM = 8.0
"""m round what is drawn, at least."""


def rays(found: Rays) -> Figure:
    """The strongest rays between two stations, from above and in space, their colours by level.

    Those that are 40 dB below the strongest are left out, and so is what is built far from all of them.
    """
    levels = found.levels
    top = float(levels.max()) if len(levels) else 0.0
    shown = np.flatnonzero(levels >= top - _BELOW)
    shown = shown[np.argsort(levels[shown], kind="stable")]
    lines = [found.line(int(n)) for n in shown]
    places = np.concatenate([found.places, *lines])
    low, high = places.min(axis=0), places.max(axis=0)
    pad = max(_ROOM, 0.12 * float((high - low)[:2].max()))
    low, high = low - pad, high + pad
    scale = Normalize(top - _BELOW, top)
    with look():
        figure = sheet()
        axes = figure.add_axes((0.07, 0.14, 0.40, 0.76))
        from_above(axes, found.scene)
        if lines:
            drawn = LineCollection([line[:, :2] for line in lines], cmap=_INKS, norm=scale, linewidths=1.3)
            drawn.set_array(levels[shown])
            axes.add_collection(drawn)
        # Both panels equally wide and tall: as much of the place as that takes.
        middle, half = 0.5 * (low + high), 0.5 * float((high - low)[:2].max())
        axes.set_xlim(middle[0] - half, middle[0] + half)
        axes.set_ylim(middle[1] - half, middle[1] + half)
        axes.set_aspect("equal", anchor="W")
        axes.grid(False)
        axes.set_xlabel("x, m")
        axes.set_ylabel("y, m")
        for n, station in enumerate(found.stations):
            _station(axes, station.name, found.places[n], found.places[n][0] > middle[0])
        box = np.array([middle[:2] - half, middle[:2] + half])
        near = [body for body in found.scene.bodies if _within(body, box)]
        tall = max([float(high[2]), *(float(face.sides[..., 2].max()) for body in near for face in body.faces)])
        solid = space(
            figure, (0.47, 0.10, 0.43, 0.84), np.array([*box[0], 0.0]), np.array([*box[1], tall]), 1.25
        )  # fmt: skip
        solid.patch.set_alpha(0.0)
        _in_space(solid, near, lines, levels[shown], scale, found.places)
        bar(figure, (0.912, 0.22, 0.014, 0.55), scale, "level of each ray alone, dBm", colours=_INKS)
        one, two = found.stations
        bounces = ", ".join(f"{int((found.bounces == n).sum())} with {n}" for n in np.unique(found.bounces))
        heading(
            figure, f"{one.name} to {two.name}: {found.margin:+.1f} dB of margin",
            f"{engineering(found.frequency, 'Hz', 6)}; {len(levels)} rays ({bounces} turns), {len(shown)} within "
            f"{_BELOW:.0f} dB drawn; {found.level:.1f} dBm received, {found.loss:.1f} dB lost, {found.mean_loss:.1f} "
            f"on average round about; over {found.ground}",
        )  # fmt: skip
    return figure


def _station(axes: Axes, name: str, place: Floats, leftwards: bool) -> None:
    axes.plot(*place[:2], "o", color=LINES[1], markersize=8, markeredgecolor=PAPER, zorder=6)
    axes.annotate(
        f"{name}, {place[2]:.3g} m up", (place[0], place[1]), (-9 if leftwards else 9, 8), fontsize=10,
        textcoords="offset points", fontweight="bold", color=INK, zorder=7, ha="right" if leftwards else "left",
        bbox={"facecolor": PAPER, "edgecolor": "none", "alpha": 0.75, "pad": 1.2},
    )  # fmt: skip


def _within(body: Body, box: Floats) -> bool:
    corners = np.concatenate([face.sides.reshape(-1, 3) for face in body.faces])[:, :2]
    middle = 0.5 * (corners.max(axis=0) + corners.min(axis=0))
    return bool((middle >= box[0]).all() and (middle <= box[1]).all())


def from_above(axes: Axes, scene: Scene) -> None:
    """What is built, as seen from above: the higher, the darker."""
    patches, heights = [], []
    for body in scene.bodies:
        for face in body.faces:
            if abs(face.normal[2]) > 0.05 or body.open:
                patches.append(PathPatch(_outline(face.sides[..., :2])))
                heights.append(float(face.sides[..., 2].max()))
    if patches:
        shade = np.clip(np.array(heights) / max(heights), 0.15, 1.0)
        colours = [(*_rgb(_WALL), 0.35 + 0.6 * s) for s in shade]
        axes.add_collection(PatchCollection(patches, facecolors=colours, edgecolors=FAINT, linewidths=0.6, zorder=2))


def _rgb(colour: str) -> tuple[float, float, float]:
    from matplotlib.colors import to_rgb

    return to_rgb(colour)


def _outline(sides: Floats) -> Path:
    """Sides in any order as closed rings."""
    vertices, codes = [], []
    for ring in _rings(sides):
        vertices += [*ring, ring[0]]
        codes += [Path.MOVETO, *([Path.LINETO] * (len(ring) - 1)), Path.CLOSEPOLY]
    return Path(vertices, codes)


def _rings(sides: Floats) -> list[list[Floats]]:
    left = [tuple(np.round(side, 6).ravel()) for side in sides]
    width = sides.shape[-1]
    ends = [(side[:width], side[width:]) for side in left]
    rings = []
    while ends:
        first, at = ends.pop(0)
        ring = [first]
        while at != first:
            number = next((n for n, pair in enumerate(ends) if at in pair), None)
            if number is None:
                break
            one, two = ends.pop(number)
            ring.append(at)
            at = two if one == at else one
        rings.append([np.array(corner) for corner in ring])
    return rings


def _in_space(
    axes: object, bodies: list[Body], lines: list[Floats], levels: Floats, scale: Normalize, places: Floats
) -> None:
    walls = [np.array(ring) for body in bodies for face in body.faces for ring in _rings(face.sides)]
    if walls:
        axes.add_collection3d(  # type: ignore[attr-defined]
            Poly3DCollection(walls, facecolors=(*_rgb(_WALL), 0.42), edgecolors=FAINT, linewidths=0.35)
        )
    if lines:
        drawn = Line3DCollection(lines, cmap=_INKS, norm=scale, linewidths=1.1)
        drawn.set_array(levels)
        axes.add_collection3d(drawn)  # type: ignore[attr-defined]
    for place in places:
        axes.plot(*np.stack([[*place[:2], 0.0], place], axis=1), color=INK, linewidth=1.6, linestyle="-")  # type: ignore[attr-defined]
        axes.plot(*place[:, None], "o", color=LINES[1], markersize=7, markeredgecolor=PAPER)  # type: ignore[attr-defined]


def impulse(found: Rays, bandwidth: str | float | None = None) -> Figure:
    """When rays arrive, each by itself, and what a receiver of the second station's bandwidth makes of them."""
    wide = found.stations[1].bandwidth if bandwidth is None else bandwidth
    delays, response = found.impulse(bandwidth=bandwidth)
    one, two = found.stations
    sent = found.levels - 20.0 * np.log10(np.maximum(np.abs(found.amplitude), 1e-15))
    curve = 20.0 * np.log10(np.maximum(np.abs(response), 1e-15)) + float(sent[0])
    top = float(max(found.levels.max(), curve.max()))
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        foot = top - 70.0
        strong = found.levels > foot
        axes.vlines(1e9 * found.delays[strong], foot, found.levels[strong], color=LINES[0], linewidth=1.4,
                    label="rays")  # fmt: skip
        axes.plot(1e9 * found.delays[strong], found.levels[strong], "o", color=LINES[0], markersize=4)
        label = f"in a band of {engineering(wide, 'Hz')}" if not isinstance(wide, str) else f"in a band of {wide}"
        axes.plot(1e9 * delays, np.maximum(curve, foot), color=LINES[1], linewidth=1.8, linestyle="-", label=label)
        axes.set_ylim(foot, top + 4.0)
        own = 1e9 * found.delays[strong]
        room = max(0.06 * float(np.ptp(own)), 2.0)
        axes.set_xlim(float(own.min()) - room, float(own.max()) + room)
        axes.set_xlabel("delay, ns")
        axes.set_ylabel("level, dBm")
        legend_above(axes)
        heading(
            figure, f"{one.name} to {two.name}: {1e9 * found.spread:.3g} ns of delay spread",
            f"{engineering(found.frequency, 'Hz', 6)}; {int(strong.sum())} of {len(strong)} rays shown, the first "
            f"after {1e9 * float(found.delays[0]):.4g} ns; {found.level:.1f} dBm with all phases",
        )  # fmt: skip
    return figure


def scene_pattern(table: pd.DataFrame, name: str) -> Figure:
    """Gain by azimuth as a scene leaves it, and in the open; see `reach.gain_in_scene`."""
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        azimuth = table["azimuth_deg"]
        top = float(max(table["gain_dBi"].max(), table["gain_in_the_open_dBi"].max()))
        axes.plot(azimuth, table["gain_dBi"], color=LINES[0], linewidth=1.1, linestyle="-", label="in the scene")
        axes.plot(azimuth, table["gain_in_the_open_dBi"], color=LINES[1], linestyle=(0, (6, 2)), label="in the open")
        axes.set_xlim(float(azimuth.min()), float(azimuth.max()))
        axes.set_ylim(top - 50.0, top + 3.0)
        axes.set_xlabel("azimuth by the compass, deg")
        axes.set_ylabel("realized gain, dBi")
        if float(np.ptp(azimuth)) > 180.0:
            axes.set_xticks(np.arange(0.0, 361.0, 45.0))
        legend_above(axes)
        rise = float(table["elevation_deg"].iloc[0])
        heading(
            figure, f"{name}: {top:.1f} dBi at most, {rise:g} deg up",
            "far from all that is built, both polarisations; the ground sends back in the scene, not in the open",
        )  # fmt: skip
    return figure
