"""What earth sends back between straight pieces of wire: tabled kernels at Gauss points of each pair.

Wires are farther from their image than they are thick, so their tubes are seen as their axes.
"""

import math

import numpy as np
from numba import njit

from .rows import LENGTH, SX, SY, SZ, TX, TY, TZ
from .trig import sincos

_BLOCK = 128
_LOWEST = 7


@njit(inline="always", fastmath=True, error_model="numpy")
def _splines(f):
    """The four uniform cubic B-splines at a place within a cell."""
    rest = 1.0 - f
    first, last = rest * rest * rest / 6.0, f * f * f / 6.0
    second = 2.0 / 3.0 - f * f * (1.0 - 0.5 * f)
    return first, second, 1.0 - first - second - last, last


@njit(inline="always", fastmath=True, error_model="numpy")
def _place(r, cosine, grid):
    """Where a distance and the cosine of the angle from upright are among the nodes of a table, not below zero."""
    x = (math.log(r) + r / grid[4] / (1.0 + r / grid[5]) - grid[0]) * grid[1]
    y = (math.sqrt(cosine) - grid[2]) * grid[3]
    return max(x, 0.0), max(y, 0.0)


@njit(inline="always", fastmath=True, error_model="numpy")
def _look_up(x, y, weights, count, values):
    """The first numbers of a table at a place, into values (count,)."""
    i, j = min(int(x), weights.shape[0] - 4), min(int(y), weights.shape[1] - 4)
    g0, g1, g2, g3 = _splines(min(y - j, 1.0))
    for n in range(count):
        values[n] = 0.0
    for a, share in enumerate(_splines(min(x - i, 1.0))):
        for n in range(count):
            values[n] += share * (
                g0 * weights[i + a, j, n]
                + g1 * weights[i + a, j + 1, n]
                + g2 * weights[i + a, j + 2, n]
                + g3 * weights[i + a, j + 3, n]
            )


@njit(inline="always", fastmath=True, error_model="numpy")
def tabled(rho, zeta, k, grid, weights, kinds, values, out):
    """The first kernels at a distance and a sum of heights, m, from the table into out (kinds,), times k0.

    values (2 kinds,): room to work in.
    """
    r = k * math.sqrt(rho * rho + zeta * zeta)
    x, y = _place(r, k * zeta / r, grid)
    _look_up(x, y, weights, 2 * kinds, values)
    sine_r, cosine_r = sincos(r)
    wave = complex(cosine_r, -sine_r) / r
    steep = wave * (1.0 + r) / r
    sine = k * rho / r
    for n in range(kinds):
        value = complex(values[2 * n], values[2 * n + 1])
        out[n] = value * (wave if n < 4 else steep * sine if n < 6 else steep)


@njit(fastmath=True, error_model="numpy")
def _pair(one, two, nodes, weights, k, grid, table, flow, charge, values, seen, entry):
    """Entries of the half functions of two segments, into entry (2, 2), but for j."""
    entry[:] = 0.0
    level = one[3] * two[3] + one[4] * two[4]
    upright = one[5] * two[5]
    lengths = one[6] * two[6]
    for p in range(len(nodes)):
        s = nodes[p]
        x, y, z = one[0] + s * one[6] * one[3], one[1] + s * one[6] * one[4], one[2] + s * one[6] * one[5]
        for q in range(len(nodes)):
            t = nodes[q]
            dx, dy = x - two[0] - t * two[6] * two[3], y - two[1] - t * two[6] * two[4]
            zeta = z + two[2] + t * two[6] * two[5]
            rho = math.sqrt(dx * dx + dy * dy)
            tabled(rho, zeta, k, grid, table, 4, values, seen)
            inverse = 1.0 / (rho + 1e-30)
            u = (one[3] * dx + one[4] * dy) * inverse
            v = (two[3] * dx + two[4] * dy) * inverse
            current = level * (seen[0] + seen[2]) + upright * seen[1] + u * v * (seen[3] - seen[2])
            weight = weights[p] * weights[q] * k
            current *= flow * lengths * weight
            spread = charge * weight * seen[1]
            entry[0, 0] += (1.0 - s) * (1.0 - t) * current + spread
            entry[0, 1] += (1.0 - s) * t * current - spread
            entry[1, 0] += s * (1.0 - t) * current - spread
            entry[1, 1] += s * t * current + spread


