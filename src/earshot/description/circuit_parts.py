"""Parts that join the antenna to circuits: terminals, lumped loads, lines and stubs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from .. import units
from ..errors import UsageError, needs
from ..network.elements import Impedance, LineType
from ..network.elements import impedance as constant
from .parts import Gap, Length, named


@dataclass(frozen=True, slots=True, init=False)
class Terminal(Gap):
    """A gap that lines and stubs can be joined to, and nothing else is. See `Port` for `at`, `gap` and `across`."""

    def __init__(
        self,
        name: str,
        on: str,
        at: float | str | Sequence[Length] = 0.5,
        gap: Length | None = None,
        *,
        across: str | Sequence[float] | None = None,
    ) -> None:
        self._place("terminal", name, on, at, gap, across)


@dataclass(frozen=True, slots=True, init=False)
class Load(Gap):
    """A lumped impedance in a gap of a wire or a sheet. See `Port` for `at`, `gap` and `across`.

    impedance: made by `series`, `parallel`, `trap`, `impedance`, or a number in ohm.
    """

    impedance: Impedance

    def __init__(
        self,
        name: str,
        on: str,
        at: float | str | Sequence[Length] = 0.5,
        *,
        impedance: Impedance | complex,
        gap: Length | None = None,
        across: str | Sequence[float] | None = None,
    ) -> None:
        self._place("load", name, on, at, gap, across)
        object.__setattr__(self, "impedance", _impedance(impedance))


def _impedance(value: Impedance | complex) -> Impedance:
    return value if isinstance(value, Impedance) else constant(value)


def _kind(value: LineType | float, place: str) -> LineType:
    if isinstance(value, LineType):
        return value
    return LineType(units.read(value, "resistance", what=f"{place}, impedance"))


def _length(value: Length, place: str) -> float:
    metres = units.length(value, f"{place}, length")
    if metres < 0.0:
        raise UsageError(f"{place}: length {value} is below zero")
    return metres


@dataclass(frozen=True, slots=True, init=False)
class Line:
    """A transmission line between two ports, terminals or loads' gaps, by name; its own field is left out.

    kind: a `LineType`, made by `two_wire` or `coaxial`, or a characteristic impedance in ohm for an ideal line in air.
    length: of the line, metres or text. crossed: its conductors swap on the way.
    """

    name: str
    one: str
    two: str
    kind: LineType
    length: float
    crossed: bool

    def __init__(
        self, name: str, one: str, two: str, kind: LineType | float, length: Length, *, crossed: bool = False
    ) -> None:
        place = f"line '{named(name, 'line')}'"
        for end in (one, two):
            needs(end, str, place, "the names of two ports, loads or terminals")
        needs(crossed, bool, f"{place}, crossed", "True or False")
        if one == two:
            raise UsageError(f"{place}: both ends are at '{one}'; name two places")
        for key, value in (("name", name), ("one", one), ("two", two), ("crossed", crossed)):
            object.__setattr__(self, key, value)
        object.__setattr__(self, "kind", _kind(kind, place))
        object.__setattr__(self, "length", _length(length, place))

    @property
    def places(self) -> tuple[str, ...]:
        """The gaps it joins."""
        return self.one, self.two


@dataclass(frozen=True, slots=True, init=False)
class Stub:
    """A line from a port, terminal or load's gap to an end of its own. See `Line` for kind and length.

    end: the impedance at its far end, `open_circuit()`, `short_circuit()` or any other.
    """

    name: str
    one: str
    kind: LineType
    length: float
    end: Impedance

    def __init__(self, name: str, one: str, kind: LineType | float, length: Length, end: Impedance | complex) -> None:
        place = f"stub '{named(name, 'stub')}'"
        needs(one, str, place, "the name of a port, load or terminal")
        object.__setattr__(self, "name", name)
        object.__setattr__(self, "one", one)
        object.__setattr__(self, "kind", _kind(kind, place))
        object.__setattr__(self, "length", _length(length, place))
        object.__setattr__(self, "end", _impedance(end))

    @property
    def places(self) -> tuple[str, ...]:
        """The gaps it joins."""
        return (self.one,)
