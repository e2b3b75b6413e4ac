"""The keys of a design file that say what shape a sheet has."""

from __future__ import annotations

from typing import Any

from ..errors import DesignFileError
from ..geometry import surfaces
from ..geometry.design import Quantities
from ..geometry.sheets import Sheet
from ..geometry.surfaces import Surface
from ..media.metals import Metal
from .sheet_schema import SheetTable, SurfaceTable
from .texts import Texts
from .triangles import read_triangles

KINDS = ("plate", "disk", "box", "cylinder", "cone", "paraboloid", "sphere", "polygon", "triangles", "file")
"""Keys of which a surface has exactly one."""
_LENGTHS = {
    "plate": ("width", "depth"),
    "disk": ("diameter",),
    "box": ("width", "depth", "height"),
    "cylinder": ("diameter", "length"),
    "cone": ("first", "last", "height"),
    "paraboloid": ("diameter", "focal_length"),
    "sphere": ("diameter",),
}


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
    given = [kind for kind in KINDS if getattr(table, kind) is not None]
    if len(given) != 1:
        raise DesignFileError(f"{texts.name}: {place}: give exactly one of {', '.join(KINDS)}; {len(given)} are there")
    kind = given[0]
    here = f"{place}.{kind}"
    if table.file is not None:
        return read_triangles(texts.folder / table.file, table.unit)
    if table.triangles is not None:
        return surfaces.triangles(table.triangles.corners, table.triangles.faces)
    if table.polygon is not None:
        rings = [[texts.point(p, here, names) for p in ring] for ring in (table.polygon.points, *table.polygon.holes)]
        return surfaces.polygon(rings[0], rings[1:])
    own: Any = getattr(table, kind)
    lengths = [texts.quantity(getattr(own, key), "length", f"{here}.{key}", names) for key in _LENGTHS[kind]]
    keys: dict[str, Any] = {}
    for key in ("centre", "base"):
        if hasattr(own, key):
            keys[key] = texts.point(getattr(own, key), f"{here}.{key}", names)
    if hasattr(own, "turn"):
        keys["turn"] = texts.degrees(own.turn, f"{here}.turn", names)
    keys |= {key: getattr(own, key) for key in ("axis", "ends", "without") if hasattr(own, key)}
    if kind == "disk" and own.hole is not None:
        return surfaces.annulus(lengths[0], texts.quantity(own.hole, "length", f"{here}.hole", names), **keys)
    maker: Any = getattr(surfaces, kind)
    found: Surface = maker(*lengths, **keys)
    return found


def sheet_table(sheet: Sheet) -> dict[str, Any]:
    """A sheet as a table of a design file, every length in metres and to the last digit."""
    found: dict[str, Any] = _surface_table(sheet.surface)
    if sheet.metal is not None:
        found["metal"] = sheet.metal.name
    if sheet.thickness is not None:
        found["thickness"] = f"{sheet.thickness!r} m"
    if sheet.sides != 1:
        found["sides"] = sheet.sides
    if sheet.density != 1.0:
        found["density"] = sheet.density
    return found


def _surface_table(surface: Surface) -> dict[str, Any]:
    """The surface as triangles, a polygon or its own kind, whichever says all of it."""
    if surface.kind == "triangles":
        corners = surface.corners.tolist()
        return {"triangles": {"corners": corners, "faces": [list(t) for t in surface.triangles]}}
    if surface.kind in ("plate", "polygon"):
        rings = [list(surface.outline.exterior.coords)[:-1], *(list(r.coords)[:-1] for r in surface.outline.interiors)]
        places = [[_point(surface.to_space(_array([*xy, 0.0]))) for xy in ring] for ring in rings]
        if surface.kind == "polygon":
            return {"polygon": {"points": places[0]} | ({"holes": places[1:]} if places[1:] else {})}
    kind = "disk" if surface.kind == "annulus" else surface.kind
    keys = ("diameter", "hole") if surface.kind == "annulus" else _LENGTHS[kind]
    table: dict[str, Any] = {key: f"{x!r} m" for key, x in zip(keys, surface.sizes, strict=True)}
    table["centre" if kind in ("plate", "disk", "box", "sphere") else "base"] = _point(surface.origin)
    if kind != "sphere":
        axis = [float(row[2]) for row in surface.frame]
        table["axis"] = axis
        turn = surfaces.turn_of(surface)
        if kind in ("plate", "box"):
            table["turn"] = f"{turn!r} rad"
        if surface.ends:
            table["without" if kind == "box" else "ends"] = surfaces.unmirrored_ends(surface)
    return {kind: table}


def _array(values: Any) -> Any:
    import numpy as np

    return np.array(values, float)


def _point(place: Any) -> str:
    return ", ".join(f"{float(c)!r} m" for c in place)
