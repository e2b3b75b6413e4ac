"""Shapes of revolution about z: what their profiles are, where they lie halfway, and which way is out of them."""

from __future__ import annotations

import itertools
import math
from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Bools, Floats
from .shapes import Flat, Shape, Stretch

if TYPE_CHECKING:
    from shapely import Polygon as Area

_CIRCLE = 72
_ON = 1e-7
ENDS = ("open", "closed", "first", "last")
"""Which ends of a cylinder are closed: none, both, the one at its base, the other one."""


def _straight(one: Sequence[float], two: Sequence[float]) -> Stretch:
    a, b = np.array(one, float), np.array(two, float)
    length = float(np.linalg.norm(b - a))
    return Stretch(lambda s: a + (s / length)[:, None] * (b - a), length)


def _off_axis(places: Floats) -> Floats:
    return np.asarray(np.hypot(places[:, 0], places[:, 1]))


class Round(Shape):
    """A shape of revolution. widths: diameters at its least and greatest z."""

    @property
    @abstractmethod
    def widths(self) -> tuple[float, float]:
        """Diameters at the least and the greatest z."""

    @property
    def outermost(self) -> Floats:
        """Circles at both ends."""
        turn = 2.0 * math.pi * np.arange(_CIRCLE) / _CIRCLE
        ring = np.stack([np.cos(turn), np.sin(turn)], axis=1) / 2.0
        ends = zip(self.widths, self.heights, strict=True)
        return np.concatenate([np.column_stack([ring * d, np.full(_CIRCLE, z)]) for d, z in ends])

    @property
    def heights(self) -> tuple[float, float]:
        """Its base is at z = 0."""
        return 0.0, 0.0

    @property
    def coarsest(self) -> float:
        """Half its greatest diameter."""
        return 0.5 * max(self.widths)

    @property
    def close(self) -> float:
        """What is on it is so near to it, metres."""
        return _ON * max(self.sizes)

    def distances(self, places: Floats) -> Floats:
        """From its profile."""
        flat = np.stack([_off_axis(places), places[:, 2]], axis=1)
        return np.asarray(np.min([_from_profile(part, flat) for part in self.profile], axis=0))

    def halfway(self, one: Floats, two: Floats) -> Floats:
        """Places (n, 3) on it halfway between places on it.

        Heights are kept between places of one height, so that rings stay rings; in a flat one they do too, or a rim
        would come to lie beyond the next ring.
        """
        middle = (one + two) / 2.0
        wide = _off_axis(middle)
        target = self._halfway_out(one, two)
        middle[:, :2] *= np.where(wide > self.close, target / np.maximum(wide, self.close), 1.0)[:, None]
        return middle

    @abstractmethod
    def _halfway_out(self, one: Floats, two: Floats) -> Floats:
        """How far from the axis (n,) the places halfway between are."""

    def _level(self, one: Floats, two: Floats) -> Bools:
        return np.asarray(np.abs(one[:, 2] - two[:, 2]) <= self.close)

    def curved(self, places: Floats) -> Bools:
        """Which of places (n, 3) on it are where it is curved."""
        return np.ones(len(places), bool)

    def ways_out(self, places: Floats) -> Floats:
        """Unit vectors (n, 3) along which chords are to be pushed out.

        Level, so that rims stay in their planes: depth and way are both longer than along the normal.
        """
        flat = places * np.array([1.0, 1.0, 0.0])
        return np.asarray(flat / np.maximum(np.linalg.norm(flat, axis=1), 1e-300)[:, None])


