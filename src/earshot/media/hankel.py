"""Hankel functions of orders 0 and 1 where paths of Sommerfeld integrals go out: three times as fast as in general.

For |z| from 1 and arguments from -37 to 47 degrees √(πz/2) e^{-jz} H1(z), times a phase, is a rational function of 1/z
to the last digits (the AAA algorithm: Nakatsukasa, Sete and Trefethen 2018); below there are the series at 0.
"""

from __future__ import annotations

import math
from functools import cache

import numpy as np

from ..arraytypes import Complexes

_SECTOR = (math.radians(-37.0), math.radians(47.0))
_TERMS = 11
_EULER = 0.57721566490153286
_SLAB = 8192
"""Numbers that are worked on together, so that they stay near the processor."""


@cache
def _rational(order: int) -> tuple[tuple[complex, complex, complex], ...]:
    """Support points, weights, and weights times values, from samples along the rim of where it is to hold."""
    from scipy.interpolate import AAA
    from scipy.special import hankel1e

    far = np.geomspace(1.0, 300.0, 90)
    z = np.concatenate(
        [far * np.exp(1j * _SECTOR[0]), far * np.exp(1j * _SECTOR[1]), np.exp(1j * np.linspace(*_SECTOR, 60)[1:-1])]
    )
    values = hankel1e(order, z) * np.sqrt(0.5 * math.pi * z) * np.exp(1j * (0.5 * order + 0.25) * math.pi)
    found = AAA(np.append(1.0 / z, 0.0), np.append(values, 1.0), rtol=1e-13)
    rows = zip(found.support_points, found.weights, found.weights * found.support_values, strict=True)
    return tuple((complex(a), complex(b), complex(c)) for a, b, c in rows)


def hankel_outward(order: int, z: Complexes) -> Complexes:
    """H1 of order 0 or 1 at z, to 1e-13: of arguments from -37 to 47 degrees, or smaller than 1. As z in shape."""
    flat = np.ravel(z)
    found = np.empty(flat.shape, np.complex128)
    for first in range(0, len(flat), _SLAB):
        own = slice(first, first + _SLAB)
        found[own] = _some(order, flat[own])
    return found.reshape(np.shape(z))


def _some(order: int, z: Complexes) -> Complexes:
    near = (z.real**2 + z.imag**2) < 1.0
    if not near.any():
        return _far(order, z)
    found = np.empty_like(z)
    found[near], found[~near] = _near(order, z[near]), _far(order, z[~near])
    return found


def _far(order: int, z: Complexes) -> Complexes:
    inverse = 1.0 / z
    top, bottom = np.zeros_like(z), np.zeros_like(z)
    for point, weight, value in _rational(order):
        share = 1.0 / (inverse - point)
        bottom += weight * share
        top += value * share
    wave = np.exp(1j * (z - (0.5 * order + 0.25) * math.pi))
    return np.asarray(top / bottom * wave * np.sqrt(2.0 / math.pi * inverse))


def _near(order: int, z: Complexes) -> Complexes:
    """Series (Abramowitz and Stegun 1964, 9.1.10, 9.1.11)."""
    quarter = -0.25 * z * z
    term = np.ones_like(z) if order == 0 else 0.5 * z
    harmonic = [0.0, *np.cumsum(1.0 / np.arange(1, _TERMS + 1)).tolist()]
    first, second = np.zeros_like(z), np.zeros_like(z)
    for k in range(_TERMS):
        first += term
        second += (harmonic[k] + harmonic[k + order]) * term
        term = term * quarter / ((k + 1) * (k + 1 + order))
    both = 2.0 * (np.log(0.5 * z) + _EULER) * first - second
    return np.asarray(first + 1j / math.pi * (both - (2.0 / z if order else 0.0)))
