"""Potentials of triangles at places on wires and at feet: what couples them to sheets."""

import math

import numpy as np
from numba import njit

from .rows import AREA, MX, MY, MZ, REACH
from .sheets import P3, P7, W3, W7, corner_point, static_potentials
from .trig import sincos

# In reaches of a triangle: beyond FAR three points do, beyond MIDDLE seven; nearer, 1/R in closed form.
FAR, MIDDLE = 8.0, 3.0
# In radii: beyond, a tube is its axis.
THIN = 16.0


@njit(fastmath=True, error_model="numpy")
def _by_points(t, j, x, y, z, k, rule, weights, out):
    """∫ G dS' and ∫ r' G dS' over triangle j, by a rule, added to out (4,) complex."""
    for q in range(len(weights)):
        u, v, w = corner_point(t, j, rule[q])
        dx, dy, dz = x - u, y - v, z - w
        r = math.sqrt(dx * dx + dy * dy + dz * dz)
        sine, cosine = sincos(k * r)
        g = complex(cosine, -sine) * (weights[q] * t[AREA, j] / r)
        out[0] += g
        out[1] += u * g
        out[2] += v * g
        out[3] += w * g


@njit(fastmath=True, error_model="numpy")
def _near(t, j, x, y, z, k, static, out):
    """The same with 1/R in closed form and the bounded rest by points."""
    static_potentials(x, y, z, t, j, static)
    for i in range(4):
        out[i] += static[i]
    for q in range(len(W7)):
        u, v, w = corner_point(t, j, P7[q])
        dx, dy, dz = x - u, y - v, z - w
        r = math.sqrt(dx * dx + dy * dy + dz * dz)
        kr = k * r
        if kr > 1e-3:
            sine, cosine = sincos(kr)
            g = complex((cosine - 1.0) / r, -sine / r)
        else:
            g = complex(-0.5 * k * kr, -k * (1.0 - kr * kr / 6.0))
        g *= W7[q] * t[AREA, j]
        out[0] += g
        out[1] += u * g
        out[2] += v * g
        out[3] += w * g


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def potentials(t, points, frames, radii, owner, weights, k, first, last, out):
    """Weighted potentials of triangles first to last, into out (owners, 2, 5, triangles) complex.

    t (17, m): triangles as the sheet matrix has them. points (p, 3), each on the axis of a tube of radii (p,) with two
    unit vectors across it, frames (p, 6). owner (p,): which row a point adds to. weights (p, 2, 4): for two sets, a
    vector and a charge. Per set and triangle: Σ v·∫ r'G, Σ v ∫ G (three), Σ q ∫ G, G averaged round the tube.
    """
    static, one, four = np.empty(4), np.empty(4, np.complex128), np.empty(4, np.complex128)
    for p in range(points.shape[0]):
        a, o = radii[p], owner[p]
        for j in range(first, last):
            dx, dy, dz = points[p, 0] - t[MX, j], points[p, 1] - t[MY, j], points[p, 2] - t[MZ, j]
            distance, reach = math.sqrt(dx * dx + dy * dy + dz * dz), t[REACH, j]
            four[:] = 0.0
            turns = 1 if a == 0.0 or distance - reach > THIN * a else 6
            for turn in range(turns):
                x, y, z = points[p, 0], points[p, 1], points[p, 2]
                if turns > 1:
                    c = a * math.cos(math.pi * (turn + 0.5) / 3.0)
                    s = a * math.sin(math.pi * (turn + 0.5) / 3.0)
                    x += c * frames[p, 0] + s * frames[p, 3]
                    y += c * frames[p, 1] + s * frames[p, 4]
                    z += c * frames[p, 2] + s * frames[p, 5]
                one[:] = 0.0
                if distance > FAR * reach + a:
                    _by_points(t, j, x, y, z, k, P3, W3, one)
                elif distance > MIDDLE * reach + a:
                    _by_points(t, j, x, y, z, k, P7, W7, one)
                else:
                    _near(t, j, x, y, z, k, static, one)
                for i in range(4):
                    four[i] += one[i] / turns
            for w in range(2):
                vx, vy, vz = weights[p, w, 0], weights[p, w, 1], weights[p, w, 2]
                out[o, w, 0, j] += vx * four[1] + vy * four[2] + vz * four[3]
                out[o, w, 1, j] += vx * four[0]
                out[o, w, 2, j] += vy * four[0]
                out[o, w, 3, j] += vz * four[0]
                out[o, w, 4, j] += weights[p, w, 3] * four[0]
