"""Gains in their units."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Floats
from ..errors import UsageError

UNITS = {"dBi": 0.0, "dBd": -2.15, "linear": math.nan}
"""Units of gain, and what is added to dBi; a half-wave dipole's 2.15 dBi is 0 dBd."""


def in_unit(ratio: ArrayLike, unit: str) -> Floats:
    """A gain, given as a ratio, in "dBi", "dBd" or "linear"; raises UsageError for another unit."""
    if unit not in UNITS:
        raise UsageError(f"'{unit}' is not a unit of gain; use one of {', '.join(UNITS)}")
    return np.asarray(ratio, float) if unit == "linear" else decibels(ratio) + UNITS[unit]


def decibels(ratio: ArrayLike) -> Floats:
    """10 log10 of a power ratio, floored at -200 dB so that a null stays a number."""
    return np.asarray(10.0 * np.log10(np.maximum(np.asarray(ratio, float), 1e-20)))
