"""The power of the plain sum of alike elements' fields, for many sets of weights at once.

It is Σ Σ w* w' R(r' - r), where R is what one element's pattern, of one watt, makes of the phase between two places: it
is worked out once. On a lattice it hangs on the difference of two places alone: power is a sum over a grid of phases.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..arraytypes import Complexes, Floats
from ..constants import wavenumber
from ..fields.directions import angles_of, unit_vectors
from ..fields.source import all_directions, intensity_of
from .array import Array, Beam

_MOST = 4_000_000


class PlainPower:
    """Power (trials,), W, of weights (trials, elements) of an array whose elements are alike and turned alike.

    spectrum (grid,): on a lattice, by what |Σ w e^{j n·phase}|² on a grid of phases, at least twice as many as elements
    each way, is multiplied to give the power; None off one. shape: of that grid; as small as it may be unless given.
    """

    def __init__(self, array: Array, hertz: float, shape: tuple[int, int] | None = None) -> None:
        self.spectrum: Floats | None = None
        layout, k = array.layout, wavenumber(hertz)
        theta, phi, solid = all_directions(Beam(array, hertz, np.ones(len(array), np.complex128)))
        ways = unit_vectors(theta, phi).reshape(-1, 3)
        element = array.elements[0]
        power = intensity_of(element.field(*angles_of(ways @ layout.turns[0]), hertz))
        power = power * np.broadcast_to(solid, (len(theta), len(phi))).ravel()
        power /= power.sum()
        lattice = layout.lattice
        if lattice is None:
            self.pairs = _between(layout.positions, k, ways, power)
            return
        self.places = tuple((lattice.places - lattice.places.min(axis=0)).T)
        counts = np.ptp(lattice.places, axis=0) + 1
        self.shape = shape or tuple(int(2 * n - 1) for n in counts)
        lags = [np.arange(-n + 1, n) for n in counts.tolist()]
        found = np.zeros((len(lags[0]), len(lags[1])), np.complex128)
        step = max(1, _MOST // max(len(lag) for lag in lags))
        for first in range(0, len(ways), step):
            part = slice(first, first + step)
            one, two = (
                np.exp(1j * k * np.outer(lag, ways[part] @ s)) for lag, s in zip(lags, lattice.steps, strict=True)
            )
            found += (one * power[part]) @ two.T
        grid = np.zeros(self.shape, np.complex128)
        grid[np.ix_(*(lag % n for lag, n in zip(lags, self.shape, strict=True)))] = found
        # |FFT w|² is the FFT of how w agrees with itself a lag apart; with R it adds up over all lags.
        self.spectrum = (np.fft.fft2(grid).real / grid.size).ravel()

    def __call__(self, weights: NDArray[np.complexfloating]) -> Floats:
        """Power (trials,), W, of weights (trials, elements)."""
        if self.spectrum is None:
            return np.asarray(np.einsum("ti,ij,tj->t", weights.conj(), self.pairs, weights, optimize=True).real)
        sheet = np.zeros((len(weights), *self.shape), np.complex128)
        sheet[:, self.places[0], self.places[1]] = weights
        return np.asarray((np.abs(np.fft.ifft2(sheet, norm="forward")) ** 2).reshape(len(weights), -1) @ self.spectrum)


def _between(positions: Floats, k: float, ways: Floats, power: Floats) -> Complexes:
    """R for every pair of places (n, n)."""
    found = np.zeros((len(positions), len(positions)), np.complex128)
    step = max(1, _MOST // len(positions))
    for first in range(0, len(ways), step):
        waves = np.exp(1j * k * positions @ ways[first : first + step].T)
        found += (waves.conj() * power[first : first + step]) @ waves.T
    return found
