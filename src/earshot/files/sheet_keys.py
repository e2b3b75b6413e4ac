"""The keys of a design file that say what shape a sheet has: how each is read and how it is written."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from ..description import surfaces, traces
from ..description.design import Quantities
from ..description.round_shapes import Annulus, Cone, Cylinder, Disk, Paraboloid, Sphere
from ..description.shapes import Box, Plate, Polygon, Shape, Triangles
from ..description.sheets import Sheet
from ..description.strip_parts import laid_out
from ..description.strips import StripType, strip
from ..description.surfaces import Surface
from ..description.traces import Strip
from ..errors import DesignFileError, UsageError, unknown
from ..media.metals import Metal
from ..media.stack import Stack
from ..media.strip_line import strip_width
from .feed_keys import run_of
from .sheet_schema import MeanderTable, SheetTable, SurfaceTable, TraceTable
from .texts import Texts
from .triangles import read_triangles

_LEVEL = 1e-12


@dataclass(frozen=True, slots=True)
class _Key:
    """One key: what it makes of its table, and, of shapes it writes, the table again."""

    read: Callable[[Texts, str, Any, Quantities], Surface]
    shapes: tuple[type[Shape], ...] = ()
    write: Callable[[Surface], Any] | None = None


def _rings(texts: Texts, here: str, table: Any, names: Quantities) -> Surface:
    rings = [[texts.point(p, here, names) for p in ring] for ring in (table.points, *table.holes)]
    return surfaces.polygon(rings[0], rings[1:])


def _rings_table(surface: Surface) -> dict[str, Any]:
    outline = surface.outline
    rings = [list(ring.coords)[:-1] for ring in (outline.exterior, *outline.interiors)]
    places = [[_point(surface.to_space(np.array([*xy, 0.0]))) for xy in ring] for ring in rings]
    return {"points": places[0]} | ({"holes": places[1:]} if places[1:] else {})


def _read_trace(texts: Texts, here: str, table: Any, names: Quantities) -> Surface:
    points = [tuple(texts.point(p, f"{here}.points", names)) for p in table.points]
    board = texts.board_at(points[0][2])
    if [table.width, table.impedance, table.line].count(None) != 2:
        raise DesignFileError(f"{texts.name}: {here}: give its width, its impedance or its line, one of them")
    if isinstance(table.corners, str) and table.corners not in ("mitred", "whole"):
        raise DesignFileError(f"{texts.name}: {here}.corners: '{table.corners}' is not mitred, whole or a number")
    if table.line is not None:
        return _laid_out(texts, here, table, points, names)
    several = isinstance(table.width or table.impedance, list)
    said = (table.width or table.impedance) if several else [table.width or table.impedance]
    if table.width is not None:
        widths = [texts.quantity(w, "length", f"{here}.width", names) for w in said]
    else:
        ohms = [texts.quantity(z, "resistance", f"{here}.impedance", names) for z in said]
        widths = [_of_impedance(texts, board, z, here) for z in ohms]
    if not several:
        widths = widths * (len(points) - 1)
    for bend in sorted(table.meanders, key=lambda m: -m.leg):
        if not 1 <= bend.leg < len(points):
            raise DesignFileError(f"{texts.name}: {here}.meanders: there is no leg {bend.leg} of {len(points) - 1}")
        more = _longer(texts, board, f"{here}.meanders", bend, widths[bend.leg - 1], names)
        room, apart = (
            texts.quantity(getattr(bend, key), "length", f"{here}.meanders.{key}", names) for key in ("room", "apart")
        )
        legs = traces.meander_points(points[bend.leg - 1], points[bend.leg], more, room, apart)
        points[bend.leg - 1 : bend.leg + 1] = legs
        widths[bend.leg - 1 : bend.leg] = [widths[bend.leg - 1]] * (len(legs) - 1)
    radius = 0.0 if table.radius is None else texts.quantity(table.radius, "length", f"{here}.radius", names)
    cut = 0.0 if isinstance(table.corners, str) else table.corners
    if table.corners == "mitred" and not radius and board is not None:
        cut = traces.mitre(min(widths), board.level or board.thickness)
    return traces.trace(points, widths, mitre=cut, radius=radius)


def _laid_out(texts: Texts, here: str, table: TraceTable, points: list[Any], names: Quantities) -> Surface:
    strips = [name for name, part in texts.feed.items() if part.line is not None and part.line.strip is not None]
    if table.line not in strips:
        raise DesignFileError(f"{texts.name}: {here}.line: {unknown('strip of the circuit', str(table.line), strips)}")
    part = texts.feed[table.line]
    if part.count is not None:
        raise DesignFileError(f"{texts.name}: {here}.line: '{table.line}' is several lines: give this one its own part")

    if points[0][2] < 0.0:
        raise DesignFileError(f"{texts.name}: {here}.line: '{table.line}' is over the plane, the trace is under it")

    def read(said: Any, kind: str, what: str) -> float:
        return texts.quantity(said, kind, what, names)

    kind, long = run_of(texts, part.line, f"circuit.part.{table.line}.line", read, texts.medium)
    where: dict[str, Any] = {}
    for bend in table.meanders:
        if where or bend.longer is not None or bend.turn is not None:
            raise DesignFileError(
                f"{texts.name}: {here}.meanders: of a line one, without longer and turn: it has a length"
            )
        where = {"leg": bend.leg, "room": read(bend.room, "length", f"{here}.meanders.room"),
                 "apart": read(bend.apart, "length", f"{here}.meanders.apart")}  # fmt: skip
    if table.radius is not None:
        where["radius"] = read(table.radius, "length", f"{here}.radius")
    if not isinstance(table.corners, str):
        where["mitre"] = table.corners
    elif table.corners == "whole":
        where["mitre"] = 0.0
    assert isinstance(kind, StripType)
    return laid_out(kind, long, points, **where)


def _longer(
    texts: Texts, board: Stack | None, here: str, bend: MeanderTable, width: float, names: Quantities
) -> float:  # fmt: skip
    """By how much hairpins make a leg longer, metres."""
    if (bend.longer is None) == (bend.turn is None):
        raise DesignFileError(f"{texts.name}: {here}: give longer or turn, one of them")
    if bend.turn is None:
        assert bend.longer is not None
        return texts.quantity(bend.longer, "length", f"{here}.longer", names)
    if board is None:
        raise DesignFileError(f"{texts.name}: {here}.turn: the file has no layers to print it on: add [[layer]]")
    assert texts.frequency is not None
    turn = texts.quantity(bend.turn, "angle", f"{here}.turn", names)
    return turn / strip(board, width, texts.frequency).propagation(texts.frequency).imag


def _of_impedance(texts: Texts, board: Stack | None, ohms: float, here: str) -> float:
    if board is None:
        raise DesignFileError(f"{texts.name}: {here}.impedance: the file has no layers to print it on: add [[layer]]")
    assert texts.frequency is not None
    return _strip_width(board, ohms, texts.frequency)


_strip_width = lru_cache(maxsize=256)(strip_width)


def _trace_table(surface: Surface) -> dict[str, Any]:
    strip = surface.shape
    assert isinstance(strip, Strip)
    places = surface.to_space(np.column_stack([np.array(strip.points), np.zeros(len(strip.points))]))
    found: dict[str, Any] = {"points": [_point(p) for p in places], "width": [f"{w!r} m" for w in strip.widths]}
    found |= {"radius": f"{strip.radius!r} m"} if strip.radius else {"corners": strip.mitre}
    return found


def _given_table(surface: Surface) -> dict[str, Any]:
    assert isinstance(surface.shape, Triangles)
    return {"corners": surface.bounds.tolist(), "faces": [list(t) for t in surface.shape.faces]}


def _placed(maker: Callable[..., Surface], lengths: str, place: str, shape: type[Shape], *besides: str) -> _Key:
    """A key of lengths and a place; besides: what else of the axis and the like it has."""

    def read(texts: Texts, here: str, table: Any, names: Quantities) -> Surface:
        sizes = [texts.quantity(getattr(table, key), "length", f"{here}.{key}", names) for key in lengths.split()]
        return maker(*sizes, **_position(texts, here, table, names, (place, *besides)))

    def write(surface: Surface) -> dict[str, Any]:
        return _lengths(lengths.split(), surface) | _position_table(surface, place, besides)

    return _Key(read, (shape,), write)


def _read_disk(texts: Texts, here: str, table: Any, names: Quantities) -> Surface:
    sizes = [
        texts.quantity(getattr(table, key), "length", f"{here}.{key}", names)
        for key in ("diameter", "hole")
        if getattr(table, key) is not None
    ]
    maker: Any = surfaces.annulus if sizes[1:] else surfaces.disk
    found: Surface = maker(*sizes, **_position(texts, here, table, names, ("centre", "axis")))
    return found


def _disk_table(surface: Surface) -> dict[str, Any]:
    return _lengths(("diameter", "hole")[: len(surface.sizes)], surface) | _position_table(surface, "centre", ("axis",))


def _position(texts: Texts, here: str, table: Any, names: Quantities, keys: Sequence[str]) -> dict[str, Any]:
    """Keywords of a maker from the keys that say where a surface is and which way it faces."""
    readers = {"centre": texts.point, "base": texts.point, "turn": texts.degrees}
    return {
        key: readers[key](getattr(table, key), f"{here}.{key}", names) if key in readers else getattr(table, key)
        for key in keys
    }


def _position_table(surface: Surface, place: str, besides: Sequence[str]) -> dict[str, Any]:
    shape, found = surface.shape, {place: _point(surface.origin)}
    writers: dict[str, Callable[[], Any]] = {
        "axis": lambda: [float(row[2]) for row in surface.frame],
        "turn": lambda: f"{surfaces.turn_of(surface)!r} rad",
        "ends": lambda: shape.ends if isinstance(shape, Cylinder) else "",
        "without": lambda: surfaces.open_sides(surface, shape) if isinstance(shape, Box) else "",
    }
    written = {key: writers[key]() for key in besides}
    return found | {key: value for key, value in written.items() if value != ""}


def _lengths(keys: Sequence[str], surface: Surface) -> dict[str, Any]:
    return {key: f"{x!r} m" for key, x in zip(keys, surface.sizes, strict=True)}


KEYS = {
    "plate": _placed(surfaces.plate, "width depth", "centre", Plate, "axis", "turn"),
    "disk": _Key(_read_disk, (Disk, Annulus), _disk_table),
    "box": _placed(surfaces.box, "width depth height", "centre", Box, "axis", "turn", "without"),
    "cylinder": _placed(surfaces.cylinder, "diameter length", "base", Cylinder, "axis", "ends"),
    "cone": _placed(surfaces.cone, "first last height", "base", Cone, "axis"),
    "paraboloid": _placed(surfaces.paraboloid, "diameter focal_length", "base", Paraboloid, "axis"),
    "sphere": _placed(surfaces.sphere, "diameter", "centre", Sphere),
    "polygon": _Key(_rings, (Polygon,), _rings_table),
    "trace": _Key(_read_trace, (Strip,), _trace_table),
    "triangles": _Key(lambda *x: surfaces.triangles(x[2].corners, x[2].faces), (Triangles,), _given_table),
    "file": _Key(lambda texts, _, table, __: read_triangles(texts.folder / table.file, table.unit)),
}
"""Keys of which a surface has exactly one."""


def read_sheet(texts: Texts, name: str, table: SheetTable, names: Quantities, metal: Metal | None) -> list[Sheet]:
    """A sheet of a metal from its table: one, or none when something in it is at fault."""
    place, before = f"sheet.{name}", texts.stumbles
    with texts.gathering(place):
        surface = _surface(texts, place, table, names)
        for how, parts in (("add", table.add), ("cut", table.cut)):
            for i, part in enumerate(parts):
                other = _surface(texts, f"{place}.{how}, {i + 1}", part, names)
                surface = surface + other if how == "add" else surface - other
        thickness = None
        if table.thickness is not None:
            thickness = texts.quantity(table.thickness, "length", f"{place}.thickness", names)
        if texts.stumbles == before:
            return [Sheet(name, surface, metal=metal, thickness=thickness, sides=table.sides, density=table.density)]
    return []


def _surface(texts: Texts, place: str, table: SurfaceTable, names: Quantities) -> Surface:
    given = [key for key in KEYS if getattr(table, key) is not None]
    if len(given) != 1:
        raise DesignFileError(f"{texts.name}: {place}: give exactly one of {', '.join(KEYS)}; {len(given)} are there")
    # A file's unit is beside its name.
    own = table if given[0] == "file" else getattr(table, given[0])
    try:
        return KEYS[given[0]].read(texts, f"{place}.{given[0]}", own, names)
    except UsageError as problem:
        if str(problem).startswith(f"{texts.name}: "):
            raise
        raise DesignFileError(f"{texts.name}: {place}: {problem}") from None


def sheet_table(sheet: Sheet) -> dict[str, Any]:
    """A sheet as a table of a design file, every length in metres and to the last digit."""
    own = [(key, k.write) for key, k in KEYS.items() if k.write and isinstance(sheet.surface.shape, k.shapes)]
    found: dict[str, Any] = {key: write(sheet.surface) for key, write in own}
    if "trace" in found and abs(abs(sheet.surface.frame[2][2]) - 1.0) > _LEVEL:
        # Its points are told level; where it is not, its outline says the same.
        found = {"polygon": _rings_table(sheet.surface)}
    if sheet.metal is not None:
        found["metal"] = sheet.metal.name
    if sheet.thickness is not None:
        found["thickness"] = f"{sheet.thickness!r} m"
    if sheet.sides != 1:
        found["sides"] = sheet.sides
    if sheet.density != 1.0:
        found["density"] = sheet.density
    return found


def _point(place: Any) -> str:
    return ", ".join(f"{float(c)!r} m" for c in place)
