"""The matrix of a cell of an array without end, at any scan.

Cells close by act on one another as they do in a small array: so many cells are laid side by side, and the matrix of
these is the ordinary one, in whatever medium. It does not know the scan: its blocks are added up with the phases of
one. All other cells are so far that their potentials are smooth over the cell: a few Chebyshev nodes see them, and the
functions by what they carry there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..constants import wavenumber
from ..description.antenna import Antenna
from ..lattice import Lattice
from ..media.kernel_table import kernel_table
from ..media.lattice_sums import LayerSum, OpenSum
from ..media.spectral import Spectrum
from ..media.stack import Stack
from .basis import Basis
from .carried import of_axes, of_feet, of_sheets
from .cell_basis import CellBasis
from .layered import layered
from .response import impedance_operator, local_terms
from .sheet_matrix import scales

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


@dataclass(frozen=True, eq=False)
class _Grid:
    """Nodes in a box, and the grid of differences or sums between them."""

    nodes: tuple[Floats, ...]
    axes: tuple[Floats, ...]
    between: tuple[Floats, ...]

    @staticmethod
    def of(box: Box, counts: Ints, *, image: bool = False) -> _Grid:
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
        return _Grid(nodes, tuple(axes), tuple(between))

    def spread(self, places: Floats) -> Floats:
        """What every node counts at places (p, 3): (p, nodes)."""
        found = np.ones((len(places), 1))
        for nodes, x in zip(self.nodes, places.T, strict=True):
            found = (found[:, :, None] * _lagrange(nodes, x)[:, None, :]).reshape(len(places), -1)
        return found

    def matrix(self, table: Complexes) -> Complexes:
        """Between all nodes (nodes, nodes), from values on the grid (x, y, z)."""
        found = table
        for between, nodes in zip(self.between, self.nodes, strict=True):
            # The first axis that is left goes to the end, as a pair.
            found = np.moveaxis(np.tensordot(between, found, axes=(1, 0)), 0, -1)
            found = found.reshape(*found.shape[:-1], len(nodes), len(nodes))
        x, y, z = (len(n) for n in self.nodes)
        return np.asarray(found.transpose(0, 2, 4, 1, 3, 5).reshape(x * y * z, x * y * z))


def _at_nodes(grid: _Grid, parts: list[Any], starts: list[tuple[int, int]], size: int) -> Floats:
    """What functions carry (4, nodes, functions), by parts of them."""
    count = math.prod(len(n) for n in grid.nodes)
    found = np.zeros((4, count, size))
    for (places, _, carried), (start, stop) in zip(parts, starts, strict=True):
        for first in range(0, len(places), 4096):
            some = slice(first, first + 4096)
            spread = grid.spread(places[some]).T
            for kind in range(4):
                found[kind, :, start:stop] += spread @ carried[kind][some]
    return found


def _box_of(places: Floats) -> Box:
    corners = np.stack([places.min(axis=0), places.max(axis=0)])
    small = np.ptp(corners, axis=0) < 1e-9 * float(np.ptp(corners, axis=0).max())
    corners[1, small] = corners[0, small]
    return Box(corners)


def _times(matrix: Complexes, columns: Floats) -> Complexes:
    """A product, of which one factor is real."""
    return np.asarray(matrix.real @ columns + 1j * (matrix.imag @ columns))


def _tested(tests: Floats, sent: Complexes) -> Complexes:
    """Σ over kinds and nodes of tests (kinds, nodes, functions) and what is sent there: (functions, functions)."""
    own, there = tests.reshape(-1, tests.shape[-1]), sent.reshape(-1, sent.shape[-1])
    found = np.empty((own.shape[1], there.shape[1]), np.complex128)
    found.real, found.imag = own.T @ there.real, own.T @ there.imag
    return found


@dataclass(frozen=True, eq=False)
class OpenRest:
    """What far cells do in free space, or over a perfect plane."""

    own: Basis
    lattice: Lattice
    frequency: float
    plane: bool

    @cached_property
    def _parts(self) -> tuple[list[Any], list[tuple[int, int]]]:
        first, size = self.own.first_wire, self.own.size
        parts, spans = [of_axes(self.own)], [(first, size)]
        if self.own.sheets is not None:
            parts += [of_sheets(self.own.sheets), of_feet(self.own)]
            spans += [(0, first), (first, size)]
        return parts, spans

    @cached_property
    def box(self) -> Box:
        """Where the metal is."""
        return _box_of(np.concatenate([part[0] for part in self._parts[0]]))

    @cached_property
    def near(self) -> Ints:
        """Cells that are not far."""
        return self.box.near(self.lattice)

    @cached_property
    def _sums(self) -> list[tuple[_Grid, OpenSum]]:
        k = wavenumber(self.frequency)
        counts = self.box.counts(self.lattice, self.near, k)
        found = []
        for image in (False, True)[: 1 + self.plane]:
            grid = _Grid.of(self.box, counts, image=image)
            x, y, z = grid.axes
            found.append((grid, OpenSum(self.lattice, k, self.near, (x, y, z))))
        return found

    @cached_property
    def _carried(self) -> Floats:
        return _at_nodes(self._sums[0][0], *self._parts, self.own.size)

    def matrix(self, transverse: Floats) -> Complexes:
        """To be added for a scan's transverse wavenumber (2,), rad/m: (functions, functions), ohm."""
        flow, charge = scales(self.frequency)
        kinds = [kind for kind in range(4) if self._carried[kind].any()]
        sent = np.zeros((len(kinds), *self._carried.shape[1:]), np.complex128)
        for (grid, sums), signs in zip(self._sums, ((1, 1, 1, 1), (-1, -1, 1, -1)), strict=False):
            between = grid.matrix(sums.at(transverse))
            for row, kind in enumerate(kinds):
                amount = 1j * signs[kind] * flow if kind < 3 else -1j * signs[kind] * charge
                sent[row] += _times(amount * between, self._carried[kind])
        return _tested(self._carried[kinds], sent)


