"""What metal on a stack does to points in the air over it: images in closed form near by, and kernels from a table."""

import math

import numpy as np
from numba import njit

from .earth import tabled
from .rows import AREA, MX, MY, MZ, REACH
from .sheets import P3, P7, P28, W3, W7, W28, corner_point, edge_frames, framed_potentials
from .trig import sincos

# In reaches of a triangle: beyond FAR three points do, beyond MIDDLE seven; nearer, 1/R in closed form.
_FAR, _MIDDLE, _TOUCHING = 8.0, 3.0, 1.2


@njit(inline="always", fastmath=True, error_model="numpy")
def _bounded(r, k):
    """(e^{-jkR} - 1)/R."""
    if k * r > 1e-3:
        sine, cosine = sincos(k * r)
        return complex((cosine - 1.0) / r, -sine / r)
    return complex(-0.5 * k * k * r, -k * (1.0 - k * k * r * r / 6.0))


@njit(inline="always", fastmath=True, error_model="numpy")
def _seen(rho, height, least, k, grid, table, kinds, values, seen):
    """Kernels of a table that have no 1/R: nearer than it begins they are as there."""
    r = math.sqrt(rho * rho + height * height)
    if r < least:
        scale = least / max(r, 1e-3 * least)
        rho, height = rho * scale + 1e-3 * least, height * scale
    tabled(rho, height, k, grid, table, kinds, values, seen)


@njit(fastmath=True, error_model="numpy")
def _by_points(t, j, x, y, height, least, k, images, closed, grid, table, rule, weights, values, seen, out):
    """∫ A, ∫ x' A, ∫ y' A, ∫ B, ∫ C over triangle j by a rule, added to out (5,), less 1/R of the closed images."""
    for q in range(len(weights)):
        u, v, _ = corner_point(t, j, rule[q])
        share = weights[q] * t[AREA, j]
        rho = math.sqrt((x - u) * (x - u) + (y - v) * (y - v))
        _seen(rho, height, least, k, grid, table, 3, values, seen)
        a, b = k * seen[0], k * seen[1]
        for n in range(images.shape[0]):
            deep = height + images[n, 0]
            r = math.sqrt(rho * rho + deep * deep)
            wave = _bounded(r, k)
            if n >= closed:
                wave += 1.0 / r
            a += complex(images[n, 1], images[n, 2]) * wave
            b += complex(images[n, 3], images[n, 4]) * wave
        out[0] += share * a
        out[1] += share * u * a
        out[2] += share * v * a
        out[3] += share * b
        out[4] += share * k * k * seen[2]


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def over_triangles(t, places, heights, least, k, images, grid, table, first, last, out):
    """What triangles (17, m) do to points first to last of places (p, 3), as high as heights (p,) over the layers.

    Into out (p, 5, m): ∫ A, ∫ x' A, ∫ y' A, ∫ B, 1/m each, and ∫ C k², see `media.over_layers`. images (n, 5): depth,
    and shares of e^{-jkR}/R in A and B, real and imaginary, that the table leaves out. least: where it begins, m.
    """
    frames, static = np.empty((3, 7)), np.empty(4)
    values, seen = np.empty(6), np.empty(3, np.complex128)
    for j in range(t.shape[1]):
        edge_frames(t, j, frames)
        for p in range(first, last):
            x, y, z = places[p, 0], places[p, 1], places[p, 2]
            own = out[p, :, j]
            own[:] = 0.0
            dx, dy, dz = x - t[MX, j], y - t[MY, j], z - t[MZ, j]
            off = math.sqrt(dx * dx + dy * dy + dz * dz) / t[REACH, j]
            closed = 0
            if off < _MIDDLE:
                # A triangle seen from a depth below it is what its image at that depth shows.
                while closed < images.shape[0] and images[closed, 0] < t[REACH, j]:
                    framed_potentials(x, y, z + images[closed, 0], t, j, frames, static)
                    a = complex(images[closed, 1], images[closed, 2])
                    for part in range(3):
                        own[part] += a * static[part]
                    own[3] += complex(images[closed, 3], images[closed, 4]) * static[0]
                    closed += 1
            rule, weights = P3, W3
            if off < _TOUCHING:
                rule, weights = P28, W28
            elif off < _FAR:
                rule, weights = P7, W7
            _by_points(
                t, j, x, y, heights[p], least, k, images, closed, grid, table, rule, weights, values, seen, own
            )  # fmt: skip


@njit(nogil=True, cache=True, error_model="numpy")
def over_points(places, heights, thick, others, least, k, grid, table, kinds, out):
    """Tabled kernels between points (p, 3) of heights (p,) and thickness (p,), and others (q, 3): out (kinds, p, q).

    least: where the table begins, m; the kernels have no 1/R.
    """
    values, seen = np.empty(2 * kinds), np.empty(kinds, np.complex128)
    for p in range(len(places)):
        for q in range(len(others)):
            dx, dy = places[p, 0] - others[q, 0], places[p, 1] - others[q, 1]
            rho = math.sqrt(dx * dx + dy * dy + thick[p] * thick[p])
            _seen(rho, heights[p], least, k, grid, table, kinds, values, seen)
            for n in range(kinds):
                out[n, p, q] = seen[n]
