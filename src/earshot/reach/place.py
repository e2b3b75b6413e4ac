"""Place files: TOML that says what the ground is, where stations stand, and what they are."""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from .. import units
from ..arrays.elements import Element
from ..arraytypes import Floats
from ..errors import DesignFileError, UsageError, unknown
from ..fields.far import FarField
from ..files.array_tables import read_pattern
from ..files.design_file import read_design
from ..files.reading import LARGEST_TEXT, read_text
from ..files.results import is_results
from ..files.schema import as_table
from ..files.texts import Texts
from ..lettering import Told
from ..media.earth import Earth, earths
from ..runs.run import Run, open_run, run
from .built import Built
from .coverage import Coverage, coverage
from .path import Path as Way
from .path import path
from .place_schema import AreaTable, PlaceTable, StationTable, TerrainTable
from .rays import Rays, gain_in_scene, rays
from .scene import Scene
from .scene_map import Area, scene_coverage
from .stations import Station
from .terrain import Terrain, flat, read_terrain

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, repr=False)
class Place(Told):
    """A place file, read. stations: as it describes them; their antennas are solved when they are first asked for.

    changes: that were made to it. plain: the stations without their antennas; fixed: names of those that stand.
    """

    title: str
    frequency: float
    terrain: Terrain
    earth: Earth | str
    roughness: float
    roundness: float
    file: Path
    changes: tuple[str, ...]
    ground: TerrainTable
    stations: dict[str, StationTable]
    plain: dict[str, Station]
    fixed: frozenset[str]
    standing: Built
    areas: dict[str, tuple[Area, float]]
    _solved: dict[tuple[str, float], Run | Element] = field(default_factory=dict)

    def _in_words(self) -> str:
        return f"'{self.title}', {len(self.stations)} stations, terrain {self.terrain}"

    def with_(self, *changes: str) -> Place:
        """The same with changes, as `read_place` takes them; antennas that are solved are not solved again."""
        return read_place(self.file, (*self.changes, *changes), like=self)

    def station(self, name: str, frequency: str | float | None = None) -> Station:
        """A station with its antenna, driven at a frequency, its own beam turned where it is to point.

        Raises UsageError for one there is not, and as reading and solving its antenna do.
        """
        hertz = self._hertz(frequency)
        own, table = self._plain(name), self.stations[name]
        for one in {table.aim, table.steer} - {None}:
            self._stands(name)
            self._stands(str(one))
        if table.antenna != "isotropic":
            own = replace(own, antenna=self._antenna(name, table, hertz))
        if table.aim is not None:
            own = own.aimed(self._top(self._plain(table.aim)), self._top(own), hertz)
        if table.steer is None:
            return own
        answered = self._answered(name, table, hertz)
        if isinstance(answered, Element):
            raise UsageError(f"station '{name}': a pattern table has no ports to steer by: give a design or results")
        return own.steered(answered, self._top(self._plain(table.steer)), self._top(own))

    def path(self, one: str, two: str, frequency: str | float | None = None) -> Way:
        """From one station to another, by their names; see `reach.path`."""
        for name in (one, two):
            self._plain(name)
            self._stands(name)
        hertz = self._hertz(frequency)
        return path(self.terrain, self.station(one, hertz), self.station(two, hertz), hertz, **self._ground())

    def coverage(
        self, stations: Sequence[str], carried: str, frequency: str | float | None = None, *, sends: bool = False
    ) -> Coverage:
        """What stations bring to one that is carried about, by their names; see `reach.coverage`."""
        for name in stations:
            self._plain(name)
            self._stands(name)
        if carried in stations:
            raise UsageError(f"coverage: '{carried}' is carried about, so it does not stand as well: leave it out")
        hertz = self._hertz(frequency)
        given = [self.station(name, hertz) for name in stations]
        return coverage(self.terrain, given, self.station(carried, hertz), hertz, sends=sends, **self._ground())

    @property
    def scene(self) -> Scene:
        """What is built; raises UsageError as its files do, and where nothing is."""
        return self.standing.scene

    def rays(self, one: str, two: str, frequency: str | float | None = None) -> Rays:
        """From one station to another among what is built; see `reach.rays`."""
        for name in (one, two):
            self._plain(name)
            self._stands(name)
        hertz = self._hertz(frequency)
        return rays(self.scene, self.station(one, hertz), self.station(two, hertz), hertz, **self._among())

    def scene_coverage(
        self, stations: Sequence[str], carried: str, area: str, frequency: str | float | None = None, *,
        average: bool = False, sends: bool = False,
    ) -> Coverage:  # fmt: skip
        """What stations bring to one that is carried over an area, by their names; see `reach.scene_coverage`."""
        if area not in self.areas:
            raise UsageError(f"'{self.title}': {unknown('area', area, self.areas)}")
        for name in stations:
            self._plain(name)
            self._stands(name)
        hertz, (where, step) = self._hertz(frequency), self.areas[area]
        return scene_coverage(
            self.scene, [self.station(name, hertz) for name in stations], self.station(carried, hertz), hertz, where,
            step, average=average, sends=sends, frame=self.terrain.frame, **self._among(),
        )  # fmt: skip

    def gain_in_scene(
        self, name: str, azimuths: Floats, elevations: Floats, frequency: str | float | None = None
    ) -> pd.DataFrame:
        """The pattern that the scene leaves of a station's; see `reach.gain_in_scene`."""
        self._plain(name)
        self._stands(name)
        hertz = self._hertz(frequency)
        return gain_in_scene(self.scene, self.station(name, hertz), hertz, azimuths, elevations, **self._among())

    @property
    def unevenness(self) -> float:
        """Of the ground under what is built, which rays take as level: its highest over its lowest, m."""
        own = self.terrain
        west, east, south, north = self.scene.extent
        x, y = (
            np.clip(np.linspace(*ends, 33), low, high)
            for ends, low, high in (((west, east), own.west, own.east), ((south, north), own.south, own.north))
        )
        return float(np.ptp(own.height(*np.meshgrid(x, y))))

    def _among(self) -> dict[str, Any]:
        table = self.standing.table
        return {"earth": self.earth, "order": table.order, "walls": table.walls, "edges": table.edges}

    def _ground(self) -> dict[str, Any]:
        return {"earth": self.earth, "roundness": self.roundness, "roughness": self.roughness}

    def _hertz(self, frequency: str | float | None) -> float:
        return self.frequency if frequency is None else units.frequency(frequency)

    def _plain(self, name: str) -> Station:
        if name not in self.plain:
            raise UsageError(f"'{self.title}': {unknown('station', name, self.plain)}")
        return self.plain[name]

    def _stands(self, name: str) -> None:
        if name not in self.fixed:
            raise UsageError(
                f"station '{name}' is carried about: say where it is, at = 'x, y', or carry it over the map"
            )

    def _top(self, station: Station) -> tuple[float, float, float]:
        x, y = station.at
        return x, y, float(self.terrain.height(np.array(x), np.array(y))) + station.height

    def _antenna(self, name: str, table: StationTable, hertz: float) -> FarField | Element:
        answered = self._answered(name, table, hertz)
        if isinstance(answered, Element):
            return answered
        cases = {one.case.name: one for one in answered.cases}
        if table.case is not None and table.case not in cases:
            raise UsageError(f"station '{name}': {unknown('case', table.case, cases)}")
        return (cases[table.case] if table.case is not None else answered.cases[0]).field

    def _answered(self, name: str, table: StationTable, hertz: float) -> Run | Element:
        key = table.antenna, hertz
        if key not in self._solved:
            self._solved[key] = _solved(self.file.parent / table.antenna, hertz, f"station '{name}'")
        return self._solved[key]


