"""How the matrix of an antenna is made in each medium: the one place of the solver that asks which it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from ..arraytypes import Complexes, Ints
from ..constants import wavenumber
from ..description.antenna import Antenna
from ..media.earth import Earth
from ..media.half_space import Below
from ..media.stack import Stack
from ..media.surroundings import Medium, PerfectPlane
from ..meshing.mesh import MeshRule, WireMesh, mesh
from ..meshing.sheet_mesh import SheetMesh, sheet_mesh
from . import potential
from .basis import Basis
from .coupling import couple
from .earth import add_earth, table_for
from .earth_sheets import couple_by_earth, filler
from .incident import PlaneWave, refuse_from_below, tested_in_layers, tested_in_the_open
from .layered import layered
from .matrix import WireMatrix
from .over_layers import among, with_level
from .printed import printed_matrix
from .sheet_basis import sheet_basis
from .sheet_matrix import fill_sheet_matrix
from .wire_basis import wire_basis


class Formulation(Protocol):
    """What a medium makes of a basis."""

    def matrix(self, basis: Basis, frequency: float) -> Complexes:
        """The whole impedance matrix of perfect conductors (functions, functions), ohm, at a frequency in Hz."""
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
    table = table_for(basis, below, wavenumber(frequency))
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
    """Metal on one level of a stack of layers, probes from the plane to it, and wires and sheets in the air over it."""

    stack: Stack

    def matrix(self, basis: Basis, frequency: float) -> Complexes:
        """What is on the layers, what is in the air over them, and what couples them."""
        parts = layered(basis, self.stack)
        on = np.concatenate([parts.on_metal, np.arange(basis.first_wire, basis.size)])
        matrix = np.zeros((basis.size, basis.size), np.complex128)
        matrix[np.ix_(on, on)] = printed_matrix(parts, self.stack, frequency)
        if parts.aloft is not None:
            aloft, own = parts.aloft.basis, parts.aloft.own
            alone = over(aloft, self.stack.at(frequency), frequency)
            if len(parts.aloft.ends):
                alone += among(parts, self.stack, frequency)
            matrix[np.ix_(own, own)] += alone
            between = with_level(parts, self.stack, frequency)
            matrix[np.ix_(own, on)] += between
            matrix[np.ix_(on, own)] += between.T
        return matrix

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


def formulation(medium: Medium) -> Formulation:
    """That of a medium."""
    if isinstance(medium, Stack):
        return OnLayers(medium)
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
    wires = wire_basis(grid, medium.holds(grid.centres[:, 2]))
    return Basis(wires, None if triangles is None else sheet_basis(triangles, grounded=medium.grounds), reach)