class Circular(Flat, Round):
    """A flat round shape; its circles are 72-gons of the same area where it is combined."""

    facets = ()
    distances = Round.distances

    @property
    def widths(self) -> tuple[float, float]:
        """Of its rim."""
        return self.sizes[0], self.sizes[0]

    @property
    def outline(self) -> Area:
        """Its area."""
        from shapely import Polygon

        part = 2.0 * math.pi / _CIRCLE
        turn = part * np.arange(_CIRCLE)
        unit = np.stack([np.cos(turn), np.sin(turn)], axis=1) * math.sqrt(part / math.sin(part)) / 2.0
        return Polygon(unit * self.sizes[0], [unit * d for d in self.sizes[1:]])

    @property
    def profile(self) -> tuple[Stretch, ...]:  # type: ignore[override]
        """From the middle or the hole to the rim."""
        return (_straight((self.sizes[1] / 2.0 if self.sizes[1:] else 0.0, 0.0), (self.sizes[0] / 2.0, 0.0)),)

    def _halfway_out(self, one: Floats, two: Floats) -> Floats:
        low, high = _off_axis(one), _off_axis(two)
        beside = (one[:, :2] * two[:, :2]).sum(axis=1) > 0.4 * low * high
        return np.where(beside, (low + high) / 2.0, _off_axis((one + two) / 2.0))


@dataclass(frozen=True)
class Disk(Circular):
    """A circle."""

    diameter: float
    name = "disk"


@dataclass(frozen=True)
class Annulus(Circular):
    """A circle with a round hole, both by their diameters."""

    diameter: float
    hole: float
    name = "annulus"


@dataclass(frozen=True)
class Cylinder(Round):
    """A tube from z = 0 up. ends: see `ENDS`."""

    diameter: float
    length: float
    ends: str = "open"
    name = "cylinder"

    @property
    def widths(self) -> tuple[float, float]:
        """The same."""
        return self.diameter, self.diameter

    @property
    def heights(self) -> tuple[float, float]:
        """From base to end."""
        return 0.0, self.length

    @property
    def profile(self) -> tuple[Stretch, ...]:  # type: ignore[override]
        """Its wall, and the ends that are closed."""
        half = self.diameter / 2.0
        corners = [(half, 0.0), (half, self.length)]
        corners = [(0.0, 0.0), *corners] if self.ends in ("closed", "first") else corners
        corners = [*corners, (0.0, self.length)] if self.ends in ("closed", "last") else corners
        return tuple(_straight(a, b) for a, b in itertools.pairwise(corners))

    def curved(self, places: Floats) -> Bools:
        """Those on its wall."""
        return np.asarray(_off_axis(places) >= self.diameter / 2.0 - self.close)

    def _halfway_out(self, one: Floats, two: Floats) -> Floats:
        return np.where(self.curved(one) & self.curved(two), self.diameter / 2.0, _off_axis((one + two) / 2.0))


@dataclass(frozen=True)
class Cone(Round):
    """A cone or frustum from z = 0 up: diameters at its base and its other end, either of which may be zero."""

    first: float
    last: float
    height: float
    name = "cone"

    @property
    def widths(self) -> tuple[float, float]:
        """At base and end."""
        return self.first, self.last

    @property
    def heights(self) -> tuple[float, float]:
        """From base to end."""
        return 0.0, self.height

    @property
    def profile(self) -> tuple[Stretch, ...]:  # type: ignore[override]
        """Its side."""
        return (_straight((self.first / 2.0, 0.0), (self.last / 2.0, self.height)),)

    def _halfway_out(self, one: Floats, two: Floats) -> Floats:
        z = (one[:, 2] + two[:, 2]) / 2.0
        return np.asarray(self.first / 2.0 + (self.last - self.first) / 2.0 * z / self.height)


@dataclass(frozen=True)
class Paraboloid(Round):
    """A dish z = ρ²/4f, its vertex at the origin."""

    diameter: float
    focal_length: float
    name = "paraboloid"

    @property
    def widths(self) -> tuple[float, float]:
        """Of its vertex and its rim."""
        return 0.0, self.diameter

    @property
    def heights(self) -> tuple[float, float]:
        """From vertex to rim."""
        return 0.0, self.diameter**2 / (16.0 * self.focal_length)

    @property
    def profile(self) -> tuple[Stretch, ...]:  # type: ignore[override]
        """The parabola."""
        return (_parabola(self.diameter / 2.0, self.focal_length),)

    def _halfway_out(self, one: Floats, two: Floats) -> Floats:
        middle = (one + two) / 2.0
        ring = np.sqrt(np.maximum(4.0 * self.focal_length * middle[:, 2], 0.0))
        return np.where(self._level(one, two), ring, _off_axis(middle))

    def halfway(self, one: Floats, two: Floats) -> Floats:
        """Between heights the height is that of the dish there."""
        places = super().halfway(one, two)
        between = ~self._level(one, two)
        places[between, 2] = _off_axis(places[between]) ** 2 / (4.0 * self.focal_length)
        return places

    def ways_out(self, places: Floats) -> Floats:
        """Along the normal, away from the axis."""
        ways = places * np.array([1.0, 1.0, 0.0]) / (2.0 * self.focal_length) - np.array([0.0, 0.0, 1.0])
        return np.asarray(ways / np.linalg.norm(ways, axis=1)[:, None])


