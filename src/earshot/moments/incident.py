"""Incident plane waves, tested by the basis functions."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .. import units
from ..constants import WAVE_IMPEDANCE, wavenumber
from ..errors import UsageError
from .basis import WireBasis

Complexes = NDArray[np.complex128]


@dataclass(frozen=True, slots=True)
class PlaneWave:
    """A plane wave arriving from a direction (radians); e_theta, e_phi: its field at the origin, V/m peak."""

    theta: float
    phi: float
    e_theta: complex
    e_phi: complex

    @property
    def strength(self) -> float:
        """Magnitude of the field, V/m peak."""
        return math.hypot(abs(self.e_theta), abs(self.e_phi))

    @property
    def density(self) -> float:
        """Power density, W/m²."""
        return self.strength**2 / (2.0 * WAVE_IMPEDANCE)


def plane_wave(theta: str | float, phi: str | float, e_theta: complex = 0.0, e_phi: complex = 0.0) -> PlaneWave:
    """A plane wave arriving from (θ, φ), text or radians, with field components in V/m peak at the origin.

    Raises UsageError for a wave without a field.
    """
    wave = PlaneWave(units.angle(theta, "plane wave, theta"), units.angle(phi, "plane wave, phi"), e_theta, e_phi)
    if not (math.isfinite(wave.strength) and wave.strength > 0.0):
        raise UsageError("plane wave: it has no field; give e_theta or e_phi in V/m")
    return wave


def wave_vector(basis: WireBasis, wave: PlaneWave, frequency: float, plane: bool) -> Complexes:
    """∫ f_m·E ds (functions,), volts, averaged over the tubes; over a plane with the wave it reflects.

    Four Gauss points a segment; the average round a tube across the ray is J0(ka sin).
    """
    tested = _tested(basis, wave, frequency, mirrored=False)
    if plane:
        if math.cos(wave.theta) < -1e-12:
            raise UsageError("plane wave: it arrives from below the plane; choose theta up to 90 deg")
        tested = tested - _tested(basis, wave, frequency, mirrored=True)
    return np.asarray(basis.ends.T @ tested.ravel())


def _tested(basis: WireBasis, wave: PlaneWave, frequency: float, mirrored: bool) -> Complexes:
    from scipy.special import j0

    t, p = wave.theta, wave.phi
    ray = np.array([math.sin(t) * math.cos(p), math.sin(t) * math.sin(p), math.cos(t)])
    field = wave.e_theta * np.array([math.cos(t) * math.cos(p), math.cos(t) * math.sin(p), -math.sin(t)])
    field = field + wave.e_phi * np.array([-math.sin(p), math.cos(p), 0.0])
    mirror = np.array([1.0, 1.0, -1.0]) if mirrored else np.ones(3)
    ray, field = ray * mirror, field * mirror
    columns, k = basis.mesh.columns, wavenumber(frequency)
    start, tangents, lengths, radii = columns[:3].T, columns[3:6].T, columns[6], columns[7]
    along = tangents @ ray
    ring = j0(k * radii * np.sqrt(np.maximum(1.0 - along**2, 0.0)))
    tested = np.zeros((len(lengths), 2), complex)
    for x, w in zip(*np.polynomial.legendre.leggauss(4), strict=True):
        share = 0.5 * (x + 1.0)
        phase = np.exp(1j * k * (start @ ray + share * lengths * along))
        value = 0.5 * w * lengths * ring * phase * (tangents @ field)
        tested += value[:, None] * np.array([1.0 - share, share])
    return tested
