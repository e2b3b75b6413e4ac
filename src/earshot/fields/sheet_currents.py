"""Currents on triangulated sheets."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..arraytypes import Bools, Complexes, Floats
from ..meshing.sheet_mesh import MIRROR, SheetMesh


@dataclass(frozen=True)
class SheetCurrents:
    """Linear surface currents, J = number r - vector on every triangle, and the point moments of feet.

    number (m,), A/m²; vector (m, 3), A/m; points (q, 3) and moments (q, 3), A·m, peak.
    """

    mesh: SheetMesh
    number: Complexes
    vector: Complexes
    points: Floats
    moments: Complexes

    @cached_property
    def image(self) -> SheetCurrents:
        """The image in a perfect plane z = 0: mirrored, and negated."""
        vector, moments = -self.vector * MIRROR, -self.moments * MIRROR
        return SheetCurrents(self.mesh.mirrored, -self.number, vector, self.points * MIRROR, moments)

    @property
    def mirrored(self) -> SheetCurrents:
        """The same seen in a mirror at z = 0."""
        image = self.image
        return SheetCurrents(image.mesh, self.number, -image.vector, image.points, -image.moments)

    def raised(self, height: float) -> SheetCurrents:
        """The same, moved up, metres."""
        up = np.array([0.0, 0.0, height])
        vector = self.vector + self.number[:, None] * up
        return SheetCurrents(self.mesh.raised(height), self.number, vector, self.points + up, self.moments)

    def only(self, triangles: Bools, points: Bools) -> SheetCurrents:
        """What is on some triangles, with the moments of feet at some points."""
        return SheetCurrents(
            self.mesh.only(triangles), self.number[triangles], self.vector[triangles], self.points[points],
            self.moments[points],
        )  # fmt: skip

    @property
    def density(self) -> Complexes:
        """Surface current at the centroids (m, 3), A/m peak: of both faces together."""
        return np.asarray(self.number[:, None] * self.mesh.centres - self.vector)

    @property
    def strength(self) -> Floats:
        """Greatest length of the current's vector over a period, at the centroids (m,), A/m peak."""
        j = self.density
        real, imag = j.real, j.imag
        # The long half axis of the ellipse that the vector runs round.
        whole = (np.abs(j) ** 2).sum(axis=1)
        skew = np.abs((real**2).sum(axis=1) - (imag**2).sum(axis=1) + 2j * (real * imag).sum(axis=1))
        return np.asarray(np.sqrt(0.5 * (whole + skew)))

    def at_phase(self, phase: float) -> Floats:
        """The current at the centroids (m, 3), A/m, at a moment of the period given as an angle in radians."""
        return np.asarray((self.density * np.exp(1j * phase)).real)

    @cached_property
    def as_moments(self) -> tuple[Floats, Complexes]:
        """Places (p, 3) and current moments (p, 3), A·m: seven points a triangle, and those of feet."""
        from ..kernels.sheets import P7, W7

        mesh = self.mesh
        places = np.einsum("pc,tcx->tpx", P7, mesh.corners)
        density = self.number[:, None, None] * places - self.vector[:, None]
        moments = density * (W7 * mesh.areas[:, None])[..., None]
        return (
            np.concatenate([places.reshape(-1, 3), self.points]),
            np.concatenate([moments.reshape(-1, 3), self.moments]),
        )
