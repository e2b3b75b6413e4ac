"""Flat faces, the lines they are cut along, and their triangles."""

from __future__ import annotations

import itertools
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Bools, Floats, Ints
from ..description.surfaces import Surface
from ..errors import ModelError
from .flat_mesh import Divided, area_mesh, grid_mesh
from .grading import graded_cuts
from .mesh import joined_points

if TYPE_CHECKING:
    from shapely import Polygon

    from ..description.antenna import Antenna

_GROWTH = 0.6
_CREASE = 0.4
_TRIES = 12


@dataclass(frozen=True, slots=True)
class Slab:
    """The gap of a port on a sheet: between two planes, half its width either side of a place, square to a normal."""

    sheet: int
    place: Floats
    normal: Floats
    half: float

    def heights(self, surface: Surface) -> list[tuple[float, float]]:
        """Local z of its planes and the size wanted there, on a surface whose axis is along its normal."""
        up = float(surface.axes[:, 2] @ self.normal)
        if abs(abs(up) - 1.0) > 1e-9:
            return []
        middle = float(surface.to_local(self.place)[2])
        if self.half == 0.0:
            return [(middle, np.inf)]
        return [(middle - self.half, self.half), (middle, self.half), (middle + self.half, self.half)]


def slabs(antenna: Antenna) -> list[Slab]:
    """The gaps that lie on sheets."""
    names = [s.name for s in antenna.sheets]
    return [
        Slab(names.index(gap.on), np.array(gap.place), np.array(gap.across), (gap.gap or 0.0) / 2.0)
        for gap in antenna.gaps
        if gap.across is not None and gap.place is not None and gap.on in names
    ]


@dataclass(frozen=True, slots=True)
class Face:
    """A flat face: its sheet, frame (3, 4) of two sides, normal and origin, area in it, greatest edge, and on rims.

    yields: whether rims that it shares are as the others want them.
    """

    sheet: int
    frame: Floats
    area: Polygon
    rectangle: bool
    most: float
    rim: float
    yields: bool = False

    def flat(self, points: Floats) -> Floats:
        """Points in the frame: two coordinates in the plane, one off it."""
        return np.asarray((points - self.frame[:, 3]) @ self.frame[:, :3])

    def space(self, flat: Floats) -> Floats:
        """Points (n, 2) of the plane in space."""
        return np.asarray(flat @ self.frame[:, :2].T + self.frame[:, 3])


def faces_of(surface: Surface, sheet: int, most: float, rim: float) -> list[Face]:
    """The flat faces of a surface. rim: greatest edge on a rim no grid can follow, over the usual one."""
    found = []
    for facet in surface.shape.facets:
        axes, middle = surface.axes @ facet.frame[:, :3], surface.to_space(facet.frame[:, 3])
        # A polygon's first side is along x: a rectangle fills its own box.
        rectangle = facet.area.area > (1.0 - 1e-9) * facet.area.envelope.area
        # Where a grid cannot be fine across an edge and long beside it, all of it is finer.
        edge = min(most, facet.longest) if rectangle else 0.8 * most
        frame = np.column_stack([axes, middle])
        found.append(Face(sheet, frame, facet.area, rectangle, edge, edge if rectangle else rim * edge, facet.yields))
    return found


def edges_of(vertices: Floats, triangles: Ints) -> Floats:
    """Both ends of every edge (n, 2, 3)."""
    sides = np.sort(np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1)
    return np.asarray(vertices[np.unique(sides, axis=0)])


def _lines_in(face: Face, line: Floats, tolerance: float) -> list[Floats]:
    """The parts of a line in space (2, 3) that lie in a face, each (2, 3)."""
    from shapely import LineString

    flat = face.flat(line)
    if np.abs(flat[:, 2]).max() > tolerance or np.linalg.norm(flat[0] - flat[1]) <= tolerance:
        return []
    found = LineString(flat[:, :2]).intersection(face.area.buffer(tolerance, join_style="mitre"))
    parts = [found] if found.geom_type == "LineString" else list(getattr(found, "geoms", []))
    ends = [np.array(p.coords)[[0, -1]] for p in parts if p.geom_type == "LineString" and p.length > 4 * tolerance]
    return [face.space(e) for e in ends]


