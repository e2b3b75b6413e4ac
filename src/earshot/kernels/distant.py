"""What two triangles that lie level, or a triangle and a point, do to each other from afar, by their distance in x, y.

From afar a kernel hardly bends over a triangle: it is taken to second order about the centroids, K + g·d + ½ d·H d, d
the change of the vector between them, and the seven numbers of a pair follow from one look into the table and the
triangles' second moments. The error is that of three points on each, at a ninth of the looks.
"""

import math

import numpy as np
from numba import njit

from .rows import AREA, MX, MY

_BLOCK = 128
_ROWS = 14


@njit(inline="always", fastmath=True, error_model="numpy")
def place(r, steps):
    """The place of a distance among the nodes of a table."""
    return (
        min(r, steps[0]) * steps[2]
        + min(max(r - steps[0], 0.0), steps[1] - steps[0]) * steps[3]
        + max(r - steps[1], 0.0) * steps[4]
    )


@njit(inline="always", fastmath=True, error_model="numpy")
def _density(r, steps):
    """How many nodes there are to a metre at a distance."""
    return steps[2] if r < steps[0] else (steps[3] if r < steps[1] else steps[4])


@njit(inline="always", fastmath=True, error_model="numpy")
def cubics(table, at, f, values):
    """Vector and scalar kernel, each real and imaginary, from the cubics of an interval, into values (4,)."""
    for c in range(4):
        values[c] = ((table[at, 3, c] * f + table[at, 2, c]) * f + table[at, 1, c]) * f + table[at, 0, c]


@njit(inline="always", fastmath=True, error_model="numpy")
def _slopes(whole, at, f, found, j):
    """ρ times the kernels with its first and second derivative by the place, into column j of found (12, block)."""
    for c in range(4):
        c1, c2, c3 = whole[at, 1, c], whole[at, 2, c], whole[at, 3, c]
        found[c, j] = ((c3 * f + c2) * f + c1) * f + whole[at, 0, c]
        found[4 + c, j] = (3.0 * c3 * f + 2.0 * c2) * f + c1
        found[8 + c, j] = 6.0 * c3 * f + 2.0 * c2


@njit(inline="always", fastmath=True, error_model="numpy")
def _bent(value, first, second, inverse, density):
    """K, K'/ρ and K'' of K = value/ρ, from derivatives of value by the place."""
    kernel = value * inverse
    slope = (first * density - kernel) * inverse
    return kernel, slope * inverse, (second * density * density - 2.0 * slope) * inverse


@njit(fastmath=True, error_model="numpy")
def _spread(points, j):
    """The second moments of triangle j about its centroid, over its area: xx, xy, yy."""
    x0, y0, x1, y1, x2, y2 = points[0, j], points[1, j], points[3, j], points[4, j], points[6, j], points[7, j]
    x, y = (x0 + x1 + x2) / 3.0, (y0 + y1 + y2) / 3.0
    x0, x1, x2, y0, y1, y2 = x0 - x, x1 - x, x2 - x, y0 - y, y1 - y, y2 - y
    return (
        (x0 * x0 + x1 * x1 + x2 * x2) / 3.0,
        (x0 * y0 + x1 * y1 + x2 * y2) / 3.0,
        (y0 * y0 + y1 * y1 + y2 * y2) / 3.0,
    )


