"""The matrix of metal on levels of a stack: pairs of triangles that lie level, with two kernels for every two levels.

Currents see the vector kernel A, charges the scalar kernel K (formulation C, Michalski and Mosig 1997). For triangles S
and S' the entries follow from I0 = ∬ A, Ir = ∬ r A, Is = ∬ r' A, Irs = ∬ r·r' A and J0 = ∬ K, in x and y alone.

Far off both come from cubics in the distance, see `distant`. Close by, the images' 1/R is integrated over S' in closed
form, and the bounded rest by points. How far apart levels are is in the depths of images.
"""

import math

import numpy as np
from numba import njit

from .distant import cubics, distant_row, from_afar, middle_pair, place
from .rows import AREA, MX, MY, MZ, REACH
from .sheets import (
    NEAR,
    P7,
    P28,
    W7,
    W28,
    W75,
    apart,
    corner_point,
    edge_frames,
    fading,
    framed_potentials,
    mixed,
    pair_rules,
)

_MIDDLE = (14.0, 16.0)
"""Where three points on each of a pair begin to fade, and where nothing of them is left, as `NEAR`."""
_DEEP = 0.9
_BLOCK = 128
_ROWS = 14


@njit(fastmath=True, error_model="numpy")
def closed_form(x, y, z, t, j, frames, images, static, seen):
    """∫ A, ∫ x' A, ∫ y' A and ∫ K over triangle j of the 1/R of images, added to seen (8,)."""
    for n in range(len(images)):
        # A triangle seen from a depth below it is what its image at that depth shows.
        framed_potentials(x, y, z + images[n, 0], t, j, frames, static)
        for part in range(2):
            share = images[n, 1 + part]
            seen[4 * part] += share * static[0]
            seen[4 * part + 1] += share * static[1]
            seen[4 * part + 2] += share * static[2]
            seen[4 * part + 3] += images[n, 3 + part] * static[0]


@njit(fastmath=True, error_model="numpy")
def shallow(images, t, j):
    """How many images are no deeper than triangle j is wide: the first ones, and one at least."""
    close = 1
    while close < images.shape[0] and images[close, 0] <= _DEEP * t[REACH, j]:
        close += 1
    return close


@njit(inline="always", fastmath=True, error_model="numpy")
def _seen_from(u, v, share, values, seen):
    """Add a share of both kernels (4,) at the point (u, v) to what is seen (8,)."""
    for part in range(2):
        a = share * values[part]
        seen[4 * part] += a
        seen[4 * part + 1] += u * a
        seen[4 * part + 2] += v * a
        seen[4 * part + 3] += share * values[2 + part]


@njit(fastmath=True, error_model="numpy")
def smooth_rest(x, y, points, steps, rest, values, seen):
    """The same of all that is left, added to seen, by the degree-five rule on the triangle.

    points (3, 7): x, y and area weight; rest (intervals, 4, 4): cubics of what the kernels are less the 1/R of those
    images that are in closed form.
    """
    for q in range(7):
        u, v, share = points[0, q], points[1, q], points[2, q]
        where = place(math.sqrt((x - u) * (x - u) + (y - v) * (y - v)), steps)
        at = int(where)
        cubics(rest, at, where - at, values)
        _seen_from(u, v, share, values, seen)


@njit(fastmath=True, error_model="numpy")
def rule_on(t, j, points):
    """The degree-five rule on triangle j into points (3, 7): x, y, weight times area."""
    for q in range(7):
        points[0, q], points[1, q], _ = corner_point(t, j, P7[q])
        points[2, q] = W7[q] * t[AREA, j]


@njit(fastmath=True, error_model="numpy")
def _by_rule(x, y, points, steps, whole, values, seen):
    """∫ A, ∫ x' A, ∫ y' A and ∫ K over a triangle into seen (8,): all of the kernels at the points (3, 7) of a rule."""
    seen[:] = 0.0
    for q in range(7):
        u, v = points[0, q], points[1, q]
        r = math.sqrt((x - u) * (x - u) + (y - v) * (y - v))
        where = place(r, steps)
        at = int(where)
        cubics(whole, at, where - at, values)
        share = points[2, q] / r
        _seen_from(u, v, share, values, seen)


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
def near_pair(t, i, j, images, steps, rest, rule, weights, out):
    """The seven numbers of one pair into out (14,): 1/R at the points of a rule on i, what is smoother at fewer."""
    out[:] = 0.0
    frames, points, static = np.empty((3, 7)), np.empty((3, 7)), np.empty(4)
    values, seen = np.empty(4), np.empty(8)
    edge_frames(t, j, frames)
    rule_on(t, j, points)
    close = shallow(images, t, j)
    for p in range(len(weights)):
        x, y, _ = corner_point(t, i, rule[p])
        seen[:] = 0.0
        closed_form(x, y, t[MZ, j], t, j, frames, images[:1], static, seen)
        _tested(x, y, weights[p] * t[AREA, i], seen, out)
    touching = len(weights) == len(W75)
    outer, shares = (P28, W28) if touching else (P7, W7)
    for p in range(len(shares)):
        x, y, _ = corner_point(t, i, outer[p])
        seen[:] = 0.0
        closed_form(x, y, t[MZ, j], t, j, frames, images[1:close], static, seen)
        smooth_rest(x, y, points, steps, rest[close - 1], values, seen)
        _tested(x, y, shares[p] * t[AREA, i], seen, out)


