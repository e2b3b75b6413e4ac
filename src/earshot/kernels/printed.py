"""The matrix of metal on one level of a stack: pairs of triangles in a plane, with two kernels.

Currents see the vector kernel A, charges the scalar kernel K (formulation C, Michalski and Mosig 1997). For triangles S
and S' the entries follow from I0 = ∬ A, Ir = ∬ r A, Is = ∬ r' A, Irs = ∬ r·r' A and J0 = ∬ K, in x and y alone.

Far off both come from cubics in the distance. Close by, the images' 1/R is integrated over S' in closed form, and the
bounded rest by points.
"""

import math

import numpy as np
from numba import njit

from .sheets import P7, P28, W7, W28, W75, corner_point, edge_frames, framed_potentials, pair_rule
from .trig import sincos

_NEAR = 1.3
_DEEP = 0.9
_BLOCK = 128
_ROWS = 14


@njit(inline="always", fastmath=True, error_model="numpy")
def _place(r, steps):
    """The place of a distance among the nodes of a table."""
    return (
        min(r, steps[0]) * steps[2]
        + min(max(r - steps[0], 0.0), steps[1] - steps[0]) * steps[3]
        + max(r - steps[1], 0.0) * steps[4]
    )


@njit(inline="always", fastmath=True, error_model="numpy")
def _cubics(table, at, f, values):
    """Vector and scalar kernel, each real and imaginary, from the cubics of an interval, into values (4,)."""
    for c in range(4):
        values[c] = ((table[at, 3, c] * f + table[at, 2, c]) * f + table[at, 1, c]) * f + table[at, 0, c]


@njit(fastmath=True, error_model="numpy")
def _block_kernels(x, y, u, v, count, steps, whole, places, inverse, found):
    """The kernels between (x, y) and a block of points (u, v), found (4, block): distances first, in vector code."""
    for j in range(count):
        dx, dy = x - u[j], y - v[j]
        r2 = dx * dx + dy * dy + 1e-30
        r = math.sqrt(r2)
        inverse[j] = 1.0 / r
        places[j] = _place(r, steps)
    values = np.empty(4)
    for j in range(count):
        at = int(places[j])
        _cubics(whole, at, places[j] - at, values)
        for c in range(4):
            found[c, j] = inverse[j] * values[c]


@njit(fastmath=True, error_model="numpy")
def far_row(t, points, i, steps, whole, out):
    """The seven numbers of triangle i with every j ≥ i, real then imaginary, into out (14, m): three points on each.

    points (9, m): x, y, z of the three points of every triangle.
    """
    m = t.shape[1]
    source, found, seen = np.empty((7, _BLOCK)), np.empty((_ROWS, _BLOCK)), np.empty((3, 4, _BLOCK))
    places, inverse = np.empty(_BLOCK), np.empty(_BLOCK)
    for first in range(i, m, _BLOCK):
        count = min(_BLOCK, m - first)
        for q in range(3):
            for j in range(count):
                source[2 * q, j] = points[3 * q, first + j]
                source[2 * q + 1, j] = points[3 * q + 1, first + j]
        for j in range(count):
            source[6, j] = t[12, i] / 9.0 * t[12, first + j]
        found[:] = 0.0
        for p in range(3):
            x, y = points[3 * p, i], points[3 * p + 1, i]
            for q in range(3):
                _block_kernels(
                    x, y, source[2 * q], source[2 * q + 1], count, steps, whole, places, inverse, seen[q]
                )  # fmt: skip
            for j in range(count):
                u0, v0 = source[0, j], source[1, j]
                u1, v1 = source[2, j], source[3, j]
                u2, v2 = source[4, j], source[5, j]
                a0, a1, a2 = seen[0, 0, j], seen[1, 0, j], seen[2, 0, j]
                b0, b1, b2 = seen[0, 1, j], seen[1, 1, j], seen[2, 1, j]
                scale = source[6, j]
                real, imag = scale * (a0 + a1 + a2), scale * (b0 + b1 + b2)
                ur, ui = scale * (u0 * a0 + u1 * a1 + u2 * a2), scale * (u0 * b0 + u1 * b1 + u2 * b2)
                vr, vi = scale * (v0 * a0 + v1 * a1 + v2 * a2), scale * (v0 * b0 + v1 * b1 + v2 * b2)
                found[0, j] += real
                found[1, j] += x * real
                found[2, j] += y * real
                found[3, j] += ur
                found[4, j] += vr
                found[5, j] += x * ur + y * vr
                found[6, j] += scale * (seen[0, 2, j] + seen[1, 2, j] + seen[2, 2, j])
                found[7, j] += imag
                found[8, j] += x * imag
                found[9, j] += y * imag
                found[10, j] += ui
                found[11, j] += vi
                found[12, j] += x * ui + y * vi
                found[13, j] += scale * (seen[0, 3, j] + seen[1, 3, j] + seen[2, 3, j])
        for r in range(_ROWS):
            for j in range(count):
                out[r, first + j] = found[r, j]


