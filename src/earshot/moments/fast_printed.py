"""The matrix of metal on one level of a stack as an operator: a grid, what is near by, and a dense border.

The border is all that is not metal on the level: feet, probes, and what is in the air. What is nearly the matrix is
that of kernels that fade within a reach: the potentials are windowed, never the entries, so that charges still cancel.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from ..arraytypes import Bools, Complexes, Floats, Ints
from ..constants import wavenumber
from ..media.kernel_table import KernelTable
from ..media.smooth_kernel import smooth_kernels
from ..media.stack import Stack
from ..running import announce, in_parallel, in_shares
from .alike import LikeRows
from .bordered import bytes_of
from .coupling import fan_points
from .grid import LINES, Grid, grid_for
from .layered import Level
from .near_printed import near_matrices, three_points
from .printed import away_from
from .sheet_basis import Fan, SheetBasis
from .sheet_matrix import scales

_THICK, _SHARE = 4.0, 0.1
"""How far is near: thicknesses of the stack, but no more of it than a share of a wavelength."""
_NODES = 16.0
"""Points of the padded grid to a triangle, beyond which what is near is made more instead."""


_CYCLE = 0.6
"""And at most so much of the shortest wavelength there is, which the grid is to tell."""


def reach_of(basis: SheetBasis, stack: Stack, frequency: float) -> float:
    """How far is near by, m."""
    wavelength = 2.0 * math.pi / wavenumber(frequency)
    shortest = wavelength / max(math.sqrt(x.material.permittivity * x.material.permeability) for x in stack.layers)
    area = float(np.prod(np.ptp(basis.mesh.centres[:, :2], axis=0)))
    even = 2.0 * LINES * math.sqrt(area / (_NODES * len(basis.mesh)))
    return min(max(even, min(_THICK * stack.thickness, _SHARE * wavelength)), _CYCLE * shortest)


@dataclass(frozen=True, eq=False)
class OnGrid:
    """Metal on the level, by a grid and a sparse rest.

    taken: sparse real (3 triangles, functions), from coefficients to a and v of the current a r - v on every triangle,
    a of all, then v along x, then along y. points (3 triangles, 2), m; areas (triangles,): a third of each, m².
    """

    grid: Grid
    near: Any
    taken: Any
    points: Floats
    areas: Floats
    frequency: float
    told = ""

    @property
    def bytes(self) -> int:
        """What it holds."""
        return int(self.grid.bytes + bytes_of(self.near) + 2 * bytes_of(self.taken) + self.points.nbytes)

    def product(self, columns: Complexes) -> Complexes:
        """The matrix times columns (functions, columns)."""
        smooth = np.stack(in_parallel(self._smooth, list(columns.T)), axis=1)
        return np.asarray(_times(self.near, columns) + smooth)

    def _smooth(self, column: Complexes) -> Complexes:
        x, y = self.points.T
        # Real times complex, as two real columns.
        held = (self.taken @ _pairs(column)).view(np.complex128).reshape(3, -1)
        number, along, across = (np.tile(part * self.areas, 3) for part in held)
        sources = [(0, number * x - along), (0, number * y - across), (1, 2.0 * number)]
        return self.tested(*in_parallel(lambda one: self.grid.potentials(*one), sources))

    def tested(self, ax: Complexes, ay: Complexes, phi: Complexes) -> Complexes:
        """What potentials at the points, of currents along x and y and of charges, do to the functions (functions,)."""
        flow, charge = scales(self.frequency)
        x, y = self.points.T
        tested = [flow * (x * ax + y * ay) - 2.0 * charge * phi, -flow * ax, -flow * ay]
        weighed = np.concatenate([1j * self.areas * part.reshape(3, -1).sum(axis=0) for part in tested])
        return np.asarray((self.taken.T @ _pairs(weighed)).view(np.complex128)[:, 0])


def _pairs(column: Complexes) -> Floats:
    return np.ascontiguousarray(column).view(np.float64).reshape(-1, 2)


def _times(matrix: Any, columns: Complexes) -> Complexes:
    from ..kernels.sparse import sparse_rows

    announce(sparse_rows)
    given = np.ascontiguousarray(columns)
    found = np.empty(given.shape, np.complex128)
    in_shares(
        lambda own: sparse_rows(
            matrix.indptr, matrix.indices, matrix.data, own.start, min(own.stop, len(given)), given, found
        ),
        len(given),
    )
    return found


def _taken(basis: SheetBasis) -> Any:
    from scipy.sparse import csr_array

    m, n = len(basis.mesh), basis.size
    amounts = [np.stack([basis.coefficients[s], *(basis.coefficients[s] * basis.apexes[s, :, :2].T)]) for s in (0, 1)]
    rows = [basis.pairs[s] + m * np.arange(3)[:, None] for s in (0, 1)]
    columns = np.tile(np.arange(n), 6)
    values, at = (np.concatenate([x.ravel() for x in both]) for both in (amounts, rows))
    return csr_array((values, (at, columns)), shape=(3 * m, n))


@dataclass(frozen=True, eq=False)
class FeetOnGrid:
    """What feet see of metal beyond the reach of the grid's kernels, by the grid; of elements that are alike, a few."""

    metal: OnGrid
    parts: Level
    reach: float
    rows: LikeRows | None

    @cached_property
    def feet(self) -> Ints:
        """The feet that look."""
        return np.flatnonzero(self.looking(self.parts.into))

    def looking(self, amounts: Floats) -> Bools:
        """Which probes look, by what of functions (probes, wires) is in them."""
        if self.rows is None:
            return np.ones(len(amounts), bool)
        return np.asarray((amounts[:, self.rows.asked] != 0.0).any(axis=1))

    @property
    def basis(self) -> SheetBasis:
        """The metal."""
        assert self.parts.metal is not None
        return self.parts.metal

    def leaves(self, feet: Ints) -> Bools:
        """Triangles within the reach, and those under feet, which are asked for set by set."""
        wide, off = away_from(tuple(self.parts.fans[n] for n in feet), self.basis, self.basis)
        reaches = self.basis.mesh.reaches
        left = off < np.maximum(self.reach + wide + reaches, 4.0 * wide + 2.0 * reaches)
        left[:, np.concatenate([f.triangles for f in self.parts.fans])] = True
        return np.asarray(left)

    def rest(self, feet: Ints, left: Bools) -> Complexes:
        """Entries of feet (feet, functions) with what is beyond."""
        fans = [self.parts.fans[n] for n in feet]
        return np.array(in_parallel(lambda n: self._rest(fans[n], left[n]), range(len(fans))))

    def among_feet(self, entries: Complexes) -> Complexes:
        """Entries (feet, 2, feet) of all feet."""
        return entries if self.rows is None else self.rows.among_feet(entries, self.parts.into)

    def complete(self, border: Complexes) -> None:
        """What the feet and probes of other elements see, from those that looked."""
        if self.rows is not None:
            self.rows.complete(border)

    def _rest(self, one: Fan, left: Bools) -> Complexes:
        points = fan_points(self.basis, (one,), near=False)
        amounts, places = points.weights.sum(axis=1).astype(complex), points.places[:, :2]
        potentials = [self.metal.grid.potentials(int(kind == 3), amounts[:, kind], places) for kind in (0, 1, 3)]
        for seen in potentials:
            seen[np.tile(left, 3)] = 0.0
        return self.metal.tested(*potentials)


def on_grid(
    basis: SheetBasis, table: KernelTable, frequency: float, reach: float, local: Any
) -> tuple[OnGrid, Any, Floats]:
    """Metal on the level, the sparse matrix of kernels that fade within a reach, m, and places (functions, 2) in it.

    local: sparse (functions, functions), what is inside the metal, if anything.
    """
    smooth = smooth_kernels(table, reach)
    near, faded = near_matrices(basis, table, smooth, frequency)
    if local is not None:
        near, faded = (near + local).tocsr(), (faded + local).tocsr()
    points = three_points(basis)
    metal = OnGrid(grid_for(points, smooth), near, _taken(basis), points, basis.mesh.areas / 3.0, frequency)
    return metal, faded, basis.mesh.centres[basis.pairs].mean(axis=0)[:, :2]
