"""Between two stations in a built scene: every ray, what it carries, and what they make together."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats, Ints
from ..constants import SPEED_OF_LIGHT, wavelength
from ..errors import UsageError
from ..kernels.rays import BENT, MIRRORED, THROUGH
from ..lettering import Told
from ..media.earth import Earth
from ..running import report
from ..units import engineering
from .beams import beam
from .budget import Budget
from .scene import Scene
from .stations import Station
from .tracing import MOST_ORDER, MOST_WALLS, Tracer
from .transport import Carried, Found, Matter, carried
from .ways import Air

if TYPE_CHECKING:
    import pandas as pd

_NOTHING = 1e-15
_NO_GAIN = 1e-10
_DIRECTIONS = 200_000
"""Of a pattern, at most."""
_HORIZON = 1e-3
"""Degrees above the ground, from which on there is air."""
_WORDS = {MIRRORED: "off", BENT: "round", THROUGH: "through"}


@dataclass(frozen=True, eq=False, repr=False)
class Rays(Budget, Told):
    """Rays between two stations, the shortest first.

    places (2, 3): of the antennas, m. met: what each ray meets. leaving, arriving: directions (n, 3) in which it goes
    at both ends; length (n,), m; amplitude (n,): of what the second antenna takes, its square over the power sent.
    """

    frequency: float
    scene: Scene
    stations: tuple[Station, Station]
    places: Floats
    met: Found
    leaving: Floats
    arriving: Floats
    length: Floats
    amplitude: Complexes
    ground: str

    def _in_words(self) -> str:
        one, two = self.stations
        return f"{len(self.length)} from '{one.name}' to '{two.name}' at {engineering(self.frequency, 'Hz', 6)}"

    def _as_table(self) -> pd.DataFrame:
        return self.table()

    @property
    def loss(self) -> float:
        """Of all rays together, with their phases, between the antennas' ports, dB."""
        return -20.0 * math.log10(max(abs(complex(self.amplitude.sum())), _NOTHING))

    @property
    def mean_loss(self) -> float:
        """Of the powers of all rays together: what is received on average round about, dB."""
        return -10.0 * math.log10(max(float((np.abs(self.amplitude) ** 2).sum()), _NOTHING**2))

    @property
    def distance(self) -> float:
        """Between both antennas, m."""
        return float(np.linalg.norm(self.places[1] - self.places[0]))

    @property
    def free_space(self) -> float:
        """Loss between isotropic antennas over that distance in the open, dB."""
        return 20.0 * math.log10(4.0 * math.pi * self.distance / wavelength(self.frequency))

    @property
    def delays(self) -> Floats:
        """Of each ray (n,), s."""
        return self.length / SPEED_OF_LIGHT

    @property
    def levels(self) -> Floats:
        """What each ray alone would bring (n,), dBm."""
        one, two = self.stations
        sent = 10.0 * math.log10(one.power) + 30.0 - one.feeder_loss - two.feeder_loss
        return np.asarray(20.0 * np.log10(np.maximum(np.abs(self.amplitude), _NOTHING)) + sent)

    @property
    def spread(self) -> float:
        """Root mean square of the delays by their rays' powers, s (ITU-R P.1407); raises UsageError without rays."""
        if not len(self.length):
            raise UsageError("rays: there are none, so there is no delay spread: take a higher order, or more walls")
        power = np.abs(self.amplitude) ** 2
        mean = float(power @ self.delays / power.sum())
        return math.sqrt(float(power @ (self.delays - mean) ** 2 / power.sum()))

    def impulse(self, delays: Floats | None = None, bandwidth: str | float | None = None) -> tuple[Floats, Complexes]:
        """Delays, s, and the impulse response there, of a flat band: Σ a sinc(B(τ - τ_ray)); its middle has all phases.

        bandwidth: that of the second station unless given. Raises UsageError without rays.
        """
        wide = self.stations[1].bandwidth if bandwidth is None else units.frequency(bandwidth)
        if not len(self.length):
            raise UsageError(
                "rays: there are none, so there is no impulse response: take a higher order, or more walls"
            )
        own = self.delays
        if delays is None:
            margin = 4.0 / wide
            count = int(min(max((np.ptp(own) + 2.0 * margin) * wide * 8.0, 200.0), 20_000.0))
            delays = np.linspace(own[0] - margin, own[-1] + margin, count)
        found = sum(
            a * np.sinc(wide * (delays - t)) for a, t in zip(self.amplitude, own, strict=True)
        )  # one ray after another: both may be many
        return delays, np.asarray(found)

    def kind(self, number: int) -> str:
        """How a ray goes, in words: "straight", or what it meets in turn."""
        words = []
        for kind, n in zip(self.met.kinds[number], self.met.numbers[number], strict=True):
            if kind >= 0:
                words.append(f"{_WORDS[int(kind)]} {self._named(int(kind), int(n))}")
        return ", ".join(words) or "straight"

    def _named(self, kind: int, number: int) -> str:
        if kind == BENT:
            number = int(self.scene.edges.faces[number % len(self.scene.edges.length), 0])
        if number == len(self.scene.faces.offsets):
            return "the ground"
        return self.scene.bodies[int(self.scene.of_face[number])].name

    @property
    def bounces(self) -> Ints:
        """How often each ray is mirrored or bent (n,)."""
        return np.asarray(((self.met.kinds == MIRRORED) | (self.met.kinds == BENT)).sum(axis=1))

    def line(self, number: int) -> Floats:
        """Places along a ray (n, 3), m, from antenna to antenna."""
        inner = self.met.points[number][self.met.kinds[number] >= 0]
        return np.concatenate([self.places[:1], inner, self.places[1:]])

    def table(self) -> pd.DataFrame:
        """A row for each ray, the strongest first: how it goes, delay, length, level, and directions at both ends.

        Azimuths are by the compass; those of arrival are where a ray comes from.
        """
        import pandas as pd

        order = np.argsort(-np.abs(self.amplitude), kind="stable")
        (go, go_up), (come, come_up) = _compass(self.leaving), _compass(-self.arriving)
        whole = pd.DataFrame({
            "way": [self.kind(n) for n in range(len(self.length))], "bounces": self.bounces,
            "delay_ns": 1e9 * self.delays, "length_m": self.length, "level_dBm": self.levels,
            "phase_deg": np.degrees(np.angle(self.amplitude)), "leaves_azimuth_deg": go,
            "leaves_elevation_deg": go_up, "arrives_azimuth_deg": come, "arrives_elevation_deg": come_up,
        })  # fmt: skip
        return whole.iloc[order].reset_index(drop=True)

    def summary(self) -> pd.DataFrame:
        """Figures of all rays together, each with its unit and a remark."""
        import pandas as pd

        two = self.stations[1]
        seen = bool((~(self.met.kinds >= 0).any(axis=1)).any())
        rows = [
            ("distance", self.distance, "m", "in sight" if seen else "out of sight"),
            ("free-space loss", self.free_space, "dB", "of isotropic antennas in the open"),
            ("path loss", self.loss, "dB", "from port to port, all rays with their phases"),
            ("mean path loss", self.mean_loss, "dB", "of their powers: the average round about"),
            ("received", self.level, "dBm", f"at '{two.name}'"),
            ("signal to noise", self.signal_to_noise, "dB", f"in {engineering(two.bandwidth, 'Hz')}, with 290 K"),
            ("margin", self.margin, "dB", f"beyond {two.required:g} dB that are required"),
            ("rays", float(len(self.length)), "1", f"over {self.ground}"),
            ("delay spread", 1e9 * self.spread if len(self.length) else float("nan"), "ns", "root mean square"),
        ]  # fmt: skip
        return pd.DataFrame(rows, columns=["figure", "value", "unit", "remark"]).set_index("figure").dropna()


