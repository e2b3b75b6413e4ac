"""Real earth: a half-space of soil or water under the antenna."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..arraytypes import Complexes, Floats
from ..constants import ELECTRIC_CONSTANT
from ..errors import UsageError
from .catalogue import Catalogue
from .half_space import HalfSpace, reflected
from .plain import Plain

_TABLE = "typical of its kind, of the order of the curves in ITU-R P.527; measure your own where it matters"


@dataclass(frozen=True, slots=True)
class Earth(Plain):
    """Earth below z = 0, everywhere alike: relative permittivity, conductivity (S/m), and where they are from."""

    name: str
    permittivity: float
    conductivity: float
    source: str = ""

    has_plane = True
    tabled = True
    takers = ("earth",)

    def __post_init__(self) -> None:
        for what, value, least in (("permittivity", self.permittivity, 1.0), ("conductivity", self.conductivity, 0.0)):
            if not (math.isfinite(value) and value >= least):
                raise UsageError(f"earth '{self.name}': {what} {value} is below {least:g}")

    def complex_permittivity(self, frequency: float) -> complex:
        """ε' - jσ/ωε0, relative, at a frequency in Hz."""
        return complex(self.permittivity, -self.conductivity / (2.0 * math.pi * frequency * ELECTRIC_CONSTANT))

    def reflected(self, theta: Floats, frequency: float) -> tuple[Complexes, Complexes]:
        """What it reflects of plane waves from θ (n,): factors of TM, +1 for a perfect plane, and TE, then -1."""
        return reflected(self.at(frequency), theta)

    def at(self, frequency: float) -> HalfSpace:
        """It at a frequency in Hz."""
        return HalfSpace(self.complex_permittivity(frequency))

    def below_at(self, frequency: float) -> HalfSpace:
        """It as what is below, at a frequency in Hz."""
        return self.at(frequency)

    def __str__(self) -> str:
        return f"{self.name} (εr {self.permittivity:g}, σ {self.conductivity:g} S/m) below z = 0"


earths = Catalogue(
    "earth",
    (
        Earth("dry sand", 3.0, 1e-4, _TABLE),
        Earth("rock", 7.0, 1e-3, _TABLE),
        Earth("city", 5.0, 1e-3, _TABLE),
        Earth("meadow", 13.0, 5e-3, _TABLE),
        Earth("farmland", 15.0, 1e-2, _TABLE),
        Earth("marsh", 30.0, 3e-2, _TABLE),
        Earth("fresh water", 80.0, 5e-3, _TABLE),
        Earth("sea", 81.0, 5.0, _TABLE),
        Earth("ice", 3.2, 1e-5, _TABLE),
    ),
)
"""Kinds of earth by generic name."""


def earth(name: str) -> Earth:
    """A kind of earth by generic name; raises UsageError naming the nearest there is.

    >>> earth("meadow").permittivity
    13.0
    """
    return earths[name]
