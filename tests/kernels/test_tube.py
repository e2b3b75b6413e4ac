"""The tube kernel and the pair integrals against quadrature of their definitions."""

import numpy as np
import pytest
from numba import njit
from scipy.integrate import dblquad, quad

from earshot.kernels import fill, pairs, radiation, trig, tube


def segment(start, tangent, length, radius):
    tangent = np.asarray(tangent, float) / np.linalg.norm(tangent)
    return np.array([*start, *tangent, length, radius], float)


def around(axis, count, shift):
    helper = np.array([1.0, 0, 0]) if abs(axis[0]) < 0.9 else np.array([0, 1.0, 0])
    u = np.cross(axis, helper)
    u /= np.linalg.norm(u)
    angle = 2 * np.pi * (np.arange(count) + shift) / count
    return np.cos(angle)[:, None] * u + np.sin(angle)[:, None] * np.cross(axis, u)


def double_azimuth(p, t1, a, q, t2, b, k):
    r = np.linalg.norm((p + a * around(t1, 300, 0.5))[:, None] - (q + b * around(t2, 300, 0.37)), axis=2)
    return (np.exp(-1j * k * r) / r).mean()


def kernel(p, t1, a, q, t2, b, k):
    d = p - q
    r2 = d @ d
    return complex(*tube.tube_kernel(r2, r2 - (d @ t1) ** 2, r2 - (d @ t2) ** 2, t1 @ t2, a, b, k))


def test_coaxial_tubes_of_any_radii_are_exact():
    k, a, b = 3.0, 0.02, 0.035

    for zeta in (1e-4, 0.01, 0.05, 0.4):

        def integrand(psi, part, z=zeta):
            r = np.sqrt(z * z + a * a + b * b - 2 * a * b * np.cos(psi))
            return part(np.exp(-1j * k * r) / r) / np.pi

        exact = sum(
            unit * quad(integrand, 0, np.pi, args=(part,), points=[1e-3, 0.1], limit=200)[0]
            for part, unit in ((np.real, 1), (np.imag, 1j))
        )
        got = complex(*tube.tube_kernel(zeta**2, 0.0, 0.0, 1.0, a, b, k))
        # The smooth rest is good to 5e-7 out to kR = 1, where other rules have long taken over.
        assert abs(got - exact) < (5e-8 if zeta < 0.1 else 5e-7) * abs(exact)


def test_skew_tubes_agree_to_second_order_and_better():
    x, bent = np.array([1.0, 0, 0]), np.array([0.6, 0.8, 0])
    errors = []
    for distance in (4.0, 8.0, 16.0):
        p, q = np.array([0.3, 0.2, 0]) * distance, np.array([-0.4, 0.1, 0.85]) * distance
        errors.append(abs(kernel(p, x, 1, q, bent, 0.7, 1e-3) / double_azimuth(p, x, 1, q, bent, 0.7, 1e-3) - 1))
    assert errors[0] < 3e-3
    # What is left falls like the fourth power of radius over distance.
    assert errors[1] < errors[0] / 10
    assert errors[2] < errors[1] / 10


def test_right_angled_corner_error_is_what_the_docstring_says():
    x, y = np.eye(3)[:2]
    for place, most in ((2.0, 0.02), (4.0, 0.002)):
        p, q = place * x, -place * y
        assert abs(kernel(p, x, 1, q, y, 1, 0.05) / double_azimuth(p, x, 1, q, y, 1, 0.05) - 1) < most


def definition(seg1, seg2, k, a, b):
    """One moment by adaptive quadrature of the kernel."""

    def integrand(t, s, part):
        p, q = seg1[:3] + s * seg1[3:6], seg2[:3] + t * seg2[3:6]
        n1, m1 = s / seg1[6], t / seg2[6]
        weight = (n1 if a else 1 - n1) * (m1 if b else 1 - m1)
        return weight * part(kernel(p, seg1[3:6], seg1[7], q, seg2[3:6], seg2[7], k))

    return sum(
        unit * dblquad(integrand, 0, seg1[6], 0, seg2[6], args=(part,), epsabs=1e-9, epsrel=1e-9)[0]
        for part, unit in ((np.real, 1), (np.imag, 1j))
    )


