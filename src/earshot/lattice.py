"""Lattices: the two steps by which an element is repeated without end."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from . import units
from .arraytypes import Floats, Ints
from .errors import UsageError
from .lettering import Told

_FLATTEST = 5.0
"""Least angle between the steps, degrees."""


@dataclass(frozen=True, eq=False, repr=False)
class Lattice(Told):
    """Two steps (2, 2), metres, in the plane z = 0: from an element to the next in its row, and to the next row.

    Raises UsageError for steps that span no cell.
    """

    steps: Floats

    def __post_init__(self) -> None:
        steps = np.array(self.steps, float)
        if steps.shape != (2, 2) or not np.isfinite(steps).all() or not np.linalg.norm(steps, axis=1).all():
            raise UsageError("lattice: it has two steps of x and y, in metres, and neither is zero")
        sine = abs(np.linalg.det(steps)) / np.prod(np.linalg.norm(steps, axis=1))
        if math.degrees(math.asin(min(sine, 1.0))) < _FLATTEST:
            raise UsageError("lattice: its two steps lie along one line: turn one of them")
        steps.flags.writeable = False
        object.__setattr__(self, "steps", steps)

    def _in_words(self) -> str:
        return f"lattice of {self.words}"

    @property
    def words(self) -> str:
        """Both steps."""
        one, two = ("(" + ", ".join(units.engineering(x, "m", 4) for x in step) + ")" for step in self.steps)
        return f"{one} and {two}"

    @property
    def area(self) -> float:
        """Of a cell, m²."""
        return abs(float(np.linalg.det(self.steps)))

    @cached_property
    def reciprocal(self) -> Floats:
        """Steps (2, 2), rad/m, between the transverse wavenumbers of waves that all elements send in step."""
        return np.asarray(2.0 * math.pi * np.linalg.inv(self.steps).T)

    def places(self, numbers: Ints) -> Floats:
        """Where cells (n, 2), counted along both steps, are (n, 2), metres."""
        return np.asarray(numbers @ self.steps)

    def within(self, radius: float, *, reciprocal: bool = False) -> Ints:
        """Numbers (n, 2) of all cells within a distance, m, of the first; or of reciprocal ones, rad/m."""
        steps = self.reciprocal if reciprocal else self.steps
        # A step of the dual lattice is as long as rows are close.
        apart = 1.0 / np.linalg.norm(np.linalg.inv(steps), axis=0)
        first, second = (np.arange(-n, n + 1) for n in np.ceil(radius / apart).astype(int))
        numbers = np.stack(np.meshgrid(first, second, indexing="ij"), axis=-1).reshape(-1, 2)
        return np.asarray(numbers[np.linalg.norm(numbers @ steps, axis=1) <= radius * (1.0 + 1e-9)])

    def waves(self, transverse: Floats, radius: float) -> tuple[Ints, Floats]:
        """Numbers (n, 2) and transverse wavenumbers (n, 2), rad/m, of Floquet waves no longer than `radius`.

        transverse (2,): of the wave of number 0, 0.
        """
        near = np.round(np.linalg.solve(self.reciprocal.T, -transverse)).astype(int)
        most = radius + 0.5 * float(np.linalg.norm(self.reciprocal, axis=1).sum())
        numbers = near + self.within(most, reciprocal=True)
        found = transverse + numbers @ self.reciprocal
        kept = np.linalg.norm(found, axis=1) <= radius
        return numbers[kept], found[kept]


def rectangular(spacing: str | float, between_rows: str | float | None = None) -> Lattice:
    """A lattice of rows along x; rows are as far apart as elements unless told.

    Raises UsageError for spacings that are not above zero.
    """
    return skewed(spacing, between_rows)


def skewed(spacing: str | float, between_rows: str | float | None = None, skew: str | float = 0.0) -> Lattice:
    """A lattice of rows along x, each row on by tan(skew) times their distance: as the layout `grid` is.

    Raises UsageError for spacings that are not above zero.
    """
    along = units.length(spacing, "lattice, spacing")
    up = along if between_rows is None else units.length(between_rows, "lattice, between rows")
    if not (along > 0.0 and up > 0.0):
        raise UsageError(f"lattice: spacings {along:g} m and {up:g} m: both must be above zero")
    turn = units.angle(skew, "lattice, skew")
    return Lattice(np.array([[along, 0.0], [up * math.tan(turn), up]]))


def triangular(spacing: str | float, between_rows: str | float | None = None) -> Lattice:
    """Rows along x, every other one shifted by half a spacing; equilateral unless the rows' distance is told.

    Raises UsageError for spacings that are not above zero.
    """
    along = units.length(spacing, "lattice, spacing")
    up = 0.5 * math.sqrt(3.0) * along if between_rows is None else units.length(between_rows, "lattice, between rows")
    if not (along > 0.0 and up > 0.0):
        raise UsageError(f"lattice: spacings {along:g} m and {up:g} m: both must be above zero")
    return Lattice(np.array([[along, 0.0], [0.5 * along, up]]))
