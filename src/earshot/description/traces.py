"""Traces: strips along a centre line, in pieces that a mesh can follow, with corners, bends and changes of width."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from numbers import Real
from typing import TYPE_CHECKING

import numpy as np

from .. import units
from ..arraytypes import Floats
from ..errors import UsageError, needs
from .parts import Length
from .shapes import Facet, Flat
from .surfaces import Surface

if TYPE_CHECKING:
    from shapely import Polygon as Area

_STRAIGHT = 1e-9
_CHORD = math.radians(15.0)
_RIGHT = math.radians(1.0)
_MOST_POINTS = 2000


def mitre(width: Length, thickness: Length) -> float:
    """How much of the diagonal of a right-angled corner is cut off so that it sends least back.

    0.52 + 0.65 exp(-1.35 w/h), for a strip w wide on a board h thick, w/h from 0.25 (Douville and James 1978, IEEE
    Trans. MTT 26, eq. 1). Raises UsageError for lengths that are not above zero.
    """
    w, h = (units.length(x, f"mitre, {name}") for x, name in ((width, "width"), (thickness, "thickness")))
    if not (w > 0.0 and h > 0.0):
        raise UsageError(f"mitre: width {width} and thickness {thickness} are not both above zero")
    return 0.52 + 0.65 * math.exp(-1.35 * w / h)


@dataclass(frozen=True)
class Strip(Flat):
    """A strip along points (x, y) with a width for every leg; mitre: what is cut off a right-angled corner's diagonal.

    radius: of the centre line where it turns; 0: corners.
    """

    points: tuple[tuple[float, float], ...]
    widths: tuple[float, ...]
    mitre: float = 0.0
    radius: float = 0.0
    name = "trace"

    @property
    def sizes(self) -> tuple[float, ...]:
        """The diagonal of the box round it, and its least width."""
        return (float(np.linalg.norm(np.ptp(self.outermost, axis=0))), min(self.widths))

    def scaled(self, factor: float) -> Strip:
        """With every length multiplied."""
        points = tuple((factor * x, factor * y) for x, y in self.points)
        return replace(self, points=points, widths=tuple(factor * w for w in self.widths), radius=factor * self.radius)

    @property
    def coarsest(self) -> float:
        """Long cells on narrow strips are fine, needles are not."""
        return 2.0 * min(self.widths)

    @cached_property
    def _sides(self) -> tuple[tuple[Floats, Floats], ...]:
        """Legs, and between them corners or bends: corners (n, 2) of the right side and of the left, both onward."""
        return tuple(_pieces(self))

    @cached_property
    def pieces(self) -> tuple[Area, ...]:
        """Legs, and between them corners or bends."""
        from shapely import Polygon as Area

        return tuple(Area(np.concatenate([right, left[::-1]])) for right, left in self._sides)

    @cached_property
    def _outline(self) -> Area:
        from shapely import Polygon as Area

        right, left = (np.concatenate(one) for one in zip(*self._sides, strict=True))
        ring = np.concatenate([right, left[::-1]])
        apart = np.linalg.norm(ring - np.roll(ring, 1, axis=0), axis=1) > 1e-9 * self.sizes[0]
        return Area(ring[apart])

    @property
    def outline(self) -> Area:
        """All of it."""
        return self._outline

    @property
    def outermost(self) -> Floats:
        """The ends of its centre line, half the greatest width beyond."""
        points, aside = np.array(self.points), 0.5 * max(self.widths)
        round_about = aside * np.array([(1, 1), (1, -1), (-1, 1), (-1, -1)], float)
        flat = (points[:, None] + round_about).reshape(-1, 2)
        return np.column_stack([flat, np.zeros(len(flat))])

    @property
    def facets(self) -> tuple[Facet, ...]:  # type: ignore[override]
        """Its pieces, each in a frame along its first side, so that grids follow the current."""
        from shapely import Polygon as Area

        found = []
        for piece in self.pieces:
            ring = np.array(piece.exterior.coords)[:-1]
            along = ring[1] - ring[0]
            along /= np.linalg.norm(along)
            across = np.array([-along[1], along[0]])
            frame = np.zeros((3, 4))
            frame[:2, 0], frame[:2, 1], frame[2, 2], frame[:2, 3] = along, across, 1.0, ring[0]
            flat = np.round((ring - ring[0]) @ np.column_stack([along, across]), 14 - _digits(self.sizes[0]))
            area = Area(flat)
            found.append(Facet(frame, area, yields=area.area < (1.0 - 1e-9) * area.envelope.area))
        return tuple(found)

    @property
    def length(self) -> float:
        """Along the centre line, metres; round bends where there are any."""
        points = np.array(self.points)
        legs = np.linalg.norm(np.diff(points, axis=0), axis=1).sum()
        saved = sum(self.radius * (2.0 * math.tan(0.5 * t) - t) for t in np.abs(turns_of(points)).tolist())
        return float(legs - saved)


def _digits(size: float) -> int:
    return max(0, math.ceil(math.log10(size)) + 2)


def turns_of(points: Floats) -> Floats:
    """Angles (n - 2,) by which the centre line turns at its inner points, anticlockwise above zero."""
    legs = np.diff(points, axis=0)
    one, two = legs[:-1], legs[1:]
    return np.asarray(np.arctan2(one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0], (one * two).sum(axis=1)))


def _pieces(strip: Strip) -> list[tuple[Floats, Floats]]:
    """Right and left sides of legs, corners and bends, in order."""
    points, widths = np.array(strip.points), np.array(strip.widths)
    legs = np.diff(points, axis=0)
    long = np.asarray(np.linalg.norm(legs, axis=1))
    along = legs / long[:, None]
    left = np.column_stack([-along[:, 1], along[:, 0]])
    turns = turns_of(points)
    # What a corner takes of the legs before and after it.
    taken = np.zeros((len(legs), 2))
    joints: list[list[tuple[Floats, Floats]]] = [[] for _ in turns]
    for n, turn in enumerate(turns.tolist()):
        if abs(turn) <= _STRAIGHT:
            continue
        width, half = float(widths[n]), math.tan(0.5 * abs(turn))
        if strip.radius > 0.0:
            back = strip.radius * half
            sides = _bend(points[n + 1], along[n], left[n], turn, width, strip.radius)
        else:
            cut = strip.mitre if abs(abs(turn) - 0.5 * math.pi) < _RIGHT else 0.0
            # The cut meets an outer edge 2 cut w from the tip of a right angle.
            back = width * half * 0.5 + max(2.0 * cut - 1.0, 0.0) * width
            sides = [_corner(points[n + 1], along[n : n + 2], left[n : n + 2], turn, width, back, cut)]
        joints[n] = sides if turn > 0.0 else [(inner, outer) for outer, inner in sides]
        taken[n, 1] = taken[n + 1, 0] = back
    found: list[tuple[Floats, Floats]] = []
    for n in range(len(legs)):
        start, stop = points[n] + taken[n, 0] * along[n], points[n + 1] - taken[n, 1] * along[n]
        if (stop - start) @ along[n] > 1e-9 * long[n]:
            aside = 0.5 * widths[n] * left[n]
            found.append((np.array([start - aside, stop - aside]), np.array([start + aside, stop + aside])))
        found += joints[n] if n < len(joints) else []
    return found


def _corner(
    corner: Floats, along: Floats, left: Floats, turn: float, width: float, back: float, cut: float
) -> tuple[Floats, Floats]:
    """Outer and inner side of a corner from where its legs end, round its tip or the cut across it."""
    side, half = math.copysign(0.5 * width, turn), math.tan(0.5 * abs(turn))
    start, stop = corner - back * along[0], corner + back * along[1]
    to_tip = side * left[0] - 0.5 * width * half * along[0]
    tip, off = corner - to_tip, 2.0 * cut * width
    tips = [tip - off * along[0], tip + off * along[1]] if off > 0.0 else [tip]
    sides = [start - side * left[0], *tips, stop - side * left[1]], [start + side * left[0], corner + to_tip,
                                                                      stop + side * left[1]]  # fmt: skip
    outer, inner = (
        np.array([p for n, p in enumerate(one) if not n or np.linalg.norm(p - one[n - 1]) > 1e-9 * width])
        for one in sides
    )
    return outer, inner


def _bend(
    corner: Floats, along: Floats, left: Floats, turn: float, width: float, radius: float
) -> list[tuple[Floats, Floats]]:
    """Outer and inner sides of the chords of a bend about its middle."""
    side = math.copysign(1.0, turn)
    middle = corner - radius * math.tan(0.5 * abs(turn)) * along + side * radius * left
    count = max(2, math.ceil(abs(turn) / _CHORD))
    angles, first = turn * np.arange(count + 1) / count, -side * left
    c, s = np.cos(angles), np.sin(angles)
    spokes = np.column_stack([c * first[0] - s * first[1], s * first[0] + c * first[1]])
    outer, inner = middle + (radius + 0.5 * width) * spokes, middle + (radius - 0.5 * width) * spokes
    return [(outer[n : n + 2], inner[n : n + 2]) for n in range(count)]


def trace(
    points: Sequence[Sequence[Length]],
    width: Length | Sequence[Length],
    *,
    mitre: float = 0.0,
    radius: Length = 0.0,
) -> Surface:
    """A strip along a centre line of points (x, y, z) on one level. width: one, or one for every leg.

    mitre: how much of a right-angled corner's diagonal is cut off, as `mitre` says; 0 leaves corners whole. radius: of
    the centre line where it turns, instead of corners. Raises UsageError for points on several levels or one another,
    legs too short for their corners, widths that change at a corner, and strips that cross themselves.
    """
    places = np.array([[units.length(c, "trace, point") for c in p] for p in points], float)
    if places.ndim != 2 or places.shape[1] != 3 or not 2 <= len(places) <= _MOST_POINTS:
        raise UsageError(f"trace: give 2 to {_MOST_POINTS} points, each x, y, z")
    size = float(np.linalg.norm(np.ptp(places, axis=0)))
    if np.ptp(places[:, 2]) > 1e-9 * size:
        raise UsageError(f"trace: its points are on several levels, z from {places[:, 2].min():g} to "
                         f"{places[:, 2].max():g} m: give them one")  # fmt: skip
    several = width if isinstance(width, Sequence) and not isinstance(width, str) else [width] * (len(places) - 1)
    widths = [units.length(w, "trace, width") for w in several]
    if len(widths) != len(places) - 1:
        raise UsageError(f"trace: {len(widths)} widths for {len(places) - 1} legs: give one, or one for each")
    if not min(widths) > 0.0:
        raise UsageError(f"trace: width {several[int(np.argmin(widths))]} is not above zero")
    needs(mitre, Real, "trace, mitre", "a share of the diagonal, 0 to 1")
    if not (math.isfinite(mitre) and 0.0 <= mitre < 1.0):
        raise UsageError(f"trace: mitre {mitre} is outside 0 to 1, a share of the diagonal")
    bend = units.length(radius, "trace, radius")
    flat = places[:, :2] - places[0, :2]
    _fit(flat, widths, mitre, bend, several)
    shape = Strip(tuple(map(tuple, flat.tolist())), tuple(widths), float(mitre), bend)
    if not shape.outline.is_valid:
        raise UsageError("trace: it crosses or touches itself: move its points apart, or make it narrower")
    place = tuple(places[0].tolist())
    return Surface(shape, place, ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)))


def _fit(flat: Floats, widths: list[float], cut: float, bend: float, said: Sequence[Length]) -> None:
    legs = np.linalg.norm(np.diff(flat, axis=0), axis=1)
    if not legs.min() > 0.0:
        raise UsageError(f"trace: points {int(legs.argmin()) + 1} and {int(legs.argmin()) + 2} are one: leave one out")
    turns = np.abs(turns_of(flat))
    used = np.zeros(len(legs))
    for n, turn in enumerate(turns.tolist()):
        if turn <= _STRAIGHT:
            continue
        if turn > math.radians(150.0):
            raise UsageError(f"trace: at point {n + 2} it turns by {math.degrees(turn):.0f} deg: 150 at most")
        if abs(widths[n] - widths[n + 1]) > 1e-12:
            raise UsageError(
                f"trace: at point {n + 2} it turns and changes its width from {said[n]} to {said[n + 1]}: change it "
                "on a straight leg"
            )
        if 0.0 < bend < 0.5 * widths[n]:
            raise UsageError(f"trace: a radius of {bend:g} m is below half the width {widths[n]:g} m")
        right = abs(turn - 0.5 * math.pi) < _RIGHT
        own = 0.5 * widths[n] + (max(2.0 * cut - 1.0, 0.0) * widths[n] if right else 0.0)
        back = (
            bend * math.tan(0.5 * turn) if bend else max(math.tan(0.5 * turn) * 0.5 * widths[n], own if right else 0.0)
        )
        used[n : n + 2] += back
    short = used - legs
    if short.max() > 1e-9 * legs.max():
        n = int(short.argmax())
        raise UsageError(
            f"trace: leg {n + 1} is {legs[n]:g} m long, its corners take {used[n]:g} m: make it longer, or the strip "
            "narrower"
        )


def meander_points(
    start: Sequence[Length], stop: Sequence[Length], longer: Length, room: Length, apart: Length
) -> list[tuple[float, float, float]]:
    """Points of a line from one place to another that is longer than straight, by hairpins to its left.

    longer: by how much, along its centre line; room: how far hairpins go aside at most; apart: from one arm to the
    next. Raises UsageError where it does not fit: the straight way must be longer than all its arms are wide.
    """
    one, two = (np.array([units.length(c, "meander, place") for c in p]) for p in (start, stop))
    more, aside, step = (
        units.length(x, f"meander, {n}") for x, n in ((longer, "longer"), (room, "room"), (apart, "apart"))
    )
    way = float(np.linalg.norm(two - one))
    if one.shape != (3,) or two.shape != (3,) or abs(one[2] - two[2]) > 1e-9 * way or not way > 0.0:
        raise UsageError("meander: give two places x, y, z on one level")
    if not (more >= 0.0 and aside > 0.0 and step > 0.0):
        raise UsageError(f"meander: longer {longer}, room {room} and apart {apart} must not be below zero")
    if more == 0.0:
        return [tuple(one.tolist()), tuple(two.tolist())]
    count = math.ceil(more / (2.0 * aside) - 1e-9)
    need = (2 * count - 1) * step + step
    if need > way:
        raise UsageError(
            f"meander: {count} hairpins {step:g} m apart need {need:g} m of way, and there are {way:g} m: give more "
            f"room aside than {aside:g} m, or put the arms closer"
        )
    along = (two - one) / way
    left = np.array([-along[1], along[0], 0.0]) * more / (2.0 * count)
    first = 0.5 * (way - (2 * count - 1) * step)
    points = [one]
    for n in range(count):
        near, far = one + (first + 2 * n * step) * along, one + (first + (2 * n + 1) * step) * along
        points += [near, near + left, far + left, far]
    return [tuple(p.tolist()) for p in (*points, two)]
