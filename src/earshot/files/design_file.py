"""Design files: TOML that says all a design can say."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .. import units
from ..answers.cases import Case, Cut
from ..answers.frequencies import Band, Wanted, band, wanted
from ..constants import wavelength
from ..errors import DesignFileError, EarshotError, UnitError, unknown
from ..fields.near import line_of_points, plane_of_points
from ..geometry.antenna import Antenna
from ..geometry.circuit_parts import Load, Terminal
from ..geometry.design import Design, Value, Values
from ..geometry.parts import Port, Wire
from ..media.metals import Jacket, Metal, metal
from ..media.surroundings import Medium, free_space, perfect_plane
from ..network.sources import Source, amperes, volts
from ..network.sources import watts as watts_
from .circuit_keys import read_impedance, read_line, read_stub
from .schema import CaseTable, DesignTable, NearTable, PortTable, TerminalTable, ValueTable, WireTable, parsed

_MEDIA: dict[str, Callable[[], Medium]] = {"free space": free_space, "perfect plane": perfect_plane}
_CUT = re.compile(r"^(?:(?P<plane>[EH])|(?P<kind>elevation|azimuth)\s+(?P<angle>.+))$")


@dataclass(frozen=True, slots=True)
class DesignFile:
    """A design file, read: the design, the frequencies (Hz) and bands to solve, and the cases."""

    title: str
    design: Design
    frequencies: tuple[float | Band, ...]
    cases: tuple[Case, ...]

    @property
    def asked(self) -> Wanted:
        """The frequencies and bands, sorted out."""
        return wanted(self.frequencies)

    @property
    def highest(self) -> float:
        """The highest frequency asked for, by the band or by a case, Hz."""
        return float(max([*self.asked.every, *(f for c in self.cases for f in c.frequencies)]))


class _Reader:
    """Reads the texts of one file, with its name in every complaint."""

    def __init__(self, table: DesignTable, path: Path) -> None:
        self.table, self.path, self.name = table, path, path.name
        self.frequency = self.quantity(table.frequency, "frequency", "frequency")
        if self.frequency <= 0.0:
            raise UnitError(f"{self.name}: frequency: {table.frequency} is not above zero; write it like '150.1 MHz'")

    def quantity(
        self, value: str | float, kind: str, what: str, names: Mapping[str, units.Quantity] | None = None
    ) -> float:
        long = wavelength(self.frequency) if what != "frequency" else None
        return units.read(value, kind, what=f"{self.name}: {what}", names=names, wavelength=long, bare=False)

    def hertz(self, value: str | float, what: str) -> float:
        found = self.quantity(value, "frequency", what)
        if found <= 0.0:
            raise UnitError(f"{self.name}: {what}: {value} is not above zero; write it like '150.1 MHz'")
        return found

    def value(self, name: str, given: str | float | ValueTable) -> Value:
        if not name.isidentifier() or name in ("lambda", "pi"):
            raise DesignFileError(
                f"{self.name}: values.{name} cannot be used in arithmetic: name it with letters, digits and _, "
                "and not lambda or pi"
            )
        table = given if isinstance(given, ValueTable) else ValueTable.model_validate({"is": given})
        for key, text in (("is", table.is_), ("from", table.from_), ("to", table.to)):
            if isinstance(text, str):
                units.evaluate(text, wavelength=wavelength(self.frequency), what=f"{self.name}: values.{name}.{key}")
        return Value(table.is_, table.from_, table.to, table.note)

    def points(self, name: str, table: WireTable, names: Mapping[str, units.Quantity]) -> list[list[float]]:
        what = f"wire.{name}.points"
        if isinstance(table.points, str):
            return self._points_file(table.points, what)
        rows = []
        for i, text in enumerate(table.points):
            cells = self.cells(text, f"{what}, point {i + 1}")
            rows.append([self.quantity(cell, "length", f"{what}, point {i + 1}", names) for cell in cells])
        return rows

    def _points_file(self, text: str, what: str) -> list[list[float]]:
        import pandas as pd

        path = self.path.parent / text
        try:
            frame = pd.read_csv(path, comment="#", skipinitialspace=True)
        except (OSError, ValueError) as problem:
            raise DesignFileError(f"{self.name}: {what}: cannot read '{path}': {problem}") from None
        headers = [re.fullmatch(r"\s*([xyz])\s*\((\w+)\)\s*", str(c)) for c in frame.columns]
        if [h.group(1) if h else None for h in headers] != ["x", "y", "z"]:
            raise DesignFileError(
                f"{self.name}: {what}: '{path.name}' must begin with a line like 'x (mm), y (mm), z (mm)', "
                f"not '{', '.join(map(str, frame.columns))}'"
            )
        scales = [units.read(f"1 {h.group(2)}", "length", what=f"{self.name}: {what}") for h in headers if h]
        numbers = frame.apply(pd.to_numeric, errors="coerce").to_numpy(float)
        if not np.isfinite(numbers).all():
            row = int(np.flatnonzero(~np.isfinite(numbers).all(axis=1))[0]) + 1
            raise DesignFileError(f"{self.name}: {what}: '{path.name}', point {row}: not three numbers; mend that line")
        return (numbers * scales).tolist()  # type: ignore[no-any-return]

    def wire(self, name: str, table: WireTable, names: Mapping[str, units.Quantity]) -> Wire:
        place = f"wire.{name}"
        metal = table.metal or self.table.metal
        wall = None if table.wall is None else self.quantity(table.wall, "length", f"{place}.wall", names)
        jacket = None
        if table.jacket is not None:
            thickness = self.quantity(table.jacket.thickness, "length", f"{place}.jacket.thickness", names)
            jacket = Jacket(thickness, table.jacket.permittivity, table.jacket.loss_tangent)
        return Wire(
            name,
            self.points(name, table, names),
            radius=self.quantity(table.radius, "length", f"{place}.radius", names),
            metal=None if metal is None else self.metal(metal),
            wall=wall,
            jacket=jacket,
        )

    def metal(self, name: str) -> Metal:
        own = self.table.metals.get(name)
        return Metal(name, own.conductivity, own.permeability, own.source) if own else metal(name)

    def gap(
        self, place: str, table: PortTable | TerminalTable, names: Mapping[str, units.Quantity]
    ) -> tuple[str | float, float | None]:
        """Where a gap is (a fraction, or text in metres) and how wide."""
        at: str | float = table.at
        if isinstance(at, str):
            found = units.evaluate(at, names, wavelength=wavelength(self.frequency), what=f"{self.name}: {place}.at")
            if found.kind not in ("number", "length"):
                raise UnitError(
                    f"{self.name}: {place}.at: '{table.at}' is a {found.kind}; give a fraction of the wire or a length"
                )
            at = found.si if found.kind == "number" else f"{found.si!r} m"
        return at, None if table.gap is None else self.quantity(table.gap, "length", f"{place}.gap", names)

    def port(self, name: str, table: PortTable, names: Mapping[str, units.Quantity]) -> Port:
        at, gap = self.gap(f"port.{name}", table, names)
        what, parts = f"port.{name}.reference", table.reference
        parts = parts if isinstance(parts, list) else [parts]
        if not 1 <= len(parts) <= 2:
            raise DesignFileError(
                f"{self.name}: {what}: {len(parts)} numbers; give resistance, or resistance and reactance"
            )
        reference = complex(*(self.quantity(p, "resistance", what, names) for p in parts))
        return Port(name, table.on, at, gap, reference)

    def circuit(self, names: Mapping[str, units.Quantity]) -> dict[str, list[Any]]:
        """Loads, terminals and lines."""

        def read(text: str | float, kind: str, what: str) -> float:
            return self.quantity(text, kind, what, names)

        table, folder = self.table, self.path.parent
        loads, terminals = [], []
        for name, load in table.load.items():
            at, gap = self.gap(f"load.{name}", load, names)
            ohms = read_impedance(load, f"load.{name}", read, folder)
            loads.append(Load(name, load.on, at, impedance=ohms, gap=gap))
        for name, terminal in table.terminal.items():
            terminals.append(Terminal(name, terminal.on, *self.gap(f"terminal.{name}", terminal, names)))
        lines: list[Any] = [read_line(name, line, read) for name, line in table.line.items()]
        lines += [read_stub(name, stub, read, folder) for name, stub in table.stub.items()]
        return {"loads": loads, "terminals": terminals, "lines": lines}

    def frequencies(self) -> tuple[float | Band, ...]:
        table = self.table
        single = [self.hertz(f, f"frequencies, entry {i + 1}") for i, f in enumerate(table.frequencies)]
        swept = [
            band(
                self.hertz(b.from_, "band.from"),
                self.hertz(b.to, "band.to"),
                b.points,
                spacing=b.spacing,
                tolerance=b.tolerance,
            )
            for b in table.band
        ]
        return (*single, *swept) or (self.frequency,)

    def case(self, name: str, table: CaseTable) -> Case:
        what = f"case.{name}"
        sources: dict[str, Source] = {}
        for kind, drives, make in (
            ("power", table.power, watts_),
            ("voltage", table.voltage, volts),
            ("current", table.current, amperes),
        ):
            for port, amount in drives.items():
                if port not in self.table.port:
                    raise DesignFileError(f"{self.name}: {what}.{kind}: {unknown('port', port, self.table.port)}")
                if port in sources:
                    raise DesignFileError(f"{self.name}: {what}: port '{port}' is driven twice: keep one")
                sources[port] = make(self.quantity(amount, kind, f"{what}.{kind}.{port}"))
        if not sources and len(self.table.port) > 1:
            raise DesignFileError(
                f"{self.name}: {what} drives no port: add power = {{ {next(iter(self.table.port))} = '1 W' }}"
            )
        if table.frequency is not None and table.frequencies:
            raise DesignFileError(f"{self.name}: {what}: frequency and frequencies are both there; keep one")
        texts = table.frequencies or [self.table.frequency if table.frequency is None else table.frequency]
        hertz = tuple(self.hertz(text, f"{what}.frequency") for text in texts)
        ends = {}
        for port, end in table.terminations.items():
            if port not in self.table.port:
                raise DesignFileError(f"{self.name}: {what}.terminations: {unknown('port', port, self.table.port)}")
            ends[port] = read_impedance(end, f"{what}.terminations.{port}", self.quantity, self.path.parent)
        near = {key: self.near(near, f"{what}.near.{key}") for key, near in table.near.items()}
        sectors = {
            key: (s.toward, self.quantity(s.within, "angle", f"{what}.sectors.{key}.within"))
            for key, s in table.sectors.items()
        }
        cuts = tuple(self.cut(text, what) for text in table.cuts)
        return Case(name, sources, hertz, cuts, ends, near, sectors)

    def near(self, table: NearTable, what: str) -> NDArray[np.float64]:
        def place(text: str | None, key: str) -> list[float]:
            if text is None:
                raise DesignFileError(f"{self.name}: {what}.{key} is missing: give from and to, or corner, u and v")
            return [self.quantity(cell, "length", f"{what}.{key}") for cell in self.cells(text, f"{what}.{key}")]

        if table.corner is None:
            return line_of_points(place(table.from_, "from"), place(table.to, "to"), table.points)
        return plane_of_points(place(table.corner, "corner"), place(table.u, "u"), place(table.v, "v"), table.counts)

    def cells(self, text: str, what: str) -> list[str]:
        """The three coordinates of a point's text."""
        cells = _split(text)
        if len(cells) != 3:
            raise DesignFileError(f"{self.name}: {what}: '{text}' has {len(cells)} coordinates; write three, 'x, y, z'")
        return cells

    def cut(self, text: str, what: str) -> Cut:
        match = _CUT.match(text.strip())
        if not match:
            raise DesignFileError(
                f"{self.name}: {what}.cuts: '{text}' is not a cut; write 'E', 'H', 'elevation 10 deg' "
                "or 'azimuth 0 deg'"
            )
        if match["plane"]:
            return Cut(plane=match["plane"])
        angle = self.quantity(match["angle"], "angle", f"{what}.cuts")
        if match["kind"] == "azimuth":
            return Cut(azimuth=angle)
        least = 0.0 if self.medium().has_plane else -90.0
        if not least <= math.degrees(angle) <= 90.0:
            raise DesignFileError(f"{self.name}: {what}.cuts: '{text}' is outside {least:g} to 90 deg of elevation")
        return Cut(elevation=angle)

    def medium(self) -> Medium:
        if self.table.medium not in _MEDIA:
            raise DesignFileError(f"{self.name}: {unknown('medium', self.table.medium, _MEDIA)}")
        return _MEDIA[self.table.medium]()


