"""The antenna itself: wires with their names, ports, loads, named dimensions, and what a check found."""

from __future__ import annotations

import itertools
import textwrap
from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
from matplotlib.collections import PolyCollection
from matplotlib.figure import Figure

from ...arraytypes import Floats
from ...checks.findings import Finding
from ...description.antenna import Antenna
from ...description.design import Design
from ...description.parts import Gap, Port, Wire
from ...files.design_file import DesignFile, Dimension, dimensions
from ...meshing.sheet_mesh import SheetMesh
from ...units import engineering
from .placing import spread
from .solids import arrows, plane_outline, space
from .style import FAINT, INK, LINES, PORT, PORT_COLOUR, SOFT, heading, look, sheet
from .subjects import antenna_of
from .surfaces import draw_sheets

_FLAT = 0.01
_HIGH = 1.0
_MOST_NAMES, _MOST_PORTS = 24, 6
_LEVELS = {"stop": LINES[4], "warn": LINES[1], "note": LINES[0]}


class _View:
    """Where points go on the sheet: straight on to a plane for flat antennas, in space for others."""

    def __init__(self, figure: Figure, antenna: Antenna, width: float) -> None:
        low, high = antenna.extent
        printed = antenna.printed
        if printed:
            # Seen from above, with a margin of the board.
            low = np.append(low[:2], high[2])
        # An antenna high up would be small beside the plane under it: then it is drawn alone.
        self.standing = antenna.medium.has_plane and not low[2] > _HIGH * float(np.linalg.norm(high - low))
        if self.standing and not printed:
            low = np.minimum(low, high * [1.0, 1.0, 0.0])
        self.size = float(np.linalg.norm(high - low))
        self.middle = 0.5 * (low + high)
        thin = np.flatnonzero(high - low <= _FLAT * self.size)
        self.flat = len(thin) > 0
        if self.flat:
            # A straight antenna is thin two ways: look along x, or along y when it runs along x.
            normal = int(thin[0]) if len(thin) < 3 else 0
            self.normal = normal
            self.across, self.up = {0: (1, 2), 1: (0, 2), 2: (0, 1)}[normal]
            self.axes: Any = figure.add_axes((0.03, 0.07, width - 0.03, 0.83))
            self.axes.set_aspect("equal")
            self.axes.set_axis_off()
        else:
            # A flat-lying antenna leaves room above and below: come closer.
            zoom = 1.0 + 0.35 * (1.0 - float((high - low)[2] / (high - low).max()))
            zoom *= (0.5 + 0.5 * width) * (0.85 if antenna.sheets else 1.0)
            corner = low - 0.12 * self.size * np.array([1.0, 1.0, 0.0])
            self.axes = space(figure, (0.0, 0.03, width, 0.88), corner, high, zoom)
        self.corner = low

    def place(self, point: Floats) -> tuple[float, ...]:
        return (float(point[self.across]), float(point[self.up])) if self.flat else tuple(map(float, point))

    def line(self, points: Floats, **style: Any) -> None:
        places = np.atleast_2d(points)
        chosen = places[:, [self.across, self.up]] if self.flat else places
        self.axes.plot(*chosen.T, **({"linestyle": "-", "clip_on": False} | style))

    def word(self, point: Floats, text: str, **style: Any) -> None:
        self.axes.text(*self.place(point), text, **({"fontsize": 9, "bbox": SOFT} | style))

    def along(self, start: Floats, stop: Floats, text: str) -> None:
        """A word in the middle of a dimension line, turned with it on flat drawings."""
        turned = {}
        if self.flat:
            step = stop - start
            turn = (np.degrees(np.arctan2(step[self.up], step[self.across])) + 90.0) % 180.0 - 90.0
            turned["rotation"] = 90.0 if turn < -89.9 else turn
        # Long ones not in the middle, where ports and their names are.
        share = 0.32 if np.linalg.norm(stop - start) > 0.4 * self.size else 0.5
        self.word((1.0 - share) * start + share * stop, text, color=LINES[0], ha="center", va="center", **turned)

    def beside(self, start: Floats, stop: Floats) -> Floats:
        """A unit vector square to a dimension and away from the antenna's middle."""
        along = (stop - start) / max(float(np.linalg.norm(stop - start)), 1e-12)
        out = 0.5 * (start + stop) - self.middle
        if self.flat:
            out[self.normal] = 0.0
        out = out - (out @ along) * along
        if np.linalg.norm(out) < 0.02 * self.size:
            sides = [-np.eye(3)[self.up], -np.eye(3)[self.across]] if self.flat else [-np.eye(3)[2], -np.eye(3)[0]]
            out = max(sides, key=lambda s: float(np.linalg.norm(s - (s @ along) * along)))
            out = out - (out @ along) * along
        return np.asarray(out / np.linalg.norm(out))


