"""What a grid cannot tell of metal on one level: pairs of triangles near by, into a sparse matrix.

Near by the entries are those of `printed`, less what the smooth kernels of the grid give for the same three points of
each triangle. Besides there is the matrix of kernels that fade to nothing at the reach, to solve with.
"""

import math

import numpy as np
from numba import njit

from .distant import cubics, place
from .fading import faded_share
from .printed import near_numbers
from .rows import AREA, MX, MY, REACH
from .sheets import NEAR, apart, fading

_ROWS = 14
_APART = 2.3
"""How far off, in reaches of both, three points on each triangle will do."""


@njit(inline="always", error_model="numpy")
def _is_near(t, i, j, reach):
    """Whether any points of two triangles may be within the reach, or too near for three points on each."""
    dx, dy = t[MX, i] - t[MX, j], t[MY, i] - t[MY, j]
    both = t[REACH, i] + t[REACH, j]
    far = max(reach + both, _APART * both)
    return dx * dx + dy * dy < far * far


@njit(nogil=True, cache=True, error_model="numpy")
def neighbours(t, order, cell_start, cells, low, size, widest, reach, span, start, found):
    """Every j ≥ i near triangle i of a span: counted into start (m + 1,) at i + 1 while found is empty, else put there.

    order (m,): triangles by cell of a grid of squares of a size from `low` on, cells (2,): how many; cell_start.
    widest: reach of the largest triangle.
    """
    for i in range(span[0], span[1]):
        both = t[REACH, i] + widest
        far = max(reach + both, _APART * both)
        x0, x1 = int((t[MX, i] - far - low[0]) / size), int((t[MX, i] + far - low[0]) / size)
        y0, y1 = int((t[MY, i] - far - low[1]) / size), int((t[MY, i] + far - low[1]) / size)
        count = 0
        for x in range(max(x0, 0), min(x1, cells[0] - 1) + 1):
            first = x * cells[1] + max(y0, 0)
            last = x * cells[1] + min(y1, cells[1] - 1)
            for n in range(cell_start[first], cell_start[last + 1]):
                j = order[n]
                if j >= i and _is_near(t, i, j, reach):
                    if len(found) > 0:
                        found[start[i] + count] = j
                    count += 1
        if len(found) == 0:
            start[i + 1] = count


@njit(inline="always", error_model="numpy")
def _columns(f, pairs, span, near_start, near, start, halves, seen, found):
    """The functions on what is near the triangles of f in a span, into found; returns how many. seen (n,): scratch."""
    count = 0
    for side in range(2):
        i = pairs[side, f]
        if i < span[0] or i >= span[1] or (side == 1 and i == pairs[0, f]):
            continue
        for at in range(near_start[i], near_start[i + 1]):
            j = near[at]
            for h in range(start[j], start[j + 1]):
                g = halves[h] // 2
                if seen[g] != f:
                    seen[g] = f
                    found[count] = g
                    count += 1
    return count


@njit(nogil=True, cache=True, error_model="numpy")
def pattern(own, pairs, span, near_start, near, start, halves, row_start, columns):
    """The columns of every function of `own`: counted into row_start (n + 1,) while columns is empty, else put."""
    n = pairs.shape[1]
    seen, found = np.full(n, -1), np.empty(n, np.int64)
    for f in own:
        count = _columns(f, pairs, span, near_start, near, start, halves, seen, found)
        if len(columns) == 0:
            row_start[f + 1] = count
        else:
            for c in range(count):
                columns[row_start[f] + c] = found[c]


@njit(inline="always", fastmath=True, error_model="numpy")
def _add(amount, x, y, u, v, values, out, j):
    for part in range(2):
        a, base = amount * values[part], 7 * part
        out[base, j] += a
        out[base + 1, j] += x * a
        out[base + 2, j] += y * a
        out[base + 3, j] += u * a
        out[base + 4, j] += v * a
        out[base + 5, j] += (x * u + y * v) * a
        out[base + 6, j] += amount * values[2 + part]