@njit(fastmath=True, error_model="numpy")
def closed_form(x, y, z, t, j, frames, images, static, seen):
    """∫ A, ∫ x' A, ∫ y' A and ∫ K over triangle j of the images' 1/R, into seen (8,): real, then imaginary.

    Of images no deeper than the triangle is wide, those of the first `close`, which is returned.
    """
    close = 0
    for n in range(images.shape[0]):
        if images[n, 0] > _DEEP * t[16, j]:
            break
        close += 1
        # A triangle seen from a depth below it is what its image at that depth shows.
        framed_potentials(x, y, z + images[n, 0], t, j, frames, static)
        for part in range(2):
            share = images[n, 1 + part]
            seen[4 * part] += share * static[0]
            seen[4 * part + 1] += share * static[1]
            seen[4 * part + 2] += share * static[2]
            seen[4 * part + 3] += images[n, 3 + part] * static[0]
    return close


@njit(fastmath=True, error_model="numpy")
def smooth_rest(x, y, points, k, images, close, steps, rest, values, work, seen):
    """The same of all that is left, added to seen: deeper images, the waves of close ones, and what has no image.

    points (3, 8): x, y and area weight of the degree-five rule on the triangle, and one that weighs nothing.
    """
    for q in range(8):
        dx, dy = x - points[0, q], y - points[1, q]
        work[0, q] = dx * dx + dy * dy
        work[1, q] = _place(math.sqrt(work[0, q]), steps)
    for q in range(8):
        at = int(work[1, q])
        _cubics(rest, at, work[1, q] - at, values)
        for c in range(4):
            work[2 + c, q] = values[c]
    for n in range(images.shape[0]):
        open_ = 0.0 if n < close else 1.0
        deep, vr, vi, sr, si = (
            images[n, 0] * images[n, 0] + 1e-30,
            images[n, 1],
            images[n, 2],
            images[n, 3],
            images[n, 4],
        )
        for q in range(8):
            r = math.sqrt(work[0, q] + deep)
            inverse = 1.0 / r
            sine, cosine = sincos(0.5 * k * r)
            twice = -2.0 * sine * inverse
            real, imag = twice * sine + open_ * inverse, twice * cosine
            work[2, q] += vr * real - vi * imag
            work[3, q] += vr * imag + vi * real
            work[4, q] += sr * real - si * imag
            work[5, q] += sr * imag + si * real
    for q in range(8):
        u, v, share = points[0, q], points[1, q], points[2, q]
        ar, ai = share * work[2, q], share * work[3, q]
        seen[0] += ar
        seen[1] += u * ar
        seen[2] += v * ar
        seen[3] += share * work[4, q]
        seen[4] += ai
        seen[5] += u * ai
        seen[6] += v * ai
        seen[7] += share * work[5, q]


@njit(fastmath=True, error_model="numpy")
def rule_on(t, j, points):
    """The degree-five rule on triangle j into points (3, 8): x, y, weight times area."""
    for q in range(7):
        points[0, q], points[1, q], _ = corner_point(t, j, P7[q])
        points[2, q] = W7[q] * t[12, j]
    points[0, 7], points[1, 7] = points[0, 0], points[1, 0]


