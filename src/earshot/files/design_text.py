"""Designs and antennas as the text of a design file."""

from __future__ import annotations

from functools import singledispatch
from pathlib import Path
from typing import Any

from .. import units
from ..description.antenna import Antenna
from ..description.circuit_parts import Line, Load, Stub
from ..description.design import Design, Value
from ..description.parts import Gap, Port, Wire
from ..errors import UsageError, needs
from ..media.both_sides import BothSides
from ..media.earth import Earth, earths
from ..media.metals import Metal, metals
from ..media.stack import Dielectric, Stack, dielectrics
from ..media.surroundings import Medium
from ..network.elements import Impedance, LineType
from .design_file import MEDIA, DesignFile, FileBuild, design_from_text, read_design
from .part_keys import NO_PLANE
from .schema import ValueTable
from .sheet_keys import sheet_table

AnyDesign = DesignFile | Design | str | Path
"""A design file, where one is, or a design that can be written as one."""


def as_file(given: AnyDesign) -> DesignFile:
    """The design file of what is given; raises UsageError for anything else, and as reading and writing it do."""
    needs(given, AnyDesign, "design file", "what read_design gives, its path, or a Design")
    if isinstance(given, DesignFile):
        return given
    if isinstance(given, Design):
        return design_from_text(design_text(given), "design", Path())
    return read_design(given)


def design_text(design: Design) -> str:
    """The design as a file that reads back as the same antenna.

    A design that came from a file keeps its text, comments and all, with the values that were changed put in. Any other
    is written as the antenna it builds, in metres, its values as remarks. Raises UsageError for a design without a
    frequency.
    """
    if isinstance(design.build, FileBuild):
        return _changed(design, design.build)
    if design.frequency is None:
        raise UsageError("a design file says where 'lambda' is measured: give the design frequency=...")
    remarks = [f"# {name} = {value.is_}" + (f"  ({value.note})" if value.note else "") for name, value in design.given]
    head = ["# Built from these values by a function in Python:", *remarks, ""] if remarks else []
    return "\n".join(head) + antenna_text(design.antenna, design.frequency)


def _changed(design: Design, build: FileBuild) -> str:
    import tomlkit

    before = {name: _value(given) for name, given in build.table.values.items()}
    if design.frequency == build.frequency and dict(design.given) == before:
        return build.text
    document: Any = tomlkit.parse(build.text)
    if design.frequency is not None and design.frequency != build.frequency:
        document["frequency"] = _hertz(design.frequency)
        _move_frequencies(document, design.frequency / build.frequency)
    for name, value in design.given:
        if value != before[name]:
            place = document["values"]
            if isinstance(place[name], dict):
                for key, text in (("is", value.is_), ("from", value.from_), ("to", value.to)):
                    if text is not None:
                        place[name][key] = text
            else:
                place[name] = value.is_
    return tomlkit.dumps(document)


def _move_frequencies(document: Any, factor: float) -> None:
    """Bands and cases follow the design's frequency."""
    bands = document.get("band", [])
    tables = [document, *(bands if isinstance(bands, list) else [bands]), *document.get("case", {}).values()]
    for table in tables:
        keys = ("from", "to", "frequency") if table is not document else ()
        for key in keys:
            if key in table:
                table[key] = units.scaled(str(table[key]), "frequency", factor)
        if "frequencies" in table:
            table["frequencies"] = [units.scaled(str(f), "frequency", factor) for f in table["frequencies"]]


def _value(given: str | float | ValueTable) -> Value:
    return Value(given.is_, given.from_, given.to, given.note) if isinstance(given, ValueTable) else Value(given)


def antenna_text(antenna: Antenna, frequency: float) -> str:
    """An antenna as a design file, every length in metres and to the last digit."""
    import tomlkit

    document = tomlkit.document()
    document["title"] = antenna.name
    document["frequency"] = _hertz(frequency)
    document.update(_medium_keys(antenna.medium))
    tables: dict[str, dict[str, Any]] = {
        "metals": _own_metals(antenna),
        **_own_matter(antenna.medium),
        "wire": {w.name: _wire(w) for w in antenna.wires},
        "sheet": {s.name: sheet_table(s) for s in antenna.sheets},
        "port": {p.name: _port(p) for p in antenna.ports},
        "load": {x.name: _load(x) for x in antenna.loads},
        "terminal": {t.name: _gap(t) for t in antenna.terminals},
        "line": {x.name: _line(x) for x in antenna.lines if isinstance(x, Line)},
        "stub": {x.name: _stub(x) for x in antenna.lines if isinstance(x, Stub)},
    }
    for key, parts in tables.items():
        if parts:
            outer = tomlkit.table(is_super_table=True)
            for name, part in parts.items():
                outer[name] = part
            document[key] = outer
    return tomlkit.dumps(document)


def _own_metals(antenna: Antenna) -> dict[str, dict[str, Any]]:
    """The metals that are not in the library, by name."""
    own: dict[str, Metal] = {}
    stack = antenna.medium.stack
    for metal in (stack.plane if stack else None, *(part.metal for part in antenna.metal)):
        if metal is not None and metal not in metals.values() and own.setdefault(metal.name, metal) != metal:
            raise UsageError(f"antenna '{antenna.name}' has two metals named '{metal.name}': rename one")
    return {
        name: {"conductivity": m.conductivity, "permeability": m.permeability, "source": m.source}
        for name, m in own.items()
    }


