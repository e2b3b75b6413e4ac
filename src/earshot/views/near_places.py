"""Where near fields are looked at when nobody says where: round an antenna, through its board, along the ground."""

from __future__ import annotations

import numpy as np

from ..constants import wavelength
from ..errors import UsageError
from ..fields.near import NearField, plane_of_points
from ..runs.run import CaseRun, Run

_GRID = (81, 61)


def near_maps(one: CaseRun) -> list[NearField]:
    """Near fields on the planes that the case asks for; else half a wavelength round the antenna, over an upright plane
    through its middle, and a level one; between planes, the latter alone.
    """
    antenna, driven = one.driven.antenna, one.driven
    asked = [points for points in one.case.near.values() if points.ndim == 3]
    if asked:
        return [driven.near_field(points, in_metal="zero") for points in asked]
    low, high = antenna.extent
    reach = 0.5 * wavelength(driven.frequency)
    middle = 0.5 * (low + high)
    across = 0 if high[0] - low[0] >= high[1] - low[1] else 1
    medium = antenna.medium
    top = medium.thickness if medium.reflects and not medium.sides else low[2] - reach
    floor = top
    if medium.layered:
        floor = 0.0 if medium.one_sided else low[2] - reach
    # Off the axes of the wires by two of the thickest radii.
    thickest = max((w.radius for w in antenna.wires), default=1e-3 * antenna.size)
    aside = 2.5 * thickest
    corner = np.where(np.arange(3) == across, low[across] - reach, middle + aside * np.eye(3)[1 - across])
    corner[2] = floor
    side = (high[across] - low[across] + 2 * reach) * np.eye(3)[across]
    upright = plane_of_points(
        corner.tolist(), side.tolist(), ((high[2] + reach - floor) * np.eye(3)[2]).tolist(), _GRID
    )
    # Over boards and low antennas the level plane is a tenth of a wavelength up; between planes it is all there is.
    height = max(middle[2] + aside, top + 0.2 * reach)
    if medium.shut and medium.stack is not None:
        height, reach = 0.5 * medium.stack.faces[1], 0.2 * reach
    start = [float(low[0] - reach), float(low[1] - reach), float(height)]
    wide = high - low + 2 * reach
    level = plane_of_points(start, [float(wide[0]), 0.0, 0.0], [0.0, float(wide[1]), 0.0], _GRID)
    # A wire that crosses a plane is a dark spot on the map.
    return [driven.near_field(points, in_metal="zero") for points in ((level,) if medium.shut else (upright, level))]


def ground_lines(result: Run) -> list[NearField]:
    """Near field from one to a hundred wavelengths off, on the ground and a tenth of a wavelength over it.

    Towards the azimuth of the peak, or x where that is straight up. Raises UsageError where there is no ground.
    """
    medium = result.solution.antenna.medium
    if medium.layered or not medium.has_plane:
        raise UsageError(
            f"along-ground: there is no ground below '{result.solution.antenna.name}': it is over {medium}"
        )
    driven, field = result.cases[0].driven, result.cases[0].field
    wave = wavelength(driven.frequency)
    theta, phi = field.peak
    towards = phi if theta > 0.02 else 0.0
    off = wave * np.geomspace(1.0, 100.0, 121)
    flat = np.stack([off * np.cos(towards), off * np.sin(towards)], axis=1)
    return [driven.near_field(np.column_stack([flat, np.full(len(off), z)])) for z in (0.0, 0.1 * wave)]
