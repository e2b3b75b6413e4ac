"""What fields across triangles of an opening do at groups of points on a face: sums of tabled kernels."""

import math

from numba import njit

_WELL_OFF, _CLEAR = 5.0, 2.0


@njit(inline="always", fastmath=True, error_model="numpy")
def _value(c, f):
    return ((c[3] * f + c[2]) * f + c[1]) * f + c[0]


@njit(inline="always", fastmath=True, error_model="numpy")
def _add_pair(x, y, w, u, v, weight, steps, table, out):
    """Add the nine numbers of a point (x, y) of weight w, seen from (u, v) of another weight."""
    dx, dy = x - u, y - v
    rho = math.sqrt(dx * dx + dy * dy)
    place = (
        min(rho, steps[0]) * steps[2]
        + min(max(rho - steps[0], 0.0), steps[1] - steps[0]) * steps[3]
        + max(rho - steps[1], 0.0) * steps[4]
    )
    at = min(int(place), table.shape[0] - 1)
    f, cubic = place - at, table[at]
    both = w * weight
    straight, pull = both * _value(cubic[0], f), both * _value(cubic[1], f) / (rho + 1e-30)
    out[0] += straight
    out[1] += x * straight
    out[2] += y * straight
    out[3] += u * straight
    out[4] += v * straight
    out[5] += (y * u - x * v) * straight
    out[6] += pull * dx
    out[7] += pull * dy
    out[8] += pull * (dy * u - dx * v)


@njit(inline="always")
def _set_for(away, size):
    """Which set of points does for a triangle of a size, seen from so far."""
    return 0 if away > _WELL_OFF * size else 1 if away > _CLEAR * size else 2


@njit(nogil=True, cache=True, error_model="numpy")
def through_openings(points, spans, mine, others, their_spans, yours, height, steps, table, first, last, out):
    """Add for groups of points from first to last and triangles of openings: (9, groups, triangles).

    ∬ of a times 1, x, y, x', y' and y x' - x y', and of b times ρ̂x, ρ̂y and ρ̂y x' - ρ̂x y', with primes on the
    opening. points (3, p): places and weights; spans (3, groups, 2): where those of each group are in three sets, from
    coarse to fine; mine (3, groups): middles and reaches; the same of openings. table (intervals, 2, 4): cubics.
    """
    for g in range(first, last):
        for t in range(their_spans.shape[1]):
            apart = math.hypot(mine[0, g] - yours[0, t], mine[1, g] - yours[1, t]) - mine[2, g] - yours[2, t]
            away = math.hypot(height, max(apart, 0.0))
            # Each side is as fine as the way between asks of it.
            one, two = _set_for(away, mine[2, g]), _set_for(away, yours[2, t])
            own = out[:, g, t]
            for p in range(spans[one, g, 0], spans[one, g, 1]):
                for q in range(their_spans[two, t, 0], their_spans[two, t, 1]):
                    _add_pair(
                        points[0, p], points[1, p], points[2, p], others[0, q], others[1, q], others[2, q], steps,
                        table, own,
                    )  # fmt: skip