@njit(fastmath=True, error_model="numpy")
def _one_point(pieces, i, first, count, k, grid, table, flow, charge, room, values, close, found):
    """Entries of segment i with `count` from `first` on, from their middles: found (4, block), see `earth_rows`.

    close (block,): the longer of two segments over the least distance of one from the image of the other, about. Work
    is done in blocks of one fixed shape, so that the compiler makes vector code of it.
    """
    x, y, z = pieces[0, i], pieces[1, i], pieces[2, i]
    tx, ty, tz, length, low = pieces[TX, i], pieces[TY, i], pieces[TZ, i], pieces[LENGTH, i], pieces[_LOWEST, i]
    for j in range(count):
        n = first + j
        dx, dy, zeta = x - pieces[0, n], y - pieces[1, n], z + pieces[2, n]
        rho = math.sqrt(dx * dx + dy * dy)
        off = math.sqrt(rho * rho + zeta * zeta)
        other = pieces[LENGTH, n]
        close[j] = max(length, other) / max(low + pieces[_LOWEST, n], off - 0.5 * (length + other))
        r, inverse = k * off, 1.0 / (rho + 1e-30)
        sine, cosine = sincos(r)
        room[0, j], room[1, j] = _place(r, zeta / off, grid)
        room[2, j], room[3, j] = cosine / r, -sine / r
        room[4, j] = (tx * dx + ty * dy) * inverse * (pieces[TX, n] * dx + pieces[TY, n] * dy) * inverse
        room[5, j] = tx * pieces[TX, n] + ty * pieces[TY, n]
    for j in range(count):
        _look_up(room[0, j], room[1, j], table, 8, values)
        for n in range(8):
            room[6 + n, j] = values[n]
    for j in range(count):
        n = first + j
        level, along, upright = room[5, j], room[4, j], tz * pieces[TZ, n]
        amount = 0.25 * flow * length * pieces[LENGTH, n] * k
        for part in range(2):
            vector = level * (room[6 + part, j] + room[10 + part, j]) + upright * room[8 + part, j]
            room[14 + part, j] = amount * (vector + along * (room[12 + part, j] - room[10 + part, j]))
            room[16 + part, j] = charge * k * room[8 + part, j]
        wr, wi = room[2, j], room[3, j]
        found[0, j] = room[14, j] * wr - room[15, j] * wi
        found[1, j] = room[14, j] * wi + room[15, j] * wr
        found[2, j] = room[16, j] * wr - room[17, j] * wi
        found[3, j] = room[16, j] * wi + room[17, j] * wr


@njit(error_model="numpy")
def _pieces(segments):
    """Middles, directions, lengths, and the height of the lower end."""
    n = segments.shape[1]
    pieces = np.empty((8, n))
    for i in range(n):
        for axis in range(3):
            pieces[axis, i] = segments[axis, i] + 0.5 * segments[LENGTH, i] * segments[3 + axis, i]
            pieces[3 + axis, i] = segments[3 + axis, i]
        pieces[LENGTH, i] = segments[LENGTH, i]
        pieces[_LOWEST, i] = min(segments[SZ, i], segments[SZ, i] + segments[LENGTH, i] * segments[TZ, i])
    return pieces


