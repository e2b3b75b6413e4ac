"""Currents on a mesh at one frequency, and the parts of them that layers tell apart."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from ..arraytypes import Bools, Complexes, Floats, Ints
from ..constants import wavenumber
from ..media.surroundings import FreeSpace, Medium
from ..meshing.mesh import WireMesh
from ..meshing.pins import pins_of
from .around import around
from .on_level import OnLevel
from .radiator import Radiator, looking
from .sheet_currents import SheetCurrents


@dataclass(frozen=True)
class Currents:
    """Linear currents along the segments of a mesh at one frequency, and on sheets, if there are any.

    ends (segments, 2): amperes, peak, along each segment at its first and last end. medium: what they are in. opening:
    magnetic currents on the plane under layers, V/m instead of A/m, if it has openings.
    """

    mesh: WireMesh
    ends: Complexes
    frequency: float
    medium: Medium = field(default_factory=FreeSpace)
    sheets: SheetCurrents | None = None
    opening: SheetCurrents | None = None

    @cached_property
    def through(self) -> Bools:
        """Which segments are probes through layers."""
        return self.medium.holds(self.mesh.centres[:, 2])

    @cached_property
    def places(self) -> Floats:
        """Nodes and vertices (n, 3), but for the feet of probes."""
        used = np.unique(self.mesh.ends)
        if self.through.any():
            ends = self.mesh.ends[self.through]
            feet = np.take_along_axis(ends, np.argmin(np.abs(self.mesh.nodes[ends, 2]), axis=1)[:, None], axis=1)
            used = np.setdiff1d(used, feet)
        found = [self.mesh.nodes[used]]
        for sheets in (self.sheets, self.opening):
            if sheets is not None:
                found.append(sheets.mesh.vertices[np.unique(sheets.mesh.triangles)])
        return np.concatenate(found)

    @property
    def wavenumber(self) -> float:
        """2πf/c, rad/m."""
        return wavenumber(self.frequency)

    @property
    def plane(self) -> bool:
        """Whether there is only the half space above."""
        return self.medium.one_sided

    @property
    def below(self) -> str:
        """What lies below z = 0, in words; empty where there is a whole space."""
        return self.medium.underneath

    @property
    def abrupt(self) -> bool:
        """Whether the field may change within degrees of the horizon: over layers and earth."""
        return self.medium.tabled

    @property
    def reach(self) -> float:
        """Radius of the smallest sphere round the structure and its image, roughly, times the wavenumber."""
        low, high = self.places.min(axis=0), self.places.max(axis=0)
        if self.medium.reflects and self.in_air is not None:
            low[2] = min(low[2], 2.0 * self.medium.thickness - high[2])
        return float(self.wavenumber * 0.5 * np.linalg.norm(high - low))

    @property
    def breadth(self) -> float:
        """Radius of the smallest upright cylinder round the structure, roughly, times the wavenumber."""
        return float(self.wavenumber * 0.5 * np.linalg.norm(np.ptp(self.places[:, :2], axis=0)))

    @property
    def middle(self) -> Floats:
        """Of all places (3,)."""
        return np.asarray(0.5 * (self.places.min(axis=0) + self.places.max(axis=0)))

    @cached_property
    def as_moments(self) -> tuple[Floats, Complexes]:
        """Places (p, 3) and current moments (p, 3), A·m: Gauss points of segments, and those of sheets."""
        nodes, weights = np.polynomial.legendre.leggauss(3)
        share = (nodes + 1.0) / 2.0
        mesh = self.mesh
        places = mesh.starts[:, None] + (share * mesh.lengths[:, None])[..., None] * mesh.tangents[:, None]
        current = self.ends[:, :1] + share * (self.ends[:, 1:] - self.ends[:, :1])
        moments = (0.5 * weights * current * mesh.lengths[:, None])[..., None] * mesh.tangents[:, None]
        points, others = np.zeros((0, 3)), np.zeros((0, 3), np.complex128)
        if self.sheets is not None:
            points, others = self.sheets.as_moments
        return np.concatenate([places.reshape(-1, 3), points]), np.concatenate([moments.reshape(-1, 3), others])

    @cached_property
    def on_levels(self) -> tuple[OnLevel, ...]:
        """Those on faces of layers and through them, a part for every face, from the lowest, and for what fades."""
        stack = self.medium.stack
        if stack is None or not (self._printed.any() or self.through.any()):
            return ()
        pins = pins_of(self.mesh, self.through, self.ends[self.through], stack)
        parts = [
            (stack.on(n), self._sheets_on(n), pins.ends.on(n))
            for n in sorted({*pins.ends.faces.tolist(), *self._level[self._level >= 0].tolist()})
        ]
        parts += [(own, None, ends) for own, ends in pins.fading]
        return tuple(
            OnLevel(own, self.frequency, sheets, ends.places, ends.radii, ends.amounts, self.places)
            for own, sheets, ends in parts
        )

    @cached_property
    def sides(self) -> tuple[Currents, ...]:
        """Those on either side of a plane that has two, as if each were over it: over it, and under it mirrored.

        Across an opening both see one field E0, in a mirror as well, and so the same magnetic current E0 × ẑ.
        """
        heights, triangles = self.mesh.centres[:, 2], np.zeros(0)
        opening = None
        if self.sheets is not None:
            triangles = np.where(self._level == 0, 0.0, self.sheets.mesh.centres[:, 2])
            if (self._level == 0).any():
                opening = self.sheets.only(self._level == 0, np.zeros(len(self.sheets.points), bool))
        found = []
        for stack, sense in zip(self.medium.sides, (1.0, -1.0), strict=True):
            sheets, mesh = None, self.mesh.only(sense * heights > 0.0)
            if self.sheets is not None and (sense * triangles > 0.0).any():
                sheets = self.sheets.only(sense * triangles > 0.0, sense * self.sheets.points[:, 2] > 0.0)
            if sense < 0.0:
                mesh, sheets = mesh.mirrored, None if sheets is None else sheets.mirrored
            ends = self.ends[sense * heights > 0.0]
            found.append(Currents(mesh, ends, self.frequency, stack, sheets, opening))
        return tuple(found)

    @property
    def on_metal(self) -> SheetCurrents | None:
        """Those of sheets that are metal, and no openings."""
        if self.sheets is None or not self.medium.sides or not (self._level == 0).any():
            return self.sheets
        metal = self._level != 0
        return self.sheets.only(metal, np.ones(len(self.sheets.points), bool)) if metal.any() else None

    @cached_property
    def opening_moments(self) -> tuple[Floats, Complexes]:
        """Places (p, 3) and ∫ E0 (p, 3), V·m, of the field across openings, E0 = ẑ × M; none without."""
        if self.opening is None:
            return np.zeros((0, 3)), np.zeros((0, 3), np.complex128)
        places, moments = self.opening.as_moments
        return places, np.stack([-moments[:, 1], moments[:, 0], 0.0 * moments[:, 2]], axis=1)

    def _sheets_on(self, level: int) -> SheetCurrents | None:
        chosen = self._level == level
        if self.sheets is None or not chosen.any():
            return None
        return self.sheets.only(chosen, self.medium.level_at(self.sheets.points[:, 2]) == level)

    @cached_property
    def in_air(self) -> Currents | None:
        """Those that are neither, if any."""
        printed = self._printed
        if not len(self.mesh) and self.sheets is None:
            return None
        if not (self.through.any() or printed.any()):
            return self
        if self.through.all() and printed.all():
            return None
        return self._only(~self.through, ~printed)

    @cached_property
    def _level(self) -> Ints:
        """Which face of layers triangles are on, -1 for those in the air."""
        if self.sheets is None:
            return np.zeros(0, np.int64)
        level = self.medium.level_at(self.sheets.mesh.corners[..., 2])
        return np.where((level == level[:, :1]).all(axis=1), level[:, 0], -1)

    @property
    def _printed(self) -> Bools:
        """Which triangles are on a face of layers."""
        return self._level >= 0

    def _only(self, segments: Bools, triangles: Bools) -> Currents:
        sheets = None
        if self.sheets is not None and triangles.any():
            feet = self.medium.level_at(self.sheets.points[:, 2]) < 0
            sheets = self.sheets.only(triangles, feet)
        return Currents(self.mesh.only(segments), self.ends[segments], self.frequency, self.medium, sheets)

    @cached_property
    def radiator(self) -> Radiator:
        """As they radiate in the open."""
        points, moments = np.zeros((0, 3)), np.zeros((0, 3), np.complex128)
        if self.sheets is not None:
            points, moments = self.sheets.as_moments
        return Radiator(self.mesh, self.ends, points, moments, self.places, self.wavenumber)

    def far_field(self, theta: Floats, phi: Floats) -> tuple[Complexes, Complexes]:
        """(E_θ, E_φ) times r e^{jkr} in volts, for directions theta, phi (radians, any shapes that go together).

        Where nothing is below, the field there is zero. A column of theta with a row of phi is a grid.
        """
        shape = np.broadcast_shapes(np.shape(theta), np.shape(phi))
        e_theta, e_phi = around(self.medium).far(self, looking(theta, phi))
        return e_theta.reshape(shape), e_phi.reshape(shape)

    def guided(self) -> list[tuple[str, float]]:
        """Power in every surface wave of a stack, W, by name; none without a stack."""
        return around(self.medium).guided(self)
