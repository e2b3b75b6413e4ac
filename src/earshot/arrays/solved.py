"""Arrays of real antennas: one solve with a port for each, then any weights, with all coupling.

Weights are waves from generators of the ports' references; each embedded pattern is that of one element fed, the others
closed by theirs. Beams are sums of them, exactly.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..answers.driven import Driven
from ..answers.solution import Solution
from ..arraytypes import Complexes
from ..constants import wavenumber
from ..description.antenna import Antenna
from ..errors import UsageError
from ..fields.far import FarField
from ..network.sources import Source, watts
from .array import direction
from .layouts import Layout
from .scanning import directions
from .weights import Weights

if TYPE_CHECKING:
    import pandas as pd

Angle = str | float


MOST_PARTS = 20_000
"""Wires and sheets of an array that is to be solved."""


def repeated(
    antenna: Antenna, layout: Layout, *, others: Mapping[int, Antenna] | None = None, name: str = ""
) -> Antenna:
    """One antenna at every place of a layout, turned as it says, as one antenna: parts of number 1 begin with "e1_".

    others: other antennas at some places, by number from 0, such as at the edges. Raises UsageError for antennas that
    have not one port each, and for places there are not.
    """
    from scipy.spatial.transform import Rotation

    chosen = dict(others or {})
    for number, other in chosen.items():
        if not 0 <= number < len(layout):
            raise UsageError(f"repeated: there is no place {number}: they are 0 to {len(layout) - 1}")
        if other.medium != antenna.medium:
            raise UsageError(f"repeated: antenna '{other.name}' is in another medium than '{antenna.name}'")
    for one in (antenna, *chosen.values()):
        if len(one.ports) != 1:
            raise UsageError(f"repeated: antenna '{one.name}' has {len(one.ports)} ports: an element has one")
    if not layout.unturned and antenna.medium.has_plane and (np.abs(layout.turns[:, 2, 2] - 1.0) > 1e-9).any():
        raise UsageError(f"repeated: '{antenna.name}' is over {antenna.medium}: its elements cannot be tilted")
    units.count(len(layout) * len(antenna.metal), "repeated: wires and sheets in all", 1, MOST_PARTS)
    several = []
    for n, (place, turn) in enumerate(zip(layout.positions, layout.turns, strict=True)):
        one = chosen.get(n, antenna).prefixed(f"e{n + 1}_")
        vector = Rotation.from_matrix(turn).as_rotvec()
        angle = float(np.linalg.norm(vector))
        if angle > 1e-12:
            one = one.rotated(math.degrees(angle), (vector / angle).tolist())
        several.append(one.moved(place.tolist()))
    # By pairs, so that no part is copied more often than the number doubles.
    while len(several) > 1:
        odd = several[-1:] if len(several) % 2 else []
        several = [replace(a + b, name=antenna.name) for a, b in zip(several[::2], several[1::2], strict=False)] + odd
    return replace(several[0], name=name or f"{antenna.name}, {len(layout)} of it")


def port_places(antenna: Antenna) -> Layout:
    """The ports of an antenna as a layout, in their order: for a solved array whose elements were drawn one by one."""
    return Layout([antenna.place_of(port) for port in antenna.ports])


@dataclass(frozen=True, eq=False)
class SolvedArray:
    """A solution whose ports are the elements of an array, at one of its frequencies (Hz, or text).

    Elements are the ports in their order; `layout` says where they are. Raises UsageError when the numbers differ.
    """

    solution: Solution
    layout: Layout
    frequency: float

    def __post_init__(self) -> None:
        object.__setattr__(self, "frequency", units.frequency(self.frequency))
        ports = self.solution.antenna.ports
        if len(ports) != len(self.layout):
            raise UsageError(f"solved array: {len(ports)} ports for {len(self.layout)} places: give one each")

    def __len__(self) -> int:
        return len(self.layout)

    @cached_property
    def scattering(self) -> Complexes:
        """S at the ports' references (n, n)."""
        at = self.solution.at(self.frequency)
        return np.asarray(at.network.s().values[0])

    def coupling(self) -> pd.DataFrame:
        """|S| between all elements, dB."""
        import pandas as pd

        names = [p.name for p in self.solution.antenna.ports]
        level = 20.0 * np.log10(np.maximum(np.abs(self.scattering), 1e-10))
        return pd.DataFrame(level, index=pd.Index(names, name="to"), columns=pd.Index(names, name="from"))

    def drive(self, weights: Weights) -> Driven:
        """All ports fed by generators whose available waves are the weights, √W."""
        values = self._fitting(weights).at(self.frequency)
        ports = self.solution.antenna.ports
        sources = {p.name: Source("power", complex(w)) for p, w in zip(ports, values, strict=True) if w}
        return self.solution.drive(sources, self.frequency)

    def beam(self, weights: Weights) -> FarField:
        """The far field of weights, with coupling: gain over the power accepted, realized gain over that available."""
        return self.drive(weights).far_field()

    @cached_property
    def embedded(self) -> tuple[FarField, ...]:
        """The far field of every element fed with one watt available, the others closed by their references."""
        names = [p.name for p in self.solution.antenna.ports]
        return tuple(self.solution.drive({name: watts(1.0)}, self.frequency).far_field() for name in names)

    def patterns(self, theta: ArrayLike, phi: ArrayLike) -> Complexes:
        """(E_θ, E_φ) times distance of every embedded pattern (n, 2, ...), volts peak: beams are sums of them."""
        return np.stack([np.stack(e.field(theta, phi)) for e in self.embedded])

    def steered(
        self,
        weights: Weights | None = None,
        *,
        theta: Angle | None = None,
        phi: Angle | None = None,
        azimuth: Angle | None = None,
        elevation: Angle | None = None,
    ) -> Weights:
        """Weights (equal unless given) whose phases add up in one direction, from the places of elements alone."""
        towards = direction(theta, phi, azimuth=azimuth, elevation=elevation)
        phase = wavenumber(self.frequency) * self.layout.positions @ towards
        return self._fitting(weights).times(np.exp(-1j * phase))

    def active(self, weights: Weights) -> pd.DataFrame:
        """What every element sees with all fed: active reflection, its size in dB, VSWR, and active impedance, ohm.

        Elements that are not fed have none.
        """
        import pandas as pd

        values = self._fitting(weights).at(self.frequency)
        fed = np.abs(values) > 0.0
        reflected = self.scattering @ values
        gamma = np.where(fed, reflected / np.where(fed, values, 1.0), np.nan)
        size = np.abs(gamma)
        references = np.array([p.reference for p in self.solution.antenna.ports])
        standing = np.where(size < 1.0, (1.0 + size) / np.maximum(1.0 - size, 1e-12), np.inf)
        names = [p.name for p in self.solution.antenna.ports]
        return pd.DataFrame(
            {
                "active_reflection": gamma,
                "reflection_dB": 20.0 * np.log10(np.maximum(size, 1e-10)),
                "vswr": standing,
                "active_impedance_ohm": (references.conj() + references * gamma) / (1.0 - gamma),
            },
            index=pd.Index(names, name="port"),
        )

    def total_active_reflection(self, weights: Weights) -> float:
        """√(reflected over available power) of all elements together (Manteghi and Rahmat-Samii 2005, eq. 5)."""
        values = self._fitting(weights).at(self.frequency)
        return float(np.linalg.norm(self.scattering @ values) / np.linalg.norm(values))

    def scan(
        self,
        weights: Weights | None = None,
        *,
        facing: ArrayLike = (0.0, 0.0, 1.0),
        along: ArrayLike = (1.0, 0.0, 0.0),
        angles: ArrayLike | None = None,
    ) -> pd.DataFrame:
        """Steered from where the array faces towards an axis: per angle, deg, the worst and mean VSWR, total active
        reflection, and gain and realized gain (dBi) in that direction.

        facing, along: (x, y, z), made square to one another. angles: every 5 up to 80 either way unless given. Raises
        UsageError when the two are one direction.
        """  # fmt: skip
        import pandas as pd

        rows = {}
        for angle, theta, phi in directions(facing, along, angles, 80.0):
            own = self.steered(weights, theta=math.degrees(theta), phi=math.degrees(phi))
            seen = self.active(own)["vswr"].to_numpy()
            beam = self.beam(own)
            gains = [10.0 * math.log10(max(float(g(theta, phi)), 1e-20)) for g in (beam.gain, beam.realized_gain)]
            rows[angle] = [np.nanmax(seen), np.nanmean(seen), self.total_active_reflection(own), *gains]
        columns = ["worst_vswr", "mean_vswr", "total_active_reflection", "gain_dBi", "realized_gain_dBi"]
        return pd.DataFrame.from_dict(rows, orient="index", columns=columns).rename_axis("angle_deg")

    def envelope_correlation(self) -> pd.DataFrame:
        """|∫ E_i·E_j*|² over the products of their powers, of every two embedded patterns, over all directions.

        Waves that come from everywhere alike (Vaughan and Andersen 1987, eq. 17).
        """
        import pandas as pd

        first = self.embedded[0].currents
        order = math.ceil(first.reach) + 16 + (24 if first.abrupt else 0)
        cosines, weights = np.polynomial.legendre.leggauss(order)
        if first.plane:
            cosines, weights = 0.5 * (cosines + 1.0), 0.5 * weights
        phi = 2.0 * math.pi * np.arange(2 * order) / (2 * order)
        fields = self.patterns(np.arccos(cosines)[:, None], phi) * np.sqrt(weights)[:, None]
        flat = fields.reshape(len(self), -1)
        shared = flat @ flat.conj().T
        power = np.diag(shared).real
        names = [p.name for p in self.solution.antenna.ports]
        return pd.DataFrame(np.abs(shared) ** 2 / np.outer(power, power), index=names, columns=names)

    def _fitting(self, weights: Weights | None) -> Weights:
        if weights is None:
            return Weights(np.ones(len(self)))
        if len(weights) != len(self):
            raise UsageError(f"solved array: {len(weights)} weights for {len(self)} elements: give one each")
        return weights
