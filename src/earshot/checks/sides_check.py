"""The check of what is on both sides of a plane, and of openings in it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import shapely

from ..description.antenna import Antenna
from ..description.parts import Wire
from ..description.sheets import Sheet
from .findings import Finding
from .pieces import as_place, words_for
from .printed_check import OnBoard

_CLOSE = 1e-6


def boards_of(antenna: Antenna) -> list[OnBoard]:
    """What is on layers, by the sides of a plane that have any; what is under one as if it were over it."""
    if not antenna.medium.sides:
        return [] if antenna.medium.stack is None else [OnBoard(antenna, antenna.medium.stack)]
    found = []
    for stack, sense in zip(antenna.medium.sides, (1.0, -1.0), strict=True):
        wires = tuple(w for w in antenna.wires if sense * w.corners[:, 2].mean() > 0.0)
        sheets = tuple(
            s for s in antenna.sheets if sense * s.surface.bounds[:, 2].mean() > _CLOSE * stack.thickness
        )  # fmt: skip
        if not (wires or sheets):
            continue
        own = replace(antenna, wires=wires, sheets=sheets, ports=(), loads=(), terminals=(), lines=(), medium=stack)
        found.append(OnBoard(own if sense > 0.0 else own.mirrored("z"), stack, sense))
    return found


def across_plane(antenna: Antenna) -> Iterator[Finding]:
    """Findings on what meets a plane with two sides: metal that crosses it, openings that leave it or carry ports."""
    medium = antenna.medium
    close = _CLOSE * min((stack.thickness for stack in medium.sides), default=0.0)
    openings = []
    for sheet in antenna.sheets:
        low, high = (float(f(sheet.surface.bounds[:, 2])) for f in (np.min, np.max))
        if max(-low, high) <= close:
            openings.append(sheet)
        elif low < close and high > -close:
            says = f"sheet '{sheet.name}' leaves the plane: it reaches from z = {low:g} m to {high:g} m"
            remedy = "lay it flat at z = 0 as an opening, or print it on a face of one side"
            yield Finding("stop", sheet.name, says, remedy)
        else:
            stack = medium.sides[int(high < 0.0)]
            if max(abs(low), abs(high)) > stack.thickness * (1.0 + _CLOSE):
                yield _in_air(sheet.name, f"sheet '{sheet.name}'")
    names = {sheet.name for sheet in openings}
    for gap in antenna.gaps:
        if gap.on in names:
            says = f"{gap.what} is on '{gap.on}', which is an opening in the plane"
            yield Finding(
                "stop",
                gap.name,
                says,
                "lay a wire in the plane across it, with the port at its end, or feed it by a line",
            )
    for wire in antenna.wires:
        heights = wire.corners[:, 2]
        if np.abs(heights).max() <= close:
            yield from _bridge(wire, openings)
            continue
        if heights.min() < -close and heights.max() > close:
            says = f"wire '{wire.name}' crosses the plane at z = 0, from {words_for(wire.corners[0])}"
            yield Finding("stop", wire.name, says, "end it there, and begin another on the other side")
            continue
        stack = medium.sides[int(heights.mean() < 0.0)]
        if np.abs(heights).max() > stack.thickness * (1.0 + _CLOSE):
            yield _in_air(wire.name, f"wire '{wire.name}'")
        for place in wire.corners[np.abs(heights) <= close]:
            for sheet in openings:
                if float(sheet.surface.distances(place[None])[0]) < wire.radius:
                    says = f"wire '{wire.name}' ends in opening '{sheet.name}', where there is no plane"
                    remedy = "move it onto the plane, or the opening away"
                    yield Finding("stop", wire.name, says, f"{remedy}, at {words_for(place)}", as_place(place))


def _bridge(wire: Wire, openings: list[Sheet]) -> Iterator[Finding]:
    """A wire in the plane: straight across an opening, from rim to rim."""
    shares = np.linspace(0.05, 0.95, 19)[:, None]
    inner = wire.corners[0] + shares * (wire.corners[-1] - wire.corners[0])
    ends = wire.corners[[0, -1]]
    for sheet in openings:
        shape, flat = sheet.surface.outline, (sheet.surface.to_local(inner), sheet.surface.to_local(ends))
        within = shapely.covers(shape, shapely.points(flat[0][:, :2]))
        rim = shapely.distance(shape.boundary, shapely.points(flat[1][:, :2]))
        if len(wire.corners) == 2 and within.all() and (rim <= 1e-6 * wire.length).all():
            return
    says = f"wire '{wire.name}' lies in the plane, and is not one straight piece across an opening"
    place = as_place(wire.corners[0])
    yield Finding("stop", wire.name, says, "end it on the opening's rim on either side, or raise it", place)


def _in_air(name: str, what: str) -> Finding:
    says = f"{what} is in the air beyond the layers of a plane with two sides, where it is not solved"
    return Finding("stop", name, says, "print it on a face of the layers, or put a layer of air or foam up to it")
