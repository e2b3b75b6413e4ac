"""Parts that divide and couple: ideal ones by their matrices, those of lines as lines, at any frequency.

Of lines: branch-line and ring hybrids and dividers with their resistors (Pozar 2012, sec. 7.3, 7.5 and 7.8), coupled
lines by even and odd modes (sec. 7.6).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import SPEED_OF_LIGHT
from ..errors import UsageError
from .assembly import Circuit, Placed
from .components import Fixed, LinePart, Passive, characteristic, in_series, line, plain_number, transformer
from .elements import LineType
from .waves import node

_HALF = 10.0 * math.log10(2.0)


def coupler(coupling: float = _HALF, phase: float = -90.0, impedance: float | str = 50.0) -> Fixed:
    """Ideal: matched, without loss; ports in, through, coupled, isolated.

    coupling: dB, of the power that goes to the coupled port. phase: of that against the through port, deg: -90, 90, or
    0 and 180 for one whose isolated port sees the other half turned over. Raises UsageError for others, and below 0 dB.
    """
    k = _coupled(coupling, "coupler")
    t = math.sqrt(1.0 - k * k)
    turns = {90.0: (1j, 1j), -90.0: (-1j, -1j), 0.0: (1.0, -1.0), 180.0: (-1.0, 1.0)}
    if phase not in turns:
        raise UsageError(f"coupler: phase {phase} deg; without loss it is -90, 90, 0 or 180")
    one, two = (k * x + 0j for x in turns[phase])
    rows = ((0j, t + 0j, one, 0j), (t + 0j, 0j, 0j, two), (one, 0j, 0j, t + 0j), (0j, two, t + 0j, 0j))
    return Fixed(("in", "through", "coupled", "isolated"), rows, characteristic(impedance, "coupler"))


def divider(shares: int | Sequence[float] = 2, *, isolated: bool = True, impedance: float | str = 50.0) -> Fixed:
    """Ideal: from port in to out 1, out 2, ..., all in phase, matched at in, without loss from there.

    shares: how many alike, or powers in any unit. isolated: what comes back unlike into the outputs is taken by
    resistors; otherwise it is thrown back. Raises UsageError for fewer than two, and shares that are not above zero.
    """
    if isinstance(shares, Sequence) and not isinstance(shares, str):
        powers = np.array([plain_number(share, "divider, shares") for share in shares])
    else:
        powers = np.ones(units.count(shares, "divider, shares", 2, 1024))
    if len(powers) < 2 or not (np.isfinite(powers).all() and (powers > 0.0).all()):
        raise UsageError(f"divider: shares {shares} are not two powers or more, above zero")
    amounts = np.sqrt(powers / powers.sum())
    matrix = np.zeros((len(powers) + 1,) * 2, complex)
    matrix[0, 1:] = matrix[1:, 0] = amounts
    if not isolated:
        matrix[1:, 1:] = np.outer(amounts, amounts) - np.eye(len(powers))
    names = ("in", *(f"out {n + 1}" for n in range(len(powers))))
    return Fixed(names, _rows(matrix), characteristic(impedance, "divider"))


def tee(arms: int = 3) -> Fixed:
    """A plain node of so many arms, as a part."""
    count = units.count(arms, "tee, arms", 2, 1024)
    return Fixed(tuple(str(n + 1) for n in range(count)), _rows(node(count)))


def balun(impedance: float | str = 50.0, balanced_impedance: float | str = 50.0) -> Circuit:
    """Ideal: from port in to ports plus and minus, as much against ground with opposite signs."""
    turns = math.sqrt(characteristic(impedance, "balun") / characteristic(balanced_impedance, "balun, balanced"))
    parts = {
        "series": Placed(_SERIES, ("in", "a", "b")),
        "up": Placed(transformer(turns), ("a", "plus")),
        "down": Placed(transformer(-turns), ("b", "minus")),
    }
    return Circuit(parts, ("in", "plus", "minus"))


_SERIES = Fixed(("in", "one", "two"), ((1 / 3 + 0j, 2 / 3 + 0j, 2 / 3 + 0j), (2 / 3 + 0j, 1 / 3 + 0j, -2 / 3 + 0j),
                                       (2 / 3 + 0j, -2 / 3 + 0j, 1 / 3 + 0j)))  # fmt: skip
"""Three arms that share one current: V_in = V_one + V_two, I_in = -I_one = -I_two, at any reference."""


def beam_matrix(elements: int, impedance: float | str = 50.0) -> Fixed:
    """Ideal: inputs beam 1 ..., outputs element 1 ...; beams do not share power (Butler and Lowe 1961).

    Beam k of n makes neighbours differ by (2k - 1 - n) 180°/n; n a power of two. Raises UsageError for others.
    """
    count = units.count(elements, "beam matrix, elements", 2, 1024)
    if count & (count - 1):
        raise UsageError(f"beam matrix: {count} elements; it takes 2, 4, 8, ... of them")
    beams, places = np.arange(1, count + 1), np.arange(count) - 0.5 * (count - 1)
    passed = np.exp(1j * math.pi / count * np.outer(places, 2 * beams - 1 - count)) / math.sqrt(count)
    matrix = np.zeros((2 * count,) * 2, complex)
    matrix[count:, :count], matrix[:count, count:] = passed, passed.T
    names = [f"beam {n}" for n in beams] + [f"element {n}" for n in beams]
    return Fixed(tuple(names), _rows(matrix), characteristic(impedance, "beam matrix"))


@dataclass(frozen=True, slots=True)
class CoupledLines(Passive):
    """Two lines side by side by their even and odd modes: in and coupled are at one end, in and through of one line."""

    even: LineType
    odd: LineType
    length: float
    ports: tuple[str, str, str, str] = ("in", "coupled", "through", "isolated")

    def scattering(self, frequencies: Floats, reference: float) -> Complexes:
        """Half the sum and half the difference of the modes'."""
        even, odd = (LinePart(kind, self.length).scattering(frequencies, reference) for kind in (self.even, self.odd))
        both, against = 0.5 * (even + odd), 0.5 * (even - odd)
        found = np.empty((len(frequencies), 4, 4), complex)
        for a, left in enumerate((0, 2)):
            for b, right in enumerate((0, 2)):
                found[:, left, right] = found[:, left + 1, right + 1] = both[:, a, b]
                found[:, left, right + 1] = found[:, left + 1, right] = against[:, a, b]
        return found


