"""The relief of a place: heights above the sea on a grid of metres, and profiles through it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

import numpy as np

from .. import units
from ..arraytypes import Floats
from ..errors import UsageError
from ..files.rasters import Raster, moved, read_raster
from ..units import engineering

_FINEST, _MOST = 200, 20_000
"""Points of a profile: at least, and at most."""
_DEGREES = "EPSG:4326"


class Profile(NamedTuple):
    """distances (n,) from the first place and heights (n,) above the sea, m."""

    distances: Floats
    heights: Floats


@dataclass(frozen=True, eq=False)
class Terrain:
    """heights (rows, columns) above the sea, m, from south to north and from west to east, NaN where unknown.

    west, south: of the first point, m; step: between points, m. frame: what these metres are, as PROJ names it; empty
    where they are nobody else's.
    """

    name: str
    heights: Floats
    west: float
    south: float
    step: float
    frame: str = ""

    def __post_init__(self) -> None:
        if self.heights.ndim != 2 or min(self.heights.shape) < 2:
            raise UsageError(f"terrain '{self.name}': {self.heights.shape} points are no grid of two by two or more")
        if not (math.isfinite(self.step) and self.step > 0.0):
            raise UsageError(f"terrain '{self.name}': a step of {self.step} m is not above zero")
        if not np.isfinite(self.heights).any():
            raise UsageError(f"terrain '{self.name}': no height is known")

    @property
    def east(self) -> float:
        """Of the last point, m."""
        return float(self.west + self.step * (self.heights.shape[1] - 1))

    @property
    def north(self) -> float:
        """Of the last point, m."""
        return float(self.south + self.step * (self.heights.shape[0] - 1))

    def height(self, x: Floats, y: Floats) -> Floats:
        """Heights at places, m, between points by both ways; raises UsageError beyond its edge and in holes."""
        column, row = (np.asarray(x, float) - self.west) / self.step, (np.asarray(y, float) - self.south) / self.step
        rows, columns = self.heights.shape
        for at, most, one, other, ends in (
            (column, columns, "west", "east", (self.west, self.east)),
            (row, rows, "south", "north", (self.south, self.north)),
        ):  # fmt: skip
            if not at.size:
                continue
            if at.min() < -1e-9 or at.max() > most - 1 + 1e-9:
                far = ends[0] + self.step * float(at.min() if at.min() < 0.0 else at.max())
                raise UsageError(
                    f"terrain '{self.name}' goes from {ends[0]:.0f} m {one} to {ends[1]:.0f} m {other}, {far:.0f} m "
                    "is asked for: take a larger one, or places inside it"
                )
        found = between(self.heights, row, column)
        if not np.isfinite(found).all():
            n = int(np.flatnonzero(~np.isfinite(np.ravel(found)))[0])
            raise UsageError(
                f"terrain '{self.name}' has a hole at ({np.ravel(x)[n]:.0f}, {np.ravel(y)[n]:.0f}) m: fill it, as with "
                "terrain.filled(), or go round it"
            )
        return found

    def profile(self, start: tuple[float, float], stop: tuple[float, float]) -> Profile:
        """Along a straight line between places (x, y), m, at steps no longer than its own."""
        total = math.dist(start, stop)
        count = int(np.clip(math.ceil(total / self.step), _FINEST, _MOST)) + 1
        share = np.linspace(0.0, 1.0, count)
        x, y = (a + share * (b - a) for a, b in zip(start, stop, strict=True))
        return Profile(share * total, self.height(x, y))

    def place(self, latitude: float, longitude: float) -> tuple[float, float]:
        """(x, y), m, of a place by its degrees; raises UsageError where its metres have no frame."""
        if not self.frame:
            raise UsageError(
                f"terrain '{self.name}' is in metres of its own, so latitude and longitude mean nothing there: give "
                "places in metres"
            )
        x, y = moved(_DEGREES, self.frame, np.array([longitude]), np.array([latitude]))
        return float(x[0]), float(y[0])

    def degrees(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """Latitudes and longitudes of places; raises UsageError where its metres have no frame."""
        if not self.frame:
            raise UsageError(f"terrain '{self.name}' is in metres of its own, without latitude and longitude")
        longitude, latitude = moved(self.frame, _DEGREES, x, y)
        return latitude, longitude

    def filled(self) -> Terrain:
        """Its holes filled by the nearest heights that are known."""
        from scipy.ndimage import distance_transform_edt

        hole = ~np.isfinite(self.heights)
        nearest = distance_transform_edt(hole, return_distances=False, return_indices=True)
        return Terrain(self.name, self.heights[tuple(nearest)], self.west, self.south, self.step, self.frame)

    def __str__(self) -> str:
        rows, columns = self.heights.shape
        wide, tall = self.east - self.west, self.north - self.south
        return (
            f"'{self.name}', {engineering(wide, 'm', 3)} x {engineering(tall, 'm', 3)} in {columns} x {rows} points, "
            f"{np.nanmin(self.heights):.0f} to {np.nanmax(self.heights):.0f} m high"
        )


def between(heights: Floats, row: Floats, column: Floats) -> Floats:
    """Heights between points of a grid, by both ways, at rows and columns that need not be whole."""
    left = np.clip(column.astype(int), 0, heights.shape[1] - 2)
    low = np.clip(row.astype(int), 0, heights.shape[0] - 2)
    a, b = column - left, row - low
    corners = [
        (heights[low, left], (1 - a) * (1 - b)), (heights[low, left + 1], a * (1 - b)),
        (heights[low + 1, left], (1 - a) * b), (heights[low + 1, left + 1], a * b),
    ]  # fmt: skip
    # What has no weight may be unknown.
    return np.asarray(sum(np.where(weight > 1e-12, z * weight, 0.0) for z, weight in corners))


def flat(height: str | float = 0.0, reach: str | float = "100 km") -> Terrain:
    """Level ground at a height above the sea, so far either way."""
    half = units.length(reach, "flat, reach")
    level = np.full((3, 3), units.length(height, "flat, height"))
    return Terrain("level ground", level, -half, -half, half)


def made_up(
    heights: Callable[[Floats, Floats], Floats], wide: str | float, tall: str | float, step: str | float,
    name: str = "made up",
) -> Terrain:  # fmt: skip
    """Heights by a function of x and y, m, from (0, 0) on; raises UsageError for sizes that are not above zero."""
    size = [units.length(x, f"made_up, {what}") for x, what in ((wide, "wide"), (tall, "tall"), (step, "step"))]
    if not min(size) > 0.0 or size[0] / size[2] * size[1] / size[2] > 4e7:
        raise UsageError(f"made_up: {wide} x {tall} in steps of {step} is none, or more than 40,000,000 points")
    x, y = (np.asarray(size[2] * np.arange(round(s / size[2]) + 1), np.float64) for s in size[:2])
    found = heights(x[None, :], y[:, None]) + np.zeros((len(y), len(x)))
    return Terrain(name, found, 0.0, 0.0, size[2])


def read_terrain(path: str | Path) -> Terrain:
    """A raster of heights: GeoTIFF, ASCII grid, or a raw tile of one degree (.hgt).

    Of degrees it becomes metres, by a transverse Mercator projection about its middle (WGS 84). Raises UsageError as
    `read_raster` does.
    """
    raster = read_raster(path)
    return (_in_metres if raster.degrees else _as_it_is)(raster, Path(path).stem)


def _as_it_is(raster: Raster, name: str) -> Terrain:
    across, up = raster.step
    if abs(across - up) > 1e-6 * across:
        raise UsageError(
            f"terrain '{name}': points are {across:g} m apart one way and {up:g} m the other: make them alike"
        )
    rows = raster.values.shape[0]
    south = raster.north - (rows - 0.5) * up
    return Terrain(name, raster.values[::-1], raster.west + 0.5 * across, south, across, raster.frame)


def _in_metres(raster: Raster, name: str) -> Terrain:
    from scipy.interpolate import RectBivariateSpline
    from scipy.ndimage import map_coordinates

    rows, columns = raster.values.shape
    across, up = raster.step
    longitude, latitude = raster.west + (np.arange(columns) + 0.5) * across, raster.north - (np.arange(rows) + 0.5) * up
    middle = float(longitude.mean()), float(latitude.mean())
    frame = f"+proj=tmerc +lat_0={middle[1]:.9f} +lon_0={middle[0]:.9f} +datum=WGS84 +units=m"
    edge = np.linspace(0.0, 1.0, 33)
    sides = [
        moved(raster.frame, frame, *np.broadcast_arrays(x, y))
        for x, y in (
            (longitude[0], latitude[-1] + edge * (latitude[0] - latitude[-1])),
            (longitude[-1], latitude[-1] + edge * (latitude[0] - latitude[-1])),
            (longitude[0] + edge * (longitude[-1] - longitude[0]), latitude[-1]),
            (longitude[0] + edge * (longitude[-1] - longitude[0]), latitude[0]),
        )
    ]
    (west, _), (east, _), (_, south), (_, north) = sides
    step = float((north.min() - south.max()) / (rows - 1))
    x = np.arange(west.max(), east.min() + 1e-6, step)
    y = np.arange(south.max(), north.min() + 1e-6, step)
    # A projection is smooth: it is worked out at few places.
    few = [np.linspace(v[0], v[-1], min(33, len(v))) for v in (x, y)]
    there = moved(frame, raster.frame, *np.meshgrid(*few))
    column, row = (
        RectBivariateSpline(few[1], few[0], (v - first) / step_)(y, x)
        for v, first, step_ in ((there[0], longitude[0], across), (there[1], latitude[0], -up))
    )
    heights = map_coordinates(raster.values, [row, column], order=1, mode="nearest")
    return Terrain(name, heights, float(x[0]), float(y[0]), step, frame)
