"""Design files: TOML that says all a design can say."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from ..answers.cases import Case
from ..answers.frequencies import Band, Wanted, wanted
from ..description.antenna import Antenna
from ..description.circuit_parts import Line, Load, Stub, Terminal
from ..description.design import Design, Quantities, Value, Values
from ..description.sheets import Sheet
from ..description.turns import held
from ..errors import DesignFileError, UsageError, unknown
from ..media.earth import Earth, earth, earths
from ..media.surroundings import FreeSpace, Medium, free_space, perfect_plane
from ..units import Quantity
from .array_keys import read_array, read_beam, read_hardware, repeated_over
from .atomic import told_apart
from .case_keys import read_case, read_frequencies
from .circuit_keys import read_impedance, read_line, read_stub
from .feed_keys import Around, read_circuit, settings
from .lattice_keys import read_lattice
from .part_keys import read_gap, read_layers, read_metal, read_port, read_value, read_wire, with_faces
from .reading import LARGEST_TEXT, read_text
from .schema import CaseTable, DesignTable, ValueTable, parsed
from .sheet_keys import read_sheet
from .texts import Fault, Texts

MEDIA: dict[str, Callable[[], Medium]] = {
    "free space": free_space,
    "perfect plane": perfect_plane,
    **{name: partial(earth, name) for name in earths},
}
"""What `medium` may say."""


_HIGHEST, _FURTHEST = 1e6, 720.0
"""Metres: beyond it places are not told from one another any more."""


@dataclass(frozen=True, slots=True)
class DesignFile:
    """A design file, read: the design, the frequencies (Hz) and bands to solve, and the cases."""

    title: str
    design: Design
    frequencies: tuple[float | Band, ...]
    cases: tuple[Case, ...]

    @property
    def antenna(self) -> Antenna:
        """The antenna of its design."""
        return self.design.antenna

    @property
    def values(self) -> Values:
        """The values of its design, in SI, angles in degrees."""
        return self.design.values

    def with_(self, **changes: str | float | Value) -> DesignFile:
        """The same file with values of its design changed, and cases and beams with them; see `Design.with_`."""
        from .design_text import design_text

        design = self.design.with_(**changes)
        build = design.build
        if not (isinstance(build, FileBuild) and (build.drives or build.table.array is not None)):
            return replace(self, design=design)
        again = design_from_text(design_text(design), build.name, build.folder, dict(build.tables))
        return replace(again, frequencies=self.frequencies)

    @property
    def asked(self) -> Wanted:
        """The frequencies and bands, sorted out."""
        return wanted(self.frequencies)

    @property
    def highest(self) -> float:
        """The highest frequency asked for, by the band or by a case, Hz."""
        return float(max([*self.asked.every, *(f for c in self.cases for f in c.frequencies)]))


@dataclass(frozen=True, slots=True)
class FileBuild:
    """How a design file builds its antenna.

    text: the whole file; folder: where the files it names are, unless they are among `tables`, texts by name. drives:
    values that cases and beams use, so that they change with them.
    """

    table: DesignTable
    name: str
    folder: Path
    text: str
    metals: Any
    frequency: float
    tables: tuple[tuple[str, str], ...] = ()
    drives: frozenset[str] = frozenset()

    def texts_at(self, frequency: float) -> Texts:
        """What reads the file's texts, with "lambda" measured at a frequency, Hz."""
        return Texts(self.name, self.folder, f"{frequency!r} Hz", tables=dict(self.tables))

    @property
    def texts(self) -> Texts:
        """What reads the file's texts, at its own frequency."""
        return self.texts_at(self.frequency)

    def __call__(self, values: Values) -> Antenna:
        """The antenna for these values; raises DesignFileError with everything that is wrong."""
        if self.table.pattern_only:
            raise DesignFileError(
                f"{self.name}: it has no wires or sheets, only the pattern of array.element, so nothing to solve; "
                "'earshot beams' shows what it sends, or draw the antenna"
            )
        texts = self.texts_at(values.frequency or self.frequency)
        medium = medium_of(texts, self.table, values.quantities)
        antenna = built(texts, self.table, values.quantities, self.metals, medium)
        if antenna is not None and self.table.array is not None:
            with texts.gathering("array"):
                antenna = repeated_over(texts, self.table, antenna, values.quantities)
        texts.told()
        assert antenna is not None
        return antenna


def alone(design: Design) -> Design:
    """The design of a file whose antenna is repeated, less its array: one element."""
    build = design.build
    assert isinstance(build, FileBuild)
    table = build.table.model_copy(update={"array": None})
    return Design(replace(build, table=table), frequency=design.frequency, **dict(design.given))