def coupled_lines(coupling: float, frequency: str | float, impedance: float | str = 50.0) -> CoupledLines:
    """A quarter wave of coupled lines in air, matched: Z0e, Z0o = Z0 √((1 ± k)/(1 ∓ k)) (Pozar 2012, eq. 7.87)."""
    k, impedance = _coupled(coupling, "coupled lines"), characteristic(impedance, "coupled lines")
    ratio = math.sqrt((1.0 + k) / (1.0 - k))
    return CoupledLines(LineType(impedance * ratio), LineType(impedance / ratio), _quarter(frequency))


def branch_line(frequency: str | float, coupling: float = _HALF, impedance: float | str = 50.0) -> Circuit:
    """Four quarter waves in a square; ports in, through, coupled, isolated (Pozar 2012, sec. 7.5)."""
    k, impedance = _coupled(coupling, "branch line"), characteristic(impedance, "branch line")
    along, across = impedance * math.sqrt(1.0 - k * k), impedance * math.sqrt(1.0 - k * k) / k
    sides = {"top": (along, "in", "through"), "bottom": (along, "isolated", "coupled"),
             "left": (across, "in", "isolated"), "right": (across, "through", "coupled")}  # fmt: skip
    quarter = _quarter(frequency)
    parts = {name: Placed(line(ohms, quarter), ends) for name, (ohms, *ends) in sides.items()}
    return Circuit(parts, ("in", "through", "coupled", "isolated"))


def ring(frequency: str | float, impedance: float | str = 50.0) -> Circuit:
    """A ring of one and a half waves; ports sum, one, two, difference (Pozar 2012, sec. 7.8)."""
    quarter, ohms = _quarter(frequency), math.sqrt(2.0) * characteristic(impedance, "ring")
    arcs = {"first": ("sum", "one", 1), "second": ("sum", "two", 1), "third": ("two", "difference", 1),
            "long": ("one", "difference", 3)}  # fmt: skip
    parts = {name: Placed(line(ohms, n * quarter), (a, b)) for name, (a, b, n) in arcs.items()}
    return Circuit(parts, ("sum", "one", "two", "difference"))


def quarter_wave_divider(frequency: str | float, ways: int = 2, impedance: float | str = 50.0) -> Circuit:
    """Quarter waves of √n Z0, a star of resistors Z0 between their far ends (Wilkinson 1960); ports in, out 1, ...."""
    count, quarter = units.count(ways, "divider, ways", 2, 64), _quarter(frequency)
    parts, impedance = {}, characteristic(impedance, "divider")
    for n in range(1, count + 1):
        parts[f"line {n}"] = Placed(line(math.sqrt(count) * impedance, quarter), ("in", f"out {n}"))
        parts[f"resistor {n}"] = Placed(in_series(impedance), (f"out {n}", "star"))
    return Circuit(parts, ("in", *(f"out {n}" for n in range(1, count + 1))))


def unequal_divider(frequency: str | float, ratio: float, impedance: float | str = 50.0) -> Circuit:
    """Two ways of unlike power, `ratio` the second's over the first's, matched at all ports (Pozar 2012, eq. 7.37).

    Further quarter waves bring both outputs back to the impedance.
    """
    impedance = characteristic(impedance, "unequal divider")
    if not (math.isfinite(plain_number(ratio, "unequal divider, ratio")) and ratio > 0.0):
        raise UsageError(f"unequal divider: ratio {ratio} is not above zero")
    k, quarter = math.sqrt(ratio), _quarter(frequency)
    second = impedance * math.sqrt((1.0 + k * k) / k**3)
    outputs = impedance * k, impedance / k
    parts = {
        "to 1": Placed(line(second * k * k, quarter), ("in", "a")),
        "to 2": Placed(line(second, quarter), ("in", "b")),
        "resistor": Placed(in_series(impedance * (k + 1.0 / k)), ("a", "b")),
        "match 1": Placed(line(math.sqrt(impedance * outputs[0]), quarter), ("a", "out 1")),
        "match 2": Placed(line(math.sqrt(impedance * outputs[1]), quarter), ("b", "out 2")),
    }
    return Circuit(parts, ("in", "out 1", "out 2"))


def _coupled(coupling: float, what: str) -> float:
    """The wave that is coupled, as a share."""
    if not plain_number(coupling, f"{what}, coupling") > 0.0:
        raise UsageError(f"{what}: coupling {coupling} dB is not above zero: it is told as a positive number")
    return float(10.0 ** (-coupling / 20.0))


def _quarter(frequency: str | float) -> float:
    return 0.25 * SPEED_OF_LIGHT / units.frequency(frequency)


def _rows(matrix: Complexes) -> tuple[tuple[complex, ...], ...]:
    return tuple(tuple(row) for row in matrix.tolist())