def _split(text: str) -> list[str]:
    """Split at the commas that are not inside brackets."""
    cells, depth = [""], 0
    for letter in text:
        depth += (letter == "(") - (letter == ")")
        if letter == "," and depth == 0:
            cells.append("")
        else:
            cells[-1] += letter
    return [cell.strip() for cell in cells]


def _builder(reader: _Reader) -> Callable[[Values], Antenna]:
    table, medium = reader.table, reader.medium()

    def build(values: Values) -> Antenna:
        names = values.quantities
        wires = [reader.wire(name, wire, names) for name, wire in table.wire.items()]
        ports = [reader.port(name, port, names) for name, port in table.port.items()]
        return Antenna(table.title, wires, ports, medium, **reader.circuit(names))

    return build


def read_design(path: str | Path) -> DesignFile:
    """Read a design file.

    Raises DesignFileError for a file that cannot be read, a key that is missing, unknown or misspelt, and UnitError
    for a quantity without a proper unit; each message begins with the file's name and says where and what to do.
    """
    import tomlkit
    import tomlkit.exceptions

    place = Path(path)
    try:
        text = place.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as problem:
        reason = getattr(problem, "strerror", None) or "it is not UTF-8 text"
        raise DesignFileError(f"cannot read design file '{place}': {reason}") from None
    try:
        content = tomlkit.parse(text).unwrap()
    except tomlkit.exceptions.TOMLKitError as problem:
        raise DesignFileError(f"{place.name} is not TOML: {problem}; mend that line") from None
    table = parsed(content, place.name)
    try:
        return _assembled(_Reader(table, place))
    except EarshotError as problem:
        # Faults found by the parts themselves do not know which file they came from.
        if str(problem).startswith(place.name):
            raise
        raise type(problem)(f"{place.name}: {problem}") from None


def _assembled(reader: _Reader) -> DesignFile:
    table = reader.table
    values = {name: reader.value(name, given) for name, given in table.values.items()}
    design = Design(_builder(reader), frequency=reader.frequency, **values)
    design.antenna  # noqa: B018 - building it once finds every fault in the wires and ports now
    cases = tuple(reader.case(name, case) for name, case in table.case.items())
    return DesignFile(table.title, design, reader.frequencies(), cases)
