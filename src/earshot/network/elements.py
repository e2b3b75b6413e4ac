"""Impedances as functions of frequency: lumped elements, measured tables, and lines between ports."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from numbers import Number

import numpy as np

from .. import units
from ..constants import SPEED_OF_LIGHT, WAVE_IMPEDANCE
from ..errors import UsageError, needs


@dataclass(frozen=True, slots=True)
class Impedance:
    """An impedance over frequency; made by `series`, `parallel`, `trap`, `impedance`, `open_circuit`, `short_circuit`.

    kind: "series", "parallel", "trap", "constant", "table" or "open". numbers: what the kind needs, SI.
    """

    kind: str
    numbers: tuple[complex, ...] = ()
    frequencies: tuple[float, ...] = ()

    def at(self, frequency: float) -> complex:
        """Ohms at a frequency in Hz; complex infinity for an open. Raises UsageError outside a table's range."""
        omega = 2.0 * math.pi * frequency
        if self.kind == "open":
            return complex(math.inf)
        if self.kind == "constant":
            return self.numbers[0]
        if self.kind == "table":
            return self._looked_up(frequency)
        r, inductance, c = self.numbers
        coil = 1j * omega * inductance
        if self.kind == "series":
            return r + coil + (1.0 / (1j * omega * c) if c else 0.0)
        if self.kind == "trap":
            return _inverse(1.0 / (r + coil) + 1j * omega * c)
        return _inverse((1.0 / r if r else 0.0) + (1.0 / coil if inductance else 0.0) + 1j * omega * c)

    def _looked_up(self, frequency: float) -> complex:
        low, high = self.frequencies[0], self.frequencies[-1]
        if not low * (1 - 1e-9) <= frequency <= high * (1 + 1e-9):
            raise UsageError(
                f"the impedance table runs from {units.engineering(low, 'Hz')} to {units.engineering(high, 'Hz')}; "
                f"{units.engineering(frequency, 'Hz')} is outside it: extend the table or solve within it"
            )
        return complex(np.interp(frequency, self.frequencies, np.array(self.numbers)))


def _inverse(admittance: complex) -> complex:
    return 1.0 / admittance if admittance != 0.0 else complex(math.inf)


def _amounts(place: str, **amounts: tuple[str | float | None, str]) -> list[float]:
    numbers = []
    for name, (value, kind) in amounts.items():
        number = 0.0 if value is None else units.read(value, kind, what=f"{place}, {name}")
        if number < 0.0:
            raise UsageError(f"{place}: {name} {value} is below zero")
        numbers.append(number)
    return numbers


def series(
    resistance: str | float = 0.0, inductance: str | float = 0.0, capacitance: str | float | None = None
) -> Impedance:
    """R, L and C in series: text with units or ohm, henry, farad; what is left out is not there."""
    found = _amounts(
        "series",
        resistance=(resistance, "resistance"),
        inductance=(inductance, "inductance"),
        capacitance=(capacitance, "capacitance"),
    )
    return Impedance("series", tuple(found))


def parallel(
    resistance: str | float | None = None, inductance: str | float | None = None, capacitance: str | float = 0.0
) -> Impedance:
    """R, L and C in parallel; what is left out is not there. Raises UsageError when nothing is."""
    found = _amounts(
        "parallel",
        resistance=(resistance, "resistance"),
        inductance=(inductance, "inductance"),
        capacitance=(capacitance, "capacitance"),
    )
    if not any(found):
        raise UsageError("parallel: nothing is given; use open_circuit() for an open")
    return Impedance("parallel", tuple(found))


def trap(inductance: str | float, capacitance: str | float, resistance: str | float = 0.0) -> Impedance:
    """A coil (with its series resistance) across a capacitor."""
    r, coil, c = _amounts(
        "trap",
        resistance=(resistance, "resistance"),
        inductance=(inductance, "inductance"),
        capacitance=(capacitance, "capacitance"),
    )
    if coil == 0.0:
        raise UsageError("trap: its inductance is zero; a trap needs a coil")
    return Impedance("trap", (r, coil, c))


_SIGNS: dict[str, Callable[..., Impedance]] = {"||": parallel, "+": series}
_UNITS = {"H": "inductance", "F": "capacitance"}


def parts_of(text: str) -> tuple[Callable[..., Impedance], dict[str, str]] | None:
    """What makes "68 ohm + 22 nH" (in series) or "1 kohm || 2 pF" (in parallel), and its parts; None for others.

    Raises UsageError for two parts of a kind and for both signs in one text.
    """
    found = [sign for sign in _SIGNS if sign in text]
    parts = [part.strip() for part in re.split(r"\|\||\+", text)]
    kinds = [_UNITS.get(part[-1:], "resistance") for part in parts]
    if not found or set(kinds) == {"resistance"}:
        return None
    if len(found) > 1 or len(set(kinds)) < len(kinds):
        raise UsageError(
            f"impedance '{text}': give one resistance, inductance and capacitance at most, joined by + (in series) or "
            "|| (in parallel)"
        )
    return _SIGNS[found[0]], dict(zip(kinds, parts, strict=True))


