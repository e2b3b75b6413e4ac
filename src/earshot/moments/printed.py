"""The matrix of metal on one level of a stack, and of probes from the plane to it.

A probe is a current of one strength from the plane up, which a fan spreads over the metal at its top. No charge is left
there: the scalar potential of the fan's end less that of the probe's is one bounded kernel.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Bools, Complexes, Ints
from ..media.kernel_table import KernelTable, kernel_table
from ..media.spectral import Spectrum
from ..media.stack import Stack
from ..running import announce, in_threads, thread_count
from .basis import Basis
from .coupling import Points, fan_points, moments_of, radii_of, with_fan, with_sheets
from .sheet_basis import Fan, SheetBasis
from .sheet_matrix import arrays_of, block_of, in_shares, scales

_NEAR_COST = 1500


def printed_matrix(basis: Basis, stack: Stack, frequency: float) -> Complexes:
    """The whole impedance matrix (functions, functions), ohm, of perfect conductors."""
    sheets = basis.sheets
    assert sheets is not None
    table = table_for(basis, stack, frequency)
    matrix = np.zeros((basis.size, basis.size), np.complex128)
    _fill(sheets, table, frequency, matrix)
    if basis.wires.size:
        _probes(basis, table, frequency, matrix)
    return matrix


def printed_block(basis: Basis, stack: Stack, frequency: float, rows: ArrayLike, columns: ArrayLike) -> Complexes:
    """Entries (rows, columns) between functions of sheets, ohm, each as it stands: nothing is mirrored."""
    from ..kernels.printed import near_pair
    from ..kernels.sheets import pair_rule

    sheets, table = basis.sheets, table_for(basis, stack, frequency)
    assert sheets is not None
    _, triangles, _ = arrays_of(sheets)
    t, one = sheets.mesh.columns, np.empty(14)

    def numbers(i: int, j: int) -> Complexes:
        rule, weights = pair_rule(t, triangles, i, t, triangles, j)
        near_pair(t, i, j, table.images, table.steps, table.rest, rule, weights, one)
        flat, z = one[:7] + 1j * one[7:], stack.level
        lifted = z * flat[0]
        return np.array([*flat[:3], lifted, *flat[3:5], lifted, flat[5] + z * lifted, flat[6]])

    return block_of(sheets, frequency, rows, columns, numbers)


def table_for(basis: Basis, stack: Stack, frequency: float) -> KernelTable:
    """The kernels for the extent and the largest triangles of a mesh."""
    assert basis.sheets is not None
    mesh = basis.sheets.mesh
    extent = float(np.linalg.norm(np.ptp(mesh.vertices, axis=0)))
    return _table(stack, frequency, extent, float(mesh.edge_lengths.max()))


@lru_cache(maxsize=4)
def _table(stack: Stack, frequency: float, reach: float, cell: float) -> KernelTable:
    return kernel_table(Spectrum(stack, frequency), reach, cell)


def _fill(basis: SheetBasis, table: KernelTable, frequency: float, matrix: Complexes) -> None:
    from ..kernels.printed import fill_printed

    announce(fill_printed)
    points, triangles, places = arrays_of(basis)
    flat = np.ascontiguousarray(places[[0, 1, 2, 4, 5, 6]])

    def fill(span: Ints, rows: Ints, spare: Complexes, matrix: Complexes) -> None:
        fill_printed(
            basis.mesh.columns, points, triangles, basis.start, basis.halves, basis.pairs, flat, basis.lowest, span,
            table.images, table.steps, table.whole, table.rest, *scales(frequency), rows, matrix,
            spare,
        )  # fmt: skip

    in_shares(basis, matrix, _NEAR_COST, fill)


def _seen_by(fans: tuple[Fan, ...], basis: SheetBasis, table: KernelTable) -> Complexes:
    """What the triangles do to feet, a row each, and the two sets of each: (feet, 2, 5, triangles)."""
    mesh = basis.mesh
    wide = np.array([mesh.columns[16, f.triangles].max() for f in fans])
    off = np.array([np.linalg.norm(mesh.centres - f.apex, axis=1) for f in fans])
    near = off < 4.0 * wide[:, None] + 2.0 * mesh.columns[16]
    close = _potentials(fan_points(basis, fans), near, basis, table)
    return close + _potentials(fan_points(basis, fans, near=False), ~near, basis, table)


def _potentials(points: Points, wanted: Bools, basis: SheetBasis, table: KernelTable) -> Complexes:
    """What the triangles that are wanted (rows, triangles) do to every row and set: (rows, 2, 5, triangles)."""
    from ..kernels.printed import printed_potentials

    announce(printed_potentials)
    m, threads = len(basis.mesh), thread_count()
    out = np.zeros((points.rows, 2, 5, m), np.complex128)
    corners = arrays_of(basis)[0]
    stops = np.linspace(0, m, 4 * threads + 1).astype(int)

    def work(own: int) -> None:
        for part in range(own, 4 * threads, threads):
            printed_potentials(
                basis.mesh.columns, corners, points.places, points.owner, points.weights, wanted,
                table.images, table.steps, table.whole, table.rest, stops[part], stops[part + 1], out,
            )  # fmt: skip

    in_threads(work, range(threads))
    return out


def _ends(basis: Basis, table: KernelTable) -> Complexes:
    """∫ of the kernel of a probe's end over every triangle: (feet, triangles)."""
    from ..kernels.sheets import P7, P28, W7, W28

    assert basis.sheets is not None
    mesh = basis.sheets.mesh
    found = np.zeros((len(basis.feet), len(mesh)), np.complex128)
    for row, ((fan, _), radius) in enumerate(zip(basis.feet, radii_of(basis), strict=True)):
        away = np.linalg.norm(mesh.centres - fan.apex, axis=1)
        near = away < 3.0 * mesh.columns[16]
        for chosen, rule, weights in ((~near, P7, W7), (near, P28, W28)):
            places = np.einsum("pc,tcx->tpx", rule, mesh.corners[chosen])
            off = np.hypot(places[..., 0] - fan.apex[0], places[..., 1] - fan.apex[1])
            # Within the ring of the probe the potential of its end is that at the ring.
            seen = table.end_of_probe(np.maximum(off, radius))
            found[row, chosen] = mesh.areas[chosen] * (seen @ weights)
    return found


