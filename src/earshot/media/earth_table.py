"""What earth sends back, tabulated: R e^{jR} times a kernel is smooth in R and in the angle, and has a limit at R = 0.

R is the distance to the image and y = √(ζ/R), which is fine at low angles, where the reflection changes fastest. Along
R nodes are even in ln R + (R/c)/(1 + R/d): a quarter of R apart, a twelfth of a wavelength at most, and more only where
what is left of the wave through the earth is small.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .half_space import reflection

Complexes = NDArray[np.complex128]
Floats = NDArray[np.float64]

_STEP = 0.26
_BEND, _FAR = 0.6 * math.pi, 20.0 * math.pi
_ANGLES = 18
_SMALLEST = 2.0 * math.pi * 5e-6
FOR_CURRENTS, FOR_FIELDS = 4, 10


@dataclass(frozen=True)
class EarthTable:
    """Cubics in both directions of the kernels of `reflection`, all times k0.

    cells (R cells, y cells, 16, 2 kinds): powers of the place in a cell; real and imaginary parts in turn.
    grid: first place along R and how many to one; first y and how many to one; c and d above. The first four kinds are
    times R e^{jR}, the others times R²/(1 + R) e^{jR}, and the slopes by ρ over sin θ, ρ = R sin θ.
    """

    wavenumber: float
    grid: Floats
    cells: Floats


def along(r: Floats) -> Floats:
    """The place of distances among the nodes, not yet scaled."""
    return np.asarray(np.log(r) + r / _BEND / (1.0 + r / _FAR))


def _distances(first: float, last: float) -> Floats:
    from scipy.interpolate import PchipInterpolator

    fine = np.geomspace(first, last, 4000)
    count = max(math.ceil((along(fine[-1:])[0] - along(fine[:1])[0]) / _STEP) + 1, 6)
    places = np.linspace(along(fine[:1])[0], along(fine[-1:])[0], count)
    guess = PchipInterpolator(along(fine), fine)(places)
    for _ in range(4):
        slope = 1.0 / guess + 1.0 / _BEND / (1.0 + guess / _FAR) ** 2
        guess = guess - (along(guess) - places) / slope
    return np.asarray(guess)


def earth_table(
    permittivity: complex, wavenumber: float, across: tuple[float, float], heights: tuple[float, float],
    kinds: int = FOR_CURRENTS, shares: int = 1,
    side_by_side: Callable[[Callable[[int], None], range], object] | None = None,
) -> EarthTable:  # fmt: skip
    """The kernels for distances and sums of heights between bounds, m.

    side_by_side(work, range(shares)): calls work for every share of the rows, if there are more than one.
    """
    (least, most), (low, high) = np.array(across) * wavenumber, np.array(heights) * wavenumber
    near = max(math.hypot(least, low), _SMALLEST)
    r = _distances(near, 1.0001 * max(math.hypot(most, high), 1.01 * near))
    flattest, steepest = (math.sqrt(z / max(math.hypot(rho, z), near)) for rho, z in ((most, low), (least, high)))
    steepest = min(steepest, 1.0)
    y = np.linspace(min(flattest, steepest - 0.05), steepest, _count(steepest - flattest))
    cosine = np.maximum(y, 0.0) ** 2
    sine = np.maximum(np.sqrt(np.maximum(1.0 - cosine**2, 0.0)), 1e-7)
    values = np.empty((len(r), len(y), kinds), np.complex128)

    def work(own: int) -> None:
        for i in range(own, len(r), shares):
            kernels = np.array(reflection(permittivity, r[i] * sine, r[i] * cosine)[:kinds])
            scale = np.full(kinds, r[i])
            scale[FOR_CURRENTS:] *= r[i] / (1.0 + r[i])
            kernels[FOR_CURRENTS : FOR_CURRENTS + 2] /= sine
            values[i] = kernels.T * scale * np.exp(1j * r[i])

    if side_by_side is None:
        shares = 1
        work(0)
    else:
        side_by_side(work, range(shares))
    start, step = along(r[:1])[0], (along(r[-1:]) - along(r[:1]))[0] / (len(r) - 1)
    grid = np.array([start, 1.0 / step, y[0], 1.0 / (y[1] - y[0]), _BEND, _FAR])
    return EarthTable(wavenumber, grid, _cells(values))


def _count(span: float) -> int:
    return max(math.ceil(_ANGLES * span) + 1, 6)


def _cells(values: Complexes) -> Floats:
    """Splines along both directions, as sixteen powers of the place within every cell."""
    from scipy.interpolate import CubicSpline

    m, n, _ = values.shape
    one = CubicSpline(np.arange(m), values, axis=0).c[::-1]
    both = CubicSpline(np.arange(n), one, axis=2).c[::-1]
    # (powers of y, y cells, powers of R, R cells, kinds) to (R cells, y cells, powers of R, powers of y, kinds).
    return np.ascontiguousarray(both.transpose(3, 1, 2, 0, 4).reshape(m - 1, n - 1, 16, -1)).view(np.float64)
