"""The check of what is on both sides of a plane, and of openings in it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from ..description.antenna import Antenna
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
            yield Finding("stop", gap.name, says, "feed it by a line across it on either side, with a port at a pin")
    for wire in antenna.wires:
        heights = wire.corners[:, 2]
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


def _in_air(name: str, what: str) -> Finding:
    says = f"{what} is in the air beyond the layers of a plane with two sides, where it is not solved"
    return Finding("stop", name, says, "print it on a face of the layers, or put a layer of air or foam up to it")