@njit(fastmath=True, error_model="numpy")
def near_numbers(t, corners, i, j, images, steps, rest, one, out):
    """Of a pair that is near into out (14, 1), by the rules it calls for."""
    fine, weights, coarse, fewer, share = pair_rules(corners, i, corners, j, apart(t, i, t, j))
    if share < 1.0:
        near_pair(t, i, j, images, steps, rest, coarse, fewer, one)
        mixed(1.0, one, out, 0)
    if share > 0.0:
        near_pair(t, i, j, images, steps, rest, fine, weights, one)
        mixed(share, one, out, 0)


@njit(fastmath=True, error_model="numpy")
def near_row(t, points, corners, i, begin, until, images, steps, whole, rest, values, out, one):
    """Put the pairs of triangle i with some j that are not distant into its row, out (14, m)."""
    pair = np.zeros((_ROWS, 1))
    for j in range(begin, until):
        dx, dy, reach = t[MX, i] - t[MX, j], t[MY, i] - t[MY, j], t[REACH, i] + t[REACH, j]
        middle, near = fading((dx * dx + dy * dy) / (reach * reach), _MIDDLE), fading(apart(t, i, t, j), NEAR)
        if middle > 0.0 and near < 1.0:
            middle_pair(t, points, i, j, steps, whole, values, one)
            mixed(middle, one, out, j)
        if near > 0.0:
            near_numbers(t, corners, i, j, images, steps, rest, one, pair)
            mixed(near, pair[:, 0], out, j)


@njit(inline="always", fastmath=True, error_model="numpy")
def _source(out, a, r, c, x, y, flow, charge):
    """What a source half c (r' - p'), p' = (x, y), on triangle a gives to a test half about p: first less p·rest."""
    g = out[a, r]
    plain = out[a, r + 5] - x * out[a, r + 1] - y * out[a, r + 2]
    c *= flow
    return c * (plain - charge * out[a, r + 6]), c * (out[a, r + 3] - x * g), c * (out[a, r + 4] - y * g)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def fill_printed(
    t, points, corners, start, halves, pairs, places, lowest, span, level, images, steps, whole, rest, flow, charge,
    rows, matrix, spare,
):  # fmt: skip
    """Add the pairs (i, j ≥ i) of a span of triangles i to half of the matrix: the whole is it plus its transpose.

    As `fill_sheets`, with places (6, functions): c and p, x and y, of both halves. level (3,): the first triangle j and
    the ends of triangles and functions of the level that is seen; images, steps, whole, rest: see
    `media.kernel_table.KernelTable`.
    """
    m, n = t.shape[1], level[2]
    out, one, values = np.zeros((_ROWS, m)), np.empty(_ROWS), np.empty(4)
    turned, sums = np.zeros((m, _ROWS)), np.empty((6, n))
    share = 4.0 * charge / flow
    for i in range(span[0], span[1]):
        begin = max(i, level[0])
        distant_row(t, points, i, begin, level[1], steps, whole, out)
        near_row(t, points, corners, i, begin, level[1], images, steps, whole, rest, values, out, one)
        if begin == i:
            for r in range(_ROWS):
                out[r, i] *= 0.5
        for first in range(begin, level[1], _BLOCK):
            for r in range(_ROWS):
                for j in range(first, min(first + _BLOCK, level[1])):
                    turned[j, r] = out[r, j]
        if i > 0:
            turned[i - 1] = 0.0
        for g in range(lowest[begin], n):
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
            for g in range(lowest[begin], n):
                real = c * (sums[0, g] - x * sums[1, g] - y * sums[2, g])
                imag = c * (sums[3, g] - x * sums[4, g] - y * sums[5, g])
                # j times the two.
                target[g] += complex(-imag, real)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def printed_potentials(t, corners, places, owner, weights, wanted, images, steps, whole, rest, first, last, out):
    """What triangles first to last do to currents and charges at points, out (rows, 2, 5, m).

    wanted (rows, m): which triangles a row's points are to see. As `potentials` has it: places (p, 3), owner (p,),
    weights (p, 2, 4) of current moment and charge; of each row and set, ∫ (moment · r') A, ∫ moment A by component, and
    ∫ charge K.
    """
    frames, points, static = np.empty((3, 7)), np.empty((3, 7)), np.empty(4)
    values, seen, slopes = np.empty(4), np.empty(8), np.empty((12, 1))
    for j in range(first, last):
        edge_frames(t, j, frames)
        rule_on(t, j, points)
        close = shallow(images, t, j)
        for p in range(len(places)):
            if not wanted[owner[p], j]:
                continue
            x, y = places[p, 0], places[p, 1]
            dx, dy = x - t[MX, j], y - t[MY, j]
            off = (dx * dx + dy * dy) / t[REACH, j] ** 2
            if off > 25.0:
                from_afar(x, y, t, corners, j, steps, whole, slopes, seen)
            elif off > 9.0:
                _by_rule(x, y, points, steps, whole, values, seen)
            else:
                seen[:] = 0.0
                closed_form(x, y, t[MZ, j], t, j, frames, images[:close], static, seen)
                smooth_rest(x, y, points, steps, rest[close - 1], values, seen)
            a, u, v = complex(seen[0], seen[4]), complex(seen[1], seen[5]), complex(seen[2], seen[6])
            scalar = complex(seen[3], seen[7])
            row = owner[p]
            for s in range(2):
                mx, my, charge = weights[p, s, 0], weights[p, s, 1], weights[p, s, 3]
                out[row, s, 0, j] += mx * u + my * v
                out[row, s, 1, j] += mx * a
                out[row, s, 2, j] += my * a
                out[row, s, 4, j] += charge * scalar