def _solved(file: Path, hertz: float, who: str) -> Run | Element:
    """The antenna of a file, with everything its cases say."""
    if file.suffix.lower() == ".csv":
        return read_pattern(file)
    if is_results(file):
        return open_run(file, [hertz])
    if file.suffix.lower() == ".toml":
        return run(replace(read_design(file), frequencies=(hertz,)), own_frequencies=False)
    raise UsageError(f"{who}: antenna '{file.name}' is no design (.toml), results (.nc) or pattern table (.csv)")


def read_place(path_: str | Path, changes: Sequence[str] = (), *, like: Place | None = None) -> Place:
    """Read a place file; changes: "NAME.KEY=VALUE" of its stations, of "terrain", "built", "area.NAME" or "body.NAME",
    made before.

    like: the same file read already, whose terrain and antennas are taken where they have not changed. Raises
    DesignFileError with everything that is wrong, and as `read_terrain` does.
    """
    place = Path(path_)
    try:
        content = tomllib.loads(read_text(place, LARGEST_TEXT, DesignFileError))
    except RecursionError:
        raise DesignFileError(f"{place.name} is not a place file: its tables lie in one another too deeply") from None
    except tomllib.TOMLDecodeError as problem:
        raise DesignFileError(f"{place.name} is not TOML: {str(problem).splitlines()[0]}; mend that line") from None
    if "station" not in content and content.keys() & {"wire", "sheet", "port"}:
        raise DesignFileError(f"{place.name} is a design, not a place file: see earshot check and earshot solve")
    for change in changes:
        _change(content, change)
    table, faults = as_table(content, place.name, PlaceTable, "place file")
    texts = Texts(place.name, place.parent, table.frequency, faults)
    terrain = flat()
    with texts.gathering("terrain"):
        known = like is not None and like.ground.file == table.terrain.file is not None
        terrain = like.terrain if like is not None and known else _terrain(texts, table)
    earth: Earth | str = "meadow"
    with texts.gathering("terrain.earth"):
        earth = _earth(texts, table)
    rough = 0.0
    with texts.gathering("terrain.roughness"):
        rough = texts.quantity(table.terrain.roughness, "length", "terrain.roughness")
        if not (rough >= 0.0 and table.terrain.roundness > 0.0):
            raise UsageError(
                f"terrain: roughness {rough:g} m is below zero, or roundness "
                f"{table.terrain.roundness:g} is not above it"
            )
    plain = {}
    for name, station in table.station.items():
        with texts.gathering(f"station.{name}"):
            for key, other in (("aim", station.aim), ("steer", station.steer)):
                if other is not None and (other == name or other not in table.station):
                    raise UsageError(f"station.{name}.{key}: {unknown('other station', other, table.station)}")
            if station.steer is not None and station.case is not None:
                raise UsageError(f"station.{name}: it is steered as well as driven as a case: leave one out")
            plain[name] = _station(texts, terrain, name, station)
    standing, areas = Built.of(texts, terrain, table, None if like is None else like.standing), {}
    for name, own in table.area.items():
        with texts.gathering(f"area.{name}"):
            areas[name] = _area(texts, terrain, name, own)
    texts.told()
    assert texts.frequency is not None
    fixed = frozenset(name for name, station in table.station.items() if station.at is not None)
    return Place(
        table.title, texts.frequency, terrain, earth, rough, table.terrain.roundness, place, tuple(changes),
        table.terrain, dict(table.station), plain, fixed, standing, areas, {} if like is None else like._solved,
    )  # fmt: skip


