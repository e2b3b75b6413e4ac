"""From one station to another over terrain: the profile between them, every gain and loss, and what arrives."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Floats
from ..constants import wavelength
from ..errors import UsageError
from ..kernels.profiles import FACTS, profile_facts
from ..lettering import Told
from ..media.earth import Earth
from ..units import engineering
from . import diffraction
from .budget import Budget
from .stations import Station
from .terrain import Profile, Terrain
from .ways import Air, ways_of

if TYPE_CHECKING:
    import pandas as pd

_CLEAR = 0.6
"""Of the first Fresnel zone, that is kept clear."""


@dataclass(frozen=True, slots=True, repr=False)
class Path(Budget, Told):
    """One way between two stations.

    radius: of the effective earth, m. ends: heights of both antennas above the sea, m. free_space: loss between
    isotropic antennas, dB. antennas: realized gains of both along the direct ray, with unlike polarisations counted.
    ground: what the smooth ground or earth adds (a loss is above zero); terrain: what stands out of it adds.
    recommended: what P.526 by itself would say in place of both. gap: of the ray over what is nearest, over the radius
    of the first Fresnel zone there; below zero it is in the way. at: where that is, m. earth: the ground's name.
    """

    frequency: float
    stations: tuple[Station, Station]
    profile: Profile
    radius: float
    ends: tuple[float, float]
    free_space: float
    antennas: float
    ground: float
    terrain: float
    recommended: float
    gap: float
    at: float
    earth: str

    def _in_words(self) -> str:
        one, two = self.stations
        return f"from '{one.name}' to '{two.name}' at {engineering(self.frequency, 'Hz', 6)}"

    def _as_table(self) -> pd.DataFrame:
        return self.table()

    @property
    def distance(self) -> float:
        """Between both, along the ground, m."""
        return float(self.profile.distances[-1])

    @property
    def loss(self) -> float:
        """Between the antennas' ports, without feeders, dB."""
        return self.free_space - self.antennas + self.ground + self.terrain

    @property
    def _raised(self) -> Floats:
        """The profile with the earth's bulge, m."""
        return self.profile.heights + diffraction.bulge(self.profile.distances, self.radius)

    def clearing_heights(self, share: float = _CLEAR) -> tuple[float, float]:
        """How high above its ground each antenna must be, the other left as it is, for a share of the first Fresnel
        zone to be clear all along, m; below zero where it is clear from the ground.
        """  # fmt: skip
        d, total = self.profile.distances[1:-1], self.distance
        zone = share * np.sqrt(wavelength(self.frequency) * d * (total - d) / total)
        needed = self._raised[1:-1] + zone
        near = float(((needed - self.ends[1] * d / total) * total / (total - d)).max())
        far = float(((needed - self.ends[0] * (total - d) / total) * total / d).max())
        return near - float(self.profile.heights[0]), far - float(self.profile.heights[-1])

    def table(self) -> pd.DataFrame:
        """Every figure with its unit and a remark, from the power sent to the margin."""
        import pandas as pd

        one, two = self.stations
        near, far = self.clearing_heights()
        sight = "in sight" if self.gap > 0.0 else "out of sight"
        rows = [
            ("distance", self.distance, "m", ""),
            ("power sent", 10.0 * math.log10(one.power) + 30.0, "dBm", f"by '{one.name}'"),
            ("feeder losses", one.feeder_loss + two.feeder_loss, "dB", "of both"),
            ("antenna gains", self.antennas, "dB", "of both along the ray, realized, polarisations as they are"),
            ("free-space loss", self.free_space, "dB", ""),
            ("ground", self.ground, "dB", f"reflection, ground wave and the earth's roundness, over {self.earth}"),
            ("terrain", self.terrain, "dB", "what stands out of that"),
            ("path loss", self.loss, "dB", "from port to port"),
            ("by P.526 alone", self.recommended, "dB", "in place of ground and terrain, without reflection"),
            ("clearance", self.gap, "1", f"of the first Fresnel zone, {self.at:.0f} m from '{one.name}': {sight}"),
            ("clearing height", near, "m", f"of '{one.name}', for {_CLEAR:g} of that zone"),
            ("clearing height", far, "m", f"of '{two.name}', likewise"),
            ("received", self.level, "dBm", f"at '{two.name}'"),
            ("signal to noise", self.signal_to_noise, "dB", f"in {engineering(two.bandwidth, 'Hz')}, with 290 K"),
            ("margin", self.margin, "dB", f"beyond {two.required:g} dB that are required"),
        ]  # fmt: skip
        return pd.DataFrame(rows, columns=["figure", "value", "unit", "remark"]).set_index("figure")


def path(
    terrain: Terrain,
    one: Station,
    two: Station,
    frequency: str | float,
    *,
    earth: Earth | str = "meadow",
    roundness: float = 4.0 / 3.0,
    roughness: str | float = 0.0,
) -> Path:
    """The way from one station to another over terrain.

    earth: what the ground is, by name or a `materials.earth`, or "perfect plane". roundness: the k-factor, by which
    refraction makes the earth's radius seem larger; infinite for a flat earth. roughness: of the ground, root mean
    square: what a reflection keeps is exp(-2(kσ sin ψ)²) (Ament 1953). Raises UsageError for places beyond the terrain,
    one place for both, and what is out of range.
    """
    air = Air.of(frequency, earth, roundness, roughness, terrain.step)
    hertz = air.frequency
    if math.dist(one.at, two.at) < 1e-3:
        raise UsageError(f"path: '{one.name}' and '{two.name}' are at one place: put them apart")
    if (away := math.dist(one.at, two.at)) < 2.0 * air.wave:
        raise UsageError(
            f"path: '{one.name}' and '{two.name}' are {away:.3g} m apart, less than two wavelengths "
            f"of {air.wave:.3g} m, where far fields do not hold: solve both as one antenna"
        )
    profile = terrain.profile(one.at, two.at)
    near, far = (
        float(profile.heights[end]) + station.height + float(station.middle[2])
        for end, station in ((0, one), (-1, two))
    )
    facts = np.empty(FACTS)
    step = float(profile.distances[1])
    profile_facts(step, profile.heights, len(profile.heights), near, far, air.wave, 1.0 / air.radius, facts)
    heading = np.array([math.atan2(two.at[1] - one.at[1], two.at[0] - one.at[0])])
    sent, taken = (
        lambda rise: one.along(heading, rise, hertz, sending=True),
        lambda rise: two.along(heading + math.pi, rise, hertz, sending=False),
    )
    ways = ways_of(
        facts[None], profile.distances[-1:], np.array([near]), np.array([far]), air, sent, taken,
        lambda part: np.interp(part * profile.distances[-1], profile.distances, profile.heights),
    )  # fmt: skip
    free_space, antennas, ground, ridges, recommended = (float(part[0]) for part in ways)
    return Path(
        hertz, (one, two), profile, air.radius, (near, far), free_space, antennas, ground, ridges, recommended,
        float(facts[5]), float(facts[6]), air.name,
    )  # fmt: skip
