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
from ..media.half_space import Below
from ..media.kernel_table import kernel_table
from ..media.lattice_sums import LayerSum, OpenSum
from ..media.over_layers import sent_back, spectra_of
from ..media.spectral import Spectrum
from ..media.stack import Stack
from .basis import Basis
from .carried import of_axes, of_feet, of_sheets
from .cell_basis import CellBasis
from .endless_nodes import Box, Grid, at_nodes, box_of, tested, times
from .layered import layered
from .response import impedance_operator, local_terms
from .sheet_matrix import scales

Carried = tuple[list[Any], list[tuple[int, int]]]
"""Parts, and the functions each is of."""


def _everything(own: Basis) -> Carried:
    """All that functions carry."""
    first, size = own.first_wire, own.size
    parts, spans = [of_axes(own)], [(first, size)]
    if own.sheets is not None:
        parts += [of_sheets(own.sheets), of_feet(own)]
        spans += [(0, first), (first, size)]
    return parts, spans


@dataclass(frozen=True, eq=False)
class OpenRest:
    """What far cells do in free space, or over a perfect plane."""

    own: Basis
    lattice: Lattice
    frequency: float
    plane: bool

    @cached_property
    def _parts(self) -> Carried:
        return _everything(self.own)

    @cached_property
    def box(self) -> Box:
        """Where the metal is."""
        return box_of(np.concatenate([part[0] for part in self._parts[0]]))

    @cached_property
    def near(self) -> Ints:
        """Cells that are not far."""
        return self.box.near(self.lattice)

    @cached_property
    def _sums(self) -> list[tuple[Grid, OpenSum]]:
        k = wavenumber(self.frequency)
        counts = self.box.counts(self.lattice, self.near, k)
        found = []
        for image in (False, True)[: 1 + self.plane]:
            grid = Grid.of(self.box, counts, image=image)
            x, y, z = grid.axes
            found.append((grid, OpenSum(self.lattice, k, self.near, (x, y, z))))
        return found

    @cached_property
    def _carried(self) -> Floats:
        return at_nodes(self._sums[0][0], *self._parts, self.own.size)

    def matrix(self, transverse: Floats) -> Complexes:
        """To be added for a scan's transverse wavenumber (2,), rad/m: (functions, functions), ohm."""
        flow, charge = scales(self.frequency)
        kinds = [kind for kind in range(4) if self._carried[kind].any()]
        sent = np.zeros((len(kinds), *self._carried.shape[1:]), np.complex128)
        for (grid, sums), signs in zip(self._sums, ((1, 1, 1, 1), (-1, -1, 1, -1)), strict=False):
            between = grid.matrix(sums.at(transverse))
            for row, kind in enumerate(kinds):
                amount = 1j * signs[kind] * flow if kind < 3 else -1j * signs[kind] * charge
                sent[row] += times(amount * between, self._carried[kind])
        return tested(self._carried[kinds], sent)


@dataclass(frozen=True, eq=False)
class OverRest:
    """What far cells do over earth, or in the air over a stack: straight, and by what is sent back.

    With GA, Gv and U of `media.half_space`: the last by what divergence functions have at the nodes, twice.
    """

    own: Basis
    lattice: Lattice
    frequency: float
    below: Below

    @cached_property
    def _straight(self) -> OpenRest:
        return OpenRest(self.own, self.lattice, self.frequency, False)

    @property
    def near(self) -> Ints:
        """Cells that are not far."""
        return self._straight.near

    @cached_property
    def _sums(self) -> tuple[Grid, list[LayerSum]]:
        """The grid of sums of heights, and a sum over the lattice for each of them."""
        k, box = wavenumber(self.frequency), self._straight.box
        grid = Grid.of(box, box.counts(self.lattice, self.near, k * self.below.slowest), image=True)
        x, y, z = grid.axes
        farthest = float(np.linalg.norm(self.lattice.places(self.near), axis=1).max())
        reach = max(farthest + 2.0 * float(np.linalg.norm(box.size)), 2.6 * math.sqrt(self.lattice.area))
        table = sent_back(self.below, k, reach, (float(z.min()), float(z.max())))
        finest = 0.2 * math.pi / (k * max(abs(self.below.branch), self.below.slowest))

        def at(height: float) -> LayerSum:
            return LayerSum(
                self.lattice, k, self.near, (x, y), lambda rho: table.at(rho, height),
                lambda kappa: spectra_of(self.below, kappa, k * height), min(finest, max(0.5 * height, 0.02 * finest)),
            )  # fmt: skip

        return grid, [at(float(height)) for height in z]

    @cached_property
    def _carried(self) -> Floats:
        """Moments x, y, z, charges, and divergences times 1/k (5, nodes, functions)."""
        grid = self._sums[0]
        four = at_nodes(grid, *_everything(self.own), self.own.size)
        return np.concatenate([four, grid.divergence(four)[None] / wavenumber(self.frequency)])

    def matrix(self, transverse: Floats) -> Complexes:
        """To be added for a scan's transverse wavenumber (2,), rad/m: (functions, functions), ohm."""
        flow, charge = scales(self.frequency)
        grid, sums = self._sums
        level, upright, bent = (grid.matrix(x) for x in np.stack([s.at(transverse) for s in sums], axis=-1))
        kernels = (level, level, upright, upright, bent)
        amounts = (1j * flow, 1j * flow, 1j * flow, 1j * charge, -1j * flow)
        kinds = [n for n in range(5) if self._carried[n].any()]
        sent = [times(amounts[n] * kernels[n], self._carried[n]) for n in kinds]
        return self._straight.matrix(transverse) + tested(self._carried[kinds], np.stack(sent))


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
        return box_of(whole)

    @cached_property
    def near(self) -> Ints:
        """Cells that are not far."""
        return self.box.near(self.lattice)

    @cached_property
    def _sums(self) -> tuple[Grid, LayerSum]:
        spectrum, k = Spectrum(self.stack, self.frequency), wavenumber(self.frequency)
        grid = Grid.of(self.box, self.box.counts(self.lattice, self.near, k * self.stack.slowest))
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
        return at_nodes(grid, flat, spans, self.own.size), up

    def matrix(self, transverse: Floats) -> Complexes:
        """To be added for a scan's transverse wavenumber (2,), rad/m: (functions, functions), ohm."""
        grid, sums = self._sums
        flow, charge = scales(self.frequency)
        vector, scalar, end, probes = (grid.matrix(x[..., None]) for x in sums.at(transverse))
        (x, y, _, left), up = self._carried
        tests, sent = [x, y, left], [1j * flow * times(vector, own) for own in (x, y)]
        sent.append(-1j * charge * times(scalar, left))
        if up.any():
            sent[2] -= 1j * charge * times(end, up)
            tests.append(up)
            sent.append(-1j * charge * (times(end, left) + times(probes, up)))
        return tested(np.stack(tests), np.stack(sent))


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
    def _rest(self) -> OpenRest | OverRest | LayerRest:
        own, medium, lattice = self.cell.own, self.antenna.medium, self.cell.lattice
        if medium.stack is not None and layered(own, medium.stack).aloft is None:
            return LayerRest(own, lattice, self.frequency, medium.stack)
        if medium.over_matter or medium.stack is not None:
            return OverRest(own.raised(-medium.thickness), lattice, self.frequency, medium.at(self.frequency))
        return OpenRest(own, lattice, self.frequency, medium.grounds)

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