def _sticks(
    faces: Sequence[Face], fixed: Floats, cuts: Sequence[Slab], tolerance: float
) -> tuple[Floats, Bools, list[list[int]]]:
    """Every line that must become edges: ends (n, 2, 3), whether it is not to be divided, and those of each face."""
    lines: list[Floats] = []
    for face in faces:
        for ring in (face.area.exterior, *face.area.interiors):
            corners = face.space(np.array(ring.coords))
            # A corner said twice makes no edge.
            sides = np.stack([corners[:-1], corners[1:]], axis=1)
            lines += list(sides[np.linalg.norm(sides[:, 1] - sides[:, 0], axis=1) > tolerance])
    for slab in cuts:
        for face in faces:
            if face.sheet == slab.sheet:
                lines += [part for line in _across(face, slab) for part in _lines_in(face, line, tolerance)]
    # Of the edges that are given, those that lie in a face matter.
    level = [np.abs(face.flat(fixed.reshape(-1, 3))[:, 2]).reshape(-1, 2).max(axis=1) <= tolerance for face in faces]
    fixed = fixed[np.any(level, axis=0)]
    rigid = [False] * len(lines) + [True] * len(fixed)
    every = np.array([*lines, *fixed])
    of_face: list[list[int]] = []
    for face in faces:
        flat = face.flat(every.reshape(-1, 3)).reshape(-1, 2, 3)
        low_x, low_y, high_x, high_y = face.area.bounds
        least, most = flat.min(axis=1) - tolerance, flat.max(axis=1) + tolerance
        beside = (least[:, :2] <= [high_x, high_y]).all(axis=1) & (most[:, :2] >= [low_x, low_y]).all(axis=1)
        here = np.flatnonzero(beside & (np.abs(flat[..., 2]).max(axis=1) <= tolerance))
        of_face.append([int(i) for i in here if _lines_in(face, every[i], tolerance)])
    return every, np.array(rigid), of_face


def _across(face: Face, slab: Slab) -> list[Floats]:
    """The lines where the planes of a gap pass through a face."""
    along = np.cross(face.frame[:, 2], slab.normal)
    if np.linalg.norm(along) < 1e-9:
        return []
    along /= np.linalg.norm(along)
    across = np.cross(along, face.frame[:, 2])
    low_x, low_y, high_x, high_y = face.area.bounds
    size = 2.0 * (abs(low_x) + abs(low_y) + abs(high_x) + abs(high_y)) + float(
        np.linalg.norm(slab.place - face.frame[:, 3])
    )
    lines = []
    for offset in sorted({-slab.half, 0.0, slab.half}):
        shift = ((slab.place + offset * slab.normal - face.frame[:, 3]) @ slab.normal) / (across @ slab.normal)
        point = face.frame[:, 3] + shift * across
        lines.append(np.array([point - size * along, point + size * along]))
    return lines


def _split_points(
    every: Floats, of_face: Sequence[Sequence[int]], faces: Sequence[Face], tolerance: float
) -> list[Floats]:
    """For every line, where it must be cut: at ends of other lines on it, and where lines of one face cross."""
    start, along = every[:, 0], every[:, 1] - every[:, 0]
    square = (along**2).sum(axis=1)
    ends = every.reshape(-1, 3)
    marks: list[list[Floats]] = [[] for _ in every]
    for i in range(len(every)):
        share = (ends - start[i]) @ along[i] / square[i]
        off = np.linalg.norm(start[i] + share[:, None] * along[i] - ends, axis=1)
        inside = (off <= tolerance) & (share > 0.0) & (share < 1.0)
        marks[i] += list(ends[inside])
    for face, own in zip(faces, of_face, strict=True):
        flat = face.flat(every[own].reshape(-1, 3)).reshape(-1, 2, 3)[..., :2]
        for i, j in itertools.combinations(range(len(own)), 2):
            u, v = flat[i, 1] - flat[i, 0], flat[j, 1] - flat[j, 0]
            cross = u[0] * v[1] - u[1] * v[0]
            if abs(cross) < 1e-8 * np.linalg.norm(u) * np.linalg.norm(v):
                continue
            gap = flat[j, 0] - flat[i, 0]
            s, t = (gap[0] * v[1] - gap[1] * v[0]) / cross, (gap[0] * u[1] - gap[1] * u[0]) / cross
            if 0.0 < s < 1.0 and 0.0 < t < 1.0:
                place = every[own[i], 0] + s * along[own[i]]
                marks[own[i]].append(place)
                marks[own[j]].append(place)
    return [np.array(m).reshape(-1, 3) for m in marks]


