"""The keys of a design file that say what an antenna is made of: values, wires and ports."""

from __future__ import annotations

import re
from typing import Any

import numpy as np

from .. import units
from ..description.design import Quantities, Value
from ..description.parts import Port, Wire
from ..description.paths import circle_points, helix_points
from ..errors import DesignFileError, UnitError, UsageError, unknown
from ..media.both_sides import BothSides
from ..media.metals import Jacket, Metal, metals
from ..media.stack import Dielectric, Layer, Stack, dielectrics
from ..media.surroundings import Medium
from .reading import numbers, read_table
from .schema import (
    CircleTable,
    DesignTable,
    DielectricTable,
    HelixTable,
    PortTable,
    TerminalTable,
    ValueTable,
    WireTable,
)
from .texts import Texts

_RESERVED = ("lambda", "pi", "frequency", "build", "self", "sqrt", "sin", "cos", "tan", "hypot", "min", "max", "abs")


def read_value(texts: Texts, name: str, given: str | float | ValueTable, known: Quantities) -> Value:
    """A named value; its quantity joins those that are known, for the values after it."""
    if not name.isidentifier() or name in _RESERVED:
        raise DesignFileError(
            f"{texts.name}: values.{name} cannot be used in arithmetic: name it with letters, digits and _, "
            f"and not {', '.join(_RESERVED)}"
        )
    table = given if isinstance(given, ValueTable) else ValueTable.model_validate({"is": given})
    for key, text in (("from", table.from_), ("to", table.to), ("is", table.is_)):
        if isinstance(text, str):
            what = f"{texts.name}: values.{name}.{key}"
            known[name] = units.evaluate(text, known, wavelength=texts.wavelength, what=what)
        elif text is not None:
            known[name] = units.Quantity(float(text), "number")
    return Value(table.is_, table.from_, table.to, table.note)


NO_PLANE = "none"
"""The plane of layers that have air below as well."""


def read_metal(texts: Texts, table: DesignTable, place: str, name: str) -> Metal:
    """One of the file's own metals, or one that is known by name."""
    own = table.metals.get(name)
    try:
        return Metal(name, own.conductivity, own.permeability, own.source) if own else metals[name]
    except UsageError as problem:
        raise DesignFileError(f"{texts.name}: {place}: {problem}") from None


def read_layers(texts: Texts, table: DesignTable, names: Quantities) -> Stack | BothSides:
    """The layers of a file, over its plane and under it; raises DesignFileError naming the one at fault."""
    if not table.under:
        return _stack(texts, table, "layer", names)
    if table.plane == NO_PLANE:
        raise DesignFileError(
            f"{texts.name}: plane: it is '{NO_PLANE}', and there are layers under one: leave it out, or make them all "
            "[[layer]]"
        )
    under = _stack(texts, table, "under", names)
    # A side without layers has air, as deep as the other.
    air = Stack(Layer(under.thickness, "air"), plane=under.plane)
    return BothSides(_stack(texts, table, "layer", names) if table.layer else air, under)


def _stack(texts: Texts, table: DesignTable, key: str, names: Quantities) -> Stack:
    """The layers of one side of the plane, from it on."""
    layers, printed = [], []
    for number, given in enumerate(getattr(table, key), 1):
        place, own = f"{key}, {number}", table.dielectrics.get(given.of)
        thickness = texts.quantity(given.thickness, "length", f"{place}.thickness", names)
        try:
            of = _dielectric(texts, given.of, own, names) if own else dielectrics[given.of]
            layers.append(Layer(thickness, of, given.name or ""))
        except UsageError as problem:
            raise DesignFileError(f"{texts.name}: {place}: {problem}") from None
        if given.printed:
            printed.append(number)
        if given.lid and number < len(getattr(table, key)):
            raise DesignFileError(f"{texts.name}: {place}.lid: there are layers beyond it: put it on the last one")
    if len(printed) > 1:
        raise DesignFileError(
            f"{texts.name}: {key}, {printed[1]}: lines lie on one layer: keep one `printed`; sheets need none, "
            "they lie wherever they are drawn"
        )
    on, lid = printed[0] if printed else None, bool(getattr(table, key)[-1].lid)
    if table.plane == NO_PLANE:
        if lid:
            raise DesignFileError(
                f"{texts.name}: {key}.lid: plane is '{NO_PLANE}': turn the board over, with its plane below"
            )
        return Stack(layers, on, open_below=True)
    plane = None if table.plane is None else read_metal(texts, table, "plane", table.plane)
    return Stack(layers, on, plane, lid=lid)


