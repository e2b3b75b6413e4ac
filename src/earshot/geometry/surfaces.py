"""Shapes of sheets: flat outlines, surfaces of revolution, boxes and triangles, each with a place in space."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from .. import units
from ..arraytypes import Floats
from ..errors import UsageError
from .parts import AXES, Length, Point

if TYPE_CHECKING:
    from shapely import Polygon

Ring = tuple[tuple[float, float], ...]
FLAT = ("plate", "disk", "annulus", "polygon")
ROUND = ("disk", "annulus", "cylinder", "cone", "paraboloid", "sphere")
_CIRCLE = 72


@dataclass(frozen=True, slots=True)
class Surface:
    """A shape and where it is; made by `plate`, `disk`, `box` and the like.

    kind: which shape. sizes: its lengths, metres, in the order of its maker. ends: of a cylinder or box, which are
    closed. rings: the outlines of a polygon, the outer one first, or the corners of triangles. triangles: three corner
    numbers each. origin, frame: a local point p is at origin + frame @ p. apart: what was added and does not touch it
    yet; a sheet takes none.

    Flat surfaces in one plane combine: `one + two`, `one - two`, `one & two`.
    """

    kind: str
    sizes: tuple[float, ...]
    origin: Point
    frame: tuple[Point, Point, Point]
    ends: str = ""
    rings: tuple[Any, ...] = ()
    triangles: tuple[tuple[int, int, int], ...] = ()
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
        rings = self.rings
        if stretch != 1.0 and self.kind == "triangles":
            rings = tuple(tuple(stretch * x for x in p) for p in rings)
        elif stretch != 1.0:
            rings = tuple(tuple(tuple(stretch * x for x in p) for p in ring) for ring in rings)
        return replace(
            self,
            sizes=tuple(stretch * x for x in self.sizes),
            origin=tuple((matrix @ np.array(self.origin) + shift).tolist()),
            frame=_rows(matrix @ self.axes / stretch),
            rings=rings,
        )

    @property
    def flat(self) -> bool:
        """Whether it lies in one plane."""
        return self.kind in FLAT

    @property
    def outline(self) -> Polygon:
        """A flat surface's area in local x and y; circles as 72-gons of the same area."""
        from shapely import Polygon, box

        if self.kind == "plate":
            width, depth = self.sizes
            return box(-width / 2, -depth / 2, width / 2, depth / 2)
        if self.kind in ("disk", "annulus"):
            part = 2.0 * math.pi / _CIRCLE
            turn = part * np.arange(_CIRCLE)
            unit = np.stack([np.cos(turn), np.sin(turn)], axis=1) * math.sqrt(part / math.sin(part)) / 2.0
            return Polygon(unit * self.sizes[0], [unit * d for d in self.sizes[1:]])
        if self.kind == "polygon":
            return Polygon(self.rings[0], self.rings[1:])
        raise UsageError(f"a {self.kind} is not flat; only {', '.join(FLAT)} can be combined")

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
        size = float(np.ptp(np.array(rings[0])))
        return Surface("polygon", (size,), self.origin, self.frame, rings=tuple(rings))

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

    @property
    def corners(self) -> Floats:
        """The corners of triangles in space (n, 3)."""
        return self.to_space(np.array(self.rings))

    @property
    def heights(self) -> tuple[float, float]:
        """Least and greatest local z."""
        s = self.sizes
        if self.kind == "triangles":
            z = np.array(self.rings)[:, 2]
            return float(z.min()), float(z.max())
        if self.kind in ("box", "sphere"):
            return -s[-1] / 2.0, s[-1] / 2.0
        tall = {"cylinder": s[-1], "cone": s[-1], "paraboloid": s[0] ** 2 / (16.0 * s[-1])}
        return 0.0, tall.get(self.kind, 0.0)

    @property
    def bounds(self) -> Floats:
        """Points in space (n, 3) that lie as far out as the surface does."""
        s, (low, high) = self.sizes, self.heights
        if self.kind == "triangles":
            return self.corners
        if self.kind == "polygon":
            flat = np.array(self.rings[0])
            return self.to_space(np.column_stack([flat, np.zeros(len(flat))]))
        if self.kind in ("plate", "box"):
            corners = [(x, y, z) for x in (-s[0], s[0]) for y in (-s[1], s[1]) for z in (2 * low, 2 * high)]
            return self.to_space(np.array(corners) / 2.0)
        turn = 2.0 * math.pi * np.arange(_CIRCLE) / _CIRCLE
        ring = np.stack([np.cos(turn), np.sin(turn)], axis=1) / 2.0
        if self.kind == "sphere":
            ball = np.concatenate([np.insert(ring * s[0], axis, 0.0, axis=1) for axis in range(3)])
            return self.to_space(ball)
        first, last = {"cone": s[:2], "paraboloid": (0.0, s[0])}.get(self.kind, (s[0], s[0]))
        ends = [np.column_stack([ring * d, np.full(_CIRCLE, z)]) for d, z in ((first, low), (last, high))]
        return self.to_space(np.concatenate(ends))


