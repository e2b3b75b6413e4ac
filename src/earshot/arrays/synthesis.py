"""Weights whose beam keeps under a mask, by linear programming.

|F| ≤ m is taken as Re(F e^{jψ}) ≤ m for so many ψ evenly round: at sixteen, at most 2 % (0.17 dB) on the safe side.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..arraytypes import Floats
from ..constants import wavenumber
from ..errors import RunError, UsageError
from ..fields.directions import angles_of
from .array import Array
from .weights import Weights

_SIDES = 16
_MOST = 4_000_000


def under_mask(
    array: Array, directions: ArrayLike, levels: ArrayLike, *, frequency: str | float, towards: ArrayLike
) -> tuple[Weights, float]:
    """Weights for a beam towards a direction (3,) with the least excess over a mask, and that excess, dB: met below 0.

    directions (m, 3), levels (m,): the mask, dB relative to the beam, where it holds. The element's own pattern is in.
    Raises UsageError for masks that do not fit or are too large to be programmed, RunError when no solution is found.
    """
    from scipy.optimize import linprog

    ways, mask = np.atleast_2d(np.asarray(directions, float)), np.asarray(levels, float)
    if ways.shape != (len(mask), 3) or not len(mask):
        raise UsageError(f"under_mask: directions of shape {ways.shape} for {mask.size} levels: give (m, 3) and (m,)")
    n, m = len(array), len(mask)
    if 2 * n * m * _SIDES > _MOST * 4:
        raise UsageError(f"under_mask: {n} elements under {m} levels are too many to be programmed: take fewer")
    if isinstance(array.element, tuple) or not array.layout.unturned:
        raise UsageError(f"under_mask: the elements of '{array.label}' are not all alike and unturned")
    hertz = units.frequency(frequency)
    k, places = wavenumber(hertz), array.layout.positions
    beam = np.asarray(towards, float) / np.linalg.norm(towards)

    def strength(way: Floats) -> Floats:
        theta, phi = angles_of(way)
        one, two = array.elements[0].field(theta, phi, hertz)
        return np.asarray(np.sqrt(np.abs(one) ** 2 + np.abs(two) ** 2))

    share = strength(ways) / strength(beam[None])[0]
    waves = np.exp(1j * k * ways @ places.T) * share[:, None]
    allowed = 10.0 ** (mask / 20.0)
    rows = []
    for psi in 2.0 * math.pi * np.arange(_SIDES) / _SIDES:
        turned = waves * np.exp(1j * psi)
        # Re((a + jb) e^{jψ} wave) of weights a + jb, less the excess times what is allowed.
        rows.append(np.hstack([turned.real, -turned.imag, -math.cos(math.pi / _SIDES) * allowed[:, None]]))
    front = np.exp(1j * k * places @ beam)
    equal = np.array([[*front.real, *-front.imag, 0.0], [*front.imag, *front.real, 0.0]])
    cost = np.zeros(2 * n + 1)
    cost[-1] = 1.0
    found = linprog(cost, np.concatenate(rows), np.zeros(_SIDES * m), equal, [1.0, 0.0],
                    bounds=[(None, None)] * (2 * n) + [(0.0, None)], method="highs")  # fmt: skip
    if found.x is None:
        raise RunError(f"under_mask: no weights were found: {found.message}")
    values = found.x[:n] + 1j * found.x[n : 2 * n]
    return Weights(values / np.abs(values).max()), 20.0 * math.log10(max(float(found.x[-1]), 1e-12))
