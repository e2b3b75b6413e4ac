"""The factors of the last matrix, kept for the next right-hand sides of the same antenna at the same frequency.

A plane wave on a solved antenna costs a substitution then, not another matrix. They are let go when another matrix is
made, when the basis they are for is, or when they would take much of what memory is free.
"""

from __future__ import annotations

import threading
import weakref
from typing import Any

from ..geometry.antenna import Antenna
from ..running import free_memory
from .basis import Basis

_SHARE = 0.125
_lock = threading.Lock()
_kept: list[tuple[weakref.ref[Basis], Antenna, float, Any]] = []


def kept_factors(antenna: Antenna, basis: Basis, frequency: float) -> Any:
    """The factors for that very basis, antenna and frequency (Hz), or None; others are let go."""
    with _lock:
        for known, own, hertz, factors in _kept:
            if known() is basis and hertz == frequency and own == antenna:
                return factors
        _kept.clear()
    return None


def keep_factors(antenna: Antenna, basis: Basis, frequency: float, factors: Any) -> None:
    """Keep factors as `scipy.linalg.lu_factor` gives them, unless they are large."""
    if factors[0].nbytes <= _SHARE * free_memory():
        with _lock:
            _kept[:] = [(weakref.ref(basis, lambda _: _kept.clear()), antenna, frequency, factors)]
