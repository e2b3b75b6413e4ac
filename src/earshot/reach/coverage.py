"""Power over a map: what stations bring to every point of a terrain, and where that suffices."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..arraytypes import Floats
from ..errors import UsageError
from ..files.rasters import Raster, write_raster
from ..kernels.profiles import FACTS, facts_around
from ..lettering import Told
from ..media.earth import Earth
from ..running import announce, in_parallel, report
from ..units import engineering
from .scene import Scene
from .stations import Station
from .terrain import Terrain, between
from .ways import Air, ways_of

_FINEST = 16
"""Steps of a profile, at least."""
_ROWS = 64
"""Rows of the map that are worked out at once."""
_MOST = 4_000_000
"""Points of a map."""


@dataclass(frozen=True, eq=False, repr=False)
class Coverage(Told):
    """Power between stations and one that is carried about all over a terrain.

    levels (stations, rows, columns): dBm at who listens, from south to north, NaN where nothing is known and within
    two wavelengths of the station. built: what stands there, if the map is of a scene. carried: the one that is
    carried about; its place does not count. sends: whether it is that one that sends, and the stations listen.
    """

    terrain: Terrain
    stations: tuple[Station, ...]
    carried: Station
    frequency: float
    levels: Floats
    sends: bool = False
    built: Scene | None = None

    def _in_words(self) -> str:
        names = ", ".join(f"'{one.name}'" for one in self.stations)
        return f"of {names} at {engineering(self.frequency, 'Hz', 6)}, {self.carried.height:g} m above ground"

    @property
    def needed(self) -> tuple[float, ...]:
        """Of every station, the level at which who listens has what it requires, dBm."""
        listening = self.stations if self.sends else (self.carried,) * len(self.stations)
        return tuple(10.0 * float(np.log10(one.noise)) + 30.0 + one.required for one in listening)

    @property
    def margins(self) -> Floats:
        """Of the level over what is needed (stations, rows, columns), dB."""
        return np.asarray(self.levels - np.array(self.needed)[:, None, None])

    @property
    def margin(self) -> Floats:
        """The greatest of the stations' margins (rows, columns), dB."""
        return np.asarray(np.fmax.reduce(self.margins))

    @property
    def server(self) -> Floats:
        """The number of the station of that margin, from 0 (rows, columns); NaN where none is known."""
        known, margins = np.isfinite(self.levels).any(axis=0), self.margins
        number = np.argmax(np.where(np.isfinite(margins), margins, -np.inf), axis=0)
        return np.where(known, number, np.nan)

    @property
    def level(self) -> Floats:
        """The level of that station (rows, columns), dBm."""
        number = np.nan_to_num(self.server).astype(int)[None]
        return np.asarray(np.take_along_axis(self.levels, number, axis=0)[0])

    @property
    def share(self) -> float:
        """Of the points that are known, those where the margin is not below zero."""
        margin = self.margin[np.isfinite(self.margin)]
        return float((margin >= 0.0).mean())

    def gain_over(self, other: Coverage) -> Floats:
        """How much greater its margin is than another map's of the same points (rows, columns), dB, NaN where either is
        unknown; raises UsageError for other points.
        """  # fmt: skip
        one, two = ((t.heights.shape, t.west, t.south, t.step) for t in (self.terrain, other.terrain))
        if one != two:
            raise UsageError("coverage: both maps must be of the same points: take one terrain, or one area")
        return np.asarray(self.margin - other.margin)

    def write(self, path: str | Path, what: str | Floats = "level") -> Path:
        """A map as GeoTIFF: "level" (dBm), "margin" (dB), "server", or values at its points (rows, columns).

        Raises UsageError for other words.
        """
        maps = {"level": self.level, "margin": self.margin, "server": self.server + 1.0}
        if isinstance(what, str) and what not in maps:
            raise UsageError(f"coverage: '{what}' is no map of it; there are {', '.join(maps)}")
        own, values = self.terrain, maps[what] if isinstance(what, str) else what
        edge = own.west - 0.5 * own.step, own.north + 0.5 * own.step
        return write_raster(Raster(values[::-1], *edge, (own.step, own.step), own.frame), path)

    def outline(self, margin: float = 0.0) -> list[Floats]:
        """Lines along which the margin is so large, dB, as places (n, 2) in the terrain's metres."""
        import contourpy

        own, field = self.terrain, self.margin
        x = own.west + own.step * np.arange(field.shape[1])
        y = own.south + own.step * np.arange(field.shape[0])
        generator = contourpy.contour_generator(x, y, np.ma.masked_invalid(field), line_type="Separate")
        return [np.asarray(line) for line in generator.lines(margin)]

    def geojson(self, margins: Sequence[float] = (0.0,)) -> dict[str, object]:
        """Outlines as GeoJSON (RFC 7946): longitudes and latitudes, or the terrain's metres where it has no frame."""
        features = []
        for margin in margins:
            lines = []
            for line in self.outline(margin):
                x, y = line.T
                if self.terrain.frame:
                    y, x = self.terrain.degrees(x, y)
                lines.append(np.stack([x, y], axis=1).round(7).tolist())
            features.append({
                "type": "Feature", "properties": {"margin_dB": margin, "height_m": self.carried.height},
                "geometry": {"type": "MultiLineString", "coordinates": lines},
            })  # fmt: skip
        return {"type": "FeatureCollection", "features": features}