@dataclass(frozen=True)
class Sphere(Round):
    """A ball's surface round the origin."""

    diameter: float
    name = "sphere"

    @property
    def widths(self) -> tuple[float, float]:
        """Of its waist, as far out as it goes."""
        return self.diameter, self.diameter

    @property
    def heights(self) -> tuple[float, float]:
        """From pole to pole."""
        return -self.diameter / 2.0, self.diameter / 2.0

    @property
    def outermost(self) -> Floats:
        """Three great circles."""
        turn = 2.0 * math.pi * np.arange(_CIRCLE) / _CIRCLE
        ring = np.stack([np.cos(turn), np.sin(turn)], axis=1) / 2.0
        return np.concatenate([np.insert(ring * self.diameter, axis, 0.0, axis=1) for axis in range(3)])

    @property
    def profile(self) -> tuple[Stretch, ...]:  # type: ignore[override]
        """Half a great circle."""
        half = self.diameter / 2.0

        def arc(s: Floats) -> Floats:
            return half * np.stack([np.sin(s / half), -np.cos(s / half)], axis=1)

        return (Stretch(arc, math.pi * half),)

    def _halfway_out(self, one: Floats, two: Floats) -> Floats:
        middle = (one + two) / 2.0
        ring = np.sqrt(np.maximum((self.diameter / 2.0) ** 2 - middle[:, 2] ** 2, 0.0))
        return np.where(self._level(one, two), ring, _off_axis(middle))

    def halfway(self, one: Floats, two: Floats) -> Floats:
        """Between heights it is out from the middle."""
        places = super().halfway(one, two)
        between = ~self._level(one, two)
        places[between] *= (self.diameter / 2.0 / np.linalg.norm(places[between], axis=1))[:, None]
        return places

    def ways_out(self, places: Floats) -> Floats:
        """Along the radius."""
        return places / (self.diameter / 2.0)


@lru_cache(maxsize=64)
def _parabola(radius: float, focal: float) -> Stretch:
    """ρ²/4f by the length of its arc, which has a closed form."""
    rho = np.linspace(0.0, radius, 2001)
    slope = rho / (2.0 * focal)
    arc = focal * (slope * np.sqrt(1.0 + slope**2) + np.arcsinh(slope))

    def at(s: Floats) -> Floats:
        r = np.interp(s, arc, rho)
        return np.stack([r, r**2 / (4.0 * focal)], axis=1)

    return Stretch(at, float(arc[-1]))


def _from_profile(part: Stretch, places: Floats) -> Floats:
    """Distance of (ρ, z) from a stretch: from its chords, then corrected by one Newton step along it."""
    s = np.linspace(0.0, part.length, 2049)
    line = part.at(s)
    found = np.empty(len(places))
    for i, place in enumerate(places):
        nearest = int(np.argmin(np.linalg.norm(line - place, axis=1)))
        low, high = s[max(nearest - 1, 0)], s[min(nearest + 1, len(s) - 1)]
        fine = part.at(np.linspace(low, high, 65))
        along = np.diff(fine, axis=0)
        share = np.clip(((place - fine[:-1]) * along).sum(axis=1) / (along**2).sum(axis=1), 0.0, 1.0)
        found[i] = np.linalg.norm(fine[:-1] + share[:, None] * along - place, axis=1).min()
    return found
