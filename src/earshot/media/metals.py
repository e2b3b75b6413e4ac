"""Metals, and the impedance per metre that a round wire or tube has inside."""

from __future__ import annotations

import cmath
import math
from dataclasses import dataclass

from .. import units
from ..constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT
from ..errors import UsageError
from .catalogue import Catalogue


@dataclass(frozen=True, slots=True)
class Metal:
    """A metal: conductivity (S/m), relative permeability, and where the figures are from."""

    name: str
    conductivity: float
    permeability: float = 1.0
    source: str = ""

    def __post_init__(self) -> None:
        if not (math.isfinite(self.conductivity) and self.conductivity > 0.0):
            raise UsageError(f"metal '{self.name}': conductivity {self.conductivity} S/m is not above zero")
        if not (math.isfinite(self.permeability) and self.permeability >= 1.0):
            raise UsageError(f"metal '{self.name}': permeability {self.permeability} is below 1")

    def skin_depth(self, frequency: float) -> float:
        """Skin depth 1/√(πfµσ), metres, at a frequency in Hz."""
        return 1.0 / math.sqrt(math.pi * frequency * MAGNETIC_CONSTANT * self.permeability * self.conductivity)

    def wire_impedance(self, frequency: float, radius: float, wall: float | None = None) -> complex:
        """Internal impedance per metre (ohm/m) of a round wire, or of a tube with a wall of that thickness.

        Wire: γ I0(γa) / 2πaσ I1(γa), γ = √(jωµσ) (Ramo, Whinnery and Van Duzer 1994, sec. 4.5). Tube of inner radius b,
        current outside: the same with I0(γa)K1(γb) + K0(γa)I1(γb) over I1(γa)K1(γb) - K1(γa)I1(γb).
        """
        from scipy.special import ive, kve

        gamma = (1.0 + 1.0j) / self.skin_depth(frequency)
        outer = gamma * radius
        scale = gamma / (2.0 * math.pi * radius * self.conductivity)
        if wall is None or wall >= radius:
            return complex(scale * ive(0, outer) / ive(1, outer))
        inner = gamma * (radius - wall)
        # ive scales I(x) by exp(-Re x), kve K(x) by exp(x); only the ratio of the two products' scales is left.
        ratio = cmath.exp(inner.real + inner - outer - outer.real)
        across = ive(0, outer) * kve(1, inner) + kve(0, outer) * ive(1, inner) * ratio
        along = ive(1, outer) * kve(1, inner) - kve(1, outer) * ive(1, inner) * ratio
        return complex(scale * across / along)

    def sheet_impedance(self, frequency: float, thickness: float | None = None, sides: int = 1) -> complex:
        """Surface impedance (ohm per square) of sheet metal, many skin depths thick unless a thickness is given.

        (1+j)/σδ coth((1+j)t/δ) for a current on one face; a current shared by both faces sees two of half the thickness
        side by side (Ramo, Whinnery and Van Duzer 1994, sec. 3.17, with an open circuit beyond the metal).
        """
        gamma = (1.0 + 1.0j) / self.skin_depth(frequency)
        whole = gamma / self.conductivity / sides
        return whole if thickness is None else whole / cmath.tanh(gamma * thickness / sides)


_HANDBOOK = "CRC Handbook of Chemistry and Physics, 97th ed., resistivity of pure metals at 20 °C"
_STANDARD = "International Annealed Copper Standard, 20 °C"
_ALLOYS = "ASM Metals Handbook, vol. 2, electrical conductivity of alloys"
metals = Catalogue(
    "metal",
    (
        Metal("aluminium", 3.77e7, 1.0, _HANDBOOK),
        Metal("aluminium alloy 6061", 2.5e7, 1.0, _ALLOYS),
        Metal("brass", 1.6e7, 1.0, _ALLOYS),
        Metal("bronze", 0.9e7, 1.0, _ALLOYS),
        Metal("copper", 5.80e7, 1.0, _STANDARD),
        Metal("gold", 4.52e7, 1.0, _HANDBOOK),
        Metal("iron", 1.04e7, 150.0, _HANDBOOK + "; initial permeability, typical"),
        Metal("nickel", 1.44e7, 100.0, _HANDBOOK + "; initial permeability, typical"),
        Metal("silver", 6.30e7, 1.0, _HANDBOOK),
        Metal("stainless steel", 1.39e6, 1.0, _ALLOYS + "; austenitic, 304"),
        Metal("steel", 6.0e6, 100.0, _ALLOYS + "; low carbon, initial permeability, typical"),
        Metal("tin", 8.7e6, 1.0, _HANDBOOK),
        Metal("zinc", 1.69e7, 1.0, _HANDBOOK),
    ),
)
"""Metals by name, each with where its figures are from."""


@dataclass(frozen=True, slots=True, init=False)
class Jacket:
    """An insulating sleeve on a wire: thickness (m), relative permittivity, loss tangent."""

    thickness: float
    permittivity: float
    loss_tangent: float

    def __init__(self, thickness: str | float, permittivity: float, loss_tangent: float = 0.0) -> None:
        metres = units.length(thickness, "jacket, thickness")
        for what, number in (("permittivity", permittivity), ("loss tangent", loss_tangent)):
            units.number(number, f"jacket, {what}")
        if metres <= 0.0:
            raise UsageError(f"jacket: thickness {thickness} is not above zero; leave the jacket out for bare wire")
        if permittivity < 1.0:
            raise UsageError(f"jacket: permittivity {permittivity} is below 1")
        if loss_tangent < 0.0:
            raise UsageError(f"jacket: loss tangent {loss_tangent} is below zero")
        object.__setattr__(self, "thickness", metres)
        object.__setattr__(self, "permittivity", float(permittivity))
        object.__setattr__(self, "loss_tangent", float(loss_tangent))

    def elastance(self, radius: float) -> complex:
        """What the jacket adds to 1/capacitance, metres per farad: (1/εr - 1) ln(b/a) / 2πε0, b = a + thickness.

        The radial field of the wire's charge inside the jacket falls from q/2πε0r to q/2πε0εr r (Richmond and Newman
        1976, Radio Science 11, p. 13): a local term of the scalar potential.
        """
        epsilon = complex(self.permittivity, -self.permittivity * self.loss_tangent)
        return (1.0 / epsilon - 1.0) * math.log1p(self.thickness / radius) / (2.0 * math.pi * ELECTRIC_CONSTANT)
