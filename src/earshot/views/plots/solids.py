"""Three-dimensional views: the pattern round the antenna, and the currents on it."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from matplotlib.cm import ScalarMappable
from matplotlib.colors import Colormap, Normalize
from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator
from mpl_toolkits.mplot3d.art3d import Line3DCollection

from ... import units
from ...answers.driven import Driven
from ...arraytypes import Floats
from ...constants import SPEED_OF_LIGHT
from ...description.antenna import Antenna
from ...errors import UsageError
from ...fields.far import FarField
from ...fields.gains import decibels
from ...units import engineering
from .style import FAINT, INK, PORT, PORT_COLOUR, SHORE, heading, length_unit, look, pen, sheet
from .subjects import fields_of


def space(figure: Figure, place: tuple[float, float, float, float], low: Floats, high: Floats, zoom: float) -> Any:
    """Axes in space with equal scales and no boxes, holding everything from low to high."""
    axes: Any = figure.add_axes(place, projection="3d", computed_zorder=False)
    span = np.maximum(high - low, 0.2 * (high - low).max())
    middle = 0.5 * (low + high)
    for setter, m, s in zip((axes.set_xlim, axes.set_ylim, axes.set_zlim), middle, span, strict=True):
        setter(m - s / 2, m + s / 2)
    axes.set_box_aspect(span, zoom=zoom)
    axes.set_axis_off()
    axes.view_init(elev=24, azim=-55)
    return axes


def arrows(axes: Any, origin: Floats, lengths: Floats, names: str = "xyz") -> None:
    """The directions x, y and z from an origin, so long, or the first of them."""
    pad = 0.08 * float(lengths.max())
    for direction, length, name in zip(np.eye(3), lengths, names, strict=False):
        axes.plot(
            *np.stack([origin, origin + length * direction], axis=1),
            color=FAINT,
            linewidth=1.2,
            linestyle="-",
            clip_on=False,
        )
        axes.text(*(origin + (length + pad) * direction), name, color=FAINT, fontsize=10, ha="center", va="center")


def bar(
    figure: Figure,
    place: tuple[float, float, float, float],
    scale: Normalize,
    label: str,
    lie: str = "vertical",
    colours: Colormap = SHORE,
) -> None:
    """A scale of colours."""
    drawn = figure.colorbar(ScalarMappable(scale, colours), cax=figure.add_axes(place), orientation=lie)
    drawn.locator = MaxNLocator(6 if lie == "vertical" else 4)
    drawn.set_label(label)
    drawn.outline.set_visible(False)


def pattern(
    given: FarField | Driven,
    antenna: Antenna | None = None,
    *,
    span: float = 30.0,
    step: str | None = None,
    reach: str | float | None = None,
) -> Figure:
    """Gain in every direction as a solid: distance and colour are dBi, span decibels from the peak to the middle.

    step: 3 deg, or as fine as the lobes need, down to one. antenna: drawn inside it. reach: how far from the middle the
    peak is drawn ("1 m"), with the antenna to that scale; unless given the antenna is as large as shows well. Raises
    UsageError for a reach that is not above zero.
    """
    field = fields_of(given)[0]
    sphere = field.sphere(min(3.0, max(1.0, math.degrees(field.step))) if step is None else step)
    gain = sphere.gain.values
    # The peak may lie between the samples.
    top = float(decibels(field.gain(*field.peak)))
    level = np.clip((gain - top) / span + 1.0, 0.0, 1.0)
    long = SPEED_OF_LIGHT / field.frequency
    metres = None if reach is None else units.read(reach, "length", what="pattern, reach", wavelength=long)
    if metres is not None and metres <= 0.0:
        raise UsageError(f"pattern: reach {reach} is not above zero; give a length such as '1 m'")
    theta, phi = np.radians(sphere.theta.values)[:, None], np.radians(sphere.phi.values)
    solid = np.stack([np.sin(theta) * np.cos(phi), np.sin(theta) * np.sin(phi), np.cos(theta) + 0.0 * phi]) * level
    low = np.minimum(solid.min(axis=(1, 2)), 0.0)
    tips = np.maximum(solid.max(axis=(1, 2)), 0.0) + 0.2
    high = tips
    if antenna is not None:
        middle, stretch = _copied(antenna, field.half_space, metres)
        ends = (np.array(antenna.extent) - middle) * stretch
        low, high = np.minimum(low, ends[0]), np.maximum(tips, ends[1])
    # A pencil would stand out of the figure.
    slim = np.maximum(0.8 * float((high - low).max()) - (high - low), 0.0) * [0.5, 0.5, 0.0]
    low, high = low - slim, high + slim
    with look():
        figure = sheet()
        axes = space(figure, (0.02, 0.07, 0.84, 0.83), low, high, 1.2)
        scale = Normalize(top - span, top)
        faces = SHORE(scale(np.maximum(gain, top - span)))
        faces[..., 3] = 0.7
        axes.plot_surface(
            *solid, facecolors=faces, rstride=1, cstride=1, linewidth=0, shade=False, zorder=1, rasterized=True
        )
        note = f"middle: {top - span:.1f} dBi and below"
        if antenna is not None:
            _copy(axes, antenna, middle, stretch)
            rim = (
                f"to scale, the peak drawn {engineering(metres, 'm')} out"
                if metres
                else "not to the scale of the pattern"
            )
            note += f"; the antenna in the middle is {rim}"
        arrows(axes, np.zeros(3), tips)
        bar(figure, (0.89, 0.2, 0.018, 0.6), scale, "gain, dBi")
        name = f"{field.label}: gain at {engineering(field.frequency, 'Hz', 6)}, peak {top:.2f} dBi"
        heading(figure, name, note)
    return figure


def _copied(antenna: Antenna, on_plane: bool, metres: float | None) -> tuple[Floats, float]:
    """Where the antenna's middle is, and its scale: 0.4 of the pattern's size, or so many metres to the peak."""
    low, high = antenna.extent
    middle = 0.5 * (low + high) * (np.array([1.0, 1.0, 0.0]) if on_plane else 1.0)
    return middle, 1.0 / metres if metres else 0.4 / float(np.linalg.norm(np.maximum(high - middle, middle - low)))


def _copy(axes: Any, antenna: Antenna, middle: Floats, stretch: float) -> None:
    """The antenna in the middle of the pattern."""
    from .surfaces import draw_sheets

    draw_sheets(axes, antenna, middle=middle, scale=stretch)
    for wire in antenna.wires:
        places = (wire.corners - middle) * stretch
        axes.plot(*places.T, color=INK, linewidth=2.0, linestyle="-", zorder=3)


_ALONG = {"current": ("current, A peak", "current_A", 1.0), "charge": ("charge, nC/m peak", "charge_C_per_m", 1e9)}
"""What is drawn along wires: its label, the column of `Driven.currents_table`, and its unit."""


def currents(driven: Driven, *, which: str = "current") -> Figure:
    """The antenna with its wires coloured by "current" or "charge", ports marked, to scale; beside it, along each wire.

    Raises UsageError for another word.
    """
    if not isinstance(driven, Driven):
        raise UsageError(f"a {type(driven).__name__} has no currents: use solution.drive(...)")
    if not driven.antenna.wires:
        raise UsageError(f"antenna '{driven.antenna.name}' has no wires: draw its surface_currents")
    if which not in _ALONG:
        raise UsageError(f"currents: which = '{which}' is not 'current' or 'charge'")
    antenna, label = driven.antenna, _ALONG[which][0]
    mesh, ends = driven.flow.mesh, driven.flow.ends
    if which == "current":
        magnitude = np.abs(ends).mean(axis=1)
    else:
        magnitude = 1e9 * np.abs(ends[:, 0] - ends[:, 1]) / (2.0 * np.pi * driven.frequency * mesh.lengths)
    low, high = antenna.extent
    # A plane far below would leave little paper for the antenna.
    with_plane = antenna.medium.has_plane and low[2] < antenna.size
    low = np.minimum(low, 0.0 * high) if with_plane else low
    with look():
        figure = sheet()
        corner = low - 0.15 * antenna.size * np.array([1.0, 1.0, 0.0])
        axes = space(figure, (0.0, 0.2, 0.5, 0.72), corner, high, 0.85)
        # Charge piles up without bound at the very ends of thin wires: they are shown at the top of the scale.
        from .surfaces import draw_sheets

        draw_sheets(axes, antenna)
        scale = Normalize(0.0, float(magnitude.max() if which == "current" else np.percentile(magnitude, 97)))
        lines = np.stack([mesh.nodes[mesh.ends[:, 0]], mesh.nodes[mesh.ends[:, 1]]], axis=1)
        axes.add_collection3d(Line3DCollection(lines, colors=SHORE(scale(magnitude)), linewidths=4.0, capstyle="round"))
        for port in antenna.ports:
            place = antenna.place_of(port)
            axes.plot(*place[:, None], marker=PORT, markersize=12, color=PORT_COLOUR)
            axes.text(*(place + 0.03 * antenna.size), port.name, fontsize=10, color=PORT_COLOUR, fontweight="bold")
        if with_plane:
            plane_outline(axes, low, high, antenna.size)
        arrows(axes, corner, np.full(3, 0.15 * antenna.size))
        bar(figure, (0.06, 0.12, 0.38, 0.016), scale, label, "horizontal")
        cut = _along_wires(figure, driven, which)
        name = f"{antenna.name}: {which} at {engineering(driven.frequency, 'Hz', 6)}"
        heading(figure, name, f"{len(mesh)} segments; {driven.accepted:.4g} W accepted; {antenna.medium}{cut}")
    return figure


def plane_outline(axes: Any, low: Floats, high: Floats, size: float) -> None:
    """The edge of a piece of the plane z = 0 under an antenna."""
    square = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1], [-1, -1]])
    edge = square * (0.5 * (high - low)[:2] + 0.2 * size) + 0.5 * (high + low)[:2]
    axes.plot(edge[:, 0], edge[:, 1], 0.0, color=FAINT, linewidth=1.0, linestyle="-", clip_on=False)


def _along_wires(figure: Figure, driven: Driven, which: str) -> str:
    """Curves along every wire; returns a remark when they go on beyond the axis."""
    label, column, unit = _ALONG[which]
    axes = figure.add_axes((0.575, 0.155, 0.39, 0.7))
    table = driven.currents_table()
    wires = list(dict.fromkeys(table["wire"]))
    most, (k, scale) = 0.0, length_unit(float(table["along_m"].max()))
    for i, wire in enumerate(wires):
        own = table[table["wire"] == wire]
        magnitude = unit * np.abs(own[column].to_numpy())
        colour, dash = pen(i)
        axes.plot(k * own["along_m"], magnitude, label=wire, color=colour, linestyle=dash)
        along = own["along_m"].to_numpy()
        # Apart from the last hundredth of the wire at its ends, where charge piles up.
        inner = (along > 0.01 * along[-1]) & (along < 0.99 * along[-1])
        most = max(most, float(magnitude[inner].max())) if inner.any() else most
    cut = which == "charge" and most > 0.0
    axes.set_ylim(0.0, 1.15 * most if cut else None)
    axes.set_xlim(left=0.0)
    axes.set_xlabel(f"distance along the wire, {scale}")
    axes.set_ylabel(label)
    if len(wires) <= 12:
        axes.legend(loc="lower center", bbox_to_anchor=(0.5, 1.0), ncols=min(len(wires), 3))
    return "; rises further at the very ends" if cut else ""
