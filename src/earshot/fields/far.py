"""The far field of driven currents: power, directivity and gain in any direction, and cuts through it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE
from ..errors import UsageError
from ..lettering import Told
from . import lobes, polarisation
from .directions import angles_of, unit_vectors
from .gains import decibels, in_unit
from .merit import rows_of
from .source import Source, all_directions, intensity_of, radiated_power

if TYPE_CHECKING:
    import pandas as pd
    import xarray as xr


_TURNS = 4.0 * math.pi + 1e-6
_LOW_BEAM = math.radians(45.0)
"""Angle from the zenith beyond which a beam over a plane goes along it rather than up."""
_UPRIGHT = math.radians(15.0)
"""Angle from the zenith or nadir within which a beam has no sides."""
_NOTHING = 100.0
"""dB below the peak where there is no field but rounding."""


def _direction(given: ArrayLike, what: str) -> Floats:
    """A unit vector (3,); raises UsageError for what is no direction."""
    axis = np.asarray(given, float)
    if axis.shape != (3,) or not np.linalg.norm(axis) > 0.0:
        raise UsageError(f"{what}: {given!r} is not a direction; give three numbers, not all zero")
    return np.asarray(axis / np.linalg.norm(axis))


def in_radians(theta: ArrayLike, phi: ArrayLike) -> tuple[Floats, Floats]:
    """Angles in radians, or text, as arrays; raises UsageError for whole turns, which are degrees by mistake."""
    one, two = (np.asarray(units.angle(x) if isinstance(x, str) else x, float) for x in (theta, phi))
    for name, given in (("theta", one), ("phi", two)):
        most = float(np.abs(given).max(initial=0.0))
        if not math.isfinite(most):
            raise UsageError(f"{name}: there is an angle of {most:g}; finite ones are needed")
        if most > _TURNS:
            raise UsageError(
                f"{name} = {most:g} is beyond two whole turns: arrays of angles are in radians, as np.radians(...) "
                "gives them; cut(), take_off() and sector() take degrees"
            )
    return one, two


@dataclass(frozen=True, eq=False, repr=False)
class FarField(Told):
    """The far field of an antenna, driven one way, at one frequency.

    accepted: power into the ports, W. incident: power sent towards them by generators of their references, W. The
    field is worked out where it is asked for; nothing is interpolated between samples.

    Angles: θ from +z, φ from +x towards +y; elevation = 90° - θ, azimuth = φ. Over a plane the field below it is
    zero, and figures that would need it are left out with the reason.
    """

    currents: Source
    accepted: float
    incident: float
    label: str = ""

    def _in_words(self) -> str:
        return f"of '{self.label}' at {units.engineering(self.frequency, 'Hz', 6)}"

    def _as_table(self) -> pd.DataFrame:
        return self.summary()

    @property
    def frequency(self) -> float:
        """Frequency, Hz."""
        return self.currents.frequency

    @property
    def half_space(self) -> bool:
        """Whether only the half space above a plane is there."""
        return self.currents.plane

    @property
    def below(self) -> str:
        """What lies below z = 0, in words; empty in free space."""
        return self.currents.below

    def field(self, theta: ArrayLike, phi: ArrayLike) -> tuple[Complexes, Complexes]:
        """(E_θ, E_φ) times distance, volts peak, for angles in radians, or text; the phase factor e^{-jkr} is left out.

        Raises UsageError for angles beyond whole turns, which are degrees by mistake, and for what is not finite.
        """
        return self.currents.far_field(*in_radians(theta, phi))

    def intensity(self, theta: ArrayLike, phi: ArrayLike) -> Floats:
        """Radiation intensity (|E_θ|² + |E_φ|²)/2η, W/sr, for angles in radians."""
        return intensity_of(self.field(theta, phi))

    @cached_property
    def radiated(self) -> float:
        """Radiated power, W, by integration over all directions; of a beam without coupling, what is meant to be."""
        known = getattr(self.currents, "radiated", None)
        return radiated_power(self.currents) if known is None else float(known)

    def radiated_by_polarisation(self) -> dict[str, float]:
        """Radiated power, W, in each of three pairs of polarisations: theta and phi, rhcp and lhcp, co and cross.

        Co and cross are those of `co_polar`.
        """
        theta, phi, solid = all_directions(self.currents)
        parts = self._polarised(theta, phi, self.field(theta, phi))
        return {name: float((solid * np.abs(e) ** 2).sum() / (2.0 * WAVE_IMPEDANCE)) for name, e in parts.items()}

    def directivity(self, theta: ArrayLike, phi: ArrayLike) -> Floats:
        """Directivity 4πU/P_radiated, a ratio, for angles in radians."""
        return 4.0 * math.pi * self.intensity(theta, phi) / self.radiated

    def gain(self, theta: ArrayLike, phi: ArrayLike) -> Floats:
        """Gain 4πU/P_accepted, a ratio, for angles in radians."""
        return 4.0 * math.pi * self.intensity(theta, phi) / self.accepted

    def realized_gain(self, theta: ArrayLike, phi: ArrayLike) -> Floats:
        """Realized gain 4πU/P_incident, a ratio, for angles in radians."""
        return 4.0 * math.pi * self.intensity(theta, phi) / self.incident

    @property
    def efficiency(self) -> float:
        """Radiation efficiency P_radiated/P_accepted."""
        return self.radiated / self.accepted

    @property
    def step(self) -> float:
        """Angular step that shows every lobe of an antenna of this size, radians: 5° at most."""
        return min(math.radians(5.0), math.pi / (8.0 * max(self.currents.reach, 1e-9)))

    @cached_property
    def _lobes(self) -> list[lobes.Lobe]:
        """Every lobe in all directions, the strongest first."""
        across = min(math.radians(5.0), math.pi / (8.0 * max(self.currents.breadth, 1e-9)))
        steep = self.currents.abrupt
        return lobes.find_lobes(self.intensity, 2.0 * self.step, 2.0 * across, self.half_space, steep)

    @property
    def peak(self) -> tuple[float, float]:
        """Direction (θ, φ) of greatest intensity, radians."""
        return self._lobes[0].theta, self._lobes[0].phi

    @cached_property
    def greatest(self) -> float:
        """Radiation intensity at the peak, W/sr."""
        return float(self.intensity(*self.peak))

    def all_lobes(self) -> pd.DataFrame:
        """Every lobe in all directions, the strongest first: θ and φ (degrees), gain (dBi), level below the peak (dB).

        Lobes as strong as the peak, to 0.05 dB, are equal beams; what stands out by less than 0.01 dB, or lies more
        than 60 dB below the peak, is not told.
        """
        import pandas as pd

        top = self._lobes[0].level
        rows = [
            (math.degrees(x.theta), math.degrees(x.phi), float(decibels(4.0 * math.pi * x.level / self.accepted)),
             float(decibels(x.level / top)))
            for x in self._lobes
        ]  # fmt: skip
        return pd.DataFrame(rows, columns=["theta_deg", "phi_deg", "gain_dBi", "level_dB"])

    @property
    def side_lobe(self) -> tuple[float, float, float] | None:
        """The strongest lobe besides the main one, in all directions: dB below the peak, θ and φ; None without one.

        Beams as strong as the main one, to 0.05 dB, such as its mirror image behind a flat array, are no side lobes.
        """
        top = self._lobes[0].level
        for x in self._lobes[1:]:
            level = float(decibels(x.level / top))
            if level < -lobes.EQUAL:
                return level, x.theta, x.phi
        return None

    @property
    def equal_beams(self) -> int:
        """How many lobes besides the main one are as strong, to 0.05 dB; those of one ring are one with it."""
        top = self._lobes[0].level
        return sum(float(decibels(x.level / top)) >= -lobes.EQUAL for x in self._lobes[1:])

    @cached_property
    def _plane_axes(self) -> tuple[Floats, Floats]:
        """Unit vectors: the peak's direction, and the long axis of the polarisation ellipse there."""
        theta, phi = (np.array([x]) for x in self.peak)
        return unit_vectors(theta, phi)[0], lobes.major_axis(*self.field(theta, phi), theta, phi)

    def _track(self, plane: str) -> lobes.Track:
        axis, along = self._plane_axes
        side = along if plane == "E" else np.cross(axis, along)
        return lobes.great_circle(axis, side)

    def cut(
        self,
        plane: str | None = None,
        *,
        elevation: str | float | None = None,
        azimuth: str | float | None = None,
        step: str | float | None = None,
        unit: str = "dBi",
    ) -> xr.Dataset:
        """Samples along one cut, labelled by `angle` in degrees.

        One of: plane "E" or "H", the great circles through the peak along and across its polarisation, angle counted
        from the peak; elevation=..., a cone round the z axis, angle the azimuth; azimuth=..., the great circle through
        the zenith, angle the elevation (beyond 90° on the far side). step: "1 deg", or what the antenna's size asks
        for. unit of gains: "dBi", "dBd" or "linear". Gain_theta is what is called vertical, gain_phi horizontal. Raises
        UsageError unless exactly one of plane, elevation and azimuth is given.
        """
        track = self._chosen(plane, elevation, azimuth)
        spacing = units.angle(step, "cut, step") if step is not None else min(self.step, math.radians(1.0))
        if not 0.0 < spacing <= math.pi:
            raise UsageError(f"cut: step {step} is outside 0 to 180 deg")
        return self._sampled(track, spacing, unit)

    def _chosen(self, plane: str | None, elevation: str | float | None, azimuth: str | float | None) -> lobes.Track:
        if sum(x is not None for x in (plane, elevation, azimuth)) != 1:
            raise UsageError("cut: give exactly one of plane ('E' or 'H'), elevation=... and azimuth=...")
        if plane is not None:
            if plane not in ("E", "H"):
                raise UsageError(f"cut: plane {plane!r} is not 'E' or 'H'; use elevation=... or azimuth=... for others")
            return self._track(plane)
        if azimuth is not None:
            return lobes.meridian(units.angle(azimuth, "cut, azimuth"), self.half_space)
        height = units.angle(elevation, "cut, elevation") if elevation is not None else 0.0
        if not (0.0 if self.half_space else -math.pi / 2) <= height <= math.pi / 2:
            least = "0 (a plane is below)" if self.half_space else "-90"
            raise UsageError(f"cut: elevation {math.degrees(height):g} deg is outside {least} to 90 deg")
        return lobes.cone(height)

    def take_off(self, azimuth: str | float | None = None) -> pd.DataFrame:
        """Every lobe over one azimuth, the strongest first: take-off angle (elevation, degrees) and gain (dBi).

        azimuth: that of the peak unless given; 0 to 90 degrees of elevation are looked at.
        """
        import pandas as pd

        phi = self.peak[1] if azimuth is None else units.angle(azimuth, "take_off, azimuth")
        fine = min(self.step, math.radians(1.0)) / 4.0
        elevation = np.linspace(0.0, math.pi / 2.0, math.ceil(math.pi / 2.0 / fine) + 1)
        gain = self.gain(math.pi / 2.0 - elevation, phi)
        padded = np.concatenate([[-1.0], gain, [-1.0]])
        tops = np.flatnonzero((gain > 1e-12) & (gain >= padded[:-2]) & (gain > padded[2:]))
        rows = []
        for i in tops.tolist():
            # Where the parabola through three samples is highest.
            before, here, after = (gain[max(i - 1, 0)], gain[i], gain[min(i + 1, len(gain) - 1)])
            bend = before - 2.0 * here + after
            shift = 0.5 * (before - after) / bend if 0 < i < len(gain) - 1 and bend < 0.0 else 0.0
            angle = elevation[i] + shift * (elevation[1] - elevation[0])
            level = here - 0.25 * (before - after) * shift
            rows.append((math.degrees(angle), 10.0 * math.log10(level)))
        rows.sort(key=lambda row: -row[1])
        return pd.DataFrame(rows, columns=["elevation_deg", "gain_dBi"])

    def _sampled(self, track: lobes.Track, step: float, unit: str) -> xr.Dataset:
        import xarray as xr

        count = max(4, round((track.stop - track.start) / step)) + 1
        along = np.linspace(track.start, track.stop, count)
        theta, phi = angles_of(track.directions(along))
        angle = {"units": "deg", "long_name": track.angle}
        coordinates = {
            "angle": ("angle", np.degrees(along), angle),
            "theta": ("angle", np.degrees(theta), {"units": "deg"}),
            "phi": ("angle", np.degrees(phi), {"units": "deg"}),
        }
        attributes = {
            "cut": track.name, "angle": track.angle, "frequency_Hz": self.frequency, "label": self.label,
            "co_polar": self.co_polar,
        }  # fmt: skip
        return xr.Dataset(self._samples(("angle",), theta, phi, self.field(theta, phi), unit), coordinates, attributes)

    def _samples(
        self, names: tuple[str, ...], theta: Floats, phi: Floats, field: tuple[Complexes, Complexes], unit: str
    ) -> dict[str, tuple[tuple[str, ...], Any, dict[str, str]]]:
        """Everything sampled in a direction: gains, by polarisation too, the field, axial ratio and tilt."""
        e_theta, e_phi = field
        sphere = 2.0 * math.pi / WAVE_IMPEDANCE
        whole = sphere * (np.abs(e_theta) ** 2 + np.abs(e_phi) ** 2)
        gains = {
            "directivity": whole / self.radiated,
            "gain": whole / self.accepted,
            "realized_gain": whole / self.incident,
        } | {
            f"gain_{name}": sphere * np.abs(part) ** 2 / self.accepted
            for name, part in self._polarised(theta, phi, field).items()
        }
        samples: dict[str, tuple[tuple[str, ...], Any, dict[str, str]]] = {
            name: (names, in_unit(ratio, unit), {"units": unit}) for name, ratio in gains.items()
        }
        samples["eirp"] = (names, decibels(whole), {"units": "dBW"})
        for name, part in (("e_theta", e_theta), ("e_phi", e_phi)):
            samples[name] = (names, part, {"units": "V", "long_name": "times distance, peak"})
        samples["axial_ratio"] = (names, polarisation.axial_ratio(e_theta, e_phi), {"units": "dB"})
        samples["tilt"] = (names, polarisation.tilt(e_theta, e_phi), {"units": "deg"})
        return samples

    def _polarised(self, theta: Floats, phi: Floats, field: tuple[Complexes, Complexes]) -> dict[str, Complexes]:
        """The field's parts by polarisation, by name."""
        e_theta, e_phi = field
        right, left = polarisation.circular(e_theta, e_phi)
        if self.co_polar == "theta":
            co, cross = e_theta, e_phi
        elif self.co_polar == "phi":
            co, cross = e_phi, e_theta
        else:
            t, p = (x.ravel() for x in np.broadcast_arrays(theta, phi))
            pair = polarisation.ludwig(e_theta.ravel(), e_phi.ravel(), t, p, *self._plane_axes)
            co, cross = (x.reshape(e_theta.shape) for x in pair)
        return {"theta": e_theta, "phi": e_phi, "rhcp": right, "lhcp": left, "co": co, "cross": cross}

    @cached_property
    def co_polar(self) -> str:
        """What the co-polar field is: "Ludwig 3", or "theta" (vertical) or "phi" (horizontal).

        By Ludwig's third definition (1973) about the peak, which is that of a source turned about its beam. A beam over
        a plane or earth that leaves it below 45 degrees is not turned but carried round the upright axis: co-polar is
        then vertical or horizontal, whichever is the stronger at the peak, as by his second definition.
        """
        if not self.half_space or self.peak[0] < _LOW_BEAM:
            return "Ludwig 3"
        e_theta, e_phi = (abs(complex(e)) for e in self.field(*self.peak))
        return "theta" if e_theta >= e_phi else "phi"

    def sphere(self, step: str | float | None = None, *, unit: str = "dBi") -> xr.Dataset:
        """Directivity, gain and field over the whole sphere (or half of it), labelled by theta and phi in degrees.

        step: as the antenna's size asks, down to 0.25 deg, unless given.
        """
        import xarray as xr

        spacing = units.angle(step, "sphere, step") if step is not None else max(self.step, math.radians(0.25))
        if not 0.0 < spacing <= math.pi / 2:
            raise UsageError(f"sphere: step {step} is outside 0 to 90 deg")
        top = math.pi / 2 if self.half_space else math.pi
        theta = np.linspace(0.0, top, max(2, math.ceil(top / spacing - 1e-9)) + 1)
        phi = np.linspace(0.0, 2.0 * math.pi, max(4, math.ceil(2.0 * math.pi / spacing - 1e-9)) + 1)
        field = self.field(theta[:, None], phi)
        coordinates = {
            "theta": ("theta", np.degrees(theta), {"units": "deg"}),
            "phi": ("phi", np.degrees(phi), {"units": "deg"}),
        }
        samples = self._samples(("theta", "phi"), theta[:, None], phi, field, unit)
        return xr.Dataset(samples, coordinates, {"frequency_Hz": self.frequency, "label": self.label})

    def beamwidth(self, plane: str, level: float = lobes.HALF_POWER) -> float | None:
        """Full width in degrees of the main lobe of the "E" or "H" cut at a level (dB) below the peak.

        The half-power beamwidth unless another level is given. None when the lobe never falls that far, or would
        only do so below a plane.
        """
        return lobes.beamwidth(self._level(plane), self.step, level)

    @property
    def azimuth_beamwidth(self) -> float | None:
        """Full half-power width in azimuth at the peak's elevation, degrees; None where it never falls that far."""
        theta, phi = self.peak
        return lobes.beamwidth(
            lambda along: decibels(self.intensity(theta, phi + along) / self.greatest), self.step, lobes.HALF_POWER
        )

    def side_lobes(self, plane: str) -> list[tuple[float, float]]:
        """Lobes beside the main one in the "E" or "H" cut, highest first: (dB below the peak, degrees from it).

        The level is relative to the peak, so it is negative; a second lobe as strong as the first has 0 dB.
        """
        return lobes.side_lobes(self._level(plane), self.step)

    def _level(self, plane: str) -> lobes.Level:
        track = self._track(plane)

        def level(along: Floats) -> Floats:
            directions = track.directions(along)
            values = decibels(self.intensity(*angles_of(directions)) / self.greatest)
            return np.where(directions[:, 2] < -1e-12, np.nan, values) if self.half_space else values

        return level

    @property
    def front_to_back(self) -> float | None:
        """Peak over the opposite direction, dB.

        Over a plane or earth, where that is below it: over the direction as high on the other side, in the cone of
        take-off. None for a beam near the zenith there.
        """
        theta, phi = self.peak
        if self.half_space and theta < _LOW_BEAM:
            return None
        behind = theta if self.half_space else math.pi - theta
        front, back = self.greatest, float(self.intensity(behind, phi + math.pi))
        # Elements of an array may send nothing at all behind them.
        return float(decibels(front / max(back, 1e-20 * front)))

    def nulls(self, plane: str, depth: float = 20.0) -> list[tuple[float, float]]:
        """Minima of the "E" or "H" cut `depth` dB or more below the peak: (degrees from it, dB relative to it)."""
        return lobes.nulls(self._level(plane), self.step, depth)

    def front_to_rear(self, half_angle: str | float = "60 deg") -> float | None:
        """Peak over the strongest field within an angle of the opposite direction, dB; None over a plane."""
        if self.half_space:
            return None
        return -self._relative(self.sector(-self._plane_axes[0], half_angle)["greatest"])

    @property
    def front_to_side(self) -> float | None:
        """Peak over the stronger direction a quarter turn aside in azimuth, as high as it, dB.

        None for a beam near the zenith or the nadir, which has no sides, and where there is no field.
        """
        theta, phi = self.peak
        if self.has_no_sides:
            return None
        aside = self.intensity(theta, phi + np.array([-0.5, 0.5]) * math.pi).max()
        level = float(decibels(aside / self.greatest))
        return None if level < -_NOTHING else -level

    @property
    def has_no_sides(self) -> bool:
        """Whether the beam is so upright that it has no azimuth to speak of."""
        least = _LOW_BEAM if self.half_space else _UPRIGHT
        return not least <= self.peak[0] <= math.pi - _UPRIGHT

    def _relative(self, gain: float) -> float:
        return gain - float(decibels(4.0 * math.pi * self.greatest / self.accepted))

    def sector(self, direction: ArrayLike, half_angle: str | float) -> dict[str, float]:
        """Least, mean and greatest gain, dBi, within an angle of a direction (x, y, z); the mean is of power.

        A sector that reaches the horizon of a plane or of earth has it as an edge: over earth nothing goes along it,
        and the least is then below -100 dBi. Raises UsageError for a sector without a direction above the plane.
        """
        axis = _direction(direction, "sector")
        wide = units.angle(half_angle, "sector, half_angle")
        if not 0.0 < wide <= math.pi:
            raise UsageError(f"sector: half angle {half_angle} is outside 0 to 180 deg")
        directions, weights = lobes.cap(axis, wide, max(min(self.step, wide / 4), wide / 1000))
        above = directions[:, 2] >= -1e-12 if self.half_space else np.ones(len(directions), bool)
        if not above.any():
            raise UsageError("sector: it lies wholly below the plane, where there is no field")
        gain = self.gain(*angles_of(directions[above]))
        mean = float((gain * weights[above]).sum() / weights[above].sum())
        if self.half_space:
            level = unit_vectors(np.full(721, math.pi / 2.0), np.linspace(0.0, 2.0 * math.pi, 721))
            edge = level[level @ axis >= math.cos(wide) - 1e-12]
            gain = np.concatenate([gain, self.gain(math.pi / 2.0, angles_of(edge)[1])]) if len(edge) else gain
        return {
            "least": float(decibels(gain.min())),
            "mean": float(decibels(mean)),
            "greatest": float(decibels(gain.max())),
        }

    def towards(self, direction: ArrayLike) -> dict[str, float]:
        """What goes in one direction (x, y, z): gains in dBi by polarisation, axial ratio (dB), tilt (deg).

        Raises UsageError for a direction below the plane.
        """
        axis = _direction(direction, "towards")
        if self.half_space and axis[2] < -1e-12:
            raise UsageError(f"towards: {direction!r} is below the plane, where there is no field")
        theta, phi = angles_of(axis[None])
        samples = self._samples(("direction",), theta, phi, self.field(theta, phi), "dBi")
        left_out = ("e_theta", "e_phi")
        return {name: float(values[0]) for name, (_, values, _) in samples.items() if name not in left_out}

    def summary(self) -> pd.DataFrame:
        """The figures of merit as a pandas table: value, unit, and a remark where one is needed."""
        import pandas as pd

        return pd.DataFrame(list(rows_of(self)), columns=["figure", "value", "unit", "remark"]).set_index("figure")

    @property
    def right_handed(self) -> bool:
        """Whether the right-hand part is the stronger at the peak."""
        right, left = polarisation.circular(*self.field(*self.peak))
        return bool(abs(right) > abs(left))

    @property
    def all_round(self) -> bool:
        """Whether it is the same in all azimuths at the peak's elevation."""
        around = self.intensity(np.full(24, self.peak[0]), np.arange(24) * math.pi / 12)
        return bool(np.ptp(around) < 2e-3 * around.max())
