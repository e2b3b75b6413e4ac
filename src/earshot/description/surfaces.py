"""Surfaces of sheets: a shape and its place in space; made here, combined when flat, moved and turned."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np

from .. import units
from ..arraytypes import Bools, Floats
from ..errors import UsageError, needs
from .parts import Length, Point, direction_along, point_at
from .round_shapes import ENDS, Annulus, Cone, Cylinder, Disk, Paraboloid, Sphere
from .shapes import SIDES, Box, Plate, Polygon, Ring, Shape, Triangles

if TYPE_CHECKING:
    from shapely import Polygon as Area


@dataclass(frozen=True, slots=True)
class Surface:
    """A shape and where it is; made by `plate`, `disk`, `box` and the like.

    origin, frame: a local point p of the shape is at origin + frame @ p. apart: what was added and does not touch it
    yet; a sheet takes none.

    Flat surfaces in one plane combine: `one + two`, `one - two`, `one & two`.
    """

    shape: Shape
    origin: Point
    frame: tuple[Point, Point, Point]
    apart: tuple[Surface, ...] = ()

    @property
    def axes(self) -> Floats:
        """The frame as an array; columns are the local axes."""
        return np.array(self.frame)

    def to_space(self, local: Floats) -> Floats:
        """Local points (..., 3) in space."""
        return np.asarray(local @ self.axes.T + self.origin)

    def to_local(self, points: Floats) -> Floats:
        """Points in space (..., 3) in local coordinates."""
        return np.asarray((points - np.array(self.origin)) @ self.axes)

    def transformed(self, matrix: Floats, shift: Floats, stretch: float = 1.0) -> Surface:
        """The surface with its points mapped by matrix @ p + shift: a turn or mirror, times stretch."""
        return replace(
            self,
            shape=self.shape if stretch == 1.0 else self.shape.scaled(stretch),
            origin=tuple((matrix @ np.array(self.origin) + shift).tolist()),
            frame=_rows(matrix @ self.axes / stretch),
        )

    @property
    def kind(self) -> str:
        """What shape it has, as its maker is called."""
        return self.shape.name

    @property
    def sizes(self) -> tuple[float, ...]:
        """Its lengths, metres, in the order of its maker."""
        return self.shape.sizes

    @property
    def outline(self) -> Area:
        """A flat surface's area in local x and y; circles as 72-gons of the same area."""
        return self.shape.outline

    @property
    def bounds(self) -> Floats:
        """Points in space (n, 3) that lie as far out as the surface does."""
        return self.to_space(self.shape.outermost)

    def distances(self, points: Floats) -> Floats:
        """Distance (n,) of points (n, 3) from it, metres."""
        return self.shape.distances(self.to_local(points))

    @property
    def box(self) -> tuple[Floats, Floats]:
        """A box round it: low and high (3,), metres."""
        return _box_round(self)

    def touches(self, points: Floats, reach: float) -> Bools:
        """Which points (n, 3) are within reach of it; only those near the box round it are measured."""
        low, high = self.box
        on = np.asarray(((points >= low - reach) & (points <= high + reach)).all(axis=1))
        if on.any():
            on[on] = self.distances(points[on]) <= reach
        return on

    def _combined(self, other: Surface, how: str) -> Surface:
        """One piece of this surface and one of another's."""
        from shapely import snap, transform

        here = other.to_space(np.eye(4, 3, k=-1))
        local = self.to_local(here)
        outline = other.outline
        if np.ptp(local[:3, 2]) > 1e-9 * np.ptp(local) or abs(local[0, 2]) > 1e-9 * max(*self.sizes, 1e-12):
            raise UsageError(f"the {self.kind} and the {other.kind} do not lie in one plane: move one")
        moved = transform(outline, lambda xy: local[0, :2] + xy @ (local[1:3, :2] - local[0, :2]))
        if how == "+" and self._clear_of(other):
            return replace(self, apart=(*self.apart, other))
        # Corners and edges that meet but for rounding are made to meet.
        low_x, low_y, high_x, high_y = self.outline.union(moved).bounds
        close = 1e-10 * math.hypot(high_x - low_x, high_y - low_y)
        moved = snap(moved, self.outline, close)
        own = snap(self.outline, moved, close)
        area = {"+": own.union, "-": own.difference, "&": own.intersection}[how](moved)
        if how == "+" and area.geom_type == "MultiPolygon":
            return replace(self, apart=(*self.apart, other))
        if area.geom_type != "Polygon" or area.is_empty:
            found = "nothing" if area.is_empty else "several pieces"
            raise UsageError(f"{self.kind} {how} {other.kind} leaves {found}; a surface is one piece")
        rings = [_ring(area.exterior), *(_ring(r) for r in area.interiors)]
        return Surface(Polygon(tuple(rings)), self.origin, self.frame)

    def _clear_of(self, other: Surface) -> bool:
        """Whether the boxes round the two lie apart: then so do they."""
        (low, high), (under, over) = ((s.bounds.min(axis=0), s.bounds.max(axis=0)) for s in (self, other))
        close = 1e-9 * float(np.linalg.norm(high - low) + np.linalg.norm(over - under))
        return bool((low > over + close).any() or (under > high + close).any())

    def __add__(self, other: Surface) -> Surface:
        # In whatever order pieces are added, those that touch are joined when the last between them has come.
        whole, waiting, left = replace(self, apart=()), [replace(other, apart=()), *other.apart], list(self.apart)
        while waiting:
            piece = waiting.pop()
            joined = whole._combined(piece, "+")
            if joined.apart:
                left.append(piece)
            else:
                # What did not touch the whole before may touch what has joined it.
                whole, waiting, left = joined, waiting + left, []
        return replace(whole, apart=tuple(left))

    def __sub__(self, other: Surface) -> Surface:
        return self._in_one_piece("-")._combined(other._in_one_piece("-"), "-")

    def __and__(self, other: Surface) -> Surface:
        return self._in_one_piece("&")._combined(other._in_one_piece("&"), "&")

    def _in_one_piece(self, how: str) -> Surface:
        if self.apart:
            raise UsageError(f"{self.kind} {how} ...: it is in {1 + len(self.apart)} pieces: add what joins them first")
        return self


