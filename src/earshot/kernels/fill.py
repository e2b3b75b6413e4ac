"""The wire matrix, tile by tile.

A basis function is a set of signed half functions: linear shapes rising to one end of a segment. A *group* is a run of
basis functions with the segments under them; a tile is one group against another. Every tile works out its own
segment pairs once, so tiles may be worked out side by side, and the answer does not depend on the number of threads.

With real scales v = ωµ/4π and c = 1/4πωε, the entry of two half functions is j(v t·t' I[a, b] ∓ c ΣI / l l').
"""

import math

import numpy as np
from numba import njit

from .fading import faded_share
from .pairs import FAR, MIDDLE, distance_class, near_moments
from .rows import LENGTH, RADIUS, SX, SY, SZ, TX, TY, TZ
from .tube import apart_kernel, thin_kernel

_X3 = (np.polynomial.legendre.leggauss(3)[0] + 1.0) / 2.0
_W3 = np.polynomial.legendre.leggauss(3)[1] / 2.0


@njit(fastmath=True, error_model="numpy")
def _taylor_row(seg, columns, k, flow_scale, charge_scale, real, imag):
    """Entries real, imag (4, n) of one segment's half functions with those of n others, far away.

    The kernel is expanded about the middles: with f = exp(-jkR)/R, u = t·R̂ and v = t'·R̂,
    G_s = f'u, G_t = -f'v, G_ss = f''u² + f'(1 - u²)/R, G_tt likewise with v, G_st = -f''uv - f'(t·t' - uv)/R.
    """
    a2 = 0.25 * seg[RADIUS] * seg[RADIUS]
    l1 = seg[LENGTH]
    x, y, z = seg[SX] + 0.5 * l1 * seg[TX], seg[SY] + 0.5 * l1 * seg[TY], seg[SZ] + 0.5 * l1 * seg[TZ]
    for j in range(columns.shape[1]):
        l2 = columns[LENGTH, j]
        dx = x - columns[SX, j] - 0.5 * l2 * columns[TX, j]
        dy = y - columns[SY, j] - 0.5 * l2 * columns[TY, j]
        dz = z - columns[SZ, j] - 0.5 * l2 * columns[TZ, j]
        r2 = dx * dx + dy * dy + dz * dz + 1e-30
        inverse2 = 1.0 / r2
        inverse = math.sqrt(inverse2)
        u = (dx * seg[TX] + dy * seg[TY] + dz * seg[TZ]) * inverse
        v = (dx * columns[TX, j] + dy * columns[TY, j] + dz * columns[TZ, j]) * inverse
        cosine = seg[TX] * columns[TX, j] + seg[TY] * columns[TY, j] + seg[TZ] * columns[TZ, j]
        g_real, g_imag = thin_kernel(r2, u * u, v * v, a2, 0.25 * columns[RADIUS, j] * columns[RADIUS, j], k)
        # f' = -(1/R + jk) f and f'' - f'/R = (3/R² + 3jk/R - k²) f
        p_real, p_imag = -inverse * g_real + k * g_imag, -inverse * g_imag - k * g_real
        q_level, q_turn = 3.0 * inverse2 - k * k, 3.0 * k * inverse
        q_real, q_imag = q_level * g_real - q_turn * g_imag, q_level * g_imag + q_turn * g_real
        bend = l1 * l1 * u * u + l2 * l2 * v * v
        round_ = (l1 * l1 + l2 * l2) * inverse
        flow = flow_scale * cosine * l1 * l2
        for part in range(2):
            g, p, q = (g_real, p_real, q_real) if part == 0 else (g_imag, p_imag, q_imag)
            curved = (q * bend + p * round_) / 24.0
            mean = 0.25 * g + 0.25 * curved
            tilt1, tilt2 = l1 * u * p / 24.0, -l2 * v * p / 24.0
            twist = -l1 * l2 * (q * u * v + p * cosine * inverse) / 144.0
            charge = charge_scale * (g + curved)
            out = real if part == 0 else imag
            out[0, j] = flow * (mean - tilt1 - tilt2 + twist) - charge
            out[1, j] = flow * (mean - tilt1 + tilt2 - twist) + charge
            out[2, j] = flow * (mean + tilt1 - tilt2 - twist) + charge
            out[3, j] = flow * (mean + tilt1 + tilt2 + twist) - charge


