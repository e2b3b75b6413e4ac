"""What every element of an array is fed with, and what hardware makes of it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..arraytypes import Complexes, Floats
from ..errors import UsageError

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, init=False)
class Weights:
    """Waves into the elements (n,): |value|² W each where alone; and delays (n,), s, which turn with the frequency.

    Raises UsageError for values that are not finite, and when all are zero.
    """

    values: Complexes
    delays: Floats

    def __init__(self, values: ArrayLike, delays: ArrayLike | None = None) -> None:
        own = np.asarray(values, np.complex128)
        late = np.zeros(own.shape) if delays is None else np.asarray(delays, float)
        if own.ndim != 1 or late.shape != own.shape:
            raise UsageError(f"weights: {own.shape} values and {late.shape} delays are not one for each element")
        if not (np.isfinite(own).all() and np.isfinite(late).all()):
            raise UsageError("weights: a value is not a finite number")
        if not own.any():
            raise UsageError("weights: all are zero, so there is no beam")
        object.__setattr__(self, "values", own)
        object.__setattr__(self, "delays", late)

    def __len__(self) -> int:
        return len(self.values)

    def at(self, frequency: float) -> Complexes:
        """What they are at a frequency, Hz: (n,)."""
        return np.asarray(self.values * np.exp(-2j * math.pi * frequency * self.delays))

    @property
    def taper_efficiency(self) -> float:
        """|Σ|w||²/(n Σ|w|²): what a taper leaves of the directivity of equal amplitudes."""
        size = np.abs(self.values)
        return float(size.sum() ** 2 / (len(size) * (size**2).sum()))

    def times(self, factors: ArrayLike) -> Weights:
        """Multiplied by an amplitude, or a complex number, for each element."""
        own = np.asarray(factors)
        if own.shape not in ((), self.values.shape):
            raise UsageError(f"weights: {own.size} factors for {len(self)} elements")
        return Weights(self.values * own, self.delays)

    def __add__(self, other: Weights) -> Weights:
        """Two beams at once, from the same elements; both without delays."""
        if len(self) != len(other):
            raise UsageError(f"weights: {len(self)} and {len(other)} elements cannot be added")
        if self.delays.any() or other.delays.any():
            raise UsageError("weights: beams made by delays cannot be added: take phases, at one frequency")
        return Weights(self.values + other.values)

    def without(self, failed: Iterable[int]) -> Weights:
        """With the elements of these numbers, from 0, dead."""
        numbers = list(failed)
        wrong = [i for i in numbers if not 0 <= i < len(self)]
        if wrong:
            raise UsageError(f"weights: there is no element {wrong[0]}: they are 0 to {len(self) - 1}")
        values = self.values.copy()
        values[numbers] = 0.0
        return Weights(values, self.delays)

    def quantised(
        self,
        bits: int | None = None,
        *,
        amplitude_step: float | None = None,
        least: float | None = None,
        offset: str | float = "0 deg",
    ) -> Weights:
        """Phases rounded to 2^bits steps of a turn, amplitudes to steps in dB, down to `least` dB below the greatest.

        offset: where the steps of phase begin. An element below `least` is off. Raises UsageError for bits < 1 and for
        steps that are not above zero.
        """  # fmt: skip
        size, phase = np.abs(self.values), np.angle(self.values)
        if bits is not None:
            if bits != int(bits) or not 1 <= bits <= 24:
                raise UsageError(f"weights: {bits} bits of phase: a shifter has 1 to 24")
            step, begin = 2.0 * math.pi / 2**bits, units.angle(offset, "weights, offset")
            phase = np.round((phase - begin) / step) * step + begin
        top = size.max()
        if amplitude_step is not None:
            if not amplitude_step > 0.0:
                raise UsageError(f"weights: an amplitude step of {amplitude_step} dB is not above zero")
            level = 20.0 * np.log10(np.maximum(size, 1e-15 * top) / top)
            size = np.where(size > 0.0, top * 10.0 ** (np.round(level / amplitude_step) * amplitude_step / 20.0), 0.0)
        if least is not None:
            if not least < 0.0:
                raise UsageError(f"weights: least {least} dB is not below the greatest: give a level below zero")
            size = np.where(size < top * 10.0 ** (least / 20.0) * (1.0 - 1e-12), 0.0, size)
        return Weights(size * np.exp(1j * phase), self.delays)

    def to_frame(self) -> pd.DataFrame:
        """A row for each element: amplitude, amplitude_dB (of the greatest), phase_deg, delay_s."""
        import pandas as pd

        size = np.abs(self.values)
        level = 20.0 * np.log10(np.maximum(size, 1e-15 * size.max()) / size.max())
        names = ["amplitude", "amplitude_dB", "phase_deg", "delay_s"]
        columns = [size, level, np.degrees(np.angle(self.values)), self.delays]
        return pd.DataFrame(dict(zip(names, columns, strict=True)))
