"""The matrix of triangulated sheets: pairs of triangles, with what stands on their edges.

For two triangles S and S' the entries of all functions on them follow from eight numbers, with G = exp(-jkR)/R:
I0 = ∬ G, Ir = ∬ r G, Is = ∬ r' G and Irs = ∬ r·r' G, since f = c (r - p) on every triangle (Rao, Wilton and Glisson
1982).

Close by, 1/R is integrated over S' in closed form (Wilton et al. 1984, eqs. 5 and 8) and the bounded rest by points.
"""

import math

import numpy as np
from numba import njit

from .rows import AREA, AX, AY, AZ, BX, BY, BZ, CX, CY, CZ, MX, MY, MZ, NX, NY, NZ, REACH
from .trig import sincos

# Dunavant (1985), degree 2 and degree 5: barycentric coordinates and weights.
P3 = np.array([[2 / 3, 1 / 6, 1 / 6], [1 / 6, 2 / 3, 1 / 6], [1 / 6, 1 / 6, 2 / 3]])
W3 = np.full(3, 1 / 3)
_A, _B = (6 - math.sqrt(15)) / 21, (6 + math.sqrt(15)) / 21
P7 = np.array([[1 / 3] * 3, *(np.roll([1 - 2 * x, x, x], i) for x in (_A, _B) for i in range(3))])
W7 = np.array([9 / 40, *[(155 - math.sqrt(15)) / 1200] * 3, *[(155 + math.sqrt(15)) / 1200] * 3])


