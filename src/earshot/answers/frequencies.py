"""Frequencies to solve at."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from .. import units
from ..errors import UsageError

Frequencies = str | float | Iterable[str | float]


def band(start: str | float, stop: str | float, points: int) -> NDArray[np.float64]:
    """Evenly spaced frequencies from start to stop, both included, in Hz.

    Raises UsageError for a band that runs backwards or has fewer than two points.

    >>> band("146 MHz", "154 MHz", 3) / 1e6
    array([146., 150., 154.])
    """
    low, high = units.frequency(start, "band, from"), units.frequency(stop, "band, to")
    if high <= low:
        raise UsageError(f"band: from {start} to {stop} runs backwards: put the lower frequency first")
    if isinstance(points, bool) or not isinstance(points, int) or points < 2:
        raise UsageError(f"band: points = {points!r} is not a whole number of at least 2")
    return np.linspace(low, high, points)


def in_hertz(frequencies: Frequencies) -> NDArray[np.float64]:
    """One frequency or several, as text or Hz, in rising order and without twins; raises UsageError for none."""
    several = [frequencies] if isinstance(frequencies, str | int | float) else list(frequencies)
    if not several:
        raise UsageError("no frequency was given: name at least one, such as '150.1 MHz'")
    return np.unique([units.frequency(f) for f in several])
