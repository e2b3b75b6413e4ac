"""A branch-free sine and cosine that the compiler can turn into vector code.

Library calls stop a loop from being vectorised; this polynomial form is several times faster in the fill and
radiation loops, at 4e-15 absolute error for arguments up to 1e5.
"""

import numpy as np
from numba import njit

_INV_PI = 1.0 / np.pi
# π split in two (Cody and Waite 1980, ch. 8) so that x - nπ keeps its digits.
_PI_HIGH = 3.141592653468251
_PI_LOW = 1.2154188766544394e-10


@njit(inline="always", fastmath=True, error_model="numpy")
def sincos(x):
    """Return (sin x, cos x) for real x, |x| < 1e5."""
    n = np.floor(x * _INV_PI + 0.5)
    r = (x - n * _PI_HIGH) - n * _PI_LOW
    sign = 1.0 - 2.0 * (n - 2.0 * np.floor(0.5 * n))
    y = r * r
    s = -8.22063524662433e-18
    s = s * y + 2.81145725434552e-15
    s = s * y - 7.64716373181982e-13
    s = s * y + 1.60590438368216e-10
    s = s * y - 2.50521083854417e-08
    s = s * y + 2.75573192239859e-06
    s = s * y - 1.98412698412698e-04
    s = s * y + 8.33333333333333e-03
    s = s * y - 1.66666666666667e-01
    c = 4.11031762331216e-19
    c = c * y - 1.56192069685862e-16
    c = c * y + 4.77947733238739e-14
    c = c * y - 1.14707455977297e-11
    c = c * y + 2.08767569878681e-09
    c = c * y - 2.75573192239859e-07
    c = c * y + 2.48015873015873e-05
    c = c * y - 1.38888888888889e-03
    c = c * y + 4.16666666666667e-02
    c = c * y - 0.5
    return sign * (r + r * y * s), sign * (1.0 + y * c)
