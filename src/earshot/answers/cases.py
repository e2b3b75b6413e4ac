"""Named cases: one way each to drive a solution, and what to take from it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ..arraytypes import Floats
from ..network.elements import Impedance
from ..network.feed import Feed
from ..network.receiver import Receiver
from ..network.sources import Source

Drive = dict[str, Source] | Source | Feed | Receiver | None
"""What drives an antenna: sources by port, one for a lone port, a circuit, or 1 W available."""


@dataclass(frozen=True, slots=True)
class Cut:
    """A cut to take: a plane, "E" or "H", or an elevation or azimuth (text or degrees)."""

    plane: str | None = None
    elevation: str | float | None = None
    azimuth: str | float | None = None


@dataclass(frozen=True, slots=True)
class Case:
    """One way to drive the ports, and what to take from it; `Solution.run` runs it.

    sources and terminations: by port, as for `Solution.drive`; a lone port needs no source. frequencies: text or Hz.
    cuts: to take. near: points (..., 3), metres, by name. sectors: a direction and a half angle, by name. feed: a
    circuit and what is sent into it, or where it is listened at, instead of sources.
    """

    name: str
    sources: Mapping[str, Source] = field(default_factory=dict)
    frequencies: tuple[str | float, ...] = ()
    cuts: tuple[Cut, ...] = ()
    terminations: Mapping[str, Impedance | complex] = field(default_factory=dict)
    near: Mapping[str, Floats] = field(default_factory=dict)
    sectors: Mapping[str, tuple[Sequence[float], str | float]] = field(default_factory=dict)
    feed: Feed | Receiver | None = None

    @property
    def drive(self) -> Drive:
        """As `Solution.drive` takes it."""
        return self.feed or dict(self.sources) or None
