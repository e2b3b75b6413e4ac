"""Metal on one level of a stack, near by: sparse matrices of what a grid's smooth kernels leave."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np

from ..arraytypes import Floats, Ints
from ..media.kernel_table import KernelTable
from ..media.smooth_kernel import SmoothKernels
from ..running import announce, in_parallel, thread_count
from .sheet_basis import SheetBasis
from .sheet_matrix import arrays_of, scales

_NONE = np.zeros(0, np.int64)


def near_pairs(basis: SheetBasis, reach: float) -> tuple[Ints, Ints]:
    """For every triangle i where its neighbours j ≥ i begin (m + 1,), and the neighbours."""
    from ..kernels.near_printed import neighbours

    announce(neighbours)
    t, m = basis.mesh.columns, len(basis.mesh)
    centres, widest = basis.mesh.centres[:, :2], float(basis.mesh.reaches.max())
    low, size = centres.min(axis=0), max(reach, widest)
    cell = ((centres - low) / size).astype(np.int64)
    cells = cell.max(axis=0) + 1
    number = cell[:, 0] * cells[1] + cell[:, 1]
    order = np.argsort(number, kind="stable")
    cell_start = np.searchsorted(number[order], np.arange(cells[0] * cells[1] + 1))
    start = np.zeros(m + 1, np.int64)
    stops = np.linspace(0, m, 4 * thread_count() + 1).astype(np.int64)
    spans = list(pairwise(stops))

    def look(found: Ints) -> None:
        in_parallel(lambda span: neighbours(t, order, cell_start, cells, low, size, widest, reach, np.array(span),
                                            start, found), spans)  # fmt: skip

    look(_NONE)
    start = np.cumsum(start)
    found = np.empty(start[-1], np.int64)
    look(found)
    return start, found


_LOOKS = 400


def pairs_near(basis: SheetBasis, reach: float) -> float:
    """How many pairs of triangles are near, more or less: from a few of them."""
    from scipy.spatial import cKDTree

    mesh = basis.mesh
    centres, reaches = mesh.centres[:, :2], mesh.reaches
    some = np.unique(np.linspace(0, len(mesh) - 1, _LOOKS).astype(int))
    widest = reach + reaches[some] + float(reaches.max())
    found = cKDTree(centres).query_ball_point(centres[some], widest)
    counts = [
        np.count_nonzero(np.linalg.norm(centres[near] - centres[i], axis=1) < reach + reaches[i] + reaches[near])
        for i, near in zip(some, found, strict=True)
    ]
    return 0.5 * len(mesh) * float(np.mean(counts))


def near_matrices(basis: SheetBasis, table: KernelTable, smooth: SmoothKernels, frequency: float) -> tuple[Any, Any]:
    """Sparse (functions, functions), ohm: what the grid leaves of the matrix, and the matrix of kernels that fade."""
    from scipy.sparse import csr_array

    from ..kernels.near_printed import fill_near, pattern

    announce(fill_near)
    start, near = near_pairs(basis, smooth.reach)
    points, triangles, halves = arrays_of(basis)
    places = np.ascontiguousarray(halves[[0, 1, 2, 4, 5, 6]])
    n, cubics = basis.size, smooth.cubics()

    def work(span: Ints) -> tuple[Any, Any]:
        own = np.flatnonzero(((basis.pairs >= span[0]) & (basis.pairs < span[1])).any(axis=0))
        row_start = np.zeros(n + 1, np.int64)
        pattern(own, basis.pairs, span, start, near, basis.start, basis.halves, row_start, np.zeros(0, np.int32))
        row_start = np.cumsum(row_start)
        columns = np.empty(row_start[-1], np.int32)
        pattern(own, basis.pairs, span, start, near, basis.start, basis.halves, row_start, columns)
        exact, windowed = np.zeros(len(columns), np.complex128), np.zeros(len(columns), np.complex128)
        fill_near(
            basis.mesh.columns, points, triangles, basis.start, basis.halves, places, span, start, near, table.images,
            table.steps, table.whole, table.rest, cubics, smooth.reach, *scales(frequency), row_start, columns, exact,
            windowed,
        )  # fmt: skip
        halved = [csr_array((data, columns, row_start), shape=(n, n)) for data in (exact, windowed)]
        return halved[0] + halved[0].T, halved[1] + halved[1].T

    parts = in_parallel(work, list(_spans(start)))
    return sum(p[0] for p in parts[1:]) + parts[0][0], sum(p[1] for p in parts[1:]) + parts[0][1]


def _spans(start: Ints) -> list[Ints]:
    """Spans of triangles, one a thread, with as many pairs each."""
    threads = thread_count()
    stops = np.searchsorted(start, start[-1] * np.arange(threads + 1) / threads)
    stops[0], stops[-1] = 0, len(start) - 1
    return [np.array(span) for span in pairwise(stops)]


def three_points(basis: SheetBasis) -> Floats:
    """The points of every triangle (3 m, 2), m: the first of all, the second, the third."""
    x, y = (arrays_of(basis)[0][axis::3].ravel() for axis in (0, 1))
    return np.stack([x, y], axis=1)
