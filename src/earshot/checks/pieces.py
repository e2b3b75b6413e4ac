"""The straight pieces of an antenna, as the check looks at them, and how places are said."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Floats, Ints
from ..description.antenna import Antenna
from ..description.parts import Wire
from ..meshing.mesh import joined_points, joint_reach


@dataclass(frozen=True, slots=True)
class Pieces:
    """Every straight piece of every wire: index of its wire, number on it, both ends, joints at them, radius."""

    wire: Ints
    number: Ints
    start: Floats
    stop: Floats
    joint: Ints
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


def clear_of_feet(wire: Wire, standing: Sequence[bool]) -> tuple[Floats, Floats]:
    """Both ends (n, 3) of the wire's straight pieces, less four radii at every corner that stands on other metal."""
    start, stop = wire.corners[:-1], wire.corners[1:]
    length = np.linalg.norm(stop - start, axis=1)
    spare = 4.0 * wire.radius / np.maximum(length, 1e-300)
    first = np.where(standing[:-1], spare, 0.0)
    last = 1.0 - np.where(standing[1:], spare, 0.0)
    left = (first < last) & (length > 0.0)
    step = stop - start
    ends = start + first[:, None] * step, start + last[:, None] * step
    return ends[0][left], ends[1][left]


def words_for(place: Floats) -> str:
    """A place in words, metres."""
    return "(" + ", ".join(f"{0.0 if abs(x) < 1e-12 else x:.6g}" for x in place) + ") m"


def as_place(place: Floats) -> tuple[float, float, float]:
    """A place as a finding holds it."""
    return float(place[0]), float(place[1]), float(place[2])
