"""Polarisation of a far field: linear, circular and Ludwig-3 components, axial ratio, tilt.

exp(+jωt) and a wave leaving along r̂ = θ̂ x φ̂: right-hand circular (IEEE Std 145) is (θ̂ - jφ̂)/√2.
"""

from __future__ import annotations

import math

import numpy as np

from ..arraytypes import Complexes, Floats
from .directions import phi_vectors, theta_vectors, unit_vectors

LINEAR = 30.0
"""Axial ratio, dB, above which a wave is told as linear."""
MOST_AXIAL_RATIO = 100.0
"""Axial ratios are reported up to this many dB: beyond it a field is linear to rounding."""


def circular(e_theta: Complexes, e_phi: Complexes) -> tuple[Complexes, Complexes]:
    """Right- and left-hand components."""
    return (e_theta + 1j * e_phi) / math.sqrt(2.0), (e_theta - 1j * e_phi) / math.sqrt(2.0)


def axial_ratio(e_theta: Complexes, e_phi: Complexes) -> Floats:
    """Axial ratio in dB, 0 for circular, at most MOST_AXIAL_RATIO."""
    right, left = (np.abs(x) for x in circular(e_theta, e_phi))
    total, difference = right + left, np.abs(right - left)
    least = np.maximum(total * 10.0 ** (-MOST_AXIAL_RATIO / 20.0), 1e-300)
    return np.asarray(20.0 * np.log10(np.maximum(total, 1e-300) / np.maximum(difference, least)))


def tilt(e_theta: Complexes, e_phi: Complexes) -> Floats:
    """Angle of the ellipse's long axis from θ̂ towards φ̂, degrees, in (-90, 90]; 0 for circular."""
    right, left = circular(e_theta, e_phi)
    product = right * left.conj()
    size = np.abs(right) ** 2 + np.abs(left) ** 2
    angle = np.degrees(0.5 * np.angle(product))
    return np.asarray(np.where(np.abs(product) < 1e-12 * np.maximum(size, 1e-300), 0.0, angle))


def ludwig(
    e_theta: Complexes, e_phi: Complexes, theta: Floats, phi: Floats, boresight: Floats, along: Floats
) -> tuple[Complexes, Complexes]:
    """Co- and cross-polar components by Ludwig's third definition (1973), about any boresight.

    boresight, along (3,): unit vectors, the direction of the beam and of the wanted field there. Angles and fields
    share one flat shape (n,).
    """
    across = np.cross(boresight, along)
    directions = unit_vectors(theta, phi)
    aside, forth = directions @ across, directions @ along
    # Right behind the beam every azimuth is as good, and rounding would choose one: take that of the wanted field.
    azimuth = np.where(np.hypot(aside, forth) > 1e-9, np.arctan2(aside, forth), 0.0)
    polar = np.arccos(np.clip(directions @ boresight, -1.0, 1.0))
    field = e_theta[:, None] * theta_vectors(theta, phi) + e_phi[:, None] * phi_vectors(phi)
    # θ̂' and φ̂' of a frame whose pole is the boresight.
    flat = np.cos(azimuth)[:, None] * along + np.sin(azimuth)[:, None] * across
    own_theta = np.cos(polar)[:, None] * flat - np.sin(polar)[:, None] * boresight
    own_phi = -np.sin(azimuth)[:, None] * along + np.cos(azimuth)[:, None] * across
    up, round_ = (np.einsum("ij,ij->i", field, v) for v in (own_theta, own_phi))
    return (
        np.cos(azimuth) * up - np.sin(azimuth) * round_,
        np.sin(azimuth) * up + np.cos(azimuth) * round_,
    )
