"""Loss by diffraction: over one edge, and round a smooth earth (Recommendation ITU-R P.526-15).

Lengths in metres, all arrays of one shape; `radius` is that of the effective earth, infinite for a flat one. Losses are
in dB, beyond those of free space.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Floats
from ..constants import wavelength

_LIT = -0.78
"""Of an edge's parameter below which it is left out (P.526, sec. 4.1)."""


def edge_loss(parameter: ArrayLike) -> Floats:
    """Loss J(ν) behind a knife edge, dB, by the Fresnel integral (P.526, eq. 30); 6.02 where it grazes, ν = 0."""
    from scipy.special import fresnel

    sine, cosine = fresnel(np.asarray(parameter, float))
    return np.asarray(-10.0 * np.log10(0.25 * ((1.0 - cosine - sine) ** 2 + (cosine - sine) ** 2)))


def edge_parameter(height: ArrayLike, before: ArrayLike, behind: ArrayLike, wave: float) -> Floats:
    """ν of an edge so high above the straight line, at distances from both ends (P.526, eq. 26)."""
    one, two = np.asarray(before, float), np.asarray(behind, float)
    return np.asarray(np.asarray(height, float) * np.sqrt(2.0 / wave * (1.0 / one + 1.0 / two)))


def bulge(distances: Floats, radius: float) -> Floats:
    """How far the earth rises above the straight line between the ends of a profile."""
    return np.asarray(distances * (distances[-1] - distances) / (2.0 * radius))


def terrain_loss(parameter: Floats, total: Floats) -> Floats:
    """Loss of a whole profile by its one edge after Bullington, with what that misses put right (P.526, sec. 4.5.1)."""
    # From -0.78 on J is that of the edge; below, its ripples are nobody's.
    loss = np.where(parameter > _LIT, np.maximum(edge_loss(np.maximum(parameter, -1.0)), 0.0), 0.0)
    return np.asarray(loss + (1.0 - np.exp(-loss / 6.0)) * (10.0 + 2e-5 * total))


class Bulge(NamedTuple):
    """A smooth earth between two antennas: how far the reflection is from the first, how high the ray passes over the
    earth there, and how high it must for no loss at all.
    """

    at: Floats
    clearance: Floats
    needed: Floats


def over_bulge(near: Floats, far: Floats, total: Floats, wave: float, radius: float) -> Bulge:
    """Of antennas so high above a smooth earth, and so far apart (P.526, eq. 22 to 25); beyond the horizon too."""
    both = np.maximum(near + far, 1e-9)
    m, c = total**2 / (4.0 * radius * both), (near - far) / both
    inner = np.clip(1.5 * c * np.sqrt(3.0 * m / (m + 1.0) ** 3), -1.0, 1.0)
    curved = np.maximum(m, 1e-9)
    b = 2.0 * np.sqrt((curved + 1.0) / (3.0 * curved)) * np.cos(math.pi / 3.0 + np.arccos(inner) / 3.0)
    at = 0.5 * total * (1.0 + np.where(m < 1e-9, c, b))
    rest = total - at
    clearance = ((near - at**2 / (2.0 * radius)) * rest + (far - rest**2 / (2.0 * radius)) * at) / total
    return Bulge(at, clearance, 0.552 * np.sqrt(np.maximum(at * rest, 1e-12) * wave / total))


def beyond_horizon(
    near: Floats, far: Floats, total: Floats, frequency: float, radius: ArrayLike, permittivity: complex, vertical: bool
) -> Floats:
    """Loss of the first residue of a smooth earth (P.526, eq. 11 to 18), for antennas so high above it."""
    wave, of = wavelength(frequency), np.asarray(radius, float)
    # |ε - 1| with ε = εr - j60λσ is what the recommendation writes out.
    admittance = np.asarray((2.0 * math.pi * of / wave) ** (-1.0 / 3.0) / math.sqrt(abs(permittivity - 1.0)))
    if vertical:
        admittance = admittance * abs(permittivity)
    k2 = admittance**2
    beta = (1.0 + 1.6 * k2 + 0.67 * k2**2) / (1.0 + 4.5 * k2 + 1.53 * k2**2)
    x = beta * total * (math.pi / (wave * of**2)) ** (1.0 / 3.0)
    long = np.maximum(x, 1.6)
    distance = np.where(
        x >= 1.6, 11.0 + 10.0 * np.log10(long) - 17.6 * long, -20.0 * np.log10(x) - 5.6488 * np.minimum(x, 1.6) ** 1.425
    )
    scale = beta * 2.0 * beta * (math.pi**2 / (wave**2 * of)) ** (1.0 / 3.0)
    return np.asarray(-(distance + sum(_height_gain(scale * np.maximum(h, 1e-6), admittance) for h in (near, far))))


def _height_gain(b: Floats, admittance: Floats) -> Floats:
    """G(Y), dB (P.526, eq. 18), of B = βY."""
    high = np.maximum(b, 2.0) - 1.1
    gain = np.where(
        b > 2.0, 17.6 * np.sqrt(high) - 5.0 * np.log10(high) - 8.0, 20.0 * np.log10(b + 0.1 * np.minimum(b, 2.0) ** 3)
    )
    return np.maximum(gain, 2.0 + 20.0 * np.log10(admittance))


def touching(near: Floats, far: Floats, total: Floats, radius: float) -> Floats:
    """The earth's radius on which two antennas would just see one another, or its own where they do not see so far."""
    roots = np.maximum(np.sqrt(near) + np.sqrt(far), 1e-9)
    return np.asarray(np.where(total >= math.sqrt(2.0 * radius) * roots, radius, 0.5 * (total / roots) ** 2))


def smooth_earth(
    near: Floats, far: Floats, total: Floats, frequency: float, radius: float, permittivity: complex, vertical: bool
) -> Floats:
    """Loss over a smooth earth, on this side of the horizon or beyond it (P.526, sec. 3.2)."""
    seen = touching(near, far, total, radius)
    loss = beyond_horizon(near, far, total, frequency, seen, permittivity, vertical)
    between = over_bulge(near, far, total, wavelength(frequency), radius)
    within = np.clip(1.0 - between.clearance / between.needed, 0.0, None) * np.maximum(loss, 0.0)
    return np.asarray(np.where(seen == radius, loss, within))