def impedance(value: complex | str | Sequence[complex], frequencies: Sequence[float] | None = None) -> Impedance:
    """A constant impedance, ohm or text with a unit, or a table over rising frequencies in Hz, straight lines between
    its points. Text may join parts: "68 ohm + 22 nH", "1 kohm || 2 pF".
    """
    if frequencies is None:
        joined = parts_of(value) if isinstance(value, str) else None
        if joined is not None:
            return joined[0](**joined[1])
        if isinstance(value, str):
            value = units.read(value, "resistance", what="impedance")
        needs(value, Number, "impedance", "ohms, or a table with its frequencies")
        try:
            number = complex(value)  # type: ignore[arg-type]
        except OverflowError:
            number = complex(np.inf)
        if not np.isfinite(number):
            raise UsageError(f"impedance {number:g} is not finite; use open_circuit() for an open")
        return Impedance("constant", (number,))
    numbers = tuple(complex(v) for v in np.atleast_1d(np.asarray(value, complex)))
    places = tuple(float(f) for f in frequencies)
    if len(numbers) != len(places) or len(places) < 2 or not np.all(np.diff(places) > 0.0):
        raise UsageError(
            f"an impedance table needs as many values as rising frequencies, two at least; "
            f"{len(numbers)} values and {len(places)} frequencies were given"
        )
    if not np.isfinite(numbers).all():
        raise UsageError("an impedance table holds a value that is not finite: take it out")
    return Impedance("table", numbers, places)


def open_circuit() -> Impedance:
    """Nothing connected."""
    return Impedance("open")


def with_q(element: Impedance, q: float, frequency: str | float) -> Impedance:
    """R, L and C with the losses of coils and capacitors of a Q at a frequency; raises UsageError for others.

    In series each adds its reactance over Q to the resistance, in parallel its susceptance over Q to the conductance,
    and a trap's coil its own.
    """
    needs(q, Number, "with_q, Q", "a number")
    if not q > 0.0:
        raise UsageError(f"with_q: Q {q} is not above zero")
    if element.kind not in ("series", "parallel", "trap"):
        raise UsageError(f"with_q: Q is that of coils and capacitors; an impedance of kind '{element.kind}' has none")
    omega = 2.0 * math.pi * units.frequency(frequency)
    r, inductance, c = (x.real for x in element.numbers)
    if element.kind == "parallel":
        lost = (1.0 / r if r else 0.0) + ((1.0 / (omega * inductance) if inductance else 0.0) + omega * c) / q
        return Impedance("parallel", (1.0 / lost if lost else 0.0, inductance, c))
    across = 1.0 / (omega * c) if c and element.kind == "series" else 0.0
    return Impedance(element.kind, (r + (omega * inductance + across) / q, inductance, c))


def short_circuit() -> Impedance:
    """Zero ohm."""
    return Impedance("constant", (0j,))


@dataclass(frozen=True, slots=True)
class LineType:
    """A two-conductor line: characteristic impedance (ohm), velocity as a share of light's, attenuation in dB/m.

    The attenuation holds at `frequency` (Hz) and goes with its square root, as skin effect does; at every frequency
    when that is None.
    """

    impedance: float
    velocity: float = 1.0
    attenuation: float = 0.0
    frequency: float | None = None

    def __post_init__(self) -> None:
        if not (math.isfinite(self.impedance) and self.impedance > 0.0):
            raise UsageError(f"line: impedance {self.impedance} ohm is not above zero")
        if not 0.0 < self.velocity <= 1.0:
            raise UsageError(f"line: velocity {self.velocity} is outside 0 to 1 (a share of the velocity of light)")
        if not (math.isfinite(self.attenuation) and self.attenuation >= 0.0):
            raise UsageError(f"line: attenuation {self.attenuation} dB/m is below zero")

    def propagation(self, frequency: float) -> complex:
        """Propagation constant α + jβ per metre at a frequency in Hz."""
        rise = 1.0 if self.frequency is None else math.sqrt(frequency / self.frequency)
        alpha = self.attenuation * rise * math.log(10.0) / 20.0
        return complex(alpha, 2.0 * math.pi * frequency / (SPEED_OF_LIGHT * self.velocity))

    def characteristic(self, _: float) -> float:
        """Characteristic impedance at a frequency in Hz, ohm."""
        return self.impedance


def two_wire(spacing: str | float, diameter: str | float, permittivity: float = 1.0) -> LineType:
    """Two round wires side by side: Z = η/π √εr acosh(spacing/diameter) (Pozar 2012, table 2.1), without loss."""
    apart, thick = units.length(spacing, "two_wire, spacing"), units.length(diameter, "two_wire, diameter")
    if not apart > thick > 0.0:
        raise UsageError(f"two_wire: spacing {spacing} is not above the diameter {diameter}: the wires would touch")
    slow = math.sqrt(_permittivity(permittivity, "two_wire"))
    return LineType(WAVE_IMPEDANCE / (math.pi * slow) * math.acosh(apart / thick), 1.0 / slow)


def coaxial(inner: str | float, outer: str | float, permittivity: float = 1.0) -> LineType:
    """Coaxial line of two diameters: Z = η/2π√εr ln(outer/inner) (Pozar 2012, table 2.1), without loss."""
    thin, wide = units.length(inner, "coaxial, inner"), units.length(outer, "coaxial, outer")
    if not wide > thin > 0.0:
        raise UsageError(f"coaxial: the outer diameter {outer} is not above the inner {inner}")
    slow = math.sqrt(_permittivity(permittivity, "coaxial"))
    return LineType(WAVE_IMPEDANCE / (2.0 * math.pi * slow) * math.log(wide / thin), 1.0 / slow)


def _permittivity(value: float, place: str) -> float:
    if not value >= 1.0:
        raise UsageError(f"{place}: permittivity {value} is below 1")
    return value