def coverage(
    terrain: Terrain,
    stations: Station | Sequence[Station],
    carried: Station,
    frequency: str | float,
    *,
    sends: bool = False,
    earth: Earth | str = "meadow",
    roundness: float = 4.0 / 3.0,
    roughness: str | float = 0.0,
) -> Coverage:
    """What stations bring to one that is carried to every point of a terrain; each way is that of `path`.

    sends: the carried one sends, and the stations listen. Profiles go at steps no longer than the terrain's. The x axis
    of the carried antenna points to the station from everywhere. Raises UsageError for stations beyond the terrain, and
    as `path` does.
    """
    given = (stations,) if isinstance(stations, Station) else tuple(stations)
    if not given:
        raise UsageError("coverage: give a station, or several")
    if terrain.heights.size > _MOST:
        raise UsageError(
            f"coverage: the terrain has {terrain.heights.size:,} points; {_MOST:,} are the most: thin it out"
        )
    air = Air.of(frequency, earth, roundness, roughness, terrain.step)
    announce(facts_around)
    levels = np.stack([_levels(terrain, one, carried, air, sends) for one in given])
    if not np.isfinite(levels).any():
        raise UsageError(
            f"coverage: no known point of the terrain is two wavelengths of {air.wave:.3g} m from a station, so far "
            "fields hold nowhere: take a higher frequency, or a larger terrain"
        )
    return Coverage(terrain, given, carried, air.frequency, levels, sends)


def _levels(terrain: Terrain, one: Station, carried: Station, air: Air, sends: bool) -> Floats:
    """Of one station, dBm (rows, columns)."""
    ground = float(terrain.height(np.array(one.at[0]), np.array(one.at[1])))
    near = ground + one.height + float(one.middle[2])
    above = carried.height + float(carried.middle[2])
    heights = np.ascontiguousarray(terrain.heights, np.float64)
    rows, columns = heights.shape
    row, column = (one.at[1] - terrain.south) / terrain.step, (one.at[0] - terrain.west) / terrain.step
    power = carried.power if sends else one.power
    sent = 10.0 * np.log10(power) + 30.0 - one.feeder_loss - carried.feeder_loss
    # The carried one's x axis points to the station from everywhere.
    ahead = np.radians(90.0 - carried.bearing)

    def some(first: int) -> Floats:
        report(f"coverage of '{one.name}', from row {first + 1} of {rows}")
        own = np.arange(first, min(first + _ROWS, rows))
        along = np.empty(int(np.hypot(rows, columns)) + _FINEST + 2)
        facts = np.empty((len(own), columns, FACTS + 1))
        facts_around(
            heights, row, column, terrain.step, near, above, air.wave, 1.0 / air.radius, own, _FINEST, along, facts
        )
        # Far fields do not hold any nearer.
        i, j = np.nonzero(facts[..., FACTS] >= 2.0 * air.wave)
        level, known = np.full((len(own), columns), np.nan), facts[i, j]
        if len(i):
            heading = np.arctan2(own[i] - row, j - column)
            ways = ways_of(
                known, known[:, FACTS], np.full(len(i), near), heights[own[i], j] + above, air,
                lambda rise: one.along(heading, rise, air.frequency, sending=True),
                lambda rise: carried.along(np.full(len(i), ahead), rise, air.frequency, sending=False),
                lambda part: between(heights, row + part * (own[i] - row), column + part * (j - column)),
            )  # fmt: skip
            level[i, j] = sent - (ways.free_space - ways.antennas + ways.ground + ways.terrain)
        return level

    # Pieces are the same whatever the number of threads, and so are results.
    return np.concatenate(in_parallel(some, range(0, rows, _ROWS)))
