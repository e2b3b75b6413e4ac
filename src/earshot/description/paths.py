"""Corner points of round wires: circles and helices as polygons that keep what matters of the curve."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from .. import units
from ..errors import UsageError
from .parts import Length

_SIDES = {"x": (1, 2, 0), "y": (2, 0, 1), "z": (0, 1, 2)}
"""Per axis: the axis that angles are counted from, the one they are counted towards, and the axis itself."""


def _chords(count: int, what: str) -> int:
    if isinstance(count, bool) or not isinstance(count, int) or not 6 <= count <= 720:
        raise UsageError(f"{what}: chords = {count!r} is not a whole number from 6 to 720 for a full turn")
    return count


def circle_points(
    diameter: Length,
    *,
    centre: Sequence[Length] = (0.0, 0.0, 0.0),
    axis: str = "z",
    start: str | float = 0.0,
    chords: int = 49,
) -> list[tuple[float, float, float]]:
    """Corners of a closed polygon with the area of a circle, chords + 1 points (x, y, z) in metres.

    axis: the circle is square to it. start: where the first corner is ("90 deg"), counted about the axis from x towards
    y, from y towards z, or from z towards x. With an odd number of chords the place half way round, opposite the first
    corner, is the middle of a chord: a good place for a port. Equal area keeps a small loop's radiation. Raises
    UsageError and UnitError.
    """
    metres = units.length(diameter, "circle, diameter")
    if metres <= 0.0:
        raise UsageError(f"circle: diameter {diameter} is not above zero")
    if axis not in _SIDES:
        raise UsageError(f"circle: axis '{axis}' is not one of x, y, z")
    part = 2.0 * math.pi / _chords(chords, "circle")
    corner = 0.5 * metres * math.sqrt(part / math.sin(part))
    turn = units.angle(start, "circle, start") + part * np.arange(chords + 1)
    points = np.zeros((chords + 1, 3)) + [units.length(c, "circle, centre") for c in centre]
    first, second, _ = _SIDES[axis]
    points[:, first] += corner * np.cos(turn)
    points[:, second] += corner * np.sin(turn)
    points[-1] = points[0]
    return [(x, y, z) for x, y, z in points.tolist()]


def helix_points(
    diameter: Length,
    rise: Length,
    turns: str | float,
    *,
    base: Sequence[Length] = (0.0, 0.0, 0.0),
    start: str | float = 0.0,
    hand: str = "right",
    lead: Length = 0.0,
    chords: int = 24,
) -> list[tuple[float, float, float]]:
    """Corners of a helix about an upright axis, as long as the curve: about chords × turns + 1 points in metres.

    rise: of one turn. base: where the axis begins. start: where the first corner is, from x towards y. hand: "right"
    turns as a right-hand screw going up. lead: length of a straight upright piece below the first corner. Raises
    UsageError and UnitError.
    """
    metres, up = units.length(diameter, "helix, diameter"), units.length(rise, "helix, rise")
    if metres <= 0.0 or up <= 0.0:
        raise UsageError(f"helix: diameter {diameter} and rise {rise} must both be above zero")
    count = units.read(turns, "number", what="helix, turns")
    if not 0.0 < count <= 200.0:
        raise UsageError(f"helix: turns = {turns} is outside 0 to 200")
    if hand not in ("right", "left"):
        raise UsageError(f"helix: hand '{hand}' is not 'right' or 'left'")
    pieces = max(2, math.ceil(count * _chords(chords, "helix") - 1e-9))
    part = 2.0 * math.pi * count / pieces
    corner = 0.25 * metres * part / math.sin(0.5 * part)
    swept = part * np.arange(pieces + 1)
    turn = units.angle(start, "helix, start") + (swept if hand == "right" else -swept)
    x, y, z = (units.length(c, "helix, base") for c in base)
    points = [x + corner * np.cos(turn), y + corner * np.sin(turn), z + up * swept / (2.0 * math.pi)]
    corners = [(a, b, c) for a, b, c in np.stack(points, axis=1).tolist()]
    below = units.length(lead, "helix, lead")
    first = corners[0]
    return [(first[0], first[1], first[2] - below), *corners] if below else corners