def _compass(directions: Floats) -> tuple[Floats, Floats]:
    """Azimuths by the compass and elevations, degrees."""
    return (
        np.degrees(np.arctan2(directions[:, 0], directions[:, 1])) % 360.0,
        np.degrees(np.arcsin(np.clip(directions[:, 2], -1.0, 1.0))),
    )


@dataclass(frozen=True, eq=False)
class Setting:
    """A station among bodies: what is asked of rays again and again is looked for once."""

    scene: Scene
    station: Station
    frequency: float
    ground: str
    place: Floats
    tracer: Tracer
    matter: Matter

    @classmethod
    def of(
        cls, scene: Scene, station: Station, frequency: str | float, earth: Earth | str, order: int, walls: int,
        edges: bool,
    ) -> Setting:  # fmt: skip
        """Raises UsageError for a station inside a body, limits out of range, and as `Air.of` and materials do."""
        air = Air.of(frequency, earth, math.inf, 0.0, 1.0)
        for what, value, most in (("order", order, MOST_ORDER), ("walls", walls, MOST_WALLS)):
            units.count(value, f"rays, {what}", 0, most)
        place = placed(station)
        _in_air(scene, station.name, place)
        tracer = Tracer(scene, place, air.frequency, order, walls, edges)
        matter = Matter.of(scene, air.frequency, air.permittivity, walls)
        return cls(scene, station, air.frequency, air.name, place, tracer, matter)

    def found(self, ends: Floats, count: int | None = None) -> tuple[Found, Carried]:
        """Rays to places (n, 3), and what they carry; of so many in all, this being some."""
        met = self.tracer.found(ends)
        many = len(met.to) * (1 if count is None else math.ceil(count / max(len(ends), 1)))
        return met, carried(self.matter, met, self.place, ends, beam(self.station, self.frequency, many))


def placed(station: Station) -> Floats:
    """Where its antenna is (3,), m, over level ground."""
    return np.array([*station.at, station.height + float(station.middle[2])], np.float64)