@lru_cache(maxsize=4096)
def _box_round(surface: Surface) -> tuple[Floats, Floats]:
    bounds = surface.bounds
    low, high = bounds.min(axis=0), bounds.max(axis=0)
    # Circles are bounded by points on them, a little inside of what they reach.
    slack = 0.01 * float(np.linalg.norm(high - low))
    return low - slack, high + slack


def _rows(matrix: Floats) -> tuple[Point, Point, Point]:
    a, b, c = ((float(x), float(y), float(z)) for x, y, z in matrix)
    return a, b, c


def _ring(ring: Any) -> Ring:
    return tuple((float(x), float(y)) for x, y in list(ring.coords)[:-1])


def _frame(axis: str | Sequence[float], turn: str | float, what: str) -> tuple[Point, Point, Point]:
    """A frame with its z along an axis; unturned, x, y, z go round for named axes, else x is level."""
    up = np.array(direction_along(axis, f"{what}, axis"))
    if isinstance(axis, str):
        first = np.roll(up, 1)
    else:
        first = np.cross((0.0, 0.0, 1.0), up)
        first = first / np.linalg.norm(first) if np.linalg.norm(first) > 1e-9 else np.array([1.0, 0.0, 0.0])
    second = np.cross(up, first)
    angle = units.angle(turn, f"{what}, turn")
    c, s = math.cos(angle), math.sin(angle)
    return _rows(np.stack([c * first + s * second, c * second - s * first, up], axis=1))


def _lengths(kind: str, **lengths: Length) -> list[float]:
    """Lengths by name, metres, each above zero."""
    sizes = []
    for name, value in lengths.items():
        metres = units.length(value, f"{kind}, {name}")
        if not metres > 0.0:
            raise UsageError(f"{kind}: {name} {value} is not above zero")
        sizes.append(metres)
    return sizes


def _placed(shape: Shape, at: Sequence[Length], axis: Any = "z", turn: Any = 0.0) -> Surface:
    return Surface(shape, point_at(at, f"{shape.name}, place"), _frame(axis, turn, shape.name))


