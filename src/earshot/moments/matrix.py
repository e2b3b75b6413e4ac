"""The impedance matrix of a wire basis: any block on demand.

Z_mn = jωµ/4π ∬ f_m·f_n ⟨e^{-jkR}/R⟩ + 1/(4π jωε) ∬ f_m' f_n' ⟨e^{-jkR}/R⟩ (Harrington 1968, eq. 4-5, Galerkin), the
average being the tube kernel's.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import combinations_with_replacement, product

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Complexes, Floats, Ints
from ..constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT, wavenumber
from ..running import announce, in_threads, thread_count
from .wire_basis import WireBasis

_TILE = 64


@dataclass(frozen=True, slots=True)
class _Group:
    """A run of basis functions with the segments (8, m) and the half functions (2, n) under them."""

    segments: Floats
    slots: Ints
    signs: Floats
    span: slice


def _group(basis: WireBasis, some: Ints, first: int = 0) -> _Group:
    halves = basis.halves[:, some]
    here, place = np.unique(halves // 2, return_inverse=True)
    return _Group(
        np.ascontiguousarray(basis.mesh.columns[:, here]),
        2 * place.reshape(halves.shape) + halves % 2,
        np.ascontiguousarray(basis.signs[:, some]),
        slice(first, first + len(some)),
    )


def _groups(basis: WireBasis, wanted: Ints) -> list[_Group]:
    return [_group(basis, wanted[first : first + _TILE], first) for first in range(0, len(wanted), _TILE)]


@dataclass(frozen=True)
class WireMatrix:
    """The impedance matrix of a basis at one frequency (Hz), over a perfect plane z = 0 or not."""

    basis: WireBasis
    frequency: float
    plane: bool

    def _fill(self, tiles: list[tuple[_Group, _Group]], mirrored: bool, matrix: Complexes) -> None:
        from ..kernels.fill import fill_tile

        announce(fill_tile)

        def work(share: list[tuple[_Group, _Group]]) -> None:
            for a, b in share:
                tile = np.empty((1, a.slots.shape[1], b.slots.shape[1]), np.complex128)
                self._pairs(a, b, mirrored and a is b, 0.0, tile)
                tile = tile[0]
                matrix[a.span, b.span] = tile
                if mirrored and a is not b:
                    matrix[b.span, a.span] = tile.T

        threads = min(thread_count(), len(tiles))
        in_threads(work, [tiles[i::threads] for i in range(threads)])

    def _pairs(self, a: _Group, b: _Group, same: bool, reach: float, tiles: Complexes) -> None:
        from ..kernels.fill import fill_tile

        omega = 2.0 * math.pi * self.frequency
        fill_tile(
            a.segments, a.slots, a.signs, b.segments, b.slots, b.signs, same, wavenumber(self.frequency),
            omega * MAGNETIC_CONSTANT / (4.0 * math.pi), 1.0 / (4.0 * math.pi * omega * ELECTRIC_CONSTANT), self.plane,
            reach, tiles,
        )  # fmt: skip

    def tile(self, rows: Ints, columns: Ints, reach: float, tiles: Complexes) -> None:
        """Put entries (rows, columns), ohm, into the first of tiles, in one thread.

        Into a second go those of potentials that fade within a reach, m.
        """
        one = _group(self.basis, rows)
        same = rows is columns or np.array_equal(rows, columns)
        self._pairs(one, one if same else _group(self.basis, columns), same, reach, tiles)

    def block(self, rows: ArrayLike, columns: ArrayLike) -> Complexes:
        """Entries (rows, columns), ohm, each worked out as it stands: nothing is mirrored."""
        first, second = np.asarray(rows, np.int64), np.asarray(columns, np.int64)
        tiles = list(product(_groups(self.basis, first), _groups(self.basis, second)))
        found = np.empty((len(first), len(second)), np.complex128)
        self._fill(tiles, False, found)
        return found

    def fill(self, matrix: Complexes) -> None:
        """Put the whole into a matrix (n, n), ohm; tiles below the diagonal are mirrored from those above."""
        groups = _groups(self.basis, np.arange(self.basis.size))
        self._fill(list(combinations_with_replacement(groups, 2)), True, matrix)
