"""What is smooth over a cell, at Chebyshev nodes: where they are, what functions carry there, what is between them."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..constants import wavenumber
from ..lattice import Lattice
from .carried import Part

_CONVERGES = 2.2
"""How fast the smooth part has to converge from node to node: cells that would make it slower are near."""
_TOLERANCE = 1e-6
_MOST_NODES = 48


@dataclass(frozen=True)
class Box:
    """Where the metal of a cell is: lowest and highest x, y, z (2, 3), metres."""

    corners: Floats

    @property
    def size(self) -> Floats:
        """Along x, y and z (3,)."""
        return np.asarray(np.diff(self.corners, axis=0)[0])

    def rates(self, places: Floats) -> Floats:
        """How fast polynomials along each axis (n, 3) follow what comes from cells at places (n, 2).

        The sum of the half axes of the largest ellipse round all differences of places that has no singularity in it.
        """
        x = np.concatenate([np.abs(places), np.zeros((len(places), 1))], axis=1)
        beyond = np.maximum(x - self.size, 0.0)
        found = np.full((len(places), 3), np.inf)
        for axis, long in enumerate(self.size):
            if long > 0.0:
                aside = np.sqrt((np.delete(beyond, axis, axis=1) ** 2).sum(axis=1))
                t = (x[:, axis] + 1j * aside) / long
                root = np.sqrt(t * t - 1.0)
                found[:, axis] = np.maximum(np.abs(t + root), np.abs(t - root))
        return np.asarray(found)

    def near(self, lattice: Lattice) -> Ints:
        """Numbers (n, 2) of cells that are too close, the first among them."""
        numbers = lattice.within(4.0 * float(np.linalg.norm(self.size[:2])) + 2.0 * float(np.abs(lattice.steps).max()))
        rates = self.rates(lattice.places(numbers)).min(axis=1)
        own = ~numbers.any(axis=1)
        return np.asarray(numbers[own | (rates < _CONVERGES)])

    def counts(self, lattice: Lattice, near: Ints, k: float) -> Ints:
        """Nodes along each axis (3,)."""
        numbers = lattice.within(4.0 * float(np.linalg.norm(self.size[:2])) + 3.0 * float(np.abs(lattice.steps).max()))
        far = numbers[~(numbers[:, None] == near[None]).all(axis=2).any(axis=1)]
        rates = self.rates(lattice.places(far)).min(axis=0)
        with np.errstate(divide="ignore"):
            static = np.log(1.0 / _TOLERANCE) / np.log(rates)
        wanted = np.where(self.size > 0.0, np.ceil(0.75 * static + 0.5 * k * self.size) + 1, 1)
        return np.minimum(wanted, _MOST_NODES).astype(int)


def _nodes(low: float, high: float, count: int) -> Floats:
    turn = np.pi * (np.arange(count) + 0.5) / count
    return np.asarray(0.5 * (low + high) + 0.5 * (high - low) * np.cos(turn))


def _lagrange(nodes: Floats, x: Floats) -> Floats:
    """What each node (n,) counts at x (m,): (m, n), by the barycentric formula."""
    count = len(nodes)
    if count == 1:
        return np.ones((len(x), 1))
    weights = np.sin(np.pi * (np.arange(count) + 0.5) / count) * np.where(np.arange(count) % 2, -1.0, 1.0)
    gaps = x[:, None] - nodes
    hit = gaps == 0.0
    terms = weights / np.where(hit, 1.0, gaps)
    found: Floats = terms / terms.sum(axis=1)[:, None]
    rows = hit.any(axis=1)
    found[rows] = hit[rows]
    return found


def _slopes(nodes: Floats) -> Floats:
    """The differentiation matrix of Chebyshev nodes: what barycentric weights make of it."""
    count = len(nodes)
    if count == 1:
        return np.zeros((1, 1))
    weights = np.sin(np.pi * (np.arange(count) + 0.5) / count) * np.where(np.arange(count) % 2, -1.0, 1.0)
    gaps = nodes[:, None] - nodes + np.eye(count)
    found = weights / weights[:, None] / gaps
    np.fill_diagonal(found, 0.0)
    np.fill_diagonal(found, -found.sum(axis=1))
    return np.asarray(found)


@dataclass(frozen=True, eq=False)
class Grid:
    """Nodes in a box, and the grid of differences or sums between them."""

    nodes: tuple[Floats, ...]
    axes: tuple[Floats, ...]
    between: tuple[Floats, ...]

    @cached_property
    def slopes(self) -> tuple[Floats, ...]:
        """Along each axis, matrices (n, n) that make slopes at nodes out of values there."""
        return tuple(_slopes(nodes) for nodes in self.nodes)

    @staticmethod
    def of(box: Box, counts: Ints, *, image: bool = False) -> Grid:
        """Nodes along each axis of a box, and differences between them, or for an image sums of heights."""
        low, high = box.corners
        nodes = tuple(_nodes(a, b, n) for a, b, n in zip(low, high, counts, strict=True))
        axes, between = [], []
        for axis, own in enumerate(nodes):
            up = image and axis == 2
            first, last = (2.0 * low[2], 2.0 * high[2]) if up else (low[axis] - high[axis], high[axis] - low[axis])
            fine = _nodes(first, last, 1 if len(own) == 1 else math.ceil(len(own) / 0.75))
            pairs = own[:, None] + own if up else own[:, None] - own
            axes.append(fine)
            between.append(_lagrange(fine, pairs.ravel()))
        return Grid(nodes, tuple(axes), tuple(between))

    def spread(self, places: Floats) -> Floats:
        """What every node counts at places (p, 3): (p, nodes)."""
        found = np.ones((len(places), 1))
        for nodes, x in zip(self.nodes, places.T, strict=True):
            found = (found[:, :, None] * _lagrange(nodes, x)[:, None, :]).reshape(len(places), -1)
        return found

    def divergence(self, carried: Floats) -> Floats:
        """∫ (f_x ∂_x + f_y ∂_y) of what every node counts (nodes, functions), from carried (4, nodes, functions)."""
        shape = tuple(len(n) for n in self.nodes)
        x, y = (carried[i].reshape(*shape, -1) for i in (0, 1))
        along = np.einsum("xa,xyzf->ayzf", self.slopes[0], x) + np.einsum("yb,xyzf->xbzf", self.slopes[1], y)
        return np.asarray(along.reshape(math.prod(shape), -1))

    def matrix(self, table: Complexes) -> Complexes:
        """Between all nodes (nodes, nodes), from values on the grid (x, y, z)."""
        found = table
        for between, nodes in zip(self.between, self.nodes, strict=True):
            # The first axis that is left goes to the end, as a pair.
            found = np.moveaxis(np.tensordot(between, found, axes=(1, 0)), 0, -1)
            found = found.reshape(*found.shape[:-1], len(nodes), len(nodes))
        x, y, z = (len(n) for n in self.nodes)
        return np.asarray(found.transpose(0, 2, 4, 1, 3, 5).reshape(x * y * z, x * y * z))


Carried = list[tuple[Part, Ints]]
"""Parts, and the functions that each is of."""


def at_nodes(grid: Grid, parts: Carried, size: int) -> Floats:
    """What functions carry (4, nodes, functions)."""
    count = math.prod(len(n) for n in grid.nodes)
    found = np.zeros((4, count, size))
    for (places, _, carried), own in parts:
        for first in range(0, len(places), 4096):
            some = slice(first, first + 4096)
            spread = grid.spread(places[some]).T
            for kind in range(4):
                found[kind][:, own] += spread @ carried[kind][some]
    return found


def box_of(places: Floats) -> Box:
    """Round places (n, 3)."""
    corners = np.stack([places.min(axis=0), places.max(axis=0)])
    small = np.ptp(corners, axis=0) < 1e-9 * float(np.ptp(corners, axis=0).max())
    corners[1, small] = corners[0, small]
    return Box(corners)


def times(matrix: Complexes, columns: Floats) -> Complexes:
    """A product, of which one factor is real."""
    return np.asarray(matrix.real @ columns + 1j * (matrix.imag @ columns))


def tested(tests: Floats, sent: Complexes) -> Complexes:
    """Σ over kinds and nodes of tests (kinds, nodes, functions) and what is sent there: (functions, functions)."""
    own, there = tests.reshape(-1, tests.shape[-1]), sent.reshape(-1, sent.shape[-1])
    found = np.empty((own.shape[1], there.shape[1]), np.complex128)
    found.real, found.imag = own.T @ there.real, own.T @ there.imag
    return found


@dataclass(frozen=True, eq=False)
class Setting:
    """Where a cell's functions are, at a frequency, Hz, and which cells (n, 2) are near."""

    lattice: Lattice
    frequency: float
    box: Box
    near: Ints

    @staticmethod
    def of(lattice: Lattice, frequency: float, places: Floats) -> Setting:
        """That of functions at places (n, 3)."""
        box = box_of(places)
        return Setting(lattice, frequency, box, box.near(lattice))

    @property
    def wavenumber(self) -> float:
        """rad/m."""
        return wavenumber(self.frequency)

    @property
    def reach(self) -> float:
        """How far kernels are asked for, m."""
        farthest = float(np.linalg.norm(self.lattice.places(self.near), axis=1).max())
        return max(farthest + 2.0 * float(np.linalg.norm(self.box.size)), 2.6 * math.sqrt(self.lattice.area))

    def flat(self, height: float) -> Setting:
        """The same with all at one height, m."""
        corners = self.box.corners.copy()
        corners[:, 2] = height
        return replace(self, box=Box(corners))

    def grid(self, slowness: float, *, image: bool = False) -> Grid:
        """Nodes for waves so much slower than light; image: for sums of heights."""
        return Grid.of(self.box, self.box.counts(self.lattice, self.near, slowness * self.wavenumber), image=image)
