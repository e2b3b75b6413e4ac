"""The straight pieces of an antenna, as the check looks at them, and how places are said."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .antenna import Antenna
from .mesh import joined_points, joint_reach

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Pieces:
    """Every straight piece of every wire: index of its wire, number on it, both ends, joints at them, radius."""

    wire: NDArray[np.int64]
    number: NDArray[np.int64]
    start: Floats
    stop: Floats
    joint: NDArray[np.int64]
    radius: Floats

    @property
    def lengths(self) -> Floats:
        """Metres (n,)."""
        return np.asarray(np.linalg.norm(self.stop - self.start, axis=1))


def straight_pieces(antenna: Antenna) -> Pieces:
    """All of them, wire by wire."""
    ends = [(w.corners[:-1], w.corners[1:]) for w in antenna.wires]
    counts = [len(first) for first, _ in ends]
    start, stop = (np.concatenate(side) for side in zip(*ends, strict=True))
    joints = joined_points(np.concatenate([start, stop]), joint_reach(antenna)).reshape(2, -1).T
    wire = np.repeat(np.arange(len(counts)), counts)
    number = np.concatenate([np.arange(c) for c in counts])
    return Pieces(wire, number, start, stop, joints, np.array([w.radius for w in antenna.wires])[wire])


def words_for(place: Floats) -> str:
    """A place in words, metres."""
    return "(" + ", ".join(f"{0.0 if abs(x) < 1e-12 else x:.6g}" for x in place) + ") m"


def as_place(place: Floats) -> tuple[float, float, float]:
    """A place as a finding holds it."""
    return float(place[0]), float(place[1]), float(place[2])
