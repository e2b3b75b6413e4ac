"""Radiation sums: the far field of linear currents on straight tubes.

With x = ½kl t·r̂ and the current I = mean + diff·(s/l - ½), a segment at centre c radiates the vector

    t l J0(ka sin θ_t) exp(jk r̂·c) [mean sin x/x + j diff (sin x - x cos x)/(2x²)],

where θ_t is the angle between the axis and r̂, and J0 is the azimuth average over the tube.
"""

import numpy as np
from numba import njit

from .trig import sincos

_BLOCK = 192


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
def _weights(block, k, ux, uy, uz, even, odd, cosines, sines):
    """Per segment: even and odd factor (the odd one to be multiplied by j), and the phase's cosine and sine."""
    for i in range(block.shape[1]):
        along = block[3, i] * ux + block[4, i] * uy + block[5, i] * uz
        length = block[6, i]
        x = 0.5 * k * length * along
        y = x * x
        radius = k * block[7, i]
        ring = length * _j0_small(0.25 * radius * radius * (1.0 - along * along))
        even[i] = ring * _shape_even(y)
        odd[i] = 0.5 * ring * x * _shape_odd(y)
        s, c = sincos(k * (block[0, i] * ux + block[1, i] * uy + block[2, i] * uz))
        cosines[i] = c
        sines[i] = s


@njit(fastmath=True, error_model="numpy")
def _add_block(block, even, odd, cosines, sines, currents, out):
    """Add to the radiation vector (3 complex) of one set of currents: (4, n) mean re, im, difference re, im."""
    xr = xi = yr = yi = zr = zi = 0.0
    for i in range(block.shape[1]):
        amplitude_r = even[i] * currents[0, i] - odd[i] * currents[3, i]
        amplitude_i = even[i] * currents[1, i] + odd[i] * currents[2, i]
        real = amplitude_r * cosines[i] - amplitude_i * sines[i]
        imag = amplitude_r * sines[i] + amplitude_i * cosines[i]
        xr += real * block[3, i]
        xi += imag * block[3, i]
        yr += real * block[4, i]
        yi += imag * block[4, i]
        zr += real * block[5, i]
        zi += imag * block[5, i]
    out[0] += complex(xr, xi)
    out[1] += complex(yr, yi)
    out[2] += complex(zr, zi)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def radiation_vectors(segments, currents, k, directions, out):
    """Add to the radiation vectors out (directions, sets, 3) of several sets of currents.

    segments (8, n): centre, tangent, length, radius; currents (sets, 4, n): mean re, im, difference re, im; directions
    (m, 3) unit vectors; k in rad/m. Segments go in blocks small enough to stay in the nearest cache.
    """
    even, odd = np.empty(_BLOCK), np.empty(_BLOCK)
    cosines, sines = np.empty(_BLOCK), np.empty(_BLOCK)
    for first in range(0, segments.shape[1], _BLOCK):
        block = segments[:, first : first + _BLOCK].copy()
        part = currents[:, :, first : first + _BLOCK].copy()
        for d in range(directions.shape[0]):
            _weights(block, k, directions[d, 0], directions[d, 1], directions[d, 2], even, odd, cosines, sines)
            for p in range(part.shape[0]):
                _add_block(block, even, odd, cosines, sines, part[p], out[d, p])


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def moment_vectors(points, moments, k, directions, out):
    """Add to the radiation vectors out (directions, 3) of moments (6, n), real then imaginary, at points (3, n)."""
    for d in range(directions.shape[0]):
        ux, uy, uz = k * directions[d, 0], k * directions[d, 1], k * directions[d, 2]
        xr = xi = yr = yi = zr = zi = 0.0
        for i in range(points.shape[1]):
            s, c = sincos(points[0, i] * ux + points[1, i] * uy + points[2, i] * uz)
            xr += c * moments[0, i] - s * moments[3, i]
            xi += s * moments[0, i] + c * moments[3, i]
            yr += c * moments[1, i] - s * moments[4, i]
            yi += s * moments[1, i] + c * moments[4, i]
            zr += c * moments[2, i] - s * moments[5, i]
            zi += s * moments[2, i] + c * moments[5, i]
        out[d, 0] += complex(xr, xi)
        out[d, 1] += complex(yr, yi)
        out[d, 2] += complex(zr, zi)
