"""The impedance matrix of a wire basis: any block on demand.

Z_mn = jωµ/4π ∬ f_m·f_n ⟨e^{-jkR}/R⟩ + 1/(4π jωε) ∬ f_m' f_n' ⟨e^{-jkR}/R⟩ (Harrington 1968, eq. 4-5, Galerkin), the
average being the tube kernel's.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT, wavenumber
from ..running import announce, in_threads, thread_count
from .wire_basis import WireBasis

_TILE = 64


@dataclass(frozen=True, slots=True)
class _Groups:
    """Runs of basis functions with the segments and half functions under them, flattened for the kernel."""

    arrays: tuple[NDArray[Any], ...]
    count: int


def _groups(basis: WireBasis, wanted: NDArray[np.int64]) -> _Groups:
    halves, signs = basis.halves[:, wanted], basis.signs[:, wanted]
    seg_start, segs, slots, starts = [0], [], [], [0]
    for first in range(0, len(wanted), _TILE):
        chunk = halves[:, first : first + _TILE]
        here, place = np.unique(chunk // 2, return_inverse=True)
        slots.append(2 * place.reshape(chunk.shape) + chunk % 2)
        segs.append(here)
        seg_start.append(seg_start[-1] + len(here))
        starts.append(starts[-1] + chunk.shape[1])
    arrays = (np.array(seg_start), np.concatenate(segs), np.concatenate(slots, axis=1), signs, np.array(starts))
    return _Groups(tuple(np.ascontiguousarray(a) for a in arrays), len(starts) - 1)


@dataclass(frozen=True)
class WireMatrix:
    """The impedance matrix of a basis at one frequency (Hz), over a perfect plane z = 0 or not."""

    basis: WireBasis
    frequency: float
    plane: bool

    @cached_property
    def _all(self) -> _Groups:
        return _groups(self.basis, np.arange(self.basis.size))

    def _fill(
        self, rows: _Groups, columns: _Groups, tiles: NDArray[np.int64], mirrored: bool, shape: tuple[int, int]
    ) -> NDArray[np.complex128]:
        from ..kernels.fill import fill

        announce(fill)
        omega = 2.0 * math.pi * self.frequency
        matrix = np.empty(shape, np.complex128)

        def work(share: NDArray[np.int64]) -> None:
            fill(
                self.basis.mesh.columns,
                rows.arrays,
                columns.arrays,
                share,
                mirrored,
                wavenumber(self.frequency),
                omega * MAGNETIC_CONSTANT / (4.0 * math.pi),
                1.0 / (4.0 * math.pi * omega * ELECTRIC_CONSTANT),
                self.plane,
                matrix,
            )

        threads = min(thread_count(), len(tiles))
        in_threads(work, [np.ascontiguousarray(tiles[i::threads]) for i in range(threads)])
        return matrix

    def block(self, rows: ArrayLike, columns: ArrayLike) -> NDArray[np.complex128]:
        """Entries (rows, columns), ohm, each worked out as it stands: nothing is mirrored."""
        first, second = (_groups(self.basis, np.asarray(x, np.int64)) for x in (rows, columns))
        tiles = np.indices((first.count, second.count)).reshape(2, -1).T
        shape = (int(first.arrays[-1][-1]), int(second.arrays[-1][-1]))
        return self._fill(first, second, np.ascontiguousarray(tiles), False, shape)

    def full(self) -> NDArray[np.complex128]:
        """The whole matrix (n, n), ohm; tiles below the diagonal are mirrored from those above."""
        n = self._all.count
        tiles = np.stack(np.triu_indices(n), axis=1)
        return self._fill(self._all, self._all, tiles, True, (self.basis.size, self.basis.size))
