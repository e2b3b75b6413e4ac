"""Three-dimensional views: the pattern round the antenna, and the currents on it."""

from __future__ import annotations

from typing import Any

import numpy as np
from matplotlib.cm import ScalarMappable
from matplotlib.colors import Normalize
from matplotlib.figure import Figure
from mpl_toolkits.mplot3d.art3d import Line3DCollection
from numpy.typing import NDArray

from ...answers.solution import Driven
from ...fields.far import FarField
from ...geometry.antenna import Antenna
from ...units import engineering
from .style import FAINT, INK, LINES, SHORE, clear_below, heading, look, sheet

Floats = NDArray[np.float64]


def _bare(axes: Any, low: Floats, high: Floats) -> None:
    """Equal scales, no boxes; what is left is the thing itself."""
    span = np.maximum(high - low, 0.15 * (high - low).max())
    middle = 0.5 * (low + high)
    for setter, m, s in zip((axes.set_xlim, axes.set_ylim, axes.set_zlim), middle, span, strict=True):
        setter(m - s / 2, m + s / 2)
    axes.set_box_aspect(span, zoom=1.25)
    axes.set_axis_off()


def _arrows(axes: Any, origin: Floats, size: float) -> None:
    for direction, name in zip(np.eye(3), "xyz", strict=True):
        tip = origin + size * direction
        axes.plot(*np.stack([origin, tip], axis=1), color=FAINT, linewidth=1.2, linestyle="-")
        axes.text(*(origin + 1.15 * size * direction), name, color=FAINT, fontsize=10, ha="center", va="center")


def pattern(field: FarField, antenna: Antenna | None = None, *, span: float = 30.0, step: str = "3 deg") -> Figure:
    """Gain in every direction as a solid: distance and colour are dBi, span decibels from the peak to the middle.

    antenna: drawn inside it, not to the same scale.
    """
    sphere = field.sphere(step)
    gain = sphere.gain.values
    top = float(gain.max())
    level = np.clip((gain - top) / span + 1.0, 0.0, 1.0)
    theta, phi = np.radians(sphere.theta.values)[:, None], np.radians(sphere.phi.values)
    x, y, z = level * np.sin(theta) * np.cos(phi), level * np.sin(theta) * np.sin(phi), level * np.cos(theta)
    with look():
        figure = sheet()
        axes: Any = figure.add_subplot(projection="3d", computed_zorder=False)
        scale = Normalize(top - span, top)
        faces = SHORE(scale(np.maximum(gain, top - span)))
        faces[..., 3] = 0.72
        axes.plot_surface(x, y, z, facecolors=faces, rstride=1, cstride=1, linewidth=0, shade=False, zorder=1)
        if antenna is not None:
            low, high = antenna.extent
            middle = 0.5 * (low + high) * (np.array([1.0, 1.0, 0.0]) if field.half_space else 1.0)
            share = 0.55 / max(float(np.linalg.norm(np.maximum(high - middle, middle - low))), 1e-12)
            for wire in antenna.wires:
                axes.plot(*((wire.corners - middle) * share).T, color=INK, linewidth=2.0, linestyle="-", zorder=3)
        _arrows(axes, np.zeros(3), 1.15)
        corners = np.stack([np.ravel(x), np.ravel(y), np.ravel(z)], axis=1)
        _bare(axes, np.minimum(corners.min(axis=0), -0.3), np.maximum(corners.max(axis=0), 0.9))
        axes.view_init(elev=24, azim=-50)
        bar = figure.colorbar(ScalarMappable(scale, SHORE), ax=axes, shrink=0.75, pad=0.02)
        bar.set_label("gain, dBi")
        bar.outline.set_visible(False)  # type: ignore[operator]
        around = "the antenna inside is not to the scale of the pattern" if antenna is not None else ""
        heading(figure, f"{field.label}: gain at {engineering(field.frequency, 'Hz')}, peak {top:.2f} dBi", around)
        clear_below(figure)
    return figure


def currents(driven: Driven) -> Figure:
    """The antenna, its wires coloured by current magnitude, its ports marked, lengths to scale."""
    antenna = driven.antenna
    mesh, ends = driven.wire_currents.mesh, driven.wire_currents.ends
    magnitude = np.abs(ends).mean(axis=1)
    with look():
        figure = sheet()
        axes: Any = figure.add_subplot(projection="3d", computed_zorder=False)
        scale = Normalize(0.0, float(magnitude.max()))
        lines = np.stack([mesh.nodes[mesh.ends[:, 0]], mesh.nodes[mesh.ends[:, 1]]], axis=1)
        axes.add_collection3d(Line3DCollection(lines, colors=SHORE(scale(magnitude)), linewidths=4.5, capstyle="round"))
        low, high = antenna.extent
        for wire in antenna.wires:
            axes.text(*(wire.corners[-1] + 0.02 * antenna.size), wire.name, fontsize=10, color=INK)
        for port in antenna.ports:
            wire = antenna.wire(port.on)
            place = wire.at(sum(port.span(wire, antenna.grounded(wire))) / 2)
            axes.plot(*place[:, None], "o", markersize=11, markerfacecolor="none", markeredgewidth=2, color=LINES[4])
            axes.text(*(place + 0.03 * antenna.size), port.name, fontsize=10, color=LINES[4], fontweight="bold")
        if antenna.medium.has_plane:
            low = np.minimum(low, high * (1, 1, 0))
            reach = 0.15 * antenna.size
            square = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1], [-1, -1]]) * (0.5 * (high - low)[:2] + reach)
            edge = square + 0.5 * (high + low)[:2]
            axes.plot(edge[:, 0], edge[:, 1], 0.0, color=FAINT, linewidth=1.0, linestyle="-")
        _arrows(axes, low - 0.08 * antenna.size * (0.0 if antenna.medium.has_plane else 1.0), 0.12 * antenna.size)
        _bare(axes, low, high)
        axes.view_init(elev=24, azim=-50)
        bar = figure.colorbar(ScalarMappable(scale, SHORE), ax=axes, shrink=0.75, pad=0.02)
        bar.set_label("current, A peak")
        bar.outline.set_visible(False)  # type: ignore[operator]
        heading(
            figure,
            f"{antenna.name}: currents at {engineering(driven.frequency, 'Hz')}",
            f"{len(mesh)} segments; {driven.accepted:.4g} W accepted; {antenna.medium}",
        )
        clear_below(figure)
    return figure
