"""Potentials that fade with distance: what is nearly a matrix is made of them, to precondition with."""

import math

from numba import njit

_FULL = 0.5


@njit(inline="always", fastmath=True, error_model="numpy")
def faded_share(distance, reach):
    """What is left of a potential: all up to half the reach, nothing beyond it."""
    left = min(max((distance / reach - _FULL) / (1.0 - _FULL), 0.0), 1.0)
    return 1.0 - left * left * left * (10.0 - left * (15.0 - 6.0 * left))


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def faded_shares(one, two, reach, out):
    """The same for middles (n, 3) and (m, 3) of pieces, into out (n, m)."""
    for i in range(len(one)):
        for j in range(len(two)):
            dx, dy, dz = one[i, 0] - two[j, 0], one[i, 1] - two[j, 1], one[i, 2] - two[j, 2]
            out[i, j] = faded_share(math.sqrt(dx * dx + dy * dy + dz * dz), reach)