def _change(content: dict[str, Any], change: str) -> None:
    where, sign, value = (part.strip() for part in change.partition("="))
    name, dot, key = where.rpartition(".")
    # What is in no section of its own is a station's.
    section, _, inner = name.partition(".") if name.startswith(("area.", "body.")) else ("station", "", name)
    tables = content.get(section)
    if name in ("terrain", "built"):
        here: Any = content.setdefault(name, {})
    elif not dot and sign and where == "frequency":
        here, key = content, where
    else:
        here = tables.get(inner) if isinstance(tables, dict) else None
    if not sign or not value or not isinstance(here, dict):
        raise UsageError(f"--set '{change}': write it like shore.height='12 m' or terrain.earth=sea")
    try:
        here[key] = float(value)
    except ValueError:
        here[key] = value


def _terrain(texts: Texts, table: PlaceTable) -> Terrain:
    own = table.terrain
    if own.file is None:
        return flat(texts.quantity(own.level, "length", "terrain.level"))
    if "level" in own.model_fields_set:
        raise UsageError("terrain: it has a file of heights as well as a level: leave one out")
    return read_terrain(texts.folder / own.file)


def _earth(texts: Texts, table: PlaceTable) -> Earth | str:
    name = table.terrain.earth
    if name in table.earths:
        own = table.earths[name]
        permittivity, conductivity = (
            texts.number(getattr(own, key), f"earths.{name}.{key}") for key in ("permittivity", "conductivity")
        )
        return Earth(name, permittivity, conductivity, own.source)
    if name == "perfect plane":
        return name
    if name not in earths:
        raise UsageError(f"terrain.earth: {unknown('earth', name, [*earths, 'perfect plane', *table.earths])}")
    return earths[name]


def _station(texts: Texts, terrain: Terrain, name: str, table: StationTable) -> Station:
    where = f"station.{name}"
    if table.aim is not None and table.model_fields_set & {"bearing", "tilt", "roll"}:
        raise UsageError(f"{where}: it has an aim as well as bearing, tilt or roll: leave one out")
    bearing, tilt, roll = (
        texts.degrees(value, f"{where}.{key}")
        for key, value in (("bearing", "90 deg" if table.bearing is None else table.bearing), ("tilt", table.tilt),
                           ("roll", table.roll))
    )  # fmt: skip
    at = (0.0, 0.0) if table.at is None else _at(texts, terrain, f"{where}.at", table.at)
    return Station(
        name, at, texts.quantity(table.height, "length", f"{where}.height"), None, table.polarisation, bearing, tilt,
        roll,
        texts.quantity(table.power, "power", f"{where}.power"), table.feeder_loss, table.noise_figure,
        texts.quantity(table.bandwidth, "frequency", f"{where}.bandwidth"), table.required,
    )  # fmt: skip


def _area(texts: Texts, terrain: Terrain, name: str, table: AreaTable) -> tuple[Area, float]:
    (x1, y1), (x2, y2) = (_at(texts, terrain, f"area.{name}.{key}", getattr(table, key)) for key in ("first", "last"))
    step = texts.quantity(table.step, "length", f"area.{name}.step")
    return Area(name, min(x1, x2), min(y1, y2), max(x1, x2), max(y1, y2)), step


def _at(texts: Texts, terrain: Terrain, what: str, text: str) -> tuple[float, float]:
    """A place in the terrain's metres, which must be on it."""
    cells = [cell.strip() for cell in text.split(",")]
    if len(cells) != 2:
        raise UsageError(f"{what}: '{text}' is not two of them: write 'x, y' or 'latitude, longitude'")
    try:
        latitude, longitude = (texts.degrees(cell, what) for cell in cells)
    except UsageError:
        x, y = (texts.quantity(cell, "length", what) for cell in cells)
    else:
        if abs(latitude) > 90.0:
            raise UsageError(f"{what}: a latitude of {latitude:g} degrees is beyond the poles: latitude comes first")
        x, y = terrain.place(latitude, longitude)
    terrain.height(np.array(x), np.array(y))
    return x, y