@njit(fastmath=True, error_model="numpy")
def _middle_row(seg, columns, k, flow_scale, charge_scale, real, imag):
    """The same for n others in the middle distance: three Gauss points a side on the tube kernel's series."""
    count = columns.shape[1]
    for e in range(4):
        for j in range(count):
            real[e, j] = 0.0
            imag[e, j] = 0.0
    a2 = seg[RADIUS] * seg[RADIUS]
    for pq in range(9):
        n1, m1 = _X3[pq // 3], _X3[pq % 3]
        weight = _W3[pq // 3] * _W3[pq % 3] * seg[LENGTH]
        s = n1 * seg[LENGTH]
        x, y, z = seg[SX] + s * seg[TX], seg[SY] + s * seg[TY], seg[SZ] + s * seg[TZ]
        for j in range(count):
            t = m1 * columns[LENGTH, j]
            dx = x - columns[SX, j] - t * columns[TX, j]
            dy = y - columns[SY, j] - t * columns[TY, j]
            dz = z - columns[SZ, j] - t * columns[TZ, j]
            cosine = seg[TX] * columns[TX, j] + seg[TY] * columns[TY, j] + seg[TZ] * columns[TZ, j]
            r2 = dx * dx + dy * dy + dz * dz
            along1 = dx * seg[TX] + dy * seg[TY] + dz * seg[TZ]
            along2 = dx * columns[TX, j] + dy * columns[TY, j] + dz * columns[TZ, j]
            b2 = columns[RADIUS, j] * columns[RADIUS, j]
            q2 = r2 + a2 + b2
            swing2 = 4.0 * (a2 * (r2 - along1 * along1) + b2 * (r2 - along2 * along2))
            swing2 += 2.0 * a2 * b2 * (1.0 + cosine * cosine)
            g_real, g_imag = apart_kernel(q2, swing2 / (q2 * q2), k)
            flow = flow_scale * cosine * weight * columns[LENGTH, j]
            charge = charge_scale * _W3[pq // 3] * _W3[pq % 3]
            for e in range(4):
                shape = (n1 if e // 2 == 1 else 1.0 - n1) * (m1 if e % 2 == 1 else 1.0 - m1)
                factor = flow * shape + (charge if e == 1 or e == 2 else -charge)
                real[e, j] += factor * g_real
                imag[e, j] += factor * g_imag


@njit(error_model="numpy")
def _near_entry(seg, other, flow_scale, charge_scale, moments, j, real, imag):
    """Put a near pair's entries, from its exact moments, in the place of the far rule's."""
    cosine = seg[TX] * other[TX] + seg[TY] * other[TY] + seg[TZ] * other[TZ]
    flow, share = flow_scale * cosine, charge_scale / (seg[LENGTH] * other[LENGTH])
    total = share * (moments[0, 0] + moments[0, 1] + moments[1, 0] + moments[1, 1])
    for a in range(2):
        for b in range(2):
            entry = flow * moments[a, b] - (total if a == b else -total)
            real[2 * a + b, j] = entry.real
            imag[2 * a + b, j] = entry.imag


@njit(fastmath=True, error_model="numpy")
def _gather(entries, slots, signs, out):
    """Add entries (2, 2n) of half functions to out (2, functions): a function has two halves at most."""
    for a in range(2):
        for f in range(slots.shape[1]):
            out[a, f] += signs[0, f] * entries[a, slots[0, f]] + signs[1, f] * entries[a, slots[1, f]]


@njit(inline="always", error_model="numpy")
def _add_pairs(rows, columns, slots, signs, k, flow_scale, charge_scale, same, reach, sums):
    """Add the entries of every row half with every column function to sums (2 or 4, 2 rows, functions): real parts and
    imaginary ones; and, where `reach` is not nought, those of potentials that fade within it.

    same: rows and columns are the same segments and the tile may be mirrored: near moments are worked out once.
    """
    n = columns.shape[1]
    real, imag = np.empty((4, n)), np.empty((4, n))
    some_real, some_imag, packed = np.empty((4, n)), np.empty((4, n)), np.empty((8, n))
    middle = np.empty(n, np.int64)
    kept = np.empty((n if same else 1, n, 2, 2), np.complex128)
    others = columns.T.copy()
    all_ = rows.T.copy()
    for i in range(rows.shape[1]):
        seg = all_[i]
        _taylor_row(seg, columns, k, flow_scale, charge_scale, real, imag)
        count = 0
        for j in range(n):
            rank = distance_class(seg, others[j])
            if rank == FAR:
                continue
            if rank == MIDDLE:
                middle[count] = j
                for c in range(8):
                    packed[c, count] = others[j, c]
                count += 1
                continue
            moments = kept[i if same else 0, j]
            if same and j < i:
                moments = kept[j, i].T
            else:
                near_moments(seg, others[j], k, moments)
            _near_entry(seg, others[j], flow_scale, charge_scale, moments, j, real, imag)
        _middle_row(seg, packed[:, :count], k, flow_scale, charge_scale, some_real, some_imag)
        for m in range(count):
            for e in range(4):
                real[e, middle[m]] = some_real[e, m]
                imag[e, middle[m]] = some_imag[e, m]
        _gather(real.reshape(2, 2 * n), slots, signs, sums[0, 2 * i : 2 * i + 2])
        _gather(imag.reshape(2, 2 * n), slots, signs, sums[1, 2 * i : 2 * i + 2])
        if reach > 0.0:
            _fade(seg, columns, reach, real, imag)
            _gather(real.reshape(2, 2 * n), slots, signs, sums[2, 2 * i : 2 * i + 2])
            _gather(imag.reshape(2, 2 * n), slots, signs, sums[3, 2 * i : 2 * i + 2])


@njit(fastmath=True, error_model="numpy")
def _fade(seg, columns, reach, real, imag):
    """Weaken entries of a segment with others by how far their middles are apart."""
    half = 0.5 * seg[LENGTH]
    x, y, z = seg[SX] + half * seg[TX], seg[SY] + half * seg[TY], seg[SZ] + half * seg[TZ]
    for j in range(columns.shape[1]):
        half = 0.5 * columns[LENGTH, j]
        dx = x - columns[SX, j] - half * columns[TX, j]
        dy = y - columns[SY, j] - half * columns[TY, j]
        dz = z - columns[SZ, j] - half * columns[TZ, j]
        share = faded_share(math.sqrt(dx * dx + dy * dy + dz * dz), reach)
        for e in range(4):
            real[e, j] *= share
            imag[e, j] *= share


@njit(nogil=True, cache=True, error_model="numpy")
def fill_tile(
    rows, row_slots, row_signs, columns, slots, signs, same, k, flow_scale, charge_scale, plane, reach, tiles,
):  # fmt: skip
    """One tile (functions, functions'): the pairs and, over a perfect plane z = 0, every column segment's image.

    rows, columns (8, segments): what stands under the two groups. slots, signs (2, functions): the half functions
    2 segment + end of each and their signs. same: both groups are one and the tile may be mirrored. tiles (1 or 2,
    ...): the tile, and with two of them that of potentials that fade within a reach, m.
    """
    n, count = columns.shape[1], slots.shape[1]
    columns, own = columns.copy(), slots.copy()
    # Half function 2j + end stands in a row of entries at end x n + j.
    for a in range(2):
        for f in range(count):
            own[a, f] = slots[a, f] % 2 * n + slots[a, f] // 2
    reach = reach if len(tiles) > 1 else 0.0
    sums = np.zeros((2 * len(tiles), 2 * rows.shape[1], count))
    # One call for both: a constant among the arguments would be compiled as a case of its own.
    for image in range(2 if plane else 1):
        sign = 1.0 - 2.0 * image
        if image:
            # The image current is minus the mirrored current, so image terms are those of the mirrored wire, negated.
            for j in range(n):
                columns[SZ, j] = -columns[SZ, j]
                columns[TZ, j] = -columns[TZ, j]
        alike = same and image == 0
        _add_pairs(rows, columns, own, signs, k, sign * flow_scale, sign * charge_scale, alike, reach, sums)
    for m in range(row_slots.shape[1]):
        one, two = row_slots[0, m], row_slots[1, m]
        plus, minus = row_signs[0, m], row_signs[1, m]
        for n in range(len(tiles)):
            real, imag, tile = sums[2 * n], sums[2 * n + 1], tiles[n]
            for f in range(count):
                tile[m, f] = complex(
                    -plus * imag[one, f] - minus * imag[two, f], plus * real[one, f] + minus * real[two, f]
                )