@dataclass(frozen=True, slots=True)
class Dimension:
    """A value and the two points (x, y, z), metres, that a drawing shows it between."""

    name: str
    quantity: Quantity
    start: tuple[float, ...]
    stop: tuple[float, ...]


def dimensions(design: Design) -> list[Dimension]:
    """The values that a design file says where to draw, in its order; none for a design made in Python."""
    build = design.build
    if not isinstance(build, FileBuild):
        return []
    texts = build.texts_at(design.frequency or build.frequency)
    quantities = design.values.quantities
    medium = medium_of(texts, build.table, quantities)
    found = _dimensions(texts, build.table, with_faces(texts, quantities, medium))
    texts.told()
    return [Dimension(name, quantities[name], *points) for name, points in found.items()]


def _dimensions(
    texts: Texts, table: DesignTable, names: Quantities
) -> dict[str, tuple[tuple[float, ...], tuple[float, ...]]]:
    found = {}
    for name, (start, stop) in table.dimensions.items():
        what = f"dimensions.{name}"
        with texts.gathering(what):
            if name not in table.values:
                raise DesignFileError(f"{texts.name}: {what}: {unknown('value', name, table.values)}")
            scale, turn, up = _placed(texts, table, names)
            matrix = scale * (held(*np.radians(list(turn.values()))) if turn else np.eye(3))
            drawn = np.array([texts.point(p, what, names) for p in (start, stop)])
            places = drawn @ matrix.T + (0.0, 0.0, up)
            found[name] = tuple(places[0].tolist()), tuple(places[1].tolist())
    return found


def medium_of(texts: Texts, table: DesignTable, names: Quantities) -> Medium:
    """The medium a file names, or its layers; raises DesignFileError for one there is not."""
    if table.layer or table.under:
        if "medium" in table.model_fields_set:
            raise DesignFileError(f"{texts.name}: medium: it has layers as well, which lie on a plane: leave one out")
        return read_layers(texts, table, names)
    if table.plane is not None:
        raise DesignFileError(
            f"{texts.name}: plane: '{table.plane}' is the metal under layers, and there are none: leave it out"
        )
    own = table.earths.get(table.medium)
    if own is not None:
        try:
            permittivity, conductivity = (
                texts.number(getattr(own, key), f"earths.{table.medium}.{key}", names)
                for key in ("permittivity", "conductivity")
            )
            return Earth(table.medium, permittivity, conductivity, own.source)
        except UsageError as problem:
            raise DesignFileError(f"{texts.name}: earths.{problem}") from None
    if table.medium not in MEDIA:
        raise DesignFileError(f"{texts.name}: medium: {unknown('medium', table.medium, [*MEDIA, *table.earths])}")
    return MEDIA[table.medium]()


def built(texts: Texts, table: DesignTable, names: Quantities, metals: Any, medium: Medium) -> Antenna | None:
    """The antenna a table describes, or None when something in it is at fault."""
    wires, ports, loads, terminals = [], [], [], []
    lines: list[Line | Stub] = []
    before = texts.stumbles
    parts = {**table.wire, **table.sheet}
    sheets: list[Sheet] = []
    texts.medium, texts.feed = medium, {} if table.circuit is None else table.circuit.part
    with texts.gathering("layer"):
        names = with_faces(texts, names, medium)
    for name, wire in table.wire.items():
        wires += read_wire(texts, name, wire, names, metals.get(wire.metal or table.metal))
    for name, sheet in table.sheet.items():
        sheets += read_sheet(texts, name, sheet, names, metals.get(sheet.metal or table.metal))
    for name, port in table.port.items():
        with texts.gathering(f"port.{name}"):
            ports.append(read_port(texts, name, port, names, parts))

    def read(text: str | float, kind: str, what: str) -> float:
        return texts.quantity(text, kind, what, names)

    for name, load in table.load.items():
        with texts.gathering(f"load.{name}"):
            where = read_gap(texts, f"load.{name}", load, names, parts)
            ohms = read_impedance(load, f"load.{name}", read, texts.file)
            loads.append(Load(name, load.on, impedance=ohms, **where))
    for name, terminal in table.terminal.items():
        with texts.gathering(f"terminal.{name}"):
            where = read_gap(texts, f"terminal.{name}", terminal, names, parts)
            terminals.append(Terminal(name, terminal.on, **where))
    for name, line in table.line.items():
        with texts.gathering(f"line.{name}"):
            lines.append(read_line(name, line, read))
    for name, stub in table.stub.items():
        with texts.gathering(f"stub.{name}"):
            lines.append(read_stub(name, stub, read, texts.file))
    if texts.stumbles > before:
        return None
    with texts.gathering("wire and port"):
        found = Antenna(table.title, wires, ports, medium, sheets=sheets, loads=loads, terminals=terminals, lines=lines)
        scale, turn, up = _placed(texts, table, names)
        if scale != 1.0:
            # Layers are what they are.
            found = found.scaled(scale).over(medium)
        if turn is not None:
            found = found.held(**turn)
        return found.raised(up) if up else found
    return None


