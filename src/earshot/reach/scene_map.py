"""Power over a square among buildings: rays to every point of a grid."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from .. import units
from ..arraytypes import Floats
from ..constants import wavelength
from ..errors import UsageError
from ..media.earth import Earth
from ..running import in_parallel, report
from .beams import beam
from .coverage import Coverage
from .rays import Setting
from .scene import Scene
from .stations import Station
from .terrain import Terrain

_AT_ONCE = 128
"""Places that are worked out together."""
_MOST = 1_000_000
_NOTHING = 1e-30


class Area(NamedTuple):
    """A rectangle of places, m."""

    name: str
    west: float
    south: float
    east: float
    north: float


def scene_coverage(
    scene: Scene, stations: Station | Sequence[Station], carried: Station, frequency: str | float, area: Area,
    step: str | float = "1 m", *, earth: Earth | str = "meadow", order: int = 2, walls: int = 2, edges: bool = True,
    average: bool = False, sends: bool = False, frame: str = "",
) -> Coverage:  # fmt: skip
    """What stations bring to one that is carried over an area among bodies, by `rays` to every point of a grid.

    average: of the powers of rays, without their phases, which is what is received on average round about; otherwise
    with them, lobes and all. Unknown inside bodies, and within two wavelengths of a station. The carried antenna
    keeps its bearing. sends: the carried one sends. frame: what metres are, as PROJ names it. Raises UsageError for
    an empty area, too many points, and as `rays` does.
    """
    given = (stations,) if isinstance(stations, Station) else tuple(stations)
    fine = units.length(step, "area, step")
    wide, tall = area.east - area.west, area.north - area.south
    if not (fine > 0.0 and min(wide, tall) >= fine and (wide / fine + 1.0) * (tall / fine + 1.0) <= _MOST):
        raise UsageError(
            f"area '{area.name}': {wide:.4g} m x {tall:.4g} m in steps of {fine:.3g} m is none, or more than {_MOST:,} "
            "points"
        )
    x = area.west + fine * np.arange(math.floor(wide / fine + 1e-9) + 1)
    y = area.south + fine * np.arange(math.floor(tall / fine + 1e-9) + 1)
    high = carried.height + float(carried.middle[2])
    if high <= 0.0:
        raise UsageError(f"station '{carried.name}' is carried {-high:.3g} m under the ground, or on it: raise it")
    places = np.stack([*(grid.ravel() for grid in np.meshgrid(x, y)), np.full(len(x) * len(y), high)], axis=1)
    free = scene.holder(places) < 0
    levels = []
    for one in given:
        own = Setting.of(scene, one, frequency, earth, order, walls, edges)
        here = free & (np.linalg.norm(places - own.place, axis=1) >= 2.0 * wavelength(own.frequency))
        if not here.any():
            raise UsageError(
                f"area '{area.name}': every point of it is inside a body, or within two wavelengths of '{one.name}'"
            )
        level = np.full(len(places), np.nan)
        level[here] = _levels(own, carried, places[here], average)
        power = carried.power if sends else one.power
        levels.append(level + 10.0 * math.log10(power) + 30.0 - one.feeder_loss - carried.feeder_loss)
        ground, hertz = own.ground, own.frequency
    terrain = Terrain(f"{area.name}, over {ground}", np.zeros((len(y), len(x))), area.west, area.south, fine, frame)
    return Coverage(terrain, given, carried, hertz, np.stack(levels).reshape(-1, len(y), len(x)), sends, scene)


def _levels(own: Setting, carried: Station, places: Floats, average: bool) -> Floats:
    """dB over the power sent (n,)."""
    # What all pieces share is looked for before them.
    own.tracer.prepare()
    count = len(places)

    def some(first: int) -> Floats:
        report(f"rays of '{own.station.name}' to place {first + 1:,} of {count:,}")
        ends = places[first : first + _AT_ONCE]
        met, found = own.found(ends, count)
        taken = beam(carried, own.frequency, len(met.to) * math.ceil(count / len(ends)))(-found.arriving)
        amplitude = np.sum(found.field * taken, axis=1)
        if average:
            power = np.bincount(met.to, np.abs(amplitude) ** 2, minlength=len(ends))
        else:
            one, two = (np.bincount(met.to, part, minlength=len(ends)) for part in (amplitude.real, amplitude.imag))
            power = one**2 + two**2
        return np.asarray(10.0 * np.log10(np.maximum(power, _NOTHING)))

    return np.concatenate(in_parallel(some, range(0, count, _AT_ONCE)))
