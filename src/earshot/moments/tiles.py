"""Any part of the matrix of wires and sheets in the open, over a perfect plane or over earth.

Entries are those of the whole matrix. Beside them those of potentials that fade within a reach are given, where wanted:
pair of pieces by pair of pieces, so that charges still cancel.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..constants import wavenumber
from ..media.earth_table import EarthTable
from ..meshing.sheet_mesh import MIRROR
from ..running import announce
from .basis import Basis
from .coupling import Points, wire_points, with_halves
from .earth import rules_of_earth
from .matrix import WireMatrix
from .sheet_matrix import scales, sources_of


class _On(NamedTuple):
    """Functions on pieces: which pieces; where in them their two halves are (2, functions)."""

    pieces: Ints
    sides: Ints


@dataclass(frozen=True, eq=False)
class Tiles:
    """A basis at a frequency, Hz, over a perfect plane or not, or over what a table of `media.earth_table` tells."""

    basis: Basis
    frequency: float
    plane: bool = False
    table: EarthTable | None = None

    def tile(self, rows: Ints, columns: Ints, reach: float = 0.0) -> Complexes:
        """Entries (1, rows, columns), ohm; with a reach, m, (2, rows, columns): the second of what fades."""
        first = self.basis.first_wire
        found = np.zeros((2 if reach else 1, len(rows), len(columns)), np.complex128)
        # Functions come sorted: those of sheets are first.
        i, j = int(np.searchsorted(rows, first)), int(np.searchsorted(columns, first))
        if i and j:
            self._sheets(rows[:i], columns[:j], reach, found[:, :i, :j])
        if i < len(rows) and j < len(columns):
            self._wires(rows[i:] - first, columns[j:] - first, reach, found[:, i:, j:])
        if i < len(rows) and j:
            self._between(rows[i:] - first, columns[:j], reach, found[:, i:, :j])
        if i and j < len(columns):
            turned = np.zeros((len(found), len(columns) - j, i), np.complex128)
            self._between(columns[j:] - first, rows[:i], reach, turned)
            found[:, :i, j:] = turned.transpose(0, 2, 1)
        return found

    @cached_property
    def _sources(self) -> list[tuple[Any, float, bool]]:
        assert self.basis.sheets is not None
        return sources_of(self.basis.sheets, self.plane)

    def _sheets(self, rows: Ints, columns: Ints, reach: float, out: Complexes) -> None:
        from ..kernels.sheet_tile import sheet_tile

        announce(sheet_tile)
        sheets = self.basis.sheets
        assert sheets is not None
        (first, of_first), (second, sides) = (_under(sheets.pairs[:, own]) for own in (rows, columns))
        order = np.argsort(of_first.T, axis=None, kind="stable")
        start = np.searchsorted(of_first.T.ravel()[order], np.arange(len(first) + 1))
        (t, points, corners, places), k = self._sources[0][0], wavenumber(self.frequency)
        flow, charge = scales(self.frequency)
        found = np.zeros(out.shape, np.complex128)
        for (s, seen, others, images), sign, mirrored in self._sources:
            sheet_tile(
                (t, points, corners), (s, seen, others), mirrored, first, start, order, places[:, rows], second, sides,
                images[:, columns], k, sign * flow, sign * charge, reach, found,
            )  # fmt: skip
        if self.table is not None:
            self._sheets_by_earth(_On(first, of_first), rows, _On(second, sides), columns, reach, found)
        out += found

    def _sheets_by_earth(self, one: _On, rows: Ints, two: _On, columns: Ints, reach: float, out: Complexes) -> None:
        from ..kernels.earth_sheets import earth_numbers

        announce(earth_numbers)
        sheets, table = self.basis.sheets, self.table
        assert sheets is not None
        assert table is not None
        t = sheets.mesh.columns
        numbers = np.empty((10, len(one.pieces), len(two.pieces)), np.complex128)
        earth_numbers(t[:, one.pieces], t[:, two.pieces], table.wavenumber, table.grid, table.weights, numbers)
        flow, charge = scales(self.frequency)
        centres = sheets.mesh.centres
        for n, share in enumerate(_shares(len(out), centres[one.pieces], centres[two.pieces] * MIRROR, reach)):
            for s in (0, 1):
                for r in (0, 1):
                    i, j = one.sides[s][:, None], two.sides[r]
                    corner = 3 * sheets.corners[s, rows][:, None] + sheets.corners[r, columns]
                    amount = sheets.coefficients[s, rows][:, None] * sheets.coefficients[r, columns] * share[i, j]
                    out[n] += 1j * amount * (flow * numbers[corner, i, j] + 4.0 * charge * numbers[9, i, j])

    def _wires(self, rows: Ints, columns: Ints, reach: float, out: Complexes) -> None:
        wires, mesh = self.basis.wires, self.basis.mesh
        found = np.zeros(out.shape, np.complex128)
        WireMatrix(wires, self.frequency, self.plane).tile(rows, columns, reach, found)
        if self.table is not None:
            from ..kernels.earth import earth_halves

            announce(earth_halves)
            table = self.table
            (one, sides), (two, others) = (_under(wires.halves[:, own] // 2) for own in (rows, columns))
            halves = np.empty((2 * len(one), 2 * len(two)), np.complex128)
            earth_halves(
                np.ascontiguousarray(mesh.columns[:, one]), np.ascontiguousarray(mesh.columns[:, two]),
                *rules_of_earth(), table.wavenumber, table.grid, table.weights, *scales(self.frequency), halves,
            )  # fmt: skip
            i, j = (2 * x + wires.halves[:, own] % 2 for x, own in ((sides, rows), (others, columns)))
            for n, share in enumerate(_shares(len(out), mesh.centres[one], mesh.centres[two] * MIRROR, reach)):
                for s in (0, 1):
                    for r in (0, 1):
                        amount = wires.signs[s, rows][:, None] * wires.signs[r, columns]
                        amount = amount * share[i[s][:, None] // 2, j[r] // 2]
                        found[n] += amount * halves[i[s][:, None], j[r]]
        out += found

    def _between(self, wires: Ints, columns: Ints, reach: float, out: Complexes) -> None:
        """Functions of wires with functions of sheets."""
        from ..kernels.coupling import potentials
        from ..kernels.earth_sheets import earth_potentials

        announce(potentials)
        own, sheets, mesh = self.basis.wires, self.basis.sheets, self.basis.mesh
        assert sheets is not None
        (one, sides), (two, others) = _under(own.halves[:, wires] // 2), _under(sheets.pairs[:, columns])
        t = np.ascontiguousarray(sheets.mesh.columns[:, two])
        ends, k = 2 * sides + own.halves[:, wires] % 2, wavenumber(self.frequency)
        signs, coefficients, apexes = own.signs[:, wires], sheets.coefficients[:, columns], sheets.apexes[:, columns]
        points, centres = self._points.of_rows(one), mesh.centres[one]
        for image in (False, True)[: 1 + self.plane]:
            of = points.image if image else points
            seen = np.zeros((len(one), 2, 5, len(two)), np.complex128)
            potentials(t, of.places, of.frames, of.radii, of.owner, of.weights, k, 0, len(two), seen)
            middle = centres * MIRROR if image else centres
            for n, share in enumerate(_shares(len(out), middle, sheets.mesh.centres[two], reach)):
                faded = seen * share[:, None, None]
                halves = sum(with_halves(faded, others[s], coefficients[s], apexes[s], self.frequency) for s in (0, 1))
                out[n] += _gathered(halves, ends, signs)
        if self.table is not None:
            announce(earth_potentials)
            table = self.table
            seen = np.zeros((len(one), 2, 4, len(two)), np.complex128)
            earth_potentials(
                t, points.places, points.owner, points.weights, table.wavenumber, table.grid, table.weights, 0,
                len(two), seen,
            )  # fmt: skip
            flow, charge = scales(self.frequency)
            corners = sheets.corners[:, columns]
            for n, share in enumerate(_shares(len(out), centres * MIRROR, sheets.mesh.centres[two], reach)):
                faded = seen * share[:, None, None]
                halves = sum(
                    1j * coefficients[s]
                    * (flow * faded[:, :, corners[s], others[s]] + 2.0 * charge * faded[:, :, 3, others[s]])
                    for s in (0, 1)
                )  # fmt: skip
                out[n] += _gathered(halves, ends, signs)

    @cached_property
    def _points(self) -> Points:
        return wire_points(self.basis.mesh)


def _under(pieces: Ints) -> _On:
    """The pieces (2, functions) that halves are on."""
    here, place = np.unique(pieces, return_inverse=True)
    return _On(here, place.reshape(pieces.shape))


def _gathered(halves: Any, ends: Ints, signs: Floats) -> Complexes:
    """Functions out of half functions (segments, 2, columns)."""
    flat = halves.reshape(-1, halves.shape[-1])
    return np.asarray(signs[0][:, None] * flat[ends[0]] + signs[1][:, None] * flat[ends[1]])


def _shares(count: int, one: Floats, two: Floats, reach: float) -> list[Floats]:
    """What counts of pairs of pieces (n, m) whose middles (n, 3) and (m, 3) are given: all, and what is left of it."""
    whole = np.ones((len(one), len(two)))
    if count == 1:
        return [whole]
    from ..kernels.fading import faded_shares

    faded = np.empty(whole.shape)
    faded_shares(np.ascontiguousarray(one), np.ascontiguousarray(two), reach, faded)
    return [whole, faded]
