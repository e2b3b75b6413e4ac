"""What may stand in a place file."""

from __future__ import annotations

from ..files.schema import EarthTable
from ..files.sheet_schema import Table, Text


class TerrainTable(Table):
    """The ground. Either a file of heights, or level ground."""

    file: Text | None = None
    """A raster of heights above the sea, beside the place file: GeoTIFF, ASCII grid (.asc), or a raw tile (.hgt)."""
    level: str | float = 0
    """Height of level ground above the sea, where there is no file."""
    earth: Text = "meadow"
    """What it is made of: an earth by name, one of `earths`, or "perfect plane"."""
    roughness: str | float = 0
    """Of the ground, root mean square: how much of a reflection it scatters."""
    roundness: float = 4 / 3
    """The k-factor: by refraction the earth's radius seems so many times larger."""


class StationTable(Table):
    """An antenna at a place."""

    at: Text | None = None
    """Where: "x, y" in the terrain's metres (x east, y north), or "latitude, longitude" as angles; none for one that is
    carried about."""
    height: str | float
    """Of the antenna above the ground, or of its design's z = 0, which stays what it is there."""
    antenna: Text = "isotropic"
    """A design file (.toml), a results file (.nc) or a pattern table (.csv) beside the place file."""
    case: Text | None = None
    """How it is driven: the first case or beam unless given."""
    polarisation: Text = "vertical"
    """Of an isotropic one: "vertical" or "horizontal"."""
    bearing: str | float | None = None
    """Where the design's x axis points, by the compass: "90 deg", east, is as drawn."""
    tilt: str | float = 0
    """How far that axis is raised."""
    roll: str | float = 0
    """How far it is then turned about it."""
    aim: Text | None = None
    """The station its beam points to, in place of bearing, tilt and roll."""
    steer: Text | None = None
    """The station its ports are driven towards, for most gain there, whichever way it is turned; in place of `case`."""
    power: str | float = "1 W"
    """Sent."""
    feeder_loss: float = 0.0
    """dB between the antenna and what is behind it."""
    noise_figure: float = 0.0
    """dB, of its receiver."""
    bandwidth: str | float = "1 MHz"
    """Of its receiver."""
    required: float = 0.0
    """dB of signal over noise that it requires."""


class BuiltTable(Table):
    """What stands there, for rays."""

    file: Text | None = None
    """Footprints with heights beside the place file (GeoJSON): longitude and latitude where the terrain has a frame,
    else metres; properties `height`, and if wanted `name`, `material`, `thickness`, in metres."""
    material: Text = "brick"
    """Of walls and roofs that have none of their own: one of ITU-R P.2040, "perfect conductor", or one of
    `materials`."""
    thickness: str | float = "0.3 m"
    """Of these walls and roofs."""
    order: int = 2
    """How often rays are mirrored and bent in all, 0 to 5."""
    walls: int = 2
    """How many faces they go through at most."""
    edges: bool = True
    """Whether they bend at edges."""


class BodyTable(Table):
    """A building or another object by its mesh."""

    file: Text
    """OBJ, STL, GLTF or GLB beside the place file, in metres; z is up, in GLTF and GLB y."""
    at: Text = "0 m, 0 m"
    """Where its origin stands, on the ground."""
    material: Text | None = None
    """Its own, in place of `built`'s."""
    thickness: str | float | None = None
    """Its own, likewise."""
    thin: bool = False
    """It is plates with air on both sides, and need not be closed."""


class MatterTable(Table):
    """A building material of one's own."""

    permittivity: str | float
    """Relative."""
    conductivity: str | float = 0
    """S/m."""


class AreaTable(Table):
    """A rectangle that maps of rays are for."""

    first: Text
    """One corner, as stations' `at`."""
    last: Text
    """The corner across."""
    step: str | float = "1 m"
    """From point to point."""


class PlaceTable(Table):
    """A place: its ground, its stations, and what is built there."""

    title: Text
    """What it is."""
    frequency: str | float
    """Where paths are asked for."""
    terrain: TerrainTable = TerrainTable()
    """The ground."""
    earths: dict[str, EarthTable] = {}
    """Earths of its own, by name."""
    station: dict[str, StationTable] = {}
    """The stations, by name."""
    built: BuiltTable = BuiltTable()
    """What stands there."""
    body: dict[str, BodyTable] = {}
    """Objects by their meshes, by name."""
    materials: dict[str, MatterTable] = {}
    """Materials of its own, by name."""
    area: dict[str, AreaTable] = {}
    """Rectangles for maps, by name."""
