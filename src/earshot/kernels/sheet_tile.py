"""A part of the matrix of sheets: some functions with some others, each pair of triangles as in the whole of it."""

import math

import numpy as np
from numba import njit

from .fading import faded_share
from .rows import AREA, MX, MY, MZ
from .sheets import NEAR, apart, fading, far_row, mixed, near_numbers, sums_of

_ROWS = 16


@njit(fastmath=True, error_model="numpy")
def _near(t, corners, i, s, others, second, mirrored, k, one, static, pair, out):
    """Put the pairs of triangle i of t that are close to some of s, `second`, into their columns of out (16, m).

    The lower number of the two is the one integrated by points, as in the whole matrix, half of which is mirrored.
    """
    for n in range(len(second)):
        j = second[n]
        near = fading(apart(t, i, s, j), NEAR)
        if near == 0.0:
            continue
        if j >= i:
            near_numbers(t, corners, i, s, others, j, k, one, static, pair)
        else:
            near_numbers(t, corners, j, s, others, i, k, one, static, pair)
            # r and r' have changed places; with an image, both are mirrored as well.
            for axis in range(3):
                sign = -1.0 if mirrored and axis == 2 else 1.0
                for part in (1, 9):
                    here, there = pair[part + axis, 0], pair[part + 3 + axis, 0]
                    pair[part + axis, 0], pair[part + 3 + axis, 0] = sign * there, sign * here
        mixed(near, pair[:, 0], out, n)


@njit(fastmath=True, error_model="numpy")
def _add(turned, sums, sides, images, flow, share, halves, places, tile):
    """Add what the numbers turned (m, 16) of a triangle give to the rows of the functions with halves on it.

    sides (2, columns), images (8, columns): where in turned, and c and p, of the columns' halves. sums (8, columns).
    """
    count = sides.shape[1]
    sums_of(turned, sides, images, 0, flow, share, sums)
    for h in halves:
        f, side = h // 2, 4 * (h % 2)
        c, x, y, z = places[side, f], places[side + 1, f], places[side + 2, f], places[side + 3, f]
        for g in range(count):
            real = c * (sums[0, g] - x * sums[1, g] - y * sums[2, g] - z * sums[3, g])
            imag = c * (sums[4, g] - x * sums[5, g] - y * sums[6, g] - z * sums[7, g])
            # j times the two.
            tile[f, g] += complex(-imag, real)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def sheet_tile(
    tested, sources, mirrored, first, start, halves, places, second, sides, images, k, flow, charge, reach, tiles,
):  # fmt: skip
    """Add entries to tiles (1 or 2, rows, columns): the tile, and that of potentials that fade within a reach, m.

    tested, sources: as in `fill_sheets`, but for places; mirrored: the second are the image of the first. first,
    second: triangles under the rows and the columns. start, halves: which halves of rows, 2 function + side, are on
    each of first; sides (2, columns): which of second each column's halves are on; places, images (8, ...): c and p.
    """
    t, points, corners = tested
    s, seen, others = sources
    m = len(second)
    areas, packed = s[AREA][second], seen[:, second]
    out, one, static, pair = np.zeros((_ROWS, m)), np.empty(_ROWS), np.empty(4), np.zeros((_ROWS, 1))
    turned, sums = np.empty((m, _ROWS)), np.empty((8, sides.shape[1]))
    # Of every charge, ∇·f = 2c; and the flow is taken out as a factor.
    share = 4.0 * charge / flow
    for n in range(len(first)):
        i = first[n]
        far_row(t[AREA, i], points[:, i], areas, packed, 0, k, out)
        _near(t, corners, i, s, others, second, mirrored, k, one, static, pair, out)
        for j in range(m):
            for r in range(_ROWS):
                turned[j, r] = out[r, j]
        own = halves[start[n] : start[n + 1]]
        _add(turned, sums, sides, images, flow, share, own, places, tiles[0])
        if len(tiles) > 1:
            for j in range(m):
                o = second[j]
                dx, dy, dz = t[MX, i] - s[MX, o], t[MY, i] - s[MY, o], t[MZ, i] - s[MZ, o]
                kept = faded_share(math.sqrt(dx * dx + dy * dy + dz * dz), reach)
                for r in range(_ROWS):
                    turned[j, r] *= kept
            _add(turned, sums, sides, images, flow, share, own, places, tiles[1])
