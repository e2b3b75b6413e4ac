"""Antennas at places: where they are, which way they look, and what is behind them."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from .. import units
from ..arrays.elements import Element
from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE, wavenumber
from ..description.turns import held
from ..errors import UsageError
from ..fields.currents import Currents
from ..fields.far import FarField
from ..media.surroundings import FreeSpace
from ..network.components import ROOM
from ..network.sources import watts
from ..runs.run import Run

_BOLTZMANN = 1.380649e-23
_MOST = 1e5
"""Metres of height, and decibels."""
_OVERHEAD = 0.9
"""Cosine of the angle from the zenith within which a beam counts as upright."""


@dataclass(frozen=True, slots=True)
class Station:
    """An antenna at a place (x, y), m, so high above the ground there.

    antenna: a far field, an element, or nothing for one that is the same in all directions, and then `polarisation`,
    "vertical" or "horizontal", is its own. An antenna over ground is taken by its currents: the ground is the place's.
    bearing: where its x axis points, degrees by the compass (north 0, east 90; as drawn 90); tilt: how far that is
    raised, roll: then turned about it, degrees. power: sent, W; feeder_loss: dB; noise_figure: dB; bandwidth: Hz;
    required: signal over noise, dB. Raises UsageError for what is out of range.
    """

    name: str
    at: tuple[float, float]
    height: float
    antenna: FarField | Element | None = None
    polarisation: str = "vertical"
    bearing: float = 90.0
    tilt: float = 0.0
    roll: float = 0.0
    power: float = 1.0
    feeder_loss: float = 0.0
    noise_figure: float = 0.0
    bandwidth: float = 1e6
    required: float = 0.0

    def __post_init__(self) -> None:
        for what, value in (
            ("height", self.height), ("feeder loss", self.feeder_loss), ("noise figure", self.noise_figure),
        ):  # fmt: skip
            if not 0.0 <= value <= _MOST:
                raise UsageError(f"station '{self.name}': {what} {value:g} is not between 0 and {_MOST:g}")
        for what, value in (("power", self.power), ("bandwidth", self.bandwidth)):
            if not (math.isfinite(value) and value > 0.0):
                raise UsageError(f"station '{self.name}': {what} {value:g} is not above zero")
        if not abs(self.required) <= _MOST:
            raise UsageError(f"station '{self.name}': required {self.required:g} dB is no signal over noise")
        if self.polarisation not in ("vertical", "horizontal"):
            raise UsageError(f"station '{self.name}': polarisation '{self.polarisation}' is not vertical or horizontal")

    @property
    def noise(self) -> float:
        """Noise at the receiver's input, W, of 290 K and its own."""
        return float(_BOLTZMANN * ROOM * self.bandwidth * 10.0 ** (self.noise_figure / 10.0))

    @property
    def turned(self) -> Floats:
        """Its own axes, as columns, in those of the place: x east, y north, z up (3, 3)."""
        return held(*(math.radians(x) for x in (self.roll, self.tilt, 90.0 - self.bearing)))

    @property
    def middle(self) -> Floats:
        """Of its currents from its own origin, in the place's axes (3,), m."""
        currents = getattr(self.antenna, "currents", None)
        own = currents.middle if isinstance(currents, Currents) else np.zeros(3)
        return np.asarray(self.turned @ own)

    def field(self, directions: Floats, frequency: float) -> Complexes:
        """What it sends in unit directions (n, 3) of the place, as vectors (n, 3) whose square is its realized gain.

        Phases are those from its middle. Raises UsageError for an antenna that was driven at another frequency.
        """
        turned = self.turned
        own = directions @ turned
        theta, phi = np.arccos(np.clip(own[:, 2], -1.0, 1.0)), np.arctan2(own[:, 1], own[:, 0])
        if self.antenna is None:
            # Upright or level at the place, whichever way it goes.
            level = np.cross([0.0, 0.0, 1.0], directions)
            size = np.linalg.norm(level, axis=1, keepdims=True)
            level = np.where(size > 1e-12, level / np.maximum(size, 1e-300), np.array([0.0, 1.0, 0.0]))
            return level + 0j if self.polarisation == "horizontal" else np.cross(directions, level) + 0j
        e_theta, e_phi = self._own(theta, phi, frequency)
        along_theta = np.stack([np.cos(theta) * np.cos(phi), np.cos(theta) * np.sin(phi), -np.sin(theta)], axis=1)
        along_phi = np.stack([-np.sin(phi), np.cos(phi), np.zeros_like(phi)], axis=1)
        found = e_theta[:, None] * along_theta + e_phi[:, None] * along_phi
        back = np.exp(-1j * wavenumber(frequency) * (directions @ self.middle))
        return np.asarray((found * back[:, None]) @ turned.T)

    def along(self, heading: Floats, rise: Floats, frequency: float, *, sending: bool) -> tuple[Complexes, Complexes]:
        """Its field along rays by their headings (from x towards y) and elevations, radians: upright and level.

        Both are of the wave that goes: away from it if it is sending, else towards it.
        """
        heading, rise = np.broadcast_arrays(heading, rise)
        c, s = np.cos(rise), np.sin(rise)
        directions = np.stack([c * np.cos(heading), c * np.sin(heading), s], axis=-1)
        field = self.field(directions, frequency)
        going = directions if sending else -directions
        level = np.cross([0.0, 0.0, 1.0], going)
        level = level / np.maximum(np.linalg.norm(level, axis=-1, keepdims=True), 1e-300)
        return np.sum(field * np.cross(going, level), axis=-1), np.sum(field * level, axis=-1)

    def _own(self, theta: Floats, phi: Floats, frequency: float) -> tuple[Complexes, Complexes]:
        """(E_θ, E_φ) in its own axes, their square the realized gain."""
        if isinstance(self.antenna, Element):
            scale = math.sqrt(2.0 * math.pi * self.antenna.efficiency / WAVE_IMPEDANCE)
            one, two = self.antenna.field(theta, phi, frequency)
            return scale * one, scale * two
        assert self.antenna is not None
        if abs(self.antenna.frequency - frequency) > 1e-6 * frequency:
            raise UsageError(
                f"station '{self.name}': its antenna was driven at {units.engineering(self.antenna.frequency, 'Hz')}, "
                f"the path is for {units.engineering(frequency, 'Hz')}: drive it there"
            )
        scale = math.sqrt(2.0 * math.pi / (WAVE_IMPEDANCE * self.antenna.incident))
        one, two = _alone(self.antenna).far_field(theta, phi)
        return scale * one, scale * two

    def aimed(self, other: tuple[float, float, float], own: tuple[float, float, float], frequency: float) -> Station:
        """Turned so that its beam points from its own place to another (x, y, z), m, with its upright as upright as can
        be.
        """  # fmt: skip
        away = np.subtract(other, own)
        goal = away / np.linalg.norm(away)
        if self.antenna is None:
            return self
        peak = self._peak(frequency)
        up = np.array([0.0, 1.0, 0.0]) if abs(peak[2]) > _OVERHEAD else np.array([0.0, 0.0, 1.0])
        turn = _frame(goal, np.array([0.0, 0.0, 1.0])) @ _frame(peak, up).T
        # Bearing, tilt and roll of that turn, read off where it puts the x axis.
        tilt = math.asin(float(np.clip(turn[2, 0], -1.0, 1.0)))
        bearing = 90.0 - math.degrees(math.atan2(turn[1, 0], turn[0, 0]))
        roll = math.atan2(turn[2, 1], turn[2, 2])
        return replace(self, bearing=bearing % 360.0, tilt=math.degrees(tilt), roll=math.degrees(roll))

    def steered(self, answered: Run, other: tuple[float, float, float], own: tuple[float, float, float]) -> Station:
        """Its ports driven so that from its own place it sends as much as it can to another (x, y, z), m.

        Each by the conjugate of what it alone sends there, in the sense of polarisation that all of them have most of.
        Raises UsageError for an antenna with one port.
        """
        away = self.turned.T @ np.subtract(other, own)
        theta, phi = math.atan2(math.hypot(away[0], away[1]), away[2]), math.atan2(away[1], away[0])
        fields = answered.embedded()
        if len(fields) < 2:
            raise UsageError(f"station '{self.name}': its antenna has one port: there is nothing to steer, turn it")
        alone = [_alone(field).far_field(np.array([theta]), np.array([phi])) for field in fields.values()]
        sent = np.array([[one[0], two[0]] for one, two in alone])
        if not np.abs(sent).max() > 0.0:
            raise UsageError(f"station '{self.name}': its ports send nothing that way, behind its board: turn it round")
        parts, _, _ = np.linalg.svd(sent)
        waves = {
            name: watts(float(abs(part) ** 2), f"{-math.degrees(np.angle(part)):.12f} deg")
            for name, part in zip(fields, parts[:, 0], strict=True)
        }
        hertz = next(iter(fields.values())).frequency
        return replace(self, antenna=answered.solution.drive(waves, hertz).far_field())

    def _peak(self, frequency: float) -> Floats:
        """Where its beam points, in its own axes (3,)."""
        if isinstance(self.antenna, Element):
            theta, phi = np.meshgrid(np.linspace(0.0, math.pi, 91), np.linspace(0.0, 2.0 * math.pi, 181), indexing="ij")
            one, two = self.antenna.field(theta.ravel(), phi.ravel(), frequency)
            n = int(np.argmax(np.abs(one) ** 2 + np.abs(two) ** 2))
            angles = float(theta.ravel()[n]), float(phi.ravel()[n])
        else:
            assert self.antenna is not None
            angles = replace(self.antenna, currents=_alone(self.antenna)).peak
        sine = math.sin(angles[0])
        return np.array([sine * math.cos(angles[1]), sine * math.sin(angles[1]), math.cos(angles[0])])


def _alone(field: FarField) -> Any:
    """What a far field is of, without what plane or earth below it send back: that is the place's to do."""
    currents = field.currents
    if isinstance(currents, Currents):
        # Layers are the antenna's own; what only lies below it is not.
        own = currents.medium
        return replace(currents, medium=FreeSpace()) if own.has_plane and own.stack is None else currents
    return currents


def _frame(forward: Floats, up: Floats) -> Floats:
    """Forward, left and up of it, as columns (3, 3)."""
    left = np.cross(up, forward)
    if np.linalg.norm(left) < 1e-9:
        left = np.array([0.0, 1.0, 0.0])
    left = left / np.linalg.norm(left)
    return np.stack([forward, left, np.cross(forward, left)], axis=1)