def _quartered(points: np.ndarray, weights: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """A rule on a triangle cut into four."""
    corners = np.eye(3)
    middles = (corners + np.roll(corners, -1, axis=0)) / 2
    parts = [np.array([corners[i], middles[i], middles[i - 1]]) for i in range(3)] + [middles]
    return np.concatenate([points @ part for part in parts]), np.tile(weights, 4) / 4


def _towards_edges(count: int) -> tuple[np.ndarray, np.ndarray]:
    """A rule whose points crowd at the three edges, where the potential of a triangle that touches goes as d log d.

    Each third, from an edge to the centroid, has Gauss points along the edge and, in the root of the distance, off it.
    """
    nodes, weights = np.polynomial.legendre.leggauss(count)
    nodes, weights = (nodes + 1) / 2, weights / 2
    along, off = (x.ravel() for x in np.meshgrid(nodes, nodes**2, indexing="ij"))
    share = np.outer(weights, 2 * nodes * weights).ravel() * (1 - off) * 2 / 3
    corners = np.eye(3)
    points = [
        ((1 - along)[:, None] * corners[i] + along[:, None] * corners[i - 2]) * (1 - off)[:, None] + off[:, None] / 3
        for i in range(3)
    ]
    return np.concatenate(points), np.tile(share, 3)


P28, W28 = _quartered(P7, W7)
P75, W75 = _towards_edges(5)
# Squares, in the reaches of both triangles: where the finer outer rule and 1/R in closed form begin to fade, and where
# nothing of them is left. Without, every pair that passes such a place while a dimension changes would make a step.
CLOSE, NEAR = (0.81, 0.95), (1.6, 1.9)
_BLOCK = 128


@njit(fastmath=True, error_model="numpy")
def edge_frames(t, j, frames):
    """The three edges of triangle j into frames (3, 7): direction along each, direction outwards, length."""
    nx, ny, nz = t[NX, j], t[NY, j], t[NZ, j]
    for e in range(3):
        a, b = 3 * e, 3 * ((e + 1) % 3)
        sx, sy, sz = t[b, j] - t[a, j], t[b + 1, j] - t[a + 1, j], t[b + 2, j] - t[a + 2, j]
        length = math.sqrt(sx * sx + sy * sy + sz * sz)
        sx, sy, sz = sx / length, sy / length, sz / length
        frames[e, 0], frames[e, 1], frames[e, 2] = sx, sy, sz
        frames[e, 3], frames[e, 4], frames[e, 5] = sy * nz - sz * ny, sz * nx - sx * nz, sx * ny - sy * nx
        frames[e, 6] = length


@njit(fastmath=True, error_model="numpy")
def framed_potentials(x, y, z, t, j, frames, out):
    """∫ dS'/R and ∫ r' dS'/R over triangle j of columns t with its frames, seen from (x, y, z), into out (4,)."""
    nx, ny, nz = t[NX, j], t[NY, j], t[NZ, j]
    d = (x - t[AX, j]) * nx + (y - t[AY, j]) * ny + (z - t[AZ, j]) * nz
    height = abs(d)
    total, vx, vy, vz = 0.0, 0.0, 0.0, 0.0
    ax, ay, az = t[AX, j] - x, t[AY, j] - y, t[AZ, j] - z
    r_low = first = math.sqrt(ax * ax + ay * ay + az * az)
    for e in range(3):
        length = frames[e, 6]
        low = ax * frames[e, 0] + ay * frames[e, 1] + az * frames[e, 2]
        high = low + length
        aside = ax * frames[e, 3] + ay * frames[e, 4] + az * frames[e, 5]
        r_high = first
        if e < 2:
            ax, ay, az = t[3 * e + 3, j] - x, t[3 * e + 4, j] - y, t[3 * e + 5, j] - z
            r_high = math.sqrt(ax * ax + ay * ay + az * az)
        r0 = aside * aside + d * d
        if r0 > 1e-24 * length * length:
            if low > 0.0 or high > -low:
                log = math.log((r_high + high) / (r_low + low))
            else:
                log = math.log((r_low - low) / (r_high - high))
            total += aside * log
            if height > 1e-12 * length:
                total -= height * (
                    math.atan(aside * high / (r0 + height * r_high)) - math.atan(aside * low / (r0 + height * r_low))
                )
            edge = 0.5 * (r0 * log + high * r_high - low * r_low)
        else:
            edge = 0.5 * (high * abs(high) - low * abs(low))
        vx += edge * frames[e, 3]
        vy += edge * frames[e, 4]
        vz += edge * frames[e, 5]
        r_low = r_high
    out[0] = total
    out[1] = vx + (x - d * nx) * total
    out[2] = vy + (y - d * ny) * total
    out[3] = vz + (z - d * nz) * total


@njit(fastmath=True, error_model="numpy")
def static_potentials(x, y, z, t, j, out):
    """The same for one place alone."""
    frames = np.empty((3, 7))
    edge_frames(t, j, frames)
    framed_potentials(x, y, z, t, j, frames, out)


@njit(fastmath=True, error_model="numpy")
def corner_point(t, j, p):
    """The point of barycentric coordinates p on triangle j."""
    return (
        p[0] * t[AX, j] + p[1] * t[BX, j] + p[2] * t[CX, j],
        p[0] * t[AY, j] + p[1] * t[BY, j] + p[2] * t[CY, j],
        p[0] * t[AZ, j] + p[1] * t[BZ, j] + p[2] * t[CZ, j],
    )


@njit(inline="always", fastmath=True, error_model="numpy")
def _wave(dx, dy, dz, k):
    """Real and imaginary part of exp(-jkR)/R."""
    r2 = dx * dx + dy * dy + dz * dz + 1e-30
    inverse = 1.0 / math.sqrt(r2)
    sine, cosine = sincos(k * r2 * inverse)
    return cosine * inverse, -sine * inverse


@njit(fastmath=True, error_model="numpy")
def far_row(area, points, areas, sources, begin, k, out):
    """The eight numbers of a triangle with every one j ≥ begin, real then imaginary, into out (16, m): three points on
    each.

    points (9,), sources (9, m): x, y, z of the three points of the triangle, and of all others, which have areas (m,).
    Work is done in blocks of one fixed shape, which the compiler can tell do not overlap: it makes vector code of it.
    """
    m = len(areas)
    source, found = np.empty((10, _BLOCK)), np.empty((16, _BLOCK))
    for first in range(begin, m, _BLOCK):
        count = min(_BLOCK, m - first)
        for r in range(9):
            for j in range(count):
                source[r, j] = sources[r, first + j]
        for j in range(count):
            source[9, j] = area / 9.0 * areas[first + j]
        found[:] = 0.0
        for p in range(3):
            x, y, z = points[3 * p], points[3 * p + 1], points[3 * p + 2]
            for j in range(count):
                u0, v0, w0 = source[0, j], source[1, j], source[2, j]
                u1, v1, w1 = source[3, j], source[4, j], source[5, j]
                u2, v2, w2 = source[6, j], source[7, j], source[8, j]
                r0, i0 = _wave(x - u0, y - v0, z - w0, k)
                r1, i1 = _wave(x - u1, y - v1, z - w1, k)
                r2, i2 = _wave(x - u2, y - v2, z - w2, k)
                scale = source[9, j]
                real, imag = scale * (r0 + r1 + r2), scale * (i0 + i1 + i2)
                ur, ui = scale * (u0 * r0 + u1 * r1 + u2 * r2), scale * (u0 * i0 + u1 * i1 + u2 * i2)
                vr, vi = scale * (v0 * r0 + v1 * r1 + v2 * r2), scale * (v0 * i0 + v1 * i1 + v2 * i2)
                wr, wi = scale * (w0 * r0 + w1 * r1 + w2 * r2), scale * (w0 * i0 + w1 * i1 + w2 * i2)
                found[0, j] += real
                found[1, j] += x * real
                found[2, j] += y * real
                found[3, j] += z * real
                found[4, j] += ur
                found[5, j] += vr
                found[6, j] += wr
                found[7, j] += x * ur + y * vr + z * wr
                found[8, j] += imag
                found[9, j] += x * imag
                found[10, j] += y * imag
                found[11, j] += z * imag
                found[12, j] += ui
                found[13, j] += vi
                found[14, j] += wi
                found[15, j] += x * ui + y * vi + z * wi
        for r in range(16):
            for j in range(count):
                out[r, first + j] = found[r, j]


@njit(fastmath=True, error_model="numpy")
def near_pair(t, i, s, j, k, rule, weights, out, static):
    """The same of triangle i of t and j of s (16,), 1/R over the latter in closed form, at points of a rule on i."""
    out[:] = 0.0
    frames, source = np.empty((3, 7)), np.zeros((4, 8))
    edge_frames(s, j, frames)
    for q in range(len(W7)):
        source[0, q], source[1, q], source[2, q] = corner_point(s, j, P7[q])
        source[3, q] = W7[q] * s[AREA, j]
    for p in range(len(weights)):
        x, y, z = corner_point(t, i, rule[p])
        weight = weights[p] * t[AREA, i]
        framed_potentials(x, y, z, s, j, frames, static)
        gr, gi = static[0], 0.0
        xr, xi, yr, yi, zr, zi = static[1], 0.0, static[2], 0.0, static[3], 0.0
        # Eight, of which the last weighs nothing, make whole vectors.
        for q in range(8):
            u, v, w = source[0, q], source[1, q], source[2, q]
            dx, dy, dz = x - u, y - v, z - w
            r = math.sqrt(dx * dx + dy * dy + dz * dz + 1e-30)
            # By half the angle (exp(-jkr) - 1)/r keeps its digits.
            sine, cosine = sincos(0.5 * k * r)
            share = -2.0 * source[3, q] * sine / r
            real, imag = share * sine, share * cosine
            gr += real
            gi += imag
            xr += u * real
            xi += u * imag
            yr += v * real
            yi += v * imag
            zr += w * real
            zi += w * imag
        out[0] += weight * gr
        out[8] += weight * gi
        out[1] += weight * x * gr
        out[9] += weight * x * gi
        out[2] += weight * y * gr
        out[10] += weight * y * gi
        out[3] += weight * z * gr
        out[11] += weight * z * gi
        out[4] += weight * xr
        out[12] += weight * xi
        out[5] += weight * yr
        out[13] += weight * yi
        out[6] += weight * zr
        out[14] += weight * zi
        out[7] += weight * (x * xr + y * yr + z * zr)
        out[15] += weight * (x * xi + y * yi + z * zi)


@njit(inline="always", error_model="numpy")
def apart(t, i, s, j):
    """How far two triangles are, over the reach of both, squared."""
    dx, dy, dz = t[MX, i] - s[MX, j], t[MY, i] - s[MY, j], t[MZ, i] - s[MZ, j]
    reach = t[REACH, i] + s[REACH, j]
    return (dx * dx + dy * dy + dz * dz) / (reach * reach)


@njit(inline="always", error_model="numpy")
def fading(off, between):
    """The share of what is for near pairs: one up to where it begins to fade, nought beyond where it ends."""
    x = min(max((off - between[0]) / (between[1] - between[0]), 0.0), 1.0)
    return 1.0 - x * x * (3.0 - 2.0 * x)


@njit(error_model="numpy")
def pair_rules(corners, i, others, j, off):
    """The outer rules of a pair that is near, and the share of the first: more points where triangles nearly touch,
    most where they do.

    corners, others (m, 3): vertices of the triangles of both. off: how far they are apart.
    """
    for a in range(3):
        for b in range(3):
            if corners[i, a] == others[j, b]:
                return P75, W75, P7, W7, 1.0
    return P28, W28, P7, W7, fading(off, CLOSE)


@njit(inline="always", error_model="numpy")
def mixed(share, one, out, first):
    """Put a share of numbers (n,) into the place of as much of a column's, out[:, first]."""
    for n in range(len(one)):
        out[n, first] = share * one[n] + (1.0 - share) * out[n, first]


@njit(fastmath=True, error_model="numpy")
def near_numbers(t, corners, i, s, others, j, k, one, static, out):
    """Of a pair that is near into out (16, 1), by the rules it calls for."""
    fine, weights, coarse, fewer, share = pair_rules(corners, i, others, j, apart(t, i, s, j))
    if share < 1.0:
        near_pair(t, i, s, j, k, coarse, fewer, one, static)
        mixed(1.0, one, out, 0)
    if share > 0.0:
        near_pair(t, i, s, j, k, fine, weights, one, static)
        mixed(share, one, out, 0)


@njit(fastmath=True, error_model="numpy")
def near_row(t, corners, i, s, others, k, out, one, static):
    """Put the pairs of triangle i that are close into its row, out (16, m)."""
    pair = np.zeros((16, 1))
    for j in range(i, t.shape[1]):
        near = fading(apart(t, i, s, j), NEAR)
        if near > 0.0:
            near_numbers(t, corners, i, s, others, j, k, one, static, pair)
            mixed(near, pair[:, 0], out, j)


@njit(inline="always", fastmath=True, error_model="numpy")
def _source(out, a, r, c, x, y, z, flow, charge):
    """What a source half c (r' - p'), p' = (x, y, z), on triangle a gives to a test half about p: first less p·rest.

    From columns r to r + 7 of out (m, 16): flow (Irs - p'·Ir) less the charges', flow (Is - p' I0).
    """
    g = out[a, r]
    plain = out[a, r + 7] - x * out[a, r + 1] - y * out[a, r + 2] - z * out[a, r + 3]
    c *= flow
    return (
        c * (plain - charge * g),
        c * (out[a, r + 4] - x * g),
        c * (out[a, r + 5] - y * g),
        c * (out[a, r + 6] - z * g),
    )


@njit(fastmath=True, error_model="numpy")
def sums_of(turned, pairs, images, first, flow, share, sums):
    """What both halves of source functions, from `first` on, give to a test half, as `_source` tells, into sums (8, n).

    pairs (2, n): the rows of turned (m, 16) that their triangles have; images (8, n): c and p of both.
    """
    for g in range(first, pairs.shape[1]):
        a, b = pairs[0, g], pairs[1, g]
        c, x, y, z = images[0, g], images[1, g], images[2, g], images[3, g]
        ar, axr, ayr, azr = _source(turned, a, 0, c, x, y, z, flow, share)
        ai, axi, ayi, azi = _source(turned, a, 8, c, x, y, z, flow, share)
        c, x, y, z = images[4, g], images[5, g], images[6, g], images[7, g]
        br, bxr, byr, bzr = _source(turned, b, 0, c, x, y, z, flow, share)
        bi, bxi, byi, bzi = _source(turned, b, 8, c, x, y, z, flow, share)
        sums[0, g], sums[1, g], sums[2, g], sums[3, g] = ar + br, axr + bxr, ayr + byr, azr + bzr
        sums[4, g], sums[5, g], sums[6, g], sums[7, g] = ai + bi, axi + bxi, ayi + byi, azi + bzi


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def fill_sheets(
    tested, sources, start, halves, pairs, lowest, span, k, flow, charge, rows, matrix, spare,
):  # fmt: skip
    """Add the pairs (i, j ≥ i) of a span of triangles i to half of the matrix: the whole is it plus its transpose.

    tested, sources: the sheets, and they or their image, each as t (17, m): columns of triangles: corners, normal,
    area, centroid, reach; points (9, m): of the three-point rule; corners (m, 3); places (8, functions): c and p of
    both halves. start (m + 1,), halves: which halves are on a triangle, two per function, f = c (r - p). pairs (2,
    functions): the triangles of a function's two halves. lowest (m,): the first function with a half on triangle i or
    after it. flow, charge: what ∬ f·f' G and ∬ ∇·f ∇'·f' G are multiplied by, over j. rows (functions,): where in
    matrix each function's row is, or -1 less its row in spare.
    """
    t, points, corners, places = tested
    s, seen, others, images = sources
    m, n = t.shape[1], pairs.shape[1]
    out, one, static = np.zeros((16, m)), np.empty(16), np.empty(4)
    # The same, triangle by triangle, for what is gathered.
    turned, sums = np.zeros((m, 16)), np.empty((8, n))
    # Of every charge, ∇·f = 2c; and the flow is taken out as a factor.
    share = 4.0 * charge / flow
    for i in range(span[0], span[1]):
        far_row(t[AREA, i], points[:, i], s[AREA], seen, i, k, out)
        near_row(t, corners, i, s, others, k, out, one, static)
        for r in range(16):
            out[r, i] *= 0.5
        for first in range(i, m, _BLOCK):
            for r in range(16):
                for j in range(first, min(first + _BLOCK, m)):
                    turned[j, r] = out[r, j]
        if i > 0:
            # What lies before i has had its turn.
            turned[i - 1] = 0.0
        sums_of(turned, pairs, images, lowest[i], flow, share, sums)
        for h in range(start[i], start[i + 1]):
            f, side = halves[h] // 2, 4 * (halves[h] % 2)
            c, x, y, z = places[side, f], places[side + 1, f], places[side + 2, f], places[side + 3, f]
            target = matrix[rows[f]] if rows[f] >= 0 else spare[-1 - rows[f]]
            for g in range(lowest[i], n):
                real = c * (sums[0, g] - x * sums[1, g] - y * sums[2, g] - z * sums[3, g])
                imag = c * (sums[4, g] - x * sums[5, g] - y * sums[6, g] - z * sums[7, g])
                # j times the two.
                target[g] += complex(-imag, real)


@njit(nogil=True, cache=True)
def mirror(matrix, n, first, last):
    """Make rows first to last of the first n of a matrix, and what they mirror, it plus its transpose."""
    size = 32
    for i0 in range(first, last, size):
        for j0 in range(i0 - i0 % size, n, size):
            for i in range(i0, min(i0 + size, last)):
                for j in range(max(j0, i), min(j0 + size, n)):
                    value = matrix[i, j] + matrix[j, i]
                    matrix[i, j] = value
                    matrix[j, i] = value
