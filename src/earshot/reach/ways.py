"""What the ground and the terrain make of ways in air: all ways at once.

Free space comes from the far fields of both antennas. What stands out of the smooth surface through a profile costs
what Bullington's edge over the profile costs more than one over that surface (delta-Bullington, P.526).

Where the terrain is that surface, the ground adds to it by the direct ray, the reflected one (with the ground's
roughness and the earth's roundness) and the wave along the ground, as long as they are clear of the earth's bulge, or
that is too small to matter; else the smooth earth's diffraction takes over, in dB, as P.526 blends it. Where it is not,
lobes are nobody's, and the ground under either antenna costs what two rays cancel on the slope there, lit from the
other antenna or the edge between, and gains nothing. All parts are symmetric: the way back is the same. Gases, rain and
ducts are left out.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import wavelength, wavenumber
from ..errors import UsageError
from ..media.earth import Earth, earths
from . import diffraction
from .ground import Factors, ground_waves, reflections

EARTH_RADIUS = 6.371e6
"""m."""
_ROUND = 0.2
"""Distance over the earth's roundness, X of P.526 for a good conductor, within which that does not matter."""
_GRAZING, _LEVEL = 0.005, 0.01
"""Sines of elevations: rays come in no flatter onto a slope, and unevenness counts as for no flatter ones."""
_SLOPE = 20.0
"""Heights of an antenna over which the slope under it is taken."""
_NOTHING = 1e-15
_METAL = complex(1.0, -1e12)
"""Permittivity that is as good as a perfect plane's."""
Beam = Callable[[Floats], tuple[Complexes, Complexes]]
"""Fields of an antenna along ways, upright and level, at elevations in radians; see `Station.along`."""
Ground = Callable[[Floats], Floats]
"""Heights of the ground above the sea, m, so large a part of each way from its start."""


@dataclass(frozen=True, slots=True)
class Air:
    """What ways go through: frequency, Hz; the ground's name and complex permittivity, none for a perfect plane; radius
    of the effective earth, m; roughness of the ground, root mean square, and step of the terrain, m.
    """  # fmt: skip

    frequency: float
    name: str
    permittivity: complex | None
    radius: float
    roughness: float
    step: float

    @classmethod
    def of(
        cls, frequency: str | float, earth: Earth | str, roundness: float, roughness: str | float, step: float
    ) -> Air:
        """From what is given; raises UsageError for what is out of range."""
        hertz, rough = units.frequency(frequency), units.length(roughness, "roughness")
        if not roundness > 0.0:
            raise UsageError(f"roundness {roundness:g} is not above zero: 4/3 is usual, infinity is a flat earth")
        if not (math.isfinite(rough) and rough >= 0.0):
            raise UsageError(f"roughness {rough:g} m is below zero")
        if earth == "perfect plane":
            return cls(hertz, earth, None, roundness * EARTH_RADIUS, rough, step)
        ground = earths[earth] if isinstance(earth, str) else earth
        return cls(hertz, ground.name, ground.complex_permittivity(hertz), roundness * EARTH_RADIUS, rough, step)

    @property
    def wave(self) -> float:
        """Wavelength, m."""
        return wavelength(self.frequency)


class Ways(NamedTuple):
    """dB, each (n,).

    free_space: between isotropic antennas. antennas: realized gains of both along the direct ray, with the loss of
    unlike polarisations. ground: what the smooth ground or earth adds (a loss is above zero); terrain: what stands out
    of it adds. recommended: what P.526 by itself would say in place of both.
    """

    free_space: Floats
    antennas: Floats
    ground: Floats
    terrain: Floats
    recommended: Floats


