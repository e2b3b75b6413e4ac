"""What shapes of sheets are, each in coordinates of its own: the base of all, and those of flat faces.

A mesh is made of what a shape offers: of its `facets`, of its `profile` (`round_shapes.py`), or of
triangles as they are.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, ClassVar, Self

import numpy as np

from ..arraytypes import Floats
from ..errors import UsageError
from .distances import distances

if TYPE_CHECKING:
    from shapely import Polygon as Area

Ring = tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class Stretch:
    """One smooth part of a profile: from distance s along it, 0 to length, to (ρ, z) (n, 2)."""

    at: Callable[[Floats], Floats]
    length: float


@dataclass(frozen=True, slots=True)
class Facet:
    """A flat face: a frame (3, 4) of two sides, normal and middle, the area in it, and the longest edge it bears.

    yields: whether edges that others share with it are as long as those want them.
    """

    frame: Floats
    area: Area
    longest: float = math.inf
    yields: bool = False


class Shape(ABC):
    """A shape in its own coordinates, metres. name: as its maker is called. flat: whether it lies in z = 0.

    facets, profile: what a mesh is made of; a shape has one of them or is triangles already.
    """

    name: ClassVar[str]
    flat: ClassVar[bool] = False
    facets: tuple[Facet, ...] = ()
    profile: tuple[Stretch, ...] = ()

    @property
    def sizes(self) -> tuple[float, ...]:
        """Its lengths, metres, in the order of its maker."""
        return tuple(x for x in vars(self).values() if isinstance(x, float))

    @property
    @abstractmethod
    def outermost(self) -> Floats:
        """Points (n, 3) that lie as far out as the shape does."""

    @property
    @abstractmethod
    def coarsest(self) -> float:
        """The longest edge of a triangle that shows the shape as it is, metres."""

    @abstractmethod
    def distances(self, places: Floats) -> Floats:
        """Distance (n,) of places (n, 3) from it, metres."""

    @property
    def outline(self) -> Area:
        """The area of a flat shape; raises UsageError for any other."""
        raise UsageError(f"a {self.name} is not flat; only flat surfaces can be combined")

    @property
    def heights(self) -> tuple[float, float]:
        """Least and greatest z."""
        z = self.outermost[:, 2]
        return float(z.min()), float(z.max())

    def scaled(self, factor: float) -> Self:
        """The shape with every length multiplied."""
        lengths = {key: factor * x for key, x in vars(self).items() if isinstance(x, float)}
        return replace(self, **lengths)  # type: ignore[type-var]

    def halfway(self, one: Floats, two: Floats) -> Floats:
        """Places (n, 3) on it halfway between places on it."""
        return (one + two) / 2.0


class Flat(Shape):
    """A shape in the plane z = 0, with an outline."""

    flat = True

    @property
    def facets(self) -> tuple[Facet, ...]:  # type: ignore[override]
        """Itself."""
        return (Facet(np.eye(3, 4), self.outline),)

    def distances(self, places: Floats) -> Floats:
        """From the area, and off its plane."""
        import shapely

        beside = shapely.distance(self.outline, shapely.points(places[:, :2]))
        return np.asarray(np.hypot(beside, places[:, 2]))


@dataclass(frozen=True)
class Plate(Flat):
    """A rectangle, width along x."""

    width: float
    depth: float
    name = "plate"

    @property
    def outline(self) -> Area:
        """The rectangle."""
        from shapely import box

        return box(-self.width / 2, -self.depth / 2, self.width / 2, self.depth / 2)

    @property
    def outermost(self) -> Floats:
        """Its corners."""
        return np.array([(x, y, 0.0) for x in (-1, 1) for y in (-1, 1)]) * [self.width / 2, self.depth / 2, 0.0]

    @property
    def coarsest(self) -> float:
        """Long cells on narrow strips are fine, needles are not."""
        return min(2.0 * min(self.sizes), max(self.sizes) / 8.0)


@dataclass(frozen=True)
class Polygon(Flat):
    """An area between rings of corners (x, y), the outer one first; its first side is along x."""

    rings: tuple[Ring, ...]
    name = "polygon"

    @property
    def sizes(self) -> tuple[float, ...]:
        """The diagonal of the box round it."""
        return (float(np.linalg.norm(np.ptp(np.array(self.rings[0]), axis=0))),)

    def scaled(self, factor: float) -> Polygon:
        """With every corner farther out."""
        return Polygon(tuple(tuple((factor * x, factor * y) for x, y in ring) for ring in self.rings))

    @property
    def outline(self) -> Area:
        """The area itself."""
        from shapely import Polygon as Area

        return Area(self.rings[0], self.rings[1:])

    @property
    def outermost(self) -> Floats:
        """The corners of the outer ring."""
        return np.column_stack([np.array(self.rings[0]), np.zeros(len(self.rings[0]))])

    @property
    def coarsest(self) -> float:
        """An eighth of it."""
        return self.sizes[0] / 8.0


SIDES = {
    "top": (2, 1.0),
    "bottom": (2, -1.0),
    "right": (0, 1.0),
    "left": (0, -1.0),
    "back": (1, 1.0),
    "front": (1, -1.0),
}
"""Sides of a box: which axis one is square to, and on which side."""


@dataclass(frozen=True)
class Box(Shape):
    """Six plates round the middle, less those of `without`, names of sides."""

    width: float
    depth: float
    height: float
    without: str = ""
    name = "box"

    @property
    def outermost(self) -> Floats:
        """Its corners."""
        signs = np.array([(x, y, z) for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)])
        return np.asarray(signs * np.array(self.sizes) / 2.0)

    @property
    def coarsest(self) -> float:
        """Half its least side."""
        return min(0.5 * min(self.sizes), max(self.sizes) / 8.0)

    @property
    def facets(self) -> tuple[Facet, ...]:  # type: ignore[override]
        """Its sides; two cells across each at least, since other metal begins at their rims."""
        from shapely import box

        found = []
        for name, (axis, side) in SIDES.items():
            if name not in self.without.split():
                one, two = [i for i in range(3) if i != axis]
                middle = np.zeros(3)
                middle[axis] = side * self.sizes[axis] / 2.0
                frame = np.column_stack([*(np.eye(3)[i] for i in (one, two, axis)), middle])
                w, d = self.sizes[one], self.sizes[two]
                found.append(Facet(frame, box(-w / 2, -d / 2, w / 2, d / 2), min(w, d) / 2.0))
        return tuple(found)

    def distances(self, places: Floats) -> Floats:
        """From the nearest side."""
        off = []
        for facet in self.facets:
            here = (places - facet.frame[:, 3]) @ facet.frame[:, :3]
            beside = np.maximum(np.abs(here[:, :2]) - np.array(facet.area.bounds[2:]), 0.0)
            off.append(np.hypot(np.linalg.norm(beside, axis=1), here[:, 2]))
        return np.asarray(np.min(off, axis=0))


@dataclass(frozen=True)
class Triangles(Shape):
    """Triangles as they were given: corners (x, y, z), and three corner numbers each."""

    corners: tuple[tuple[float, float, float], ...]
    faces: tuple[tuple[int, int, int], ...]
    name = "triangles"

    @property
    def sizes(self) -> tuple[float, ...]:
        """The diagonal of the box round them."""
        return (float(np.linalg.norm(np.ptp(self.outermost, axis=0))),)

    def scaled(self, factor: float) -> Triangles:
        """With every corner farther out."""
        return Triangles(tuple((factor * x, factor * y, factor * z) for x, y, z in self.corners), self.faces)

    @property
    def outermost(self) -> Floats:
        """All corners."""
        return np.array(self.corners)

    @property
    def coarsest(self) -> float:
        """They are what they are."""
        return math.inf

    def distances(self, places: Floats) -> Floats:
        """From the nearest triangle."""
        return distances(self.outermost[np.array(self.faces)], places)
