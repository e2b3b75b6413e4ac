"""Currents on one face of layers, and what goes up to it from z = 0 in probes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import wavenumber
from ..media.stack import Stack
from .radiator import Radiator
from .sheet_currents import SheetCurrents


def reach_between(one: Floats, two: Floats, round_about: float = 0.0) -> tuple[float, float]:
    """Least and greatest distance between boxes round places (n, 2) and (m, 2), m; the first a little larger."""
    low, high = one.min(axis=0) - round_about, one.max(axis=0) + round_about
    gap = np.maximum(np.maximum(low - two.max(axis=0), two.min(axis=0) - high), 0.0)
    whole = np.maximum(high, two.max(axis=0)) - np.minimum(low, two.min(axis=0))
    return float(np.linalg.norm(gap)), float(np.linalg.norm(whole))


@dataclass(frozen=True, eq=False)
class OnLevel:
    """Currents on the metal of a stack at one frequency, Hz, and in probes that end there.

    ends (n, 3), radii (n,), amounts (n,): places of ends, m, and the current from z = 0 up to each, A; what begins on
    the level is what ends there, taken off. places (p, 3): what all currents lie between.
    """

    stack: Stack
    frequency: float
    sheets: SheetCurrents | None
    ends: Floats
    radii: Floats
    amounts: Complexes
    places: Floats

    @property
    def wavenumber(self) -> float:
        """2πf/c, rad/m."""
        return wavenumber(self.frequency)

    @property
    def cell(self) -> float:
        """The longest side of the metal's triangles, m; as thick as the layers where there is none."""
        return self.stack.thickness if self.sheets is None else float(self.sheets.mesh.edge_lengths.max())

    def reach_to(self, points: Floats) -> tuple[float, float]:
        """No point (n, 3) is nearer along the layers than the one, nor farther off than the other, m."""
        metal = self.ends[:, :2]
        if self.sheets is not None:
            metal = np.concatenate([metal, self.sheets.mesh.vertices[:, :2]])
        return reach_between(metal, points[:, :2], float(self.radii.max(initial=0.0)))

    @property
    def turned(self) -> OnLevel:
        """The same seen from under an open board: the board turned over, its metal raised to where it is then."""
        turned = self.stack.turned
        sheets = None if self.sheets is None else self.sheets.raised(turned.level - self.stack.level)
        return replace(self, stack=turned, sheets=sheets)

    @cached_property
    def radiator(self) -> Radiator:
        """As they radiate from layers: moments of the sheets, and upward for probes, as high as 1/k0."""
        points, moments = np.zeros((0, 3)), np.zeros((0, 3), np.complex128)
        if self.sheets is not None:
            points, moments = self.sheets.as_moments
        upward = np.zeros((len(self.ends), 3), np.complex128)
        upward[:, 2] = self.amounts / self.wavenumber
        points, moments = np.concatenate([points, self.ends]), np.concatenate([moments, upward])
        return Radiator(None, np.zeros((0, 2), np.complex128), points, moments, self.places, self.wavenumber)
