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
from .basis import WireBasis

_TILE = 64


@dataclass(frozen=True, slots=True)
class _Groups:
    """Runs of basis functions with the segments and half functions under them, flattened for the kernel."""

    arrays: tuple[NDArray[Any], ...]
    count: int


def _groups(basis: WireBasis, wanted: NDArray[np.int64]) -> _Groups:
    order = np.argsort(basis.function, kind="stable")
    bounds = np.searchsorted(basis.function[order], np.arange(basis.size + 1))
    seg_start, segs, half_counts, half_basis, half_sign, starts = [0], [], [], [], [], [0]
    for first in range(0, len(wanted), _TILE):
        functions = wanted[first : first + _TILE]
        rows = np.concatenate([order[bounds[f] : bounds[f + 1]] for f in functions])
        local = np.repeat(np.arange(len(functions)), bounds[functions + 1] - bounds[functions])
        half, sign = basis.half[rows], basis.sign[rows]
        here, place = np.unique(half // 2, return_inverse=True)
        slot = 2 * place + half % 2
        by_slot = np.argsort(slot, kind="stable")
        half_counts.append(np.bincount(slot, minlength=2 * len(here)))
        half_basis.append(local[by_slot])
        half_sign.append(sign[by_slot])
        segs.append(here)
        seg_start.append(seg_start[-1] + len(here))
        starts.append(starts[-1] + len(functions))
    pointer = np.concatenate([[0], np.cumsum(np.concatenate(half_counts))])
    return _Groups(
        (
            np.array(seg_start),
            np.concatenate(segs),
            pointer,
            np.concatenate(half_basis),
            np.concatenate(half_sign),
            np.array(starts),
            np.arange(len(wanted)),
        ),
        len(starts) - 1,
    )


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
                1j * omega * MAGNETIC_CONSTANT / (4.0 * math.pi),
                1.0 / (4.0j * math.pi * omega * ELECTRIC_CONSTANT),
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
        shape = (int(first.arrays[-2][-1]), int(second.arrays[-2][-1]))
        return self._fill(first, second, np.ascontiguousarray(tiles), False, shape)

    def full(self) -> NDArray[np.complex128]:
        """The whole matrix (n, n), ohm; tiles below the diagonal are mirrored from those above."""
        n = self._all.count
        tiles = np.stack(np.triu_indices(n), axis=1)
        return self._fill(self._all, self._all, tiles, True, (self.basis.size, self.basis.size))
