"""The impedance matrix of sheets, filled by several threads."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Complexes, Floats, Ints
from ..constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT, wavenumber
from ..running import announce, in_threads, thread_count
from .sheet_basis import SheetBasis

_NEAR_COST = 400
_THREE = np.array([[2 / 3, 1 / 6, 1 / 6], [1 / 6, 2 / 3, 1 / 6], [1 / 6, 1 / 6, 2 / 3]])


def scales(frequency: float) -> tuple[float, float]:
    """ωµ/4π and 1/4πωε: what j∬ f·f' e^{-jkR}/R and -j∬ ∇·f ∇'·f' e^{-jkR}/R are multiplied by."""
    omega = 2.0 * math.pi * frequency
    return omega * MAGNETIC_CONSTANT / (4.0 * math.pi), 1.0 / (4.0 * math.pi * omega * ELECTRIC_CONSTANT)


def arrays_of(basis: SheetBasis) -> tuple[Any, ...]:
    """What the kernels want of a basis: points of the three-point rule (9, m), triangles, c and p of halves (8, n)."""
    mesh = basis.mesh
    points = np.ascontiguousarray(np.einsum("pc,tcx->pxt", _THREE, mesh.corners).reshape(9, -1))
    places = np.concatenate([np.concatenate([basis.coefficients[None, s], basis.apexes[s].T]) for s in (0, 1)])
    return points, np.ascontiguousarray(mesh.triangles), np.ascontiguousarray(places)


Filler = Callable[[Ints, Ints, Complexes, Complexes], None]
"""Fills half of a matrix for a span of triangles: the span (first, last), the row of the matrix that every function
has, or -1 less its row in a spare one, the spare one and the matrix.
"""


def fill_sheet_matrix(
    basis: SheetBasis, frequency: float, matrix: Complexes, *, plane: bool = False, besides: Filler | None = None
) -> None:
    """Put Z into the first rows and columns of a matrix of zeros, ohm.

    Z = jωµ ∬ f·f' G + (1/jωε) ∬ ∇·f ∇'·f' G, G = exp(-jkR)/4πR (Rao, Wilton and Glisson 1982, eqs. 17 to 21, with
    Galerkin's test instead of theirs). plane: over a perfect plane z = 0, whose image is the mirrored current, negated.
    besides: what else adds to it.
    """
    from ..kernels.sheets import fill_sheets

    announce(fill_sheets)
    sources = sources_of(basis, plane)
    own = sources[0][0]
    flow, charge = scales(frequency)

    def fill(span: Ints, rows: Ints, spare: Complexes, matrix: Complexes) -> None:
        for source, sign, _ in sources:
            fill_sheets(
                own, source, basis.start, basis.halves, basis.pairs, basis.lowest, span, wavenumber(frequency),
                sign * flow, sign * charge, rows, matrix, spare,
            )  # fmt: skip
        if besides is not None:
            besides(span, rows, spare, matrix)

    in_shares(basis, matrix, _NEAR_COST, fill)


def sources_of(basis: SheetBasis, plane: bool) -> list[tuple[Any, float, bool]]:
    """What the kernels want of the sheets, and over a plane of their image: arrays, sign, whether it is the image."""
    found = [(_for_kernel(basis, basis.mesh.triangles), 1.0, False)]
    if plane:
        # On the plane a vertex and its image are one.
        other = basis.mesh.triangles + len(basis.mesh.vertices)
        shared = np.where(basis.mesh.on_plane[basis.mesh.triangles], basis.mesh.triangles, other)
        found.append((_for_kernel(basis.mirrored, shared), -1.0, True))
    return found


def _for_kernel(basis: SheetBasis, vertices: Ints) -> tuple[Any, ...]:
    points, _, places = arrays_of(basis)
    return basis.mesh.columns, points, np.ascontiguousarray(vertices), places


def in_shares(basis: SheetBasis, matrix: Complexes, near_cost: float | Floats, fill: Filler) -> None:
    """Fill half of a matrix by several threads, each a span of triangles, then add to it its transpose.

    near_cost: in pairs that are far, what a triangle's near ones cost; of all alike, or of each (triangles,).
    """
    from ..kernels.sheets import mirror

    m, n, threads = len(basis.mesh), basis.size, thread_count()
    work_done = np.cumsum(m - np.arange(m) + near_cost)
    cuts = np.searchsorted(work_done, work_done[-1] * np.arange(threads + 1) / threads).astype(np.int64)
    cuts[0], cuts[-1] = 0, m
    share = np.searchsorted(cuts, basis.pairs, side="right") - 1
    owner = share.min(axis=0)
    # A function with its two triangles in two shares has its row in the first; the second adds to a spare one.
    strangers = [np.flatnonzero((share == own).any(axis=0) & (owner != own)) for own in range(threads)]
    spare = [np.zeros((len(s), n), np.complex128) for s in strangers]

    def work(own: int) -> None:
        rows = np.arange(n)
        rows[strangers[own]] = -1 - np.arange(len(strangers[own]))
        fill(np.array([cuts[own], cuts[own + 1]]), rows, spare[own], matrix)

    in_threads(work, range(threads))
    for stranger, added in zip(strangers, spare, strict=True):
        matrix[stranger, :n] += added
    edges = np.linspace(0, 1, threads + 1)
    stops = np.round(n * (1.0 - np.sqrt(1.0 - edges))).astype(int)
    in_threads(lambda part: mirror(matrix, n, stops[part], stops[part + 1]), range(threads))


def sheet_block(basis: SheetBasis, frequency: float, rows: ArrayLike, columns: ArrayLike) -> Complexes:
    """Entries (rows, columns), ohm, each as it stands, row as test and column as source: nothing is mirrored."""
    from ..kernels.sheets import near_numbers

    _, triangles, _ = arrays_of(basis)
    t, k = basis.mesh.columns, wavenumber(frequency)
    one, static, pair = np.empty(16), np.empty(4), np.zeros((16, 1))

    def numbers(i: int, j: int) -> Complexes:
        near_numbers(t, triangles, i, t, triangles, j, k, one, static, pair)
        found = pair[:8, 0] + 1j * pair[8:, 0]
        return np.append(found, found[0])

    return block_of(basis, frequency, rows, columns, numbers)


def block_of(
    basis: SheetBasis, frequency: float, rows: ArrayLike, columns: ArrayLike, numbers: Callable[[int, int], Complexes]
) -> Complexes:
    """Entries (rows, columns), ohm, from the numbers of two triangles: I0, Ir, Is, Irs, and that of the charges."""
    flow, charge = scales(frequency)
    first, second = (np.atleast_1d(np.asarray(x, np.int64)) for x in (rows, columns))
    found = np.zeros((len(first), len(second)), np.complex128)
    for a, f in enumerate(first):
        for b, g in enumerate(second):
            for s in (0, 1):
                for r in (0, 1):
                    n = numbers(int(basis.pairs[s, f]), int(basis.pairs[r, g]))
                    p, q = basis.apexes[s, f], basis.apexes[r, g]
                    flux = n[7] - p @ n[4:7] - q @ n[1:4] + (p @ q) * n[0]
                    amount = basis.coefficients[s, f] * basis.coefficients[r, g]
                    found[a, b] += 1j * amount * (flow * flux - 4.0 * charge * n[8])
    return found
