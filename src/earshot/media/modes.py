"""Surface waves of a stack: which run, how slow they are, and what they take from a current."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..errors import RunError
from .spectral import Spectrum

_SCAN = 600


@dataclass(frozen=True, slots=True)
class SurfaceWave:
    """One surface wave. tm: whether it is TM, else TE; number: counted from 0 for each kind.

    index: its wavenumber over k0, the imaginary part below zero where it fades. level, probe, alone: residues there of
    the voltage at the metal from a horizontal current, from a probe, of ∫ E_z dz along a probe from itself, of the
    voltage at the metal from one across z = 0, of the current there from a probe, and of that from one volt, times
    1/k0 as everything in a `Spectrum`.
    """

    tm: bool
    number: int
    index: complex
    level: complex
    probe: complex
    alone: complex
    opening: complex
    below: complex
    across: complex

    @property
    def name(self) -> str:
        """Such as TM0."""
        return f"{'TM' if self.tm else 'TE'}{self.number if self.tm else self.number + 1}"


@lru_cache(maxsize=64)
def surface_waves(spectrum: Spectrum) -> tuple[SurfaceWave, ...]:
    """Every surface wave that runs, TM first, the slowest first of each kind; with losses, followed from without them.

    Under a lid these are the waves between both planes. Raises RunError when the root with losses is lost.
    """
    plain = Spectrum(spectrum.stack.lossless, spectrum.frequency)
    found = []
    for tm in (True, False):
        roots = sorted(_roots(plain, tm), key=lambda root: -root.real)
        if spectrum.stack != plain.stack:
            roots = [_followed(spectrum, tm, root) for root in roots]
        found += [_with_residues(spectrum, tm, n, root, roots) for n, root in enumerate(roots)]
    return tuple(found)


def _roots(spectrum: Spectrum, tm: bool) -> list[complex]:
    """Roots on the real axis between 1 and the largest index, found by the decay upwards, u0 = √(k² - 1); under a lid
    from 0 on.
    """
    from scipy.optimize import brentq

    if spectrum.stack.lid:
        return _between_planes(spectrum, tm)
    most = math.sqrt(max(spectrum.slowest**2 - 1.0, 0.0))
    if most < 1e-6:
        return []

    def value(decay: float) -> float:
        found = spectrum.resonance(np.array([math.sqrt(1.0 + decay**2)]), tm)[0]
        # TM impedances are imaginary when there is no loss, and the currents that go with them real; for TE as well.
        return float((found / 1j).real)

    # Dense near both ends: a thin stack has its root near zero, a thick one near the most.
    decays = most * 0.5 * (1.0 - np.cos(np.linspace(1e-4, math.pi - 1e-4, _SCAN)))
    values = [value(d) for d in decays]
    found = []
    for i in np.flatnonzero(np.sign(values[1:]) * np.sign(values[:-1]) < 0):
        decay = brentq(value, decays[i], decays[i + 1], xtol=1e-16, rtol=1e-15)
        found.append(complex(math.sqrt(1.0 + decay**2)))
    return found


def _between_planes(spectrum: Spectrum, tm: bool) -> list[complex]:
    from scipy.optimize import brentq

    def value(k: float) -> float:
        return float((spectrum.resonance(np.array([k]), tm)[0] / 1j).real)

    # That of one matter runs as fast as waves in it, the end of all that may be.
    places = np.linspace(1e-3, 1.0, _SCAN) * spectrum.slowest * (1.0 + 1e-6)
    values = [value(k) for k in places]
    crossed = np.flatnonzero(np.sign(values[1:]) * np.sign(values[:-1]) < 0)
    return [complex(brentq(value, places[i], places[i + 1], xtol=1e-16, rtol=1e-15)) for i in crossed]


def _followed(spectrum: Spectrum, tm: bool, start: complex) -> complex:
    """The root with losses, by the secant method from the one without."""
    one, two = start, start * (1.0 - 1e-6j)

    def value(k: complex) -> complex:
        return complex(spectrum.resonance(np.array([k]), tm)[0])

    f1, f2 = value(one), value(two)
    for _ in range(60):
        if f2 == f1:
            break
        one, two, f1 = two, two - f2 * (two - one) / (f2 - f1), f2
        f2 = value(two)
        if abs(two - one) < 1e-14 * abs(two):
            return two
    if abs(two - one) < 1e-9 * abs(two):
        return two
    raise RunError(f"the surface wave of index {start.real:.6g} is lost with the losses of {spectrum.stack}")


def _with_residues(spectrum: Spectrum, tm: bool, number: int, pole: complex, roots: list[complex]) -> SurfaceWave:
    """Residues by a small circle round the pole that keeps clear of the branch point and of other poles."""
    others = [abs(pole - r) for r in roots if r != pole]
    # Under a lid there is no branch point, but the image of the pole.
    radius = 0.4 * min([2.0 * abs(pole) if spectrum.stack.lid else abs(pole - 1.0), *others])
    turn = np.exp(2j * math.pi * np.arange(32) / 32)
    sweep, own = spectrum.sweep(pole + radius * turn), spectrum.stack.metal_on
    upright = spectrum.upright
    shown = [sweep.shunt(own, tm), sweep.carried(0, own, tm), 1.0 / sweep.up(0, tm)]
    if tm:
        voltages, currents = sweep.probe(upright)
        shown += [voltages[own], sweep.reaction(upright, upright), currents[0]]
    found = [complex((x * turn).mean() * radius) for x in shown] + [0j] * 3
    level, opening, across, probe, alone, below = found[:6]
    return SurfaceWave(tm, number, pole, level, probe, alone, opening, below, across)
