"""The direct sum over the elements of an array: Σ w e^{jk r̂·r'}."""

import numpy as np
from numba import njit

from .trig import sincos

_BLOCK = 256


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def array_sum(places, weights, directions, k, out):
    """The sum for directions (3, m) over places (3, n) with weights (2, n), real and imaginary, into out (m,)."""
    real, imag = np.empty(_BLOCK), np.empty(_BLOCK)
    for first in range(0, directions.shape[1], _BLOCK):
        count = min(_BLOCK, directions.shape[1] - first)
        real[:] = 0.0
        imag[:] = 0.0
        for n in range(places.shape[1]):
            x, y, z, a, b = k * places[0, n], k * places[1, n], k * places[2, n], weights[0, n], weights[1, n]
            for m in range(count):
                at = first + m
                sine, cosine = sincos(x * directions[0, at] + y * directions[1, at] + z * directions[2, at])
                real[m] += a * cosine - b * sine
                imag[m] += a * sine + b * cosine
        for m in range(count):
            out[first + m] = complex(real[m], imag[m])


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def lattice_product(one, two, phases, out):
    """e^{jz} Σ one[a] e^{ja x} Σ two[b] e^{jb y} for phases x, y and z (3, m), into out (m,)."""
    real, imag = np.empty((2, _BLOCK)), np.empty((2, _BLOCK))
    cosines, sines = np.empty(_BLOCK), np.empty(_BLOCK)
    for first in range(0, phases.shape[1], _BLOCK):
        count = min(_BLOCK, phases.shape[1] - first)
        for side in range(2):
            own = one if side == 0 else two
            for m in range(count):
                sines[m], cosines[m] = sincos(phases[side, first + m])
            last = own[len(own) - 1]
            real[side, :] = last.real
            imag[side, :] = last.imag
            # Horner's rule.
            for n in range(len(own) - 2, -1, -1):
                a, b = own[n].real, own[n].imag
                for m in range(count):
                    kept = real[side, m]
                    real[side, m] = kept * cosines[m] - imag[side, m] * sines[m] + a
                    imag[side, m] = kept * sines[m] + imag[side, m] * cosines[m] + b
        for m in range(count):
            sine, cosine = sincos(phases[2, first + m])
            a = real[0, m] * real[1, m] - imag[0, m] * imag[1, m]
            b = real[0, m] * imag[1, m] + imag[0, m] * real[1, m]
            out[first + m] = complex(a * cosine - b * sine, a * sine + b * cosine)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def turn(values, phases):
    """Values (m,) turned by phases (m,), in place."""
    for m in range(len(values)):
        sine, cosine = sincos(phases[m])
        a, b = values[m].real, values[m].imag
        values[m] = complex(a * cosine - b * sine, a * sine + b * cosine)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def strongest(fields, shares, parts, out, sums):
    """Where |field|² times a share (m,) is greatest in every row of fields (n, m): its number, into out (n,).

    Also Σ |field|² times parts (m,), into sums (n,).
    """
    for n in range(fields.shape[0]):
        best, at, whole = np.float32(-1.0), 0, 0.0
        for m in range(fields.shape[1]):
            field = fields[n, m]
            power = field.real * field.real + field.imag * field.imag
            whole += power * parts[m]
            level = power * shares[m]
            if level > best:
                best, at = level, m
        out[n] = at
        sums[n] = whole
