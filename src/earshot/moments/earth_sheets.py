"""What earth below sheets adds to the matrix: between triangles, and between them, wires and feet."""

from __future__ import annotations

import numpy as np

from ..arraytypes import Complexes, Ints
from ..media.earth_table import EarthTable
from ..running import announce, in_threads, thread_count
from .basis import Basis
from .coupling import Points, fan_points, wire_points
from .sheet_basis import SheetBasis
from .sheet_matrix import Filler, scales


def filler(basis: SheetBasis, table: EarthTable, frequency: float) -> Filler:
    """What fills half of the sheets' matrix with what earth sends back, a span of triangles at a time."""
    from ..kernels.earth_sheets import earth_triangles

    announce(earth_triangles)

    def fill(span: Ints, rows: Ints, spare: Complexes, matrix: Complexes) -> None:
        earth_triangles(
            basis.mesh.columns, basis.start, basis.halves, basis.corners, basis.coefficients, span, table.wavenumber,
            table.grid, table.weights, *scales(frequency), rows, matrix, spare,
        )  # fmt: skip

    return fill


def couple_by_earth(basis: Basis, table: EarthTable, frequency: float, matrix: Complexes) -> None:
    """Add to a matrix what couples wires and feet to sheets and feet, by way of earth."""
    first, wires, sheets = basis.first_wire, basis.wires, basis.sheets
    if sheets is None:
        return
    on_wires = wire_points(basis.mesh)
    between = wires.ends.T @ sheets_by_earth(on_wires, sheets, table, frequency).reshape(2 * len(basis.mesh), -1)
    if basis.feet:
        into = np.array([amount for _, amount in basis.feet])
        on_feet = fan_points(sheets, tuple(f for f, _ in basis.feet), near=False)
        between += into.T @ sheets_by_earth(on_feet, sheets, table, frequency).sum(axis=1)
        crossed = wires.ends.T @ points_by_earth(on_wires, on_feet, table, frequency).reshape(2 * len(basis.mesh), -1)
        square = points_by_earth(on_feet, on_feet, table, frequency).sum(axis=1)
        added = crossed @ into
        matrix[first:, first:] += added + added.T + into.T @ (0.5 * (square + square.T)) @ into
    matrix[first:, :first] += between
    matrix[:first, first:] += between.T


def sheets_by_earth(points: Points, basis: SheetBasis, table: EarthTable, frequency: float) -> Complexes:
    """Entries of rows and sets with every function of the sheets: (rows, 2, functions)."""
    from ..kernels.earth_sheets import earth_potentials

    announce(earth_potentials)
    m, threads = len(basis.mesh), thread_count()
    seen = np.zeros((points.rows, 2, 4, m), np.complex128)
    stops = np.linspace(0, m, threads + 1).astype(int)

    def work(own: int) -> None:
        earth_potentials(
            basis.mesh.columns, np.ascontiguousarray(points.places), points.owner, points.weights, table.wavenumber,
            table.grid, table.weights, stops[own], stops[own + 1], seen,
        )  # fmt: skip

    in_threads(work, range(threads))
    flow, charge = scales(frequency)
    found = np.zeros((points.rows, 2, basis.size), np.complex128)
    for side in (0, 1):
        flux = seen[:, :, basis.corners[side], basis.pairs[side]]
        found += 1j * basis.coefficients[side] * (flow * flux + 2.0 * charge * seen[:, :, 3, basis.pairs[side]])
    return found


def points_by_earth(points: Points, others: Points, table: EarthTable, frequency: float) -> Complexes:
    """Entries of rows and sets with all of others' rows, both sets together: (rows, 2, others' rows)."""
    from ..kernels.earth_sheets import earth_points

    announce(earth_points)
    found = np.zeros((points.rows, 2, others.rows), np.complex128)
    earth_points(
        np.ascontiguousarray(points.places), points.owner, points.weights, np.ascontiguousarray(others.places),
        others.owner, others.weights.sum(axis=1), table.wavenumber, table.grid, table.weights, *scales(frequency),
        found,
    )  # fmt: skip
    return found
