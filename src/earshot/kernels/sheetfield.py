"""Near E and H of linear currents on triangles, J = number r - vector, as of currents on tubes.

A triangle is cut across its longest side, and the halves again, until a piece is farther off than it is large; then
seven points do. Halves of slivers grow rounder, so that not many more are near than of other triangles. From well
beyond its size three do, exact to second order, and from far off its centroid.
"""

import math

import numpy as np
from numba import njit

from .rows import AX, AY, AZ, NX, NY, NZ, REACH
from .sheets import P7, W7

_FAR = 2.0
_FARTHER2, _FARTHEST2 = 7.0**2, 40.0**2
_DEEPEST = 24
_ROOM = 7 * 60 * _DEEPEST


@njit(error_model="numpy")
def _add_moment(mx, my, mz, charge, dx, dy, dz, k, e_vector, e_charge, h_factor, out):
    """Add E (out[:3]) and H (out[3:]) of a current moment and of its divergence, seen from a place (dx, dy, dz) off."""
    r2 = dx * dx + dy * dy + dz * dz
    r = math.sqrt(r2)
    g = complex(math.cos(k * r), -math.sin(k * r)) / r
    steep = g * complex(1.0, k * r) / r2
    source, turn = e_charge * charge * steep, h_factor * steep
    out[0] += e_vector * mx * g + source * dx
    out[1] += e_vector * my * g + source * dy
    out[2] += e_vector * mz * g + source * dz
    out[3] += turn * (my * dz - mz * dy)
    out[4] += turn * (mz * dx - mx * dz)
    out[5] += turn * (mx * dy - my * dx)


@njit(error_model="numpy")
def points_for(corners, p, stack, depth, found):
    """Points on a triangle (9,) for what is seen from p: x, y, z and area, into found (4, n); how many is returned."""
    t = corners
    cx, cy, cz = (t[0] + t[3] + t[6]) / 3.0, (t[1] + t[4] + t[7]) / 3.0, (t[2] + t[5] + t[8]) / 3.0
    far2 = (p[0] - cx) ** 2 + (p[1] - cy) ** 2 + (p[2] - cz) ** 2
    size2 = max(
        (t[0] - cx) ** 2 + (t[1] - cy) ** 2 + (t[2] - cz) ** 2,
        (t[3] - cx) ** 2 + (t[4] - cy) ** 2 + (t[5] - cz) ** 2,
        (t[6] - cx) ** 2 + (t[7] - cy) ** 2 + (t[8] - cz) ** 2,
    )
    if far2 > _FARTHER2 * size2:
        ux, uy, uz = t[3] - t[0], t[4] - t[1], t[5] - t[2]
        vx, vy, vz = t[6] - t[0], t[7] - t[1], t[8] - t[2]
        area = 0.5 * math.sqrt((uy * vz - uz * vy) ** 2 + (uz * vx - ux * vz) ** 2 + (ux * vy - uy * vx) ** 2)
        if far2 > _FARTHEST2 * size2:
            found[0, 0], found[1, 0], found[2, 0], found[3, 0] = cx, cy, cz, area
            return 1
        for q in range(3):
            # Half way from the centroid to each corner: exact to second order (Strang and Fix 1973).
            found[0, q] = 0.5 * (cx + t[3 * q])
            found[1, q] = 0.5 * (cy + t[3 * q + 1])
            found[2, q] = 0.5 * (cz + t[3 * q + 2])
            found[3, q] = area / 3.0
        return 3
    for c in range(9):
        stack[0, c] = corners[c]
    depth[0] = 0
    top, count = 1, 0
    while top > 0:
        top -= 1
        level = depth[top]
        piece = stack[top].copy()
        cx, cy, cz = (
            (piece[0] + piece[3] + piece[6]) / 3.0,
            (piece[1] + piece[4] + piece[7]) / 3.0,
            (piece[2] + piece[5] + piece[8]) / 3.0,
        )
        reach2 = 0.0
        for c in range(3):
            off = (piece[3 * c] - cx) ** 2 + (piece[3 * c + 1] - cy) ** 2 + (piece[3 * c + 2] - cz) ** 2
            reach2 = max(reach2, off)
        gap2 = (p[0] - cx) ** 2 + (p[1] - cy) ** 2 + (p[2] - cz) ** 2
        # The last word keeps to the room there is, whatever the triangle's shape.
        if level < _DEEPEST and gap2 < _FAR * _FAR * reach2 and count + 7 * (top + 2) <= _ROOM:
            longest, side = -1.0, 0
            for c in range(3):
                i, j = 3 * c, 3 * ((c + 1) % 3)
                length2 = (
                    (piece[j] - piece[i]) ** 2 + (piece[j + 1] - piece[i + 1]) ** 2 + (piece[j + 2] - piece[i + 2]) ** 2
                )
                if length2 > longest:
                    longest, side = length2, c
            i, j, o = 3 * side, 3 * ((side + 1) % 3), 3 * ((side + 2) % 3)
            for x in range(3):
                middle = 0.5 * (piece[i + x] + piece[j + x])
                stack[top, x], stack[top, 3 + x], stack[top, 6 + x] = piece[o + x], piece[i + x], middle
                stack[top + 1, x], stack[top + 1, 3 + x], stack[top + 1, 6 + x] = piece[o + x], middle, piece[j + x]
            depth[top] = depth[top + 1] = level + 1
            top += 2
            continue
        ux, uy, uz = piece[3] - piece[0], piece[4] - piece[1], piece[5] - piece[2]
        vx, vy, vz = piece[6] - piece[0], piece[7] - piece[1], piece[8] - piece[2]
        area = 0.5 * math.sqrt((uy * vz - uz * vy) ** 2 + (uz * vx - ux * vz) ** 2 + (ux * vy - uy * vx) ** 2)
        for q in range(len(W7)):
            for x in range(3):
                found[x, count] = P7[q, 0] * piece[x] + P7[q, 1] * piece[3 + x] + P7[q, 2] * piece[6 + x]
            found[3, count] = W7[q] * area
            count += 1
    return count


