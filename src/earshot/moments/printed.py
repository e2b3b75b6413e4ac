"""The matrix of metal on one level of a stack, and of probes from the plane to it.

A probe is a current of one strength from the plane up, which a fan spreads over the metal at its top. No charge is left
there: the scalar potential of the fan's end less that of the probe's is one bounded kernel.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Bools, Complexes, Floats, Ints
from ..media.kernel_table import KernelTable, kernel_table
from ..media.spectral import Spectrum
from ..media.stack import Stack
from ..running import announce, in_parallel, in_threads, thread_count
from .basis import Basis
from .coupling import Points, fan_points, moments_of, with_fan, with_sheets
from .layered import Layered, layered
from .sheet_basis import Fan, SheetBasis
from .sheet_matrix import arrays_of, block_of, in_shares, scales

_NEAR_COST = 1500
_TOGETHER = 16
"""Feet whose view of all triangles is held at once."""


def fill_metal(parts: Layered, stack: Stack, frequency: float, matrix: Complexes) -> None:
    """Put what functions on the metal do to one another into a matrix of zeros, where the whole basis has them, ohm."""
    assert parts.metal is not None
    table, own = table_for(parts, stack, frequency), parts.on_metal
    if own[-1] == len(own) - 1:
        # Nothing on sheets but what is on the level: the first rows and columns.
        _fill(parts.metal, table, frequency, matrix)
        return
    alone = np.zeros((len(own), len(own)), np.complex128)
    _fill(parts.metal, table, frequency, alone)
    matrix[np.ix_(own, own)] = alone


def border_of_metal(parts: Layered, table: KernelTable, frequency: float, beyond: Beyond | None = None) -> Complexes:
    """What feet and probes bring: the matrix's last rows (wires, metal + wires), ohm; beyond: see there."""
    border = np.zeros((parts.up.shape[1], len(parts.on_metal) + parts.up.shape[1]), np.complex128)
    if parts.fans:
        _feet(parts, table, frequency, border, beyond)
    if len(parts.probes):
        _probes(parts, table, frequency, border, beyond)
    if beyond is not None:
        beyond.complete(border)
    return border


def printed_block(basis: Basis, stack: Stack, frequency: float, rows: ArrayLike, columns: ArrayLike) -> Complexes:
    """Entries (rows, columns) between functions of sheets, ohm, each as it stands: nothing is mirrored."""
    from ..kernels.printed import near_numbers

    parts = layered(basis, stack)
    sheets, table = parts.metal, table_for(parts, stack, frequency)
    assert sheets is not None
    _, triangles, _ = arrays_of(sheets)
    t, one, pair = sheets.mesh.columns, np.empty(14), np.zeros((14, 1))

    def numbers(i: int, j: int) -> Complexes:
        near_numbers(t, triangles, i, j, table.images, table.steps, table.rest, one, pair)
        flat, z = pair[:7, 0] + 1j * pair[7:, 0], stack.level
        lifted = z * flat[0]
        return np.array([*flat[:3], lifted, *flat[3:5], lifted, flat[5] + z * lifted, flat[6]])

    return block_of(sheets, frequency, rows, columns, numbers)


def table_for(parts: Layered, stack: Stack, frequency: float) -> KernelTable:
    """The kernels for the extent and the largest triangles of the metal, and for probes."""
    places, cell = parts.probes, stack.thickness
    if parts.metal is not None:
        mesh = parts.metal.mesh
        places, cell = np.concatenate([places, mesh.vertices[np.unique(mesh.triangles)]]), mesh.edge_lengths.max()
    reach = float(np.linalg.norm(np.ptp(places, axis=0))) if len(places) else 0.0
    return _table(stack, frequency, reach + float(parts.radii.max(initial=0.0)), float(cell))


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


class Beyond(Protocol):
    """What else than every triangle for itself tells feet and probes what is well off."""

    @property
    def feet(self) -> Ints:
        """The feet that look."""
        ...

    @property
    def probes(self) -> Bools:
        """Which probes (probes,) look; the others see but the triangles under feet that do."""
        ...

    def leaves(self, feet: Ints, /) -> Bools:
        """Which triangles (feet, triangles) it leaves to be looked at one by one by some feet."""
        ...

    def rest(self, feet: Ints, left: Bools, /) -> Complexes:
        """Entries of some feet (feet, functions) with what is on the other triangles."""
        ...

    def among_feet(self, entries: Complexes, /) -> Complexes:
        """Entries (feet, 2, feet) of all feet by those that looked."""
        ...

    def complete(self, border: Complexes, /) -> None:
        """Put what others tell into the rows of the border whose feet and probes did not look."""
        ...


def away_from(fans: tuple[Fan, ...], basis: SheetBasis) -> tuple[Floats, Floats]:
    """How wide feet are (feet, 1), and how far from triangles (feet, triangles), m."""
    wide = np.array([basis.mesh.reaches[f.triangles].max() for f in fans])[:, None]
    return wide, np.array([np.linalg.norm(basis.mesh.centres - f.apex, axis=1) for f in fans])


