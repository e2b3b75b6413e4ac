"""Near fields: complex E and H at points, along lines, on planes and boxes."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..arraytypes import Complexes, Floats
from ..errors import UsageError
from ..lettering import Told
from .around import around
from .currents import Currents

if TYPE_CHECKING:
    import xarray as xr


def near_fields(currents: Currents, points: Floats, *, in_metal: str = "refuse") -> tuple[Complexes, Complexes]:
    """E (n, 3), V/m, and H (n, 3), A/m, peak, at points (n, 3) in metres; zero below a plane and in earth.

    in_metal: "refuse" raises UsageError for a point inside a wire or on a sheet, naming it; "zero" gives none.
    """
    if in_metal not in ("refuse", "zero"):
        raise UsageError(f"near field: in_metal = {in_metal!r} is not 'refuse' or 'zero'")
    places = np.ascontiguousarray(points, float)
    return around(currents.medium).near(currents, places, in_metal == "refuse")


@dataclass(frozen=True, slots=True, eq=False, repr=False)
class NearField(Told):
    """Near field of driven currents at a set of points.

    points (..., 3), metres; e, h (..., 3): V/m and A/m, peak, for the drive it was asked of.
    """

    points: Floats
    e: Complexes
    h: Complexes
    frequency: float

    def _in_words(self) -> str:
        return f"{self.points.size // 3} points at {units.engineering(self.frequency, 'Hz', 6)}"

    @property
    def poynting(self) -> Floats:
        """Mean power density ½ Re E x H* (..., 3), W/m²."""
        return np.asarray(0.5 * np.cross(self.e, self.h.conj()).real)

    def magnitude(self, which: str = "E", *, rms: bool = False) -> Floats:
        """|E| (V/m), |H| (A/m) or |S| (W/m²), peak or rms: the root of the sum of squared components (...,)."""
        chosen = {"E": self.e, "H": self.h, "S": self.poynting}
        if which not in chosen:
            raise UsageError(f"magnitude: '{which}' is not one of E, H, S")
        scale = 1.0 / math.sqrt(2.0) if rms and which != "S" else 1.0
        return np.asarray(scale * np.linalg.norm(chosen[which], axis=-1))

    def contour(self, limit: float, which: str = "E", *, rms: bool = False) -> list[Floats]:
        """Where a field on a plane of points is at a limit: lines of points (n, 3), metres. See `magnitude`.

        Raises UsageError for points that are not a plane of them.
        """
        from contourpy import contour_generator

        if self.points.ndim != 3:
            raise UsageError("contour: the points are not a plane of them; make them with plane_of_points")
        level = self.magnitude(which, rms=rms)
        rows, columns = (np.arange(n, dtype=float) for n in level.shape)
        lines = contour_generator(columns, rows, level).lines(limit)
        return [self._between(np.asarray(line)) for line in lines]

    def _between(self, line: Floats) -> Floats:
        """Places of fractional (column, row) indices on the parallelogram."""
        origin = self.points[0, 0]
        u, v = self.points[1, 0] - origin, self.points[0, 1] - origin
        return np.asarray(origin + line[:, 1:2] * u + line[:, 0:1] * v)

    def to_dataset(self) -> xr.Dataset:
        """Labelled: E and H by component, power density, places; dimensions point, or those of the grid."""
        import xarray as xr

        shape = self.points.shape[:-1]
        names = ("point",) if len(shape) == 1 else tuple("uvw"[: len(shape)])
        variables: dict[str, tuple[tuple[str, ...], Complexes | Floats, dict[str, str]]] = {}
        for i, axis in enumerate("xyz"):
            variables[f"E{axis}"] = (names, self.e[..., i], {"units": "V/m", "long_name": "peak"})
            variables[f"H{axis}"] = (names, self.h[..., i], {"units": "A/m", "long_name": "peak"})
        variables["power_density"] = (names, self.magnitude("S"), {"units": "W/m2"})
        coordinates = {axis: (names, self.points[..., i], {"units": "m"}) for i, axis in enumerate("xyz")}
        return xr.Dataset(variables, coordinates, {"frequency_Hz": self.frequency})


def near_field(currents: Currents, points: ArrayLike, *, in_metal: str = "refuse") -> NearField:
    """Near field at points (..., 3), metres or text with units; in_metal as for `near_fields`."""
    places = _metres(points)
    flat = places.reshape(-1, 3)
    e, h = near_fields(currents, flat, in_metal=in_metal)
    return NearField(places, e.reshape(places.shape), h.reshape(places.shape), currents.frequency)


def _metres(points: ArrayLike) -> Floats:
    raw = np.asarray(points, dtype=object)
    if raw.ndim < 1 or raw.shape[-1] != 3:
        raise UsageError(f"near field: points have shape {raw.shape}; the last axis must hold x, y, z")
    if any(isinstance(x, str) for x in raw.ravel()):
        raw = np.array([units.length(x, "near field, point") for x in raw.ravel()]).reshape(raw.shape)
    places = raw.astype(float)
    if not np.isfinite(places).all():
        raise UsageError("near field: a point is not finite")
    return places


MOST_POINTS = 1_000_000
"""Points of a near field."""


def _counted(counts: Sequence[int], what: str) -> None:
    for one in counts:
        units.count(one, f"{what}, counts", 2, MOST_POINTS)
    units.count(math.prod(counts), f"{what}, points in all", 2, MOST_POINTS)


def line_of_points(start: Sequence[str | float], stop: Sequence[str | float], count: int) -> Floats:
    """Evenly spaced points (count, 3) from start to stop, both included."""
    a, b = _metres(list(start)), _metres(list(stop))
    units.count(count, "line_of_points, count", 2, MOST_POINTS)
    return np.asarray(a + np.linspace(0.0, 1.0, count)[:, None] * (b - a))


def plane_of_points(
    corner: Sequence[str | float],
    side_u: Sequence[str | float],
    side_v: Sequence[str | float],
    counts: tuple[int, int],
) -> Floats:
    """A grid of points (nu, nv, 3) over a parallelogram: a corner and the two sides from it."""
    _counted(counts, "plane_of_points")
    origin, u, v = (_metres(list(x)) for x in (corner, side_u, side_v))
    s, t = (np.linspace(0.0, 1.0, n) for n in counts)
    return np.asarray(origin + s[:, None, None] * u + t[None, :, None] * v)


def box_of_points(low: Sequence[str | float], high: Sequence[str | float], counts: tuple[int, int, int]) -> Floats:
    """A grid of points (nx, ny, nz, 3) filling a box between two corners."""
    _counted(counts, "box_of_points")
    a, b = _metres(list(low)), _metres(list(high))
    axes = [np.linspace(start, stop, n) for start, stop, n in zip(a, b, counts, strict=True)]
    return np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)


def power_through_box(currents: Currents, low: ArrayLike, high: ArrayLike, order: int = 24) -> float:
    """Power leaving a box with corners low and high, W: the Poynting flux through its six faces, by Gauss quadrature.

    Over a perfect plane a box that stands on it (low z = 0) has five faces: nothing passes the sixth. What passes that
    on earth, or on a plane with loss, goes into it. Sides through layers are taken layer by layer, order points high in
    each; where one cuts metal, and beyond a lid, nothing passes. Raises UsageError for a box without room, or that
    begins below the surface of earth.
    """
    a, b = _metres(low), _metres(high)
    if not (b > a).all():
        raise UsageError(
            f"power through a box: its corners {a} and {b} m leave no room: give the lowest, then the highest"
        )
    closed = around(currents.medium).box(float(a[2]))
    x, w = np.polynomial.legendre.leggauss(units.count(order, "power through a box, order", 2, 200))
    marks = [float(a[2]), *(z for z in currents.medium.breaks if a[2] < z < b[2]), float(b[2])]
    corners = [(np.append(a[:2], bottom), np.append(b[:2], top)) for bottom, top in itertools.pairwise(marks)]
    parts = [_face(*ends, axis, far, x, w) for ends in corners for axis in (0, 1) for far in (False, True)]
    parts.append(_face(*corners[-1], 2, True, x, w))
    if a[2] > closed:
        parts.append(_face(*corners[0], 2, False, x, w))
    places, areas = (np.concatenate(some) for some in zip(*parts, strict=True))
    return float((near_field(currents, places, in_metal="zero").poynting * areas).sum())


def _face(low: Floats, high: Floats, axis: int, far: bool, x: Floats, w: Floats) -> tuple[Floats, Floats]:
    """Places (n, 3) on a face of a box across an axis, the near or the far one, and areas (n, 3) outwards."""
    others = [i for i in range(3) if i != axis]
    places, areas = np.empty((len(x), len(x), 3)), np.zeros((len(x), len(x), 3))
    for i, grid in zip(others, np.meshgrid(x, x, indexing="ij"), strict=True):
        places[..., i] = 0.5 * (low[i] + high[i]) + 0.5 * (high[i] - low[i]) * grid
    places[..., axis] = (high if far else low)[axis]
    areas[..., axis] = (1.0 if far else -1.0) * 0.25 * float(np.prod((high - low)[others])) * np.outer(w, w)
    return places.reshape(-1, 3), areas.reshape(-1, 3)
