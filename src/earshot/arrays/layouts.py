"""Where the elements of an array are and how they are turned.

An element faces along its own z axis, its x axis beside it; unturned, these are those of the world, so that flat arrays
lie in the x-y plane and face up.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import ArrayLike, NDArray

from .. import units
from ..arraytypes import Floats, Ints
from ..errors import UsageError

if TYPE_CHECKING:
    import pandas as pd

_AXES = {"x": 0, "y": 1, "z": 2}
MOST_ELEMENTS = 40_000
"""Elements of an array."""


@dataclass(frozen=True, eq=False)
class Lattice:
    """Two steps (2, 3), m, from an origin (3,), and how many of each every element is off it (n, 2)."""

    origin: Floats
    steps: Floats
    places: Ints


@dataclass(frozen=True, eq=False, init=False)
class Layout:
    """Elements of an array: positions (n, 3), m, and turns (n, 3, 3), whose columns are each element's own axes.

    groups (n,): number of the feed that each element hangs on; each has its own unless they are fed together. lattice:
    what the positions are on, if anything: arrays on one are summed fastest. Raises UsageError for positions that are
    not numbers, for two elements in one place, and for turns that are not rotations.
    """

    positions: Floats
    turns: Floats
    groups: Ints
    lattice: Lattice | None

    def __init__(
        self, positions: ArrayLike, turns: ArrayLike | None = None, groups: ArrayLike | None = None,
        lattice: Lattice | None = None,
    ) -> None:  # fmt: skip
        places = np.ascontiguousarray(np.asarray(positions, float))
        if places.ndim != 2 or places.shape[1] != 3 or not len(places) or not np.isfinite(places).all():
            raise UsageError(f"layout: positions of shape {places.shape} are not rows of x, y, z in metres")
        units.count(len(places), "layout: elements", 1, MOST_ELEMENTS)
        axes = np.tile(np.eye(3), (len(places), 1, 1)) if turns is None else np.asarray(turns, float)
        if axes.shape != (len(places), 3, 3):
            raise UsageError(f"layout: turns of shape {axes.shape} for {len(places)} elements: give (n, 3, 3)")
        if np.abs(np.einsum("nji,njk->nik", axes, axes) - np.eye(3)).max() > 1e-9:
            raise UsageError("layout: turns are not rotations: their columns are to be unit vectors square to another")
        feeds = np.arange(len(places)) if groups is None else np.asarray(groups, np.int64)
        if feeds.shape != (len(places),):
            raise UsageError(f"layout: {feeds.size} groups for {len(places)} elements: give one each")
        least, pair = _closest(places)
        if least < 1e-9 * max(1.0, float(np.abs(places).max())):
            x, y, z = places[pair[0]]
            raise UsageError(
                f"layout: elements {pair[0] + 1} and {pair[1] + 1} are both at ({x:g}, {y:g}, {z:g}) m: is a spacing "
                "zero?"
            )
        for name, value in (("positions", places), ("turns", axes), ("groups", feeds), ("lattice", lattice)):
            object.__setattr__(self, name, value)

    def __len__(self) -> int:
        return len(self.positions)

    @property
    def feeds(self) -> int:
        """How many feeds there are: as many as elements unless some are fed together."""
        return len(np.unique(self.groups))

    @property
    def unturned(self) -> bool:
        """Whether every element is as it was made."""
        return bool((np.abs(self.turns - np.eye(3)) < 1e-12).all())

    @property
    def closest(self) -> float:
        """Least distance between two elements, m; none (infinite) of one alone."""
        return _closest(self.positions)[0]

    def chosen(self, which: ArrayLike) -> Layout:
        """Some of the elements: by number from 0, or by a mark for each."""
        own = np.asarray(which)
        numbers = np.flatnonzero(own) if own.dtype == bool else own.astype(int)
        if not numbers.size:
            raise UsageError("layout: no element is left")
        lattice = self.lattice and replace(self.lattice, places=self.lattice.places[numbers])
        return Layout(self.positions[numbers], self.turns[numbers], self.groups[numbers], lattice)

    def fed_together(self, groups: ArrayLike) -> Layout:
        """The same with elements of one number (n,) on one feed."""
        return Layout(self.positions, self.turns, groups, self.lattice)

    def turned(self, angle: str | float, axis: str = "z") -> Layout:
        """The whole layout, elements too, turned about x, y or z."""
        return self.in_axes(rotation(angle, axis).T)

    def in_axes(self, axes: Floats) -> Layout:
        """The whole layout in other axes, the columns of (3, 3)."""
        turn = axes.T
        lattice = self.lattice and Lattice(turn @ self.lattice.origin, self.lattice.steps @ turn.T, self.lattice.places)
        return Layout(self.positions @ turn.T, turn @ self.turns, self.groups, lattice)

    def moved(self, by: Sequence[str | float]) -> Layout:
        """The whole layout moved."""
        step = np.array([units.length(c, "layout, moved") for c in by])
        lattice = self.lattice and replace(self.lattice, origin=self.lattice.origin + step)
        return Layout(self.positions + step, self.turns, self.groups, lattice)

    def to_frame(self) -> pd.DataFrame:
        """A row for each element: x, y, z (m), where it faces (azimuth and elevation, degrees), roll, group."""
        import pandas as pd

        facing = self.turns[:, :, 2]
        elevation = np.arcsin(np.clip(facing[:, 2], -1.0, 1.0))
        azimuth = np.where(np.hypot(facing[:, 0], facing[:, 1]) < 1e-12, 0.0, np.arctan2(facing[:, 1], facing[:, 0]))
        bare = facing_turns(np.degrees(azimuth), np.degrees(elevation), np.zeros(len(self)))
        across = np.einsum("nij,nik->njk", bare, self.turns)
        roll = np.arctan2(across[:, 1, 0], across[:, 0, 0])
        names = ["x_m", "y_m", "z_m", "azimuth_deg", "elevation_deg", "roll_deg"]
        columns = [*self.positions.T, *(np.degrees(a) for a in (azimuth, elevation, roll))]
        return pd.DataFrame(dict(zip(names, columns, strict=True)) | {"group": self.groups})


def _closest(places: Floats) -> tuple[float, tuple[int, int]]:
    if len(places) < 2:
        return math.inf, (0, 0)
    from scipy.spatial import KDTree

    distances, others = KDTree(places).query(places, k=2)
    at = int(distances[:, 1].argmin())
    first, second = sorted((at, int(others[at, 1] if others[at, 1] != at else others[at, 0])))
    return float(distances[at, 1]), (first, second)


def rotation(angle: str | float, axis: str) -> Floats:
    """A turn about "x", "y" or "z" as a matrix (3, 3)."""
    if axis not in _AXES:
        raise UsageError(f"layout: '{axis}' is not an axis: give x, y or z")
    radians = units.angle(angle, "layout, angle")
    cosine, sine = math.cos(radians), math.sin(radians)
    one, two = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}[axis]
    turn = np.eye(3)
    turn[one, one] = turn[two, two] = cosine
    turn[one, two], turn[two, one] = -sine, sine
    return turn


def facing_turns(azimuth: ArrayLike, elevation: ArrayLike, roll: ArrayLike = 0.0) -> Floats:
    """Turns (n, 3, 3) of elements that face an azimuth and elevation, rolled about where they face; degrees.

    Unrolled, an element that faces a horizon has its x axis upright; one that faces up is unturned at azimuth 180.
    """
    a, e, r = (np.radians(x) for x in np.broadcast_arrays(*(np.asarray(v, float) for v in (azimuth, elevation, roll))))
    out = np.stack([np.cos(e) * np.cos(a), np.cos(e) * np.sin(a), np.sin(e)], axis=-1)
    up = np.stack([-np.sin(e) * np.cos(a), -np.sin(e) * np.sin(a), np.cos(e)], axis=-1)
    side = np.cross(out, up)
    along = np.cos(r)[..., None] * up + np.sin(r)[..., None] * side
    return np.asarray(np.stack([along, np.cross(out, along), out], axis=-1))


def _length(value: str | float, what: str) -> float:
    metres = units.length(value, what)
    if not (math.isfinite(metres) and metres > 0.0):
        raise UsageError(f"{what}: {value} is not above zero")
    return metres


def _count(value: int, what: str) -> int:
    return units.count(value, what, 1, MOST_ELEMENTS)


def line(count: int, spacing: str | float, axis: str = "x") -> Layout:
    """Elements along an axis, the middle of them at the origin."""
    if axis not in _AXES:
        raise UsageError(f"line: '{axis}' is not an axis: give x, y or z")
    step = _length(spacing, "line, spacing") * np.eye(3)[_AXES[axis]]
    n = _count(count, "line, count")
    return _on_lattice(np.stack([np.arange(n), np.zeros(n)], axis=1), step, 0 * step)


def grid(
    columns: int, rows: int, spacing: str | float, between_rows: str | float | None = None, *,
    skew: str | float = "0 deg",
) -> Layout:  # fmt: skip
    """Elements in columns along x and rows along y, about the origin, row after row.

    skew: how far each row leans over the one below, from the y axis: "30 deg" with rows 0.866 of the spacing apart is a
    triangular lattice.
    """
    x = _length(spacing, "grid, spacing")
    y = x if between_rows is None else _length(between_rows, "grid, between_rows")
    lean = units.angle(skew, "grid, skew")
    if not abs(lean) < math.radians(89.0):
        raise UsageError(f"grid: skew {skew} is not below 89 deg either way")
    across = _count(columns, "grid, columns")
    up = units.count(rows, f"grid, rows beside {across} columns", 1, MOST_ELEMENTS // across)
    i, j = np.meshgrid(np.arange(across), np.arange(up))
    places = np.stack([i.ravel(), j.ravel()], axis=1)
    return _on_lattice(places, np.array([x, 0.0, 0.0]), np.array([y * math.tan(lean), y, 0.0]))


def hexagon(rings: int, spacing: str | float) -> Layout:
    """A triangular lattice within a hexagon: one element, and so many rings round it."""
    step, n = _length(spacing, "hexagon, spacing"), units.count(rings, "hexagon, rings", 1, 100)
    i, j = (x.ravel() for x in np.meshgrid(np.arange(-n, n + 1), np.arange(-n, n + 1)))
    inside = np.abs(i + j) <= n
    places = np.stack([i, j], axis=1)[inside]
    return _on_lattice(places, step * np.array([1.0, 0.0, 0.0]), step * np.array([0.5, math.sqrt(0.75), 0.0]))


def _on_lattice(places: NDArray[np.generic], one: Floats, two: Floats) -> Layout:
    whole = places.astype(np.int64)
    steps = np.stack([one, two])
    positions = whole @ steps
    middle = 0.5 * (positions.min(axis=0) + positions.max(axis=0))
    return Layout(positions - middle, lattice=Lattice(-middle, steps, whole))


def ring(count: int, radius: str | float, *, outward: bool = False) -> Layout:
    """Elements evenly round the z axis, the first on the x axis; outward: each turned to face away from it."""
    return arc(count, radius, "360 deg", outward=outward)


def rings(radii: Sequence[str | float], counts: Sequence[int]) -> Layout:
    """Rings about one centre, facing up."""
    if len(radii) != len(counts):
        raise UsageError(f"rings: {len(radii)} radii and {len(counts)} counts: give one count for each")
    return Layout(np.concatenate([ring(n, r).positions for r, n in zip(radii, counts, strict=True)]))


def arc(count: int, radius: str | float, span: str | float, *, outward: bool = True) -> Layout:
    """Elements round a part of a circle about the z axis, centred on the x axis; both ends taken unless it is whole."""
    n, r, whole = _count(count, "arc, count"), _length(radius, "arc, radius"), units.angle(span, "arc, span")
    if not 0.0 < whole <= 2.0 * math.pi + 1e-9:
        raise UsageError(f"arc: span {span} is outside 0 to 360 deg")
    round_ = whole > 2.0 * math.pi - 1e-9
    angles = 2.0 * math.pi * np.arange(n) / n if round_ else whole * (np.arange(n) / max(n - 1, 1) - 0.5 * (n > 1))
    positions = r * np.stack([np.cos(angles), np.sin(angles), np.zeros(n)], axis=1)
    return Layout(positions, facing_turns(np.degrees(angles), 0.0) if outward else None)


def cylinder(count: int, rows: int, radius: str | float, spacing: str | float, span: str | float = "360 deg") -> Layout:
    """Arcs of elements one over the other, so far apart, each facing outward."""
    one = arc(count, radius, span)
    step = _length(spacing, "cylinder, spacing")
    n = units.count(rows, f"cylinder, rows of {count}", 1, MOST_ELEMENTS // count)
    heights = step * (np.arange(n) - 0.5 * (n - 1))
    positions = np.concatenate([one.positions + z * np.eye(3)[2] for z in heights])
    return Layout(positions, np.tile(one.turns, (n, 1, 1)))


def thinned(layout: Layout, share: float, seed: int = 0) -> Layout:
    """A share of the elements of a layout, drawn at random."""
    if not 0.0 < share <= 1.0:
        raise UsageError(f"thinned: share {share} is outside 0 to 1")
    keep = max(1, round(share * len(layout)))
    return layout.chosen(np.sort(np.random.default_rng(seed).permutation(len(layout))[:keep]))


def scattered(count: int, width: str | float, depth: str | float, least: str | float, seed: int = 0) -> Layout:
    """Elements at random over a rectangle about the origin, none closer to another than `least`.

    Raises UsageError when they do not fit.
    """
    n = _count(count, "scattered, count")
    size = np.array([_length(width, "scattered, width"), _length(depth, "scattered, depth")])
    clear = _length(least, "scattered, least")
    random, found = np.random.default_rng(seed), np.empty((0, 2))
    for _ in range(400):
        for point in (random.random((n, 2)) - 0.5) * size:
            if len(found) < n and (not len(found) or np.hypot(*(found - point).T).min() >= clear):
                found = np.concatenate([found, point[None]])
        if len(found) == n:
            return Layout(np.column_stack([found, np.zeros(n)]))
    raise UsageError(
        f"scattered: only {len(found)} of {n} elements fit {least} apart: make the area larger or the distance less"
    )