@dataclass(frozen=True, eq=False)
class LayerRest:
    """What far cells do on a stack: metal on its level, and probes."""

    own: Basis
    lattice: Lattice
    frequency: float
    stack: Stack

    @cached_property
    def _parts(self) -> tuple[list[Any], list[tuple[int, int]]]:
        first, size = self.own.first_wire, self.own.size
        if self.own.sheets is None:
            return [], []
        return [of_sheets(self.own.sheets), of_feet(self.own)], [(0, first), (first, size)]

    @cached_property
    def box(self) -> Box:
        """Where the metal is, and where probes are."""
        places = [part[0] for part in self._parts[0]] + [layered(self.own, self.stack).probes]
        whole = np.concatenate(places)
        whole[:, 2] = self.stack.level
        return _box_of(whole)

    @cached_property
    def near(self) -> Ints:
        """Cells that are not far."""
        return self.box.near(self.lattice)

    @cached_property
    def _sums(self) -> tuple[_Grid, LayerSum]:
        spectrum, k = Spectrum(self.stack, self.frequency), wavenumber(self.frequency)
        grid = _Grid.of(self.box, self.box.counts(self.lattice, self.near, k * self.stack.slowest))
        farthest = float(np.linalg.norm(self.lattice.places(self.near), axis=1).max())
        reach = max(farthest + 2.0 * float(np.linalg.norm(self.box.size)), 2.6 * math.sqrt(self.lattice.area))
        assert self.own.sheets is not None
        table = kernel_table(spectrum, reach, float(self.own.sheets.mesh.edge_lengths.max()))
        finest = 0.5 * min(layer.thickness for layer in self.stack.layers)

        def kernels(rho: Floats) -> Complexes:
            return np.stack([f(rho) for f in (table.vector, table.scalar, table.end_of_probe, table.between_probes)])

        x, y, _ = grid.axes
        return grid, LayerSum(self.lattice, k, self.near, (x, y), kernels, spectrum.kernels, finest)

    @cached_property
    def _carried(self) -> tuple[Floats, Floats]:
        """Of the metal (4, nodes, functions), and of tops of probes (nodes, functions)."""
        grid, parts = self._sums[0], layered(self.own, self.stack)
        tops = parts.probes.copy().reshape(-1, 3)
        tops[:, 2] = self.stack.level
        up = np.zeros((math.prod(len(n) for n in grid.nodes), self.own.size))
        if len(tops):
            up[:, self.own.first_wire :] = grid.spread(tops).T @ parts.up
        metal, spans = self._parts
        flat = [(np.column_stack([p[:, :2], np.full(len(p), self.stack.level)]), r, c) for p, r, c in metal]
        return _at_nodes(grid, flat, spans, self.own.size), up

    def matrix(self, transverse: Floats) -> Complexes:
        """To be added for a scan's transverse wavenumber (2,), rad/m: (functions, functions), ohm."""
        grid, sums = self._sums
        flow, charge = scales(self.frequency)
        vector, scalar, end, probes = (grid.matrix(x[..., None]) for x in sums.at(transverse))
        (x, y, _, left), up = self._carried
        tests, sent = [x, y, left], [1j * flow * _times(vector, own) for own in (x, y)]
        sent.append(-1j * charge * _times(scalar, left))
        if up.any():
            sent[2] -= 1j * charge * _times(end, up)
            tests.append(up)
            sent.append(-1j * charge * (_times(end, left) + _times(probes, up)))
        return _tested(np.stack(tests), np.stack(sent))


