"""What is built at a place: bodies of flat faces over level ground, and the edges between these."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from pathlib import Path
from typing import NamedTuple

import numpy as np

from ..arraytypes import Bools, Floats, Ints
from ..errors import UsageError
from ..files.buildings import Footprint, Placed, read_footprints, read_mesh
from ..kernels.bends import Edges, edges_seen, faces_seen
from ..kernels.rays import Faces, holders, walls_seen
from ..lettering import Told
from ..media.walls import Wall
from ..running import announce, in_shares
from ..units import length

_SAME = 1e-4
"""m within which corners are the same."""
_BESIDE = 0.01
"""m off a face, where it is asked whether another body covers it."""
_FLAT = 1e-3
"""Radians by which faces must differ for an edge between them."""
_OVERLAP = 0.01
"""m² that footprints may share."""
_MOST = 50_000
"""Faces of a scene."""
_SAMPLES = 3
"""Places along an edge, and either way on a face, that are looked from and at."""


class Face(NamedTuple):
    """normal (3,), outward; sides (m, 2, 3): of its outlines, holes included, with the face on their left."""

    normal: Floats
    sides: Floats


@dataclass(frozen=True, eq=False)
class Body:
    """A building or another object: its faces, and what they are of. open: thin faces with air on both sides."""

    name: str
    faces: tuple[Face, ...]
    wall: Wall
    open: bool = False
    outline: Floats | None = None
    """Corners (n, 2) of its footprint, where it has one."""

    def __post_init__(self) -> None:
        if not self.faces:
            raise UsageError(f"'{self.name}' has no faces above the ground")
        low = min(float(face.sides[..., 2].min()) for face in self.faces)
        if low < -_SAME:
            raise UsageError(f"'{self.name}' reaches {-low:.3g} m under the ground: raise it, or cut it off there")


def building(
    name: str, footprint: Sequence[tuple[float, float]], height: str | float, wall: Wall, *,
    holes: Sequence[Sequence[tuple[float, float]]] = (),
) -> Body:  # fmt: skip
    """Upright walls on a footprint, corners (x, y) in m, under a flat roof, with yards inside it if wanted.

    Raises UsageError for a footprint that crosses itself or has no area, and a height that is not above zero.
    """
    return _upright(Footprint(name, footprint, tuple(holes), length(height, f"building '{name}', height")), wall)


def _upright(given: Footprint, wall: Wall) -> Body:
    """Raises UsageError as `building` does."""
    from shapely.geometry import Polygon
    from shapely.geometry.polygon import orient
    from shapely.validation import explain_validity

    high = given.height
    if not (math.isfinite(high) and high > 0.0):
        raise UsageError(f"building '{given.name}': a height of {high:g} m is not above zero")
    shape = Polygon(given.corners, given.holes) if len(given.corners) > 2 else Polygon()
    if not shape.is_valid or shape.area < _OVERLAP:
        why = explain_validity(shape) if not shape.is_valid else f"{len(given.corners)} corners, {shape.area:.3g} m²"
        raise UsageError(f"building '{given.name}': its footprint is no area with a plain outline: {why}")
    shape = orient(shape.simplify(_SAME))
    faces, roof = [], []
    for ring in (shape.exterior, *shape.interiors):
        corners = np.asarray(ring.coords, float)[:, :2]
        for a, b in pairwise(corners):
            along = (b - a) / np.linalg.norm(b - a)
            low = [np.array([*p, 0.0]) for p in (a, b)]
            top = [np.array([*p, high]) for p in (a, b)]
            sides = np.array([[low[0], low[1]], [low[1], top[1]], [top[1], top[0]], [top[0], low[0]]])
            faces.append(Face(np.array([along[1], -along[0], 0.0]), sides))
            roof.append([top[0], top[1]])
    faces.append(Face(np.array([0.0, 0.0, 1.0]), np.array(roof)))
    return Body(given.name, tuple(faces), wall, outline=np.asarray(shape.exterior.coords)[:-1, :2])


def screen(name: str, corners: Sequence[tuple[float, float, float]], wall: Wall) -> Body:
    """A thin flat plate by its corners (x, y, z), m; raises UsageError where they are not in one plane."""
    given = np.asarray(corners, float)
    if given.ndim != 2 or given.shape[0] < 3 or given.shape[1] != 3 or not np.isfinite(given).all():
        raise UsageError(f"screen '{name}': give three corners (x, y, z) or more")
    after = np.roll(given, -1, axis=0)
    area = 0.5 * np.cross(given, after).sum(axis=0)
    size = float(np.linalg.norm(area))
    if size < 1e-12:
        raise UsageError(f"screen '{name}': its corners are in a line")
    normal = area / size
    if (off := float(np.abs((given - given[0]) @ normal).max())) > _SAME:
        raise UsageError(f"screen '{name}': its corners are {off:.3g} m off a plane")
    return Body(name, (Face(normal, np.stack([given, after], axis=1)),), wall, open=True)


def solid(
    path: str | Path, wall: Wall, *, name: str | None = None, at: tuple[float, float] = (0.0, 0.0), thin: bool = False
) -> Body:
    """A mesh in metres (OBJ and STL with z up, GLTF and GLB with y up), its origin at a place; thin: plates with air
    on both sides.

    Raises UsageError for a mesh that is not closed though it should be, and as `read_mesh` does.
    """
    own = name or Path(path).stem
    mesh = read_mesh(path)
    if not thin and mesh.gaps:
        raise UsageError(
            f"'{own}' is not closed: {mesh.gaps} of its sides belong to one face only, one at "
            f"({', '.join(f'{x:.3g}' for x in mesh.gap)}) m: close it, or say that it is thin"
        )
    move = np.array([*at, 0.0])
    faces = tuple(
        Face(normal, sides + move)
        for normal, sides in mesh.faces
        # What stands on the ground is never seen.
        if thin or not (normal[2] < -0.5 and float(np.abs(sides[..., 2]).max()) < _SAME)
    )
    return Body(own, faces, wall, thin)


def buildings(path: str | Path, wall: Wall, placed: Placed | None = None) -> tuple[Body, ...]:
    """Buildings of a GeoJSON file of footprints with heights; see `read_footprints`.

    A feature's own material and thickness go before `wall`.
    """
    found = []
    for given in read_footprints(path, placed):
        own = wall
        if given.material is not None or given.thickness is not None:
            try:
                own = Wall.of(given.material or wall.material, given.thickness or wall.thickness)
            except UsageError as problem:
                raise UsageError(f"building '{given.name}': {problem}") from None
        found.append(_upright(given, own))
    return tuple(found)


@dataclass(frozen=True, eq=False, repr=False)
class Scene(Told):
    """Bodies over level ground, z = 0; raises UsageError for two of one name, and buildings that overlap."""

    bodies: tuple[Body, ...]

    def __post_init__(self) -> None:
        names = [body.name for body in self.bodies]
        if twice := {name for name in names if names.count(name) > 1}:
            raise UsageError(f"two bodies are called '{min(twice)}': give each a name of its own")
        if (count := sum(len(body.faces) for body in self.bodies)) > _MOST:
            raise UsageError(f"the scene has {count:,} faces; {_MOST:,} are the most: simplify its meshes")
        _apart(self.bodies)

    def _in_words(self) -> str:
        return f"{len(self.bodies)} bodies, {len(self.faces.offsets)} faces, {len(self.edges.length)} edges"

    @cached_property
    def faces(self) -> Faces:
        """As kernels take them, bodies one after another."""
        return _flat(self.bodies)

    @cached_property
    def edges(self) -> Edges:
        """Where faces meet with more air than matter between them, or end."""
        return _edges(self.bodies, self.faces)

    @cached_property
    def of_face(self) -> Ints:
        """The number of the body of each face (n,)."""
        return np.repeat(np.arange(len(self.bodies)), [len(body.faces) for body in self.bodies])

    @cached_property
    def sights(self) -> Bools:
        """Which faces, and the ground last, are in sight of which edges (edges, faces + 1), by samples of both."""
        seen = np.zeros((len(self.edges.length), len(self.faces.offsets) + 1), np.bool_)
        announce(faces_seen)
        in_shares(
            lambda share: faces_seen(
                self.faces, self.edges, _SAMPLES, share.start, min(share.stop, len(seen)), seen
            ),
            len(seen),
        )  # fmt: skip
        return seen

    @cached_property
    def wall_sights(self) -> Bools:
        """Which faces are in sight of which (faces, faces), likewise."""
        count = len(self.faces.offsets)
        seen = np.zeros((count, count), np.bool_)
        announce(walls_seen)
        in_shares(lambda share: walls_seen(self.faces, _SAMPLES, share.start, min(share.stop, count), seen), count)
        return seen

    @cached_property
    def edge_sights(self) -> Bools:
        """Which edges are in sight of which (edges, edges), likewise."""
        count = len(self.edges.length)
        seen = np.zeros((count, count), np.bool_)
        announce(edges_seen)
        in_shares(
            lambda share: edges_seen(self.faces, self.edges, _SAMPLES, share.start, min(share.stop, count), seen), count
        )
        return seen

    def holder(self, places: Floats) -> Ints:
        """The number of the body that a place (n, 3) is inside of, -1 where there is none."""
        inside = np.full(len(places), -1, np.int64)
        if self.bodies and len(places):
            holders(self.faces, np.ascontiguousarray(places, np.float64), inside)
        return inside

    @property
    def extent(self) -> tuple[float, float, float, float]:
        """West, east, south, north of all that is built, m."""
        boxes = self.faces.boxes
        low, high = boxes[:, :3].min(axis=0), boxes[:, 3:].max(axis=0)
        return float(low[0]), float(high[0]), float(low[1]), float(high[1])


def _apart(bodies: tuple[Body, ...]) -> None:
    from shapely import STRtree
    from shapely.geometry import Polygon

    standing = [body for body in bodies if body.outline is not None]
    shapes = [Polygon(body.outline) for body in standing]
    tree = STRtree(shapes)
    for n, shape in enumerate(shapes):
        for m in tree.query(shape):
            if m > n and (both := shape.intersection(shapes[m]).area) > _OVERLAP:
                raise UsageError(
                    f"buildings '{standing[n].name}' and '{standing[m].name}' overlap by {both:.3g} m²: let them "
                    "touch at most"
                )


def _flat(bodies: tuple[Body, ...]) -> Faces:
    every = [face for body in bodies for face in body.faces]
    count = len(every)
    places, u, v, box = (np.zeros((count, width)) for width in (3, 3, 3, 4))
    normals = np.array([face.normal for face in every]).reshape(count, 3)
    sides, first = [], [0]
    for n, (normal, own) in enumerate(every):
        places[n] = own[0, 0]
        u[n] = (own[0, 1] - own[0, 0]) / np.linalg.norm(own[0, 1] - own[0, 0])
        v[n] = np.cross(normal, u[n])
        local = np.stack([(own - places[n]) @ u[n], (own - places[n]) @ v[n]], axis=-1)
        box[n] = local[..., 0].min(), local[..., 0].max(), local[..., 1].min(), local[..., 1].max()
        sides.append(local.reshape(-1, 4))
        first.append(first[-1] + len(local))
    corners = [np.concatenate([face.sides.reshape(-1, 3) for face in body.faces]) for body in bodies]
    boxes = [np.concatenate([c.min(axis=0), c.max(axis=0)]) for c in corners]
    return Faces(
        normals, np.sum(normals * places, axis=1), places, u, v, box, np.concatenate([np.zeros((0, 4)), *sides]),
        np.array(first), np.repeat([body.open for body in bodies], [len(body.faces) for body in bodies]).astype(bool),
        np.concatenate([[0], np.cumsum([len(body.faces) for body in bodies])]).astype(np.int64),
        np.array(boxes).reshape(len(bodies), 6),
    )  # fmt: skip


class _Edge(NamedTuple):
    start: Floats
    along: Floats
    length: float
    faces: tuple[int, int]
    away: Floats
    normal: Floats
    angle: float


def _edges(bodies: tuple[Body, ...], faces: Faces) -> Edges:
    found = [edge for n, body in enumerate(bodies) for edge in _edges_of(body, int(faces.own[n]))]
    if found:
        # An edge that another body covers on either side is none.
        start, along, away, normal = (np.array([e[i] for e in found]) for i in (0, 1, 4, 5))
        long, angle = np.array([e.length for e in found])[:, None], np.array([e.angle for e in found])[:, None]
        middle = start + 0.5 * long * along
        last = np.cos(angle) * away + np.sin(angle) * normal, np.sin(angle) * away - np.cos(angle) * normal
        covered = np.zeros(len(found), bool)
        for one, out in ((away, normal), last):
            inside = np.full(len(found), -1, np.int64)
            holders(faces, np.ascontiguousarray(middle + _BESIDE * (one + out)), inside)
            covered |= inside >= 0
        found = [edge for edge, hidden in zip(found, covered, strict=True) if not hidden]
    start, along, away, normal = (np.array([e[i] for e in found], float).reshape(-1, 3) for i in (0, 1, 4, 5))
    long, angle = (np.array([e[i] for e in found], float) for i in (2, 6))
    return Edges(start, along, long, np.array([e.faces for e in found], int).reshape(-1, 2), away, normal, angle)


def _edges_of(body: Body, first: int) -> list[_Edge]:
    meeting: dict[tuple[tuple[int, ...], ...], list[tuple[int, Floats]]] = {}
    for n, face in enumerate(body.faces):
        for side in face.sides:
            ends = sorted(tuple(np.round(corner / _SAME).astype(int).tolist()) for corner in side)
            meeting.setdefault(tuple(ends), []).append((n, side))
    found = []
    for sides in meeting.values():
        (n, side), others = sides[0], sides[1:]
        if len(others) > 1 or float(np.abs(side[:, 2]).max()) < _SAME or (not others and not body.open):
            # Three faces or more; along the ground; or a body's face that stands on it.
            continue
        normal, long = body.faces[n].normal, float(np.linalg.norm(side[1] - side[0]))
        along = (side[1] - side[0]) / long
        away = np.cross(normal, along)
        if not others:
            found.append(_Edge(side[0], along, long, (first + n, -1), away, normal, 2.0 * math.pi))
            continue
        m = others[0][0]
        last = np.cross(body.faces[m].normal, (others[0][1][1] - others[0][1][0]) / long)
        angle = math.atan2(float(last @ normal), float(last @ away)) % (2.0 * math.pi)
        if body.open and angle < math.pi:
            # Thin faces have air behind them as well.
            side, along, normal, angle = side[::-1], -along, -normal, 2.0 * math.pi - angle
        if angle > math.pi + _FLAT:
            found.append(_Edge(side[0], along, long, (first + n, first + m), away, normal, angle))
    return found
