"""What is read off a port over a band: resonances, bandwidths, Q, best match."""

from __future__ import annotations

import itertools
from collections.abc import Iterable
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Complexes, Floats
from ..errors import UsageError
from .curves import Curve

if TYPE_CHECKING:
    import pandas as pd


def vswr_of(magnitude: Floats) -> Floats:
    """Voltage standing wave ratios of magnitudes of reflection; rounded, a lossless stub reflects a little too much."""
    return np.asarray((1.0 + magnitude) / np.maximum(1.0 - magnitude, 1e-12))


def return_loss_of(magnitude: Floats) -> Floats:
    """Return losses, dB, of magnitudes of reflection."""
    return np.asarray(-20.0 * np.log10(np.maximum(magnitude, 1e-15)))


def resonances(curves: Iterable[Curve]) -> pd.DataFrame:
    """Where the reactance is zero, on curves whose samples lie close together, by a cubic spline between them.

    Columns: frequency_Hz, R_ohm, kind ("series" where the reactance rises, "parallel" where it falls) and
    Q = ω|Z'|/2R (Yaghjian and Best 2005, eq. 96), the Q of the matched antenna's bandwidth.
    """
    import pandas as pd

    rows = []
    for curve in curves:
        # A short circuit has no reactance to speak of; its neighbours have.
        known = curve.admittance != 0.0
        spline = _spline(curve.frequencies[known], 1.0 / curve.admittance[known])
        reactance = _spline(curve.frequencies[known], (1.0 / curve.admittance[known]).imag)
        for place in reactance.roots(extrapolate=False):
            z, slope = complex(spline(place)), complex(spline(place, 1))
            # Through a pole of the impedance the spline swings, but no passive port has a resistance below zero.
            if z.real > 0.0:
                kind = "series" if slope.imag > 0.0 else "parallel"
                rows.append((float(place), z.real, kind, place * abs(slope) / (2.0 * z.real)))
    return pd.DataFrame(rows, columns=["frequency_Hz", "R_ohm", "kind", "Q"])


def passbands(curves: Iterable[tuple[Floats, Floats]], limit: float) -> pd.DataFrame:
    """Stretches where |reflection| stays within a limit, between samples by a cubic spline of |reflection|².

    curves: frequencies (n,), Hz, and |reflection| (n,), samples close together. Columns: from_Hz, to_Hz, width_Hz,
    width_percent of the middle, whether it is cut off by the curve's end, best_Hz and the reflection there.
    """
    import pandas as pd

    rows = []
    for frequencies, size in curves:
        level = _spline(frequencies, size**2 - limit**2)
        edges = np.unique([frequencies[0], *level.roots(extrapolate=False), frequencies[-1]])
        turning = level.derivative().roots(extrapolate=False)
        for low, high in itertools.pairwise(edges):
            if level(0.5 * (low + high)) > 0.0 or high - low < 1e-9 * high:
                continue
            cut_off = bool(low == frequencies[0] or high == frequencies[-1])
            places = np.array([low, high, *turning[(turning > low) & (turning < high)]])
            best = float(places[np.argmin(level(places))])
            least = float(np.sqrt(max(float(level(best)) + limit**2, 0.0)))
            rows.append((low, high, high - low, 200.0 * (high - low) / (high + low), cut_off, best, least))
    columns = ["from_Hz", "to_Hz", "width_Hz", "width_percent", "cut_off", "best_Hz", "best_reflection"]
    return pd.DataFrame(rows, columns=columns)


def limit_of(vswr: float | None, return_loss: float | None) -> float:
    """|reflection| at a VSWR or a return loss in dB; raises UsageError unless exactly one makes sense."""
    if (vswr is None) == (return_loss is None):
        raise UsageError("bandwidth: give one limit, vswr=2 or return_loss=10")
    if vswr is not None:
        if not vswr > 1.0:
            raise UsageError(f"bandwidth: vswr = {vswr} is not above 1")
        return (vswr - 1.0) / (vswr + 1.0)
    assert return_loss is not None
    if not return_loss > 0.0:
        raise UsageError(f"bandwidth: return_loss = {return_loss} dB is not above zero")
    return float(10.0 ** (-return_loss / 20.0))


def _spline(x: Floats, y: Floats | Complexes):  # type: ignore[no-untyped-def]
    from scipy.interpolate import CubicSpline

    return CubicSpline(x, y)