def with_faces(texts: Texts, names: Quantities, medium: Medium) -> Quantities:
    """Names of values, and of the faces of layers that have one; raises DesignFileError for one that is taken."""
    found, stacks = names.joined(), medium.sides or ((medium.stack,) if medium.stack else ())
    for stack, key, sense in zip(stacks, ("layer", "under"), (1.0, -1.0), strict=False):
        for number, layer in enumerate(stack.layers, 1):
            if not layer.name:
                continue
            what = f"{texts.name}: {key}, {number}.name: '{layer.name}'"
            if not layer.name.isidentifier() or layer.name in _RESERVED:
                raise DesignFileError(f"{what} cannot be used in arithmetic: name it with letters, digits and _")
            if layer.name in found:
                raise DesignFileError(f"{what} is the name of a value or of another layer as well: choose another")
            found[layer.name] = units.Quantity(sense * stack.faces[number], "length")
    return found


def _dielectric(texts: Texts, name: str, own: DielectricTable, names: Quantities) -> Dielectric:
    """A dielectric of the user's own."""
    permittivity, loss = (
        texts.number(getattr(own, key), f"dielectrics.{name}.{key}", names) for key in ("permittivity", "loss_tangent")
    )
    return Dielectric(name, permittivity, loss, own.permeability, own.source)


def read_wire(texts: Texts, name: str, table: WireTable, names: Quantities, metal: Metal | None) -> list[Wire]:
    """A wire of a metal from its table: one, or none when something in it is at fault."""
    place, before = f"wire.{name}", texts.stumbles
    lengths: dict[str, float] = {}
    for key, text in (("radius", table.radius), ("wall", table.wall)):
        if text is not None:
            with texts.gathering(f"{place}.{key}"):
                lengths[key] = texts.quantity(text, "length", f"{place}.{key}", names)
    jacket, points = None, []
    if table.jacket is not None:
        with texts.gathering(f"{place}.jacket"):
            thickness = texts.quantity(table.jacket.thickness, "length", f"{place}.jacket.thickness", names)
            jacket = Jacket(thickness, table.jacket.permittivity, table.jacket.loss_tangent)
    with texts.gathering(f"{place}.points"):
        points = _points(texts, place, table, names)
    if texts.stumbles == before:
        with texts.gathering(place):
            return [Wire(name, points, metal=metal, jacket=jacket, **lengths)]
    return []


def _points(texts: Texts, place: str, table: WireTable, names: Quantities) -> list[Any]:
    given = [key for key in ("points", "circle", "helix") if getattr(table, key) is not None]
    if len(given) != 1:
        raise DesignFileError(
            f"{texts.name}: {place}: give exactly one of points, circle, helix; {len(given)} are there"
        )
    if table.circle is not None:
        return _circle(texts, f"{place}.circle", table.circle, names)
    if table.helix is not None:
        return _helix(texts, f"{place}.helix", table.helix, names)
    if isinstance(table.points, str):
        return _points_file(texts, table.points, f"{place}.points")
    points = []
    for i, text in enumerate(table.points or []):
        what = f"{place}.points, point {i + 1}"
        with texts.gathering(what):
            points.append(texts.point(text, what, names))
    return points


