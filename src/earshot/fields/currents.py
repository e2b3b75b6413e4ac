"""Currents on a wire mesh, and the field they radiate."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..constants import WAVE_IMPEDANCE, wavenumber
from ..geometry.mesh import WireMesh
from ..running import announce, in_threads, thread_count

Complexes = NDArray[np.complex128]
Floats = NDArray[np.float64]
_MIRROR = np.array([1.0, 1.0, -1.0])


@dataclass(frozen=True, slots=True)
class WireCurrents:
    """Linear currents along the segments of a mesh at one frequency.

    ends (segments, 2): amperes, peak, along each segment at its first and last end. plane: whether a perfect plane
    z = 0 is there.
    """

    mesh: WireMesh
    ends: Complexes
    frequency: float
    plane: bool

    @property
    def wavenumber(self) -> float:
        """2πf/c, rad/m."""
        return wavenumber(self.frequency)

    @property
    def reach(self) -> float:
        """Radius in wavelengths/2π (kr) of the smallest sphere round the structure and its image, roughly."""
        corners = self.mesh.nodes
        low, high = corners.min(axis=0), corners.max(axis=0)
        if self.plane:
            low = np.minimum(low, high * _MIRROR)
        return float(self.wavenumber * 0.5 * np.linalg.norm(high - low))

    def _vectors(self, directions: Floats) -> Complexes:
        from ..kernels.radiation import radiation_vectors

        announce(radiation_vectors)
        mean, diff = self.ends.mean(axis=1), self.ends[:, 1] - self.ends[:, 0]
        out = np.empty((len(directions), 1, 3), np.complex128)
        fixed = (
            np.ascontiguousarray(self.mesh.centres.T),
            np.ascontiguousarray(self.mesh.tangents.T),
            np.ascontiguousarray(self.mesh.lengths),
            self.mesh.radii,
            np.array([[mean.real, mean.imag]]),
            np.array([[diff.real, diff.imag]]),
            self.wavenumber,
        )

        def work(share: slice) -> None:
            radiation_vectors(*fixed, np.ascontiguousarray(directions[share]), out[share])

        step = math.ceil(len(directions) / thread_count()) or 1
        in_threads(work, [slice(i, i + step) for i in range(0, len(directions), step)])
        return out[:, 0]

    def far_field(self, theta: Floats, phi: Floats) -> tuple[Complexes, Complexes]:
        """(E_θ, E_φ) times r e^{jkr} in volts, for directions theta, phi (radians, any one shape).

        E = -jkη/4π (N - r̂ r̂·N) with N = ∫ I e^{jk r̂·r'} dr' (Balanis 2016, eq. 6-122). A plane adds the image
        -M N(M r̂), M the mirror; below it the field is zero.
        """
        shape = np.shape(theta)
        t, p = np.ravel(theta), np.ravel(phi)
        directions = unit_vectors(t, p)
        vectors = self._vectors(directions)
        if self.plane:
            vectors = vectors - self._vectors(directions * _MIRROR) * _MIRROR
            vectors[directions[:, 2] < -1e-12] = 0.0
        scale = -1j * self.wavenumber * WAVE_IMPEDANCE / (4.0 * math.pi)
        e_theta = scale * np.einsum("ij,ij->i", vectors, theta_vectors(t, p))
        e_phi = scale * np.einsum("ij,ij->i", vectors, phi_vectors(p))
        return e_theta.reshape(shape), e_phi.reshape(shape)


def unit_vectors(theta: Floats, phi: Floats) -> Floats:
    """Directions r̂ (n, 3)."""
    sine = np.sin(theta)
    return np.stack([sine * np.cos(phi), sine * np.sin(phi), np.cos(theta)], axis=-1)


def theta_vectors(theta: Floats, phi: Floats) -> Floats:
    """Unit vectors of growing θ (n, 3)."""
    cosine = np.cos(theta)
    return np.stack([cosine * np.cos(phi), cosine * np.sin(phi), -np.sin(theta)], axis=-1)


def phi_vectors(phi: Floats) -> Floats:
    """Unit vectors of growing φ (n, 3)."""
    return np.stack([-np.sin(phi), np.cos(phi), np.zeros_like(phi)], axis=-1)


def angles_of(directions: Floats) -> tuple[Floats, Floats]:
    """θ in [0, π] and φ in [0, 2π) of vectors (..., 3)."""
    x, y, z = np.moveaxis(directions, -1, 0)
    theta = np.arctan2(np.hypot(x, y), z)
    phi = np.mod(np.arctan2(y, x), 2.0 * math.pi)
    return theta, np.where(phi > 2.0 * math.pi - 1e-12, 0.0, phi)