def _abreast(
    every: Floats,
    rigid: Bools,
    of_face: Sequence[Sequence[int]],
    faces: Sequence[Face],
    feet: Floats,
    edge: float,
    tolerance: float,
) -> list[Floats]:
    """For every line of a rectangular face, the places on it that are level with a foot in that face."""
    marks: list[list[Floats]] = [[] for _ in every]
    for face, own in zip(faces, of_face, strict=True):
        flat = face.flat(feet) if face.rectangle else np.zeros((0, 3))
        low_x, low_y, high_x, high_y = face.area.bounds
        inside = (np.abs(flat[:, 2]) <= tolerance) & (flat[:, 0] > low_x) & (flat[:, 0] < high_x)
        inside &= (flat[:, 1] > low_y) & (flat[:, 1] < high_y)
        for foot in feet[inside]:
            for i in np.array(own)[~rigid[own]]:
                start, along = every[i, 0], every[i, 1] - every[i, 0]
                length = float(np.linalg.norm(along))
                place = float((foot - start) @ along) / length
                # So near its end, a corner is moved there instead.
                if min(place, length - place) > edge * face.most:
                    marks[i].append(start + place / length * along)
    return [np.array(m).reshape(-1, 3) for m in marks]


def flat_triangles(
    faces: Sequence[Face], fixed: Floats, cuts: Sequence[Slab], feet: Floats, edge: float, size: float
) -> list[tuple[Floats, Ints, int]]:
    """Vertices in space, triangles and sheet of every face, with the same vertices where faces and fixed edges meet.

    feet (n, 3): where wires stand: lines of grids go through them. edge: length at a rim over the usual one. size: of
    the antenna. Raises ModelError when lines so near one another
    meet that no triangles fit between.
    """
    tolerance = 1e-7 * size
    lines, rigid, of_face = _sticks(faces, fixed, cuts, tolerance)
    marks = _split_points(lines, of_face, faces, tolerance)
    points, atoms, stiff, atoms_of = _atoms(lines, rigid, of_face, marks, faces, tolerance)
    # On atoms, not on lines: of lines that lie on one another each would be cut elsewhere.
    abreast = _abreast(points[atoms], stiff, atoms_of, faces, feet, edge, tolerance)
    points, atoms, stiff, atoms_of = _atoms(points[atoms], stiff, atoms_of, abreast, faces, tolerance)
    level = np.concatenate(abreast)
    gap = np.linalg.norm(points[:, None] - level, axis=2).min(axis=1) if len(level) else np.full(len(points), np.inf)
    chains = _divided(faces, atoms_of, points, atoms, stiff, cuts, gap <= 2 * tolerance, edge, tolerance)
    known: list[Divided] = []
    for _ in range(_TRIES):
        missing: defaultdict[int, set[int]] = defaultdict(set)
        found = []
        for face, own in zip(faces, atoms_of, strict=True):
            vertices, triangles, lost = _face_triangles(face, [chains[a] for a in own], tolerance, known)
            for chain, link in lost:
                missing[own[chain]].add(link)
            found.append((face.space(vertices), triangles, face.sheet))
        if not missing:
            return found
        for a, links_lost in missing.items():
            if not stiff[a]:
                chains[a] = _finer(chains[a], links_lost)
    place = chains[min(missing)][0]
    raise ModelError(
        f"no triangles fit between the lines that meet at ({place[0]:g}, {place[1]:g}, {place[2]:g}) m: "
        "move the parts that nearly touch there apart, or let them share an edge"
    )