def _side_by_side(steps: Ints) -> Ints:
    """Cells (c, 2) among which there are two for every step (n, 2)."""
    columns, rows = np.abs(steps).max(axis=0) + 1
    return np.stack(np.meshgrid(np.arange(columns), np.arange(rows), indexing="ij"), axis=-1).reshape(-1, 2)


def _pair(cells: Ints, step: Ints) -> tuple[int, int]:
    """Two of the cells that are a step apart."""
    start = np.maximum(-step, 0)
    one, two = (int(np.flatnonzero((cells == c).all(axis=1))[0]) for c in (start, start + step))
    return one, two


def _one_way(steps: Ints) -> Ints:
    """Of every step and its opposite the one; none at all first."""
    half = steps[(steps[:, 0] > 0) | ((steps[:, 0] == 0) & (steps[:, 1] >= 0))]
    return np.asarray(np.unique(half, axis=0))


def metal_loss(
    antenna: Antenna, cell: CellBasis, frequency: float, transverse: Floats, amounts: Complexes
) -> float | None:
    """Power in the metal and jackets of a cell, W, of functions (functions,), A; None where nothing takes any."""
    over = cell.reached
    steps = _one_way((over[:, None] - over).reshape(-1, 2))
    cells, lost = _side_by_side(steps), 0.0
    local = local_terms(antenna, cell.laid(cells), frequency)
    if local is None:
        return None
    for step in steps:
        one, two = (cell.numbers(n, len(cells)) for n in _pair(cells, step))
        block = local[one][:, two]
        part = np.exp(-1j * cell.lattice.places(step) @ transverse) * (amounts.conj() @ (block @ amounts))
        if step.any():
            part += np.exp(1j * cell.lattice.places(step) @ transverse) * (amounts.conj() @ (block.T @ amounts))
        lost += 0.5 * float(part.real)
    return lost


@dataclass(frozen=True, eq=False)
class EndlessMatrix:
    """The matrix of a cell at one frequency, Hz."""

    antenna: Antenna
    cell: CellBasis
    frequency: float

    @cached_property
    def _rest(self) -> OpenRest | LayerRest:
        own, medium = self.cell.own, self.antenna.medium
        if medium.stack is not None:
            return LayerRest(own, self.cell.lattice, self.frequency, medium.stack)
        return OpenRest(own, self.cell.lattice, self.frequency, medium.grounds)

    @cached_property
    def blocks(self) -> tuple[Ints, Complexes]:
        """Steps (n, 2) to cells close by, one of two opposite ones, and blocks (n, functions, functions), ohm."""
        steps = _one_way(self._rest.near)
        cells, own = _side_by_side(steps), self.cell
        whole: Any = impedance_operator(self.antenna, own.laid(cells), self.frequency, "dense")
        found = np.empty((len(steps), own.size, own.size), np.complex128)
        for n, step in enumerate(steps):
            one, two = (own.numbers(x, len(cells)) for x in _pair(cells, step))
            found[n] = whole.matrix[np.ix_(one, two)]
        return steps, found

    def at(self, transverse: Floats) -> Complexes:
        """The matrix (functions, functions), ohm, at a scan's transverse wavenumber (2,), rad/m."""
        steps, blocks = self.blocks
        found = self._rest.matrix(transverse)
        phases = np.exp(-1j * self.cell.lattice.places(steps) @ transverse)
        for step, phase, block in zip(steps, phases, blocks, strict=True):
            found += phase * block
            if step.any():
                found += np.conj(phase) * block.T
        return found
