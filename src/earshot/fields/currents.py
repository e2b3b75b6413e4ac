"""Currents on a mesh, and the field they radiate."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE, wavenumber
from ..geometry.mesh import WireMesh
from ..geometry.sheet_mesh import MIRROR
from ..media.earth import Earth
from ..media.stack import Stack
from ..running import announce, in_shares
from .printed import guided_powers, printed_field
from .sheet_currents import SheetCurrents


@dataclass(frozen=True, slots=True)
class Currents:
    """Linear currents along the segments of a mesh at one frequency, and on sheets, if there are any.

    ends (segments, 2): amperes, peak, along each segment at its first and last end. plane: whether a perfect plane
    z = 0 is there, or the surface of earth. stack: the layers on it that the sheets are printed on, if any; the
    segments are then probes.
    """

    mesh: WireMesh
    ends: Complexes
    frequency: float
    plane: bool
    sheets: SheetCurrents | None = None
    stack: Stack | None = None
    earth: Earth | None = None

    @property
    def places(self) -> Floats:
        """Nodes and vertices (n, 3)."""
        vertices = np.zeros((0, 3)) if self.sheets is None else self.sheets.mesh.vertices
        if self.stack is not None:
            return vertices
        return np.concatenate([self.mesh.nodes, vertices])

    @property
    def wavenumber(self) -> float:
        """2πf/c, rad/m."""
        return wavenumber(self.frequency)

    @property
    def reach(self) -> float:
        """Radius of the smallest sphere round the structure and its image, roughly, times the wavenumber."""
        places = self.places
        low, high = places.min(axis=0), places.max(axis=0)
        if self.plane and self.stack is None:
            low = np.minimum(low, high * MIRROR)
        return float(self.wavenumber * 0.5 * np.linalg.norm(high - low))

    @property
    def breadth(self) -> float:
        """Radius of the smallest upright cylinder round the structure, roughly, times the wavenumber."""
        return float(self.wavenumber * 0.5 * np.linalg.norm(np.ptp(self.places[:, :2], axis=0)))

    @property
    def below(self) -> str:
        """What lies below z = 0, in words; empty in free space."""
        if not self.plane:
            return ""
        if self.earth is not None:
            return str(self.earth)
        return "layers on a plane at z = 0" if self.stack is not None else "perfect plane at z = 0"

    @property
    def abrupt(self) -> bool:
        """Whether the field may change within degrees of the horizon: over layers and earth."""
        return self.stack is not None or self.earth is not None

    @property
    def _middle(self) -> Floats:
        places = self.places
        return np.asarray(0.5 * (places.min(axis=0) + places.max(axis=0)))

    def _vectors(self, directions: Floats) -> Complexes:
        """∫ I e^{jk r̂·(r' - middle)} dr' for unit vectors (n, 3): (n, 3)."""
        from ..kernels.radiation import moment_vectors, radiation_vectors

        announce(radiation_vectors if self.stack is None else moment_vectors)
        mean, diff = self.ends.mean(axis=1), self.ends[:, 1] - self.ends[:, 0]
        out = np.zeros((len(directions), 1, 3), np.complex128)
        segments = np.concatenate([(self.mesh.centres - self._middle).T, self.mesh.columns[3:]])
        currents = np.array([[mean.real, mean.imag, diff.real, diff.imag]])
        points = None
        if self.sheets is not None:
            places, moments = self.sheets.as_moments if self.stack is None else self._printed_moments
            points = (
                np.ascontiguousarray((places - self._middle).T),
                np.concatenate([moments.real, moments.imag], axis=1).T.copy(),
            )

        def work(share: slice) -> None:
            part = np.ascontiguousarray(directions[share])
            if len(self.mesh) and self.stack is None:
                radiation_vectors(segments, currents, self.wavenumber, part, out[share])
            if points is not None:
                moment_vectors(*points, self.wavenumber, part, out[share, 0])

        in_shares(work, len(directions))
        return out[:, 0]

    @property
    def _printed_moments(self) -> tuple[Floats, Complexes]:
        """Points (n, 3) and moments (n, 3), A·m: those of the sheets, and upward for probes, as high as 1/k0."""
        assert self.sheets is not None
        places, moments = self.sheets.as_moments
        tops = self.mesh.nodes[self.mesh.ends].max(axis=1)
        upward = np.zeros((len(tops), 3), np.complex128)
        upward[:, 2] = self.ends[:, 0] * self.mesh.tangents[:, 2] / self.wavenumber
        return np.concatenate([places, tops]), np.concatenate([moments, upward])

    def _vectors_on_grid(self, theta: Floats, phi: Floats) -> Complexes:
        """The same for every pair of theta (m,) and phi (n,): (m, n, 3).

        About its middle the radiation vector has no more than about kr oscillations round any great circle, so a coarse
        grid holds all of it: continued over the whole circle in θ by (2π - θ, φ) = (θ, φ + π), its samples are those of
        a trigonometric polynomial in both angles (Driscoll and Healy 1994), evaluated by two matrix products.
        """
        size = float(self.wavenumber * np.linalg.norm(np.ptp(self.places, axis=0)) / 2)
        order = 2 * math.ceil((size + 8.4 * size ** (1 / 3) + 8.0) / 2)
        count = 2 * order
        if len(theta) * len(phi) < order * count:
            return self._vectors(unit_vectors(*_pairs(theta, phi))).reshape(len(theta), len(phi), 3)
        rows, columns = math.pi * np.arange(order + 1) / order, 2.0 * math.pi * np.arange(count) / count
        upper = self._vectors(unit_vectors(*_pairs(rows, columns))).reshape(order + 1, count, 3)
        lower = np.roll(upper[-2:0:-1], order, axis=1)
        waves = np.fft.fftn(np.concatenate([upper, lower]), axes=(0, 1), norm="forward")
        turns = np.fft.fftfreq(count, 1.0 / count)
        along, around = (np.exp(1j * np.outer(angles, turns)) for angles in (theta, phi))
        return np.asarray(np.einsum("it,tpc,jp->ijc", along, waves, around, optimize=True))

    def far_field(self, theta: Floats, phi: Floats) -> tuple[Complexes, Complexes]:
        """(E_θ, E_φ) times r e^{jkr} in volts, for directions theta, phi (radians, any shapes that go together).

        E = -jkη/4π (N - r̂ r̂·N) with N = ∫ I e^{jk r̂·r'} dr' (Balanis 2016, eq. 6-122). A plane adds the image
        -M N(M r̂), M the mirror, earth the same times its reflection factors; below, the field is zero. A column of
        theta with a row of phi is a grid.
        """
        shape = np.broadcast_shapes(np.shape(theta), np.shape(phi))
        grid = np.ndim(theta) == 2 and np.shape(theta)[1] == 1 and np.ndim(phi) == 1
        full_theta, full_phi = (np.ravel(x) for x in np.broadcast_arrays(theta, phi))
        directions = unit_vectors(full_theta, full_phi)

        def about_origin(mirrored: bool) -> Complexes:
            mirror = MIRROR if mirrored else np.ones(3)
            if grid:
                rows = math.pi - np.ravel(theta) if mirrored else np.ravel(theta)
                vectors = self._vectors_on_grid(rows, np.ravel(phi)).reshape(-1, 3)
            else:
                vectors = self._vectors(directions * mirror)
            turn = np.exp(1j * self.wavenumber * (directions @ (mirror * self._middle)))
            return np.asarray(vectors * turn[:, None])

        vectors = about_origin(mirrored=False)
        if self.stack is not None:
            e_theta, e_phi = printed_field(self.stack, self.frequency, vectors, full_theta, full_phi)
            return e_theta.reshape(shape), e_phi.reshape(shape)
        scale = -1j * self.wavenumber * WAVE_IMPEDANCE / (4.0 * math.pi)
        along, across = theta_vectors(full_theta, full_phi), phi_vectors(full_phi)
        e_theta = np.einsum("ij,ij->i", vectors, along)
        e_phi = np.einsum("ij,ij->i", vectors, across)
        if self.plane:
            image = -about_origin(mirrored=True) * MIRROR
            tm, te = (1.0, -1.0) if self.earth is None else self.earth.reflected(full_theta, self.frequency)
            up = directions[:, 2] >= -1e-12
            e_theta = (e_theta + tm * np.einsum("ij,ij->i", image, along)) * up
            e_phi = (e_phi - te * np.einsum("ij,ij->i", image, across)) * up
        return (scale * e_theta).reshape(shape), (scale * e_phi).reshape(shape)

    def guided(self) -> list[tuple[str, float]]:
        """Power in every surface wave of a stack, W, by name; none without a stack."""
        if self.stack is None:
            return []
        points, moments = self._printed_moments
        return guided_powers(self.stack, self.frequency, points - self._middle, moments)


def _pairs(theta: Floats, phi: Floats) -> tuple[Floats, Floats]:
    rows, columns = np.meshgrid(theta, phi, indexing="ij")
    return rows.ravel(), columns.ravel()


def unit_vectors(theta: Floats, phi: Floats) -> Floats:
    """Directions r̂ (..., 3) for angles of any shapes that go together."""
    sine = np.sin(theta)
    found = np.empty((*np.broadcast_shapes(np.shape(theta), np.shape(phi)), 3))
    found[..., 0], found[..., 1], found[..., 2] = sine * np.cos(phi), sine * np.sin(phi), np.cos(theta)
    return found


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
