"""What earth sends back, tabulated: R e^{jR} times a kernel is smooth in R and in the angle, and has a limit at R = 0.

R is the distance to the image and y = √(ζ/R), which is fine at low angles, where the reflection changes fastest. Along
R nodes are even in ln R + (R/c)/(1 + R/d): a quarter of R apart, a twelfth of a wavelength at most, and more only where
what is left of the wave through the earth is small; over layers, whose waves run on, c is as they want it, without d.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes, Floats
from .half_space import Below, reflection

_STEP = 0.26
_BEND, _FAR, _NEVER = 0.6 * math.pi, 20.0 * math.pi, 1e12
_ANGLES, _LONG = 18, 2000.0
_SMALLEST = 2.0 * math.pi * 5e-6
FOR_CURRENTS, FOR_FIELDS = 4, 10


@dataclass(frozen=True)
class EarthTable:
    """Cubic splines in both directions of the kernels of `reflection`, all times k0.

    weights (R nodes + 2, y nodes + 2, 2 kinds): of uniform B-splines, real and imaginary parts in turn; the four along
    each direction from a cell's own number on are not zero in it. grid: first place along R and how many to one; first
    y and how many to one; c and d above. The first four kinds are times R e^{jR}, the others times R²/(1 + R) e^{jR},
    and the slopes by ρ over sin θ, ρ = R sin θ. least: the first R, m.
    """

    wavenumber: float
    grid: Floats
    weights: Floats
    least: float


def along(r: Floats, bend: float, far: float) -> Floats:
    """The place of distances among the nodes, not yet scaled."""
    return np.asarray(np.log(r) + r / bend / (1.0 + r / far))


def _bounds(below: Below) -> tuple[float, float]:
    """c and d of the nodes: waves along layers beat with that of air."""
    if below.slowest == 1.0:
        return _BEND, _FAR
    return _BEND * min(1.0, 1.0 / max(below.slowest - 0.8, 0.1)), _NEVER


def _distances(first: float, last: float, bend: float, far: float) -> Floats:
    from scipy.interpolate import PchipInterpolator

    fine = np.geomspace(first, last, 4000)
    on = along(fine, bend, far)
    count = max(math.ceil((on[-1] - on[0]) / _STEP) + 1, 6)
    places = np.linspace(on[0], on[-1], count)
    guess = PchipInterpolator(on, fine)(places)
    for _ in range(4):
        slope = 1.0 / guess + 1.0 / bend / (1.0 + guess / far) ** 2
        guess = guess - (along(guess, bend, far) - places) / slope
    return np.asarray(guess)


Kernels = Callable[[Floats, Floats], Complexes]
"""Kernels (kinds, places) at distances and sums of heights (places,), times k0."""

SideBySide = Callable[[Callable[[int], None], range], object]
"""Calls work for every one of a range."""


def in_turn(work: Callable[[int], None], shares: range) -> None:
    """One after the other."""
    for share in shares:
        work(share)


def earth_table(
    below: Below, wavenumber: float, across: tuple[float, float], heights: tuple[float, float],
    kinds: int = FOR_CURRENTS, shares: int = 1, side_by_side: SideBySide = in_turn,
) -> EarthTable:  # fmt: skip
    """The first kernels of `reflection` for distances and sums of heights between bounds, m; see `tabled`."""

    def kernels(rho: Floats, zeta: Floats) -> Complexes:
        return np.array(reflection(below, rho, zeta)[:kinds])

    return tabled(kernels, below, wavenumber, across, heights, shares, side_by_side)


def tabled(
    kernels: Kernels, below: Below, wavenumber: float, across: tuple[float, float], heights: tuple[float, float],
    shares: int = 1, side_by_side: SideBySide = in_turn, smallest: float = _SMALLEST,
) -> EarthTable:  # fmt: skip
    """Kernels for distances and sums of heights between bounds, m, in shares of the rows that are done side by side.

    smallest: the least R, normalised.
    """
    return in_tables(kernels, below, wavenumber, across, heights, shares, side_by_side, smallest)[0]


def in_tables(
    kernels: Kernels, below: Below, wavenumber: float, across: tuple[float, float], heights: tuple[float, float],
    shares: int = 1, side_by_side: SideBySide = in_turn, smallest: float = _SMALLEST, each: int | None = None,
) -> list[EarthTable]:  # fmt: skip
    """The same, but for so many kernels a table each."""
    (least, most), (low, high) = np.array(across) * wavenumber, np.array(heights) * wavenumber
    near, (bend, far) = max(math.hypot(least, low), smallest), _bounds(below)
    r = _distances(near, 1.0001 * max(math.hypot(most, high), 1.01 * near), bend, far)[:, None]
    flattest, steepest = (math.sqrt(z / max(math.hypot(rho, z), near)) for rho, z in ((most, low), (least, high)))
    steepest = min(steepest, 1.0)
    # Far along the ground what is reflected changes within an angle that goes as one over the root of the distance.
    finer = max(1.0, (float(r[-1, 0]) / _LONG) ** 0.25)
    y = np.linspace(min(flattest, steepest - 0.05), steepest, _count(finer * (steepest - flattest)))
    cosine = np.maximum(y, 0.0) ** 2
    sine = np.maximum(np.sqrt(np.maximum(1.0 - cosine**2, 0.0)), 1e-7)
    found: dict[int, Complexes] = {}

    def work(own: int) -> None:
        rows = r[own::shares]
        found[own] = kernels((rows * sine).ravel(), (rows * cosine).ravel()).reshape(-1, len(rows), len(y))

    side_by_side(work, range(shares))
    values = np.empty((len(found[0]), len(r), len(y)), np.complex128)
    for own, rows in found.items():
        values[:, own::shares] = rows
    values *= r * np.exp(1j * r)
    on = along(r[[0, -1], 0], bend, far)
    grid = np.array([on[0], 1.0 / ((on[1] - on[0]) / (len(r) - 1)), y[0], 1.0 / (y[1] - y[0]), bend, far])
    made = []
    for group in np.split(values, len(values) // (each or len(values))):
        group[FOR_CURRENTS:] *= r / (1.0 + r)
        group[FOR_CURRENTS : FOR_CURRENTS + 2] /= sine
        made.append(EarthTable(wavenumber, grid, _weights(group), near / wavenumber))
    return made


def _count(span: float) -> int:
    return max(math.ceil(_ANGLES * span) + 1, 6)


def _weights(values: Complexes) -> Floats:
    """What uniform cubic B-splines through values (kinds, R nodes, y nodes) are multiplied by, as in `EarthTable`."""
    one, two = (np.linalg.inv(_through(n)) for n in values.shape[1:])
    found = np.einsum("ri,kij,yj->ryk", one[:, 1:-1], values, two[:, 1:-1], optimize=True)
    return np.ascontiguousarray(found).view(np.float64)


def _through(count: int) -> Floats:
    """The values of count + 2 B-splines at their nodes; first and last their third derivative's steps, not a knot."""
    rows = np.zeros((count + 2, count + 2))
    rows[0, :5] = rows[-1, -5:] = 1.0, -4.0, 6.0, -4.0, 1.0
    for i in range(count):
        rows[i + 1, i : i + 3] = 1.0 / 6.0, 4.0 / 6.0, 1.0 / 6.0
    return rows