def _in_air(scene: Scene, name: str, place: Floats) -> None:
    if place[2] <= 0.0:
        raise UsageError(f"station '{name}' is {-place[2]:.3g} m under the ground, or on it: raise it")
    if (body := int(scene.holder(place[None])[0])) >= 0:
        raise UsageError(
            f"station '{name}' at ({place[0]:.4g}, {place[1]:.4g}), {place[2]:.3g} m up, is inside "
            f"'{scene.bodies[body].name}': move it, or raise it above the roof"
        )


def rays(
    scene: Scene, one: Station, two: Station, frequency: str | float, *, earth: Earth | str = "meadow", order: int = 2,
    walls: int = 2, edges: bool = True,
) -> Rays:  # fmt: skip
    """Every ray from one station to another among bodies over level ground.

    order: how often rays are mirrored and bent in all (0 to 5); walls: how many faces they go through at most, where
    they are not bent and off one wall at most; edges: whether they bend, as `Tracer` tells it. earth: the ground, as
    `path` takes it. Fields are those of far antennas and large faces: bodies nearer than some wavelengths, rough
    walls, windows and trees are not told. Raises UsageError for stations under the ground, inside a body, or less
    than two wavelengths apart.
    """
    own = Setting.of(scene, one, frequency, earth, order, walls, edges)
    end = placed(two)
    _in_air(scene, two.name, end)
    wave = wavelength(own.frequency)
    if (away := float(np.linalg.norm(end - own.place))) < 2.0 * wave:
        raise UsageError(
            f"rays: '{one.name}' and '{two.name}' are {away:.3g} m apart, less than two wavelengths of {wave:.3g} m, "
            "where far fields do not hold: put them apart"
        )
    report(f"rays from '{one.name}' to '{two.name}'")
    met, found = own.found(end[None])
    taken = two.field(-found.arriving, own.frequency) if len(met.to) else np.zeros((0, 3), complex)
    amplitude = np.sum(found.field * taken, axis=1)
    order_ = np.argsort(found.length, kind="stable")
    return Rays(
        own.frequency, scene, (one, two), np.stack([own.place, end]), met.only(order_),
        found.leaving[order_], found.arriving[order_], found.length[order_], amplitude[order_], own.ground,
    )  # fmt: skip


def gain_in_scene(
    scene: Scene, station: Station, frequency: str | float, azimuths: Floats, elevations: Floats, *,
    earth: Earth | str = "meadow", order: int = 2, walls: int = 2, edges: bool = True,
) -> pd.DataFrame:  # fmt: skip
    """The pattern that a scene leaves of a station's: realized gain far off, dBi, by azimuth (compass) and elevation,
    degrees, that go together: vertical and horizontal polarisation and both, and both in the open.

    Raises UsageError as `rays` does, and for directions that are not above the ground.
    """  # fmt: skip
    import pandas as pd

    bearing, rise = np.broadcast_arrays(np.atleast_1d(azimuths).astype(float), np.atleast_1d(elevations).astype(float))
    if bearing.ndim != 1 or not 1 <= len(bearing) <= _DIRECTIONS:
        raise UsageError(f"gain_in_scene: give 1 to {_DIRECTIONS:,} directions, in lists")
    low = np.min(rise)
    if not (low >= _HORIZON and np.max(rise) <= 90.0):
        raise UsageError(
            f"gain_in_scene: an elevation of {low:g} deg is not above the ground: give {_HORIZON:g} to 90 deg"
        )
    own = Setting.of(scene, station, frequency, earth, order, walls, edges)
    up, heading = np.radians(rise), np.radians(90.0 - bearing)
    away = np.stack([np.cos(up) * np.cos(heading), np.cos(up) * np.sin(heading), np.sin(up)], axis=1)
    size = float(np.abs(scene.faces.boxes).max()) if scene.bodies else 0.0
    # So far off that every ray leaves in parallel: what is lost by distance is given back.
    far = 1e7 * max(size + float(np.abs(own.place).max()), 10.0 * wavelength(own.frequency))
    ends = own.place + far * away
    met, found = own.found(ends)
    level = np.cross([0.0, 0.0, 1.0], away)
    level = level / np.maximum(np.linalg.norm(level, axis=1, keepdims=True), 1e-12)
    scale = 4.0 * np.pi * far / wavelength(own.frequency)
    whole = np.zeros((len(ends), 3), np.complex128)
    np.add.at(whole, met.to, found.field * scale)
    in_open = station.field(away, own.frequency)

    def gain(*fields: Complexes) -> Floats:
        power = sum(np.abs(f) ** 2 for f in fields)
        return np.asarray(10.0 * np.log10(np.maximum(power, _NO_GAIN)))

    horizontal, vertical = np.sum(whole * level, axis=1), np.sum(whole * np.cross(away, level), axis=1)
    return pd.DataFrame({
        "azimuth_deg": bearing, "elevation_deg": rise, "gain_vertical_dBi": gain(vertical),
        "gain_horizontal_dBi": gain(horizontal), "gain_dBi": gain(vertical, horizontal),
        "gain_in_the_open_dBi": gain(*in_open.T),
    })  # fmt: skip