@pytest.mark.parametrize(
    ("start", "tangent", "length", "radius"),
    [
        ((0, 0, 0.1), (0, 0, 1), 0.07, 0.02),  # next on the same axis
        ((0, 0, 0.17), (0, 0, -1), 0.07, 0.02),  # the same, reversed
        ((0, 0, 0.1), (0, 0, 1), 0.07, 0.03),  # a step of radius
        ((0, 0, 0.1), (0, 1, 0.2), 0.12, 0.02),  # a bend
        ((0.1, 0, 0.02), (0, 0, 1), 0.1, 0.02),  # side by side
        ((0.3, 0.1, 0.4), (1, 0, 0.5), 0.1, 0.02),  # apart, but within the near rule
    ],
)
def test_near_pairs_against_their_definition(start, tangent, length, radius):
    k = 2 * np.pi
    one, two = segment((0, 0, 0), (0, 0, 1), 0.1, 0.02), segment(start, tangent, length, radius)
    out, back = np.zeros((2, 2), complex), np.zeros((2, 2), complex)
    pairs.near_moments(one, two, k, out)
    pairs.near_moments(two, one, k, back)
    size = abs(out).max()
    assert abs(out[0, 1] - definition(one, two, k, 0, 1)) < 3e-6 * size
    assert abs(out[1, 1] - definition(one, two, k, 1, 1)) < 3e-6 * size
    assert np.abs(out - back.T).max() < 1e-6 * size


def test_self_term_down_to_segments_of_a_quarter_radius():
    """∬ N N' K over one segment = ∫ w(ζ) K(ζ) dζ with the weight's closed form, by adaptive quadrature."""
    k = 2 * np.pi
    for length, radius in ((0.02, 0.001), (0.005, 0.02)):
        out = np.zeros((2, 2), complex)
        pairs.coaxial(length, 0.0, length, radius, radius, k, out)

        def both(z, part, length=length, radius=radius):
            return 2 * (length - z) * part(complex(*tube.tube_kernel(z * z, 0.0, 0.0, 1.0, radius, radius, k)))

        exact = sum(
            unit * quad(both, 0, length, args=(part,), points=[radius * 1e-3, min(radius, length / 2)], limit=400)[0]
            for part, unit in ((np.real, 1), (np.imag, 1j))
        )
        assert abs(out.sum() - exact) < 1e-7 * abs(exact)


def test_far_rule_meets_near_rule_where_they_part():
    one = segment((0, 0, 0), (0, 0, 1), 0.016, 0.001)
    middle, far = [0.0, 0.0], [0.0, 0.0]
    for direction in ((0, 0, 1), (1, 0, 0), (1, 0, 1)):
        start = np.asarray(direction) / np.linalg.norm(direction) * 0.13
        two = segment(start, (0.2, 0.1, 1), 0.016, 0.001)
        exact = np.zeros((2, 2), complex)
        pairs.skew(one, two, 0.0, 2 * np.pi, exact)
        for rule, found in ((fill._middle_row, middle), (fill._taylor_row, far)):
            real, imag = np.zeros((4, 1)), np.zeros((4, 1))
            # With no charge term and t·t' divided out, entries are moments.
            rule(one, two[:, None].copy(), 2 * np.pi, 1 / (one[3:6] @ two[3:6]), 0.0, real, imag)
            got = (real + 1j * imag)[:, 0].reshape(2, 2)
            found[0] = max(found[0], np.abs(got - exact).max() / np.abs(exact).max())
            found[1] = max(found[1], abs(got.sum() / exact.sum() - 1))
    assert max(middle) < 2e-6
    # Shared among the moments the far rule is coarser; an impedance moves by 5e-6 (4e-4 ohm of a half-wave dipole).
    assert far[0] < 3e-4
    assert far[1] < 2e-5


def test_kernels_agree_with_the_compiler_off():
    one, two = segment((0, 0, 0), (0, 0, 1), 0.1, 0.02), segment((0, 0, 0.1), (0, 1, 0.2), 0.12, 0.02)
    with_, without = np.zeros((2, 2), complex), np.zeros((2, 2), complex)
    pairs.near_moments(one, two, 6.0, with_)
    pairs.near_moments.py_func(one, two, 6.0, without)
    np.testing.assert_allclose(with_, without, rtol=1e-12)
    assert radiation._j0_small.py_func(0.25) == pytest.approx(0.7651976865579666, abs=1e-9)


def test_fast_sine_and_cosine():
    both = njit(lambda x: trig.sincos(x))
    for x in np.linspace(-4e4, 4e4, 4001):
        s, c = both(x)
        assert abs(s - np.sin(x)) < 1e-11
        assert abs(c - np.cos(x)) < 1e-11
    assert np.abs(np.array([both(x)[0] - np.sin(x) for x in np.linspace(-6, 6, 999)])).max() < 6e-15
