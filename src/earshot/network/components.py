"""Parts of circuits by their scattering matrices: lines, lumped elements, transformers, attenuators, one-way parts.

Every part has ports, in an order, and gives its waves at any real reference. A passive one at 290 K makes the noise
that keeps it in balance, 1 - S S† over k·290 K (Bosma 1967; Wedge and Rutledge 1991, IEEE Trans. MTT 39, eq. 7).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from numbers import Real
from typing import Any, Protocol

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..errors import UsageError, needs
from .elements import Impedance, LineType, impedance
from .network import Network, scattering
from .waves import renormalised

ROOM = 290.0
"""Temperature of passive parts, K, by which noise is counted."""


class Part(Protocol):
    """Something with ports that turns waves into waves."""

    @property
    def ports(self) -> tuple[str, ...]:
        """Its ports, by name."""
        ...

    def scattering(self, frequencies: Floats, reference: float, /) -> Complexes:
        """Matrices (n, ports, ports) at frequencies (n,), Hz, and a real reference, ohm.

        Raises UsageError outside what it is known for.
        """
        ...

    def noise(self, frequencies: Floats, reference: float, /) -> Complexes:
        """What comes out of its ports (n, ports, ports) by itself, over k·290 K."""
        ...


class Passive:
    """A part that makes the noise of its losses."""

    __slots__ = ()

    def scattering(self, frequencies: Floats, reference: float, /) -> Complexes:
        """Its own."""
        raise NotImplementedError

    def noise(self, frequencies: Floats, reference: float, /) -> Complexes:
        """1 - S S†."""
        matrices = self.scattering(frequencies, reference)
        return np.asarray(np.eye(matrices.shape[-1]) - matrices @ np.conj(np.swapaxes(matrices, 1, 2)))


def _propagation(kind: LineType, frequencies: Floats) -> Complexes:
    return np.array([kind.propagation(f) for f in frequencies.tolist()], complex)


def _characteristic(kind: LineType, frequencies: Floats) -> Floats:
    return np.array([kind.characteristic(f) for f in frequencies.tolist()])


def _reflected(ohms: Impedance, frequencies: Floats, own: float | Floats, short: float = -1.0) -> Complexes:
    """(Z - own)/(Z + own) (n,), or with nought for a short Z/(Z + own); one of what is open."""
    values = np.array([ohms.at(f) for f in frequencies.tolist()], complex)
    there = np.isfinite(values)
    values = np.where(there, values, 0.0)
    return np.where(there, (values + short * own) / (values + own), 1.0)


def two_by_two(one: Any, through: Any, two: Any) -> Complexes:
    """(n, 2, 2) from S11, S12 = S21 and S22 (n,)."""
    return np.asarray(
        np.stack([np.stack([one, through], axis=-1), np.stack([through, two], axis=-1)], axis=-2), np.complex128
    )


@dataclass(frozen=True, slots=True)
class LinePart(Passive):
    """A length of line. kind: a `LineType`, or a characteristic impedance in ohm for air; length: metres or text."""

    kind: LineType
    length: float
    ports: tuple[str, str] = ("one", "two")

    def scattering(self, frequencies: Floats, reference: float) -> Complexes:
        """Bounced to and fro between its ends (Pozar 2012, prob. 4.11)."""
        passed = np.exp(-self.length * _propagation(self.kind, frequencies))
        own = _characteristic(self.kind, frequencies)
        step = (own - reference) / (own + reference)
        around = 1.0 - step**2 * passed**2
        back, through = step * (1.0 - passed**2) / around, (1.0 - step**2) * passed / around
        return two_by_two(back, through, back)


@dataclass(frozen=True, slots=True)
class SeriesPart(Passive):
    """An impedance from one port to the other."""

    impedance: Impedance
    ports: tuple[str, str] = ("one", "two")

    def scattering(self, frequencies: Floats, reference: float) -> Complexes:
        """S21 = 2R/(Z + 2R): nothing where it is open."""
        through = 1.0 - _reflected(self.impedance, frequencies, 2.0 * reference, short=0.0)
        return two_by_two(1.0 - through, through, 1.0 - through)


@dataclass(frozen=True, slots=True)
class EndPart(Passive):
    """An impedance from a node to ground; at the end of a length of line, if one is given: a stub."""

    impedance: Impedance
    kind: LineType | None = None
    length: float = 0.0
    ports: tuple[str] = ("one",)

    def scattering(self, frequencies: Floats, reference: float) -> Complexes:
        """What comes back from the impedance, and from the line in front of it."""
        own = np.full(len(frequencies), reference)
        if self.kind is not None:
            own = _characteristic(self.kind, frequencies)
        back = _reflected(self.impedance, frequencies, own)
        if self.kind is not None:
            back = back * np.exp(-2.0 * self.length * _propagation(self.kind, frequencies))
        return renormalised(back[:, None, None], own[:, None, None], reference)


@dataclass(frozen=True, slots=True)
class Fixed(Passive):
    """A part that is the same at all frequencies: a matrix (ports, ports) at an impedance, ohm; passive at 290 K."""

    ports: tuple[str, ...]
    matrix: tuple[tuple[complex, ...], ...]
    impedance: float = 50.0

    def scattering(self, frequencies: Floats, reference: float) -> Complexes:
        """The matrix, at the reference."""
        one = renormalised(np.array([self.matrix], complex), self.impedance, reference)
        return np.repeat(one, len(frequencies), axis=0)


@dataclass(frozen=True, slots=True)
class Transformer(Passive):
    """An ideal transformer: V1 = turns × V2 (below zero: turned over)."""

    turns: float
    ports: tuple[str, str] = ("one", "two")

    def scattering(self, frequencies: Floats, _: float) -> Complexes:
        """The same at any reference (Pozar 2012, table 4.2)."""
        n = self.turns
        through = np.full(len(frequencies), 2.0 * n / (n * n + 1.0), complex)
        back = np.full(len(frequencies), (n * n - 1.0) / (n * n + 1.0), complex)
        return two_by_two(back, through, -back)


@dataclass(frozen=True, slots=True, eq=False)
class BlockPart(Passive):
    """Measured or solved scattering (n, ports, ports) at frequencies (n,), Hz, rising, at a real reference, ohm.

    Between samples S goes straight; nothing is known outside them. Noise is that of a passive block.
    """

    ports: tuple[str, ...]
    frequencies: Floats
    matrices: Complexes
    reference: float = 50.0

    def scattering(self, frequencies: Floats, reference: float) -> Complexes:
        """Raises UsageError outside its frequencies."""
        low, high = float(self.frequencies[0]), float(self.frequencies[-1])
        for f in (float(frequencies.min()), float(frequencies.max())):
            if not low * (1.0 - 1e-9) <= f <= high * (1.0 + 1e-9):
                raise UsageError(
                    f"the block with ports {', '.join(self.ports)} is known from {units.engineering(low, 'Hz')} to "
                    f"{units.engineering(high, 'Hz')}; {units.engineering(f, 'Hz')} is outside: measure it there, or "
                    "ask within"
                )
        found = self.matrices[:1]
        if len(self.frequencies) > 1:
            from scipy.interpolate import make_interp_spline

            found = make_interp_spline(self.frequencies, self.matrices, k=1)(np.clip(frequencies, low, high))
        every = np.broadcast_to(found, (len(frequencies), *found.shape[1:]))
        return renormalised(every, self.reference, reference)


def line(kind: LineType | float | str, length: float | str) -> LinePart:
    """A length of line. kind: a `LineType` (`two_wire`, `coaxial`, ...), or ohms of an ideal line in air.

    Raises UsageError for a length below zero.
    """
    return LinePart(_line_type(kind, "line"), _long(length, "line"))


def stub(kind: LineType | float | str, length: float | str, end: Impedance | complex | str = 0.0) -> EndPart:
    """A length of line off a node, closed at its end: shorted unless it is said how."""
    return EndPart(_impedance(end), _line_type(kind, "stub"), _long(length, "stub"))


def in_series(ohms: Impedance | complex | str) -> SeriesPart:
    """An impedance between two nodes: `series`, `parallel`, "68 ohm + 22 nH", ohms."""
    return SeriesPart(_impedance(ohms))


def to_ground(ohms: Impedance | complex | str) -> EndPart:
    """An impedance from a node to ground."""
    return EndPart(_impedance(ohms))


def transformer(turns: float) -> Transformer:
    """An ideal transformer of so many turns on its first side for one on its second; raises UsageError for nought."""
    if not math.isfinite(plain_number(turns, "transformer, turns")) or turns == 0.0:
        raise UsageError(f"transformer: {turns} turns; give a number that is not nought")
    return Transformer(float(turns))


def attenuator(loss: float, impedance: float | str = 50.0) -> Fixed:
    """A matched loss, dB; raises UsageError below nought."""
    passed = 10.0 ** (-decibels_lost(loss, "attenuator") / 20.0)
    return Fixed(("one", "two"), ((0j, passed + 0j), (passed + 0j, 0j)), characteristic(impedance, "attenuator"))


def isolator(loss: float = 0.0, isolation: float = math.inf, impedance: float | str = 50.0) -> Fixed:
    """Matched; passes from its first port to its second with a loss, back with an isolation, dB."""
    on, back = (10.0 ** (-decibels_lost(x, "isolator") / 20.0) + 0j for x in (loss, isolation))
    return Fixed(("one", "two"), ((0j, back), (on, 0j)), characteristic(impedance, "isolator"))


def circulator(loss: float = 0.0, isolation: float = math.inf, impedance: float | str = 50.0) -> Fixed:
    """Matched; passes from each port to the next with a loss, the other way with an isolation, dB."""
    on, back = (10.0 ** (-decibels_lost(x, "circulator") / 20.0) + 0j for x in (loss, isolation))
    rows = ((0j, back, on), (on, 0j, back), (back, on, 0j))
    return Fixed(("one", "two", "three"), rows, characteristic(impedance, "circulator"))


def phase_shifter(
    angle: float | str,
    loss: float = 0.0,
    *,
    bits: int | None = None,
    error: float | str = 0.0,
    impedance: float | str = 50.0,
) -> Fixed:
    """Matched; delays what passes it either way by an angle, degrees or text, with a loss, dB.

    bits: how many it is set by: the nearest of its states. error: by how much that state delays more than it should.
    """
    degrees = math.degrees(units.angle(angle, "phase shifter"))
    if bits is not None:
        step = 360.0 / 2 ** units.count(bits, "phase shifter, bits", 1, 16)
        degrees = step * round(degrees / step)
    degrees += math.degrees(units.angle(error, "phase shifter, error"))
    passed = 10.0 ** (-decibels_lost(loss, "phase shifter") / 20.0) * complex(
        math.cos(math.radians(degrees)), -math.sin(math.radians(degrees))
    )
    return Fixed(("one", "two"), ((0j, passed), (passed, 0j)), characteristic(impedance, "phase shifter"))


def switch(
    ways: int, state: int, loss: float = 0.0, isolation: float = math.inf, impedance: float | str = 50.0
) -> Fixed:
    """Matched; joins port in to out 1, out 2, ..., by its state, with a loss; to the others an isolation, dB.

    Raises UsageError for a state it has not.
    """
    count = units.count(ways, "switch, ways", 1, 1024)
    if state not in range(1, count + 1):
        raise UsageError(f"switch: state {state}; it has 1 to {count}")
    on, off = (10.0 ** (-decibels_lost(x, "switch") / 20.0) + 0j for x in (loss, isolation))
    passed = [on if n == state else off for n in range(1, count + 1)]
    rows = ((0j, *passed), *((p, *([0j] * count)) for p in passed))
    return Fixed(("in", *(f"out {n}" for n in range(1, count + 1))), rows, characteristic(impedance, "switch"))


def block(network: Network, ports: Sequence[str] = ()) -> BlockPart:
    """A network, measured (`read_network`) or solved, as a part; ports: its own names unless given.

    Raises UsageError for as many names as it has not ports.
    """
    needs(network, Network, "block", "a Network: es.read_network(...), or a solution's network")
    names = tuple(ports) or network.ports
    if len(names) != len(network.ports):
        raise UsageError(
            f"block: {len(names)} names ({', '.join(names)}) for a network of {len(network.ports)} ports: give one each"
        )
    reference = float(network.references[0].real)
    one = np.full(len(names), reference, complex)
    return BlockPart(names, network.frequencies, scattering(network.admittance, one), reference)


def _impedance(value: Impedance | complex | str) -> Impedance:
    return value if isinstance(value, Impedance) else impedance(value)


def _line_type(kind: LineType | float | str, what: str) -> LineType:
    return kind if isinstance(kind, LineType) else LineType(characteristic(kind, what))


def plain_number(value: object, what: str) -> float:
    """A real number that was given as one; raises UsageError for anything else, naming `what`."""
    needs(value, Real, what, "a number")
    assert isinstance(value, Real)
    if math.isnan(value):
        raise UsageError(f"{what}: not a number")
    return float(value)


def characteristic(value: float | str, what: str) -> float:
    """An impedance of a part, ohm; raises UsageError unless it is above zero."""
    ohms = units.read(value, "resistance", what=f"{what}, impedance")
    if not (math.isfinite(ohms) and ohms > 0.0):
        raise UsageError(f"{what}: impedance {value} is not above zero")
    return ohms


def _long(value: float | str, what: str) -> float:
    metres = units.length(value, f"{what}, length")
    if not (math.isfinite(metres) and metres >= 0.0):
        raise UsageError(f"{what}: length {value} is below zero")
    return metres


def decibels_lost(value: float, what: str) -> float:
    """A loss, dB; raises UsageError below nought."""
    if plain_number(value, f"{what}, dB") < 0.0:
        raise UsageError(f"{what}: {value} dB is below zero: a loss is told as a positive number")
    return float(value)