_ORIGIN = (0.0, 0.0, 0.0)
Axis = str | Sequence[float]


def plate(
    width: Length, depth: Length, *, centre: Sequence[Length] = _ORIGIN, axis: Axis = "z", turn: str | float = 0.0
) -> Surface:
    """A flat rectangle square to an axis. Width is along x for axis "z", along y for "x", along z for "y".

    axis: "x", "y", "z" or a direction; turn: about it. Lengths are metres or text with a unit, here and in all
    surfaces; each raises UsageError and UnitError for what is none.
    """
    return _placed(Plate(*_lengths("plate", width=width, depth=depth)), centre, axis, turn)


def disk(diameter: Length, *, centre: Sequence[Length] = _ORIGIN, axis: Axis = "z") -> Surface:
    """A flat circle square to an axis."""
    return _placed(Disk(*_lengths("disk", diameter=diameter)), centre, axis)


def annulus(diameter: Length, hole: Length, *, centre: Sequence[Length] = _ORIGIN, axis: Axis = "z") -> Surface:
    """A flat ring: a circle with a round hole, both given by their diameters."""
    outer, inner = _lengths("annulus", diameter=diameter, hole=hole)
    if inner >= outer:
        raise UsageError(f"annulus: hole {hole} is not smaller than the diameter {diameter}")
    return _placed(Annulus(outer, inner), centre, axis)


def box(
    width: Length,
    depth: Length,
    height: Length,
    *,
    centre: Sequence[Length] = _ORIGIN,
    axis: Axis = "z",
    turn: str | float = 0.0,
    without: str = "",
) -> Surface:
    """A box: six plates. without: faces left out, such as "top" or "top front" (top, bottom: along the axis; right,
    left: along the width; back, front: along the depth)."""
    needs(without, str, "box, without", f"names of faces: {', '.join(SIDES)}")
    open_faces = without.replace(",", " ").split()
    for face in open_faces:
        if face not in SIDES:
            raise UsageError(f"box: without '{face}': it is not one of {', '.join(SIDES)}")
    if len(set(open_faces)) == 6:
        raise UsageError("box: all six faces are left out: keep one")
    sizes = _lengths("box", width=width, depth=depth, height=height)
    return _placed(Box(sizes[0], sizes[1], sizes[2], " ".join(open_faces)), centre, axis, turn)


def cylinder(
    diameter: Length, length: Length, *, base: Sequence[Length] = _ORIGIN, axis: Axis = "z", ends: str = "open"
) -> Surface:
    """A round tube from its base along an axis. ends: "open", "closed", "first" (closed at the base) or "last"."""
    if ends not in ENDS:
        raise UsageError(f"cylinder: ends '{ends}' is not one of {', '.join(ENDS)}")
    wide, long = _lengths("cylinder", diameter=diameter, length=length)
    return _placed(Cylinder(wide, long, ends), base, axis)


def cone(first: Length, last: Length, height: Length, *, base: Sequence[Length] = _ORIGIN, axis: Axis = "z") -> Surface:
    """A cone or frustum: diameters at its base and its other end, either of which may be zero, and its height."""
    wide = [units.length(d, "cone, diameter") for d in (first, last)]
    if min(wide) < 0.0 or max(wide) <= 0.0:
        raise UsageError(f"cone: diameters {first} and {last}: neither may be below zero, and one must be above it")
    return _placed(Cone(*wide, *_lengths("cone", height=height)), base, axis)


def paraboloid(
    diameter: Length, focal_length: Length, *, base: Sequence[Length] = _ORIGIN, axis: Axis = "z"
) -> Surface:
    """A dish: a paraboloid of revolution with its vertex at base, open towards its axis, z = ρ²/4f."""
    sizes = _lengths("paraboloid", diameter=diameter, focal_length=focal_length)
    return _placed(Paraboloid(*sizes), base, axis)


def sphere(diameter: Length, *, centre: Sequence[Length] = _ORIGIN) -> Surface:
    """A sphere."""
    return _placed(Sphere(*_lengths("sphere", diameter=diameter)), centre)


