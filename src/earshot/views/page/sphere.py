"""Far fields in as few directions as tell all others: what a page holds of them, and how far off that is."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...arraytypes import Complexes, Floats, Ints
from ...constants import WAVE_IMPEDANCE
from ...fields.source import Source, all_directions

STEPS = (6.0, 5.0, 3.0, 2.0, 1.5, 1.0)
"""Degrees between directions; they divide a right angle."""
ENOUGH = 3e-4
"""How far a field between these directions may be off, as a share of its greatest."""
_TAPS = 8
_TRIED = 240


@dataclass(frozen=True, slots=True)
class Grid:
    """Directions a step of degrees apart. plane: nothing is below the horizon. torn: what is below it is another field,
    so that nothing is interpolated across.
    """

    step: float
    plane: bool
    torn: bool

    @property
    def _quarter(self) -> int:
        return round(90.0 / self.step)

    @property
    def theta(self) -> Floats:
        """θ (m,), radians."""
        return np.asarray(np.radians(self.step * np.arange(self._quarter * (1 if self.plane else 2) + 1)))

    @property
    def phi(self) -> Floats:
        """φ (n,), radians."""
        return np.asarray(np.radians(self.step * np.arange(round(360.0 / self.step))))

    @property
    def size(self) -> int:
        """How many directions."""
        return len(self.theta) * len(self.phi)

    def at(self, samples: Complexes, theta: Floats, phi: Floats) -> Complexes:
        """Fields (..., n) in directions (n,) between samples (..., m, k) of it: Lagrange's polynomials through eight of
        them each way. Beyond the zenith E_θ and E_φ go on half a turn round, with the other sign.
        """
        across, turns = np.degrees(theta) / self.step, np.degrees(phi) / self.step
        rows, by_row = self._taps(across, *self._within(across))
        columns, by_column = self._taps(turns, np.full(len(phi), -math.inf), np.full(len(phi), math.inf))
        half, count = 2 * self._quarter, len(self.phi)
        rows = np.mod(rows, 2 * half)
        beyond = rows > half
        rows = np.where(beyond, 2 * half - rows, rows)
        place = np.mod(columns[:, None] + np.where(beyond, count // 2, 0)[:, :, None], count)
        weights = by_row[:, :, None] * np.where(beyond, -1.0, 1.0)[:, :, None] * by_column[:, None]
        return np.asarray((samples[..., rows[:, :, None], place] * weights).sum(axis=(-2, -1)))

    def _within(self, across: Floats) -> tuple[Floats, Floats]:
        """The first and last row that may be used for each direction."""
        low, high = np.full(len(across), -math.inf), np.full(len(across), math.inf)
        if self.plane or self.torn:
            above = across <= self._quarter
            high[above] = self._quarter
            low[~above] = self._quarter
        return low, high

    @staticmethod
    def _taps(places: Floats, low: Floats, high: Floats) -> tuple[Ints, Floats]:
        first = np.floor(places) - (_TAPS // 2 - 1)
        first = np.maximum(np.minimum(first, high - _TAPS + 1), low)
        nodes = first[:, None] + np.arange(_TAPS)
        off = places[:, None] - nodes
        weights = np.ones_like(off)
        for k in range(_TAPS):
            for other in range(_TAPS):
                if other != k:
                    weights[:, k] *= off[:, other] / (k - other)
        return nodes.astype(np.int64), weights


def sampled(sources: Sequence[Source], grid: Grid) -> Complexes:
    """(E_θ, E_φ) of every source on a grid (sources, 2, m, n)."""
    return np.array([source.far_field(grid.theta[:, None], grid.phi) for source in sources])


def grid_for(sources: Sequence[Source], most: float) -> tuple[Grid, float]:
    """The coarsest grid that tells fields well enough, with at most so many directions; and how far it is off."""
    one = sources[0]
    # Elements of an array are alike; those in the middle and at the ends stand for all.
    tried = [sources[n] for n in sorted({0, len(sources) // 2, len(sources) - 1})]
    torn = bool(one.abrupt and not one.plane)
    chance = np.random.default_rng(11)
    cosine = chance.uniform(0.0 if one.plane else -1.0, 1.0, _TRIED)
    theta, phi = np.arccos(cosine), chance.uniform(0.0, 2.0 * math.pi, _TRIED)
    exact = np.array([source.far_field(theta, phi) for source in tried])
    found = None
    for step in STEPS:
        grid = Grid(step, one.plane, torn)
        if found is not None and grid.size > most:
            break
        samples = sampled(tried, grid)
        off = float(np.abs(grid.at(samples, theta, phi) - exact).max() / np.abs(samples).max())
        found = grid, off
        if off <= ENOUGH:
            break
    assert found is not None
    return found


def powers(sources: Sequence[Source]) -> Complexes:
    """B (sources, sources) so that amounts v of the sources radiate vᴴ B v, W, together."""
    theta, phi, solid = all_directions(sources[0])
    fields = np.array([source.far_field(theta, phi) for source in sources])
    flat = (fields * np.sqrt(np.broadcast_to(solid, fields.shape[-2:]))).reshape(len(sources), -1)
    return np.asarray(flat.conj() @ flat.T / (2.0 * WAVE_IMPEDANCE))