def _rows(matrix: Floats) -> tuple[Point, Point, Point]:
    a, b, c = ((float(x), float(y), float(z)) for x, y, z in matrix)
    return a, b, c


def _ring(ring: Any) -> Ring:
    return tuple((float(x), float(y)) for x, y in list(ring.coords)[:-1])


def _frame(axis: str | Sequence[float], turn: str | float, what: str) -> tuple[Point, Point, Point]:
    """A frame with its z along an axis; unturned, x, y, z go round for named axes, else x is level."""
    if isinstance(axis, str):
        if axis not in AXES:
            raise UsageError(f"{what}: axis '{axis}' is not one of x, y, z; give one of them or a direction (x, y, z)")
        up = np.array(AXES[axis])
        first = np.roll(up, 1)
    else:
        up = np.array(axis, float)
        long = np.linalg.norm(up)
        if up.shape != (3,) or not (np.isfinite(long) and long > 0.0):
            raise UsageError(f"{what}: axis {axis!r} is not a direction; give three numbers, not all zero")
        up = up / long
        first = np.cross((0.0, 0.0, 1.0), up)
        first = first / np.linalg.norm(first) if np.linalg.norm(first) > 1e-9 else np.array([1.0, 0.0, 0.0])
    second = np.cross(up, first)
    angle = units.angle(turn, f"{what}, turn")
    c, s = math.cos(angle), math.sin(angle)
    return _rows(np.stack([c * first + s * second, c * second - s * first, up], axis=1))


def _placed(
    kind: str, names: str, lengths: Sequence[Length], at: Sequence[Length], axis: Any, turn: Any, ends: str = ""
) -> Surface:
    sizes = []
    for name, value in zip(names.split(), lengths, strict=True):
        metres = units.length(value, f"{kind}, {name}")
        if not metres > 0.0:
            raise UsageError(f"{kind}: {name} {value} is not above zero")
        sizes.append(metres)
    place = [units.length(c, f"{kind}, place") for c in at]
    if len(place) != 3:
        raise UsageError(f"{kind}: a place has three coordinates x, y, z; {len(place)} were given")
    return Surface(kind, tuple(sizes), (place[0], place[1], place[2]), _frame(axis, turn, kind), ends)


_ORIGIN = (0.0, 0.0, 0.0)
Axis = str | Sequence[float]


def plate(
    width: Length, depth: Length, *, centre: Sequence[Length] = _ORIGIN, axis: Axis = "z", turn: str | float = 0.0
) -> Surface:
    """A flat rectangle square to an axis. Width is along x for axis "z", along y for "x", along z for "y".

    axis: "x", "y", "z" or a direction; turn: about it. Lengths are metres or text with a unit, here and in all
    surfaces; each raises UsageError and UnitError for what is none.
    """
    return _placed("plate", "width depth", (width, depth), centre, axis, turn)


def disk(diameter: Length, *, centre: Sequence[Length] = _ORIGIN, axis: Axis = "z") -> Surface:
    """A flat circle square to an axis."""
    return _placed("disk", "diameter", (diameter,), centre, axis, 0.0)


def annulus(diameter: Length, hole: Length, *, centre: Sequence[Length] = _ORIGIN, axis: Axis = "z") -> Surface:
    """A flat ring: a circle with a round hole, both given by their diameters."""
    made = _placed("annulus", "diameter hole", (diameter, hole), centre, axis, 0.0)
    if made.sizes[1] >= made.sizes[0]:
        raise UsageError(f"annulus: hole {hole} is not smaller than the diameter {diameter}")
    return made


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
    open_faces = without.replace(",", " ").split()
    for face in open_faces:
        if face not in BOX_FACES:
            raise UsageError(f"box: without '{face}': it is not one of {', '.join(BOX_FACES)}")
    if len(set(open_faces)) == 6:
        raise UsageError("box: all six faces are left out: keep one")
    return _placed("box", "width depth height", (width, depth, height), centre, axis, turn, " ".join(open_faces))


