"""What earth sends back between triangles, and between them and points of wires and feet: tabled kernels at points.

With u the level direction from one place to the other, a current moment m meets D m of another, and charges meet Gv:

    D = (GA + U'/ρ) h + (U'' - U'/ρ) u uᵀ + Gv z zᵀ,

h the part along the surface, see `media.half_space`. Triangles are farther from their images than those are deep, so
points do; how many hangs on how far.
"""

import math

import numpy as np
from numba import njit

from .earth import sent_back, sent_into, tabled
from .rows import AREA, MX, MY, MZ, REACH
from .sheets import P3, P7, P28, W3, W7, W28, corner_point

P1, W1 = np.full((1, 3), 1.0 / 3.0), np.ones(1)
# In sums of both reaches: beyond the first one point does, beyond the others three and seven.
_FARTHEST, _FAR, _MIDDLE = 20.0, 4.0, 2.0


@njit(error_model="numpy")
def _rule(off, reach):
    """The rule for places as far as `off` from images of places, of which both together reach so far."""
    if off > _FARTHEST * reach:
        return P1, W1
    if off > _FAR * reach:
        return P3, W3
    if off > _MIDDLE * reach:
        return P7, W7
    return P28, W28


@njit(fastmath=True, error_model="numpy")
def _met(dx, dy, zeta, k, grid, table, values, seen, met):
    """D and Gv of places dx and dy apart, heights together zeta, into met (5,): level, twist xx, xy, yy; upright."""
    rho = math.sqrt(dx * dx + dy * dy)
    tabled(rho, zeta, k, grid, table, 4, values, seen)
    inverse = 1.0 / (rho + 1e-30)
    ux, uy = dx * inverse, dy * inverse
    twist = seen[3] - seen[2]
    met[0] = k * (seen[0] + seen[2])
    met[1] = k * twist * ux * ux
    met[2] = k * twist * ux * uy
    met[3] = k * twist * uy * uy
    met[4] = k * seen[1]


@njit(fastmath=True, error_model="numpy")
def _pair(t, i, s, j, k, grid, table, values, seen, met, out):
    """∬ of the fields r - corner of triangles i of t and j of s and D, into out (10,) by 3 a + b; last ∬ Gv."""
    for n in range(10):
        out[n] = 0.0
    dx, dy, zeta = t[MX, i] - s[MX, j], t[MY, i] - s[MY, j], t[MZ, i] + s[MZ, j]
    rule, weights = _rule(math.sqrt(dx * dx + dy * dy + zeta * zeta), t[REACH, i] + s[REACH, j])
    for p in range(len(weights)):
        x, y, z = corner_point(t, i, rule[p])
        for q in range(len(weights)):
            u, v, w = corner_point(s, j, rule[q])
            _met(x - u, y - v, z + w, k, grid, table, values, seen, met)
            weight = weights[p] * weights[q] * t[AREA, i] * s[AREA, j]
            for b in range(3):
                gx, gy, gz = u - s[3 * b, j], v - s[3 * b + 1, j], w - s[3 * b + 2, j]
                mx = weight * ((met[0] + met[1]) * gx + met[2] * gy)
                my = weight * (met[2] * gx + (met[0] + met[3]) * gy)
                mz = weight * met[4] * gz
                for a in range(3):
                    out[3 * a + b] += (x - t[3 * a, i]) * mx + (y - t[3 * a + 1, i]) * my + (z - t[3 * a + 2, i]) * mz
            out[9] += weight * met[4]


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def earth_triangles(
    t, start, halves, corners, coefficients, span, k, grid, table, flow, charge, rows, matrix, spare,
):  # fmt: skip
    """Add pairs of triangles (i, j ≥ i) of a span of i to half of the matrix, as `fill_sheets` does.

    corners, coefficients (2, functions): which corner of its triangle a half f = c (r - p) has as p, and c.
    """
    values, seen, met = np.empty(8), np.empty(4, np.complex128), np.empty(5, np.complex128)
    one = np.empty(10, np.complex128)
    for i in range(span[0], span[1]):
        for j in range(i, t.shape[1]):
            _pair(t, i, t, j, k, grid, table, values, seen, met, one)
            share = 0.5 if i == j else 1.0
            for h in range(start[i], start[i + 1]):
                f, side = halves[h] // 2, halves[h] % 2
                a, c = corners[side, f], share * coefficients[side, f]
                target = matrix[rows[f]] if rows[f] >= 0 else spare[-1 - rows[f]]
                for g in range(start[j], start[j + 1]):
                    other, side = halves[g] // 2, halves[g] % 2
                    amount = c * coefficients[side, other]
                    value = amount * (flow * one[3 * a + corners[side, other]] + 4.0 * charge * one[9])
                    target[other] += complex(-value.imag, value.real)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def earth_numbers(t, s, k, grid, table, out):
    """What every two triangles of t (17, n) and s (17, m) see of one another, into out (10, n, m), see `_pair`."""
    values, seen, met = np.empty(8), np.empty(4, np.complex128), np.empty(5, np.complex128)
    for i in range(t.shape[1]):
        for j in range(s.shape[1]):
            _pair(t, i, s, j, k, grid, table, values, seen, met, out[:, i, j])


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def earth_potentials(t, places, owner, weights, k, grid, table, first, last, out):
    """What triangles first to last do to currents and charges at places above earth, out (rows, 2, 4, triangles).

    places (p, 3), owner (p,), weights (p, 2, 4): as in `potentials`. Of each row and set, Σ moment · ∫ D (r - corner)
    for the three corners, and Σ charge ∫ Gv.
    """
    values, seen, met = np.empty(8), np.empty(4, np.complex128), np.empty(5, np.complex128)
    for p in range(len(places)):
        x, y, z, o = places[p, 0], places[p, 1], places[p, 2], owner[p]
        for j in range(first, last):
            dx, dy, zeta = x - t[MX, j], y - t[MY, j], z + t[MZ, j]
            # Never one point: the charges of a function's two triangles nearly cancel, and a rule must not part them.
            off = min(math.sqrt(dx * dx + dy * dy + zeta * zeta), _FARTHEST * t[REACH, j])
            rule, shares = _rule(off, t[REACH, j])
            for q in range(len(shares)):
                u, v, w = corner_point(t, j, rule[q])
                _met(x - u, y - v, z + w, k, grid, table, values, seen, met)
                weight = shares[q] * t[AREA, j]
                for b in range(3):
                    gx, gy, gz = u - t[3 * b, j], v - t[3 * b + 1, j], w - t[3 * b + 2, j]
                    mx = weight * ((met[0] + met[1]) * gx + met[2] * gy)
                    my = weight * (met[2] * gx + (met[0] + met[3]) * gy)
                    mz = weight * met[4] * gz
                    for s in range(2):
                        out[o, s, b, j] += weights[p, s, 0] * mx + weights[p, s, 1] * my + weights[p, s, 2] * mz
                for s in range(2):
                    out[o, s, 3, j] += weights[p, s, 3] * weight * met[4]


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def earth_points(places, owner, weights, others, members, amounts, k, grid, table, flow, charge, out):
    """Add what points do to one another by way of earth to out (rows, 2, others' rows).

    places (p, 3), owner (p,), weights (p, 2, 4); others (q, 3), members (q,), amounts (q, 4): of current and charge.
    """
    values, seen, met = np.empty(8), np.empty(4, np.complex128), np.empty(5, np.complex128)
    for p in range(len(places)):
        for q in range(len(others)):
            dx, dy, zeta = places[p, 0] - others[q, 0], places[p, 1] - others[q, 1], places[p, 2] + others[q, 2]
            _met(dx, dy, zeta, k, grid, table, values, seen, met)
            gx, gy, gz = amounts[q, 0], amounts[q, 1], amounts[q, 2]
            mx = (met[0] + met[1]) * gx + met[2] * gy
            my = met[2] * gx + (met[0] + met[3]) * gy
            mz = met[4] * gz
            for s in range(2):
                current = weights[p, s, 0] * mx + weights[p, s, 1] * my + weights[p, s, 2] * mz
                value = flow * current + charge * weights[p, s, 3] * amounts[q, 3] * met[4]
                out[owner[p], s, members[q]] += complex(-value.imag, value.real)


