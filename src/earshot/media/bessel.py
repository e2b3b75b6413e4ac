"""Bessel functions of all first orders at once, by recurrence: far quicker than one by one."""

from __future__ import annotations

import math

import numpy as np

from ..arraytypes import Floats

_HUGE = 1e150


def bessel_orders(count: int, x: Floats) -> Floats:
    """J_0 to J_{count - 1} (count, n) at x > 0 (n,), to 1e-13.

    Where x is above all orders by recurrence upwards, elsewhere downwards from where there is nothing left, scaled so
    that J_0 + 2 Σ J_2m = 1 (Miller's algorithm; Abramowitz and Stegun 1964, 9.12).
    """
    from scipy.special import j0, j1

    found = np.empty((count, len(x)))
    above = x > count
    high, low = x[above], x[~above]
    rows = [j0(high), j1(high)]
    for n in range(1, count - 1):
        rows.append(2.0 * n / high * rows[n] - rows[n - 1])
    found[:, above] = rows[:count]
    start = 2 * ((count + 12 + math.ceil(math.sqrt(60.0 * count))) // 2)
    after, own, whole = np.zeros_like(low), np.full_like(low, 1e-300), np.zeros_like(low)
    down = np.zeros((count, len(low)))
    for n in range(start, -1, -1):
        if n < count:
            down[n] = own
        whole += own * ((n == 0) + 2.0 * (n > 0 and n % 2 == 0))
        if n:
            after, own = own, 2.0 * n / low * own - after
        large = np.abs(own) > _HUGE
        if large.any():
            for kept in (after, own, whole):
                kept[large] /= _HUGE
            down[n:, large] /= _HUGE
    found[:, ~above] = down / whole
    return found