def _layers(stack: Stack) -> Any:
    """The layers of a stack, from the bottom up, as tables."""
    import tomlkit

    found = tomlkit.aot()
    for number, layer in enumerate(stack.layers, 1):
        table = tomlkit.table()
        table["thickness"] = _metres(layer.thickness)
        table["of"] = layer.material.name
        if layer.name:
            table["name"] = layer.name
        if number == stack.metal_on < len(stack.layers) - stack.lid:
            table["printed"] = True
        if number == len(stack.layers) and stack.lid:
            table["lid"] = True
        found.append(table)
    return found


@singledispatch
def _medium_keys(medium: Medium) -> dict[str, Any]:
    """The keys of what an antenna is in."""
    return {"medium": next(name for name, make in MEDIA.items() if make() == medium)}


@_medium_keys.register
def _(medium: Earth) -> dict[str, Any]:
    return {"medium": medium.name}


@_medium_keys.register
def _(medium: Stack) -> dict[str, Any]:
    plane = {"plane": NO_PLANE} if medium.open_below else {"plane": medium.plane.name} if medium.plane else {}
    return {**plane, "layer": _layers(medium)}


@singledispatch
def _own_matter(_medium: Medium) -> dict[str, dict[str, Any]]:
    """Tables of what it is made of that is not in the library, by name."""
    return {}


@_own_matter.register
def _(medium: Earth) -> dict[str, dict[str, Any]]:
    if medium in earths.values():
        return {}
    keys = ("permittivity", "conductivity", "source")
    return {"earths": {medium.name: {key: getattr(medium, key) for key in keys}}}


@_medium_keys.register
def _(medium: BothSides) -> dict[str, Any]:
    return {**_medium_keys(medium.over), "under": _layers(medium.under)}


@_own_matter.register
def _(medium: BothSides) -> dict[str, dict[str, Any]]:
    both = [_own_matter(side).get("dielectrics", {}) for side in medium.sides]
    for name in both[0].keys() & both[1].keys():
        if both[0][name] != both[1][name]:
            raise UsageError(f"the layers have two dielectrics named '{name}': rename one")
    return {"dielectrics": both[0] | both[1]} if both[0] or both[1] else {}


@_own_matter.register
def _(medium: Stack) -> dict[str, dict[str, Any]]:
    own: dict[str, Dielectric] = {}
    for layer in medium.layers:
        made = layer.material
        if made not in dielectrics.values() and own.setdefault(made.name, made) != made:
            raise UsageError(f"the layers have two dielectrics named '{made.name}': rename one")
    keys = ("permittivity", "loss_tangent", "permeability", "source")
    return {"dielectrics": {name: {key: getattr(made, key) for key in keys} for name, made in own.items()}}


def _hertz(value: float) -> str:
    short = units.engineering(value, "Hz", 12)
    return short if units.frequency(short) == value else f"{value!r} Hz"


def _metres(value: float) -> str:
    return f"{value!r} m"


def _ohms(value: complex) -> Any:
    return f"{value.real!r} ohm" if not value.imag else [f"{value.real!r} ohm", f"{value.imag!r} ohm"]


def _wire(wire: Wire) -> dict[str, Any]:
    points = _lines(", ".join(_metres(c) for c in point) for point in wire.points)
    found: dict[str, Any] = {"radius": _metres(wire.radius), "points": points}
    if wire.metal is not None:
        found["metal"] = wire.metal.name
    if wire.wall is not None:
        found["wall"] = _metres(wire.wall)
    if wire.jacket is not None:
        jacket = wire.jacket
        found["jacket"] = {
            "thickness": _metres(jacket.thickness),
            "permittivity": jacket.permittivity,
            "loss_tangent": jacket.loss_tangent,
        }
    return found


def _lines(texts: Any) -> Any:
    """An array with a line for each of its texts."""
    import tomlkit

    array = tomlkit.array()
    array.extend(texts)
    return array.multiline(True)


def _gap(gap: Gap) -> dict[str, Any]:
    where: dict[str, Any] = {"on": gap.on, "at": gap.at}
    if gap.place is not None and gap.across is not None:
        where |= {"at": ", ".join(_metres(c) for c in gap.place), "across": list(gap.across)}
    return where | ({} if gap.gap is None else {"gap": _metres(gap.gap)})


def _port(port: Port) -> dict[str, Any]:
    return _gap(port) | {"reference": _ohms(port.reference)}


def _load(load: Load) -> dict[str, Any]:
    return _gap(load) | _impedance(load.impedance)


def _impedance(element: Impedance) -> dict[str, Any]:
    if element.kind == "open":
        return {"impedance": "open"}
    if element.kind == "constant":
        return {"impedance": _ohms(element.numbers[0])}
    if element.kind == "table":
        samples = zip(element.frequencies, element.numbers, strict=True)
        return {"samples": [[_hertz(f), f"{z.real!r} ohm", f"{z.imag!r} ohm"] for f, z in samples]}
    units = (("resistance", "ohm"), ("inductance", "H"), ("capacitance", "F"))
    amounts = zip(units, element.numbers, strict=True)
    return {element.kind: {name: f"{complex(amount).real!r} {unit}" for (name, unit), amount in amounts if amount}}


def _kind(kind: LineType) -> dict[str, Any]:
    found: dict[str, Any] = {"impedance": _ohms(kind.impedance), "velocity": kind.velocity}
    found |= {"attenuation": kind.attenuation} if kind.attenuation else {}
    return found | ({} if kind.frequency is None else {"attenuation_at": _hertz(kind.frequency)})


def _line(line: Line) -> dict[str, Any]:
    return {"from": line.one, "to": line.two, "crossed": line.crossed, "length": _metres(line.length)} | _kind(
        line.kind
    )


def _stub(stub: Stub) -> dict[str, Any]:
    return {"at": stub.one, "length": _metres(stub.length), "end": _impedance(stub.end)} | _kind(stub.kind)
