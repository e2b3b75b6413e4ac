"""The tube kernel: exp(-jkR)/R averaged over the azimuth of two thin tubes.

For axis points a vector D apart, the squared distance R² of a point on a tube of radius a and one on a tube of radius b
has, over both azimuths, the mean Q² = |D|² + a² + b² and the variance

    V = 2a²|D⊥|² + 2b²|D⊥'|² + a²b²(1 + (t·t')²),      D⊥ = part of D normal to the tube's own axis.

We replace the double azimuth by one angle ψ, R² = Q² - B cos ψ with B = √(2V): the same mean, the same variance. For
coaxial tubes of any radii (V = 2a²b²) this IS the exact kernel; for all others it is exact to second order in
radius/distance, symmetric in the two tubes, and touching parallel tubes (D = 2a) give R² = 0 just as they should.
Against tubes made of sheets, solved as such, the admittance of a half-wave dipole of radius 0.01 wavelengths is off
by 0.1 % when it is straight, 0.7 % with both arms bent by 45 degrees, 1.6 % by 90 (arms of 11 radii), and one of
radius 0.02 by 1.7 % with a step of radius of 2:1 half way along its arms, 2.2 % with 4:1. Against the double azimuth
it is off by 13 % within half a radius of a right-angled corner, 2 % at two radii, 0.1 % at four; side by side at 2.5
radii by 0.5 % of the potential of a long wire, at four by 0.07 %.

The static parts ⟨1/R⟩ and ⟨R⟩ are complete elliptic integrals: by the arithmetic-geometric mean (Abramowitz and Stegun
1964, 17.6) close by, by their power series in B/Q² a few radii away. The rest is smooth and needs two angles at most.
"""

import math

from numba import njit

from .trig import sincos

# Beyond FAR_RADII summed radii `thin_kernel` is right to 5e-6; below SERIES = (B/Q²)² the series to 1e-9.
FAR_RADII = 10.07
SERIES = 0.09
_COS_45 = 0.7071067811865476


@njit(fastmath=True, error_model="numpy")
def ring_averages(p, q):
    """Mean of 1/R and of R over ψ for R² = p²cos²ψ + q²sin²ψ, 0 < p <= q."""
    a = q
    b = p
    weight = 0.5
    shed = weight * (q * q - p * p)
    # The mean converges quadratically: what is left after this is 1e-11.
    while a - b > 1e-5 * a:
        c = 0.5 * (a - b)
        mean = 0.5 * (a + b)
        b = math.sqrt(a * b)
        a = mean
        weight *= 2.0
        shed += weight * c * c
    inverse = 2.0 / (a + b)
    return inverse, (q * q - shed) * inverse


@njit(inline="always", fastmath=True, error_model="numpy")
def thin_kernel(r2, c1, c2, a2, b2, k):
    """Real and imaginary part of the averaged exp(-jkR)/R to second order in radius/distance.

    c1, c2: squared cosines between each axis and R; a2, b2: a quarter of the squared radii. exp(-jkR)/R has the factor
    1 - ¼ Σ a²[k²(1 - c²) + (3c² - 1)(1 + jkR)/R²]: a tube's average adds ¼a² times the transverse Laplacian.
    """
    inverse2 = 1.0 / r2
    inverse = math.sqrt(inverse2)
    phase = k * r2 * inverse
    near = (a2 * (3.0 * c1 - 1.0) + b2 * (3.0 * c2 - 1.0)) * inverse2
    level = inverse * (1.0 - k * k * (a2 * (1.0 - c1) + b2 * (1.0 - c2)) - near)
    turn = -inverse * near * phase
    s, c = sincos(phase)
    return c * level + s * turn, c * turn - s * level


@njit(inline="always", fastmath=True, error_model="numpy")
def apart_kernel(q2, b2, k):
    """The average a few radii away, b2 = (B/Q²)² < SERIES: series in b2 about R = Q.

    ⟨(1 - b cos ψ)^(±1/2)⟩ term by term for the statics; the smooth rest by its second derivative in R².
    """
    q = math.sqrt(q2)
    inverse = 1.0 / q
    y = k * k * q2
    s, c = sincos(k * q)
    static = 1.0 + b2 * (0.1875 + b2 * (0.1025390625 + b2 * (0.07049560546875 + b2 * (0.05369782 + b2 * 0.04336099))))
    mean = 1.0 - b2 * (0.0625 + b2 * (0.0146484375 + b2 * (0.00640869140625 + b2 * 0.00357985)))
    real = static - 0.5 * y * mean + (c - 1.0 + 0.5 * y) + b2 * y * y / 128.0
    imag = -s - 0.25 * b2 * k * q * y * y * (1.0 / 60.0 - y * (1.0 / 840.0 - y / 30240.0))
    return real * inverse, imag * inverse


@njit(fastmath=True, error_model="numpy")
def tube_kernel(r2, perp1, perp2, cosine, a, b, k):
    """Real and imaginary part of the averaged exp(-jkR)/R, for points within a wavelength or so.

    r2: squared distance of the axis points; perp1, perp2: its squared parts normal to each axis; cosine: t·t'.
    """
    q2 = r2 + a * a + b * b
    swing2 = 4.0 * (a * a * perp1 + b * b * perp2) + 2.0 * a * a * b * b * (1.0 + cosine * cosine)
    if swing2 < SERIES * q2 * q2:
        return apart_kernel(q2, swing2 / (q2 * q2), k)
    swing = math.sqrt(swing2)
    # Inside a sharp bend the tubes overlap and the swing can exceed the mean: keep the nearest distance positive.
    near = math.sqrt(max(q2 - swing, r2 / 64.0, 1e-20 * q2))
    far = math.sqrt(q2 + swing)
    inverse, mean = ring_averages(near, far)
    real = inverse - 0.5 * k * k * mean
    imag = 0.0
    for i in range(2):
        r = math.sqrt(max(q2 + (2 * i - 1) * _COS_45 * swing, near * near))
        x = k * r
        s, c = sincos(x)
        half = 0.5 / r
        real += (c - 1.0 + 0.5 * x * x) * half
        imag -= s * half
    return real, imag