@njit(error_model="numpy")
def _entry(one, two, near, middle, rules, sizes, k, grid, table, flow, charge, values, seen, entry):
    """Entries (2, 2) of half functions of two segments, but for j, by what their middles give (4,) if that will do."""
    flux, spread = complex(middle[0], middle[1]), complex(middle[2], middle[3])
    entry[0, 0] = entry[1, 1] = flux + spread
    entry[0, 1] = entry[1, 0] = flux - spread
    if near > 0.08:
        rule = 1
        while rule < len(sizes) - 1 and near > 0.12 * 2.0**rule:
            rule += 1
        nodes, weights = rules[rule, 0, : sizes[rule]], rules[rule, 1, : sizes[rule]]
        _pair(one, two, nodes, weights, k, grid, table, flow, charge, values, seen, entry)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def earth_halves(rows, columns, rules, sizes, k, grid, table, flow, charge, out):
    """What half functions of segments, rows (8, n) and columns (8, m), do to one another by way of earth, ohm.

    out (2 n, 2 m), by 2 segment + end. Otherwise as `earth_rows`.
    """
    n, m = rows.shape[1], columns.shape[1]
    values, seen, entry = np.empty(8), np.empty(4, np.complex128), np.empty((2, 2), np.complex128)
    room, close, found = np.empty((18, _BLOCK)), np.empty(_BLOCK), np.empty((4, _BLOCK))
    both = np.concatenate((rows, columns), axis=1)
    all_, pieces = both.T.copy(), _pieces(both)
    for i in range(n):
        for block in range(0, m, _BLOCK):
            count = min(_BLOCK, m - block)
            _one_point(pieces, i, n + block, count, k, grid, table, flow, charge, room, values, close, found)
            for at in range(count):
                j = block + at
                _entry(all_[i], all_[n + j], close[at], found[:, at], rules, sizes, k, grid, table, flow, charge,
                       values, seen, entry)  # fmt: skip
                for a in range(2):
                    for b in range(2):
                        out[2 * i + a, 2 * j + b] = complex(-entry[a, b].imag, entry[a, b].real)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def earth_rows(segments, first, last, whole, rules, sizes, k, grid, table, flow, charge, start, members, amounts, out):
    """Add what segments first to last and all others give, to out (functions, functions).

    whole: all of them, else only j ≥ i, with the pair of a segment and itself halved: half of a symmetric matrix. rules
    (kinds, 2, most): nodes and weights on 0 to 1; sizes (kinds,): how many; the first, of one, serves pairs farther
    apart than twelve of their lengths, each further one about half as far. start (2 segments + 1,), members, amounts:
    the functions that have a half at an end of a segment, 2i + end, and how much of it.
    """
    n = segments.shape[1]
    values, seen, entry = np.empty(8), np.empty(4, np.complex128), np.empty((2, 2), np.complex128)
    room, close, found = np.empty((18, _BLOCK)), np.empty(_BLOCK), np.empty((4, _BLOCK))
    sums = np.empty((2, out.shape[1]), np.complex128)
    all_, pieces = segments.T.copy(), _pieces(segments)
    for i in range(first, last):
        sums[:] = 0.0
        begin = 0 if whole else i
        for block in range(begin, n, _BLOCK):
            count = min(_BLOCK, n - block)
            _one_point(pieces, i, block, count, k, grid, table, flow, charge, room, values, close, found)
            for j in range(block, block + count):
                near, at = close[j - block], j - block
                _entry(all_[i], all_[j], near, found[:, at], rules, sizes, k, grid, table, flow, charge, values, seen,
                       entry)  # fmt: skip
                share = 0.5 if i == j and not whole else 1.0
                for b in range(2):
                    for m in range(start[2 * j + b], start[2 * j + b + 1]):
                        amount = share * amounts[m]
                        sums[0, members[m]] += amount * entry[0, b]
                        sums[1, members[m]] += amount * entry[1, b]
        for a in range(2):
            for m in range(start[2 * i + a], start[2 * i + a + 1]):
                for g in range(out.shape[1]):
                    value = amounts[m] * sums[a, g]
                    out[members[m], g] += complex(-value.imag, value.real)