@njit(fastmath=True, error_model="numpy")
def _by_points(t, points, i, n, column, steps, whole, smooth, reach, share, exact, fading_out):
    """Add what three points on each of triangles i and n want to columns of exact and fading_out (14, pairs).

    exact: the kernels less their near share, less the smooth ones. fading_out: those that fade, less that share.
    """
    values = np.empty(4)
    scale = t[AREA, i] * t[AREA, n] / 9.0
    density = smooth.shape[0] / reach
    for p in range(3):
        x, y = points[3 * p, i], points[3 * p + 1, i]
        for q in range(3):
            u, v = points[3 * q, n], points[3 * q + 1, n]
            r = math.sqrt((x - u) * (x - u) + (y - v) * (y - v))
            if r < reach:
                where = r * density
                at = min(int(where), smooth.shape[0] - 1)
                cubics(smooth, at, where - at, values)
                _add(-scale, x, y, u, v, values, exact, column)
                kept = faded_share(r, reach)
                straight = 1.0 - share
            else:
                # Out there the smooth kernels are the kernels.
                kept, straight = 0.0, -share
            if straight == 0.0 and kept == share:
                continue
            where = place(r, steps)
            at = int(where)
            cubics(whole, at, where - at, values)
            _add(straight * scale / r, x, y, u, v, values, exact, column)
            _add((kept - share) * scale / r, x, y, u, v, values, fading_out, column)


@njit(inline="always", fastmath=True, error_model="numpy")
def _entry(out, j, flow, charge, x, y, u, v):
    """j (flow ∬ (r - p)·(r' - p') A - charge ∬ K) of two triangles, p = (x, y), p' = (u, v), over both c."""
    found = np.empty(2)
    for part in range(2):
        b = 7 * part
        plain = out[b + 5, j] - x * out[b + 3, j] - y * out[b + 4, j] - u * out[b + 1, j] - v * out[b + 2, j]
        found[part] = flow * (plain + (x * u + y * v) * out[b, j]) - charge * out[b + 6, j]
    return complex(-found[1], found[0])


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def fill_near(
    t, points, corners, start, halves, places, span, near_start, near, images, steps, whole, rest, smooth, reach, flow,
    charge, row_start, columns, exact, windowed,
):  # fmt: skip
    """Add the pairs (i, j ≥ i) of a span to half of two sparse matrices: the whole is each plus its transpose.

    near_start, near: see `neighbours`. row_start, columns: see `pattern`; exact, windowed: entries. smooth, reach: see
    `media.smooth_kernel.SmoothKernels`. Otherwise as `printed.fill_printed`.
    """
    most = 0
    for i in range(span[0], span[1]):
        most = max(most, near_start[i + 1] - near_start[i])
    one, two = np.zeros((_ROWS, most)), np.zeros((_ROWS, most))
    pair, work = np.zeros((_ROWS, 1)), np.empty(_ROWS)
    position = np.zeros(places.shape[1], np.int64)
    for i in range(span[0], span[1]):
        first = near_start[i]
        count = near_start[i + 1] - first
        one[:, :count] = 0.0
        two[:, :count] = 0.0
        for c in range(count):
            j = near[first + c]
            share = fading(apart(t, i, t, j), NEAR)
            if share > 0.0:
                near_numbers(t, corners, i, j, images, steps, rest, work, pair)
                for r in range(_ROWS):
                    one[r, c] = share * pair[r, 0]
                    two[r, c] = one[r, c]
            _by_points(t, points, i, j, c, steps, whole, smooth, reach, share, one, two)
            if i == j:
                for r in range(_ROWS):
                    one[r, c] *= 0.5
                    two[r, c] *= 0.5
        for h in range(start[i], start[i + 1]):
            f, side = halves[h] // 2, 3 * (halves[h] % 2)
            for at in range(row_start[f], row_start[f + 1]):
                position[columns[at]] = at
            c, x, y = places[side, f], places[side + 1, f], places[side + 2, f]
            for n in range(count):
                j = near[first + n]
                for other in range(start[j], start[j + 1]):
                    g, back = halves[other] // 2, 3 * (halves[other] % 2)
                    both = c * places[back, g]
                    u, v = places[back + 1, g], places[back + 2, g]
                    exact[position[g]] += both * _entry(one, n, flow, 4.0 * charge, x, y, u, v)
                    windowed[position[g]] += both * _entry(two, n, flow, 4.0 * charge, x, y, u, v)