def _placed(texts: Texts, table: DesignTable, names: Quantities) -> tuple[float, dict[str, float] | None, float]:
    """How much larger a file's antenna is than drawn, how it is held, degrees, or None as drawn; how far up, metres."""
    scale = texts.quantity(table.scale, "number", "scale", names)
    if not 1e-6 <= scale <= 1e6:
        raise DesignFileError(f"{texts.name}: scale: {table.scale} is outside 1e-6 to 1e6")
    up = texts.quantity(table.height, "length", "height", names)
    if abs(up) > _HIGHEST:
        raise DesignFileError(f"{texts.name}: height: {table.height} is beyond {_HIGHEST / 1e3:g} km")
    given = {"roll": table.roll, "tilt": table.tilt, "azimuth": table.azimuth}
    turn = {key: texts.degrees(text, key, names) for key, text in given.items()}
    for key, angle in turn.items():
        if abs(angle) > _FURTHEST:
            raise DesignFileError(f"{texts.name}: {key}: {given[key]} is beyond {_FURTHEST:g} deg")
    return scale, turn if any(turn.values()) else None, up


def read_design(path: str | Path) -> DesignFile:
    """Read a design file.

    Raises DesignFileError with a line for everything that is wrong: keys that are missing, unknown or misspelt,
    quantities without a proper unit, names of parts there are not; each line begins with the file's name and says where
    and what to do.
    """
    place = Path(path)
    text = read_text(place, LARGEST_TEXT, DesignFileError)
    return design_from_text(text, place.name, place.parent)


def design_from_text(text: str, name: str, folder: Path, tables: Mapping[str, str] | None = None) -> DesignFile:
    """Read the text of a design file.

    name: what to call it in complaints. folder: where the files it names are. tables: texts of those that are not
    there, by name.
    """
    try:
        content = tomllib.loads(text)
    except RecursionError:
        raise DesignFileError(f"{name} is not a design file: its tables lie in one another too deeply") from None
    except ValueError as problem:
        raise DesignFileError(f"{name} is not TOML: {str(problem).splitlines()[0]}; mend that line") from None
    if "station" in content and not content.keys() & {"wire", "sheet", "port"}:
        raise DesignFileError(f"{name} is a place file, not a design: see earshot path and earshot coverage")
    table, faults = parsed(content, name)
    texts = Texts(name, folder, table.frequency, faults, tables)
    known, values = Quantities(), {}
    for word, given in table.values.items():
        with texts.gathering(f"values.{word}"):
            values[word] = read_value(texts, word, given, known)
    # From here on what shapes the antenna is known by being used.
    known.used.clear()
    medium: Medium = FreeSpace()
    with texts.gathering("medium"):
        medium = medium_of(texts, table, known)
    metals = {}
    named = [(f"{kind}.{n}.metal", w.metal) for kind in ("wire", "sheet") for n, w in getattr(table, kind).items()]
    for where, metal in [("metal", table.metal), *named]:
        if metal is not None and metal not in metals:
            with texts.gathering(where):
                metals[metal] = read_metal(texts, table, where, metal)
    # Screens and reflecting cells have none.
    portless = table.pattern_only or table.lattice is not None
    if not (table.port or portless or any(fault.place.startswith("port") for fault in faults)):
        texts.faults.append(Fault("port", f"{name}: port is missing: add it"))
    if table.pattern_only:
        spare = [
            kind for kind in ("port", "load", "terminal", "line", "stub", "circuit", "case") if getattr(table, kind)
        ]
        texts.faults += [
            Fault(kind, f"{name}: {kind}: there are no wires or sheets for it, only array.element: leave it out")
            for kind in spare
        ]
    else:
        built(texts, table, known, metals, medium)
    with texts.gathering("layer"):
        _dimensions(texts, table, with_faces(texts, known, medium))
    frequencies = read_frequencies(texts, table)
    if table.lattice is not None:
        with texts.gathering("lattice"):
            read_lattice(texts, table.lattice, known)
    layout, ports = None, list(table.port)
    if table.array is not None:
        with texts.gathering("array"):
            layout = read_array(texts, table.array, known)
            ports = [f"e{n + 1}_{name}" for n in range(len(layout)) for name in table.port]
    cases = []
    shaping = frozenset(known.used)
    known.used.clear()
    with texts.gathering("case"):
        beams = [] if table.array is None else list(table.array.beam)
        told_apart([*beams, *table.case], f"{name}: cases")
        if set(beams) & set(table.case):
            raise DesignFileError(f"{name}: case.{min(set(beams) & set(table.case))}: a beam has that name: rename one")
    if table.array is not None and layout is not None:
        read_hardware(texts, table.array, known)
        for word in table.array.beam:
            with texts.gathering(f"array.beam.{word}"):
                beam = read_beam(texts, table, word, layout, medium, known)
                cases += [beam.case(port) for port in list(table.port)[:1]]
    circuit = None
    around = Around(known, medium, None if layout is None else layout.positions)
    if table.circuit is not None and (table.array is None or layout is not None):
        with texts.gathering("circuit"):
            circuit = read_circuit(texts, table.circuit, around, ports)
    for word in table.case:
        with texts.gathering(f"case.{word}"):
            if table.circuit is not None and circuit is None and _through(table.case[word], ports):
                # What is wrong with the circuit is told.
                continue
            if not table.case[word].set:
                cases.append(read_case(texts, table, word, medium, ports, known, circuit))
                continue
            for told, names in _as_set(texts, table, word, known, shaping):
                own = circuit
                if own is not None and table.circuit is not None:
                    own = read_circuit(texts, table.circuit, replace(around, names=names), ports)
                found = read_case(texts, table, word, medium, ports, names, own)
                cases.append(replace(found, name=f"{word}, {told}") if told else found)
    texts.told()
    return _assembled(
        texts,
        FileBuild(
            table,
            name,
            folder,
            text,
            metals,
            texts.frequency or 0.0,
            tuple((tables or {}).items()),
            frozenset(known.used),
        ),
        values,
        frequencies,
        cases,
    )


