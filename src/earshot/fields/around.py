"""What a medium makes of the fields of currents: the one place of fields that asks which it is."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE
from ..errors import UsageError
from ..media.both_sides import BothSides
from ..media.earth import Earth
from ..media.stack import Stack
from ..media.surroundings import Medium, PerfectPlane
from ..meshing.sheet_mesh import MIRROR
from .earth_near import add_reflected, fields_into
from .open_near import fields_in_the_open
from .opening_near import fields_of_opening
from .printed import guided_powers, opening_field, printed_field
from .printed_near import fields_inside, fields_over, in_metal, on_sheets
from .radiator import Looking, Radiator

if TYPE_CHECKING:
    from .currents import Currents

Fields = tuple[Complexes, Complexes]


class Around(Protocol):
    """What a medium makes of currents."""

    def far(self, currents: Currents, looking: Looking) -> Fields:
        """(E_θ, E_φ) times r e^{jkr} (n,), volts."""
        ...

    def near(self, currents: Currents, points: Floats, refuse: bool) -> Fields:
        """E, V/m, and H, A/m (n, 3), at points (n, 3); refuse: points in metal are, else the field there is none."""
        ...

    def guided(self, currents: Currents) -> list[tuple[str, float]]:
        """Power in surface waves, W, by name."""
        ...

    def box(self, lowest: float) -> float:
        """How low a box begins that is to be closed by what is below; raises UsageError where none can be."""
        ...


def _parted(currents: Currents, vectors: Complexes, looking: Looking) -> Fields:
    """E of radiation vectors (n, 3) in the open: -jkη/4π (N - r̂ r̂·N) (Balanis 2016, eq. 6-122)."""
    scale = -1j * currents.wavenumber * WAVE_IMPEDANCE / (4.0 * math.pi)
    (x, y, z), cosine, sine = scale * vectors.T, np.cos(looking.phi), np.sin(looking.phi)
    return np.cos(looking.theta) * (x * cosine + y * sine) - np.sin(looking.theta) * z, y * cosine - x * sine


def _reflected(
    currents: Currents, looking: Looking, factors: Callable[[Floats, float], Fields], top: float = 0.0
) -> Fields:
    """What comes back from a face at z = top of what goes down: the image -M N(M r̂), M the mirror, times factors."""
    image = -currents.radiator.about_origin(looking, mirrored=True) * MIRROR
    e_theta, e_phi = _parted(currents, image, looking)
    tm, te = factors(looking.theta, currents.frequency)
    turn = np.exp(2j * currents.wavenumber * top * np.cos(looking.theta)) if top else 1.0
    return tm * turn * e_theta, -te * turn * e_phi


@dataclass(frozen=True, slots=True)
class InTheOpen:
    """Nothing around."""

    def far(self, currents: Currents, looking: Looking) -> Fields:
        """The field of the currents."""
        return _parted(currents, currents.radiator.about_origin(looking), looking)

    def near(self, currents: Currents, points: Floats, refuse: bool) -> Fields:
        """The field of the currents."""
        return fields_in_the_open(currents, points, refuse)

    def guided(self, _: Currents) -> list[tuple[str, float]]:
        """None."""
        return []

    def box(self, _: float) -> float:
        """Nothing closes it."""
        return -math.inf


@dataclass(frozen=True, slots=True)
class OverPlane(InTheOpen):
    """Over a perfect plane z = 0, which adds the image."""

    factors: Callable[[Floats, float], Fields]

    def far(self, currents: Currents, looking: Looking) -> Fields:
        """The field of the currents and what comes back; none below."""
        up = np.cos(looking.theta) >= -1e-12
        direct = InTheOpen.far(self, currents, looking)
        back = _reflected(currents, looking, self.factors)
        return (direct[0] + back[0]) * up, (direct[1] + back[1]) * up

    def near(self, currents: Currents, points: Floats, refuse: bool) -> Fields:
        """The field of the currents and their image; none below."""
        e, h = fields_in_the_open(currents, points, refuse, image=True)
        above = (points[:, 2] >= 0.0)[:, None]
        return e * above, h * above

    def box(self, _: float) -> float:
        """Nothing passes the plane."""
        return 0.0


@dataclass(frozen=True, slots=True)
class OverEarth(OverPlane):
    """Over real earth, which sends back a share."""

    earth: Earth

    def near(self, currents: Currents, points: Floats, refuse: bool) -> Fields:
        """The field of the currents and what earth sends back; none below."""
        e, h = fields_in_the_open(currents, points, refuse)
        back = add_reflected(currents, points, self.earth.at(currents.frequency), 0.0)
        above = (points[:, 2] >= 0.0)[:, None]
        hidden = (e == 0.0).all(axis=1)[:, None]
        return (e + back[0] * ~hidden) * above, (h + back[1] * ~hidden) * above

    def box(self, lowest: float) -> float:
        """Nothing closes it; what passes its lowest face goes into the earth."""
        if lowest < 0.0:
            raise UsageError(f"power through a box: its lowest face, z = {lowest:g} m, is in the earth: begin at z = 0")
        return -math.inf


@dataclass(frozen=True, slots=True)
class OnLayers:
    """On layers, through them, and in the air over them."""

    stack: Stack

    def far(self, currents: Currents, looking: Looking) -> Fields:
        """What the metal on the layers sends, and what is in the air over them."""
        e_theta, e_phi = (np.zeros(len(looking.theta), np.complex128) for _ in range(2))
        up = np.cos(looking.theta) > 1e-12

        def turn(height: float) -> Complexes:
            return np.asarray(np.exp(1j * currents.wavenumber * height * np.cos(looking.theta)))

        lift = turn(self.stack.thickness)
        for level in currents.on_levels:
            vectors = level.radiator.about_origin(looking) * turn(-level.stack.level)[:, None]
            over = printed_field(level.stack, currents.frequency, vectors, looking.theta, looking.phi)
            e_theta, e_phi = e_theta + lift * over[0], e_phi + lift * over[1]
            if self.stack.open_below:
                # What is under the board, from z = 0, is the mirror image of what is over it turned over.
                theta, turned = math.pi - looking.theta, level.stack.turned
                under = printed_field(turned, currents.frequency, vectors, theta, looking.phi)
                e_theta, e_phi = e_theta - under[0], e_phi + under[1]
        if currents.in_air is not None:
            direct = InTheOpen().far(currents.in_air, looking)
            back = _reflected(currents.in_air, looking, self.stack.reflected, self.stack.thickness)
            e_theta, e_phi = e_theta + up * (direct[0] + back[0]), e_phi + up * (direct[1] + back[1])
            if self.stack.open_below:
                tm, te = self._under(looking, currents)
                e_theta, e_phi = e_theta + tm * direct[0], e_phi + te * direct[1]
        return e_theta, e_phi

    def _under(self, looking: Looking, currents: Currents) -> Fields:
        """What of the field in the air over an open board comes out under it."""
        cosine = np.cos(looking.theta)
        down = cosine < -1e-12
        tm, te = self.stack.at(currents.frequency).transmitted(looking.theta)
        # From face to face, not as far as in air.
        turn = down * np.exp(-1j * currents.wavenumber * self.stack.thickness * cosine)
        return tm * turn, te * turn

    def near(self, currents: Currents, points: Floats, refuse: bool) -> Fields:
        """Over the layers, in them, and under an open board; none under a plane and over a lid."""
        e, h = (np.zeros((len(points), 3), np.complex128) for _ in range(2))
        top, upright = self.stack.thickness, points[:, 2]
        over = (upright >= top * (1.0 - 1e-9)) & (not self.stack.lid)
        under = (upright < 0.0) & self.stack.open_below
        # On the plane and on a lid the field of layers is that in them.
        inside = ~over & (upright >= 0.0) & (upright <= top * (1.0 + 1e-9))
        clear = ~in_metal(currents, points, refuse)
        within = inside & clear
        e[within], h[within] = fields_inside(currents.on_levels, points[within])
        for level in currents.on_levels:
            some = over & clear
            one, two = fields_over(level, points[some])
            e[some], h[some] = e[some] + one, h[some] + two
            if under.any():
                one, two = fields_over(level.turned, points[under] * MIRROR + np.array([0.0, 0.0, top]))
                e[under], h[under] = e[under] + one * MIRROR, h[under] - two * MIRROR
        if currents.in_air is not None:
            lower = (inside | under) & clear
            one, two = fields_into(currents.in_air, points[lower], self.stack)
            e[lower], h[lower] = e[lower] + one, h[lower] + two
            direct = fields_in_the_open(currents.in_air, points[over], refuse)
            back = add_reflected(currents.in_air, points[over], self.stack.at(currents.frequency), top)
            hidden = (direct[0] == 0.0).all(axis=1)[:, None]
            e[over], h[over] = (e[over] + direct[0] + back[0]) * ~hidden, (h[over] + direct[1] + back[1]) * ~hidden
        return e * clear[:, None], h * clear[:, None]

    def guided(self, currents: Currents) -> list[tuple[str, float]]:
        """In every wave that runs in the layers."""
        return guided_powers(self.stack, currents)

    def box(self, lowest: float) -> float:
        """Nothing passes a perfect plane, and what passes another is lost in it."""
        if lowest < 0.0 and self.stack.plane is not None:
            raise UsageError(
                f"power through a box: its lowest face, z = {lowest:g} m, is under a plane of {self.stack.plane.name}, "
                "which takes power: begin at z = 0"
            )
        return 0.0 if self.stack.has_plane and self.stack.plane is None else -math.inf


@dataclass(frozen=True, slots=True)
class OnBothSides:
    """On layers on both sides of a plane, each seen as if it were over it."""

    def far(self, currents: Currents, looking: Looking) -> Fields:
        """What each side sends into its half."""
        over, under = currents.sides
        e_theta, e_phi = self._side(over, looking)
        below = self._side(under, looking.mirrored)
        return e_theta - below[0], e_phi + below[1]

    def _side(self, currents: Currents, looking: Looking) -> Fields:
        stack = currents.medium.stack
        assert stack is not None
        if stack.lid:
            return np.zeros(len(looking.theta), np.complex128), np.zeros(len(looking.theta), np.complex128)
        metal = OnLayers(stack).far(currents, looking)
        places, moments = currents.opening_moments
        if not len(places):
            return metal
        opening = Radiator(None, np.zeros((0, 2), np.complex128), places, moments, places, currents.wavenumber)
        vectors = opening.about_origin(looking)
        across = opening_field(stack, currents.frequency, vectors, looking.theta, looking.phi)
        return metal[0] + across[0], metal[1] + across[1]

    def near(self, currents: Currents, points: Floats, refuse: bool) -> Fields:
        """On either side; raises UsageError for points in an opening, where it jumps."""
        e, h = (np.zeros((len(points), 3), np.complex128) for _ in range(2))
        for side, sense in zip(currents.sides, (1.0, -1.0), strict=True):
            own, mirror = sense * points[:, 2] >= 0.0, np.array([1.0, 1.0, sense])
            stack, seen = side.medium.stack, points[own] * mirror
            assert stack is not None
            one, two = OnLayers(stack).near(side, seen, refuse)
            if side.opening is not None:
                hidden = on_sheets(side.opening, seen, refuse, "in an opening") | in_metal(side, seen, False)
                more = fields_of_opening(side.opening, stack, side.frequency, seen)
                one, two = (one + more[0]) * ~hidden[:, None], (two + more[1]) * ~hidden[:, None]
            e[own], h[own] = one * mirror, sense * two * mirror
        return e, h

    def guided(self, currents: Currents) -> list[tuple[str, float]]:
        """In every wave that runs in the layers, on either side."""
        found = []
        for side, where in zip(currents.sides, ("over", "under"), strict=True):
            assert side.medium.stack is not None
            found += [(f"{name} {where} the plane", power) for name, power in guided_powers(side.medium.stack, side)]
        return found

    def box(self, _: float) -> float:
        """Nothing closes it but its own faces; what is lost in the plane is none of what passes them."""
        return -math.inf


def around(medium: Medium) -> Around:
    """What a medium makes of currents."""
    if isinstance(medium, Stack):
        return OnLayers(medium)
    if isinstance(medium, BothSides):
        return OnBothSides()
    if isinstance(medium, Earth):
        return OverEarth(medium.reflected, medium)
    return OverPlane(medium.reflected) if isinstance(medium, PerfectPlane) else InTheOpen()