def _seen_by(fans: tuple[Fan, ...], basis: SheetBasis, table: KernelTable, wanted: Bools | None) -> Complexes:
    """What the triangles do to feet, a row each, and the two sets of each: (feet, 2, 5, triangles).

    wanted (feet, triangles): of which triangles; of all unless given.
    """
    wide, off = away_from(fans, basis)
    near = off < 4.0 * wide + 2.0 * basis.mesh.reaches
    far = ~near if wanted is None else wanted & ~near
    close = _potentials(fan_points(basis, fans), near, basis, table)
    return close + _potentials(fan_points(basis, fans, near=False), far, basis, table)


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


def _ends(parts: Layered, table: KernelTable, beyond: Beyond | None) -> Complexes:
    """∫ of the kernel of a probe's end over every triangle: (probes, triangles)."""
    from ..kernels.sheets import P7, P28, W7, W28

    assert parts.metal is not None
    mesh = parts.metal.mesh
    found = np.zeros((len(parts.probes), len(mesh)), np.complex128)

    def look(row: int) -> None:
        top, radius = parts.probes[row], parts.radii[row]
        away = np.linalg.norm(mesh.centres - top, axis=1)
        near, wanted = away < 3.0 * mesh.reaches, np.ones(len(mesh), bool)
        if beyond is not None and not beyond.probes[row]:
            wanted[:] = False
            wanted[np.concatenate([parts.fans[n].triangles for n in beyond.feet])] = True
        for chosen, rule, weights in ((wanted & ~near, P7, W7), (wanted & near, P28, W28)):
            places = np.einsum("pc,tcx->tpx", rule, mesh.corners[chosen])
            off = np.hypot(places[..., 0] - top[0], places[..., 1] - top[1])
            # Within the ring of the probe the potential of its end is that at the ring.
            seen = table.end_of_probe(np.maximum(off, radius))
            found[row, chosen] = mesh.areas[chosen] * (seen @ weights)

    in_parallel(look, range(len(found)))
    return found


def _between(parts: Layered, table: KernelTable) -> Complexes:
    """The last kernel between all probes (probes, probes)."""
    off = np.linalg.norm(parts.probes[:, None] - parts.probes[None], axis=2)
    alone = np.diag([table.probe_itself(radius) for radius in parts.radii])
    return alone + np.where(off > 0.0, table.between_probes(np.where(off > 0.0, off, 1.0)), 0.0)


def _feet(parts: Layered, table: KernelTable, frequency: float, border: Complexes, beyond: Beyond | None) -> None:
    """Add what feet bring: with the functions on the metal, and with one another."""
    metal, fans, first = parts.metal, parts.fans, len(parts.on_metal)
    assert metal is not None
    onto = np.zeros((len(fans), first), np.complex128)
    halves = np.zeros((len(fans), 2, len(fans)), np.complex128)
    looking = np.arange(len(fans)) if beyond is None else beyond.feet
    for begin in range(0, len(looking), _TOGETHER):
        some = looking[begin : begin + _TOGETHER]
        left = None if beyond is None else beyond.leaves(some)
        seen = _seen_by(tuple(fans[n] for n in some), metal, table, left)
        onto[some] = with_sheets(seen, metal, frequency).sum(axis=1)
        if beyond is not None and left is not None:
            onto[some] += beyond.rest(some, left)
        halves[some] = np.stack([with_fan(seen, f, frequency) for f in fans], axis=2)
    if beyond is not None:
        halves = beyond.among_feet(halves)
    between = parts.into.T @ onto
    square = halves[:, 0] + halves[:, 1] + halves[:, 1].T
    square += moments_of(fans, parts.standing, frequency, table.vector, rows=looking)
    border[:, :first] += between
    border[:, first:] += parts.into.T @ (0.5 * (square + square.T)) @ parts.into


def _probes(parts: Layered, table: KernelTable, frequency: float, border: Complexes, beyond: Beyond | None) -> None:
    """Add what probes bring: with the functions on the metal, with feet, and with one another."""
    metal, first, up = parts.metal, len(parts.on_metal), parts.up
    _, charge = scales(frequency)
    among = up.T @ (-1j * charge * _between(parts, table)) @ up
    if metal is not None:
        ends = _ends(parts, table, beyond)
        onto = sum(-2j * charge * metal.coefficients[side] * ends[:, metal.pairs[side]] for side in (0, 1))
        border[:, :first] += up.T @ onto
        if parts.fans:
            # The charges of a fan on its triangles, at the end of every probe.
            spread = [-2j * charge * (ends[:, f.triangles] @ f.coefficients) for f in parts.fans]
            crossed = up.T @ np.stack(spread, axis=1) @ parts.into
            among += crossed + crossed.T
    border[:, first:] += among
