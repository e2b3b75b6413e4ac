"""What rays carry: fields along their ways, from face to edge to place, with both senses of polarisation."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from ..arraytypes import Bools, Complexes, Floats, Ints
from ..constants import wavelength, wavenumber
from ..kernels.bends import ways_round
from ..kernels.rays import BENT, MIRRORED, THROUGH
from ..media.walls import Factors, half_space, slab
from .scene import Scene
from .wedge import Bend, bent, kept

_ALONG = 1e-6
"""Radians within which a way goes along a face."""
Beam = Callable[[Floats], Complexes]
"""What an antenna sends in unit directions (n, 3): vectors (n, 3), their square its realized gain."""


class Found(NamedTuple):
    """Rays that hold: the end of each (n,); kinds, numbers (n, e) and points (n, e, 3) of what it meets in turn."""

    to: Ints
    kinds: Ints
    numbers: Ints
    points: Floats

    def only(self, which: Ints) -> Found:
        """These rays, in this order."""
        return Found(self.to[which], self.kinds[which], self.numbers[which], self.points[which])


class Carried(NamedTuple):
    """Of each ray: directions in which it leaves and arrives, (n, 3); length, m; field at its end (n, 3), its square
    what an isotropic antenna takes there of each watt sent.
    """

    leaving: Floats
    arriving: Floats
    length: Floats
    field: Complexes


class Matter(NamedTuple):
    """Of a scene at a frequency: permittivities of its bodies' walls and of the ground, none for perfect metal."""

    scene: Scene
    frequency: float
    walls: tuple[complex | None, ...]
    ground: complex | None
    passes: int
    """How many faces rays may go through."""

    @classmethod
    def of(cls, scene: Scene, frequency: float, ground: complex | None, passes: int) -> Matter:
        """Raises UsageError for materials whose formulas do not reach there."""
        return cls(scene, frequency, tuple(b.wall.permittivity(frequency) for b in scene.bodies), ground, passes)

    def factors(self, faces: Ints, cosine: Floats) -> Factors:
        """Of faces (n,), the ground last of all, for rays so far from their normals."""
        out = Factors(*(np.zeros(len(faces), np.complex128) for _ in range(4)))
        bodies = np.append(self.scene.of_face, -1)[faces]
        kinds: dict[tuple[complex | None, float], list[int]] = {}
        for n, body in enumerate(self.scene.bodies):
            kinds.setdefault((self.walls[n], body.wall.thickness), []).append(n)
        told = [(np.isin(bodies, own), slab, (eps, thick, self.frequency)) for (eps, thick), own in kinds.items()]
        for here, law, given in (*told, (bodies < 0, half_space, (self.ground,))):
            if here.any():
                for whole, part in zip(out, law(cosine[here], *given), strict=True):  # type: ignore[operator]
                    whole[here] = part
        return out


def carried(matter: Matter, found: Found, source: Floats, ends: Floats, beam: Beam) -> Carried:
    """Fields of rays from a source (3,) to their ends (m, 3)."""
    k = wavenumber(matter.frequency)
    to, kinds, numbers, points = found
    end, rows = ends[to], np.arange(len(to))
    # Straight ways: to the first and from the last place where they turn.
    turns = (kinds == MIRRORED) | (kinds == BENT)
    stops = np.concatenate([np.broadcast_to(source, (len(to), 1, 3)), points, end[:, None]], axis=1)
    held = np.concatenate([np.ones((len(to), 1), bool), turns, np.ones((len(to), 1), bool)], axis=1)
    # What does not turn lies on its way: it is put where the way before it ended.
    for n in range(1, stops.shape[1] - 1):
        stops[:, n] = np.where(held[:, n, None], stops[:, n], stops[:, n - 1])
    length = np.linalg.norm(np.diff(stops, axis=1), axis=2).sum(axis=1)
    first = np.argmax(held[:, 1:], axis=1) + 1
    way = _unit(stops[rows, first] - source)
    corner = np.flatnonzero((kinds == BENT).any(axis=1))
    if len(corner):
        bends = _Bends.of(matter, found.only(corner), source, ends)
        length[corner], way[corner] = bends.length, bends.leaving
    number = np.full(len(to), -1)
    number[corner] = np.arange(len(corner))
    done = np.zeros(len(to), np.int64)
    leaving, field = way.copy(), beam(way)
    for n in range(kinds.shape[1]):
        for kind, law in ((MIRRORED, _mirrored), (THROUGH, _through)):
            here = np.flatnonzero(kinds[:, n] == kind)
            if len(here):
                field[here], way[here] = law(matter, numbers[here, n], way[here], field[here])
        here = np.flatnonzero(kinds[:, n] == BENT)
        if len(here):
            field[here], way[here] = _bent(matter, bends, number[here], done[here], field[here])
            done[here] += 1
    spread = wavelength(matter.frequency) / (4.0 * np.pi * length) * np.exp(-1j * k * length)
    return Carried(leaving, way, length, field * spread[:, None])


