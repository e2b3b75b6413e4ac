"""Amplitude tapers across an array: from scipy's windows where it has them.

A taper is known for so many elements of a line (`line_taper`) and for distances from the middle of a round array
(`round_taper`); on a lattice a line's taper goes along both directions, one times the other.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Floats
from ..errors import UsageError, unknown


def _options(name: str, given: dict[str, float], known: dict[str, float]) -> dict[str, float]:
    for key in given:
        if key not in known:
            raise UsageError(f"taper '{name}': {unknown('option', key, known) if known else f'it has no {key}'}")
    found = known | given
    side_lobe, edge, orders = found.get("side_lobe"), found.get("edge"), found.get("orders")
    if side_lobe is not None and not 0.0 < side_lobe <= 120.0:
        raise UsageError(f"taper '{name}': side_lobe {side_lobe} is outside 0 to 120 dB; -30 dB is written 30")
    if edge is not None and not edge <= 0.0:
        raise UsageError(f"taper '{name}': edge {edge} dB is above the middle: give 0 or less")
    if orders is not None and (orders != int(orders) or orders < 1):
        raise UsageError(f"taper '{name}': orders {orders} is not a whole number of one or more")
    return found


def _binomial(count: int) -> Floats:
    from scipy.special import gammaln

    n = np.arange(count)
    logs = gammaln(count) - gammaln(n + 1) - gammaln(count - n)
    return np.asarray(np.exp(logs - logs.max()))


def _places(count: int) -> Floats:
    """From -1 to 1, the elements at the ends half a spacing within."""
    return (2.0 * np.arange(count) - count + 1.0) / max(count, 1)


def _edge_width(edge: float) -> float:
    """σ of a Gaussian that is so many dB down at 1."""
    return math.inf if edge == 0.0 else math.sqrt(-20.0 / (2.0 * edge * math.log(10.0)))


def _chebyshev(count: int, side_lobe: float) -> Floats:
    """Dolph (1946)."""
    import warnings

    from scipy.signal.windows import chebwin

    with warnings.catch_warnings():
        # It warns of levels that spectra would not be looked at with; beams are.
        warnings.simplefilter("ignore", UserWarning)
        return np.asarray(chebwin(count, side_lobe))


def _taylor(count: int, side_lobe: float, orders: float) -> Floats:
    from scipy.signal.windows import taylor

    return np.asarray(taylor(count, int(orders), side_lobe, norm=False))


_LINES: dict[str, tuple[dict[str, float], Callable[..., Any]]] = {
    "uniform": ({}, lambda n: np.ones(n)),
    "chebyshev": ({"side_lobe": 30.0}, _chebyshev),
    "taylor": ({"side_lobe": 30.0, "orders": 5}, _taylor),
    "binomial": ({}, _binomial),
    "cosine": ({"edge": -10.0}, lambda n, edge: _pedestal(_places(n), edge)),
    "hamming": ({}, lambda n: 0.54 + 0.46 * np.cos(math.pi * _places(n))),
    "hann": ({}, lambda n: 0.5 + 0.5 * np.cos(math.pi * _places(n))),
    "gaussian": ({"edge": -20.0}, lambda n, edge: np.exp(-0.5 * (_places(n) / _edge_width(edge)) ** 2)),
}


def _pedestal(places: Floats, edge: float) -> Floats:
    floor = 10.0 ** (edge / 20.0)
    return np.asarray(floor + (1.0 - floor) * np.cos(0.5 * math.pi * places))


def tapers() -> tuple[str, ...]:
    """The names there are."""
    return tuple(_LINES)


def line_taper(name: str, count: int, **options: float) -> Floats:
    """Amplitudes (count,) of a line of elements, the greatest 1.

    "chebyshev" (side_lobe: dB below the peak), "taylor" (side_lobe, orders: n̄), "cosine" on a pedestal and "gaussian"
    (edge: dB at the ends of the aperture), "binomial", "hamming", "hann", "uniform". Raises UsageError for other names
    and options.
    """
    if name not in _LINES:
        raise UsageError(unknown("taper", name, _LINES))
    known, make = _LINES[name]
    values = np.asarray(make(count, **_options(name, options, known)), float)
    return np.asarray(values / values.max())


def round_taper(name: str, radius: ArrayLike, **options: float) -> Floats:
    """Amplitudes at distances from the middle of a round aperture over its radius, the greatest 1.

    "taylor" is that of circles (Taylor 1960). Raises UsageError for tapers that only lines have.
    """
    if name not in _LINES:
        raise UsageError(unknown("taper", name, _LINES))
    if name in ("chebyshev", "binomial"):
        raise UsageError(f"taper '{name}' is for lines: over a round aperture use taylor, cosine or gaussian")
    found = _options(name, options, _LINES[name][0])
    rho = np.asarray(radius, float)
    shapes: dict[str, Callable[[], Floats]] = {
        "uniform": lambda: np.ones_like(rho),
        "taylor": lambda: _taylor_circle(rho, found["side_lobe"], int(found["orders"])),
        "cosine": lambda: _pedestal(rho, found["edge"]),
        "hamming": lambda: 0.54 + 0.46 * np.cos(math.pi * rho),
        "hann": lambda: 0.5 + 0.5 * np.cos(math.pi * rho),
        "gaussian": lambda: np.exp(-0.5 * (rho / _edge_width(found["edge"])) ** 2),
    }
    values = shapes[name]()
    return np.asarray(values / values.max())


def _taylor_circle(rho: Floats, side_lobe: float, orders: int) -> Floats:
    """Taylor (1960), eqs. 21 to 26: Σ F_m J0(πµ_m ρ)/J0(πµ_m)², µ_m the zeros of J1(πx)."""
    from scipy.special import j0, jn_zeros

    zeros = np.concatenate([[0.0], jn_zeros(1, orders) / math.pi])
    a = math.acosh(10.0 ** (side_lobe / 20.0)) / math.pi
    stretch = zeros[orders] / math.sqrt(a * a + (orders - 0.5) ** 2)
    moved = stretch * np.sqrt(a * a + (np.arange(1, orders) - 0.5) ** 2)
    total = np.zeros_like(rho) + 1.0
    for m in range(1, orders):
        square = zeros[m] ** 2
        above = np.prod(1.0 - square / moved**2)
        others = np.delete(zeros[1:orders], m - 1)
        below = np.prod(1.0 - square / others**2)
        factor = -j0(math.pi * zeros[m]) * above / below
        total = total + factor * j0(math.pi * zeros[m] * rho) / j0(math.pi * zeros[m]) ** 2
    return total
