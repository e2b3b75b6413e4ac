"""How the matrix of an antenna is made in each medium: the one place of the solver that asks which it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from ..arraytypes import Complexes
from ..media.earth import Earth
from ..media.stack import Stack
from ..media.surroundings import Medium
from .basis import Basis
from .coupling import couple
from .earth import add_earth, table_for
from .earth_sheets import couple_by_earth, filler
from .matrix import WireMatrix
from .printed import printed_matrix
from .sheet_matrix import fill_sheet_matrix


class Formulation(Protocol):
    """What a medium makes of a basis."""

    def matrix(self, basis: Basis, frequency: float) -> Complexes:
        """The whole impedance matrix of perfect conductors (functions, functions), ohm, at a frequency in Hz."""
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


@dataclass(frozen=True, slots=True)
class OverEarth:
    """Wires and sheets above real earth: as in free space, and what earth sends back."""

    earth: Earth

    def matrix(self, basis: Basis, frequency: float) -> Complexes:
        """Wires, sheets and what couples them, straight and by way of earth."""
        matrix, first = np.zeros((basis.size, basis.size), np.complex128), basis.first_wire
        table = table_for(basis, self.earth, frequency)
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
    """Metal on one level of a stack of layers, with probes from the plane to it."""

    stack: Stack

    def matrix(self, basis: Basis, frequency: float) -> Complexes:
        """Sheets and probes with the stack's kernels."""
        return printed_matrix(basis, self.stack, frequency)


def formulation(medium: Medium) -> Formulation:
    """That of a medium."""
    if isinstance(medium, Stack):
        return OnLayers(medium)
    if isinstance(medium, Earth):
        return OverEarth(medium)
    return InTheOpen(medium.grounds)
