"""The tube kernel: exp(-jkR)/R averaged over the azimuth of two thin tubes.

A point at azimuth α on a tube of radius a and one at α' on a tube of radius b, with axis points a vector D apart, are
R² = Q² - 2a... apart; over both azimuths R² has the mean Q² = |D|² + a² + b² and the variance

    V = 2a²|D⊥|² + 2b²|D⊥'|² + a²b²(1 + (t·t')²),      D⊥ = part of D normal to the tube's own axis.

We replace the double azimuth by one angle ψ, R² = Q² - B cos ψ with B = √(2V): the same mean, the same variance. For
coaxial tubes of any radii (V = 2a²b²) this IS the exact kernel; for all others it is exact to second order in
(radius/distance), symmetric in the two tubes, and touching parallel tubes (D = 2a) give R² = 0 just as they should.
Against the double azimuth it is off by 13 % within half a radius of a right-angled corner, 2 % at two radii, 0.1 % at
four; side by side at 2.5 radii by 0.5 % of the potential of a long wire, at four by 0.07 %.

The static parts ⟨1/R⟩ and ⟨R⟩ are complete elliptic integrals, evaluated by the arithmetic-geometric mean
(Abramowitz and Stegun 1964, 17.6); the rest is smooth and needs three angles.
"""

import math

from numba import njit

from .trig import sincos

_COS_30 = 0.8660254037844386


@njit(fastmath=True, error_model="numpy")
def ring_averages(p, q):
    """Mean of 1/R and of R over ψ for R² = p²cos²ψ + q²sin²ψ, 0 < p <= q."""
    a = q
    b = p
    weight = 0.5
    shed = weight * (q * q - p * p)
    while a - b > 1e-8 * a:
        c = 0.5 * (a - b)
        mean = 0.5 * (a + b)
        b = math.sqrt(a * b)
        a = mean
        weight *= 2.0
        shed += weight * c * c
    inverse = 2.0 / (a + b)
    return inverse, (q * q - shed) * inverse


@njit(fastmath=True, error_model="numpy")
def tube_kernel(r2, perp1, perp2, cosine, a, b, k):
    """Real and imaginary part of the averaged exp(-jkR)/R.

    r2: squared distance of the axis points; perp1, perp2: its squared parts normal to each axis; cosine: t·t'.
    """
    q2 = r2 + a * a + b * b
    swing = math.sqrt(4.0 * (a * a * perp1 + b * b * perp2) + 2.0 * a * a * b * b * (1.0 + cosine * cosine))
    # Inside a sharp bend the tubes overlap and the swing can exceed the mean: keep the nearest distance positive.
    near = math.sqrt(max(q2 - swing, r2 / 64.0, 1e-20 * q2))
    far = math.sqrt(q2 + swing)
    inverse, mean = ring_averages(near, far)
    real = inverse - 0.5 * k * k * mean
    imag = 0.0
    for i in range(3):
        r = math.sqrt(max(q2 + (i - 1) * _COS_30 * swing, near * near))
        x = k * r
        s, c = sincos(x)
        real += (c - 1.0 + 0.5 * x * x) / (3.0 * r)
        imag -= s / (3.0 * r)
    return real, imag
