"""Factors of the last matrices, kept for the next right-hand sides of the same antenna at the same frequency.

A plane wave on a solved antenna costs a substitution then, not another matrix. They are let go when the basis they are
for is, and the oldest first when all of them would take much of what memory is free.
"""

from __future__ import annotations

import threading
import weakref
from typing import NamedTuple

from ..description.antenna import Antenna
from ..running import free_memory
from .basis import Basis
from .operator import Factors

_SHARE = 0.125
_lock = threading.RLock()


class _Kept(NamedTuple):
    basis: weakref.ref[Basis]
    antenna: Antenna
    frequency: float
    factors: Factors


_kept: list[_Kept] = []


def kept_factors(antenna: Antenna, basis: Basis, frequency: float) -> Factors | None:
    """The factors for that very basis, antenna and frequency (Hz), or None."""
    with _lock:
        for one in _kept:
            if one.basis() is basis and one.frequency == frequency and one.antenna == antenna:
                return one.factors
    return None


def keep_factors(antenna: Antenna, basis: Basis, frequency: float, factors: Factors) -> None:
    """Keep factors, unless they are large."""
    with _lock:
        # What is kept already is not free any more.
        room = _SHARE * (free_memory() + sum(one.factors.bytes for one in _kept))
        kept = [_Kept(weakref.ref(basis, _gone), antenna, frequency, factors), *_kept]
        taken, fitting = 0, []
        for one in kept:
            taken += one.factors.bytes
            if taken > room:
                break
            fitting.append(one)
        _kept[:] = fitting


def let_go(antenna: Antenna, basis: Basis, frequency: float) -> None:
    """Keep those for that very basis, antenna and frequency (Hz) no longer."""
    with _lock:
        _kept[:] = [
            one for one in _kept if one.basis() is not basis or one.frequency != frequency or one.antenna != antenna
        ]


def _gone(basis: weakref.ref[Basis]) -> None:
    with _lock:
        _kept[:] = [one for one in _kept if one.basis is not basis]
