"""The wire matrix, tile by tile.

A basis function is a set of signed half functions: linear shapes rising to one end of a segment. A *group* is a run of
basis functions with the segments under them; a tile is one group against another. Every tile works out its own
segment pairs once and owns its part of the matrix, so tiles run in parallel without sharing a write, and the answer
does not depend on the number of threads.
"""

import math

import numpy as np
from numba import njit

from .pairs import is_near, near_moments
from .trig import sincos

_GAUSS = 0.5 / math.sqrt(3.0)


@njit(fastmath=True, error_model="numpy")
def _far_row(seg, columns, k, moments):
    """Moments (8, n) of one segment against n others, two Gauss points a side.

    The tube average is exp(-jkR)/R times
    1 - ¼ Σ a²[k²(1 - c²) + (3c² - 1)(1 + jkR)/R²], c = cos(axis, R): its expansion to second order in a/R.
    """
    n = columns.shape[1]
    a2 = 0.25 * seg[7] * seg[7]
    k2 = k * k
    moments[:] = 0.0
    for p in range(2):
        side1 = 0.5 - _GAUSS if p == 0 else 0.5 + _GAUSS
        x = seg[0] + side1 * seg[6] * seg[3]
        y = seg[1] + side1 * seg[6] * seg[4]
        z = seg[2] + side1 * seg[6] * seg[5]
        for q in range(2):
            side2 = 0.5 - _GAUSS if q == 0 else 0.5 + _GAUSS
            for j in range(n):
                step = side2 * columns[6, j]
                dx = x - columns[0, j] - step * columns[3, j]
                dy = y - columns[1, j] - step * columns[4, j]
                dz = z - columns[2, j] - step * columns[5, j]
                b2 = 0.25 * columns[7, j] * columns[7, j]
                r2 = dx * dx + dy * dy + dz * dz + 1e-30
                inverse2 = 1.0 / r2
                inverse = math.sqrt(inverse2)
                phase = k * r2 * inverse
                along1 = dx * seg[3] + dy * seg[4] + dz * seg[5]
                along2 = dx * columns[3, j] + dy * columns[4, j] + dz * columns[5, j]
                c1 = along1 * along1 * inverse2
                c2 = along2 * along2 * inverse2
                near = (a2 * (3.0 * c1 - 1.0) + b2 * (3.0 * c2 - 1.0)) * inverse2
                level = 1.0 - k2 * (a2 * (1.0 - c1) + b2 * (1.0 - c2)) - near
                turn = -near * phase
                s, c = sincos(phase)
                scale = 0.25 * columns[6, j] * seg[6] * inverse
                real = scale * (c * level + s * turn)
                imag = scale * (c * turn - s * level)
                moments[0, j] += (1.0 - side1) * (1.0 - side2) * real
                moments[1, j] += (1.0 - side1) * (1.0 - side2) * imag
                moments[2, j] += (1.0 - side1) * side2 * real
                moments[3, j] += (1.0 - side1) * side2 * imag
                moments[4, j] += side1 * (1.0 - side2) * real
                moments[5, j] += side1 * (1.0 - side2) * imag
                moments[6, j] += side1 * side2 * real
                moments[7, j] += side1 * side2 * imag


@njit(error_model="numpy")
def _row_moments(seg, columns, k, moments, exact):
    """Moments (8, n) of one segment against n others, near pairs by their own rules."""
    _far_row(seg, columns, k, moments)
    for j in range(columns.shape[1]):
        other = columns[:, j]
        if is_near(seg, other):
            near_moments(seg, other, k, exact)
            for a in range(2):
                for b in range(2):
                    moments[4 * a + 2 * b, j] = exact[a, b].real
                    moments[4 * a + 2 * b + 1, j] = exact[a, b].imag


@njit(error_model="numpy")
def _add_tile(rows, row_halves, columns, column_halves, k, vector_scale, scalar_scale, sign, tile):
    """Add sign·(vector_scale t·t' I[a, b] ± scalar_scale ΣI / l l') of every half pair to tile[basis, basis]."""
    moments = np.empty((8, columns.shape[1]))
    exact = np.empty((2, 2), np.complex128)
    row_ptr, row_basis, row_sign = row_halves
    column_ptr, column_basis, column_sign = column_halves
    for i in range(rows.shape[1]):
        seg = rows[:, i].copy()
        _row_moments(seg, columns, k, moments, exact)
        for j in range(columns.shape[1]):
            cosine = seg[3] * columns[3, j] + seg[4] * columns[4, j] + seg[5] * columns[5, j]
            total = 0.0j
            for q in range(4):
                total += complex(moments[2 * q, j], moments[2 * q + 1, j])
            charge = sign * scalar_scale * total / (seg[6] * columns[6, j])
            flow = sign * vector_scale * cosine
            for a in range(2):
                for b in range(2):
                    moment = complex(moments[4 * a + 2 * b, j], moments[4 * a + 2 * b + 1, j])
                    value = flow * moment + (charge if a == b else -charge)
                    for u in range(row_ptr[2 * i + a], row_ptr[2 * i + a + 1]):
                        for v in range(column_ptr[2 * j + b], column_ptr[2 * j + b + 1]):
                            tile[row_basis[u], column_basis[v]] += row_sign[u] * column_sign[v] * value


@njit(error_model="numpy")
def _group(groups, g):
    """Segments, half functions (pointer, local basis, sign) and basis functions of group g."""
    seg_start, segs, half_ptr, half_basis, half_sign, basis_start, bases = groups
    first, last = seg_start[g], seg_start[g + 1]
    halves = (half_ptr[2 * first : 2 * last + 1], half_basis, half_sign)
    return segs[first:last], halves, bases[basis_start[g] : basis_start[g + 1]]


@njit(error_model="numpy")
def _fill_tile(segments, row_groups, column_groups, g, h, mirrored, k, vector_scale, scalar_scale, plane, matrix):
    """One tile: the pairs themselves and, over a perfect plane z = 0, the image of every column segment."""
    rows, row_halves, row_bases = _group(row_groups, g)
    columns, column_halves, column_bases = _group(column_groups, h)
    tile = np.zeros((row_bases.size, column_bases.size), np.complex128)
    near = np.ascontiguousarray(segments[:, rows])
    far = np.ascontiguousarray(segments[:, columns])
    _add_tile(near, row_halves, far, column_halves, k, vector_scale, scalar_scale, 1.0, tile)
    if plane:
        # The image current is minus the mirrored current, so image terms are those of the mirrored wire, negated.
        far[2] = -far[2]
        far[5] = -far[5]
        _add_tile(near, row_halves, far, column_halves, k, vector_scale, scalar_scale, -1.0, tile)
    for m in range(row_bases.size):
        for n in range(column_bases.size):
            matrix[row_bases[m], column_bases[n]] = tile[m, n]
            if mirrored and g != h:
                matrix[column_bases[n], row_bases[m]] = tile[m, n]


@njit(nogil=True, cache=True, error_model="numpy")
def fill(segments, row_groups, column_groups, tiles, mirrored, k, vector_scale, scalar_scale, plane, matrix):
    """Fill matrix[row basis, column basis] for the listed tiles (row group, column group).

    With mirrored=True the transpose of each off-diagonal tile is written too: the matrix is complex symmetric. Calls
    with different tiles may run at once in several threads.
    """
    for index in range(tiles.shape[0]):
        _fill_tile(
            segments, row_groups, column_groups, tiles[index, 0], tiles[index, 1], mirrored,
            k, vector_scale, scalar_scale, plane, matrix,
        )  # fmt: skip