def polygon(points: Iterable[Sequence[Length]], holes: Iterable[Iterable[Sequence[Length]]] = ()) -> Surface:
    """A flat polygon through corners (x, y, z) in one plane, with holes; raises UsageError for corners off the plane
    and for outlines that cross themselves."""
    from shapely import Polygon as Area
    from shapely.validation import explain_validity

    needs(holes, Iterable, "polygon, holes", "a list of outlines")
    rings = []
    for ring in (points, *holes):
        needs(ring, Iterable, "polygon, outline", "a list of corners (x, y, z)")
        rings.append(np.array([point_at(p, "polygon, point") for p in ring], float))
    outer = rings[0]
    if any(len(r) < 3 for r in rings):
        raise UsageError("polygon: give three corners or more, each x, y, z")
    # Newell's normal holds for any outline.
    normal = np.cross(outer - outer[0], np.roll(outer, -1, axis=0) - outer[0]).sum(axis=0)
    size = float(np.linalg.norm(np.ptp(outer, axis=0)))
    if not np.linalg.norm(normal) > 1e-12 * size**2:
        raise UsageError("polygon: its corners lie on a line: it has no area")
    up = normal / np.linalg.norm(normal)
    along = outer[1] - outer[0]
    first = along / np.linalg.norm(along)
    # To fewer digits than are there, so that corners that went through a file give the same polygon.
    frame = np.round(np.stack([first, np.cross(up, first), up], axis=1), 14) + 0.0
    flat = [(r - outer[0]) @ frame for r in rings]
    off = max(float(np.abs(f[:, 2]).max()) for f in flat)
    if off > 1e-6 * size:
        raise UsageError(
            f"polygon: a corner lies {off:.3g} m off the plane of the others: make them flat, or use triangles"
        )
    area = Area(flat[0][:, :2], [f[:, :2] for f in flat[1:]])
    if not area.is_valid:
        raise UsageError(f"polygon: its outline is not simple: {explain_validity(area).lower()}")
    digits = 12 - math.ceil(math.log10(size))
    loops = tuple(tuple((round(float(x), digits), round(float(y), digits)) for x, y in f[:, :2]) for f in flat)
    return Surface(Polygon(loops), tuple(outer[0].tolist()), _rows(frame))


def triangles(corners: Any, faces: Any) -> Surface:
    """A surface of triangles: corners (n, 3) in metres, faces (m, 3) of corner numbers. It is meshed as it is given,
    and divided where it is too coarse. Raises UsageError for numbers that are no corners."""
    points, numbers = np.asarray(corners, float), np.asarray(faces)
    if points.ndim != 2 or points.shape[1:] != (3,) or not np.isfinite(points).all():
        raise UsageError(f"triangles: corners have shape {points.shape}; give (n, 3) finite numbers")
    if numbers.ndim != 2 or numbers.shape[1:] != (3,) or not len(numbers):
        raise UsageError(f"triangles: faces have shape {numbers.shape}; give (m, 3) corner numbers")
    if numbers.min() < 0 or numbers.max() >= len(points):
        raise UsageError(f"triangles: a face names corner {numbers.max()}, but there are {len(points)}")
    shape = Triangles(tuple(map(tuple, points.tolist())), tuple(map(tuple, numbers.tolist())))
    return Surface(shape, _ORIGIN, _rows(np.eye(3)))


def turn_of(surface: Surface) -> float:
    """The angle about its axis, radians, that makes a surface's frame from that of its axis alone."""
    plain = np.array(_frame([float(row[2]) for row in surface.frame], 0.0, surface.kind))
    side = surface.axes[:, 0]
    return math.atan2(float(side @ plain[:, 1]), float(side @ plain[:, 0]))


def open_sides(surface: Surface, box: Box) -> str:
    """Which sides of a box are left out, in the right-handed frame that has its axis and its width."""
    if np.linalg.det(surface.axes) > 0.0:
        return box.without
    swapped = {"back": "front", "front": "back"}
    return " ".join(swapped.get(side, side) for side in box.without.split())