def geometry(
    model: Design | Antenna,
    *,
    findings: Iterable[Finding] = (),
    names: bool | None = None,
    mesh: SheetMesh | None = None,
) -> Figure:
    """The antenna to scale, flat ones seen straight on, others in space; what is printed on layers from above.

    model: a design, whose dimensions are drawn where its file says, or an antenna. findings: drawn where they are,
    numbered and told at the side, worst first. names: of the wires; drawn unless there are more than 24. mesh: of
    a solution, whose triangles are drawn on what is seen straight on.
    """
    antenna = antenna_of(model)
    told = list(findings)
    with look():
        figure = sheet()
        view = _View(figure, antenna, 0.66 if told else 0.97)
        if mesh is not None and view.flat:
            corners = mesh.corners[..., [view.across, view.up]]
            edges = PolyCollection(list(corners), facecolor="none", edgecolor=FAINT, linewidth=0.3, zorder=0.3)
            edges.set_clip_on(False)
            view.axes.add_collection(edges)
        wanted = len(antenna.metal) <= _MOST_NAMES if names is None else names
        _wires(view, antenna, wanted)
        design = model.design if isinstance(model, DesignFile) else model
        shown = dimensions(design) if isinstance(design, Design) else []
        _dimensions(view, shown, antenna.wires)
        short = _short_names([port.name for port in antenna.ports])
        for gap in antenna.gaps:
            _gap(view, antenna, gap, isinstance(gap, Port) or len(antenna.gaps) <= 6, short.get(gap.name, ""))
        _surroundings(view, antenna)
        _findings(figure, view, told)
        low, high = antenna.extent
        box = " x ".join(engineering(float(x), "m", 3) for x in high - low)
        seen = f"seen along {'xyz'[view.normal]}, to scale" if view.flat else "to scale"
        above = (
            f", {engineering(float(low[2]), 'm', 3)} above" if antenna.medium.has_plane and not view.standing else ""
        )
        spread(figure, view.axes)
        heading(figure, f"{antenna.name}: geometry", f"{seen}; x, y, z extent {box}{above}; {antenna.medium}")
    return figure


def _wires(view: _View, antenna: Antenna, names: bool) -> None:
    draw_sheets(view.axes, antenna, flat=(view.across, view.up) if view.flat else None, names=names)
    for i, wire in enumerate(antenna.wires):
        view.line(wire.corners, color=INK, linewidth=2.6, solid_capstyle="round", solid_joinstyle="round")
        if view.flat and np.ptp(wire.corners[:, [view.across, view.up]], axis=0).max() <= wire.radius:
            # Seen along itself it would be nothing.
            view.line(wire.corners[:1], marker="o", markersize=5, markeredgewidth=0, color=INK, zorder=3)
        # A probe seen from above is under its port.
        if names and not antenna.printed:
            # Off the middle, where ports usually are, and not all at the same share.
            place = wire.at(wire.length * (0.66 if i % 2 else 0.72))
            view.word(place, wire.name, color=INK, ha="center", va="center")


def _short_names(ports: Sequence[str]) -> dict[str, str]:
    """What tells many ports from one another: their names less what all begin and end with."""
    if len(ports) <= _MOST_PORTS:
        return {}
    start, end = (
        sum(1 for _ in itertools.takewhile(lambda letters: len(set(letters)) == 1, zip(*names, strict=False)))
        for names in (ports, [name[::-1] for name in ports])
    )
    return {name: name[start : len(name) - end] or name for name in ports}


def _gap(view: _View, antenna: Antenna, gap: Gap, name: bool, short: str) -> None:
    """A gap with its sign. short: what it is called when there is no room for more."""
    place = antenna.place_of(gap)
    port = isinstance(gap, Port)
    colour = PORT_COLOUR if port else LINES[2]
    if port:
        view.line(place, marker=PORT, markersize=13, markeredgewidth=0, color=colour, zorder=4)
    else:
        view.line(place, marker="s", markersize=8, markerfacecolor="none", markeredgewidth=2, color=colour)
    kind = type(gap).__name__.lower()
    text = f"{kind} {gap.name}" if gap.name != kind else gap.name
    if short and port:
        view.word(place, short, color=INK, fontsize=8, fontweight="bold", ha="center", va="center", zorder=5, bbox=None)
    elif name:
        lift = 0.022 * view.size * ((np.eye(3)[view.up] + np.eye(3)[view.across]) if view.flat else np.eye(3)[2])
        view.word(place + lift, text, color=colour, fontweight="bold", ha="left", va="bottom")