def ways_of(
    facts: Floats, total: Floats, near: Floats, far: Floats, air: Air, sent: Beam, taken: Beam, ground: Ground
) -> Ways:
    """Of facts of profiles (n, 7), distances, heights of both antennas above the sea, m, and the heights between."""
    k, sink = wavenumber(air.frequency), 0.5 * total / air.radius
    rise = np.arctan2(far - near, total)
    one, two = sent(rise - sink), taken(-rise - sink)
    upright, level = one[0] * two[0], one[1] * two[1]
    own, smooth = (diffraction.terrain_loss(facts[:, n], total) for n in (2, 4))
    excess = np.maximum(own - smooth, 0.0)
    above = np.maximum(near - facts[:, 0], 0.0), np.maximum(far - facts[:, 1], 0.0)
    vertical = np.abs(upright) >= np.abs(level)
    whole = np.where(vertical, *(_round_the_earth(above, total, air, way).blended for way in (True, False)))
    along = np.hypot(total, far - near)
    return Ways(
        20.0 * np.log10(2.0 * k * along), 20.0 * np.log10(np.maximum(np.abs(upright + level), _NOTHING)),
        _by_the_ground(facts, total, near, far, excess, (upright, level), air, sent, taken, ground), excess,
        own + np.maximum(whole - smooth, 0.0),
    )  # fmt: skip


def _by_the_ground(
    facts: Floats, total: Floats, near: Floats, far: Floats, excess: Floats, direct: tuple[Complexes, Complexes],
    air: Air, sent: Beam, taken: Beam, ground: Ground,
) -> Floats:  # fmt: skip
    """The loss by the ground, dB."""
    smooth, weight = _over_smooth(facts, total, near, far, direct, air, sent, taken, ground)
    # Seen over the edge, if there is one, an antenna seems as high as the edge's line of sight goes on to.
    lift = np.maximum(facts[:, 2], 0.0) * np.sqrt(0.5 * air.wave * facts[:, 3] * (total - facts[:, 3]) / total)
    over_far, over_near = lift * total / facts[:, 3], lift * total / (total - facts[:, 3])
    one = _under(near, far + over_far, total, direct, air, ground)
    two = _under(far, near + over_near, total, direct, air, lambda part: ground(1.0 - part))
    # In sight it is one ground; behind an edge there are two.
    hidden = 1.0 - 10.0 ** (-excess / 20.0)
    rough = (1.0 - hidden) * np.maximum(one, two) + hidden * (one + two)
    return np.asarray(weight * smooth + (1.0 - weight) * rough)


def _under(
    own: Floats, other: Floats, total: Floats, direct: tuple[Complexes, Complexes], air: Air, ground: Ground
) -> Floats:
    """What two rays cancel on the slope under an antenna, dB, lit from another; heights above the sea, m."""
    foot = ground(np.zeros_like(total))
    height = np.maximum(own - foot, 0.0)
    long = np.clip(np.maximum(_SLOPE * height, 2.0 * air.step) / total, 1e-6, 0.5)
    slope = sum((ground(part) - foot) / (part * total) for part in (0.5 * long, long)) / 2.0
    sine = np.clip((other - own) / total - 0.5 * total / air.radius - slope, _GRAZING, 1.0)
    k = wavenumber(air.frequency)
    turn = np.exp(-1j * np.minimum(2.0 * k * height * sine, math.pi / 3.0))
    bounce, creep = _sent_on(sine, total, k, air.permittivity)
    one, two = (
        1.0 + turn * (np.exp(-2.0 * (k * air.roughness * sine) ** 2) * b + c)
        for b, c in zip(bounce, creep, strict=True)
    )
    return np.maximum(_below(direct[0] * one + direct[1] * two, direct[0] + direct[1]), 0.0)


