"""What a far field is of, and the power it sends in all directions."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Protocol

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE


class Source(Protocol):
    """What a far field is of: currents, or the weights of an array.

    plane: whether there is only the half space above, and below: what is below it, in words. reach: radius of a sphere
    round it times the wavenumber, and breadth: of an upright cylinder. abrupt: whether its field may change within
    degrees of the horizon.
    """

    @property
    def frequency(self) -> float:
        """Hz."""
        ...

    @property
    def plane(self) -> bool:
        """Whether there is only the half space above."""
        ...

    @property
    def below(self) -> str:
        """What is below, in words."""
        ...

    @property
    def reach(self) -> float:
        """Size in radians."""
        ...

    @property
    def breadth(self) -> float:
        """Size across, in radians."""
        ...

    @property
    def abrupt(self) -> bool:
        """Whether the horizon is steep."""
        ...

    def far_field(self, theta: Floats, phi: Floats) -> tuple[Complexes, Complexes]:
        """(E_θ, E_φ) times distance, volts peak."""
        ...


@lru_cache(maxsize=16)
def _gauss(count: int) -> tuple[Floats, Floats]:
    from scipy.special import roots_legendre

    nodes, weights = roots_legendre(count)
    return np.asarray(nodes), np.asarray(weights)


def all_directions(source: Source) -> tuple[Floats, Floats, Floats]:
    """Directions to integrate over, fine enough for the antenna's size: θ (m, 1) by Gauss in cos θ, φ (n,) in equal
    steps, and the solid angle of each (m, 1).
    """  # fmt: skip
    # Over layers and earth the field changes within a few degrees of the horizon.
    order = math.ceil(source.reach) + (24 if source.abrupt else 0)
    cosines, weights = _gauss(order + 16)
    if source.plane or source.abrupt:
        cosines, weights = 0.5 * (cosines + 1.0), 0.5 * weights
    if source.abrupt and not source.plane:
        # As steep from below.
        cosines, weights = np.concatenate([cosines, -cosines]), np.concatenate([weights, weights])
    # Round the upright axis only what is spread out across it matters.
    count = 2 * math.ceil(source.breadth) + 48
    phi = 2.0 * math.pi * np.arange(count) / count
    return np.arccos(cosines)[:, None], phi, 2.0 * math.pi / len(phi) * weights[:, None]


def intensity_of(field: tuple[Complexes, Complexes]) -> Floats:
    """Radiation intensity (|E_θ|² + |E_φ|²)/2η, W/sr, of a far field times distance."""
    e_theta, e_phi = field
    return np.asarray((np.abs(e_theta) ** 2 + np.abs(e_phi) ** 2) / (2.0 * WAVE_IMPEDANCE))


def radiated_power(source: Source) -> float:
    """Power that a source sends in all directions, W."""
    theta, phi, solid = all_directions(source)
    return float((solid * intensity_of(source.far_field(theta, phi))).sum())
