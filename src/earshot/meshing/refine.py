"""Working on triangles: joining what meets, putting a vertex where a wire stands, and dividing what is too coarse."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Collection, Sequence
from typing import Any

import numpy as np

from ..arraytypes import Floats, Ints
from ..description.distances import triangle_distances
from ..description.round_shapes import Round
from ..description.surfaces import Surface
from .rounding import halfway

Edge = tuple[int, int]
_NEAR = 0.4
_BESIDE = 0.2


def _key(a: int, b: int) -> Edge:
    return (a, b) if a < b else (b, a)


class Triangles:
    """Triangles that can be changed: vertices, three corner numbers and a sheet number each; edges know theirs.

    surfaces: of the sheets by number; the middle of an edge on a round one is put onto it.
    """

    def __init__(self, vertices: Floats, triangles: Ints, sheet: Ints, surfaces: Sequence[Surface] = ()) -> None:
        self._begun: Any = None
        self._moved: set[int] = set()
        self.round = {i: s for i, s in enumerate(surfaces) if isinstance(s.shape, Round)}
        self.vertices: list[Floats] = list(vertices)
        self.corners: list[tuple[int, int, int]] = []
        self.sheet: list[int] = []
        self.at: defaultdict[Edge, set[int]] = defaultdict(set)
        for (a, b, c), own in zip(triangles.tolist(), sheet.tolist(), strict=True):
            self._add((a, b, c), own)

    def arrays(self) -> tuple[Floats, Ints, Ints]:
        """Vertices (n, 3), triangles (m, 3) and sheet numbers (m,)."""
        return np.array(self.vertices), np.array(self.corners, np.int64), np.array(self.sheet, np.int64)

    def _add(self, corners: tuple[int, int, int], sheet: int) -> None:
        number = len(self.corners)
        self.corners.append(corners)
        self.sheet.append(sheet)
        for edge in self._edges(number):
            self.at[edge].add(number)

    def _edges(self, triangle: int) -> tuple[Edge, Edge, Edge]:
        a, b, c = self.corners[triangle]
        return _key(a, b), _key(b, c), _key(c, a)

    def _replace(self, triangle: int, corners: tuple[int, int, int]) -> None:
        for edge in self._edges(triangle):
            self.at[edge].discard(triangle)
        self.corners[triangle] = corners
        for edge in self._edges(triangle):
            self.at[edge].add(triangle)

    def length(self, edge: Edge) -> float:
        """Length of an edge, metres."""
        return math.dist(self.vertices[edge[0]], self.vertices[edge[1]])

    def split(self, edge: Edge, place: Floats | None = None) -> int:
        """Put a vertex on an edge, at its middle unless a place is given; every triangle at it becomes two."""
        new = len(self.vertices)
        self.vertices.append(self._middle(edge) if place is None else place)
        for triangle in list(self.at[edge]):
            a, b, c = self.corners[triangle]
            while _key(a, b) != edge:
                a, b, c = b, c, a
            self._replace(triangle, (a, new, c))
            self._add((new, b, c), self.sheet[triangle])
        return new

    def _middle(self, edge: Edge) -> Floats:
        """Halfway along an edge, on the surface where that is round."""
        one, two = (self.vertices[end] for end in edge)
        for number in {self.sheet[t] for t in self.at[edge]} & self.round.keys():
            place, moved = halfway(self.round[number], one[None], two[None])
            if moved[0]:
                return np.asarray(place[0])
        return np.asarray(0.5 * (one + two))

    def _longest(self, triangle: int) -> Edge:
        # A tie is broken by the numbers, so that both sides of an edge see it alike.
        edges = self._edges(triangle)
        most = (1.0 - 1e-9) * max(self.length(e) for e in edges)
        # Of those as long, to rounding, the one of the highest number: both its triangles choose it.
        return max(e for e in edges if self.length(e) >= most)

    def divide(self, wanted: Callable[[Floats, Ints], Floats], rounds: int = 60) -> None:
        """Halve longest edges until every one is no longer than wanted at its middle, on its sheet (Rivara 1984)."""
        for _ in range(rounds):
            edges = [e for e, own in self.at.items() if own]
            ends = np.array([(self.vertices[a], self.vertices[b]) for a, b in edges])
            length = np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1)
            sheet = np.array([self.sheet[next(iter(self.at[e]))] for e in edges])
            long = np.flatnonzero(length > wanted(ends.mean(axis=1), sheet))
            if not long.size:
                return
            for i in long[np.argsort(-length[long])]:
                while self.at[edges[i]]:
                    last = self._terminal(next(iter(self.at[edges[i]])))
                    self.split(last)
                    if last == edges[i]:
                        break

    def _terminal(self, triangle: int) -> Edge:
        """From a triangle to the edge that is the longest of all triangles at it."""
        while True:
            longest = self._longest(triangle)
            beyond = [t for t in self.at[longest] if self._longest(t) != longest]
            if not beyond:
                return longest
            triangle = beyond[0]

    def put(self, place: Floats, reach: float, fixed: Collection[int]) -> int:
        """A vertex at a place on the surface: one that is there, one moved there, or a new one; its number."""
        nearest, off = self._nearest(place)
        if off <= reach:
            self._move(nearest, place)
            return nearest
        points = np.array(self.vertices)
        edge, beside = self._nearest_edge(place)
        if beside <= reach:
            if (
                nearest in edge
                and nearest not in fixed
                and off < _NEAR * self.length(edge)
                and self._slides(nearest, place)
            ):
                self._move(nearest, place)
                return nearest
            return self.split(edge, place)
        corners = np.array(self.corners)
        triangle = int(np.argmin(triangle_distances(points[corners], place)))
        around = [t for t in range(len(corners)) if nearest in self.corners[t]]
        edges = {e for t in around for e in self._edges(t) if nearest in e}
        inner = all(len(self.at[e]) == 2 for e in edges)
        room = min(self.length(e) for e in edges)
        if nearest not in fixed and inner and off < _NEAR * room and self._smooth(around, points):
            self._move(nearest, place)
            return nearest
        if (
            beside < _BESIDE * self.length(edge)
            and len(self.at[edge]) == 2
            and self._smooth(list(self.at[edge]), points)
        ):
            return self.split(edge, place)
        a, b, c = self.corners[triangle]
        new = len(self.vertices)
        self.vertices.append(place)
        self._replace(triangle, (a, b, new))
        self._add((b, c, new), self.sheet[triangle])
        self._add((c, a, new), self.sheet[triangle])
        self._flip_round(new)
        return new

    def _nearest(self, place: Floats) -> tuple[int, float]:
        """The vertex nearest to a place, and how far off it is: among those of the beginning, moved and new ones."""
        from scipy.spatial import cKDTree

        if self._begun is None:
            self._begun = cKDTree(np.array(self.vertices))
        _, which = self._begun.query(place, min(len(self._moved) + 1, self._begun.n))
        there = set(np.atleast_1d(which).tolist()) - self._moved
        new = there | self._moved | set(range(self._begun.n, len(self.vertices)))
        nearest = min(new, key=lambda n: (math.dist(self.vertices[n], place), n))
        return nearest, math.dist(self.vertices[nearest], place)

    def _move(self, vertex: int, place: Floats) -> None:
        self.vertices[vertex] = place
        self._moved.add(vertex)

    def _slides(self, vertex: int, place: Floats) -> bool:
        """Whether a vertex can go to a place along its rim or crease without bending it."""
        points = np.array(self.vertices)
        way = (place - points[vertex]) / math.dist(place, points[vertex])
        edges = {
            e for t in range(len(self.corners)) if vertex in self.corners[t] for e in self._edges(t) if vertex in e
        }
        sharp = [e for e in edges if len(self.at[e]) != 2 or not self._smooth(list(self.at[e]), points)]
        along = [points[e[1]] - points[e[0]] for e in sharp]
        return len(sharp) == 2 and all(abs(a @ way) > (1.0 - 1e-9) * np.linalg.norm(a) for a in along)

    def _smooth(self, around: list[int], points: Floats) -> bool:
        x = points[np.array([self.corners[t] for t in around])]
        normals = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
        normals /= np.linalg.norm(normals, axis=1)[:, None]
        return bool(np.abs(normals @ normals[0]).min() > 0.85)

    def _nearest_edge(self, place: Floats) -> tuple[Edge, float]:
        """The edge nearest to a place, and how far off it is."""
        edges = [e for e, own in self.at.items() if own]
        ends = np.array([(self.vertices[a], self.vertices[b]) for a, b in edges])
        along = ends[:, 1] - ends[:, 0]
        share = np.clip(((place - ends[:, 0]) * along).sum(axis=1) / (along**2).sum(axis=1), 0.0, 1.0)
        off = np.linalg.norm(ends[:, 0] + share[:, None] * along - place, axis=1)
        best = int(np.argmin(off))
        return edges[best], float(off[best])

    def _flip_round(self, new: int) -> None:
        """Flip the edges opposite a new vertex where that opens the smallest angle; only on flat metal."""
        for triangle in [t for t in range(len(self.corners)) if new in self.corners[t]]:
            a, b = (v for v in self.corners[triangle] if v != new)
            pair = self.at[_key(a, b)]
            if len(pair) != 2:
                continue
            other = next(t for t in pair if t != triangle)
            far = next(v for v in self.corners[other] if v not in (a, b))
            p, q, r, s = (np.array(self.vertices[v]) for v in (new, a, far, b))
            before = min(_least_angle(p, q, s), _least_angle(r, q, s))
            after = min(_least_angle(p, q, r), _least_angle(p, r, s))
            normal = np.cross(q - p, s - p)
            level = abs((r - p) @ normal) < 1e-6 * np.linalg.norm(normal) * math.dist(r, p)
            inside = np.cross(q - p, r - p) @ normal > 0.0 and np.cross(r - p, s - p) @ normal > 0.0
            if level and inside and after > before:
                turned = self.corners[triangle]
                forward = (turned.index(new) + 1) % 3
                one, two = turned[forward], turned[(forward + 1) % 3]
                self._replace(triangle, (new, one, far))
                self._replace(other, (new, far, two))


def _least_angle(p: Floats, q: Floats, r: Floats) -> float:
    sides = [(q - p, r - p), (r - q, p - q), (p - r, q - r)]
    return min(math.atan2(float(np.linalg.norm(np.cross(x, y))), float(x @ y)) for x, y in sides)
