"""From a wished impedance to a circuit: two parts, three with a chosen Q, a line and a stub, quarter waves.

All are worked out without loss at one frequency, then made of what there is: coils and capacitors with their Q, in
values that can be bought, and looked at over the band as circuits.
"""

from __future__ import annotations

import cmath
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from .. import units
from ..constants import SPEED_OF_LIGHT
from ..errors import UsageError, needs, unknown
from .assembly import Circuit, Placed
from .components import EndPart, LinePart, SeriesPart, block, plain_number
from .elements import Impedance, LineType, open_circuit, series, short_circuit
from .flow import solve_circuit
from .network import Network

RANGES = {"E6": 6, "E12": 12, "E24": 24, "E48": 48, "E96": 96}
"""Values a decade of preferred numbers (IEC 60063)."""
_TENTHS = (10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30, 33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91)
_E24 = tuple(n / 10 for n in _TENTHS)
_REAL = 1e-9
_SHORTEST = 1e-6
"""Of a wave: a line that is no longer is left out."""
_INPUT, _ANTENNA = "in", "antenna"


@dataclass(frozen=True, slots=True)
class Stock:
    """What parts are made of. values: a range of `RANGES`, or None for any; Q of coils and of capacitors.

    velocity: of lines, as a share of light's; attenuation: of lines, dB/m at the frequency they are made for.
    """

    values: str | None = None
    coil_q: float = math.inf
    capacitor_q: float = math.inf
    velocity: float = 1.0
    attenuation: float = 0.0

    def __post_init__(self) -> None:
        if self.values is not None and self.values not in RANGES:
            raise UsageError(f"values '{self.values}': they come in {', '.join(RANGES)}, or any")
        for name, q in (("coils", self.coil_q), ("capacitors", self.capacitor_q)):
            if not plain_number(q, f"Q of {name}") > 0.0:
                raise UsageError(f"Q {q} of {name} is not above zero")

    def reactance(self, ohms: float, hertz: float) -> tuple[str, Impedance]:
        """A coil or a capacitor of a reactance at a frequency, in words and as an impedance."""
        omega = 2.0 * math.pi * hertz
        if ohms > 0.0:
            henry = self.nearest(ohms / omega)
            return units.engineering(henry, "H", 3), series(omega * henry / self.coil_q, henry)
        farad = self.nearest(-1.0 / (omega * ohms))
        return units.engineering(farad, "F", 3), series(1.0 / (omega * farad * self.capacitor_q), 0.0, farad)

    def nearest(self, value: float) -> float:
        """The value that can be bought which is nearest, as a ratio."""
        if self.values is None:
            return value
        count = RANGES[self.values]
        # Up to E24 the numbers are historical; from E48 on they are rounded powers.
        steps = _E24[:: 24 // count] if count <= 24 else [round(10.0 ** (n / count), 2) for n in range(count)]
        decade = 10.0 ** math.floor(math.log10(value))
        return float(
            min((s * d for s in steps for d in (decade, 10.0 * decade)), key=lambda x: abs(math.log(x / value)))
        )

    def line(self, ohms: float, hertz: float) -> LineType:
        """A line of a characteristic impedance."""
        return LineType(ohms, self.velocity, self.attenuation, hertz)


@dataclass(frozen=True, slots=True, eq=False)
class Match:
    """One way to match. parts: in words, from the input to the antenna; circuit: with ports in and antenna.

    frequency: Hz, where it is for. reflection: there, at the input against the wished impedance; loss: dB, of what goes
    in, in the circuit. network: over all frequencies of the antenna.
    """

    kind: str
    parts: tuple[str, ...]
    circuit: Circuit
    frequency: float
    reflection: complex
    loss: float
    network: Network


Step = tuple[str, SeriesPart | EndPart | LinePart]
"""A part of a ladder in words, from the antenna on."""


def matches(
    network: Network,
    frequency: str | float,
    to: complex = 50.0,
    *,
    port: str | None = None,
    q: float | None = None,
    sections: int = 1,
    stock: Stock | None = None,
) -> list[Match]:
    """Every way there is to match a port to an impedance at a frequency, the best match first.

    network: of an antenna, its other ports closed by their references. to: ohm, what is to be seen at the input; lines
    and quarter waves want it real. q: of the ways with three parts, which are left out without. sections: quarter
    waves in a row, by binomial steps. stock: what parts are made of, without loss and to any value unless given.
    Raises UsageError for frequencies the network does not hold and impedances without a resistance.
    """
    needs(network, Network, "matches", "a Network, such as a solution's network")
    hertz, stock = units.frequency(frequency), stock or Stock()
    if port is None and len(network.ports) > 1:
        raise UsageError(f"matches: the antenna has {len(network.ports)} ports ({', '.join(network.ports)}): name one")
    if port is not None and port not in network.ports:
        raise UsageError(f"matches: {unknown('port', port, network.ports)}")
    one = 0 if port is None else network.ports.index(port)
    nearest = int(np.argmin(np.abs(network.frequencies - hertz)))
    if abs(network.frequencies[nearest] - hertz) > 1e-9 * hertz:
        raise UsageError(
            f"matches: {units.engineering(hertz, 'Hz', 6)} is not among the frequencies; the nearest is "
            f"{units.engineering(float(network.frequencies[nearest]), 'Hz', 6)}"
        )
    seen = network.impedances[:, one]
    load, wished = complex(seen[nearest]), complex(to)
    for what, z in (("the antenna's", load), ("the wished", wished)):
        if not (cmath.isfinite(z) and z.real > 0.0):
            raise UsageError(
                f"matches: {what} impedance, {z:.4g} ohm, has no resistance above zero: nothing matches it"
            )
    if q is not None and not q > 0.0:
        raise UsageError(f"matches: Q {q} is not above zero")
    units.count(sections, "matches, sections", 1, 12)
    reference = np.array([wished.real + 0j])
    seen_alone = 1.0 / seen[:, None, None]
    alone = Network(network.frequencies, seen_alone, (_ANTENNA,), reference, network.label, network.spans)
    ways = [("two parts", steps) for steps in _two_parts(load, wished, hertz, stock)]
    if q is not None:
        ways += [("three parts", steps) for steps in _three_parts(load, wished, q, hertz, stock)]
    if abs(wished.imag) <= _REAL * wished.real:
        ways += [("line and stub", steps) for steps in _stubs(load, wished.real, hertz, stock)]
        ways += [("quarter waves", steps) for steps in _quarters(load, wished.real, sections, hertz, stock)]
    found = [_made(kind, steps, alone, hertz, wished) for kind, steps in ways]
    return sorted(found, key=lambda m: abs(m.reflection))


def _made(kind: str, steps: Sequence[Step], antenna: Network, hertz: float, wished: complex) -> Match:
    """A ladder on the antenna, looked at."""
    parts, place = {}, _ANTENNA
    last = max((n for n, (_, part) in enumerate(steps) if len(part.ports) == 2), default=-1)
    for n, (words, part) in enumerate(steps):
        onward = _INPUT if n == last else f"node {n + 1}"
        parts[f"{n + 1}: {words}"] = Placed(part, [place] if len(part.ports) == 1 else [onward, place])
        place = place if len(part.ports) == 1 else onward
    if last < 0:
        # Nothing but what goes to ground, or nothing at all: the input is the antenna's own node.
        parts["joint"] = Placed(LinePart(LineType(wished.real), 0.0), [_INPUT, _ANTENNA])
    ladder = Circuit(parts, (_INPUT, _ANTENNA))
    whole = Circuit({"ladder": Placed(ladder, ("x", "y")), _ANTENNA: Placed(block(antenna), ("y",))}, ("x",))
    solved = solve_circuit(whole, antenna.frequencies, wished.real)
    seen = solved.matrices[:, 0, 0]
    ohms = wished.real * (1.0 + seen) / (1.0 - seen)
    at = int(np.argmin(np.abs(antenna.frequencies - hertz)))
    taken = solved.drive({"x": 1.0}, hertz).budget()
    loss = -10.0 * math.log10(taken[_ANTENNA] / taken.sum())
    matched = Network(antenna.frequencies, 1.0 / ohms[:, None, None], (_INPUT,), np.array([wished.conjugate()]),
                      f"{kind}: {', '.join(words for words, _ in reversed(steps))}", antenna.spans)  # fmt: skip
    back = (ohms[at] - wished) / (ohms[at] + wished.conjugate())
    return Match(
        kind, tuple(words for words, _ in reversed(steps)), ladder, hertz, complex(back), max(0.0, loss), matched
    )


def _in_series(ohms: float, hertz: float, stock: Stock) -> list[Step]:
    if abs(ohms) < _REAL:
        return []
    words, part = stock.reactance(ohms, hertz)
    return [(f"{words} in series", SeriesPart(part))]


def _to_ground(siemens: float, hertz: float, stock: Stock) -> list[Step]:
    if abs(siemens) < 1e-3 * _REAL:
        return []
    words, part = stock.reactance(-1.0 / siemens, hertz)
    return [(f"{words} to ground", EndPart(part))]


def _ladders(load: complex, wished: complex) -> Iterator[tuple[str, float, float]]:
    """Two parts that turn a load into what is wished: which comes first at the load, its reactance or susceptance, and
    that of the other: G/(G² + B²) = R0, or R/(R² + X²) = G0 (Pozar 2012, sec. 5.1)."""
    y, y0 = 1.0 / load, 1.0 / wished
    square = y.real / wished.real - y.real**2
    for root in {math.sqrt(square), -math.sqrt(square)} if square >= 0.0 else ():
        yield "ground", root - y.imag, wished.imag - (1.0 / complex(y.real, root)).imag
    square = load.real / y0.real - load.real**2
    for root in {math.sqrt(square), -math.sqrt(square)} if square >= 0.0 else ():
        yield "series", root - load.imag, y0.imag - (1.0 / complex(load.real, root)).imag


def _two_parts(load: complex, wished: complex, hertz: float, stock: Stock) -> Iterator[list[Step]]:
    for first, one, two in _ladders(load, wished):
        if first == "ground":
            yield _to_ground(one, hertz, stock) + _in_series(two, hertz, stock)
        else:
            yield _in_series(one, hertz, stock) + _to_ground(two, hertz, stock)


def _three_parts(load: complex, wished: complex, q: float, hertz: float, stock: Stock) -> Iterator[list[Step]]:
    """Two ladders back to back over a resistance below both (to ground, series, to ground) or above both."""
    parallel = max(1.0 / (1.0 / load).real, 1.0 / (1.0 / wished).real)
    between = parallel / (q * q + 1.0)
    if between < min(1.0 / (1.0 / load).real, 1.0 / (1.0 / wished).real):
        for one in _halves(load, between, "ground"):
            for two in _halves(wished.conjugate(), between, "ground"):
                yield (_to_ground(one[0], hertz, stock) + _in_series(one[1] + two[1], hertz, stock)
                       + _to_ground(two[0], hertz, stock))  # fmt: skip
    between = min(load.real, wished.real) * (q * q + 1.0)
    if between > max(load.real, wished.real):
        for one in _halves(load, between, "series"):
            for two in _halves(wished.conjugate(), between, "series"):
                yield (_in_series(one[0], hertz, stock) + _to_ground(one[1] + two[1], hertz, stock)
                       + _in_series(two[0], hertz, stock))  # fmt: skip


def _halves(end: complex, between: float, first: str) -> list[tuple[float, float]]:
    """From one end to the resistance between; the wished end is its conjugate, being looked at from the other side."""
    return [(one, two) for which, one, two in _ladders(end, between + 0j) if which == first]


def _stubs(load: complex, ohms: float, hertz: float, stock: Stock) -> Iterator[list[Step]]:
    """A line of the wished impedance to where the conductance is right, and a stub there (Pozar 2012, sec. 5.2)."""
    wave = stock.velocity * SPEED_OF_LIGHT / hertz
    r, x = load.real, load.imag
    if abs(r - ohms) < _REAL * ohms:
        tangents = [-x / (2.0 * ohms)]
    else:
        root = math.sqrt(r * ((ohms - r) ** 2 + x * x) / ohms)
        tangents = [(x + root) / (r - ohms), (x - root) / (r - ohms)]
    for t in tangents:
        along = (math.atan(t) % math.pi) / (2.0 * math.pi) * wave
        z = ohms * (load + 1j * ohms * t) / (ohms + 1j * load * t)
        needed = -(1.0 / z).imag * ohms
        for end, name in ((open_circuit(), "open"), (short_circuit(), "shorted")):
            turn = math.atan(needed) if name == "open" else math.atan2(-1.0, needed)
            long = (turn % math.pi) / (2.0 * math.pi) * wave
            if long < _SHORTEST * wave:
                continue
            kind = stock.line(ohms, hertz)
            yield [
                *_line(kind, along, wave),
                (f"{name} stub of {_metres(long)}, {ohms:.4g} ohm", EndPart(end, kind, long)),
            ]


def _quarters(load: complex, ohms: float, sections: int, hertz: float, stock: Stock) -> Iterator[list[Step]]:
    """A line to where the impedance is real, then quarter waves by binomial steps (Pozar 2012, eq. 5.53)."""
    wave = stock.velocity * SPEED_OF_LIGHT / hertz
    back = (load - ohms) / (load + ohms)
    for half in (0.0, math.pi):
        # Along a line the reflection turns by twice its phase; it is real where the impedance is.
        along = ((cmath.phase(back) - half) % (2.0 * math.pi)) / (4.0 * math.pi) * wave if abs(back) > _REAL else 0.0
        size = abs(back) * math.cos(half)
        real = ohms * (1.0 + size) / (1.0 - size)
        steps = _line(stock.line(ohms, hertz), along, wave)
        level = math.log(real)
        for n in range(sections):
            level += 2.0**-sections * math.comb(sections, n) * math.log(ohms / real)
            # Between the level before and after the step; of one section the mean of both ends.
            steps += _line(stock.line(math.exp(level), hertz), 0.25 * wave, wave)
        yield steps


def _line(kind: LineType, long: float, wave: float) -> list[Step]:
    if long < _SHORTEST * wave:
        return []
    return [(f"{_metres(long)} of line, {kind.impedance:.4g} ohm", LinePart(kind, long))]


def _metres(long: float) -> str:
    return units.engineering(long, "m", 4)