def _circle(texts: Texts, place: str, table: CircleTable, names: Quantities) -> list[Any]:
    return circle_points(
        texts.quantity(table.diameter, "length", f"{place}.diameter", names),
        centre=texts.point(table.centre, f"{place}.centre", names),
        axis=table.axis,
        start=texts.degrees(table.start, f"{place}.start", names),
        chords=table.chords,
    )


def _helix(texts: Texts, place: str, table: HelixTable, names: Quantities) -> list[Any]:
    return helix_points(
        texts.quantity(table.diameter, "length", f"{place}.diameter", names),
        texts.quantity(table.rise, "length", f"{place}.rise", names),
        texts.quantity(table.turns, "number", f"{place}.turns", names),
        base=texts.point(table.base, f"{place}.base", names),
        start=texts.degrees(table.start, f"{place}.start", names),
        hand=table.hand,
        lead=texts.quantity(table.lead, "length", f"{place}.lead", names),
        chords=table.chords,
    )


def _points_file(texts: Texts, text: str, what: str) -> list[list[float]]:
    path = texts.file(text)

    def wrong(says: str) -> DesignFileError:
        return DesignFileError(f"{texts.name}: {what}: {says}")

    table = read_table(path, wrong)
    headers = [re.fullmatch(r"([xyz])\s*\((\w{1,20})\)", str(c)) for c in table.columns]
    if [h.group(1) if h else None for h in headers] != ["x", "y", "z"]:
        raise wrong(f"'{path.name}' must begin with a line like 'x (mm), y (mm), z (mm)'")
    scales = [units.read(f"1 {h.group(2)}", "length", what=f"{texts.name}: {what}") for h in headers if h]
    columns = numbers(table, list(table.columns), path.name, wrong)
    return (np.stack(list(columns.values()), axis=1) * scales).tolist()  # type: ignore[no-any-return]


def read_gap(
    texts: Texts, place: str, table: PortTable | TerminalTable, names: Quantities, parts: Any
) -> dict[str, Any]:
    """Where a gap is and how wide, as its maker's keywords: a fraction or text in metres, or on a sheet a point.

    Its wire or sheet must be among `parts`.
    """
    if table.on not in parts:
        raise DesignFileError(f"{texts.name}: {place}.on: {unknown('wire or sheet', table.on, parts)}")
    width = None if table.gap is None else texts.quantity(table.gap, "length", f"{place}.gap", names)
    if table.across is not None:
        point = texts.point(str(table.at), f"{place}.at", names)
        return {"at": point, "gap": width, "across": table.across}
    at: str | float = table.at
    if isinstance(at, str):
        if at.count(",") == 2 and "(" not in at:
            raise DesignFileError(
                f"{texts.name}: {place}.at: '{at}' is a point, as on a sheet: say across = \"x\", too"
            )
        found = units.evaluate(at, names, wavelength=texts.wavelength, what=f"{texts.name}: {place}.at")
        if found.kind not in ("number", "length"):
            raise UnitError(
                f"{texts.name}: {place}.at: '{table.at}' is a {found.kind}; give a fraction of the wire or a length"
            )
        at = found.si if found.kind == "number" else f"{found.si!r} m"
    return {"at": at, "gap": width}


def read_port(texts: Texts, name: str, table: PortTable, names: Quantities, parts: Any) -> Port:
    """A port from its table."""
    where = read_gap(texts, f"port.{name}", table, names, parts)
    what, numbers = f"port.{name}.reference", table.reference
    numbers = numbers if isinstance(numbers, list) else [numbers]
    if not 1 <= len(numbers) <= 2:
        raise DesignFileError(
            f"{texts.name}: {what}: {len(numbers)} numbers; give resistance, or resistance and reactance"
        )
    reference = complex(*(texts.quantity(p, "resistance", what, names) for p in numbers))
    return Port(name, table.on, reference=reference, **where)
