"""Sheets that cross, touch or nearly touch without sharing the edges of their mesh."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..arraytypes import Bools, Floats, Ints
from ..description.antenna import Antenna
from ..description.distances import triangle_distances
from ..meshing.sheet_mesh import SheetMesh
from .closeness import nearest_points
from .findings import Finding
from .pieces import as_place, words_for

_ON = 1e-6
"""How far off a sheet an edge that lies on it may be, over its own length."""
_MOST_PAIRS = 500_000


def owners(mesh: SheetMesh, edges: Ints) -> Ints:
    """The sheet of the first triangle at each edge."""
    n = len(mesh.vertices)
    sides = mesh.sides @ np.array([n, 1])
    order = np.argsort(sides, kind="stable")
    first = order[np.searchsorted(sides[order], edges @ np.array([n, 1]))]
    return np.asarray(np.tile(mesh.sheet, 3)[first])


def _near(mesh: SheetMesh, points: Floats, slack: Floats, own: Ints) -> Iterator[tuple[Ints, Ints]]:
    """Points (numbers) and triangles of other sheets that may be within each point's slack of one another, in batches.

    Triangles are looked up sheet by sheet and by classes of size, each within its own reach: a large one is not near
    everything.
    """
    from scipy.spatial import cKDTree

    reach, centres = mesh.reaches, mesh.centres
    classes = np.floor(np.log2(reach)).astype(int)
    everywhere, most = cKDTree(points), float(slack.max(initial=0.0))
    for sheet in np.unique(mesh.sheet):
        mine = np.flatnonzero(mesh.sheet == sheet)
        corners = mesh.corners[mine]
        low, high = corners.min(axis=(0, 1)), corners.max(axis=(0, 1))
        # A ball round the sheet leaves few to look at, however many sheets there are.
        middle, radius = 0.5 * (low + high), 0.5 * float(np.linalg.norm(high - low))
        round_it = np.array(sorted(everywhere.query_ball_point(middle, radius + 2.0 * most)), int)
        here = points[round_it]
        beside = np.maximum(np.maximum(low - here, here - high), 0.0).max(axis=1)
        others = round_it[(own[round_it] != sheet) & (beside <= slack[round_it])]
        for size in np.unique(classes[mine]) if others.size else ():
            some = mine[classes[mine] == size]
            tree, far = cKDTree(centres[some]), reach[some].max()
            for first in range(0, len(others), 2000):
                part = others[first : first + 2000]
                found = tree.query_ball_point(points[part], far + slack[part])
                i = np.repeat(part, [len(f) for f in found])
                if not len(i):
                    continue
                j = some[np.concatenate([np.asarray(f, int) for f in found if f])]
                close = np.linalg.norm(points[i] - centres[j], axis=1) <= reach[j] + slack[i]
                i, j = i[close], j[close]
                for start in range(0, len(i), _MOST_PAIRS):
                    yield i[start : start + _MOST_PAIRS], j[start : start + _MOST_PAIRS]


def _nearest(mesh: SheetMesh, points: Floats, slack: Floats, own: Ints) -> tuple[Floats, Ints]:
    """Distance of every point from the nearest triangle of another sheet, where that is within its slack, and which."""
    off, which = np.full(len(points), np.inf), np.full(len(points), -1)
    for i, j in _near(mesh, points, slack, own):
        d = triangle_distances(mesh.corners[j], points[i])
        order = np.lexsort((d, i))
        first = np.unique(i[order], return_index=True)[1]
        best = order[first]
        closer = d[best] < off[i[best]]
        off[i[best[closer]]], which[i[best[closer]]] = d[best[closer]], j[best[closer]]
    return off, which


def apart(antenna: Antenna, mesh: SheetMesh) -> Iterator[Finding]:
    """Rims that lie on another sheet without sharing its edges."""
    edges, counts = mesh.edges
    rim = edges[counts == 1]
    owner = owners(mesh, rim)
    middles = mesh.vertices[rim].mean(axis=1)
    lengths = np.linalg.norm(np.diff(mesh.vertices[rim], axis=1)[:, 0], axis=1)
    # A gap as narrow as that against the cells of the whole was meant as a joint.
    slack = np.maximum(1e-2 * lengths, 2e-3 * float(mesh.edge_lengths.max()))
    off, which = _nearest(mesh, middles, slack, owner)
    told: set[tuple[int, int]] = set()
    for i in np.flatnonzero(off < slack):
        pair = tuple(sorted((int(owner[i]), int(mesh.sheet[which[i]]))))
        if pair in told:
            continue
        told.add(pair)  # type: ignore[arg-type]
        one, two = antenna.sheets[owner[i]].name, antenna.sheets[int(mesh.sheet[which[i]])].name
        yield Finding(
            "stop",
            one,
            f"sheets '{one}' and '{two}' touch at {words_for(middles[i])} without shared edges, {off[i]:.2g} m apart",
            "let them meet exactly, with equal density, or move them apart",
            as_place(middles[i]),
        )


def _pierced(starts: Floats, stops: Floats, corners: Floats, edge: float) -> tuple[Bools, Floats]:
    """Whether segments pass through triangles, pair by pair, between their ends, and where along them.

    edge: how far inside the triangle that must be, as a share of it; below zero, how far outside it may be. Möller and
    Trumbore (1997).
    """
    one, two = corners[..., 1, :] - corners[..., 0, :], corners[..., 2, :] - corners[..., 0, :]
    along = stops - starts
    cross = np.cross(along, two)
    det = (cross * one).sum(axis=-1)
    safe = np.where(np.abs(det) < 1e-300, 1.0, det)
    gap = starts - corners[..., 0, :]
    u = (gap * cross).sum(axis=-1) / safe
    other = np.cross(gap, one)
    v = (along * other).sum(axis=-1) / safe
    s = (two * other).sum(axis=-1) / safe
    size = np.linalg.norm(along, axis=-1) * np.linalg.norm(np.cross(one, two), axis=-1)
    hit = (np.abs(det) > 1e-9 * size) & (u > edge) & (v > edge) & (u + v < 1 - edge) & (s > _ON) & (s < 1 - _ON)
    return np.asarray(hit), np.asarray(s)


def pierced_by_all(starts: Floats, stops: Floats, corners: Floats) -> tuple[Ints, Ints, Floats]:
    """Which segments pass through which triangles inside both: segment, triangle, share along the segment."""
    segments, triangles, shares = [], [], []
    rows = max(1, 400_000 // max(len(corners), 1))
    for first in range(0, len(starts), rows):
        part = slice(first, first + rows)
        hit, s = _pierced(starts[part, None], stops[part, None], corners, _ON)
        i, j = np.nonzero(hit)
        segments.append(first + i)
        triangles.append(j)
        shares.append(s[i, j])
    return np.concatenate(segments), np.concatenate(triangles), np.concatenate(shares)


def crossings(antenna: Antenna, mesh: SheetMesh) -> Iterator[Finding]:
    """Sheets that pass through one another: an edge of one pierces the other, or lies on it with metal on both sides.

    The second is what happens when both have their grid along the line where they cross: no edge then pierces anything.
    """
    edges, counts = mesh.edges
    owner = owners(mesh, edges)
    ends = mesh.vertices[edges]
    middles, lengths = ends.mean(axis=1), np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    found: dict[tuple[int, int], Floats] = {}
    for i, j in _near(mesh, middles, 0.5 * lengths, owner):
        hit, share = _pierced(ends[i, 0], ends[i, 1], mesh.corners[j], -_ON)
        for k in np.flatnonzero(hit):
            pair = tuple(sorted((int(owner[i[k]]), int(mesh.sheet[j[k]]))))
            place = ends[i[k], 0] + share[k] * (ends[i[k], 1] - ends[i[k], 0])
            found.setdefault(pair, place)  # type: ignore[arg-type]
    inner = np.flatnonzero(counts >= 2)
    slack = _ON * lengths[inner]
    places = [middles[inner], ends[inner, 0], ends[inner, 1]]
    off = [_nearest(mesh, place, slack, owner[inner]) for place in places]
    lying = np.all([o[0] <= slack for o in off], axis=0)
    for k in np.flatnonzero(lying):
        other = int(mesh.sheet[off[0][1][k]])
        if not _is_edge_of(mesh, edges[inner[k]], other):
            found.setdefault(tuple(sorted((int(owner[inner[k]]), other))), places[0][k])  # type: ignore[arg-type]
    for (a, b), place in found.items():
        one, two = antenna.sheets[a].name, antenna.sheets[b].name
        says = f"sheets '{one}' and '{two}' pass through one another at {words_for(place)} without a joint"
        yield Finding("stop", one, says, "cut one where they meet, or move it", as_place(place))


def _is_edge_of(mesh: SheetMesh, edge: Ints, sheet: int) -> bool:
    """Whether an edge is a side of a triangle of a sheet: then the two are joined there."""
    own = mesh.triangles[mesh.sheet == sheet]
    return bool(((own == edge[0]).any(axis=1) & (own == edge[1]).any(axis=1)).any())


class Nearness:
    """How near straight pieces come to a mesh: at an end of the piece, or on an edge of the mesh."""

    def __init__(self, mesh: SheetMesh) -> None:
        self.ends, self.corners = mesh.vertices[mesh.edges[0]], mesh.corners
        self.boxes = [(x.min(axis=1), x.max(axis=1)) for x in (self.ends, self.corners)]

    def of(self, starts: Floats, stops: Floats, within: float) -> tuple[float, Floats]:
        """The least distance of pieces (n, 3), and where on them; infinite when nothing is within reach."""
        (low, high), (under, over) = self.boxes
        least, place = np.inf, np.zeros(3)
        for p, q in zip(starts, stops, strict=True):
            first, last = np.minimum(p, q) - within, np.maximum(p, q) + within
            near = np.flatnonzero((low <= last).all(axis=1) & (high >= first).all(axis=1))
            if near.size:
                one, two = (np.broadcast_to(x, (len(near), 3)) for x in (p, q))
                a, b = self.ends[near, 0], self.ends[near, 1]
                u, v = nearest_points(one, two, a, b)
                here = p + u[:, None] * (q - p)
                off = np.linalg.norm(here - a - v[:, None] * (b - a), axis=1)
                if off.min() < least:
                    least, place = float(off.min()), here[off.argmin()]
            for end in (p, q):
                below = np.flatnonzero((under <= end + within).all(axis=1) & (over >= end - within).all(axis=1))
                if below.size and (off := triangle_distances(self.corners[below], end).min()) < least:
                    least, place = float(off), end
        return least, place