def _dimensions(view: _View, shown: Sequence[Dimension], wires: Sequence[Wire]) -> None:
    # Dimension lines keep clear of one another and of wires that run alongside.
    taken = [pair for wire in wires for pair in itertools.pairwise(wire.corners) if not np.array_equal(*pair)]
    for one in shown:
        start, stop = np.array(one.start), np.array(one.stop)
        if np.linalg.norm(stop - start) < 1e-9:
            continue
        out = view.beside(start, stop)
        reach = 0.045 * view.size
        while any(_collide(view, (a, b), (start + reach * out, stop + reach * out)) for a, b in taken):
            reach += 0.045 * view.size
        a, b = start + reach * out, stop + reach * out
        taken.append((a, b))
        for p, q in ((start, a), (stop, b)):
            view.line(np.stack([p, q]), color=FAINT, linewidth=0.7)
        view.line(np.stack([a, b]), color=LINES[0], linewidth=1.3, marker="d", markersize=4)
        unit = {"length": "m"}.get(one.quantity.kind)
        amount = engineering(one.quantity.si, unit, 4) if unit else f"{one.quantity.si:.4g}"
        view.along(a, b, f"{one.name} {amount}")


def _collide(view: _View, one: tuple[Floats, Floats], two: tuple[Floats, Floats]) -> bool:
    """Whether two dimension lines, drawn side by side, would lie on one another."""
    along = one[1] - one[0]
    length = float(np.linalg.norm(along))
    along = along / length
    across = [p - one[0] - ((p - one[0]) @ along) * along for p in two]
    shares = sorted(float((p - one[0]) @ along) / length for p in two)
    near = max(float(np.linalg.norm(p)) for p in across) < 0.04 * view.size
    return near and shares[0] < 0.999 and shares[1] > 0.001


def _surroundings(view: _View, antenna: Antenna) -> None:
    if view.flat:
        if view.standing and view.up == 2:
            # As wide as the sheet has room for under a tall antenna.
            low, high = view.axes.get_xlim()
            wide = max(high - low, 0.9 * view.size)
            ends = 0.5 * (low + high) + 0.5 * wide * np.array([-1.0, 1.0])
            view.axes.plot(ends, [0.0, 0.0], color=FAINT, linewidth=2.0, linestyle="-")
            view.axes.text(ends[1], -0.015 * view.size, antenna.medium, fontsize=9, color=FAINT, va="top", ha="right")
        view.axes.margins(0.1)
        x, y = view.axes.get_xlim()[0], view.axes.get_ylim()[0]
        place = np.array([x, y])
        for direction, axis in zip(np.eye(2), (view.across, view.up), strict=True):
            tip = place + 0.07 * view.size * direction
            view.axes.annotate("", tip, place, arrowprops={"arrowstyle": "-|>", "color": FAINT}, annotation_clip=False)
            view.axes.text(*(place + 0.085 * view.size * direction), "xyz"[axis], color=FAINT, ha="center", va="center")
    else:
        if view.standing:
            low, high = antenna.extent
            plane_outline(view.axes, low, high, antenna.size)
        arrows(view.axes, view.corner - 0.12 * view.size * np.array([1.0, 1.0, 0.0]), np.full(3, 0.12 * view.size))


def _findings(figure: Figure, view: _View, told: Sequence[Finding]) -> None:
    y = 0.88
    for number, finding in enumerate(told, 1):
        colour = _LEVELS[finding.level]
        if finding.place is not None:
            place = np.array(finding.place)
            view.line(place, marker="X", markersize=11, color=colour, zorder=5)
            view.word(place, f"  {number}", color=colour, fontweight="bold", va="top", fontsize=11)
        rows = textwrap.wrap(f"{number} {finding.level}: {finding}", 46)
        if y - 0.03 * len(rows) < 0.06:
            figure.text(
                0.67, y, f"and {len(told) - number + 1} more: earshot check lists them", fontsize=9, color=FAINT
            )
            break
        figure.text(0.67, y, "\n".join(rows), fontsize=9, color=colour, va="top")
        y -= 0.03 * len(rows) + 0.015
