"""What one element of an array radiates by itself, one watt of it, in its own axes: it faces along z.

A pattern gives (E_θ, E_φ) times distance, volts peak, of one watt radiated, for angles in radians that go together.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache, partial
from typing import TYPE_CHECKING, Any

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE, wavelength
from ..errors import UsageError
from ..fields.far import FarField

if TYPE_CHECKING:
    import xarray as xr

Pattern = Callable[[Floats, Floats, float], tuple[Complexes, Complexes]]


@dataclass(frozen=True, eq=False)
class Element:
    """An element: its name, its pattern at a frequency, and whether it sends nothing behind it (z < 0).

    size: radius of a sphere round it, m: how fast its own pattern changes. efficiency: radiated over accepted power.
    """

    name: str
    pattern: Pattern
    front_only: bool = False
    size: float = 0.0
    efficiency: float = 1.0

    def field(self, theta: Floats, phi: Floats, frequency: float) -> tuple[Complexes, Complexes]:
        """(E_θ, E_φ) times distance of one watt radiated, volts peak."""
        return self.pattern(theta, phi, frequency)


def _amplitude(directivity: float) -> float:
    """|E| r of one watt where the directivity is so much."""
    return math.sqrt(WAVE_IMPEDANCE * directivity / (2.0 * math.pi))


def _even(theta: Floats, phi: Floats, _frequency: float) -> tuple[Complexes, Complexes]:
    whole = np.full(np.broadcast_shapes(np.shape(theta), np.shape(phi)), complex(_amplitude(1.0)))
    return whole, np.zeros_like(whole)


def isotropic() -> Element:
    """The same in all directions, polarised along θ: for what the arrangement does by itself."""
    return Element("isotropic", _even)


def _cosine(power: float, top: float, theta: Floats, phi: Floats, _frequency: float) -> tuple[Complexes, Complexes]:
    toward = np.cos(theta)
    level = np.where(toward >= -1e-12, top * np.maximum(toward, 0.0) ** power, 0.0)
    return level * np.cos(phi) + 0j, -level * np.sin(phi) + 0j


def cosine(power: float = 1.0) -> Element:
    """Field as cosⁿ of the angle from where it faces, none behind, polarised along x (Balanis 2016, sec. 2.6).

    The directivity is 2(2n + 1). Raises UsageError for a power below zero.
    """
    if not (math.isfinite(power) and power >= 0.0):
        raise UsageError(f"cosine: power {power} is below zero")
    top = _amplitude(2.0 * (2.0 * power + 1.0))

    return Element(f"cosine, power {power:g}", partial(_cosine, power, top), front_only=True)


def _half_wave(axis: Floats, top: float, theta: Floats, phi: Floats, _frequency: float) -> tuple[Complexes, Complexes]:
    sine, cosine_ = np.sin(theta), np.cos(theta)
    toward = axis[0] * sine * np.cos(phi) + axis[1] * sine * np.sin(phi) + axis[2] * cosine_
    square = np.maximum(1.0 - toward**2, 1e-24)
    # cos(π/2 c)/sin of the angle to the axis, along that angle's own unit vector.
    level = top * np.cos(0.5 * math.pi * toward) / square
    along_theta = axis[0] * cosine_ * np.cos(phi) + axis[1] * cosine_ * np.sin(phi) - axis[2] * sine
    along_phi = -axis[0] * np.sin(phi) + axis[1] * np.cos(phi)
    return -level * along_theta + 0j, -level * (along_phi + 0.0 * theta) + 0j


def half_wave_dipole(along: str = "x") -> Element:
    """A thin half-wave dipole along its own x, y or z axis, of directivity 1.6409 (Balanis 2016, eq. 4-91)."""
    axes = {"x": np.array([1.0, 0, 0]), "y": np.array([0, 1.0, 0]), "z": np.array([0, 0, 1.0])}
    if along not in axes:
        raise UsageError(f"half_wave_dipole: '{along}' is not an axis: give x, y or z")
    axis, top = axes[along], _amplitude(1.6409223769)

    return Element(f"half-wave dipole along {along}", partial(_half_wave, axis, top))


def _slots_shape(between: float, across: float, theta: Floats, phi: Floats, frequency: float) -> tuple[Floats, Floats]:
    k = 2.0 * math.pi / wavelength(frequency)
    sine, toward = np.sin(theta), np.cos(theta)
    level = np.cos(0.5 * k * between * sine * np.cos(phi))
    level = level * np.sinc(0.5 * k * across * sine * np.sin(phi) / math.pi) * (toward >= -1e-12)
    return level * np.cos(phi), -level * toward * np.sin(phi)


@lru_cache(maxsize=64)
def _slots_power(between: float, across: float, frequency: float) -> float:
    return _power(partial(_slots_shape, between, across), frequency)


def _two_slots(
    between: float, across: float, theta: Floats, phi: Floats, frequency: float
) -> tuple[Complexes, Complexes]:
    scale = 1.0 / math.sqrt(_slots_power(between, across, frequency))
    one, two = _slots_shape(between, across, theta, phi, frequency)
    return np.asarray(scale * one + 0j), np.asarray(scale * two + 0j)


def two_slots(length: str | float, width: str | float) -> Element:
    """A patch as its two radiating rims over a plane, a length apart along x and so wide along y (Balanis 2016, sec.
    14.2.2): for layouts in a hurry; for figures to trust take a solved patch.

    Raises UsageError for sizes that are not above zero.
    """
    between, across = units.length(length, "two_slots, length"), units.length(width, "two_slots, width")
    if not min(between, across) > 0.0:
        raise UsageError(f"two_slots: {length} and {width} are not both above zero")

    return Element(
        "two slots over a plane",
        partial(_two_slots, between, across),
        front_only=True,
        size=0.5 * math.hypot(between, across),
    )


def _power(shape: Callable[[Floats, Floats, float], tuple[Floats, Floats]], frequency: float) -> float:
    """Power of a pattern over the upper half space, W."""
    nodes, weights = np.polynomial.legendre.leggauss(48)
    phi = 2.0 * math.pi * np.arange(96) / 96
    e_theta, e_phi = shape(np.arccos(0.5 * (nodes + 1.0))[:, None], phi, frequency)
    intensity = (np.abs(e_theta) ** 2 + np.abs(e_phi) ** 2) / (2.0 * WAVE_IMPEDANCE)
    return float(2.0 * math.pi * 0.5 * weights @ np.broadcast_to(intensity, (48, 96)).mean(axis=1))


def _solved(
    field: FarField, name: str, scale: float, theta: Floats, phi: Floats, frequency: float
) -> tuple[Complexes, Complexes]:
    if abs(frequency / field.frequency - 1.0) > 0.05:
        raise UsageError(
            f"element '{name}': it was solved at {field.frequency:g} Hz and is asked for at "
            f"{frequency:g} Hz, over 5 % off: solve it there"
        )
    e_theta, e_phi = field.field(theta, phi)
    return scale * e_theta, scale * e_phi


def solved_element(field: FarField, name: str = "") -> Element:
    """The far field of a solved antenna as an element, at the frequency it was solved at, with its efficiency.

    Its phase is about the origin it was solved at, and it faces up. At another frequency it is refused.
    """
    scale = 1.0 / math.sqrt(field.radiated)

    size = field.currents.reach / (2.0 * math.pi / wavelength(field.frequency))
    return Element(
        name or field.label or "solved",
        partial(_solved, field, name or field.label, scale),
        front_only=field.half_space,
        size=size,
        efficiency=field.efficiency,
    )


def _splined(
    parts: tuple[Any, ...], last: float, first: float, scale: float, theta: Floats, phi: Floats, _frequency: float
) -> tuple[Complexes, Complexes]:
    """Splines of both components, real and imaginary, in degrees: none beyond the last θ, and φ from the first."""
    full_t, full_p = np.broadcast_arrays(np.degrees(theta), first + np.mod(np.degrees(phi) - first, 360.0))
    inside = full_t <= last + 1e-9
    one, two = (real.ev(full_t, full_p) + 1j * imag.ev(full_t, full_p) for real, imag in parts)
    return np.asarray(scale * np.where(inside, one, 0.0)), np.asarray(scale * np.where(inside, two, 0.0))


def tabulated(samples: xr.Dataset, name: str = "tabulated") -> Element:
    """A measured or computed pattern on a grid of θ and φ, in degrees, as an element of one watt.

    samples: as `FarField.sphere` gives them (e_theta, e_phi), from θ = 0 to 90 or 180 and right round in φ; between the
    grid's lines it is a bicubic spline. Raises UsageError for a grid with gaps.
    """
    from scipy.interpolate import RectBivariateSpline

    theta, phi, fields = _grid_of(samples, name)
    front_only = theta[-1] < 100.0
    if theta[0] > 1e-6 or abs(theta[-1] - (90.0 if front_only else 180.0)) > 1e-6:
        raise UsageError(
            f"pattern '{name}': θ runs from {theta[0]:g} to {theta[-1]:g} deg: give it from 0 to 90 or 180"
        )
    for what, values, most in (("θ", theta, 15.0), ("φ", phi, 30.0)):
        steps = np.diff(values)
        if steps.max() > 1.5 * steps.min() + 1e-9 or steps.max() > most:
            at = int(steps.argmax())
            raise UsageError(
                f"pattern '{name}': there is a gap between {what} = {values[at]:g} and {values[at + 1]:g} deg: fill it"
            )
    if abs(phi[-1] - phi[0] - 360.0) > 1e-6:
        step = phi[1] - phi[0]
        if phi[-1] - phi[0] < 360.0 - 1.5 * step:
            raise UsageError(
                f"pattern '{name}': φ runs from {phi[0]:g} to {phi[-1]:g} deg: it must go right round, without gaps"
            )
        phi, fields = np.append(phi, phi[0] + 360.0), [np.concatenate([f, f[:, :1]], axis=1) for f in fields]
    # Three lines more on either side, so that the spline does not see where φ begins.
    wide = np.concatenate([phi[-4:-1] - 360.0, phi, phi[1:4] + 360.0])
    parts = []
    for whole in fields:
        padded = np.concatenate([whole[:, -4:-1], whole, whole[:, 1:4]], axis=1)
        parts.append([RectBivariateSpline(theta, wide, p, s=0) for p in (padded.real, padded.imag)])

    raw = partial(_splined, tuple(parts), float(theta[-1]), float(phi[0]), 1.0)
    nodes, weights = np.polynomial.legendre.leggauss(90)
    low = 0.0 if front_only else -1.0
    cosines = low + (1.0 - low) * 0.5 * (nodes + 1.0)
    around = 2.0 * math.pi * np.arange(180) / 180
    e_theta, e_phi = raw(np.arccos(cosines)[:, None], around, 0.0)
    intensity = (np.abs(e_theta) ** 2 + np.abs(e_phi) ** 2) / (2.0 * WAVE_IMPEDANCE)
    power = float(2.0 * math.pi * (1.0 - low) * 0.5 * weights @ intensity.mean(axis=1))
    if not power > 0.0:
        raise UsageError(f"pattern '{name}': it has no power")
    pattern = partial(_splined, tuple(parts), float(theta[-1]), float(phi[0]), 1.0 / math.sqrt(power))
    return Element(name, pattern, front_only)


def _grid_of(samples: xr.Dataset, name: str) -> tuple[Floats, Floats, list[Complexes]]:
    for needed in ("e_theta", "e_phi"):
        if needed not in samples:
            raise UsageError(f"pattern '{name}': the samples have no {needed}: give what FarField.sphere gives")
    fields = [np.asarray(samples[n].transpose("theta", "phi").values, complex) for n in ("e_theta", "e_phi")]
    return np.asarray(samples.theta.values, float), np.asarray(samples.phi.values, float), fields