@njit(inline="always", fastmath=True, error_model="numpy")
def _tested(x, y, weight, seen, out):
    """Add what is seen from a point of the test triangle to the seven numbers (14,)."""
    for part in range(2):
        a, u, v = weight * seen[4 * part], weight * seen[4 * part + 1], weight * seen[4 * part + 2]
        base = 7 * part
        out[base] += a
        out[base + 1] += x * a
        out[base + 2] += y * a
        out[base + 3] += u
        out[base + 4] += v
        out[base + 5] += x * u + y * v
        out[base + 6] += weight * seen[4 * part + 3]


@njit(fastmath=True, error_model="numpy")
def near_pair(t, i, j, k, images, steps, rest, rule, weights, out):
    """The seven numbers of one pair into out (14,): 1/R at the points of a rule on i, the smooth rest at fewer."""
    out[:] = 0.0
    frames, points, static = np.empty((3, 7)), np.zeros((3, 8)), np.empty(4)
    values, work, seen = np.empty(4), np.empty((6, 8)), np.empty(8)
    edge_frames(t, j, frames)
    rule_on(t, j, points)
    close = 0
    for p in range(len(weights)):
        x, y, z = corner_point(t, i, rule[p])
        seen[:] = 0.0
        close = closed_form(x, y, z, t, j, frames, images, static, seen)
        _tested(x, y, weights[p] * t[12, i], seen, out)
    touching = len(weights) == len(W75)
    outer, shares = (P28, W28) if touching else (P7, W7)
    for p in range(len(shares)):
        x, y, _ = corner_point(t, i, outer[p])
        seen[:] = 0.0
        smooth_rest(x, y, points, k, images, close, steps, rest, values, work, seen)
        _tested(x, y, shares[p] * t[12, i], seen, out)


@njit(fastmath=True, error_model="numpy")
def near_row(t, corners, i, k, images, steps, rest, out, one):
    """Put the pairs of triangle i that are close into its row, out (14, m)."""
    for j in range(i, t.shape[1]):
        dx, dy = t[13, i] - t[13, j], t[14, i] - t[14, j]
        reach = t[16, i] + t[16, j]
        if dx * dx + dy * dy > _NEAR * _NEAR * reach * reach:
            continue
        rule, weights = pair_rule(t, corners, i, j)
        near_pair(t, i, j, k, images, steps, rest, rule, weights, one)
        for n in range(_ROWS):
            out[n, j] = one[n]