@njit(error_model="numpy")
def room_for_points():
    """What `points_for` works in: its stack, the depths, and as many points as there can be."""
    # Of the pieces of one size, those nearer than twice that are fewer than sixty.
    return np.empty((_DEEPEST + 2, 9)), np.empty(_DEEPEST + 2, np.int64), np.empty((4, _ROOM))


@njit(nogil=True, cache=True, error_model="numpy")
def sheet_fields(corners, number, vector, points, moments, places, k, e_vector, e_charge, h_factor, out):
    """Add E and H (n, 6) at places (n, 3) of triangles (m, 9) and of current moments (q, 3) at points (q, 3)."""
    stack, depth, found = room_for_points()
    for n in range(places.shape[0]):
        p = places[n]
        for i in range(corners.shape[0]):
            for q in range(points_for(corners[i], p, stack, depth, found)):
                x, y, z, share = found[0, q], found[1, q], found[2, q], found[3, q]
                _add_moment(
                    share * (number[i] * x - vector[i, 0]), share * (number[i] * y - vector[i, 1]),
                    share * (number[i] * z - vector[i, 2]), share * 2.0 * number[i], p[0] - x, p[1] - y, p[2] - z, k,
                    e_vector, e_charge, h_factor, out[n],
                )  # fmt: skip
        for q in range(points.shape[0]):
            _add_moment(
                moments[q, 0], moments[q, 1], moments[q, 2], 0.0,
                places[n, 0] - points[q, 0], places[n, 1] - points[q, 1], places[n, 2] - points[q, 2],
                k, e_vector, e_charge, h_factor, out[n],
            )  # fmt: skip


@njit(nogil=True, cache=True, error_model="numpy")
def on_sheet(columns, places, out):
    """Whether each place (n, 3) lies on one of the triangles (17, m), nearer than a millionth of its size."""
    for n in range(places.shape[0]):
        out[n] = False
        for i in range(columns.shape[1]):
            dx, dy, dz = places[n, 0] - columns[AX, i], places[n, 1] - columns[AY, i], places[n, 2] - columns[AZ, i]
            nx, ny, nz = columns[NX, i], columns[NY, i], columns[NZ, i]
            if abs(dx * nx + dy * ny + dz * nz) > 1e-6 * columns[REACH, i]:
                continue
            inside = True
            for c in range(3):
                a, b = 3 * c, 3 * ((c + 1) % 3)
                sx, sy, sz = (
                    columns[b, i] - columns[a, i],
                    columns[b + 1, i] - columns[a + 1, i],
                    (columns[b + 2, i] - columns[a + 2, i]),
                )
                ax, ay, az = (
                    places[n, 0] - columns[a, i],
                    places[n, 1] - columns[a + 1, i],
                    places[n, 2] - columns[a + 2, i],
                )
                turn = (sy * az - sz * ay) * nx + (sz * ax - sx * az) * ny + (sx * ay - sy * ax) * nz
                inside = inside and turn >= -1e-6 * columns[REACH, i] ** 2
            out[n] = out[n] or inside
