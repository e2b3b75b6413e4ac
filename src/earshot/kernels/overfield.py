"""What the smooth part of the field over a stack is, from current moments on its metal: sums of tabled kernels."""

import math

import numpy as np
from numba import njit

from .sheetfield import points_for, room_for_points


@njit(inline="always", fastmath=True, error_model="numpy")
def _value(c, f):
    return ((c[3] * f + c[2]) * f + c[1]) * f + c[0]


@njit(inline="always", fastmath=True, error_model="numpy")
def _slope(c, f, width):
    return ((3.0 * c[3] * f + 2.0 * c[2]) * f + c[1]) / width


@njit(inline="always", fastmath=True, error_model="numpy")
def _logarithm(away, low, length):
    """ln (z + length + R')/(z + R) at a height z = low, its slope, of ln (z + R) ρ/R(z + R), and 1/R - 1/R'."""
    high = low + length
    near, far = math.sqrt(away * away + low * low), math.sqrt(away * away + high * high)
    slope = away / (far * (far + high)) - away / (near * (near + low))
    return math.log((far + high) / (near + low)), slope, 1.0 / near - 1.0 / far


@njit(inline="always", fastmath=True, error_model="numpy")
def _add_source(dx, dy, k, jx, jy, spread, probe, steps, widths, table, logs, low, length, out):
    """Add E and η0 H (6,) of a current, its divergence and a probe, seen from (dx, dy) off."""
    r = math.sqrt(dx * dx + dy * dy) + 1e-15
    x = (
        min(r, steps[0]) * steps[2]
        + min(max(r - steps[0], 0.0), steps[1] - steps[0]) * steps[3]
        + max(r - steps[1], 0.0) * steps[4]
        - steps[5]
    )
    at = max(min(int(x), table.shape[0] - 1), 0)
    f, width, t = x - at, widths[at], table[at]
    ux, uy = dx / r, dy / r
    away = k * r
    log, slant, rise = _logarithm(away, low, length)
    a, grown = _value(t[0], f), _value(t[1], f)
    pull = _slope(t[2], f, width) * spread + (_slope(t[5], f, width) + slant * logs[2]) * probe
    turn = slant * (logs[1] * spread + logs[4] * probe)
    turn += _slope(t[4], f, width) * spread + _slope(t[7], f, width) * probe
    if probe != 0.0:
        stem, bent, _ = _logarithm(away, 0.0, length)
        pull += bent * logs[5] * probe
        turn += bent * logs[7] * probe
        out[2] -= (stem * logs[6] + rise * logs[8]) * probe
    hx, hy = ux * turn - grown * jx, uy * turn - grown * jy
    out[0] += ux * pull - a * jx
    out[1] += uy * pull - a * jy
    out[2] -= (_value(t[3], f) + logs[0] * log) * spread + (_value(t[6], f) + logs[3] * log) * probe
    out[3] += 1j * hy
    out[4] -= 1j * hx
    out[5] -= 1j * _slope(t[0], f, width) * (ux * jy - uy * jx)


@njit(nogil=True, cache=True, error_model="numpy")
def over_fields(
    corners, number, vector, points, moments, steps, widths, cubics, logs, heights, length, which, places, level, k,
    out,
):  # fmt: skip
    """Add E and η0 H (n, 6), over η0 k²/2π, at places (n, 3), of which `which` (n,) says the height in the table.

    corners (m, 9), number, vector: triangles of J = number r - vector, at a level. points (q, 2), moments (q, 4): of
    currents without divergence, of probes over k, and divergences over k. steps to length: see
    `media.near_table.NearTable`.
    """
    stack, depth, found = room_for_points()
    p = np.empty(3)
    for n in range(places.shape[0]):
        table, low, own = cubics[which[n]], heights[which[n]], logs[which[n]]
        # As far over the metal as over the topmost face.
        p[0], p[1], p[2] = places[n, 0], places[n, 1], level + low / k
        for i in range(corners.shape[0]):
            spread = 2.0 * number[i] / k
            for q in range(points_for(corners[i], p, stack, depth, found)):
                x, y, share = found[0, q], found[1, q], found[3, q]
                _add_source(
                    p[0] - x, p[1] - y, k, share * (number[i] * x - vector[i, 0]),
                    share * (number[i] * y - vector[i, 1]), share * spread, 0j, steps, widths, table, own, low,
                    length, out[n],
                )  # fmt: skip
        for q in range(points.shape[0]):
            _add_source(
                p[0] - points[q, 0], p[1] - points[q, 1], k, moments[q, 0], moments[q, 1], moments[q, 3],
                moments[q, 2], steps, widths, table, own, low, length, out[n],
            )  # fmt: skip