@njit(inline="always", fastmath=True, error_model="numpy")
def _source(out, a, r, c, x, y, flow, charge):
    """What a source half c (r' - p'), p' = (x, y), on triangle a gives to a test half about p: first less p·rest."""
    g = out[a, r]
    plain = out[a, r + 5] - x * out[a, r + 1] - y * out[a, r + 2]
    c *= flow
    return c * (plain - charge * out[a, r + 6]), c * (out[a, r + 3] - x * g), c * (out[a, r + 4] - y * g)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def fill_printed(
    t, points, corners, start, halves, pairs, places, lowest, span, k, images, steps, whole, rest, flow, charge, rows,
    matrix, spare,
):  # fmt: skip
    """Add the pairs (i, j ≥ i) of a span of triangles i to half of the matrix: the whole is it plus its transpose.

    As `fill_sheets`, with places (6, functions): c and p, x and y, of both halves; images, steps, whole, rest: see
    `media.kernel_table.KernelTable`.
    """
    m, n = t.shape[1], pairs.shape[1]
    out, one = np.zeros((_ROWS, m)), np.empty(_ROWS)
    turned, sums = np.zeros((m, _ROWS)), np.empty((6, n))
    share = 4.0 * charge / flow
    for i in range(span[0], span[1]):
        far_row(t, points, i, steps, whole, out)
        near_row(t, corners, i, k, images, steps, rest, out, one)
        for r in range(_ROWS):
            out[r, i] *= 0.5
        for first in range(i, m, _BLOCK):
            for r in range(_ROWS):
                for j in range(first, min(first + _BLOCK, m)):
                    turned[j, r] = out[r, j]
        if i > 0:
            turned[i - 1] = 0.0
        for g in range(lowest[i], n):
            a, b = pairs[0, g], pairs[1, g]
            c, x, y = places[0, g], places[1, g], places[2, g]
            ar, axr, ayr = _source(turned, a, 0, c, x, y, flow, share)
            ai, axi, ayi = _source(turned, a, 7, c, x, y, flow, share)
            c, x, y = places[3, g], places[4, g], places[5, g]
            br, bxr, byr = _source(turned, b, 0, c, x, y, flow, share)
            bi, bxi, byi = _source(turned, b, 7, c, x, y, flow, share)
            sums[0, g], sums[1, g], sums[2, g] = ar + br, axr + bxr, ayr + byr
            sums[3, g], sums[4, g], sums[5, g] = ai + bi, axi + bxi, ayi + byi
        for h in range(start[i], start[i + 1]):
            f, side = halves[h] // 2, 3 * (halves[h] % 2)
            c, x, y = places[side, f], places[side + 1, f], places[side + 2, f]
            target = matrix[rows[f]] if rows[f] >= 0 else spare[-1 - rows[f]]
            for g in range(lowest[i], n):
                real = c * (sums[0, g] - x * sums[1, g] - y * sums[2, g])
                imag = c * (sums[3, g] - x * sums[4, g] - y * sums[5, g])
                # j times the two.
                target[g] += complex(-imag, real)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def printed_potentials(t, places, owner, weights, wanted, k, images, steps, whole, rest, first, last, out):
    """What triangles first to last do to currents and charges at points, out (rows, 2, 5, m).

    wanted (rows, m): which triangles a row's points are to see. As `potentials` has it: places (p, 3), owner (p,),
    weights (p, 2, 4) of current moment and charge; of each row and set, ∫ (moment · r') A, ∫ moment A by component, and
    ∫ charge K.
    """
    frames, points, static = np.empty((3, 7)), np.zeros((3, 8)), np.empty(4)
    values, work, seen = np.empty(4), np.empty((6, 8)), np.empty(8)
    for j in range(first, last):
        edge_frames(t, j, frames)
        rule_on(t, j, points)
        for p in range(len(places)):
            if not wanted[owner[p], j]:
                continue
            x, y, z = places[p, 0], places[p, 1], places[p, 2]
            dx, dy = x - t[13, j], y - t[14, j]
            if dx * dx + dy * dy < (3.0 * t[16, j]) ** 2:
                seen[:] = 0.0
                close = closed_form(x, y, z, t, j, frames, images, static, seen)
                smooth_rest(x, y, points, k, images, close, steps, rest, values, work, seen)
            else:
                seen[:] = 0.0
                for q in range(7):
                    u, v, share = points[0, q], points[1, q], points[2, q]
                    r = math.sqrt((x - u) * (x - u) + (y - v) * (y - v))
                    place = _place(r, steps)
                    at = int(place)
                    _cubics(whole, at, place - at, values)
                    share /= r
                    ar, ai, kr, ki = values[0], values[1], values[2], values[3]
                    seen[0] += share * ar
                    seen[1] += share * u * ar
                    seen[2] += share * v * ar
                    seen[3] += share * kr
                    seen[4] += share * ai
                    seen[5] += share * u * ai
                    seen[6] += share * v * ai
                    seen[7] += share * ki
            a, u, v = complex(seen[0], seen[4]), complex(seen[1], seen[5]), complex(seen[2], seen[6])
            scalar = complex(seen[3], seen[7])
            row = owner[p]
            for s in range(2):
                mx, my, charge = weights[p, s, 0], weights[p, s, 1], weights[p, s, 3]
                out[row, s, 0, j] += mx * u + my * v
                out[row, s, 1, j] += mx * a
                out[row, s, 2, j] += my * a
                out[row, s, 4, j] += charge * scalar
