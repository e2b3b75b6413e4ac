"""A design: named values, and how an antenna is built from them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from .. import units
from ..constants import wavelength
from ..errors import UsageError, unknown
from ..units import Quantity
from .antenna import Antenna

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, slots=True)
class Value:
    """A named value: what it is, the range it makes sense in, and a note.

    is_: text with a unit, or a number (metres where a length is meant). from_, to: least and greatest, optional.
    """

    is_: str | float
    from_: str | float | None = None
    to: str | float | None = None
    note: str = ""


class Values(Mapping[str, float]):
    """The values a design was built with, in SI, by name: `v.spacing` or `v["spacing"]`."""

    def __init__(self, quantities: Mapping[str, Quantity]) -> None:
        self.quantities = dict(quantities)

    def __getitem__(self, name: str) -> float:
        if name not in self.quantities:
            raise UsageError(f"the design's build function asks for a value it was not given: {self._missing(name)}")
        return self.quantities[name].si

    def __getattr__(self, name: str) -> float:
        if name.startswith("__"):
            raise AttributeError(name)
        return self[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self.quantities)

    def __len__(self) -> int:
        return len(self.quantities)

    def _missing(self, name: str) -> str:
        return unknown("value", name, self.quantities)


@dataclass(frozen=True, slots=True)
class Design:
    """Named values and a function that builds an `Antenna` from them.

    build: takes `Values`, gives an `Antenna`. frequency: where "lambda" is measured. Further keywords are the values:
    text with a unit, numbers, or `Value` with a range and a note. Raises UsageError and UnitError.

    >>> from earshot import Port, Wire
    >>> def build(v):
    ...     return Antenna("rod", [Wire("rod", [(0, 0, 0), (0, 0, v.height)], radius="1 mm")], [Port("feed", "rod")])
    >>> design = Design(build, frequency="299.792458 MHz", height="0.5 lambda")
    >>> design.antenna.wires[0].length
    0.5
    >>> design.with_(height="0.4 m").values["height"]
    0.4
    """

    build: Callable[[Values], Antenna]
    frequency: float | None
    given: tuple[tuple[str, Value], ...]

    def __init__(
        self, build: Callable[[Values], Antenna], *, frequency: str | float | None = None, **values: str | float | Value
    ) -> None:
        given = {name: v if isinstance(v, Value) else Value(v) for name, v in values.items()}
        object.__setattr__(self, "build", build)
        object.__setattr__(self, "frequency", None if frequency is None else units.frequency(frequency))
        object.__setattr__(self, "given", tuple(given.items()))
        self._resolve()

    @property
    def values(self) -> Values:
        """Every value in SI."""
        return self._resolve()

    @property
    def antenna(self) -> Antenna:
        """The antenna built from the values."""
        return self.build(self.values)

    def _quantity(self, name: str, value: str | float) -> Quantity:
        long = None if self.frequency is None else wavelength(self.frequency)
        if isinstance(value, str):
            return units.evaluate(value, wavelength=long, what=f"value '{name}'")
        return Quantity(units.read(value, "number", what=f"value '{name}'"), "number")

    def _resolve(self) -> Values:
        resolved = {}
        for name, value in self.given:
            found = self._quantity(name, value.is_)
            bounds = [self._bound(name, key, text, found) for key, text in (("from", value.from_), ("to", value.to))]
            low, high = (b if b is not None else found.si for b in bounds)
            if found.si < low - 1e-12 * abs(low) or found.si > high + 1e-12 * abs(high):
                raise UsageError(
                    f"value '{name}' = {value.is_} is outside its range "
                    f"({value.from_ or 'any'} to {value.to or 'any'}): change it or the range"
                )
            resolved[name] = found
        return Values(resolved)

    def _bound(self, name: str, key: str, text: str | float | None, value: Quantity) -> float | None:
        if text is None:
            return None
        bound = self._quantity(f"{name}, {key}", text)
        if bound.kind != value.kind:
            raise UsageError(f"value '{name}' is a {value.kind}, but its '{key}' ({text}) is a {bound.kind}")
        return bound.si

    def with_(self, **changes: str | float | Value) -> Design:
        """A new design with some values changed; ranges and notes stay. Raises UsageError for names it has not."""
        given = dict(self.given)
        before = self.values.quantities
        for name, change in changes.items():
            if name not in given:
                raise UsageError(f"the design: {unknown('value', name, given)}")
            given[name] = change if isinstance(change, Value) else replace(given[name], is_=change)
        new: Design = self._copy(self.frequency, given)
        for name, quantity in new.values.quantities.items():
            if quantity.kind != before[name].kind and not (isinstance(given[name].is_, int | float)):
                raise UsageError(f"value '{name}' was a {before[name].kind}; {given[name].is_!r} is a {quantity.kind}")
        return new

    def scaled_to(self, frequency: str | float) -> Design:
        """The design for another frequency: every length among the values multiplied by old/new frequency.

        Raises UsageError when the design has no frequency of its own.
        """
        if self.frequency is None:
            raise UsageError("scaled_to: the design has no frequency to scale from; give it frequency=...")
        target = units.frequency(frequency)
        factor = self.frequency / target

        def scaled(name: str, value: str | float) -> str | float:
            # What is measured in wavelengths follows by itself.
            if not isinstance(value, str) or "lambda" in value:
                return value
            quantity = self._quantity(name, value)
            return f"{quantity.si * factor!r} m" if quantity.kind == "length" else value

        given = {
            name: Value(
                scaled(name, value.is_),
                None if value.from_ is None else scaled(name, value.from_),
                None if value.to is None else scaled(name, value.to),
                value.note,
            )
            for name, value in self.given
        }
        return self._copy(target, given)

    def _copy(self, frequency: float | None, given: Mapping[str, Value]) -> Design:
        return Design(self.build, frequency=frequency, **given)

    def table(self) -> pd.DataFrame:
        """The values as a pandas table: value in SI, what it measures, as written, range, note."""
        import pandas as pd

        quantities = self.values.quantities
        rows = [
            {
                "name": name,
                "value": quantities[name].si,
                "kind": quantities[name].kind,
                "written": value.is_,
                "from": value.from_,
                "to": value.to,
                "note": value.note,
            }
            for name, value in self.given
        ]
        return pd.DataFrame(rows, columns=["name", "value", "kind", "written", "from", "to", "note"]).set_index("name")