@njit(nogil=True, cache=True, error_model="numpy")
def earth_sheet_fields(t, number, vector, points, moments, places, k, grid, table, into, e_scale, h_scale, out):
    """Add E and H (n, 6) at places (n, 3) of what earth sends back of currents on sheets and at feet.

    number (m,), vector (m, 3): J = number r - vector on triangle t (17, m). points (q, 3), moments (q, 3): without
    charges. into, e_scale, h_scale: as `earth_fields` has them.
    """
    values, seen = np.empty(20), np.empty(10, np.complex128)
    for n in range(places.shape[0]):
        x, y, z = places[n, 0], places[n, 1], places[n, 2]
        for j in range(t.shape[1]):
            dx, dy, zeta = x - t[MX, j], y - t[MY, j], z + t[MZ, j]
            rule, shares = _rule(math.sqrt(dx * dx + dy * dy + zeta * zeta), t[REACH, j])
            for q in range(len(shares)):
                u, v, w = corner_point(t, j, rule[q])
                weight = shares[q] * t[AREA, j]
                current = k * k * weight
                off = x - u, y - v, z + w
                sent = (
                    current * (number[j] * u - vector[j, 0]), current * (number[j] * v - vector[j, 1]),
                    current * (number[j] * w - vector[j, 2]), 2.0 * k * weight * number[j],
                )  # fmt: skip
                if into:
                    sent_into(*off, *sent, k, grid, table, values, seen, e_scale, h_scale, out[n])
                else:
                    sent_back(*off, *sent, k, grid, table, values, seen, e_scale, h_scale, out[n])
        for q in range(points.shape[0]):
            off = x - points[q, 0], y - points[q, 1], z + points[q, 2]
            sent = k * k * moments[q, 0], k * k * moments[q, 1], k * k * moments[q, 2], 0j
            if into:
                sent_into(*off, *sent, k, grid, table, values, seen, e_scale, h_scale, out[n])
            else:
                sent_back(*off, *sent, k, grid, table, values, seen, e_scale, h_scale, out[n])
