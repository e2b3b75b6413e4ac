"""A conducting plane with layers over it and under it, joined by openings."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arraytypes import Bools, Floats, Ints
from ..errors import UsageError
from .plain import Plain
from .stack import Stack


@dataclass(frozen=True)
class BothSides(Plain):
    """Layers on a plane at z = 0, and others hung under it, with air beyond both; all without end.

    over: those over the plane, from it upwards; under: those under it, from it downwards, a stack on a plane as well.
    A sheet that lies in the plane is an opening in it, through which both sides see each other. Faces over the plane
    have numbers from 1 up, those under it the ones that follow; the plane has 0.
    """

    over: Stack
    under: Stack

    def __post_init__(self) -> None:
        for side, where in ((self.over, "over"), (self.under, "under")):
            if not isinstance(side, Stack):
                raise UsageError(f"layers on both sides: what is {where} the plane, {side!r}, is not a Stack of layers")
            if not side.has_plane:
                raise UsageError(f"layers on both sides: what is {where} the plane is open below: leave that out")
        metals = [side.plane.name if side.plane else "a perfect conductor" for side in self.sides]
        if self.over.plane != self.under.plane:
            raise UsageError(
                f"layers on both sides: the plane is of {metals[0]} over and of {metals[1]} under it: name one"
            )

    has_plane = True
    grounds = True
    tabled = True
    reflects = True
    one_sided = False

    @property
    def stack(self) -> Stack:
        """The layers over the plane."""
        return self.over

    @property
    def shut(self) -> bool:
        """Whether no waves get out, on either side."""
        return self.over.shut and self.under.shut

    @property
    def breaks(self) -> tuple[float, ...]:
        """Heights at which matter changes, from the lowest, metres."""
        return (*(-z for z in self.under.faces[:0:-1]), *self.over.faces)

    @property
    def planes(self) -> tuple[float, ...]:
        """Heights of planes that wires may stand on, metres."""
        return (*self.over.planes, *(-z for z in self.under.planes if z))

    @property
    def sides(self) -> tuple[Stack, Stack]:
        """The layers over the plane, and those under it from the plane down."""
        return self.over, self.under

    @property
    def thickness(self) -> float:
        """Of the layers over the plane, metres."""
        return self.over.thickness

    @property
    def slowest(self) -> float:
        """The largest index of refraction of all layers."""
        return max(self.over.slowest, self.under.slowest)

    @property
    def takers(self) -> tuple[str, ...]:
        """What in it takes power, in words."""
        return tuple(dict.fromkeys(self.over.takers + self.under.takers))

    @property
    def underneath(self) -> str:
        """Nothing but what is seen: there is a space below as well."""
        return ""

    def holds(self, heights: Floats) -> Bools:
        """Whether heights are inside layers, on either side, or in the plane between."""
        inside = self.over.holds(heights) | self.under.holds(-np.asarray(heights))
        return np.asarray(inside | (self.level_at(heights) == 0))

    def level_at(self, heights: Floats) -> Ints:
        """The number of the face that metal at heights is on, 0 for an opening in the plane; -1 where there is none."""
        up, down = self.over.level_at(heights), self.under.level_at(-np.asarray(heights))
        close = 1e-6 * min(self.over.thickness, self.under.thickness)
        on_plane = np.abs(np.asarray(heights)) <= close
        return np.where(on_plane, 0, np.where(down > 0, len(self.over.layers) + down, up))

    def face(self, level: int) -> tuple[str, float]:
        """What a face is called, if anything, and its height, metres."""
        if level <= len(self.over.layers):
            return self.over.face(level)
        name, depth = self.under.face(level - len(self.over.layers))
        return name, -depth

    def scaled(self, factor: float) -> BothSides:
        """The same layers, every thickness multiplied by a factor."""
        return BothSides(self.over.scaled(factor), self.under.scaled(factor))

    def __str__(self) -> str:
        shut = ", on a lid" if self.under.lid else ""
        return f"{self.over}; under the plane, from it down: {' over '.join(self.under.layers_in_words)}{shut}"
