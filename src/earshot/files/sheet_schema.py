"""What a design file may say about sheets."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Text = Annotated[str, Field(min_length=1)]


class Table(BaseModel):
    """A table of a design file: it has no keys but its own, and does not change."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, use_attribute_docstrings=True)


class PlaceTable(Table):
    """Where a surface is."""

    axis: Text | tuple[float, float, float] = "z"
    """What it is square to, or round: "x", "y", "z" or a direction [x, y, z]."""


class CentredTable(PlaceTable):
    """Where a surface with a middle is."""

    centre: Text = "0, 0, 0"
    """Its middle, "x, y, z"."""


class BasedTable(PlaceTable):
    """Where a surface that begins somewhere is."""

    base: Text = "0, 0, 0"
    """Where it begins on its axis, "x, y, z"."""


class PlateTable(CentredTable):
    """A flat rectangle."""

    width: str | float
    """Along x for axis "z", along y for "x", along z for "y"."""
    depth: str | float
    """The other side."""
    turn: str | float = "0 deg"
    """About its axis."""


class DiskTable(CentredTable):
    """A flat circle, with a round hole or without."""

    diameter: str | float
    """Of the circle."""
    hole: str | float | None = None
    """Diameter of the hole."""


class BoxTable(PlateTable):
    """A box."""

    height: str | float
    """Along its axis."""
    without: str = ""
    """Faces left out: any of top, bottom (along the axis), right, left (the width), back, front (the depth)."""


class CylinderTable(BasedTable):
    """A round tube."""

    diameter: str | float
    """Of the tube."""
    length: str | float
    """Along its axis."""
    ends: Text = "open"
    """"open", "closed", or closed at one end: "first" at its base, "last" at the other."""


class ConeTable(BasedTable):
    """A cone, or a piece of one."""

    first: str | float
    """Diameter at its base; may be zero."""
    last: str | float
    """Diameter at the other end; may be zero."""
    height: str | float
    """Along its axis."""


class DishTable(BasedTable):
    """A paraboloid of revolution, its vertex at the base, open along its axis."""

    diameter: str | float
    """Across its rim."""
    focal_length: str | float
    """From the vertex to the focus."""


class SphereTable(Table):
    """A sphere."""

    diameter: str | float
    """Of the sphere."""
    centre: Text = "0, 0, 0"
    """Its middle, "x, y, z"."""


class PolygonTable(Table):
    """A flat polygon."""

    points: list[Text]
    """Corners, each "x, y, z", in one plane."""
    holes: list[list[Text]] = []
    """Corners of holes."""


class MeanderTable(Table):
    """Hairpins to the left of a leg, which make it longer."""

    leg: int = 1
    """Which leg, from 1, as points are given."""
    longer: str | float | None = None
    """By how much, along the centre line."""
    turn: str | float | None = None
    """Instead: how much more it turns the phase on this file's board at the file's frequency, such as "90 deg"."""
    room: str | float
    """How far aside they go at most."""
    apart: str | float
    """From the middle of one arm to the next."""


class TraceTable(Table):
    """A strip along a centre line: exactly one of `width`, `impedance` and `line`."""

    points: list[Text]
    """Of the centre line, each "x, y, z", on one level."""
    width: str | float | list[str | float] | None = None
    """Of the strip, or of every leg."""
    impedance: str | float | list[str | float] | None = None
    """Instead: the width that has this impedance on this file's board at the file's frequency."""
    line: Text | None = None
    """Instead: a strip of this file's circuit, by its part's name, to be laid out: as wide, and as long electrically.
    What the way lacks hairpins make up, where one of `meanders` says so."""
    corners: Text | float = "mitred"
    """Right-angled ones are "mitred" as the board wants it, left "whole", or cut by this share of their diagonal."""
    radius: str | float | None = None
    """Of the centre line where it turns, instead of corners."""
    meanders: list[MeanderTable] = []
    """Legs that are made longer."""


class TrianglesTable(Table):
    """Triangles, as they are."""

    corners: list[tuple[float, float, float]]
    """Places [x, y, z], metres."""
    faces: list[tuple[int, int, int]]
    """Three corner numbers each, from 0."""


class SurfaceTable(Table):
    """The shape of a sheet: exactly one of these keys."""

    plate: PlateTable | None = None
    """A flat rectangle."""
    disk: DiskTable | None = None
    """A flat circle or ring."""
    box: BoxTable | None = None
    """A box."""
    cylinder: CylinderTable | None = None
    """A round tube."""
    cone: ConeTable | None = None
    """A cone or frustum."""
    paraboloid: DishTable | None = None
    """A dish."""
    sphere: SphereTable | None = None
    """A sphere."""
    polygon: PolygonTable | None = None
    """A flat polygon."""
    trace: TraceTable | None = None
    """A strip along a centre line."""
    triangles: TrianglesTable | None = None
    """Triangles, as they are."""
    file: Text | None = None
    """A file of triangles, STL or OBJ; `unit` says what its numbers are in."""
    unit: Text = "m"
    """Unit of a file's numbers."""


class SheetTable(SurfaceTable):
    """Thin metal in the shape of a surface. Sheets whose edges meet are joined, and wires that end on one."""

    add: list[SurfaceTable] = Field([], max_length=500)
    """Flat surfaces in its plane that are made one with it; 500 at most."""
    cut: list[SurfaceTable] = Field([], max_length=500)
    """Flat surfaces in its plane that are cut out of it; 500 at most."""
    metal: Text | None = None
    """As for a wire."""
    thickness: str | float | None = None
    """Of the metal; many skin depths unless given."""
    sides: int = 1
    """Faces that carry the current: 1 for reflectors and closed bodies, 2 for strips and rods in the open."""
    density: float = 1.0
    """How much finer than usual its mesh is."""
