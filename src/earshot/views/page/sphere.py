"""Far fields in as few directions as tell all others: what a page holds of them, and how far off that is."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...arraytypes import Bools, Complexes, Floats, Ints
from ...constants import WAVE_IMPEDANCE
from ...fields.source import Source, all_directions

STEPS = (6.0, 5.0, 3.0, 2.0, 1.5, 1.0)
"""Degrees between directions; they divide a right angle."""
ENOUGH = 3e-4
"""How far a field between these directions may be off, as a share of its greatest."""
_TAPS = 8
_BESIDE = 1e-7
"""Radians off the horizon at which a field above or below it is taken for the one there."""
_TRIED = 240


@dataclass(frozen=True, slots=True)
class Grid:
    """Directions a step of degrees apart. plane: nothing is below the horizon. steep: fields change within a degree of
    it, as over layers and earth, so that rows draw together there: θ is a quarter turn's sine of their number.
    """

    step: float
    plane: bool
    steep: bool

    @property
    def _quarter(self) -> int:
        return round(90.0 / self.step)

    @property
    def theta(self) -> Floats:
        """θ (m,), radians; a torn sphere has its horizon twice, from above and from below."""
        share = np.arange(self._quarter + 1) / self._quarter
        above = 0.5 * math.pi * (np.sin(0.5 * math.pi * share) if self.steep else share)
        if self.plane:
            return np.asarray(above)
        below = math.pi - above[::-1]
        if not self.torn:
            return np.concatenate([above, below[1:]])
        return np.concatenate([above[:-1], [0.5 * math.pi - _BESIDE, 0.5 * math.pi + _BESIDE], below[1:]])

    @property
    def torn(self) -> bool:
        """Whether what is below the horizon is another field, so that nothing is interpolated across."""
        return self.steep and not self.plane

    def _rows_at(self, theta: Floats, below: Bools) -> Floats:
        """Where angles lie among the rows."""
        share = np.where(theta > 0.5 * math.pi, math.pi - theta, theta) / (0.5 * math.pi)
        share = 2.0 / math.pi * np.arcsin(np.clip(share, 0.0, 1.0)) if self.steep else share
        places = self._quarter * share
        return np.where(theta > 0.5 * math.pi, 2 * self._quarter - places, places) + below

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
        below = self.torn & (theta > 0.5 * math.pi)
        across, turns = self._rows_at(theta, below), np.degrees(phi) / self.step
        low, high = np.full(len(theta), -math.inf), np.full(len(theta), math.inf)
        if self.plane or self.torn:
            high[~below], low[below] = self._quarter, self._quarter + 1
        rows, by_row = self._taps(across, low, high)
        columns, by_column = self._taps(turns, np.full(len(phi), -math.inf), np.full(len(phi), math.inf))
        last, count = len(self.theta) - 1, len(self.phi)
        beyond = (rows < 0) | (rows > last)
        rows = np.where(rows < 0, -rows, np.where(rows > last, 2 * last - rows, rows))
        place = np.mod(columns[:, None] + np.where(beyond, count // 2, 0)[:, :, None], count)
        weights = by_row[:, :, None] * np.where(beyond, -1.0, 1.0)[:, :, None] * by_column[:, None]
        return np.asarray((samples[..., rows[:, :, None], place] * weights).sum(axis=(-2, -1)))

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
    chance = np.random.default_rng(11)
    cosine = chance.uniform(0.0 if one.plane else -1.0, 1.0, _TRIED)
    theta, phi = np.arccos(cosine), chance.uniform(0.0, 2.0 * math.pi, _TRIED)
    exact = np.array([source.far_field(theta, phi) for source in tried])
    found = None
    for step in STEPS:
        grid = Grid(step, one.plane, one.abrupt)
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
