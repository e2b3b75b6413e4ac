"""Where to begin with a patch: dimensions from a frequency and its layers, before anything is solved."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from .. import units
from ..constants import WAVE_IMPEDANCE, wavelength
from ..errors import UsageError
from .stack import Stack
from .strip_line import strip_line


@dataclass(frozen=True, slots=True)
class PatchStart:
    """A patch to begin with: length along the field (of a disk: its diameter), width, and where it is fed, metres.

    offset: of a probe from the middle; edge_resistance: ohm, where it is fed at its rim; effective_permittivity: of the
    strip that the patch is a piece of.
    """

    length: float
    width: float
    offset: float
    edge_resistance: float
    effective_permittivity: float

    @property
    def inset(self) -> float:
        """How far a line must be let in from the rim to see the resistance that the probe sees, metres."""
        return self.length / 2.0 - self.offset


def _single(stack: Stack, what: str) -> tuple[float, float]:
    if len(stack.layers) != 1:
        raise UsageError(f"{what}: it has {len(stack.layers)} layers; the formulas are for one: average them first")
    return stack.level, stack.layers[0].material.permittivity


def patch_start(
    stack: Stack, frequency: str | float, resistance: float = 50.0, width: str | float | None = None
) -> PatchStart:
    """A rectangular patch on one layer: half a wave of its own strip, shorter by what its ends add.

    Width from (εr + 1)/2 unless given (Balanis 2016, eq. 14-6), ε_eff from the strip's own cross-section, the ends
    after Hammerstad (1975, eq. 14-2 there), the rim's resistance from two slots that see each other (eqs. 14-12 to
    14-18a), and sin² along the patch to the probe. Raises UsageError for a resistance beyond the rim's.
    """
    level, permittivity = _single(stack, "patch_start")
    hertz = units.frequency(frequency)
    wave = wavelength(hertz)
    wide = (
        0.5 * wave / math.sqrt((permittivity + 1.0) / 2.0)
        if width is None
        else units.length(width, "patch_start, width")
    )
    effective = strip_line(stack, wide, hertz).effective_permittivity
    ratio = wide / level
    ends = 0.412 * level * (effective + 0.3) * (ratio + 0.264) / ((effective - 0.258) * (ratio + 0.8))
    length = 0.5 * wave / math.sqrt(effective) - 2.0 * ends
    if length <= 0.0:
        raise UsageError(f"patch_start: a layer of {level:g} m is too thick at {hertz:g} Hz: its ends leave no length")
    edge = _edge_resistance(wide, length, wave)
    return PatchStart(length, wide, _offset(edge, resistance, length), edge, effective)


def _edge_resistance(width: float, length: float, wave: float) -> float:
    """1/2(G1 + G12) of two slots (Balanis 2016, eqs. 14-12, 14-17, 14-18a)."""
    from scipy.special import j0

    k = 2.0 * math.pi / wave
    nodes, weights = np.polynomial.legendre.leggauss(64)
    theta = (nodes + 1.0) * math.pi / 2.0
    half = k * width / 2.0
    slot = (half * np.sinc(half * np.cos(theta) / math.pi)) ** 2 * np.sin(theta) ** 3 * weights * math.pi / 2.0
    scale = 1.0 / (math.pi * WAVE_IMPEDANCE)
    one, other = (float(scale * (slot * f).sum()) for f in (1.0, j0(k * length * np.sin(theta))))
    return 1.0 / (2.0 * (one + other))


def _offset(edge: float, resistance: float, length: float) -> float:
    if not 0.0 < resistance <= edge:
        raise UsageError(f"patch_start: {resistance:g} ohm is not between 0 and the {edge:.3g} ohm of its rim")
    return length / math.pi * math.asin(math.sqrt(resistance / edge))


def disk_start(stack: Stack, frequency: str | float, resistance: float = 50.0) -> PatchStart:
    """A round patch on one layer in its lowest mode, TM11: its diameter and the place of a probe.

    The rim of a disk acts as one of a larger disk (Balanis 2016, eqs. 14-67 to 14-69); its resistance is taken as that
    of a square patch of the same area, and J1² goes from the rim to the probe.
    """
    from scipy.optimize import brentq
    from scipy.special import j1

    level, permittivity = _single(stack, "disk_start")
    hertz = units.frequency(frequency)
    wave = wavelength(hertz)
    larger = 1.8412 * wave / (2.0 * math.pi * math.sqrt(permittivity))

    def miss(radius: float) -> float:
        grown = 2.0 * level / (math.pi * radius * permittivity) * (math.log(math.pi * radius / (2.0 * level)) + 1.7726)
        return radius * math.sqrt(1.0 + grown) - larger

    if level > 0.3 * larger or miss(0.3 * larger) > 0.0:
        raise UsageError(f"disk_start: a layer of {level:g} m is too thick at {hertz:g} Hz")
    radius = float(brentq(miss, 0.3 * larger, larger))
    side = radius * math.sqrt(math.pi)
    edge = _edge_resistance(side, side, wave)
    if not 0.0 < resistance <= edge:
        raise UsageError(f"disk_start: {resistance:g} ohm is not between 0 and the {edge:.3g} ohm of its rim")
    share = math.sqrt(resistance / edge) * float(j1(1.8412))
    place = float(brentq(lambda x: float(j1(x)) - share, 0.0, 1.8412)) / 1.8412
    return PatchStart(2.0 * radius, 2.0 * radius, place * radius, edge, permittivity)