def _unit(vectors: Floats) -> Floats:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-300))


def _normals(scene: Scene, faces: Ints) -> Floats:
    return np.concatenate([scene.faces.normals, [[0.0, 0.0, 1.0]]])[faces]


def _across(way: Floats, axis: Floats) -> Floats:
    """Unit vectors square to both (n, 3); along a face's normal any will do."""
    square = np.cross(way, axis)
    other = np.cross(axis, np.where(np.abs(axis[:, :1]) < 0.9, [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]))
    return _unit(np.where(np.linalg.norm(square, axis=1, keepdims=True) > 1e-12, square, other))


def _mirrored(matter: Matter, faces: Ints, way: Floats, field: Complexes) -> tuple[Complexes, Floats]:
    normal = _normals(matter.scene, faces)
    slope = np.sum(way * normal, axis=1)
    factors = matter.factors(faces, np.abs(slope))
    te, on = _across(way, normal), way - 2.0 * slope[:, None] * normal
    across, within = np.sum(field * te, axis=1), np.sum(field * np.cross(way, te), axis=1)
    return np.asarray((factors.te * across)[:, None] * te + (factors.tm * within)[:, None] * np.cross(on, te)), on


def _through(matter: Matter, faces: Ints, way: Floats, field: Complexes) -> tuple[Complexes, Floats]:
    normal = _normals(matter.scene, faces)
    factors = matter.factors(faces, np.abs(np.sum(way * normal, axis=1)))
    te = _across(way, normal)
    tm = np.cross(way, te)
    across, within = np.sum(field * te, axis=1), np.sum(field * tm, axis=1)
    return np.asarray((factors.te_through * across)[:, None] * te + (factors.tm_through * within)[:, None] * tm), way


class _Bends(NamedTuple):
    """Of bent rays, with their mirrors folded out: length (n,), m; direction at the start (n, 3); and of the first and
    the second bend, if there is one, (n, 2) each: edge; whether it lies behind a thin face; directions to it and from
    it (n, 2, 3); distance parameter, m; factor of the coefficient, for spreading and the edge's ends.
    """

    length: Floats
    leaving: Floats
    edge: Ints
    behind: Bools
    coming: Floats
    going: Floats
    distance: Floats
    factor: Complexes

    @classmethod
    def of(cls, matter: Matter, found: Found, source: Floats, ends: Floats) -> _Bends:
        """Of rays that all are bent."""
        scene, k = matter.scene, wavenumber(matter.frequency)
        kinds, numbers, rows = found.kinds, found.numbers, np.arange(len(found.to))
        at = np.argmax(kinds == BENT, axis=1)
        twice = (kinds == BENT).sum(axis=1) == 2
        last = at + twice
        count = max(len(scene.edges.length), 1)
        edge = np.stack([numbers[rows, at] % count, numbers[rows, last]], axis=1)
        behind = np.repeat((numbers[rows, at] >= count)[:, None], 2, axis=1)
        after = np.minimum(last + 1, kinds.shape[1] - 1)
        mirrors = numbers[:, 0], numbers[rows, after]
        mirrored = kinds[:, 0] == MIRRORED, (kinds[rows, after] == MIRRORED) & (after > last)
        near, far = np.broadcast_to(source, (len(rows), 3)).copy(), ends[found.to]
        for place, faces, here in ((near, mirrors[0], mirrored[0]), (far, mirrors[1], mirrored[1])):
            place[here] = _image(scene, faces[here], place[here])
        places = np.zeros((len(rows), 2))
        ways_round(scene.edges, edge[:, 0], np.where(twice, edge[:, 1], -1), near, far, places)
        start, along = scene.edges.start[edge], scene.edges.along[edge]
        bends = start + places[..., None] * along
        first, middle, rest = bends[:, 0] - near, bends[:, 1] - bends[:, 0], far - bends[:, 1]
        la, lm, lb = (np.linalg.norm(leg, axis=1) for leg in (first, middle, rest))
        first, middle, rest = _unit(first), _unit(middle), _unit(rest)
        length = la + lm + lb
        leaving = first.copy()
        normal = _normals(scene, mirrors[0][mirrored[0]])
        leaving[mirrored[0]] -= 2.0 * np.sum(leaving[mirrored[0]] * normal, axis=1)[:, None] * normal
        # How the edges lie to one another, seen along the way between them.
        seen = [_unit(np.cross(along[:, n], middle)) for n in (0, 1)]
        turned = np.where(twice, 1.0 - np.sum(seen[0] * seen[1], axis=1) ** 2, 0.0)
        whole = np.where(twice, lm * length + turned * la * lb, length)
        distance = np.stack([
            np.where(twice, la * whole / (length * (la + lm)), la * lb / length),
            np.where(twice, lb * whole / (length * (lm + lb)), 0.0),
        ], axis=1)  # fmt: skip
        sine = np.linalg.norm(np.cross(np.stack([first, rest], axis=1), along), axis=2)
        long, none = scene.edges.length[edge], np.zeros(len(rows))
        share = kept(places[:, 0], none, long[:, 0], sine[:, 0], la, lm + lb, k)
        share = share * np.where(twice, kept(places[:, 1], none, long[:, 1], sine[:, 1], la + lm, lb, k), 1.0)
        # Along a face they share, what comes is half a wave and half its mirror image.
        faces = scene.edges.faces[edge]
        grazing = twice & ((faces[:, 0, :, None] == faces[:, 1, None, :]) & (faces[:, 0, :, None] >= 0)).any(
            axis=(1, 2)
        )
        factor = np.stack([share * length / np.sqrt(la * lb * whole) * np.where(grazing, 0.5, 1.0), none + 1.0], axis=1)
        return cls(
            length, leaving, edge, behind, np.stack([first, middle], axis=1),
            np.stack([np.where(twice[:, None], middle, rest), rest], axis=1), distance, factor,
        )  # fmt: skip


