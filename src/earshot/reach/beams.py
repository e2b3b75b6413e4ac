"""Antennas in very many directions: their fields out of a table, where that is quicker than to sum them up."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import wavenumber
from ..fields.currents import Currents
from .stations import Station

_MANY = 4
"""Directions asked for over those of the table, from which it pays."""
_FINE = 5.0
"""Points of the table over half a wave of the fastest that the pattern may change."""
_BESIDE = 1e-9
"""Radians from the equator."""
_EXTRA = 6
"""Orders beyond those of a sphere's radius."""


def beam(station: Station, frequency: float, count: int) -> Callable[[Floats], Complexes]:
    """What a station sends in directions (n, 3), for so many of them in all; see `Station.field`.

    Where they are many, bicubic between exact values, some 1e-4 of the greatest off.
    """
    currents = getattr(station.antenna, "currents", None)
    if not isinstance(currents, Currents):
        return lambda directions: station.field(directions, frequency)
    radius = float(np.linalg.norm(currents.places - currents.middle, axis=1).max())
    step = math.pi / (_FINE * (wavenumber(frequency) * radius + _EXTRA))
    rows = math.ceil(math.pi / step) + 1
    if count < _MANY * 2 * rows**2:
        return lambda directions: station.field(directions, frequency)
    return _tabled(station, frequency, rows)


@lru_cache(maxsize=8)
def _tabled(station: Station, frequency: float, rows: int) -> Callable[[Floats], Complexes]:
    from scipy.interpolate import RectBivariateSpline

    # Some more points beyond the poles and round the circle, so that no end is near. An antenna on a board may send
    # nothing behind it: its own equator is an end.
    extra, half = 4, (rows + 1) // 2
    turned = station.turned
    phi = math.pi / half * np.arange(-extra, 2 * half + extra)

    def table(theta: Floats) -> list[tuple[RectBivariateSpline, RectBivariateSpline]]:
        t, p = np.meshgrid(theta, phi, indexing="ij")
        own = np.stack([np.sin(t) * np.cos(p), np.sin(t) * np.sin(p), np.cos(t)], axis=-1)
        values = station.field(own.reshape(-1, 3) @ turned.T, frequency).reshape(*t.shape, 3)
        return [tuple(RectBivariateSpline(theta, phi, v[..., n]) for v in (values.real, values.imag)) for n in range(3)]

    theta = 0.5 * math.pi / half * np.arange(-extra, half + 1, dtype=np.float64)
    theta[-1] -= _BESIDE
    halves = table(theta), table((math.pi - theta)[::-1])

    def field(directions: Floats) -> Complexes:
        own = directions @ turned
        up, round_ = np.arccos(np.clip(own[:, 2], -1.0, 1.0)), np.arctan2(own[:, 1], own[:, 0]) % (2.0 * math.pi)
        out = np.empty((len(own), 3), np.complex128)
        for splines, here in zip(halves, (up <= 0.5 * math.pi, up > 0.5 * math.pi), strict=True):
            for n, (real, imaginary) in enumerate(splines):
                out[here, n] = real.ev(up[here], round_[here]) + 1j * imaginary.ev(up[here], round_[here])
        return out

    return field