def _finer(chain: Floats, links: set[int]) -> Floats:
    """A chain with a point in the middle of some of its links."""
    rows = sorted(links)
    return np.insert(chain, [n + 1 for n in rows], [(chain[n] + chain[n + 1]) / 2 for n in rows], axis=0)


def _atoms(
    lines: Floats,
    rigid: Bools,
    of_face: Sequence[Sequence[int]],
    marks: Sequence[Floats],
    faces: Sequence[Face],
    tolerance: float,
) -> tuple[Floats, Ints, Bools, list[list[int]]]:
    """Lines (n, 2, 3) cut at their marks: points, ends of each atom, whether it is rigid, and the atoms in each face.

    One atom for all lines along it.
    """
    import shapely

    pieces: list[Floats] = []
    owner: list[int] = []
    for i, line in enumerate(lines):
        along = line[1] - line[0]
        stops = np.concatenate([line, marks[i]])
        stops = stops[np.argsort((stops - line[0]) @ along)]
        far = np.concatenate([[True], np.linalg.norm(np.diff(stops, axis=0), axis=1) > 2 * tolerance])
        stops = stops[far]
        pieces += list(np.stack([stops[:-1], stops[1:]], axis=1))
        owner += [i] * (len(stops) - 1)
    places = np.array(pieces).reshape(-1, 3)
    label = joined_points(places, 2 * tolerance)
    _, first = np.unique(label, return_index=True)
    points = places[first]
    atoms, which = np.unique(np.sort(label.reshape(-1, 2), axis=1), axis=0, return_inverse=True)
    stiff = np.zeros(len(atoms), bool)
    np.logical_or.at(stiff, which, rigid[np.array(owner)])
    by_line = defaultdict(list)
    for line, atom in zip(owner, which.ravel().tolist(), strict=True):
        by_line[line].append(atom)
    found = []
    for face, own_lines in zip(faces, of_face, strict=True):
        own = sorted({a for line in own_lines for a in by_line[line]})
        middles = face.flat(points[atoms[own]].mean(axis=1))
        inside = shapely.intersects_xy(face.area.buffer(4 * tolerance), middles[:, 0], middles[:, 1])
        found.append([a for a, keep in zip(own, inside, strict=True) if keep])
    return points, atoms, stiff, found


def _divided(
    faces: Sequence[Face],
    atoms_of: Sequence[Sequence[int]],
    points: Floats,
    atoms: Ints,
    stiff: Bools,
    cuts: Sequence[Slab],
    level: Bools,
    edge: float,
    tolerance: float,
) -> list[Floats]:
    """Every atom cut into edges, from its first end to its last. level: points that no edge need be short at."""
    most, alone = np.full(len(atoms), np.inf), np.full(len(atoms), np.inf)
    for face, own in zip(faces, atoms_of, strict=True):
        for kept in (alone, most)[: 1 if face.yields else 2]:
            kept[own] = np.minimum(kept[own], face.rim)
    most = np.where(np.isfinite(most), most, alone)
    # Where no free rim begins, metal goes on round a corner, or in several ways: what happens there is milder.
    times = np.bincount([a for own in atoms_of for a in own], minlength=len(atoms))
    rim: set[tuple[int, int]] = set()
    for own in atoms_of:
        for a in own:
            # What goes off from a rim, and in this face, is cut finely where it begins.
            beside = [b for b in own if b != a and times[b] == 1 and not stiff[b]]
            rim |= {(a, int(n)) for n in atoms[a] if any(n in atoms[b] for b in beside)}
    crease = max(edge, _CREASE)
    near = np.full(len(points), np.inf)
    for slab in cuts:
        off = (points - slab.place) @ slab.normal
        on = np.abs(off) <= slab.half + tolerance
        if slab.half > 0.0:
            near[on] = np.minimum(near[on], slab.half)
    chains = []
    for a, ((i, j), length_most, rigid) in enumerate(zip(atoms.tolist(), most.tolist(), stiff.tolist(), strict=True)):
        ends = points[[i, j]]
        length = float(np.linalg.norm(ends[1] - ends[0]))
        if rigid:
            chains.append(ends)
            continue
        first, last = (
            min((1.0 if level[n] else edge if (a, n) in rim else crease) * length_most, near[n]) for n in (i, j)
        )
        least = min(length_most, length / 3.0) if length > edge * length_most else length_most
        cut = graded_cuts(length, first, last, least, _GROWTH) / length
        chains.append(ends[0] + cut[:, None] * (ends[1] - ends[0]))
    return chains


