"""Radiation vectors ∫ I e^{jk r̂·r'} dr' of currents along segments and of current moments at points."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..arraytypes import Complexes, Floats
from ..kernels.rows import TX
from ..meshing.mesh import WireMesh
from ..meshing.sheet_mesh import MIRROR
from ..running import announce, in_shares, thread_count
from .directions import unit_vectors

_LEAST = 20_000
"""Terms of a sum that are worth another thread."""
_MANY = 10**8
"""Terms beyond which a non-uniform FFT is the quicker; and how exact it is."""
_TOLD = 1_000_000
"""Terms that take longer than what is known of all directions tells them."""
_EXACT = 1e-10


@dataclass(frozen=True, eq=False)
class Radiator:
    """Currents as they radiate: along segments, ends (segments, 2), and moments (n, 3), A·m, at points (n, 3).

    places (p, 3): what they lie between.
    """

    mesh: WireMesh | None
    ends: Complexes
    points: Floats
    moments: Complexes
    places: Floats
    wavenumber: float

    @cached_property
    def middle(self) -> Floats:
        """Of the places (3,)."""
        return np.asarray(0.5 * (self.places.min(axis=0) + self.places.max(axis=0)))

    def vectors(self, directions: Floats) -> Complexes:
        """About the middle, for unit vectors (n, 3): (n, 3)."""
        from ..kernels.radiation import moment_vectors, radiation_vectors

        announce(radiation_vectors if self.mesh is not None else moment_vectors)
        out = np.zeros((len(directions), 1, 3), np.complex128)
        segments, currents, points, moments = self._about_middle

        many = points.shape[1] * len(directions) > _MANY
        if many:
            out[:, 0] = self._by_transform(directions)

        def work(share: slice) -> None:
            part = np.ascontiguousarray(directions[share])
            if segments.size:
                radiation_vectors(segments, currents, self.wavenumber, part, out[share])
            if points.size and not many:
                moment_vectors(points, moments, self.wavenumber, part, out[share, 0])

        in_shares(work, len(directions), math.ceil(_LEAST / max(segments.shape[1] + points.shape[1], 1)))
        return out[:, 0]

    def _by_transform(self, directions: Floats) -> Complexes:
        """What the moments at points send, by a transform of type 3 (Barnett, Magland and af Klinteberg 2019)."""
        import finufft

        places = self.points - self.middle
        # Metal on one level is seen alike from all heights.
        flat = float(np.ptp(places[:, 2])) < 1e-9 * float(np.ptp(places[:, :2]))
        axes = (0, 1) if flat else (0, 1, 2)
        transform = finufft.nufft2d3 if flat else finufft.nufft3d3
        found = transform(
            *(np.ascontiguousarray(self.wavenumber * places[:, i]) for i in axes), np.ascontiguousarray(self.moments.T),
            *(np.ascontiguousarray(directions[:, i]) for i in axes), isign=1, eps=_EXACT, nthreads=thread_count(),
        )  # fmt: skip
        lifted = np.exp(1j * self.wavenumber * places[:1, 2] * directions[:, 2]) if flat else 1.0
        return np.asarray(found * lifted).T

    @cached_property
    def _about_middle(self) -> tuple[Floats, Floats, Floats, Floats]:
        """As the kernels want them: segments (8, s) and currents (1, 4, s), points (3, p) and moments (6, p)."""
        segments, currents = np.zeros((8, 0)), np.zeros((1, 4, 0))
        if self.mesh is not None and len(self.mesh):
            mean, diff = self.ends.mean(axis=1), self.ends[:, 1] - self.ends[:, 0]
            segments = np.concatenate([(self.mesh.centres - self.middle).T, self.mesh.columns[TX:]])
            currents = np.array([[mean.real, mean.imag, diff.real, diff.imag]])
        moments = np.concatenate([self.moments.real, self.moments.imag], axis=1).T.copy()
        return segments, currents, np.ascontiguousarray((self.points - self.middle).T), moments

    @cached_property
    def _order(self) -> int:
        """About its middle the radiation vector has no more than about kr oscillations round any great circle."""
        size = float(self.wavenumber * np.linalg.norm(np.ptp(self.places, axis=0)) / 2)
        return 2 * math.ceil((size + 8.4 * math.cbrt(size) + 8.0) / 2)

    @cached_property
    def _waves(self) -> Complexes:
        """Coefficients (3, n, n) of the trigonometric polynomial in both angles that it is, all directions known.

        Continued over the whole circle in θ by (2π - θ, φ) = (θ, φ + π), from a grid just fine enough (Driscoll and
        Healy 1994).
        """
        order, count = self._order, 2 * self._order
        rows, columns = math.pi * np.arange(order + 1) / order, 2.0 * math.pi * np.arange(count) / count
        upper = self.vectors(unit_vectors(*_pairs(rows, columns))).reshape(order + 1, count, 3)
        lower = np.roll(upper[-2:0:-1], order, axis=1)
        waves = np.fft.fftn(np.concatenate([upper, lower]), axes=(0, 1), norm="forward")
        return np.ascontiguousarray(np.moveaxis(waves, 2, 0))

    def _on_grid(self, theta: Floats, phi: Floats) -> Complexes:
        """The same for every pair of theta (m,) and phi (n,): (m, n, 3)."""
        # Who asks for half of what tells them all will ask for more.
        if not self._told_whole and len(theta) * len(phi) < self._order**2:
            return self.vectors(unit_vectors(*_pairs(theta, phi))).reshape(len(theta), len(phi), 3)
        turns = np.fft.fftfreq(2 * self._order, 0.5 / self._order)
        along, around = (np.exp(1j * np.outer(angles, turns)) for angles in (theta, phi))
        return np.asarray(np.einsum("it,ctp,jp->ijc", along, self._waves, around, optimize=True))

    @property
    def _told_whole(self) -> bool:
        """Whether all directions are known already."""
        return "_waves" in vars(self)

    def _towards(self, theta: Floats, phi: Floats) -> Complexes:
        """The same for theta, phi (n,): (n, 3). Once all directions are known, many places are not gone through."""
        sources = len(self.points) + (0 if self.mesh is None else len(self.mesh))
        if not self._told_whole or sources * len(theta) < _TOLD:
            return self.vectors(unit_vectors(theta, phi))
        import finufft

        found = finufft.nufft2d2(
            np.ascontiguousarray(theta), np.ascontiguousarray(phi), self._waves, isign=1, eps=_EXACT, modeord=1,
            nthreads=thread_count(),
        )  # fmt: skip
        return np.asarray(found).T

    def about_origin(self, looking: Looking, *, mirrored: bool = False) -> Complexes:
        """About the origin, into directions or their mirror images below: (n, 3)."""
        mirror = MIRROR if mirrored else np.ones(3)
        if looking.grid is not None:
            rows, columns = looking.grid
            vectors = self._on_grid(math.pi - rows if mirrored else rows, columns).reshape(-1, 3)
        else:
            vectors = self._towards(math.pi - looking.theta if mirrored else looking.theta, looking.phi)
        turn = np.exp(1j * self.wavenumber * (looking.directions @ (mirror * self.middle)))
        return np.asarray(vectors * turn[:, None])


@dataclass(frozen=True, eq=False)
class Looking:
    """Directions: theta, phi (n,), and their rows (m,) and columns (n,) where they are a grid."""

    theta: Floats
    phi: Floats
    grid: tuple[Floats, Floats] | None

    @cached_property
    def directions(self) -> Floats:
        """Unit vectors (n, 3)."""
        return unit_vectors(self.theta, self.phi)

    @property
    def mirrored(self) -> Looking:
        """The same directions in a mirror at z = 0."""
        grid = None if self.grid is None else (math.pi - self.grid[0], self.grid[1])
        return Looking(math.pi - self.theta, self.phi, grid)


def looking(theta: Floats, phi: Floats) -> Looking:
    """Into theta, phi of any shapes that go together; a column of theta with a row of phi is a grid."""
    full_theta, full_phi = (np.ravel(x) for x in np.broadcast_arrays(theta, phi))
    grid = np.ndim(theta) == 2 and np.shape(theta)[1] == 1 and np.ndim(phi) == 1
    return Looking(full_theta, full_phi, (np.ravel(theta), np.ravel(phi)) if grid else None)


def _pairs(theta: Floats, phi: Floats) -> tuple[Floats, Floats]:
    rows, columns = np.meshgrid(theta, phi, indexing="ij")
    return rows.ravel(), columns.ravel()
