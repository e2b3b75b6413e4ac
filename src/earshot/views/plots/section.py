"""A board cut upright: its layers to scale, what lies on their faces, and the pins through them."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.colors import to_rgb
from matplotlib.figure import Figure

from ... import units
from ...description.antenna import Antenna
from ...description.design import Design
from ...errors import UsageError
from ...files.design_file import DesignFile
from ...media.stack import Stack
from ...units import engineering
from .placing import Room
from .style import FAINT, INK, LINES, PORT, PORT_COLOUR, heading, look, sheet
from .subjects import antenna_of
from .surfaces import cut_lines, drawn_meshes

_RATIOS = (1, 2, 3, 5, 8, 10, 15, 20, 30, 50, 80, 100, 200, 500, 1000)
_TALL = 0.42
_LIGHT, _DEEP = np.array(to_rgb("#f1ebdb")), np.array(to_rgb("#c9a46a"))
_MOST_NAMES, _MOST_BESIDE = 14, 6


def section(antenna: Antenna | Design | DesignFile, *, along: str = "x", at: str | float | None = None) -> Figure:
    """A board cut along x or y: layers, metal where it is cut and faintly what is beside it, pins, ports.

    at: where on the other axis ("9 mm", or metres); through the first port unless given. Heights are drawn larger where
    the board is thin, as the foot says. Raises UsageError where there are no layers, UnitError for what is no length.
    """
    shown = antenna_of(antenna)
    stack = shown.medium.stack
    if stack is None:
        raise UsageError(f"section: '{shown.name}' has no layers: draw its geometry")
    if along not in ("x", "y"):
        raise UsageError(f"section: along {along!r}: it is x or y")
    axis = "xy".index(along)
    where = _through_port(shown, 1 - axis) if at is None else units.length(at, "section, at")
    low, high = (float(x[axis]) for x in shown.extent)
    margin = 0.08 * max(high - low, 2.0 * stack.thickness)
    depth = shown.medium.sides[1].thickness if shown.medium.sides else 0.0
    top = max(float(shown.extent[1][2]), stack.thickness)
    ratio = next((r for r in _RATIOS if r * (top + depth) >= _TALL * (high - low) / 1.6), _RATIOS[-1])
    with look():
        figure = sheet()
        times = "" if ratio == 1 else f"; heights {ratio} times as large as lengths"
        cut = f"cut along {along} at {'yx'[axis]} = {engineering(where, 'm') if where else '0'}"
        heading(figure, f"{shown.name}: section of the board", f"{cut}{times}")
        axes = figure.add_axes((0.08, 0.11, 0.62, 0.74))
        axes.set_xlim(1e3 * (low - margin), 1e3 * (high + margin))
        spare = top + depth
        below = depth + (0.18 if depth else 0.16 if stack.has_plane else 0.3) * spare
        axes.set_ylim(-1e3 * below, 1e3 * (top + 0.18 * spare))
        axes.grid(False)
        _draw_layers(axes, shown.medium.sides or (stack,))
        names = _draw_metal(axes, shown, axis, where)
        names += _draw_wires(axes, shown, axis, where, 0.02 * (high - low))
        _draw_ports(axes, shown, axis)
        axes.set_xlabel(f"{along}, mm")
        axes.set_ylabel("z, mm")
        axes.set_yticks([1e3 * z for z in _faces(shown.medium.sides or (stack,))])
        axes.yaxis.set_major_formatter(lambda z, _: f"{z:.3g}")
        room = Room(axes)
        for name, place in names[:_MOST_NAMES]:
            room.put(name, place, size=9.0)
    return figure


def _through_port(antenna: Antenna, axis: int) -> float:
    """The place on an axis of the first port, or of the middle where there is none."""
    if antenna.ports:
        return float(antenna.place_of(antenna.ports[0])[axis])
    return float(0.5 * (antenna.extent[0][axis] + antenna.extent[1][axis]))


def _faces(sides: tuple[Stack, ...]) -> list[float]:
    """Heights of all faces, from the lowest, m: those of layers over a plane, and of what hangs under it."""
    return sorted({sense * z for side, sense in zip(sides, (1.0, -1.0), strict=False) for z in side.faces})


def _draw_layers(axes: Axes, sides: tuple[Stack, ...]) -> None:
    left, right = axes.get_xlim()
    stack, faces = sides[0], [1e3 * z for z in _faces(sides)]
    spread, bottom = axes.get_ylim()[1] - axes.get_ylim()[0], axes.get_ylim()[0]
    last = 0.0 if len(sides) > 1 else -math.inf
    for n, layer in enumerate([layer for side in sides[:0:-1] for layer in side.layers[::-1]] + [*stack.layers]):
        made = layer.material
        share = 1.0 - 1.0 / made.permittivity
        colour = _LIGHT + (_DEEP - _LIGHT) * share
        axes.fill_between([left, right], faces[n], faces[n + 1], color=tuple(colour), lw=0, zorder=0)
        for face in faces[n : n + 2]:
            axes.plot([left, right], [face] * 2, color=FAINT, lw=0.7, ls="-", zorder=1)
        # Words at the side, each by its layer, none over another.
        height = max((0.5 * (faces[n] + faces[n + 1]) - bottom) / spread, last + 0.085)
        last = height
        loss = f", tan δ {made.loss_tangent:g}" if made.loss_tangent else ""
        name = f"“{layer.name}”: " if layer.name else ""
        axes.text(
            1.02, height, f"{name}{made.name}\n{engineering(layer.thickness, 'm')}, εr {made.permittivity:g}{loss}",
            transform=axes.transAxes, va="center", fontsize=9,
        )  # fmt: skip
    metal = stack.plane.name if stack.plane else "perfect conductor"
    for side, sense in zip(sides, (1.0, -1.0), strict=False):
        if side.lid:
            axes.plot([left, right], [1e3 * sense * side.thickness] * 2, color=INK, ls="-", lw=3, zorder=2)
    if len(sides) > 1:
        axes.plot([left, right], [0.0, 0.0], color=INK, ls="-", lw=3, zorder=2)
        axes.text(1.02, 0.03, f"plane at z = 0: {metal}", transform=axes.transAxes, va="center", fontsize=9)
    elif stack.has_plane:
        ground = bottom + 0.55 * (faces[0] - bottom)
        axes.fill_between(
            [left, right], ground, faces[0], facecolor="none", edgecolor=INK, hatch="////", lw=0, zorder=1
        )
        axes.plot([left, right], [faces[0]] * 2, color=INK, ls="-", lw=3, zorder=2)
        axes.text(1.02, 0.03, f"plane: {metal}", transform=axes.transAxes, va="center", fontsize=9)
    else:
        axes.plot([left, right], [faces[0]] * 2, color=FAINT, ls="-", lw=0.7, zorder=1)
        axes.text(1.02, 0.03, "air below", transform=axes.transAxes, va="center", fontsize=9)


Names = list[tuple[str, tuple[float, float]]]


def _draw_metal(axes: Axes, antenna: Antenna, axis: int, where: float) -> Names:
    """Sheets where they are cut, and faintly as far as they reach; their names and where these belong."""
    names: Names = []
    normal = np.zeros(3)
    normal[1 - axis] = 1.0
    for own, mesh in zip(antenna.sheets, drawn_meshes(antenna), strict=True):
        corners, opening = mesh.corners, antenna.is_opening(own)
        flat = float(np.ptp(corners[..., 2])) < 1e-9
        if flat:
            reach = 1e3 * np.array([corners[..., axis].min(), corners[..., axis].max()])
            axes.plot(reach, [1e3 * corners[0, 0, 2]] * 2, color=LINES[0], ls="-", lw=1.2, alpha=0.45, zorder=3)
        # A little aside, since sides of triangles may run along the cut.
        lines = 1e3 * cut_lines(corners, normal, where + 1e-5 * antenna.size)
        for line in lines:
            look_of: Any = {"color": "white", "lw": 5.0} if opening else {"color": LINES[0], "lw": 4.5}
            axes.plot(line[:, axis], line[:, 2], ls="-", solid_capstyle="butt", zorder=4, **look_of)
        if lines.size:
            names.append((own.name, (float(lines[..., axis].mean()), float(lines[..., 2].mean()))))
        else:
            middle = 1e3 * corners.reshape(-1, 3).mean(axis=0)
            names.append((f"{own.name} (beside)", (float(middle[axis]), float(middle[2]))))
    return names


def _draw_wires(axes: Axes, antenna: Antenna, axis: int, where: float, close: float) -> Names:
    names: Names = []
    told = len(antenna.wires) <= _MOST_BESIDE
    for wire in antenna.wires:
        here = bool((np.abs(wire.corners[:, 1 - axis] - where) <= max(close, wire.radius)).all())
        x, z = 1e3 * wire.corners[:, axis], 1e3 * wire.corners[:, 2]
        axes.plot(x, z, color=LINES[4], ls="-", lw=3.5 if here else 1.5, alpha=1.0 if here else 0.5, zorder=5)
        if here or told:
            names.append((wire.name if here else f"{wire.name} (beside)", (float(x.mean()), float(z.mean()))))
    return names


def _draw_ports(axes: Axes, antenna: Antenna, axis: int) -> None:
    marks: Any = {"marker": PORT, "ls": "none", "ms": 11, "mfc": PORT_COLOUR, "mec": INK, "zorder": 6}
    for place in map(antenna.place_of, antenna.ports):
        axes.plot([1e3 * place[axis]], [1e3 * place[2]], **marks, clip_on=False)
