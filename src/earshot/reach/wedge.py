"""What an edge between two faces sends round it: the uniform theory of diffraction.

Kouyoumjian and Pathak (1974, Proc. IEEE 62, p. 1448), eqs. (25) to (29), for perfect faces. For others the parts at
reflection boundaries take the faces' own reflections (Luebbers 1984, IEEE Trans. AP 32, p. 70), with angles of
incidence chosen so that the way back is the same, and those at shadow boundaries what is missing behind, 1 - T.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arraytypes import Complexes, Floats

_LEAST = 1e-9
"""Radians kept from a boundary: there the field's step is the direct ray's."""


class Bend(NamedTuple):
    """One wedge per ray, each (n,): angles of the source and the place from the first face, and of the air in all,
    radians; sine of the angle to the edge; distance parameter s s'/(s + s'), m.
    """  # fmt: skip

    source: Floats
    place: Floats
    air: Floats
    sine: Floats
    distance: Floats


def transition(x: Floats) -> Complexes:
    """F(x) = 2j √x e^{jx} ∫_{√x}^∞ e^{-jτ²} dτ, by Faddeeva's function."""
    from scipy.special import wofz

    root = np.sqrt(np.asarray(x, np.float64))
    return np.asarray(np.sqrt(np.pi) * root * np.exp(0.25j * np.pi) * wofz(np.exp(0.75j * np.pi) * root))


def bent(
    bend: Bend, wavenumber: float, first: Complexes | float, last: Complexes | float, through: Complexes | float = 0.0
) -> Complexes:
    """The diffraction coefficient D (n,), √m: what goes on is D √(s'/(s(s'+s))) of the field at the edge.

    first, last: what the first and the last face reflect, -1 for E along a perfect edge and +1 for E across it;
    through: what comes through both.
    """
    n = bend.air / np.pi
    kl = wavenumber * bend.distance * bend.sine**2

    def part(sign: float, beta: Floats) -> Complexes:
        # Nearest to a shadow: 2πnN - β = ±π.
        whole = np.round((beta + sign * np.pi) / (2.0 * np.pi * n))
        off = sign * np.pi + beta - 2.0 * np.pi * n * whole
        off = np.where(np.abs(off) < _LEAST, _LEAST, off)
        return np.asarray(sign * transition(2.0 * kl * np.sin(0.5 * off) ** 2) / np.tan(0.5 * off / n))

    less, more = bend.place - bend.source, bend.place + bend.source
    whole = (1.0 - through) * (part(1.0, less) + part(-1.0, less)) + last * part(1.0, more) + first * part(-1.0, more)
    return np.asarray(-np.exp(-0.25j * np.pi) / (2.0 * n * np.sqrt(2.0 * np.pi * wavenumber) * bend.sine) * whole)


def kept(bend_at: Floats, start: Floats, stop: Floats, sine: Floats, near: Floats, far: Floats, k: float) -> Complexes:
    """How much of an endless edge's ray one of finite length keeps (n,); places along it, m, of the ray and both ends.

    Half of what geometry says, all or none, and half of what the phases along the edge do: with both edges at a corner,
    the field behind a rectangular screen is then that of Fresnel's integrals.
    """
    from scipy.special import fresnel

    scale = sine * np.sqrt(0.5 * k * (1.0 / near + 1.0 / far))

    def below(end: Floats) -> Complexes:
        s, c = fresnel(scale * (end - bend_at) * np.sqrt(2.0 / np.pi))
        return np.asarray(0.5 + np.exp(0.25j * np.pi) / np.sqrt(2.0) * (c - 1j * s))

    inside = (bend_at >= start) & (bend_at <= stop)
    return np.asarray(0.5 * inside + 0.5 * (below(stop) - below(start)))