@njit(fastmath=True, error_model="numpy")
def distant_row(t, points, i, begin, until, steps, whole, out):
    """The seven numbers of triangle i with some j, as if all were far, into out (14, m): real, then imaginary.

    points (9, m): x, y, z of the three points of every triangle, which have its second moments.
    """
    source, found, seen = np.empty((9, _BLOCK)), np.empty((_ROWS, _BLOCK)), np.empty((12, _BLOCK))
    sx, sxy, sy = _spread(points, i)
    x, y = t[MX, i], t[MY, i]
    for first in range(begin, until, _BLOCK):
        count = min(_BLOCK, until - first)
        for j in range(count):
            n = first + j
            source[0, j], source[1, j], source[2, j] = t[MX, n], t[MY, n], t[AREA, i] * t[AREA, n]
            source[3, j], source[4, j], source[5, j] = _spread(points, n)
        for j in range(count):
            dx, dy = x - source[0, j], y - source[1, j]
            r2 = dx * dx + dy * dy + 1e-30
            r = math.sqrt(r2)
            source[6, j] = 1.0 / r
            source[7, j] = place(r, steps)
            source[8, j] = _density(r, steps)
        for j in range(count):
            at = int(source[7, j])
            _slopes(whole, at, source[7, j] - at, seen, j)
        for j in range(count):
            u, v, scale, inverse, density = source[0, j], source[1, j], source[2, j], source[6, j], source[8, j]
            dx, dy = x - u, y - v
            cx, cy = dx * inverse, dy * inverse
            tx, txy, ty = source[3, j], source[4, j], source[5, j]
            for part in range(2):
                k, slope, bend = _bent(seen[part, j], seen[4 + part, j], seen[8 + part, j], inverse, density)
                # Of the Hessian: across the line between them K'/ρ, along it K''.
                extra = bend - slope
                hx, hxy, hy = slope + extra * cx * cx, extra * cx * cy, slope + extra * cy * cy
                mean = k + 0.5 * (hx * (sx + tx) + 2.0 * hxy * (sxy + txy) + hy * (sy + ty))
                gx, gy = slope * dx, slope * dy
                ax, ay = sx * gx + sxy * gy, sxy * gx + sy * gy
                bx, by = -(tx * gx + txy * gy), -(txy * gx + ty * gy)
                crossed = (
                    tx * (sx * hx + sxy * hxy) + ty * (sxy * hxy + sy * hy)
                    + txy * (sx * hxy + sxy * hy + sxy * hx + sy * hxy)
                )  # fmt: skip
                base = 7 * part
                found[base, j] = scale * mean
                found[base + 1, j] = scale * (x * mean + ax)
                found[base + 2, j] = scale * (y * mean + ay)
                found[base + 3, j] = scale * (u * mean + bx)
                found[base + 4, j] = scale * (v * mean + by)
                found[base + 5, j] = scale * ((x * u + y * v) * mean + x * bx + y * by + u * ax + v * ay - crossed)
                k, slope, bend = _bent(seen[2 + part, j], seen[6 + part, j], seen[10 + part, j], inverse, density)
                extra = bend - slope
                hx, hxy, hy = slope + extra * cx * cx, extra * cx * cy, slope + extra * cy * cy
                found[base + 6, j] = scale * (k + 0.5 * (hx * (sx + tx) + 2.0 * hxy * (sxy + txy) + hy * (sy + ty)))
        for r in range(_ROWS):
            for j in range(count):
                out[r, first + j] = found[r, j]


@njit(fastmath=True, error_model="numpy")
def middle_pair(t, points, i, j, steps, whole, values, out):
    """The seven numbers of one pair into out (14,): three points on each."""
    out[:] = 0.0
    scale = t[AREA, i] * t[AREA, j] / 9.0
    for p in range(3):
        x, y = points[3 * p, i], points[3 * p + 1, i]
        for q in range(3):
            u, v = points[3 * q, j], points[3 * q + 1, j]
            # Between two levels points may be one over the other.
            r = math.sqrt((x - u) * (x - u) + (y - v) * (y - v) + 1e-30)
            where = place(r, steps)
            at = int(where)
            cubics(whole, at, where - at, values)
            share = scale / r
            for part in range(2):
                a, base = share * values[part], 7 * part
                out[base] += a
                out[base + 1] += x * a
                out[base + 2] += y * a
                out[base + 3] += u * a
                out[base + 4] += v * a
                out[base + 5] += (x * u + y * v) * a
                out[base + 6] += share * values[2 + part]


@njit(fastmath=True, error_model="numpy")
def from_afar(x, y, t, points, j, steps, whole, work, seen):
    """∫ A, ∫ x' A, ∫ y' A and ∫ K over triangle j, seen from (x, y), into seen (8,): real, then imaginary."""
    u, v, scale = t[MX, j], t[MY, j], t[AREA, j]
    tx, txy, ty = _spread(points, j)
    dx, dy = x - u, y - v
    r = math.sqrt(dx * dx + dy * dy)
    inverse, density, where = 1.0 / r, _density(r, steps), place(r, steps)
    at = int(where)
    _slopes(whole, at, where - at, work, 0)
    for c in range(4):
        k, slope, bend = _bent(work[c, 0], work[4 + c, 0], work[8 + c, 0], inverse, density)
        extra = (bend - slope) * inverse * inverse
        mean = k + 0.5 * (slope * (tx + ty) + extra * (tx * dx * dx + 2.0 * txy * dx * dy + ty * dy * dy))
        if c < 2:
            seen[4 * c] = scale * mean
            seen[4 * c + 1] = scale * (u * mean - slope * (tx * dx + txy * dy))
            seen[4 * c + 2] = scale * (v * mean - slope * (txy * dx + ty * dy))
        else:
            seen[4 * (c - 2) + 3] = scale * mean