def _image(scene: Scene, faces: Ints, places: Floats) -> Floats:
    normal = _normals(scene, faces)
    off = np.sum(places * normal, axis=1) - np.append(scene.faces.offsets, 0.0)[faces]
    return np.asarray(places - 2.0 * off[:, None] * normal)


def _bent(matter: Matter, bends: _Bends, rays: Ints, number: Ints, field: Complexes) -> tuple[Complexes, Floats]:
    """Of so many rays of these, each at its first or second bend."""
    edges, k = matter.scene.edges, wavenumber(matter.frequency)
    edge, coming, going = bends.edge[rays, number], bends.coming[rays, number], bends.going[rays, number]
    along, air, behind = edges.along[edge], edges.angle[edge], bends.behind[rays, number]

    def angle(toward: Floats) -> Floats:
        up, out = (np.sum(toward * axes[edge], axis=1) for axes in (edges.normal, edges.away))
        found = np.arctan2(up, out) % (2.0 * np.pi)
        # Along a face with air on both sides it is on the side that was found.
        beside = np.minimum(found, 2.0 * np.pi - found) < _ALONG
        thin = air > 2.0 * np.pi - _ALONG
        found = np.where(found > 0.5 * (air + 2.0 * np.pi), 0.0, np.minimum(found, air))
        return np.where(beside & thin, np.where(behind, air, 0.0), found)

    sine = np.linalg.norm(np.cross(coming, along), axis=1)
    source, place = angle(-coming), angle(going)
    bend = Bend(source, place, air, sine, bends.distance[rays, number])
    # The same for the way back: the flatter of both at each face.
    first, last = np.minimum(source, place), np.minimum(air - source, air - place)
    faces = edges.faces[edge]
    thin = faces[:, 1] < 0
    one = matter.factors(faces[:, 0], sine * np.abs(np.sin(first)))
    two = matter.factors(np.where(thin, faces[:, 0], faces[:, 1]), sine * np.abs(np.sin(last)))
    passed = np.where(thin, 1, 2) <= matter.passes
    te, tm = (
        np.where(passed, a * np.where(thin, 1.0, b), 0.0)
        for a, b in ((one.te_through, two.te_through), (one.tm_through, two.tm_through))
    )
    soft, hard = bent(bend, k, one.te, two.te, te), bent(bend, k, one.tm, two.tm, tm)
    # Senses that go with the edge: across it, where angles grow, and in the plane of both.
    over, over_on = (-_unit(np.cross(along, coming)), _unit(np.cross(along, going)))
    beside, beside_on = np.cross(over, coming), np.cross(over_on, going)
    factor = bends.factor[rays, number]
    e_soft, e_hard = factor * soft * np.sum(field * beside, axis=1), factor * hard * np.sum(field * over, axis=1)
    # Both senses turn round where the ray goes straight on: hence the dyad's sign, eq. (24).
    return np.asarray(-e_soft[:, None] * beside_on - e_hard[:, None] * over_on), going