def _between(basis: Basis, table: KernelTable) -> Complexes:
    """The last kernel between all feet (feet, feet)."""
    places = np.array([fan.apex for fan, _ in basis.feet])
    off = np.linalg.norm(places[:, None] - places[None], axis=2)
    alone = np.diag([table.probe_itself(radius) for radius in radii_of(basis)])
    return alone + np.where(off > 0.0, table.between_probes(np.where(off > 0.0, off, 1.0)), 0.0)


def _probes(basis: Basis, table: KernelTable, frequency: float, matrix: Complexes) -> None:
    """Add what probes bring: with the functions on the metal, and with one another."""
    sheets, first = basis.sheets, basis.first_wire
    assert sheets is not None
    fans = tuple(f for f, _ in basis.feet)
    # Every foot has one probe; along the wire may be down.
    into = np.array([amount for _, amount in basis.feet])
    _, charge = scales(frequency)
    seen = _seen_by(fans, sheets, table)
    ends = _ends(basis, table)
    between = with_sheets(seen, sheets, frequency).sum(axis=1)
    for side in (0, 1):
        between += -2j * charge * sheets.coefficients[side] * ends[:, sheets.pairs[side]]
    halves = np.stack([with_fan(seen, f, frequency) for f in fans], axis=2)
    square = halves[:, 0] + halves[:, 1] + halves[:, 1].T
    square += moments_of(fans, radii_of(basis), frequency, table.vector)
    # The charges of a fan on its triangles, at the end of every probe.
    spread = np.stack([-2j * charge * (ends[:, f.triangles] @ f.coefficients) for f in fans], axis=1)
    square += spread + spread.T - 1j * charge * _between(basis, table)
    matrix[first:, :first] = into.T @ between
    matrix[:first, first:] = matrix[first:, :first].T
    matrix[first:, first:] = into.T @ (0.5 * (square + square.T)) @ into