BOX_FACES = {
    "top": (2, 1.0),
    "bottom": (2, -1.0),
    "right": (0, 1.0),
    "left": (0, -1.0),
    "back": (1, 1.0),
    "front": (1, -1.0),
}
"""Which local axis a face is square to, and on which side."""
ENDS = ("open", "closed", "first", "last")
"""Which ends of a cylinder are closed: none, both, the one at its base, the other one."""


def cylinder(
    diameter: Length, length: Length, *, base: Sequence[Length] = _ORIGIN, axis: Axis = "z", ends: str = "open"
) -> Surface:
    """A round tube from its base along an axis. ends: "open", "closed", "first" (closed at the base) or "last"."""
    if ends not in ENDS:
        raise UsageError(f"cylinder: ends '{ends}' is not one of {', '.join(ENDS)}")
    return _placed("cylinder", "diameter length", (diameter, length), base, axis, 0.0, ends)


def cone(first: Length, last: Length, height: Length, *, base: Sequence[Length] = _ORIGIN, axis: Axis = "z") -> Surface:
    """A cone or frustum: diameters at its base and its other end, either of which may be zero, and its height."""
    wide = [units.length(d, "cone, diameter") for d in (first, last)]
    if min(wide) < 0.0 or max(wide) <= 0.0:
        raise UsageError(f"cone: diameters {first} and {last}: neither may be below zero, and one must be above it")
    made = _placed("cone", "height", (height,), base, axis, 0.0)
    return replace(made, sizes=(wide[0], wide[1], *made.sizes))


def paraboloid(
    diameter: Length, focal_length: Length, *, base: Sequence[Length] = _ORIGIN, axis: Axis = "z"
) -> Surface:
    """A dish: a paraboloid of revolution with its vertex at base, open towards its axis, z = ρ²/4f."""
    return _placed("paraboloid", "diameter focal_length", (diameter, focal_length), base, axis, 0.0)


def sphere(diameter: Length, *, centre: Sequence[Length] = _ORIGIN) -> Surface:
    """A sphere."""
    return _placed("sphere", "diameter", (diameter,), centre, "z", 0.0)


def polygon(points: Iterable[Sequence[Length]], holes: Iterable[Iterable[Sequence[Length]]] = ()) -> Surface:
    """A flat polygon through corners (x, y, z) in one plane, with holes; raises UsageError for corners off the plane
    and for outlines that cross themselves."""
    from shapely import Polygon
    from shapely.validation import explain_validity

    rings = [
        np.array([[units.length(c, "polygon, point") for c in p] for p in ring], float) for ring in (points, *holes)
    ]
    outer = rings[0]
    if len(outer) < 3 or any(r.ndim != 2 or r.shape[1] != 3 for r in rings):
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
    area = Polygon(flat[0][:, :2], [f[:, :2] for f in flat[1:]])
    if not area.is_valid:
        raise UsageError(f"polygon: its outline is not simple: {explain_validity(area).lower()}")
    digits = 12 - math.ceil(math.log10(size))
    loops = tuple(tuple((round(float(x), digits), round(float(y), digits)) for x, y in f[:, :2]) for f in flat)
    return Surface("polygon", (round(size, digits),), tuple(outer[0].tolist()), _rows(frame), rings=loops)


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
    rings = tuple(tuple(p) for p in points.tolist())
    size = float(np.linalg.norm(np.ptp(points, axis=0)))
    return Surface(
        "triangles", (size,), _ORIGIN, _rows(np.eye(3)), rings=rings, triangles=tuple(map(tuple, numbers.tolist()))
    )


def turn_of(surface: Surface) -> float:
    """The angle about its axis, radians, that makes a surface's frame from that of its axis alone."""
    plain = np.array(_frame([float(row[2]) for row in surface.frame], 0.0, surface.kind))
    side = surface.axes[:, 0]
    return math.atan2(float(side @ plain[:, 1]), float(side @ plain[:, 0]))


def unmirrored_ends(surface: Surface) -> str:
    """Which ends are closed or faces left out, in the right-handed frame that has its axis and its width."""
    if np.linalg.det(surface.axes) > 0.0 or surface.kind != "box":
        return surface.ends
    swapped = {"back": "front", "front": "back"}
    return " ".join(swapped.get(face, face) for face in surface.ends.split())
