"""A lone strip on layers in cross-section, and how wide one is of an impedance."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from .. import units
from ..constants import SPEED_OF_LIGHT
from ..errors import RunError, UsageError
from .coupled_strips import Strip, coupled_strips
from .stack import Layer, Stack
from .strip_waves import bound_waves

_SLIGHTLY = 1e-3


@dataclass(frozen=True, slots=True)
class StripLine:
    """The wave of a strip. index: its wavenumber over k0; impedance: ohm, voltage under its middle over its current."""

    width: float
    frequency: float
    index: complex
    impedance: complex

    @property
    def effective_permittivity(self) -> float:
        """ε_eff, the square of the index."""
        return float((self.index**2).real)

    @property
    def wavelength(self) -> float:
        """Along the strip, metres."""
        from ..constants import wavelength

        return wavelength(self.frequency) / self.index.real

    @property
    def loss(self) -> float:
        """From the layers and the plane, dB per metre."""
        from ..constants import wavenumber

        return -20.0 * math.log10(math.e) * self.index.imag * wavenumber(self.frequency)


def strip_line(stack: Stack, width: str | float, frequency: str | float) -> StripLine:
    """The slowest wave of an endless strip printed on a stack, without loss in the metal of the strip.

    Between two planes whose own wave is slower than the strip's, so that none is bound, as at low frequencies. Raises
    UsageError for a width or frequency that is not above zero, RunError when no wave is found.
    """
    metres, hertz = units.length(width, "strip_line, width"), units.frequency(frequency)
    if not metres > 0.0:
        raise UsageError(f"strip_line: width {width} is not above zero")
    found = bound_waves(stack, (Strip(stack.level, metres),), hertz)
    if len(found.indices):
        return StripLine(metres, hertz, complex(found.indices[0]), complex(found.impedance[0, 0]))
    if stack.lid:
        return _between_planes(stack, metres, hertz)
    raise RunError(f"strip_line: no wave is bound to a strip of {metres:g} m on {stack} at {hertz:g} Hz")


def _between_planes(stack: Stack, width: float, hertz: float) -> StripLine:
    """By capacitance and inductance; what every layer loses goes with how the capacitance hangs on its permittivity."""
    strip = [Strip(stack.level, width)]
    whole = coupled_strips(stack, strip, lid=True)
    held, inductance = float(whole.capacitance[0, 0]), float(whole.inductance[0, 0])
    lost = 0.0
    for number, layer in enumerate(stack.layers):
        if layer.material.loss_tangent:
            more = replace(layer.material, permittivity=layer.material.permittivity * (1.0 + _SLIGHTLY))
            layers = [*stack.layers]
            layers[number] = Layer(layer.thickness, more)
            other = coupled_strips(Stack(layers, stack.metal_on, lid=True), strip, lid=True)
            lost += (float(other.capacitance[0, 0]) - held) / _SLIGHTLY * layer.material.loss_tangent
    capacitance = held - 1j * lost
    index = SPEED_OF_LIGHT * np.sqrt(inductance * capacitance)
    return StripLine(width, hertz, complex(index), complex(np.sqrt(inductance / capacitance)))


def strip_width(stack: Stack, impedance: float, frequency: str | float) -> float:
    """The width, m, of a strip of an impedance, ohm; raises UsageError when none between h/50 and 50 h has it."""
    from scipy.optimize import brentq

    def miss(log: float) -> float:
        return strip_line(stack, stack.level * math.exp(log), frequency).impedance.real - impedance

    low, high = math.log(0.02), math.log(50.0)
    most, least = miss(low) + impedance, miss(high) + impedance
    if not least < impedance < most:
        raise UsageError(
            f"strip_width: {impedance:g} ohm is outside the {least:.3g} to {most:.3g} ohm that strips have on {stack}"
        )
    return float(stack.level * math.exp(brentq(miss, low, high, xtol=1e-5)))