@njit(error_model="numpy")
def sent_back(dx, dy, zeta, mx, my, mz, charge, k, grid, table, values, seen, e_scale, h_scale, out):
    """Add E and H (6,) of a current moment over 1/k² and a charge over 1/k, dx and dy off, heights together zeta."""
    rho = math.sqrt(dx * dx + dy * dy) + 1e-12 * zeta
    tabled(rho, zeta, k, grid, table, 10, values, seen)
    ux, uy = dx / rho, dy / rho
    along = mx * ux + my * uy
    # ∇ (m·∇ U): along m by U'/ρ, and along ρ by what is left.
    bend, up_bend = along * (seen[3] - seen[2]), along * (seen[9] - seen[8])
    level = seen[0] + seen[2]
    out[0] += e_scale * (mx * level + ux * bend - charge * ux * seen[5])
    out[1] += e_scale * (my * level + uy * bend - charge * uy * seen[5])
    out[2] += e_scale * (mz * seen[1] - charge * seen[7])
    # curl of (m_h GA + z m_z Gv + ∇_h ψ), ψ = m·∇U: the last is z × ∇_h of its growth with height.
    px, py = mx * seen[8] + ux * up_bend, my * seen[8] + uy * up_bend
    out[3] += h_scale * (mz * uy * seen[5] - my * seen[6] - py)
    out[4] += h_scale * (mx * seen[6] - mz * ux * seen[5] + px)
    out[5] += h_scale * seen[4] * (ux * my - uy * mx)


@njit(error_model="numpy")
def sent_into(dx, dy, zeta, mx, my, mz, charge, k, grid, table, values, seen, e_scale, h_scale, out):
    """The same in layers under them, by kernels of `media.into_layers`; zeta: their height over the layers."""
    rho = math.sqrt(dx * dx + dy * dy) + 1e-12 * zeta
    tabled(rho, zeta, k, grid, table, 9, values, seen)
    ux, uy, far = dx / rho, dy / rho, k * rho
    slope = charge * seen[4] + mz * far * seen[2]
    out[0] += e_scale * (ux * slope - mx * seen[0])
    out[1] += e_scale * (uy * slope - my * seen[0])
    out[2] -= e_scale * (charge * seen[7] + mz * seen[1])
    slope = far * (charge * seen[3] + mz * seen[8])
    x, y = ux * slope - mx * seen[6], uy * slope - my * seen[6]
    out[3] += 1j * h_scale * y
    out[4] -= 1j * h_scale * x
    out[5] -= 1j * h_scale * seen[5] * (ux * my - uy * mx)


@njit(nogil=True, cache=True, error_model="numpy")
def earth_fields(segments, ends, places, nodes, weights, most, k, grid, table, into, e_scale, h_scale, out):
    """Add E and H (n, 6) at places (n, 3) of what earth sends back of linear currents, ends (segments, 2).

    into: of what they send into layers, at places under z = 0 that are given as on it. e_scale: -jη/4π, or η/2π then;
    h_scale: 1/4π, or 1/2π. most: pieces of a segment.
    """
    values, seen = np.empty(20), np.empty(10, np.complex128)
    for n in range(places.shape[0]):
        for i in range(segments.shape[1]):
            tx, ty, tz, length = segments[TX, i], segments[TY, i], segments[TZ, i], segments[LENGTH, i]
            slope = (ends[i, 1] - ends[i, 0]) / length
            # No piece is longer than half the way to where its image begins.
            dx = places[n, 0] - segments[SX, i] - 0.5 * length * tx
            dy = places[n, 1] - segments[SY, i] - 0.5 * length * ty
            zeta = places[n, 2] + segments[SZ, i] + 0.5 * length * tz
            away = math.sqrt(dx * dx + dy * dy + zeta * zeta) - 0.5 * length
            pieces = min(max(int(2.0 * length / max(away, 1e-9 * length)), 1), most)
            for m in range(pieces):
                for q in range(len(nodes)):
                    s = (m + nodes[q]) / pieces
                    dx = places[n, 0] - segments[SX, i] - s * length * tx
                    dy = places[n, 1] - segments[SY, i] - s * length * ty
                    zeta = places[n, 2] + segments[SZ, i] + s * length * tz
                    weight = weights[q] * length / pieces
                    current = weight * (ends[i, 0] + s * (ends[i, 1] - ends[i, 0])) * k * k
                    sent = current * tx, current * ty, current * tz, weight * slope * k
                    if into:
                        sent_into(dx, dy, zeta, *sent, k, grid, table, values, seen, e_scale, h_scale, out[n])
                    else:
                        sent_back(dx, dy, zeta, *sent, k, grid, table, values, seen, e_scale, h_scale, out[n])
