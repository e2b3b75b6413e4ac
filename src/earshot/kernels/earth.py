"""What earth sends back between straight pieces of wire: tabled kernels at Gauss points of each pair.

Wires are farther from their image than they are thick, so their tubes are seen as their axes.
"""

import math

import numpy as np
from numba import njit

from .trig import sincos


@njit(inline="always", fastmath=True, error_model="numpy")
def tabled(rho, zeta, k, grid, cells, kinds, values, out):
    """The first kernels at a distance and a sum of heights, m, from the table into out (kinds,), times k0.

    values (2 kinds,): room to work in.
    """
    r = k * math.sqrt(rho * rho + zeta * zeta)
    x = (math.log(r) + r / grid[4] / (1.0 + r / grid[5]) - grid[0]) * grid[1]
    y = (math.sqrt(k * zeta / r) - grid[2]) * grid[3]
    x, y = max(x, 0.0), max(y, 0.0)
    i, j = min(int(x), cells.shape[0] - 1), min(int(y), cells.shape[1] - 1)
    f, g = min(x - i, 1.0), min(y - j, 1.0)
    c = cells[i, j]
    for n in range(2 * kinds):
        values[n] = 0.0
    for a in range(12, -1, -4):
        for n in range(2 * kinds):
            values[n] = values[n] * f + (((c[a + 3, n] * g + c[a + 2, n]) * g + c[a + 1, n]) * g + c[a, n])
    sine_r, cosine_r = sincos(r)
    wave = complex(cosine_r, -sine_r) / r
    steep = wave * (1.0 + r) / r
    sine = k * rho / r
    for n in range(kinds):
        value = complex(values[2 * n], values[2 * n + 1])
        out[n] = value * (wave if n < 4 else steep * sine if n < 6 else steep)


@njit(fastmath=True, error_model="numpy")
def _pair(one, two, nodes, weights, k, grid, cells, flow, charge, values, seen, entry):
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
            tabled(rho, zeta, k, grid, cells, 4, values, seen)
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


@njit(inline="always", error_model="numpy")
def _closeness(one, two):
    """The longer of two segments over the least distance of one from the image of the other, about."""
    dx = one[0] + 0.5 * one[6] * one[3] - two[0] - 0.5 * two[6] * two[3]
    dy = one[1] + 0.5 * one[6] * one[4] - two[1] - 0.5 * two[6] * two[4]
    za, zb = one[2] + 0.5 * one[6] * one[5], two[2] + 0.5 * two[6] * two[5]
    middle = math.sqrt(dx * dx + dy * dy + (za + zb) ** 2)
    low = min(one[2], one[2] + one[6] * one[5]) + min(two[2], two[2] + two[6] * two[5])
    return max(one[6], two[6]) / max(low, middle - 0.5 * (one[6] + two[6]))


@njit(nogil=True, cache=True, error_model="numpy")
def earth_rows(segments, first, last, whole, rules, sizes, k, grid, cells, flow, charge, out):
    """Entries of the halves of segments first to last with those of all, into out (2 rows, 2 segments).

    whole: all of them, else only j ≥ i, with the pair of a segment and itself halved: half of a symmetric matrix. Half
    function 2i + end stands at that place. rules (kinds, 2, most): nodes and weights on 0 to 1; sizes (kinds,): how
    many; the first serves pairs farther apart than twelve of their lengths, each further one about half as far.
    """
    n = segments.shape[1]
    values, seen, entry = np.empty(8), np.empty(4, np.complex128), np.empty((2, 2), np.complex128)
    all_ = np.ascontiguousarray(segments.T)
    for i in range(first, last):
        for j in range(0 if whole else i, n):
            near = _closeness(all_[i], all_[j])
            rule = 0
            while rule < len(sizes) - 1 and near > 0.08 * (1.0 if rule == 0 else 1.5 * 2.0**rule):
                rule += 1
            nodes, weights = rules[rule, 0, : sizes[rule]], rules[rule, 1, : sizes[rule]]
            _pair(all_[i], all_[j], nodes, weights, k, grid, cells, flow, charge, values, seen, entry)
            share = 0.5 if i == j and not whole else 1.0
            for a in range(2):
                for b in range(2):
                    out[2 * (i - first) + a, 2 * j + b] = 1j * share * entry[a, b]


@njit(nogil=True, cache=True, error_model="numpy")
def earth_fields(segments, ends, places, nodes, weights, pieces, k, grid, cells, e_scale, h_scale, out):
    """Add E and H (n, 6) at places (n, 3) of what earth sends back of linear currents, ends (segments, 2).

    e_scale: -jη/4π; h_scale: 1/4π.
    """
    values, seen = np.empty(20), np.empty(10, np.complex128)
    for n in range(places.shape[0]):
        for i in range(segments.shape[1]):
            tx, ty, tz, length = segments[3, i], segments[4, i], segments[5, i], segments[6, i]
            slope = (ends[i, 1] - ends[i, 0]) / length
            for m in range(pieces):
                for q in range(len(nodes)):
                    s = (m + nodes[q]) / pieces
                    dx = places[n, 0] - segments[0, i] - s * length * tx
                    dy = places[n, 1] - segments[1, i] - s * length * ty
                    zeta = places[n, 2] + segments[2, i] + s * length * tz
                    rho = math.sqrt(dx * dx + dy * dy) + 1e-12 * length
                    tabled(rho, zeta, k, grid, cells, 10, values, seen)
                    weight = weights[q] * length / pieces
                    current = weight * (ends[i, 0] + s * (ends[i, 1] - ends[i, 0])) * k * k
                    charge = weight * slope * k
                    ux, uy = dx / rho, dy / rho
                    th = tx * ux + ty * uy
                    # ∇ (t·∇ U): along t by U'/ρ, and along ρ by what is left.
                    bend, up_bend = th * (seen[3] - seen[2]), th * (seen[9] - seen[8])
                    level = seen[0] + seen[2]
                    out[n, 0] += e_scale * (current * (tx * level + ux * bend) - charge * ux * seen[5])
                    out[n, 1] += e_scale * (current * (ty * level + uy * bend) - charge * uy * seen[5])
                    out[n, 2] += e_scale * (current * tz * seen[1] - charge * seen[7])
                    # curl of (t_h GA + z t_z Gv + ∇_h ψ), ψ = t·∇U: the last is z × ∇_h of its growth with height.
                    px, py = tx * seen[8] + ux * up_bend, ty * seen[8] + uy * up_bend
                    out[n, 3] += h_scale * current * (tz * uy * seen[5] - ty * seen[6] - py)
                    out[n, 4] += h_scale * current * (tx * seen[6] - tz * ux * seen[5] + px)
                    out[n, 5] += h_scale * current * seen[4] * (ux * ty - uy * tx)
