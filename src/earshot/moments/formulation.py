"""How the matrix of an antenna is made in each medium: the one place of the solver that asks which it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple, Protocol

import numpy as np

from ..arraytypes import Complexes, Ints
from ..constants import wavenumber
from ..description.antenna import Antenna
from ..media.both_sides import BothSides
from ..media.earth import Earth
from ..media.half_space import Below
from ..media.stack import Stack
from ..media.surroundings import Medium, PerfectPlane
from ..meshing.mesh import MeshRule, WireMesh, mesh
from ..meshing.sheet_mesh import SheetMesh, sheet_mesh
from . import potential
from .alike import alike_elements, like_rows
from .basis import Basis
from .bordered import Bordered
from .coupling import couple
from .earth import add_earth
from .earth import table_for as earth_table
from .earth_sheets import couple_by_earth, filler
from .fast_open import clustered, in_parts
from .fast_printed import FeetOnGrid, on_grid, reach_of
from .feet_rows import feet_rows, standing
from .incident import PlaneWave, refuse_from_below, tested_by_sides, tested_in_layers, tested_in_the_open
from .iterative import Nearly
from .layered import layered
from .matrix import WireMatrix
from .near_printed import pairs_near
from .openings import across_openings, admittance, seen_through, sides_of
from .operator import Operator
from .over_layers import among, with_level
from .printed import Beyond, border_of_metal, fill_metal, tables_for
from .sheet_basis import sheet_basis
from .sheet_matrix import fill_sheet_matrix
from .tiles import Tiles
from .wire_basis import wire_basis


class Amount(NamedTuple):
    """What a grid takes on: functions, triangles, feet that look at them, pairs of triangles that are near; whether of
    elements that are alike.
    """

    functions: int
    triangles: int
    feet: int
    pairs: float
    alike: bool


class Parts(NamedTuple):
    """What a matrix in parts is made of: entries that are near, and pairs of clusters that are far; whether of elements
    that are alike.
    """

    near: float
    far: int
    alike: bool


class Formulation(Protocol):
    """What a medium makes of a basis."""

    def matrix(self, basis: Basis, frequency: float) -> Complexes:
        """The whole impedance matrix of perfect conductors (functions, functions), ohm, at a frequency in Hz."""
        ...

    def taken_on(self, basis: Basis, /) -> int:
        """How many functions an `operator` takes on, but for a dense border; none where there is none."""
        ...

    def amount(self, basis: Basis, frequency: float, /) -> Amount | Parts:
        """What such an operator is made of."""
        ...

    def operator(self, basis: Basis, frequency: float, local: Any, /) -> Operator:
        """That and `local`, sparse (functions, functions), in less room than all of it."""
        ...

    def rows(self, basis: Basis, frequency: float, rows: Ints, /) -> Complexes | None:
        """Some rows of that matrix, filled alone; None where they cannot be had for less than the whole."""
        ...

    def tested(self, basis: Basis, wave: PlaneWave, frequency: float) -> Complexes:
        """∫ f·E (functions,), volts, of a plane wave; raises UsageError where it cannot come from there."""
        ...

    def potential(self, basis: Basis, amounts: Complexes, frequency: float, segments: Ints) -> Complexes:
        """The scalar potential (n,), V, mean along segments (n,), of functions times amounts (functions,)."""
        ...


@dataclass(frozen=True, slots=True)
class InTheOpen:
    """Wires and sheets in free space, or over a perfect plane z = 0 with their images."""

    plane: bool

    def matrix(self, basis: Basis, frequency: float) -> Complexes:
        """Wires, sheets and what couples them."""
        matrix, first = np.zeros((basis.size, basis.size), np.complex128), basis.first_wire
        if basis.sheets is not None:
            fill_sheet_matrix(basis.sheets, frequency, matrix, plane=self.plane)
        if basis.wires.size:
            WireMatrix(basis.wires, frequency, self.plane).fill(matrix[first:, first:])
            couple(basis, frequency, matrix, plane=self.plane)
        return matrix

    def taken_on(self, basis: Basis) -> int:
        """All but feet."""
        return basis.size - len(standing(basis))

    def amount(self, basis: Basis, frequency: float) -> Parts:
        """Of all but feet."""
        return parts_of(basis, frequency, self.plane)

    def operator(self, basis: Basis, frequency: float, local: Any) -> Bordered:
        """What is far by few functions."""
        return in_parts(Tiles(basis, frequency, self.plane), feet_rows(basis, frequency, self.plane, None), local)

    def rows(self, basis: Basis, frequency: float, rows: Ints) -> Complexes | None:
        """Of wires alone."""
        if basis.sheets is not None:
            return None
        return WireMatrix(basis.wires, frequency, self.plane).block(rows, np.arange(basis.size))

    def tested(self, basis: Basis, wave: PlaneWave, frequency: float) -> Complexes:
        """The wave itself, and over a plane its image."""
        if not self.plane:
            return tested_in_the_open(basis, wave, frequency, None)
        refuse_from_below(wave)
        return tested_in_the_open(basis, wave, frequency, PerfectPlane().reflected)

    def potential(self, basis: Basis, amounts: Complexes, frequency: float, segments: Ints) -> Complexes:
        """Of the charges, and over a plane of their images."""
        by = potential.over_plane if self.plane else potential.in_the_open
        return by(basis, amounts, frequency, potential.charges_at(basis, segments))


@dataclass(frozen=True, slots=True)
class OverEarth:
    """Wires and sheets above real earth: as in free space, and what earth sends back."""

    earth: Earth

    def matrix(self, basis: Basis, frequency: float) -> Complexes:
        """Wires, sheets and what couples them, straight and by way of earth."""
        return over(basis, self.earth.at(frequency), frequency)

    def taken_on(self, basis: Basis) -> int:
        """All but feet."""
        return basis.size - len(standing(basis))

    def amount(self, basis: Basis, frequency: float) -> Parts:
        """Of all but feet."""
        return parts_of(basis, frequency, True)

    def operator(self, basis: Basis, frequency: float, local: Any) -> Bordered:
        """What is far by few functions."""
        table = earth_table(basis, self.earth.at(frequency), wavenumber(frequency))
        tiles = Tiles(basis, frequency, table=table)
        return in_parts(tiles, feet_rows(basis, frequency, False, table), local)

    def rows(self, _basis: Basis, _frequency: float, _rows: Ints) -> None:
        """None: what is sent back is filled for all at once."""

    def tested(self, basis: Basis, wave: PlaneWave, frequency: float) -> Complexes:
        """The wave itself, and what earth reflects of it."""
        refuse_from_below(wave)
        return tested_in_the_open(basis, wave, frequency, self.earth.reflected)

    def potential(self, basis: Basis, amounts: Complexes, frequency: float, segments: Ints) -> Complexes:
        """Of the charges, and what earth sends back of them."""
        places = potential.charges_at(basis, segments)
        return potential.over(basis, amounts, frequency, places, self.earth.at(frequency))


def over(basis: Basis, below: Below, frequency: float) -> Complexes:
    """The matrix of wires and sheets in the air over z = 0, where something sends waves back."""
    matrix, first = np.zeros((basis.size, basis.size), np.complex128), basis.first_wire
    table = earth_table(basis, below, wavenumber(frequency))
    if basis.sheets is not None:
        fill_sheet_matrix(basis.sheets, frequency, matrix, besides=filler(basis.sheets, table, frequency))
    if basis.wires.size:
        WireMatrix(basis.wires, frequency, False).fill(matrix[first:, first:])
        add_earth(basis.wires, table, frequency, matrix[first:, first:])
        couple(basis, frequency, matrix)
        couple_by_earth(basis, table, frequency, matrix)
    return matrix


@dataclass(frozen=True, slots=True)
class OnLayers:
    """Metal on levels of a stack of layers, probes to and between them, and wires and sheets in the air over it."""

    stack: Stack

    def matrix(self, basis: Basis, frequency: float) -> Complexes:
        """What is on the layers, what is in the air over them, and what couples them."""
        parts = layered(basis, self.stack)
        matrix = np.zeros((basis.size, basis.size), np.complex128)
        if parts.metal is not None:
            fill_metal(parts, self.stack, frequency, matrix)
        outer, rows = self._border(basis, frequency)
        matrix[outer] = rows
        matrix[:, outer] = rows.T
        return matrix

    def taken_on(self, basis: Basis) -> int:
        """Those on the metal of the level, where there is but one."""
        parts = layered(basis, self.stack)
        return len(parts.on_metal) if len(parts.levels) == 1 else 0

    def amount(self, basis: Basis, frequency: float) -> Amount:
        """Of the metal on the level, where there is any."""
        parts = layered(basis, self.stack)
        assert parts.metal is not None
        pairs = pairs_near(parts.metal, reach_of(parts.metal, self.stack, frequency))
        alike, feet = alike_elements(basis, True), len(parts.levels[0].fans)
        like = None if alike is None or parts.aloft is not None else like_rows(alike, basis.first_wire)
        looking = feet if like is None else min(feet, len(like.asked))
        return Amount(parts.metal.size, len(parts.metal.mesh), looking, pairs, alike is not None)

    def operator(self, basis: Basis, frequency: float, local: Any) -> Bordered:
        """Metal on the level by a grid, all else as it is."""
        parts = layered(basis, self.stack)
        assert parts.metal is not None
        inner, (level,) = parts.on_metal, parts.levels
        reach = reach_of(parts.metal, self.stack, frequency)
        table = tables_for(parts, self.stack, frequency)[level.key, level.key]
        inside = None if local is None else local[inner][:, inner]
        metal, faded, places = on_grid(parts.metal, table, frequency, reach, inside)
        alike = alike_elements(basis, True)
        # Of metal that is all on the level, the border is what wires do.
        like = None if alike is None or parts.aloft is not None else like_rows(alike, basis.first_wire)
        outer, rows = self._border(basis, frequency, FeetOnGrid(metal, level, reach, like))
        if local is not None:
            rows += local[outer].toarray()
        nearly = Nearly(inner, outer, faded, places, rows[:, np.concatenate([inner, outer])])
        return Bordered(metal, nearly, alike)

    def _border(self, basis: Basis, frequency: float, beyond: Beyond | None = None) -> tuple[Ints, Complexes]:
        """The functions that are not on the metal of the level, and their rows (functions, all)."""
        parts = layered(basis, self.stack)
        wires = np.arange(basis.first_wire, basis.size)
        on = np.concatenate([parts.on_metal, wires])
        outer = np.setdiff1d(np.arange(basis.size), parts.on_metal)
        rows = np.zeros((len(outer), basis.size), np.complex128)
        at_wires = np.searchsorted(outer, wires)
        rows[np.ix_(at_wires, on)] = border_of_metal(parts, tables_for(parts, self.stack, frequency), frequency, beyond)
        if parts.aloft is not None:
            aloft, own = parts.aloft.basis, parts.aloft.own
            alone = over(aloft, self.stack.at(frequency), frequency)
            if len(parts.aloft.ends):
                alone += among(parts, frequency)
            at_own = np.searchsorted(outer, own)
            rows[np.ix_(at_own, own)] += alone
            between = with_level(parts, frequency)
            rows[np.ix_(at_own, on)] += between
            rows[np.ix_(at_wires, own)] += between[:, len(parts.on_metal) :].T
        return outer, rows

    def rows(self, _basis: Basis, _frequency: float, _rows: Ints) -> None:
        """None: what is sent back is filled for all at once."""

    def tested(self, basis: Basis, wave: PlaneWave, frequency: float) -> Complexes:
        """The field in the layers, and over them."""
        if self.stack.has_plane:
            refuse_from_below(wave)
        return tested_in_layers(basis, wave, frequency, self.stack)

    def potential(self, basis: Basis, amounts: Complexes, frequency: float, segments: Ints) -> Complexes:
        """Of what is on the layers, in them, and in the air over them; segments: in the air."""
        aloft = np.flatnonzero(~basis.wires.through)
        found = potential.over_layers(layered(basis, self.stack), amounts, frequency, self.stack)
        return found[np.searchsorted(aloft, segments)]


@dataclass(frozen=True, slots=True)
class OnBothSides:
    """Metal on layers over and under a plane, and openings in it that join the two."""

    medium: BothSides

    def matrix(self, basis: Basis, frequency: float) -> Complexes:
        """Each side by itself, and openings, whose functions are volts."""
        parts = sides_of(basis, self.medium)
        matrix = np.zeros((basis.size, basis.size), np.complex128)
        for side in parts.sides:
            if side.basis.size:
                matrix[np.ix_(side.own, side.own)] = OnLayers(side.stack).matrix(side.basis, frequency)
            if parts.openings is None:
                continue
            matrix[np.ix_(parts.own, parts.own)] -= admittance(parts.openings, side.stack, frequency)
            if side.basis.size:
                seen = seen_through(side, parts.openings, frequency)
                matrix[np.ix_(side.own, parts.own)] = -seen
                matrix[np.ix_(parts.own, side.own)] = -seen.T
        if parts.openings is not None and parts.bridges.size:
            across = across_openings(parts)
            matrix[np.ix_(parts.bridging, parts.own)] = -across
            matrix[np.ix_(parts.own, parts.bridging)] = -across.T
        return matrix

    def taken_on(self, _basis: Basis) -> int:
        """None."""
        return 0

    def amount(self, _basis: Basis, _frequency: float) -> Amount:
        """Of nothing."""
        raise NotImplementedError

    def operator(self, _basis: Basis, _frequency: float, _local: Any) -> Operator:
        """There is none."""
        raise NotImplementedError

    def rows(self, _basis: Basis, _frequency: float, _rows: Ints) -> None:
        """None: what is sent back is filled for all at once."""

    def tested(self, basis: Basis, wave: PlaneWave, frequency: float) -> Complexes:
        """The field in the layers of the side that it comes from, and across openings in the plane."""
        return tested_by_sides(sides_of(basis, self.medium), basis.size, wave, frequency)

    def potential(self, _basis: Basis, _amounts: Complexes, _frequency: float, segments: Ints) -> Complexes:
        """There are no wires in the air."""
        return np.zeros(len(segments), np.complex128)


def parts_of(basis: Basis, frequency: float, level: bool) -> Parts:
    """What the matrix of a basis in the open is in parts; level: see `alike_elements`."""
    clusters = clustered(basis, frequency).clusters
    counts = np.diff(clusters.spans, axis=1)[:, 0]
    near = float(counts[clusters.near].prod(axis=1).sum())
    return Parts(near, len(clusters.far), alike_elements(basis, level) is not None)


def formulation(medium: Medium) -> Formulation:
    """That of a medium."""
    if isinstance(medium, Stack):
        return OnLayers(medium)
    if isinstance(medium, BothSides):
        return OnBothSides(medium)
    if isinstance(medium, Earth):
        return OverEarth(medium)
    return InTheOpen(medium.grounds)


def antenna_basis(antenna: Antenna, wavelength: float, rule: MeshRule) -> Basis:
    """Basis functions on the mesh for wavelengths down to `wavelength`, metres."""
    grid = mesh(antenna, wavelength, rule)
    if not antenna.sheets:
        return basis_on(grid, None, 0.0, antenna.medium)
    thickest = max((w.radius for w in antenna.wires), default=0.0)
    return basis_on(grid, sheet_mesh(antenna, wavelength, rule), 1e-9 * antenna.size + 2e-3 * thickest, antenna.medium)


def basis_on(grid: WireMesh, triangles: SheetMesh | None, reach: float, medium: Medium) -> Basis:
    """Basis functions on segments and triangles in a medium; reach: how far a foot may be from its vertex, m."""
    through = medium.holds(grid.centres[:, 2])
    # What is in layers of a wire is one piece, if it is not divided.
    alone = np.bincount(grid.wire[through], minlength=len(grid.wire) + 1)[grid.wire] == 1
    wires = wire_basis(grid, through, through & alone)
    sheets = None if triangles is None else sheet_basis(triangles, grounded=medium.grounds)
    return Basis(wires, sheets, reach, medium.planes or (0.0,))
