"""What plane ground sends on: the reflected ray, and the wave along the ground."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arraytypes import Complexes, Floats
from ..media.walls import half_space


class Factors(NamedTuple):
    """What the ground makes of a field: of its part in the plane of incidence, which keeps its sense along the normal
    where it is +1, and of that square to it.
    """  # fmt: skip

    upright: Complexes
    level: Complexes


def reflections(sine: Floats, permittivity: complex) -> Factors:
    """Reflection of plane waves that come in at an elevation of that sine (Balanis 2012, sec. 5.3)."""
    plain = half_space(np.asarray(sine), permittivity)
    return Factors(plain.tm, plain.te)


def ground_waves(sine: Floats, along: Floats, wavenumber: float, permittivity: complex) -> Factors:
    """The wave along the ground, over the reflected ray's own fading: (1 - R) F(w). along: length of that ray, m.

    Norton (1937, Proc. IRE 25, p. 1203): F(w) = 1 - j√(πw) e^{-w} erfc(j√w), w = -jkr(sin ψ + Δ)²/2, Δ the ground's
    surface impedance over that of air, upright, or its inverse, level. Good while Δ is small, beyond a wavelength or
    two.
    """
    from scipy.special import wofz

    plain = reflections(sine, permittivity)
    root = np.sqrt(permittivity - (1.0 - np.asarray(sine) ** 2) + 0j)

    def whole(reflection: Complexes, surface: Complexes) -> Complexes:
        # √w on the branch that fades: erfc(j√w)e^{-w} is Faddeeva's w(-√w).
        numeric = np.sqrt(-0.5j * wavenumber * along) * (sine + surface)
        attenuation = 1.0 - 1j * np.sqrt(np.pi) * numeric * wofz(-numeric)
        return np.asarray((1.0 - reflection) * attenuation)

    return Factors(whole(plain.upright, root / permittivity), whole(plain.level, root))
