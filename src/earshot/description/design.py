"""A design: named values, and how an antenna is built from them."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, cast

from .. import units
from ..constants import wavelength
from ..errors import UsageError, needs, unknown
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

    @property
    def text(self) -> str:
        """What it is, as text."""
        return self.is_ if isinstance(self.is_, str) else repr(self.is_)


class Quantities(dict[str, Quantity]):
    """Quantities by name, which remember the names that were asked for."""

    def __init__(self) -> None:
        super().__init__()
        self.used: set[str] = set()

    def joined(self) -> Quantities:
        """A copy, which others may join, that remembers in the same place."""
        found = Quantities()
        found.update(self)
        found.used = self.used
        return found

    def __getitem__(self, name: str) -> Quantity:
        self.used.add(name)
        return super().__getitem__(name)


class Values(Mapping[str, float]):
    """The values a design was built with, by name: `v.spacing` or `v["spacing"]`; in SI, angles in degrees.

    quantities: with what they measure. frequency: of the design, Hz.
    """

    def __init__(self, quantities: Quantities, frequency: float | None) -> None:
        self.quantities, self.frequency = quantities, frequency

    def __getitem__(self, name: str) -> float:
        if name not in self.quantities:
            raise UsageError(f"the design's build function asks for a value it was not given: {self._missing(name)}")
        found = self.quantities[name]
        return math.degrees(found.si) if found.kind == "angle" else found.si

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
    text with a unit, numbers, or `Value` with a range and a note; a text may use the values before it ("0.95 *
    driven"). Raises UsageError and UnitError.

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
    _made: list[Antenna] = field(repr=False, compare=False)

    def __init__(
        self, build: Callable[[Values], Antenna], *, frequency: str | float | None = None, **values: str | float | Value
    ) -> None:
        given = {name: v if isinstance(v, Value) else Value(v) for name, v in values.items()}
        object.__setattr__(self, "build", build)
        object.__setattr__(self, "frequency", None if frequency is None else units.frequency(frequency))
        object.__setattr__(self, "given", tuple(given.items()))
        object.__setattr__(self, "_made", [])
        self._resolve()

    @property
    def values(self) -> Values:
        """Every value in SI."""
        return self._resolve()

    @property
    def antenna(self) -> Antenna:
        """The antenna built from the values, once."""
        if not self._made:
            self._made.append(self.build(self.values))
        return self._made[0]

    def _quantity(self, name: str, value: str | float, known: Quantities | None = None) -> Quantity:
        long = None if self.frequency is None else wavelength(self.frequency)
        if isinstance(value, str):
            return units.evaluate(value, known, wavelength=long, what=f"value '{name}'")
        return Quantity(units.read(value, "number", what=f"value '{name}'"), "number")

    def _resolve(self) -> Values:
        resolved = Quantities()
        for name, value in self.given:
            found = self._quantity(name, value.is_, resolved)
            bounds = [self._bound(name, key, text, found) for key, text in (("from", value.from_), ("to", value.to))]
            low, high = (b if b is not None else found.si for b in bounds)
            if found.si < low - 1e-12 * abs(low) or found.si > high + 1e-12 * abs(high):
                raise UsageError(
                    f"value '{name}' = {value.is_} is outside its range "
                    f"({value.from_ or 'any'} to {value.to or 'any'}): change it or the range"
                )
            resolved[name] = found
        return Values(resolved, self.frequency)

    def measured(self, text: str | float, kind: str) -> float:
        """What a text says with the values and wavelength of this design, SI; raises UnitError for another kind."""
        long = None if self.frequency is None else wavelength(self.frequency)
        return units.read(text, kind, what="range", names=self.values.quantities, wavelength=long)

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
            kind = before[name].kind
            if isinstance(change, int | float) and not isinstance(change, bool) and isinstance(given[name].is_, str):
                # A bare number is in SI, as everywhere in Python; an angle in degrees.
                change = f"{float(change)!r} {'deg' if kind == 'angle' else units.KINDS[kind]}".strip()
            given[name] = change if isinstance(change, Value) else replace(given[name], is_=change)
        new: Design = self._copy(self.frequency, given)
        for name, quantity in new.values.quantities.items():
            if quantity.kind != before[name].kind and not (isinstance(given[name].is_, int | float)):
                raise UsageError(f"value '{name}' was a {before[name].kind}; {given[name].is_!r} is a {quantity.kind}")
        return new

    def cross_sections(self) -> set[str]:
        """The lengths among the values that set the thickness of a wire, a wall, a jacket or a sheet."""

        def thicknesses(design: Design) -> list[tuple[float, ...]]:
            antenna = design.antenna
            round_ = [(w.radius, w.wall or 0.0, w.jacket.thickness if w.jacket else 0.0) for w in antenna.wires]
            return [*round_, *((s.thickness or 0.0,) for s in antenna.sheets)]

        usual, found = thicknesses(self), set()
        for name, value in self.given:
            quantity = self.values.quantities[name]
            if quantity.kind == "length" and not self._uses_values(value.is_):
                # A little thicker, whatever the range says.
                thicker = self._copy(self.frequency, dict(self.given) | {name: Value(f"{1.001 * quantity.si!r} m")})
                if thicknesses(thicker) != usual:
                    found.add(name)
        return found

    def _uses_values(self, text: str | float) -> bool:
        return isinstance(text, str) and any(word in dict(self.given) for word in units.words(text))

    def scaled_to(self, frequency: str | float, *, radii: bool = False) -> Design:
        """The design for another frequency: every length among the values multiplied by old/new frequency.

        radii: whether thicknesses (`cross_sections`) are scaled too; unless asked, rods stay as they are bought.
        Lengths written into the build function itself cannot be scaled. Raises UsageError when the design has no
        frequency of its own.
        """
        if self.frequency is None:
            raise UsageError("scaled_to: the design has no frequency to scale from; give it frequency=...")
        target = units.frequency(frequency)
        factor = self.frequency / target
        kept = set() if radii else self.cross_sections()

        def scaled(name: str, text: Any) -> Any:
            if not isinstance(text, str):
                return text
            if name in kept:
                return f"{self._quantity(name, text).si!r} m" if "lambda" in text else text
            return units.scaled(text, "length", factor)

        given = {
            name: replace(
                value, is_=scaled(name, value.is_), from_=scaled(name, value.from_), to=scaled(name, value.to)
            )
            for name, value in self.given
        }
        return self._copy(target, given)

    def rounded(self, step: str | float) -> Design:
        """The design with lengths rounded to what a workshop can cut, such as "1 mm" or metres; thicknesses stay.

        Raises UsageError for a step that is no length above zero, or so coarse that a length would vanish.
        """
        long = None if self.frequency is None else wavelength(self.frequency)
        metres = units.read(step, "length", what="rounded, step", wavelength=long)
        if metres <= 0.0:
            raise UsageError(f"rounded: step {step} is not above zero; give a length such as '1 mm'")
        said = re.search(r"([A-Za-z]\w*)\s*$", str(step))
        unit = said[1] if said and said[1] != "lambda" else "mm"
        number = metres / units.length(f"1 {unit}")
        kept, given, known = self.cross_sections(), dict(self.given), Quantities()
        for name, value in self.given:
            # Worked out from values that are rounded already.
            quantity = known[name] = self._quantity(name, value.is_, known)
            count = round(quantity.si / metres)
            if quantity.kind != "length" or name in kept or abs(quantity.si - count * metres) < 1e-9 * metres:
                continue
            if count == 0:
                raise UsageError(f"rounded: value '{name}' = {quantity.si:g} m would vanish at steps of {step}")
            given[name] = replace(value, is_=f"{count * number:.9g} {unit}")
            known[name] = Quantity(count * metres, "length")
        return self._copy(self.frequency, given)

    def _copy(self, frequency: float | None, given: Mapping[str, Value]) -> Design:
        return Design(self.build, frequency=frequency, **given)

    def table(self) -> pd.DataFrame:
        """The values as a pandas table: value in SI (angles in degrees), what it measures, as written, range, note."""
        import pandas as pd

        quantities = self.values.quantities
        rows = [
            {
                "name": name,
                "value": self.values[name],
                "kind": quantities[name].kind,
                "written": value.is_,
                "from": value.from_,
                "to": value.to,
                "note": value.note,
            }
            for name, value in self.given
        ]
        return pd.DataFrame(rows, columns=["name", "value", "kind", "written", "from", "to", "note"]).set_index("name")


def model_of(given: Any, what: str) -> Design | Antenna:
    """A Design or an Antenna, also the design of a file that was read; raises UsageError for anything else."""
    found = getattr(given, "design", given)
    needs(found, Design | Antenna, what, "a Design or an Antenna")
    return cast(Design | Antenna, found)