def _face_triangles(
    face: Face, chains: Sequence[Floats], tolerance: float, known: list[Divided]
) -> tuple[Floats, Ints, list[tuple[int, int]]]:
    """Vertices (n, 2) in the face, triangles, and which links of which chains are not edges of them.

    known: areas divided before, which grows.
    """
    flat = [face.flat(np.asarray(c))[:, :2] for c in chains]
    grid = _grid_cuts(face, flat, tolerance) if face.rectangle else None
    if grid is not None:
        return (*grid_mesh(*grid), [])
    joined = np.concatenate(flat)
    label = joined_points(np.column_stack([joined, np.zeros(len(joined))]), 2 * tolerance)
    _, first = np.unique(label, return_index=True)
    starts = np.cumsum([0, *(len(c) for c in flat)])
    links: list[tuple[int, int]] = []
    own: list[tuple[int, int]] = []
    for n, (a, b) in enumerate(itertools.pairwise(starts)):
        for k, pair in enumerate(itertools.pairwise(label[a:b].tolist())):
            # Pieces shorter than the tolerance are points.
            if pair[0] != pair[1]:
                links.append(pair)
                own.append((n, k))
    vertices, triangles, lost = area_mesh(face.area, joined[first], np.array(links), face.most, known)
    return vertices, triangles, [own[i] for i in lost]


def _grid_cuts(face: Face, chains: Sequence[Floats], tolerance: float) -> tuple[Floats, Floats] | None:
    """The cuts of a grid that has every chain as its lines, if there is one."""
    low_x, low_y, high_x, high_y = face.area.bounds
    cuts: list[Floats] = []
    for axis, (low, high), ends in ((0, (low_x, high_x), (low_y, high_y)), (1, (low_y, high_y), (low_x, high_x))):
        own = [chain for chain in chains if np.ptp(chain[:, 1 - axis]) <= 2 * tolerance]
        levels = np.array([float(chain[0, 1 - axis]) for chain in own])
        # Chains as level with one another, to the next one's distance, are one row.
        order = np.argsort(levels, kind="stable")
        breaks = np.flatnonzero(np.diff(levels[order]) > 4 * tolerance) + 1
        groups = [group for group in np.split(order, breaks) if len(group)]
        rows = [_distinct(np.concatenate([own[i][:, axis] for i in group]), tolerance) for group in groups]
        if not all(len(levels) and np.abs(levels - e).min() <= 8 * tolerance for e in ends):
            return None
        first = rows[0]
        if any(len(r) != len(first) or np.abs(r - first).max() > 4 * tolerance for r in rows):
            return None
        if abs(first[0] - low) > 4 * tolerance or abs(first[-1] - high) > 4 * tolerance:
            return None
        cuts.append(first)
    if any(min(np.ptp(c[:, 0]), np.ptp(c[:, 1])) > 2 * tolerance for c in chains):
        return None
    # A line in one direction is a cut of the other.
    for axis in (0, 1):
        lines = np.array([c[0, 1 - axis] for c in chains if np.ptp(c[:, 1 - axis]) <= 2 * tolerance])
        if len(lines) and np.abs(lines[:, None] - cuts[1 - axis]).min(axis=1).max() > 4 * tolerance:
            return None
    return cuts[0], cuts[1]


def _distinct(values: Floats, tolerance: float) -> Floats:
    values = np.sort(values)
    return np.asarray(values[np.concatenate([[True], np.diff(values) > 2 * tolerance])])
