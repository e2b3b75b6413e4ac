"""Near E and H of linear currents on straight tubes, at any point outside the metal.

With the charge q = -(dI/ds)/jω of a linear current (constant along a segment),

    E = -jωµ/4π ∫ I t g ds + 1/4πε ∫ q (1 + jkR) g R/R² ds,     H = 1/4π ∫ I (1 + jkR) g t x R/R² ds,

g = exp(-jkR)/R, R from source to point; both averaged over the tube's azimuth. Pieces of a segment are no longer than
the point is far from the surface, and the azimuth has as many points as that distance asks for.
"""

import math

import numpy as np
from numba import njit

from .rows import LENGTH

_X4 = (np.polynomial.legendre.leggauss(4)[0] + 1.0) / 2.0
_W4 = np.polynomial.legendre.leggauss(4)[1] / 2.0
_MOST_PIECES = 512
_MOST_ANGLES = 512


@njit(error_model="numpy")
def surface_distance(segment, x, y, z):
    """Distance of a point from the axis of a segment (start, tangent, length, radius) less the radius."""
    dx, dy, dz = x - segment[0], y - segment[1], z - segment[2]
    along = min(max(dx * segment[3] + dy * segment[4] + dz * segment[5], 0.0), segment[6])
    dx -= along * segment[3]
    dy -= along * segment[4]
    dz -= along * segment[5]
    return math.sqrt(dx * dx + dy * dy + dz * dz) - segment[7]


@njit(error_model="numpy")
def _frame(segment):
    """Two unit vectors across a segment's axis."""
    if abs(segment[3]) < 0.9:
        hx, hy, hz = 1.0, 0.0, 0.0
    else:
        hx, hy, hz = 0.0, 1.0, 0.0
    ux = segment[4] * hz - segment[5] * hy
    uy = segment[5] * hx - segment[3] * hz
    uz = segment[3] * hy - segment[4] * hx
    size = math.sqrt(ux * ux + uy * uy + uz * uz)
    ux, uy, uz = ux / size, uy / size, uz / size
    return (
        ux,
        uy,
        uz,
        segment[4] * uz - segment[5] * uy,
        segment[5] * ux - segment[3] * uz,
        segment[3] * uy - segment[4] * ux,
    )


@njit(error_model="numpy")
def _add_segment(segment, first, slope, x, y, z, k, e_vector, e_charge, h_factor, out):
    """Add one segment's E (out[:3]) and H (out[3:]); its current is first + slope s."""
    distance = max(surface_distance(segment, x, y, z), 1e-3 * segment[7])
    pieces = min(_MOST_PIECES, max(1, math.ceil(segment[6] / distance)))
    angles = 1
    if distance < 30.0 * segment[7]:
        angles = min(_MOST_ANGLES, 6 + math.ceil(14.0 * segment[7] / distance))
    ux, uy, uz, vx, vy, vz = _frame(segment)
    step = segment[6] / pieces
    for turn in range(angles):
        alpha = 2.0 * math.pi * (turn + 0.5) / angles
        radius = 0.0 if angles == 1 else segment[7]
        c, s = radius * math.cos(alpha), radius * math.sin(alpha)
        ox, oy, oz = segment[0] + c * ux + s * vx, segment[1] + c * uy + s * vy, segment[2] + c * uz + s * vz
        for piece in range(pieces):
            for node in range(4):
                place = (piece + _X4[node]) * step
                dx, dy, dz = x - ox - place * segment[3], y - oy - place * segment[4], z - oz - place * segment[5]
                r2 = dx * dx + dy * dy + dz * dz
                r = math.sqrt(r2)
                weight = _W4[node] * step / angles
                g = complex(math.cos(k * r), -math.sin(k * r)) * (weight / r)
                current = first + slope * place
                steep = g * complex(1.0, k * r) / r2
                flow, charge, turn_ = e_vector * current * g, e_charge * slope * steep, h_factor * current * steep
                out[0] += flow * segment[3] + charge * dx
                out[1] += flow * segment[4] + charge * dy
                out[2] += flow * segment[5] + charge * dz
                out[3] += turn_ * (segment[4] * dz - segment[5] * dy)
                out[4] += turn_ * (segment[5] * dx - segment[3] * dz)
                out[5] += turn_ * (segment[3] * dy - segment[4] * dx)


@njit(nogil=True, cache=True, error_model="numpy")
def near_fields(segments, currents, points, k, e_vector, e_charge, h_factor, out):
    """Add E and H (points, 6) of segments (8, n) with currents (n, 2) at their ends, at points (m, 3)."""
    for p in range(points.shape[0]):
        for i in range(segments.shape[1]):
            slope = (currents[i, 1] - currents[i, 0]) / segments[LENGTH, i]
            _add_segment(
                segments[:, i], currents[i, 0], slope, points[p, 0], points[p, 1], points[p, 2],
                k, e_vector, e_charge, h_factor, out[p],
            )  # fmt: skip


@njit(nogil=True, cache=True, error_model="numpy")
def nearest_surface(segments, points, out):
    """For every point (m, 3), the least distance (m,) from any segment's surface."""
    for p in range(points.shape[0]):
        out[p] = 1e300
        for i in range(segments.shape[1]):
            d = surface_distance(segments[:, i], points[p, 0], points[p, 1], points[p, 2])
            out[p] = min(out[p], d)
