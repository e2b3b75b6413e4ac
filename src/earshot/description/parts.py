"""The parts an antenna is made of: wires and ports."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Self

import numpy as np

from .. import units
from ..arraytypes import Floats
from ..errors import ModelError, UsageError, needs
from ..media.metals import Jacket, Metal, metals

Point = tuple[float, float, float]
Length = str | float
AXES: dict[str, Point] = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


def point_at(value: Sequence[Length], what: str) -> Point:
    """Three coordinates, metres; raises UsageError."""
    needs(value, Iterable, what, "a point: three coordinates x, y, z")
    coordinates = tuple(units.length(c, what) for c in value)
    if len(coordinates) != 3:
        raise UsageError(f"{what}: a point has three coordinates x, y, z; {len(coordinates)} were given")
    return coordinates[0], coordinates[1], coordinates[2]


def direction_along(value: str | Sequence[float], what: str) -> Point:
    """A unit vector: "x", "y", "z", or along three numbers."""
    if isinstance(value, str):
        if value not in AXES:
            raise UsageError(f"{what}: '{value}' is not one of x, y, z; give one of them or a direction (x, y, z)")
        return AXES[value]
    try:
        vector = np.array(value, float)
    except (OverflowError, TypeError, ValueError):
        vector = np.zeros(0)
    long = np.linalg.norm(vector) if vector.shape == (3,) else 0.0
    if not (np.isfinite(long) and long > 0.0):
        raise UsageError(f"{what}: {value!r} is not a direction; give three numbers, not all zero")
    x, y, z = (vector / long).tolist()
    return x, y, z


def named(value: str, kind: str) -> str:
    """The name, if it is one; raises UsageError."""
    if not isinstance(value, str) or not value.strip():
        raise UsageError(f"a {kind} needs a name; {value!r} was given")
    return value


@dataclass(frozen=True, slots=True)
class Wire:
    """A round wire along straight pieces from point to point.

    points: corners in metres or text with a unit; the first and the last equal makes a closed loop. radius: of the
    metal, > 0. metal: made by `metal` or `Metal`, or a name such as "copper"; a perfect conductor unless given. wall:
    thickness of a tube's wall; solid unless given. jacket: an insulating sleeve. Wires that share a corner are joined
    there, whatever their radii. Raises UsageError and UnitError.

    >>> Wire("driven", [(0, 0, "-0.48 m"), (0, 0, "0.48 m")], radius="3 mm").length
    0.96
    """

    name: str
    points: tuple[Point, ...]
    radius: float = field(kw_only=True)
    metal: Metal | None = None
    wall: float | None = None
    jacket: Jacket | None = None

    def __init__(
        self,
        name: str,
        points: Iterable[Sequence[Length]],
        *,
        radius: Length,
        metal: Metal | str | None = None,
        wall: Length | None = None,
        jacket: Jacket | None = None,
    ) -> None:
        place = f"wire '{named(name, 'wire')}'"
        needs(jacket, Jacket | None, f"{place}, jacket", "a Jacket, such as Jacket('1 mm', 2.3)")
        needs(metal, Metal | str | None, f"{place}, metal", "a metal by name, or a Metal")
        needs(points, Iterable, f"{place}, points", "a list of points (x, y, z)")
        corners = tuple(point_at(p, f"{place}, point {i + 1}") for i, p in enumerate(points))
        if len(corners) < 2:
            raise UsageError(f"{place}: {len(corners)} points given; a wire needs at least two")
        metres = units.length(radius, f"{place}, radius")
        if metres <= 0.0:
            raise UsageError(f"{place}: radius {radius} is not above zero; give the radius of the metal")
        object.__setattr__(self, "name", name)
        object.__setattr__(self, "points", corners)
        object.__setattr__(self, "radius", metres)
        object.__setattr__(self, "metal", metals[metal] if isinstance(metal, str) else metal)
        thickness = None if wall is None else units.length(wall, f"{place}, wall")
        if thickness is not None and not 0.0 < thickness <= metres:
            raise UsageError(
                f"{place}: wall {wall} is outside 0 to the radius, {metres:g} m; leave it out for solid wire"
            )
        object.__setattr__(self, "wall", thickness)
        object.__setattr__(self, "jacket", jacket)

    @property
    def corners(self) -> Floats:
        """The points as an array (n, 3), metres."""
        return np.array(self.points)

    @property
    def arc(self) -> Floats:
        """Distance along the wire of every corner, (n,), metres."""
        steps = np.linalg.norm(np.diff(self.corners, axis=0), axis=1)
        return np.concatenate([[0.0], np.cumsum(steps)])

    @property
    def length(self) -> float:
        """Length along the wire, metres."""
        return float(self.arc[-1])

    @property
    def closed(self) -> bool:
        """Whether the wire returns to its first point."""
        return self.points[0] == self.points[-1]

    def at(self, distance: float) -> Floats:
        """The point (3,) at a distance along the wire, both in metres."""
        arc = self.arc
        return np.array([np.interp(distance, arc, axis) for axis in self.corners.T])

    def transformed(self, matrix: Floats, shift: Floats, stretch: float = 1.0) -> Wire:
        """The wire with its points mapped by matrix @ p + shift and its radius multiplied by stretch."""
        jacket = self.jacket
        return replace(
            self,
            points=(self.corners @ matrix.T + shift).tolist(),
            radius=self.radius * stretch,
            wall=None if self.wall is None else self.wall * stretch,
            jacket=jacket and Jacket(jacket.thickness * stretch, jacket.permittivity, jacket.loss_tangent),
        )


def place_along(wire: Wire, at: float | str, what: str) -> float:
    """A fraction of a wire, or text, as metres along it; raises ModelError, naming `what`, when that is off it."""
    total = wire.length
    along = units.length(at, f"{what}, at") if isinstance(at, str) else at * total
    if not -1e-9 * total <= along <= total * (1 + 1e-9):
        raise ModelError(
            f"{what} sits {along:g} m along wire '{wire.name}', which is only {total:g} m long: "
            f"choose a place from 0 to {total:g} m"
        )
    return float(min(max(along, 0.0), total))


@dataclass(frozen=True, slots=True, init=False)
class Gap:
    """A short gap of a wire or a sheet: name, part, place and width; see `Port`."""

    name: str
    on: str
    at: float | str | Point
    gap: float | None
    across: Point | None

    def _place(
        self,
        kind: str,
        name: str,
        on: str,
        at: float | str | Sequence[Length],
        gap: Length | None,
        across: str | Sequence[float] | None,
    ) -> str:
        place = f"{kind} '{named(name, kind)}'"
        needs(on, str, f"{place}, on", "the name of the wire or sheet it is on")
        normal = None if across is None else direction_along(across, f"{place}, across")
        if not isinstance(at, str | int | float):
            at = point_at(at, f"{place}, at")
            if normal is None:
                raise UsageError(
                    f"{place}: at is a point, so it is on a sheet: say across='x' or which way its field is"
                )
        elif normal is not None:
            raise UsageError(f"{place}: a gap across a sheet is at a point (x, y, z); at = {at!r} is none")
        elif isinstance(at, str):
            units.length(at, f"{place}, at")
        elif not 0.0 <= units.read(at, "number", what=f"{place}, at") <= 1.0:
            raise UsageError(f"{place}: at = {at} is outside 0 to 1; give a fraction of the wire or a length with unit")
        metres = None if gap is None else units.length(gap, f"{place}, gap")
        if metres is not None and metres < 0.0:
            raise UsageError(f"{place}: gap {gap} is below zero; leave it out for six radii")
        for key, value in (("name", name), ("on", on), ("at", at), ("gap", metres), ("across", normal)):
            object.__setattr__(self, key, value)
        return place

    @property
    def place(self) -> Point | None:
        """The point (x, y, z) on a sheet, metres; None on a wire."""
        return self.at if isinstance(self.at, tuple) else None

    def transformed(self, matrix: Floats, shift: Floats, stretch: float = 1.0) -> Self:
        """The gap with its point, if it has one, mapped by matrix @ p + shift, and its width multiplied by stretch."""
        moved: dict[str, Any] = {} if self.gap is None else {"gap": self.gap * stretch}
        if self.place is not None and self.across is not None:
            moved["at"] = tuple((matrix @ np.array(self.place) + shift).tolist())
            moved["across"] = tuple((matrix @ np.array(self.across) / stretch).tolist())
        return replace(self, **moved)

    @property
    def what(self) -> str:
        """Kind and name, for messages."""
        return f"{type(self).__name__.lower()} '{self.name}'"

    def distance(self, wire: Wire) -> float:
        """Where it sits, in metres along its wire; raises ModelError when that is off the wire."""
        if isinstance(self.at, tuple):
            raise ModelError(
                f"{self.what} is at a point, as on a sheet, but '{wire.name}' is a wire: say how far along it"
            )
        return place_along(wire, self.at, self.what)

    def span(self, wire: Wire, grounded: tuple[bool, bool] = (False, False)) -> tuple[float, float]:
        """First and last place of the gap, in metres along its wire.

        grounded says whether the wire's first and last point stand on a plane: there half the gap is the image's.
        Raises ModelError when the gap is longer than its wire.
        """
        middle, total = self.distance(wire), wire.length
        width = 6.0 * wire.radius if self.gap is None else self.gap
        if all(grounded) and self.gap is None:
            # A short wire between two pieces of metal: the gap may be all but its length.
            width = min(width, 0.9 * total)
        half = 0.5 * width
        if grounded[0] and middle < half:
            low, high = 0.0, middle + half if middle > 1e-9 * total else half
        elif grounded[1] and middle > total - half:
            low, high = middle - half if middle < total * (1 - 1e-9) else total - half, total
        else:
            low = min(max(middle - half, 0.0), total - width)
            high = low + width
        if low < -1e-12 * total or high > total * (1 + 1e-12) or (width > 0 and width >= total):
            raise ModelError(
                f"{self.what}: its gap of {width:g} m does not fit on wire '{wire.name}', {total:g} m long: "
                f"give a smaller gap (six radii unless given) or move it"
            )
        return float(low), float(high)


@dataclass(frozen=True, slots=True, init=False)
class Port(Gap):
    """A pair of terminals: a uniform field over a short gap of a wire, or over a strip of a sheet.

    on: the wire. at: the middle of the gap, as a fraction of the wire's length (a number from 0 to 1) or as a
    distance from the wire's first point ("0.2 m"). gap: length of the gap; six radii unless given, and no more than
    nine tenths of a wire that stands on metal at both ends; 0 asks for an idealised gap of no width, whose susceptance
    depends on the mesh. reference: reference impedance in ohm, which may be complex, with a resistance above zero.

    On a sheet: at is a point (x, y, z) in the middle of the gap, across the way its field points, "x", "y", "z" or a
    direction, and gap its width that way, 0 unless given: all of the sheet between the two planes is gap, right across
    a strip or round a tube.

    At a foot on a plane or a sheet only half of the gap is on the wire: above a plane the image completes it. A gap
    that would run past another end of its wire is moved inward to fit. The port's positive current flows along the
    wire, from its first point to its last, or along `across`. Raises UsageError and UnitError.
    """

    reference: complex

    def __init__(
        self,
        name: str,
        on: str,
        at: float | str | Sequence[Length] = 0.5,
        gap: Length | None = None,
        reference: str | complex = 50.0,
        *,
        across: str | Sequence[float] | None = None,
    ) -> None:
        place = self._place("port", name, on, at, gap, across)
        ohms = (
            complex(reference)
            if isinstance(reference, complex)
            else complex(units.read(reference, "resistance", what=f"{place}, reference"))
        )
        if not (ohms.real > 0.0 and math.isfinite(abs(ohms))):
            raise UsageError(f"{place}: reference {reference} is not above zero; give an impedance such as '50 ohm'")
        object.__setattr__(self, "reference", ohms)
