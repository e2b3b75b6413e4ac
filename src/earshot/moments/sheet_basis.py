"""Basis functions on triangulated sheets: current across every inner edge (Rao, Wilton and Glisson 1982), and feet.

A foot spreads the current of a wire over the triangles at a vertex. On each of them it is, with the vertex at the
origin, ĥ the direction square to the side opposite and h its distance,

    K [h ρ/(ρ·ĥ)² - ρ/h],     K = angle/Σ(angle × opposite side),

so that the whole current leaves the wire in all directions alike, none crosses the opposite side, and the charge is
spread evenly: no charge sits at the point. The second part is an ordinary half function; the first has no divergence,
and in ρ = u e(v), e(v) running along the opposite side, its moment K l e du dv is smooth.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..arraytypes import Floats, Ints
from ..meshing.sheet_mesh import SheetMesh


@dataclass(frozen=True)
class SheetBasis:
    """Functions across edges, f = c (r - p) on each of two triangles.

    edges (n, 2): vertices. pairs (2, n): the triangles; corners (2, n): which corner of each is p; coefficients (2, n):
    c. start (m + 1,), halves: 2 x function + side of what is on every triangle. lowest (m,): first function with a half
    on that triangle or a later one. Where k triangles meet at an edge there are k - 1 functions, each from the first.
    """

    mesh: SheetMesh
    edges: Ints
    pairs: Ints
    corners: Ints
    coefficients: Floats
    start: Ints
    halves: Ints
    lowest: Ints

    @property
    def size(self) -> int:
        """Number of functions."""
        return len(self.edges)

    @property
    def grounded(self) -> bool:
        """Whether it stands on a plane."""
        return bool((self.pairs[0] == self.pairs[1]).any())

    @cached_property
    def mirrored(self) -> SheetBasis:
        """The same functions on the image of the mesh in the plane z = 0."""
        return replace(self, mesh=self.mesh.mirrored)

    @cached_property
    def apexes(self) -> Floats:
        """The p of both halves (2, n, 3), metres."""
        return np.stack([self.mesh.corners[self.pairs[s], self.corners[s]] for s in (0, 1)])


def sheet_basis(mesh: SheetMesh, *, grounded: bool = False) -> SheetBasis:
    """The functions of a mesh, numbered along its triangles; grounded: it may stand on a plane z = 0."""
    sides = np.stack([mesh.triangles[:, [1, 2]], mesh.triangles[:, [2, 0]], mesh.triangles[:, [0, 1]]], axis=1)
    unique, edge = np.unique(np.sort(sides.reshape(-1, 2), axis=1), axis=0, return_inverse=True)
    order = np.argsort(edge.ravel(), kind="stable")
    place = edge.ravel()[order]
    first = np.searchsorted(place, np.arange(len(unique)))
    # Every side after the first at an edge makes a function with the first, every side on a plane one of its own.
    # What lies in the plane itself is an opening, at whose rim the field along it is none.
    standing = np.full(len(mesh), grounded) & ~mesh.on_plane[mesh.triangles].all(axis=1)
    alone = standing[order // 3] & mesh.on_plane[unique[place]].all(axis=1)
    later = np.flatnonzero((np.arange(len(order)) != first[place]) | alone)
    one, two = np.where(alone[later], order[later], order[first[place[later]]]), order[later]
    along = np.argsort(one // 3, kind="stable")
    return across(mesh, np.stack([one[along], two[along]]))


def across(mesh: SheetMesh, both: Ints) -> SheetBasis:
    """Functions from a side to another (2, n): 3 x triangle + the corner opposite; from a side to itself: one half."""
    # Kernels are compiled for rows that lie one after the other, and only for those.
    both, m = np.ascontiguousarray(both), len(mesh.triangles)
    pairs, corners = both // 3, both % 3
    t = mesh.triangles[pairs[0]]
    rows = np.arange(len(t))
    edges = np.sort(np.stack([t[rows, (corners[0] + i) % 3] for i in (1, 2)], axis=1), axis=1)
    length = np.linalg.norm(np.diff(mesh.vertices[edges], axis=1)[:, 0], axis=1)
    sign = np.stack([np.ones(len(t)), np.where(both[0] == both[1], 0.0, -1.0)])
    coefficients = sign * length / (2.0 * mesh.areas[pairs])
    n = len(t)
    numbers = 2 * np.arange(n)[None] + np.array([[0], [1]])
    by_triangle = np.argsort(pairs.ravel(), kind="stable")
    start = np.searchsorted(pairs.ravel()[by_triangle], np.arange(m + 1))
    last = pairs.max(axis=0)
    lowest = np.searchsorted(np.maximum.accumulate(last), np.arange(m)) if n else np.zeros(m, np.int64)
    return SheetBasis(mesh, edges, pairs, corners, coefficients, start, numbers.ravel()[by_triangle], lowest)


@dataclass(frozen=True)
class Fan:
    """What a foot spreads current over, for one ampere out of it into the sheet.

    triangles (f,), apex (3,), coefficients (f,): the ordinary halves c (r - apex). points (q, 3), moments (q, 3): the
    part without divergence as current moments, A·m; far_points, far_moments: the same, fewer, for what is well off.
    """

    triangles: Ints
    apex: Floats
    coefficients: Floats
    points: Floats
    moments: Floats
    far_points: Floats
    far_moments: Floats


def fan(mesh: SheetMesh, vertex: int) -> Fan:
    """The fan of triangles at a vertex."""
    triangles, corner = np.nonzero(mesh.triangles == vertex)
    places = mesh.corners[triangles]
    rows = np.arange(len(triangles))
    apex = places[rows, corner]
    one, two = (places[rows, (corner + i) % 3] - apex for i in (1, 2))
    cross = np.linalg.norm(np.cross(one, two), axis=1)
    angle = np.arctan2(cross, np.einsum("ij,ij->i", one, two))
    opposite = np.linalg.norm(two - one, axis=1)
    share = angle / (angle @ opposite)
    height = cross / opposite
    strength = (share * opposite)[:, None, None, None]

    def without_divergence(count: int) -> tuple[Floats, Floats]:
        u, weights = np.polynomial.legendre.leggauss(count)
        u, weights = (u + 1.0) / 2.0, weights / 2.0
        along = one[:, None] + u[:, None] * (two - one)[:, None]
        points = apex[:, None, None] + u[None, None, :, None] * along[:, :, None]
        moments = strength * along[:, :, None] * np.outer(weights, weights)[..., None]
        return points.reshape(-1, 3), moments.reshape(-1, 3)

    return Fan(triangles, apex[0], -share / height, *without_divergence(4), *without_divergence(2))
