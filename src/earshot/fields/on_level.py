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

    def reach_to(self, points: Floats) -> float:
        """No point (n, 3) is farther off along the layers than this, m."""
        metal = self.ends[:, :2] if self.sheets is None else self.sheets.mesh.vertices[:, :2]
        low = np.minimum(metal.min(axis=0), points[:, :2].min(axis=0))
        high = np.maximum(metal.max(axis=0), points[:, :2].max(axis=0))
        return float(np.linalg.norm(high - low))

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