def _over_smooth(
    facts: Floats, total: Floats, near: Floats, far: Floats, direct: tuple[Complexes, Complexes], air: Air, sent: Beam,
    taken: Beam, ground: Ground,
) -> tuple[Floats, Floats]:  # fmt: skip
    """The loss over the smooth surface, dB, and how far the terrain is that where it reflects, from 0 to 1."""
    above = np.maximum(near - facts[:, 0], 0.0), np.maximum(far - facts[:, 1], 0.0)
    between = diffraction.over_bulge(*above, total, air.wave, air.radius)
    clear = np.clip(between.clearance / between.needed, 0.0, 1.0)
    whole = direct[0] + direct[1]
    bounced, sine = _bounced(facts, above, total, between, clear, air, sent, taken)
    loss = _below(whole + bounced, whole)
    if math.isfinite(air.radius):
        # Where the ray is clear of the bulge, or the earth as good as flat, rays hold.
        flat = 2.0 - total * (math.pi / (air.wave * air.radius**2)) ** (1.0 / 3.0) / _ROUND
        share = np.maximum(clear, np.clip(flat, 0.0, 1.0))
        one, two = (10.0 ** (-_round_the_earth(above, total, air, way).whole / 20.0) for way in (True, False))
        loss = share * loss + (1.0 - share) * _below(direct[0] * one + direct[1] * two, whole)
    middle = between.at / total
    places = [p * middle for p in (0.25, 0.6, 1.0)] + [middle + p * (1.0 - middle) for p in (0.4, 0.75)]
    off = [ground(part) - (facts[:, 0] + part * (facts[:, 1] - facts[:, 0])) for part in places]
    wide = sum(o**2 for o in off) / len(off)
    return loss, np.exp(-2.0 * wide * (wavenumber(air.frequency) * np.maximum(sine, _LEVEL)) ** 2)


class _Round(NamedTuple):
    """Loss where two antennas just see one another, or beyond; and as P.526 blends that with none."""

    whole: Floats
    blended: Floats


def _round_the_earth(above: tuple[Floats, Floats], total: Floats, air: Air, vertical: bool) -> _Round:
    matter = _METAL if air.permittivity is None else air.permittivity
    seen = diffraction.touching(*above, total, air.radius)
    whole = diffraction.beyond_horizon(*above, total, air.frequency, seen, matter, vertical)
    return _Round(
        np.maximum(whole, 0.0), diffraction.smooth_earth(*above, total, air.frequency, air.radius, matter, vertical)
    )


def _bounced(
    facts: Floats, above: tuple[Floats, Floats], total: Floats, between: diffraction.Bulge, clear: Floats, air: Air,
    sent: Beam, taken: Beam,
) -> tuple[Complexes, Floats]:  # fmt: skip
    """What comes by the ground, over what the direct ray's distance alone would leave of 1, and its elevation's sine.

    In the plane that touches the smooth earth where the reflection is.
    """
    k, radius, rest = wavenumber(air.frequency), air.radius, total - between.at
    high = [np.maximum(h - x**2 / (2.0 * radius), 0.0) for h, x in ((above[0], between.at), (above[1], rest))]
    longer, shorter = np.hypot(total, high[0] + high[1]), np.hypot(total, high[0] - high[1])
    sine = (high[0] + high[1]) / longer
    kept = np.exp(-2.0 * (k * air.roughness * sine) ** 2)
    if math.isfinite(radius):
        spread = 1.0 / np.sqrt(1.0 + 2.0 * between.at * rest / (radius * total * np.maximum(sine, 1e-12)))
        kept = kept * (1.0 - clear * (1.0 - spread))
    slope, down = np.arctan2(facts[:, 1] - facts[:, 0], total), np.arcsin(sine)
    one, two = sent(slope - down - between.at / radius), taken(-slope - down - rest / radius)
    bounce, creep = _sent_on(sine, longer, k, air.permittivity)
    by_upright = one[0] * two[0] * (kept * bounce.upright + creep.upright)
    by_level = one[1] * two[1] * (kept * bounce.level + creep.level)
    return shorter / longer * np.exp(-1j * k * (longer - shorter)) * (by_upright + by_level), sine


def _sent_on(sine: Floats, along: Floats, k: float, permittivity: complex | None) -> tuple[Factors, Factors]:
    """Reflection, and the wave along the ground."""
    if permittivity is None:
        whole: Complexes = np.ones(sine.shape, np.complex128)
        return Factors(whole, -whole), Factors(0.0 * whole, 0.0 * whole)
    return reflections(sine, permittivity), ground_waves(sine, along, k, permittivity)


def _below(field: Complexes, direct: Complexes) -> Floats:
    """How far a field is below the direct one, dB."""
    return np.asarray(20.0 * np.log10(np.maximum(np.abs(direct), _NOTHING) / np.maximum(np.abs(field), _NOTHING)))
