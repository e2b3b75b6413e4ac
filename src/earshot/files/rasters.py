"""Rasters of heights in and out: GeoTIFF, ASCII grids, raw tiles of one degree (.hgt), all by way of rasterio."""

from __future__ import annotations

import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from ..arraytypes import Floats
from ..errors import UsageError
from ..lettering import visible
from .atomic import write_bytes
from .reading import MEGABYTE, read_bytes

ENDINGS = {".tif": "GTiff", ".tiff": "GTiff", ".asc": "AAIGrid", ".hgt": "SRTMHGT"}
"""Of files that are read, and what reads them."""
_LARGEST, _MOST = 512 * MEGABYTE, 40_000_000
"""Bytes of a file, and points of a raster."""


@dataclass(frozen=True, eq=False)
class Raster:
    """values (rows, columns), from north to south and from west to east, NaN where nothing is known.

    west, north: of the outer corner; step: from column to column and from row to row; frame: coordinates, as PROJ names
    them; degrees: whether they are longitude and latitude.
    """

    values: Floats
    west: float
    north: float
    step: tuple[float, float]
    frame: str
    degrees: bool = False


def read_raster(path: str | Path) -> Raster:
    """The first band of a file; raises UsageError for what is none, is turned, or has no coordinates."""
    place = Path(path)
    driver = ENDINGS.get(place.suffix.lower())
    if driver is None:
        raise UsageError(f"'{place.name}' is no raster that is read: give one of {', '.join(ENDINGS)}")
    import rasterio
    from rasterio.errors import RasterioError

    content = read_bytes(place, _LARGEST)
    if not content:
        raise UsageError(f"'{place.name}' is empty")
    try:
        with _quiet(), rasterio.MemoryFile(content, filename=place.name) as memory, memory.open(driver=driver) as file:
            if file.width * file.height > _MOST:
                raise UsageError(
                    f"'{place.name}' has {file.width:,} x {file.height:,} points; {_MOST:,} in all are the most"
                )
            found, band, frame = file.transform, file.read(1, masked=True), file.crs
    except RasterioError:
        raise UsageError(
            f"cannot read '{visible(place.name)}' as a raster: it is damaged, or of another kind"
        ) from None
    if found.b or found.d or not (found.a > 0.0 and found.e < 0.0):
        raise UsageError(f"'{place.name}' is turned or upside down: save it with north up")
    if frame is None and driver != "AAIGrid":
        raise UsageError(f"'{place.name}' does not say what its coordinates are: save it with its reference system")
    values = np.ma.filled(band.astype(float), np.nan)
    if frame is None:
        return Raster(values, found.c, found.f, (found.a, -found.e), "")
    if not frame.is_geographic and abs(frame.linear_units_factor[1] - 1.0) > 1e-9:
        raise UsageError(f"'{place.name}' counts in {frame.linear_units}: save it in metres or degrees")
    return Raster(values, found.c, found.f, (found.a, -found.e), frame.to_string(), bool(frame.is_geographic))


def write_raster(raster: Raster, path: str | Path) -> Path:
    """As GeoTIFF of single precision; raises UsageError for other endings and RunError as `write_bytes` does."""
    place = Path(path)
    if place.suffix.lower() not in (".tif", ".tiff"):
        raise UsageError(f"'{place.name}': maps are written as .tif")
    import rasterio

    rows, columns = raster.values.shape
    about: dict[str, Any] = {
        "driver": "GTiff", "width": columns, "height": rows, "count": 1, "dtype": "float32", "nodata": np.nan,
        "compress": "deflate",
        "transform": rasterio.Affine(raster.step[0], 0.0, raster.west, 0.0, -raster.step[1], raster.north),
    }  # fmt: skip
    with _quiet(), rasterio.MemoryFile() as memory:
        with memory.open(**about, crs=raster.frame or None) as file:
            file.write(raster.values.astype(np.float32), 1)
        content = memory.read()
    return write_bytes(place, content)


@contextmanager
def _quiet() -> Iterator[None]:
    """What the package warns of among its own parts is nobody's here."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        yield


def moved(frame: str, other: str, x: Floats, y: Floats) -> tuple[Floats, Floats]:
    """Places in other coordinates; of latitude and longitude x is the longitude."""
    from rasterio.warp import transform

    one, two = transform(frame, other, np.ravel(x), np.ravel(y))
    return np.reshape(one, np.shape(x)), np.reshape(two, np.shape(y))
