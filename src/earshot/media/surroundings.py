"""Free space and the perfectly conducting plane, and what else an antenna may be in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes, Floats
from .both_sides import BothSides
from .earth import Earth
from .plain import Plain
from .stack import Stack


@dataclass(frozen=True, slots=True)
class FreeSpace(Plain):
    """Nothing but the antenna."""

    def __str__(self) -> str:
        return "free space"


@dataclass(frozen=True, slots=True)
class PerfectPlane(Plain):
    """An infinite, perfectly conducting plane at z = 0; the antenna is above it or stands on it."""

    has_plane = True
    grounds = True

    def reflected(self, theta: Floats, _: float) -> tuple[Complexes, Complexes]:
        """Factors of TM and TE, all +1 and -1, of plane waves from θ (n,)."""
        whole = np.ones(len(theta), np.complex128)
        return whole, -whole

    def __str__(self) -> str:
        return "perfect plane at z = 0"


Medium = FreeSpace | PerfectPlane | Stack | BothSides | Earth


def free_space() -> FreeSpace:
    """Free space, where every antenna is unless told otherwise."""
    return FreeSpace()


def perfect_plane() -> PerfectPlane:
    """An infinite, perfectly conducting plane at z = 0."""
    return PerfectPlane()
