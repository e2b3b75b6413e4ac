"""The basis of a whole antenna: functions on its sheets, then functions on its wires.

Where a wire stands on a sheet its last half function goes on as a fan over the triangles at that vertex, so each of n
wires there brings one unknown, and with the sheet there are n + 1 branches.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..meshing.mesh import WireMesh
from ..meshing.sheet_mesh import SheetMesh
from .sheet_basis import Fan, SheetBasis, fan, sheet_basis
from .wire_basis import WireBasis


@dataclass(frozen=True, eq=False)
class Basis:
    """Functions on sheets, if there are any, then on wires. reach: how far a wire's foot may be from its vertex;
    planes: heights of those that wires may end on, metres.
    """

    wires: WireBasis
    sheets: SheetBasis | None = None
    reach: float = 0.0
    planes: tuple[float, ...] = (0.0,)

    @property
    def mesh(self) -> WireMesh:
        """The segments of the wires."""
        return self.wires.mesh

    @property
    def sheet_mesh(self) -> SheetMesh | None:
        """The triangles of the sheets."""
        return None if self.sheets is None else self.sheets.mesh

    @property
    def size(self) -> int:
        """Number of basis functions."""
        return self.first_wire + self.wires.size

    @property
    def first_wire(self) -> int:
        """The number of the first function on a wire: so many are on sheets."""
        return 0 if self.sheets is None else self.sheets.size

    @property
    def halved(self) -> Basis:
        """The basis of the mesh with every segment in two and every triangle in four, but for those at feet."""
        if self.sheets is None:
            return replace(self, wires=self.wires.halved)
        fine = sheet_basis(self.sheets.mesh.halved(self.standing), grounded=self.sheets.grounded)
        return replace(self, wires=self.wires.halved, sheets=fine)

    @property
    def standing(self) -> Ints:
        """Vertices on which wires stand."""
        return np.array([vertex for vertex, _ in self._standing], np.int64)

    @cached_property
    def feet(self) -> tuple[tuple[Fan, Floats], ...]:
        """Every fan with, per wire function (wires,), the current it sends into it from a unit coefficient."""
        return tuple((fan(self.sheets.mesh, vertex), amount) for vertex, amount in self._standing if self.sheets)

    @cached_property
    def _standing(self) -> tuple[tuple[int, Floats], ...]:
        """Every vertex on which wires stand, with what each wire function (wires,) sends into it."""
        if self.sheets is None:
            return ()
        from scipy.spatial import cKDTree

        wires, grid = self.wires, self.mesh
        side, alone = np.nonzero([wires.signs[1] == 0.0, np.zeros(wires.size, bool)])
        # What has one current all along has it at the lower end too.
        besides = np.nonzero(wires.even[wires.halves // 2] & (wires.signs != 0.0))
        if not alone.size and not besides[0].size:
            return ()
        half = np.concatenate([wires.halves[side, alone], wires.halves[besides] ^ 1])
        begins = np.arange(len(half)) >= len(alone)
        side, alone = np.concatenate([side, besides[0]]), np.concatenate([alone, besides[1]])
        node = grid.ends.ravel()[half]
        used = np.unique(self.sheets.mesh.triangles)
        off, nearest = cKDTree(self.sheets.mesh.vertices[used]).query(grid.nodes[node])
        vertex = used[nearest]
        # On a plane a foot has its image; what ends on layers without metal goes on through them.
        level = (np.abs(grid.nodes[node, 2:] - np.array(self.planes)) <= self.reach).any(axis=1)
        # What lies in the plane crosses an opening there, and ends on the plane.
        flat = np.abs(grid.nodes[grid.ends[half // 2], 2]).max(axis=1) <= self.reach
        standing = (off <= self.reach) & ~(level & (flat | self.sheets.grounded))
        assert (standing | level | begins).all(), "a foot without a vertex"
        alone, half, side, vertex = alone[standing], half[standing], side[standing], vertex[standing]
        # Along the segment at its last end is out of the wire, at its first into it.
        out = wires.signs[side, alone] * np.where(half % 2 == 1, 1.0, -1.0)
        found = []
        for place in np.unique(vertex):
            amount = np.zeros(wires.size)
            np.add.at(amount, alone[vertex == place], out[vertex == place])
            found.append((int(place), amount))
        return tuple(found)

    def raised(self, height: float) -> Basis:
        """The same functions, moved up, metres."""
        wires = replace(self.wires, mesh=self.wires.mesh.raised(height))
        if self.sheets is None:
            return Basis(wires, None, self.reach)
        return Basis(wires, replace(self.sheets, mesh=self.sheets.mesh.raised(height)), self.reach)

    @property
    def mirrored(self) -> Basis:
        """The same functions, mirrored in the plane z = 0."""
        wires = replace(self.wires, mesh=self.mesh.mirrored)
        planes = tuple(-height for height in self.planes)
        return Basis(wires, None if self.sheets is None else self.sheets.mirrored, self.reach, planes)

    def split(self, coefficients: Complexes) -> tuple[Complexes, Complexes]:
        """Coefficients (..., functions) of the wires and of the sheets."""
        return coefficients[..., self.first_wire :], coefficients[..., : self.first_wire]

    def segment_currents(self, coefficients: Complexes) -> Complexes:
        """Currents (..., segments, 2) along each segment at its two ends, from coefficients (..., functions)."""
        return self.wires.segment_currents(self.split(coefficients)[0])
