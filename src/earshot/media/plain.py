"""What a medium says of itself, for what is nothing special."""

from __future__ import annotations

from typing import TYPE_CHECKING, Self

import numpy as np

from ..arraytypes import Bools, Complexes, Floats, Ints

if TYPE_CHECKING:
    from .half_space import Below
    from .stack import Stack


class Plain:
    """Facts of a medium that has nothing of the kind; others say what they have."""

    @property
    def has_plane(self) -> bool:
        """Whether nothing is below z = 0 but what the medium says."""
        return False

    @property
    def one_sided(self) -> bool:
        """Whether there are no fields below z = 0 that are looked at."""
        return self.has_plane

    @property
    def grounds(self) -> bool:
        """Whether metal at z = 0 passes its current on."""
        return False

    @property
    def tabled(self) -> bool:
        """Whether its kernels come from tables."""
        return False

    @property
    def takers(self) -> tuple[str, ...]:
        """What in it takes power, in words."""
        return ()

    @property
    def thickness(self) -> float:
        """Of layers on z = 0, metres."""
        return 0.0

    @property
    def slowest(self) -> float:
        """The largest index of refraction of layers."""
        return 1.0

    @property
    def stack(self) -> Stack | None:
        """Its layers."""
        return None

    @property
    def shut(self) -> bool:
        """Whether no waves get out of it."""
        return False

    @property
    def breaks(self) -> tuple[float, ...]:
        """Heights at which matter changes, from the lowest, metres."""
        return self.planes

    @property
    def planes(self) -> tuple[float, ...]:
        """Heights of planes that wires may stand on, metres."""
        return (0.0,) if self.has_plane else ()

    @property
    def sides(self) -> tuple[Stack, ...]:
        """Layers on either side of a plane, where both are seen: over it, and under it from the plane down."""
        return ()

    @property
    def layered(self) -> bool:
        """Whether it has layers."""
        return self.stack is not None

    @property
    def over_matter(self) -> bool:
        """Whether there is matter below z = 0, which metal may not touch."""
        return self.has_plane and not self.grounds

    def holds(self, heights: Floats) -> Bools:
        """Whether heights (any shape), metres, are inside layers."""
        return np.zeros(np.shape(heights), bool)

    @property
    def reflects(self) -> bool:
        """Whether waves that go down come back."""
        return self.has_plane

    def reflected(self, theta: Floats, _frequency: float) -> tuple[Complexes, Complexes]:
        """Factors of TM and TE of plane waves from θ (n,) that are sent back, in Hz: none."""
        return np.zeros(len(theta), np.complex128), np.zeros(len(theta), np.complex128)

    def below_at(self, _frequency: float) -> Below | None:
        """What sends waves back from below z = 0 at a frequency, Hz, but a perfect plane; None if nothing does."""
        return None

    @property
    def underneath(self) -> str:
        """What is below z = 0 instead of space, in words; empty if nothing is."""
        return str(self) if self.has_plane else ""

    def level_at(self, heights: Floats) -> Ints:
        """Which face of layers metal at heights (any shape), metres, is printed on; -1 where on none."""
        return np.full(np.shape(heights), -1)

    def face(self, _level: int) -> tuple[str, float]:
        """What a face is called, if anything, and its height, metres."""
        return "", 0.0

    def carries(self, heights: Floats) -> Bools:
        """Whether metal at heights (any shape), metres, is printed on it."""
        return np.asarray(self.level_at(heights) >= 0)

    def scaled(self, _factor: float) -> Self:
        """The medium with all its lengths multiplied."""
        return self
