"""Arrays of elements that do not disturb one another: layout, elements and weights, to a far field."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..arraytypes import Complexes, Floats, Ints
from ..constants import SPEED_OF_LIGHT, wavenumber
from ..errors import UsageError
from ..fields.directions import angles_of, phi_vectors, theta_vectors, unit_vectors
from ..fields.far import FarField
from ..fields.source import radiated_power
from .elements import Element
from .layouts import Layout
from .sums import array_factor
from .tapers import line_taper, round_taper
from .weights import Weights

Angle = str | float


def direction(
    theta: Angle | None = None,
    phi: Angle | None = None,
    *,
    azimuth: Angle | None = None,
    elevation: Angle | None = None,
) -> Floats:
    """A unit vector (3,) from θ and φ, or from azimuth and elevation; what is left out of a pair is 0.

    Raises UsageError when neither or both pairs are given.
    """
    polar, level = (theta, phi) != (None, None), (azimuth, elevation) != (None, None)
    if polar == level:
        raise UsageError("direction: give theta and phi, or azimuth and elevation")
    one, two = (theta, phi) if polar else (elevation, azimuth)
    first = units.angle(0.0 if one is None else one, "direction, theta" if polar else "direction, elevation")
    second = units.angle(0.0 if two is None else two, "direction, phi" if polar else "direction, azimuth")
    return unit_vectors(np.array(first if polar else 0.5 * math.pi - first), np.array(second))


@dataclass(frozen=True, eq=False)
class Array:
    """Elements on a layout: one kind for all, or a list with one each. Feeds are numbered as the layout's groups.

    Raises UsageError when the number of elements does not match.
    """

    layout: Layout
    element: Element | Sequence[Element]
    label: str = "array"

    def __post_init__(self) -> None:
        if not isinstance(self.element, Element):
            own = tuple(self.element)
            if len(own) != len(self.layout):
                raise UsageError(
                    f"array '{self.label}': {len(own)} elements for {len(self.layout)} places: give one for all, or as "
                    "many"
                )
            object.__setattr__(self, "element", own)

    def __len__(self) -> int:
        return len(self.layout)

    @property
    def elements(self) -> tuple[Element, ...]:
        """One for each place."""
        return (self.element,) * len(self) if isinstance(self.element, Element) else tuple(self.element)

    @cached_property
    def front_only(self) -> bool:
        """Whether all face up and send nothing down, as over a plane: there is then no lower half space."""
        return all(e.front_only for e in set(self.elements)) and bool(
            (np.abs(self.layout.turns[:, 2, 2] - 1.0) < 1e-9).all()
        )

    @cached_property
    def kinds(self) -> list[tuple[Element, Ints]]:
        """Elements of one kind and turn, by their numbers."""
        if isinstance(self.element, Element) and self.layout.unturned:
            return [(self.element, np.arange(len(self)))]
        found: dict[tuple[int, bytes], list[int]] = {}
        turns = np.round(self.layout.turns, 9) + 0.0
        for n, element in enumerate(self.elements):
            found.setdefault((id(element), turns[n].tobytes()), []).append(n)
        return [(self.elements[own[0]], np.array(own)) for own in found.values()]

    def in_axes(self, axes: Floats) -> Array:
        """The same array in other axes, the columns of (3, 3)."""
        return replace(self, layout=self.layout.in_axes(axes))

    # Weights.

    def uniform(self) -> Weights:
        """One watt into every element."""
        return Weights(np.ones(len(self)))

    def tapered(self, name: str, *, round_: bool = False, **options: float) -> Weights:
        """A taper by name, see `line_taper` and `round_taper`: along both directions of a lattice, or from the middle.

        Elements off a lattice have one value for each place along x and y. Raises UsageError.
        """
        if round_:
            off = self.layout.positions - self._middle
            radius = np.linalg.norm(off, axis=1)
            # The aperture ends half a spacing beyond the outermost element.
            beyond = 0.5 * self.layout.closest if len(self) > 1 else 1.0
            return Weights(round_taper(name, radius / (radius.max() + beyond), **options))
        lattice = self.layout.lattice
        if lattice is None:
            raise UsageError(
                f"array '{self.label}': its elements are on no lattice: take round_=True, or give amplitudes yourself"
            )
        low, counts = lattice.places.min(axis=0), np.ptp(lattice.places, axis=0) + 1
        one, two = (line_taper(name, int(n), **options) for n in counts)
        own = lattice.places - low
        return Weights(one[own[:, 0]] * two[own[:, 1]])

    def steered(
        self,
        weights: Weights | None = None,
        *,
        frequency: str | float,
        delays: bool = False,
        theta: Angle | None = None,
        phi: Angle | None = None,
        azimuth: Angle | None = None,
        elevation: Angle | None = None,
    ) -> Weights:
        """Weights (equal unless given) turned so that all elements add up in one direction at a frequency.

        delays: by true delay, which holds at every frequency, instead of phase, whose beam squints. Elements fed
        together get one phase, that of their middle. Raises UsageError for directions no element faces.
        """  # fmt: skip
        base = self.fitting(weights)
        hertz, towards = units.frequency(frequency), direction(theta, phi, azimuth=azimuth, elevation=elevation)
        self._faces(towards)
        path = self._feed_places @ towards
        if delays:
            late = (path - path.min()) / SPEED_OF_LIGHT
            return Weights(base.values, base.delays + late)
        return base.times(np.exp(-1j * wavenumber(hertz) * path))

    def end_fire(
        self, weights: Weights | None = None, *, frequency: str | float, axis: str = "x", increased: bool = False
    ) -> Weights:
        """Weights for a beam along an axis; increased: with π/n more phase from one element to the next.

        That is Hansen and Woodyard's (1938) increased directivity, for n elements along the axis, evenly apart.
        """
        towards = np.eye(3)["xyz".index(axis)] if axis in ("x", "y", "z") else None
        if towards is None:
            raise UsageError(f"end_fire: '{axis}' is not an axis: give x, y or z")
        self._faces(towards)
        path = self._feed_places @ towards
        phase = -wavenumber(units.frequency(frequency)) * path
        if increased:
            places = np.unique(np.round(path, 9))
            if len(places) < 2:
                raise UsageError(f"end_fire: the elements of '{self.label}' are not spread along {axis}")
            phase -= math.pi / len(places) * (path - path.min()) / (places[1] - places[0])
        return self.fitting(weights).times(np.exp(1j * phase))

    def difference(self, weights: Weights, axis: str = "x") -> Weights:
        """The two halves along an axis against one another: a null where the beam was."""
        if axis not in ("x", "y", "z"):
            raise UsageError(f"difference: '{axis}' is not an axis: give x, y or z")
        off = (self.layout.positions - self._middle)[:, "xyz".index(axis)]
        side = np.where(np.abs(off) < 1e-9, 0.0, np.sign(off))
        if not side.any():
            raise UsageError(f"difference: the elements of '{self.label}' are not spread along {axis}")
        return self.fitting(weights).times(side)

    def with_nulls(self, weights: Weights, directions: ArrayLike, frequency: str | float) -> Weights:
        """The nearest weights, in least squares, whose array factor is zero in directions (n, 3).

        Raises UsageError when there are as many nulls as elements.
        """
        ways = np.atleast_2d(np.asarray(directions, float))
        if len(ways) >= len(self):
            raise UsageError(f"with_nulls: {len(ways)} nulls for {len(self)} elements: at most one less")
        hertz = units.frequency(frequency)
        waves = np.exp(1j * wavenumber(hertz) * ways @ self.layout.positions.T)
        values = self.fitting(weights).at(hertz)
        return Weights(values - np.linalg.pinv(waves) @ (waves @ values))

    def phased(self, degrees: ArrayLike, weights: Weights | None = None) -> Weights:
        """Phases by hand, degrees, one for each element."""
        phase = np.asarray(degrees, float)
        if phase.shape != (len(self),):
            raise UsageError(f"array '{self.label}': {phase.size} phases for {len(self)} elements")
        return self.fitting(weights).times(np.exp(1j * np.radians(phase)))

    # Beams.

    def beam(self, frequency: str | float, weights: Weights | None = None, *, how: str = "auto") -> FarField:
        """The far field at a frequency: everything a solved antenna's far field can be asked.

        What is sent is Σ|w|²; of that the elements' own efficiency is radiated, spread over directions as the sum of
        their fields is. So gain is directivity times efficiency, and nothing is reflected: what coupling would change.
        how: the way of summing, see `array_factor`.
        """
        own = self.fitting(weights)
        hertz = units.frequency(frequency)
        beam = Beam(self, hertz, own.at(hertz), how)
        return FarField(beam, beam.sent, beam.sent, self.label)

    def fitting(self, weights: Weights | None) -> Weights:
        """Weights, equal ones unless given; raises UsageError when they are not one for each element."""
        if weights is None:
            return self.uniform()
        if len(weights) != len(self):
            raise UsageError(f"array '{self.label}': {len(weights)} weights for {len(self)} elements: give one each")
        return weights

    @cached_property
    def _middle(self) -> Floats:
        places = self.layout.positions
        return np.asarray(0.5 * (places.min(axis=0) + places.max(axis=0)))

    @cached_property
    def _feed_places(self) -> Floats:
        """The middle of what each element is fed together with (n, 3)."""
        groups = self.layout.groups
        unique, own = np.unique(groups, return_inverse=True)
        counts = np.bincount(own)
        middles = np.stack([np.bincount(own, x) / counts for x in self.layout.positions.T], axis=1)
        return self.layout.positions if len(unique) == len(groups) else middles[own]

    def _faces(self, towards: Floats) -> None:
        facing = self.layout.turns[:, :, 2] @ towards
        backs = [e.front_only for e in self.elements]
        if np.where(backs, facing, 1.0).max() < -1e-9:
            x, y, z = towards
            raise UsageError(
                f"array '{self.label}': the direction ({x:.3g}, {y:.3g}, {z:.3g}) lies behind every element, "
                f"{math.degrees(math.acos(float(np.clip(facing.max(), -1, 1)))):.3g} deg off where they face: steer "
                "within 90 deg"
            )


@dataclass(frozen=True, eq=False)
class Beam:
    """The field of an array's weights (n,) at one frequency, for a `FarField`."""

    array: Array
    frequency: float
    values: Complexes
    how: str = "auto"

    @property
    def plane(self) -> bool:
        """Whether there is only the half space above."""
        return self.array.front_only

    @property
    def below(self) -> str:
        """What is below, in words."""
        return "the elements send nothing below z = 0" if self.plane else ""

    @property
    def abrupt(self) -> bool:
        """Whether the field may change within degrees of the horizon."""
        return any(e.front_only for e in self.array.elements)

    @property
    def sent(self) -> float:
        """Power into the elements, W."""
        return float((np.abs(self.values) ** 2).sum())

    @cached_property
    def radiated(self) -> float:
        """What their efficiencies leave of it, W."""
        kept = np.array([e.efficiency for e in self.array.elements])
        return float((np.abs(self.values) ** 2 * kept).sum())

    @cached_property
    def plain_sum(self) -> float:
        """Power of the plain sum of all fields over what is radiated: far from one where elements are close.

        Alone, elements would radiate that much; the sum of their fields carries more or less. Raises UsageError where
        they cancel everywhere.
        """
        found = radiated_power(_PlainSum(self)) / self.radiated
        if not found > 1e-12:
            raise UsageError(f"array '{self.array.label}': its elements cancel one another in every direction")
        return found

    @cached_property
    def reach(self) -> float:
        """Radius of a sphere round all elements times the wavenumber."""
        layout = self.array.layout
        size = max(e.size for e in self.array.elements)
        return wavenumber(self.frequency) * (float(np.linalg.norm(np.ptp(layout.positions, axis=0))) / 2.0 + size)

    @cached_property
    def breadth(self) -> float:
        """Radius of an upright cylinder round all elements times the wavenumber."""
        size = max(e.size for e in self.array.elements)
        spread = np.ptp(self.array.layout.positions[:, :2], axis=0)
        return wavenumber(self.frequency) * (float(np.linalg.norm(spread)) / 2.0 + size)

    def far_field(self, theta: Floats, phi: Floats) -> tuple[Complexes, Complexes]:
        """(E_θ, E_φ) times distance, volts peak, for angles in radians of any shapes that go together."""
        scale = 1.0 / math.sqrt(self.plain_sum)
        e_theta, e_phi = self.summed(theta, phi)
        return scale * e_theta, scale * e_phi

    def summed(self, theta: Floats, phi: Floats) -> tuple[Complexes, Complexes]:
        """The plain sum of the elements' fields, each as it is alone."""
        layout = self.array.layout
        shape = np.broadcast_shapes(np.shape(theta), np.shape(phi))
        grid = np.ndim(theta) == 2 and np.shape(theta)[1] == 1 and np.ndim(phi) == 1
        if self.plane and grid and np.max(theta) > 0.5 * math.pi + 1e-9:
            # Its lower rows have no field.
            up = theta[:, 0] <= 0.5 * math.pi + 1e-9
            whole = np.zeros((2, *shape), np.complex128)
            whole[:, up] = self.summed(theta[up], phi)
            return whole[0], whole[1]
        directions = unit_vectors(theta, phi).reshape(-1, 3)
        found = np.zeros((2, *shape), np.complex128)
        for element, which in self.array.kinds:
            part = layout if len(which) == len(layout) else layout.chosen(which)
            turn = part.turns[0]
            if np.abs(turn - np.eye(3)).max() < 1e-12:
                field = tuple(np.broadcast_to(x, shape) for x in element.field(theta, phi, self.frequency))
            else:
                field = _turned(element, turn, directions, self.frequency)
            waves = math.sqrt(element.efficiency) * self.values[which]
            factor = self._factor(part, waves, directions.reshape(*shape, 3), grid)
            for axis in (0, 1):
                found[axis] += np.reshape(field[axis], shape) * factor
        return found[0], found[1]

    def _factor(self, part: Layout, values: Complexes, directions: Floats, grid: bool) -> Complexes:
        """The array factor of some of the elements in directions (..., 3)."""
        shape, places = directions.shape[:-1], part.positions
        if not places.any():
            return np.full(shape, values.sum())
        back: Any = ...
        if grid and not places[:, 2].any() and self.how != "direct":
            # A flat array sends the same up and down: rows as far off the zenith as off the nadir share their sums.
            _, first, back = np.unique(
                np.round(np.abs(directions[:, 0, 2]), 12), return_index=True, return_inverse=True
            )
            directions = directions[first]
        found = array_factor(
            places, values, directions.reshape(-1, 3), wavenumber(self.frequency), part.lattice, self.how
        )
        return np.asarray(found.reshape(directions.shape[:-1])[back])


@dataclass(frozen=True, eq=False)
class _PlainSum:
    """A beam's plain sum, to be integrated."""

    beam: Beam

    def __getattr__(self, name: str) -> Any:
        return getattr(self.beam, name)

    def far_field(self, theta: Floats, phi: Floats) -> tuple[Complexes, Complexes]:
        return self.beam.summed(theta, phi)


def _turned(element: Element, turn: Floats, directions: Floats, frequency: float) -> tuple[Complexes, Complexes]:
    """The field of a turned element in directions (m, 3) of the world, along its θ and φ."""
    local = directions @ turn
    theta, phi = angles_of(local)
    one, two = element.field(theta, phi, frequency)
    whole = one[:, None] * theta_vectors(theta, phi) + two[:, None] * phi_vectors(phi)
    world = whole @ turn.T
    t, p = angles_of(directions)
    return np.einsum("ij,ij->i", world, theta_vectors(t, p)), np.einsum("ij,ij->i", world, phi_vectors(p))