def _through(case: CaseTable, ports: list[str]) -> bool:
    """Whether a case goes by other names than those of ports."""
    return case.receive is not None or bool({*case.power, *case.voltage, *case.current} - set(ports))


def _as_set(
    texts: Texts, table: DesignTable, word: str, known: Quantities, shaping: frozenset[str]
) -> Iterator[tuple[str, Quantities]]:
    """The values a case is to have, once for everything it sets, with what that is in words; as they are: none.

    Raises DesignFileError for values that shape the antenna, by themselves or by others that follow from them.
    """
    case, what = table.case[word], f"case.{word}.set"
    for name in case.set:
        if name not in table.values:
            raise DesignFileError(f"{texts.name}: {what}: {unknown('value', name, table.values)}")
        if case.set[name] == []:
            raise DesignFileError(f"{texts.name}: {what}.{name}: the list is empty: give a value, or leave it out")
    lists = [name for name, value in case.set.items() if isinstance(value, list)]
    for chosen in settings(case.set):
        names = Quantities()
        for name, given in table.values.items():
            read_value(texts, name, _given(given, chosen[name]) if name in chosen else given, names)
            if dict.__getitem__(names, name) != dict.__getitem__(known, name) and name in shaping:
                raise DesignFileError(
                    f"{texts.name}: {what}: value '{name}' shapes the antenna; a case may set those of its circuit and "
                    "its drive: vary it by earshot vary, or write another file"
                )
        for name, text in chosen.items():
            _within_range(texts, f"{what}.{name}", table.values[name], text, dict.__getitem__(names, name), names)
        yield ", ".join(f"{name} = {chosen[name]}" for name in lists), names
    known.used.update(case.set)


def _within_range(
    texts: Texts, what: str, given: str | float | ValueTable, text: str | float, found: Quantity, names: Quantities
) -> None:
    """Raise DesignFileError for what is set beyond the range of its value."""
    if not isinstance(given, ValueTable):
        return
    for bound, sign in ((given.from_, 1.0), (given.to, -1.0)):
        least = None if bound is None else texts.quantity(bound, found.kind, what, names)
        if least is not None and sign * (found.si - least) < -1e-12 * abs(least):
            raise DesignFileError(
                f"{texts.name}: {what}: {text} is outside its range ({given.from_ or 'any'} to {given.to or 'any'}): "
                "change it or the range"
            )


def _given(given: str | float | ValueTable, text: str | float) -> str | float | ValueTable:
    return given.model_copy(update={"is_": text}) if isinstance(given, ValueTable) else text


def _assembled(
    texts: Texts, build: FileBuild, values: dict[str, Value], frequencies: tuple[float | Band, ...], cases: list[Case]
) -> DesignFile:
    """The whole, once nothing is at fault but, perhaps, a value outside its range."""
    design = None
    with texts.gathering("values"):
        design = Design(build, frequency=build.frequency, **values)
    texts.told()
    assert design is not None
    return DesignFile(build.table.title, design, frequencies, tuple(cases))
