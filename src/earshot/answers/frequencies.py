"""Frequencies to solve at, and bands to be interpolated."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from .. import units
from ..arraytypes import Floats
from ..errors import UsageError, needs


@dataclass(frozen=True, slots=True, eq=False)
class Band:
    """A band: the frequencies (Hz) at which port figures are wanted; made by `band`.

    Where it is solved is chosen as it goes; between solved frequencies the scattering matrix is interpolated to within
    `tolerance`.
    """

    frequencies: Floats
    tolerance: float = 1e-3

    def __len__(self) -> int:
        return len(self.frequencies)

    def __iter__(self) -> Iterator[float]:
        return iter(self.frequencies.tolist())


MOST_POINTS = 100_001
"""Points of a band."""
Frequencies = str | float | Band | Iterable[str | float | Band]


def band(
    start: str | float, stop: str | float, points: int, *, spacing: str = "linear", tolerance: float = 1e-3
) -> Band:
    """Frequencies from start to stop, both included, evenly spaced in frequency or ("logarithmic") in its logarithm.

    tolerance: of the interpolated scattering matrix; 0 solves every point. Raises UsageError for a band that runs
    backwards, has fewer than two points, or a spacing that is neither.

    >>> list(band("146 MHz", "154 MHz", 3))
    [146000000.0, 150000000.0, 154000000.0]
    """
    low, high = units.frequency(start, "band, from"), units.frequency(stop, "band, to")
    if high <= low:
        raise UsageError(f"band: from {start} to {stop} runs backwards: put the lower frequency first")
    units.count(points, "band, points", 2, MOST_POINTS)
    units.number(tolerance, "band, tolerance")
    needs(spacing, str, "band, spacing", "'linear' or 'logarithmic'")
    if not 0.0 <= tolerance < 1.0:
        raise UsageError(f"band: tolerance {tolerance} is outside 0 to 1; 0.001 unless given, 0 to solve every point")
    if spacing not in ("linear", "logarithmic"):
        raise UsageError(f"band: spacing '{spacing}' is not 'linear' or 'logarithmic'")
    places = np.linspace(low, high, points) if spacing == "linear" else np.geomspace(low, high, points)
    # To the digits that people write, so that 433.4 MHz is found again as 433.4 MHz.
    return Band(np.array([float(f"{place:.12g}") for place in places]), tolerance)


@dataclass(frozen=True, slots=True, eq=False)
class Wanted:
    """What is to be solved: single frequencies (Hz, rising, no twins) and bands."""

    single: Floats
    bands: tuple[Band, ...]

    @property
    def every(self) -> Floats:
        """All of them, rising; those closer than rounding are one."""
        every = np.unique(np.concatenate([self.single, *(b.frequencies for b in self.bands)]))
        return np.asarray(every[np.concatenate([[True], np.diff(every) > 1e-9 * every[1:]])])


def wanted(frequencies: Frequencies) -> Wanted:
    """Sort out one frequency or several, as text, Hz or bands; raises UsageError for none."""
    needs(frequencies, str | int | float | Band | Iterable, "frequencies", "text or Hz, a band(...), or a list of them")
    several = [frequencies] if isinstance(frequencies, str | int | float | Band) else list(frequencies)
    if not several:
        raise UsageError("no frequency was given: name at least one, such as '150.1 MHz'")
    bands = tuple(f for f in several if isinstance(f, Band))
    single = [units.frequency(f) for f in several if not isinstance(f, Band)]
    return Wanted(np.unique(np.array(single, float)), bands)
