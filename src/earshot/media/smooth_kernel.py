"""The kernels of a stack made smooth near by, so that a grid can carry them.

Beyond a reach they are the kernels themselves. Within it they go over into the smoothest waves Σ c J0(kρ), k up to
`_FASTEST` a reach, that follow the kernels over the last part of the way; what they differ by there is blended out. So
nothing of them is faster than a grid of a sixth of the reach can tell.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Complexes, Floats
from .kernel_table import KernelTable, cubics_through, parted

_INNER = 0.6
"""Where blending begins, in reaches."""
_FASTEST, _WAVES, _RIDGE = 12.0, 14, 1e-3
_INTERVALS = 96


@dataclass(frozen=True)
class SmoothKernels:
    """Both kernels of a table, 1/m, smooth within a distance `reach`, m. waves (2, kinds): amounts of J0(kρ)."""

    table: KernelTable
    reach: float
    waves: Complexes

    def at(self, rho: ArrayLike) -> Complexes:
        """The vector and the scalar kernel (2, ...) at distances >= 0."""
        distance = np.asarray(rho, float)
        flat = distance.ravel()
        found = _both(self.table, np.maximum(flat, _INNER * self.reach))
        near = flat < self.reach
        x = flat[near] / self.reach
        waves = self.waves @ _j0(x)
        found[:, near] = waves + _blend((x - _INNER) / (1.0 - _INNER)) * (found[:, near] - waves)
        return found.reshape(2, *distance.shape)

    def cubics(self) -> Floats:
        """Cubics of the place within equal intervals up to the reach: (intervals, 4 powers, 4), as `KernelTable`."""
        rho = np.linspace(0.0, self.reach, _INTERVALS + 1)
        flat_at_zero = ((1, np.zeros(2, np.complex128)), "not-a-knot")
        return parted(cubics_through(self.at(rho), rho, flat_at_zero))


def smooth_kernels(table: KernelTable, reach: float) -> SmoothKernels:
    """The kernels of a table, smooth within a distance, m."""
    turn = np.pi * (np.arange(300) + 0.5) / 300
    x = _INNER + (1.0 - _INNER) * 0.5 * (1.0 + np.cos(turn))
    # A ridge keeps the waves small where nothing tells them what to be.
    whole = np.concatenate([_j0(x).T, _RIDGE * np.eye(_WAVES)])
    wanted = np.concatenate([_both(table, x * reach).T, np.zeros((_WAVES, 2))])
    return SmoothKernels(table, reach, np.ascontiguousarray(np.linalg.lstsq(whole, wanted)[0].T))


def _both(table: KernelTable, rho: Floats) -> Complexes:
    return np.stack([table.vector(rho), table.scalar(rho)])


def _j0(x: Floats) -> Floats:
    from scipy.special import j0

    return np.asarray(j0(np.linspace(0.0, _FASTEST, _WAVES)[:, None] * x))


def _blend(x: Floats) -> Floats:
    """From nought to one, with four derivatives of nought at both ends."""
    x = np.clip(x, 0.0, 1.0)
    return np.asarray(x**5 * (126.0 - x * (420.0 - x * (540.0 - x * (315.0 - 70.0 * x)))))
