"""Walls and roofs: what building materials are made of, and what a slab of one sends back and lets through."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import ELECTRIC_CONSTANT, wavenumber
from ..errors import UsageError, unknown
from ..units import engineering

_PLAUSIBLE = 1e4
"""Permittivity, and metres of thickness, that no wall exceeds."""


class _Formula(NamedTuple):
    """Of ITU-R P.2040-3, eqs. (28) and (29): ε' = a fᵇ, σ = c fᵈ S/m with f in GHz, between two frequencies in GHz."""

    a: float
    b: float
    c: float
    d: float
    low: float
    high: float


_FORMULAS = {
    "concrete": (_Formula(5.24, 0.0, 0.0462, 0.7822, 1.0, 100.0),),
    "brick": (_Formula(3.91, 0.0, 0.0238, 0.16, 1.0, 40.0),),
    "plasterboard": (_Formula(2.73, 0.0, 0.0085, 0.9395, 1.0, 100.0),),
    "wood": (_Formula(1.99, 0.0, 0.0047, 1.0718, 0.001, 100.0),),
    "glass": (_Formula(6.31, 0.0, 0.0036, 1.3394, 0.1, 100.0), _Formula(5.79, 0.0, 0.0004, 1.658, 220.0, 450.0)),
    "ceiling board": (_Formula(1.48, 0.0, 0.0011, 1.075, 1.0, 100.0), _Formula(1.52, 0.0, 0.0029, 1.029, 220.0, 450.0)),
    "chipboard": (_Formula(2.58, 0.0, 0.0217, 0.78, 1.0, 100.0),),
    "plywood": (_Formula(2.71, 0.0, 0.33, 0.0, 1.0, 40.0),),
    "marble": (_Formula(7.074, 0.0, 0.0055, 0.9262, 1.0, 60.0),),
    "floorboard": (_Formula(3.66, 0.0, 0.0044, 1.3515, 50.0, 100.0),),
    "metal": (_Formula(1.0, 0.0, 1e7, 0.0, 1.0, 100.0),),
}
"""Table 3 of ITU-R P.2040-3 (2023)."""
PERFECT = "perfect conductor"
BUILDING_MATERIALS = (*_FORMULAS, PERFECT)
"""What walls may be of, by name."""


@dataclass(frozen=True, slots=True)
class Matter:
    """A building material of one's own: relative permittivity and conductivity, S/m, the same at all frequencies."""

    name: str
    permittivity: float
    conductivity: float = 0.0

    def __post_init__(self) -> None:
        if not (1.0 <= self.permittivity <= _PLAUSIBLE):
            raise UsageError(
                f"material '{self.name}': permittivity {self.permittivity:g} is not between 1 and {_PLAUSIBLE:g}"
            )
        if not (math.isfinite(self.conductivity) and self.conductivity >= 0.0):
            raise UsageError(f"material '{self.name}': conductivity {self.conductivity:g} S/m is below zero")


@dataclass(frozen=True, slots=True)
class Wall:
    """What a building's faces are: a material, by name or one's own, and its thickness, m."""

    material: str | Matter
    thickness: float

    @classmethod
    def of(cls, material: str | Matter, thickness: str | float = "0.3 m") -> Wall:
        """From what is given; raises UsageError for a material there is not, and a thickness out of range."""
        if isinstance(material, str) and material not in BUILDING_MATERIALS:
            raise UsageError(f"wall: {unknown('material', material, BUILDING_MATERIALS)}")
        deep = units.length(thickness, "wall, thickness")
        if not 0.0 < deep <= _PLAUSIBLE:
            raise UsageError(f"wall: a thickness of {deep:g} m is not above zero, or beyond {_PLAUSIBLE:g} m")
        return cls(material, deep)

    def __str__(self) -> str:
        name = self.material if isinstance(self.material, str) else self.material.name
        return f"{name}, {engineering(self.thickness, 'm', 3)}"

    def permittivity(self, frequency: float) -> complex | None:
        """ε' - jε'' at a frequency, none for a perfect conductor; raises UsageError beyond the material's formula."""
        if isinstance(self.material, Matter):
            real, sigma = self.material.permittivity, self.material.conductivity
        elif self.material == PERFECT:
            return None
        else:
            given, high = _FORMULAS[self.material], frequency / 1e9
            formula = next((f for f in given if f.low <= high <= f.high), None)
            if formula is None:
                spans = " and ".join(f"{f.low:g} to {f.high:g} GHz" for f in given)
                raise UsageError(
                    f"material '{self.material}': ITU-R P.2040 tells it from {spans}, "
                    f"{engineering(frequency, 'Hz', 4)} is asked for: give one of your own by permittivity and "
                    "conductivity"
                )
            real, sigma = formula.a * high**formula.b, formula.c * high**formula.d
        return complex(real, -sigma / (2.0 * math.pi * frequency * ELECTRIC_CONSTANT))


class Factors(NamedTuple):
    """Of a face, for incidence with E across the plane of incidence (te) and in it (tm), each (n,).

    Reflection keeps the sense of E across, and of E along the normal, where it is +1. Transmission is over what as much
    air would let through.
    """

    te: Complexes
    tm: Complexes
    te_through: Complexes
    tm_through: Complexes


def half_space(cosine: Floats, permittivity: complex | None) -> Factors:
    """Of ground or a very thick wall, by Fresnel; cosine: of the angle from the normal."""
    nothing = np.zeros(np.shape(cosine), np.complex128)
    if permittivity is None:
        return Factors(nothing - 1.0, nothing + 1.0, nothing, nothing)
    root = np.sqrt(permittivity - (1.0 - np.asarray(cosine) ** 2) + 0j)
    return Factors(
        (cosine - root) / (cosine + root), (permittivity * cosine - root) / (permittivity * cosine + root), nothing,
        nothing,
    )  # fmt: skip


def slab(cosine: Floats, permittivity: complex | None, thickness: float, frequency: float) -> Factors:
    """Of a slab in air (ITU-R P.2040-3, eqs. (43) and (44)): R = R'(1 - e^{-2jq})/(1 - R'²e^{-2jq}), T = (1 -
    R'²)e^{-jq}/(1 - R'²e^{-2jq}), with R' of one face and q = k d √(ε - sin²θ).
    """  # fmt: skip
    plain = half_space(cosine, permittivity)
    if permittivity is None:
        return plain
    k = wavenumber(frequency)
    root = np.sqrt(permittivity - (1.0 - np.asarray(cosine) ** 2) + 0j)
    once, air = np.exp(-1j * k * thickness * root), np.exp(1j * k * thickness * np.asarray(cosine))
    one, two = ((1.0 - r**2 * once**2) for r in plain[:2])
    return Factors(
        plain.te * (1.0 - once**2) / one, plain.tm * (1.0 - once**2) / two, (1.0 - plain.te**2) * once * air / one,
        (1.0 - plain.tm**2) * once * air / two,
    )  # fmt: skip
