"""Leaky waves of a stack: waves along its layers, faster than those in air, that leave them as they go.

Their wavenumbers are zeros of the same function as those of surface waves, with the field in air growing upwards:
u0 = -√(k² - 1) (Tamir and Oliner 1963, Proc. IEE 110). Such a wave fills the space between it and its own ray.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes
from .sommerfeld import decay
from .spectral import Spectrum

_ACROSS, _DOWN = 240, 160
_LEAST, _MOST = 0.02, 0.6
_STEPS = 40


@dataclass(frozen=True, slots=True)
class LeakyWave:
    """One leaky wave. tm: whether it is TM, else TE; index: its wavenumber over k0, below zero how it fades."""

    tm: bool
    index: complex

    @property
    def angle(self) -> float:
        """Where it leaves to, from straight up, radians."""
        return math.asin(min(self.index.real, 1.0))

    @property
    def fading(self) -> float:
        """By how many dB it fades in a wavelength in air."""
        return -40.0 * math.pi * math.log10(math.e) * self.index.imag


def leaky_waves(spectrum: Spectrum) -> tuple[LeakyWave, ...]:
    """Every leaky wave with an index from 0.02 to 1 that fades less fast than it turns; none under a lid.

    The slowest to fade first.
    """
    if spectrum.stack.lid:
        return ()
    found = [LeakyWave(tm, index) for tm in (True, False) for index in _roots(spectrum, tm)]
    return tuple(sorted(found, key=lambda one: -one.index.imag))


def _value(spectrum: Spectrum, k: Complexes, tm: bool) -> Complexes:
    return spectrum.resonance(k, tm, -decay(k, 1.0))


def _roots(spectrum: Spectrum, tm: bool) -> list[complex]:
    """Where the phase turns once round a cell of a grid, followed from there by the secant method."""
    along, down = np.linspace(_LEAST, 1.0, _ACROSS), np.linspace(0.0, _MOST, _DOWN)
    # A wave that fades little is next to the real axis: cells begin just over it.
    grid = along[:, None] - 1j * (down - 0.5 * down[1])
    phase = np.angle(_value(spectrum, grid, tm))
    turn = np.zeros((_ACROSS - 1, _DOWN - 1))
    corners = [phase[:-1, :-1], phase[1:, :-1], phase[1:, 1:], phase[:-1, 1:]]
    for one, two in zip(corners, [*corners[1:], corners[0]], strict=True):
        turn += np.angle(np.exp(1j * (two - one)))
    found: list[complex] = []
    for i, j in np.argwhere(np.abs(turn) > math.pi):
        start = complex(grid[i, j] + grid[i + 1, j + 1]) / 2.0
        root = _followed(spectrum, tm, start, abs(complex(grid[1, 1] - grid[0, 0])))
        fits = root is not None and 0.0 < root.real < 1.0 and -root.real < root.imag < -1e-9
        if root is not None and fits and not any(abs(root - other) < 1e-8 for other in found):
            found.append(root)
    return found


def _followed(spectrum: Spectrum, tm: bool, start: complex, cell: float) -> complex | None:
    """The root near a place; None where there is none within two cells."""
    one, two = start, start + 1e-4 * cell
    f1, f2 = (complex(_value(spectrum, np.array([k]), tm)[0]) for k in (one, two))
    for _ in range(_STEPS):
        if f1 == f2:
            break
        one, two, f1 = two, two - f2 * (two - one) / (f2 - f1), f2
        f2 = complex(_value(spectrum, np.array([two]), tm)[0])
        if abs(two - one) < 1e-13:
            break
    return two if abs(two - start) < 2.0 * cell and abs(two - one) < 1e-9 else None
