"""Radiation sums: the far field of linear currents on straight tubes.

With x = ½kl t·r̂ and the current I = mean + diff·(s/l - ½), a segment at centre c radiates the vector

    t l J0(ka sin θ_t) exp(jk r̂·c) [mean sin x/x + j diff (sin x - x cos x)/(2x²)],

where θ_t is the angle between the axis and r̂, and J0 is the azimuth average over the tube.
"""

import numpy as np
from numba import njit

from .trig import sincos


@njit(inline="always", fastmath=True, error_model="numpy")
def _j0_small(u):
    """J0 as a function of u = (argument/2)²; 1e-9 for arguments below 2."""
    return 1.0 - u * (1.0 - u * (0.25 - u * (1.0 / 36.0 - u * (1.0 / 576.0 - u * (1.0 / 14400.0 - u / 518400.0)))))


@njit(inline="always", fastmath=True, error_model="numpy")
def _shape_even(y):
    """Return sin x / x as a function of y = x², x < 1.6."""
    return 1.0 - y / 6.0 * (
        1.0 - y / 20.0 * (1.0 - y / 42.0 * (1.0 - y / 72.0 * (1.0 - y / 110.0 * (1.0 - y / 156.0))))
    )


@njit(inline="always", fastmath=True, error_model="numpy")
def _shape_odd(y):
    """Return (sin x - x cos x) / x³ as a function of y = x², x < 1.6."""
    return 1.0 / 3.0 * (1.0 - y / 10.0 * (1.0 - y / 28.0 * (1.0 - y / 54.0 * (1.0 - y / 88.0 * (1.0 - y / 130.0)))))


@njit(fastmath=True, error_model="numpy")
def _segment_factors(centres, tangents, lengths, radii, k, ux, uy, uz, even, odd, phases):
    """Per segment: real even factor, real odd factor (to be multiplied by j) and phase, for one direction."""
    for i in range(lengths.size):
        along = tangents[0, i] * ux + tangents[1, i] * uy + tangents[2, i] * uz
        x = 0.5 * k * lengths[i] * along
        y = x * x
        ring = _j0_small(0.25 * (k * radii[i]) ** 2 * max(1.0 - along * along, 0.0))
        even[i] = lengths[i] * ring * _shape_even(y)
        odd[i] = 0.5 * lengths[i] * ring * x * _shape_odd(y)
        phases[i] = k * (centres[0, i] * ux + centres[1, i] * uy + centres[2, i] * uz)


@njit(fastmath=True, error_model="numpy")
def _exponentials(phases, cosines, sines):
    for i in range(phases.size):
        s, c = sincos(phases[i])
        cosines[i] = c
        sines[i] = s


@njit(fastmath=True, error_model="numpy")
def _sum_segments(tangents, even, odd, cosines, sines, mean, diff, out):
    """Radiation vector (3 complex as 6 real) of one set of currents; mean, diff are (2, n) real and imaginary."""
    xr = xi = yr = yi = zr = zi = 0.0
    for i in range(even.size):
        amplitude_r = even[i] * mean[0, i] - odd[i] * diff[1, i]
        amplitude_i = even[i] * mean[1, i] + odd[i] * diff[0, i]
        real = amplitude_r * cosines[i] - amplitude_i * sines[i]
        imag = amplitude_r * sines[i] + amplitude_i * cosines[i]
        xr += real * tangents[0, i]
        xi += imag * tangents[0, i]
        yr += real * tangents[1, i]
        yi += imag * tangents[1, i]
        zr += real * tangents[2, i]
        zi += imag * tangents[2, i]
    out[0], out[1], out[2], out[3], out[4], out[5] = xr, xi, yr, yi, zr, zi


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def radiation_vectors(centres, tangents, lengths, radii, mean, diff, k, directions, out):
    """Radiation vectors out (directions, sets, 3) of several sets of currents.

    centres, tangents (3, n); mean, diff (sets, 2, n); directions (m, 3) unit vectors; k in rad/m.
    """
    n = lengths.size
    even = np.empty(n)
    odd = np.empty(n)
    phases = np.empty(n)
    cosines = np.empty(n)
    sines = np.empty(n)
    total = np.empty(6)
    for d in range(directions.shape[0]):
        _segment_factors(
            centres, tangents, lengths, radii, k,
            directions[d, 0], directions[d, 1], directions[d, 2], even, odd, phases,
        )  # fmt: skip
        _exponentials(phases, cosines, sines)
        for p in range(mean.shape[0]):
            _sum_segments(tangents, even, odd, cosines, sines, mean[p], diff[p], total)
            for axis in range(3):
                out[d, p, axis] = complex(total[2 * axis], total[2 * axis + 1])
