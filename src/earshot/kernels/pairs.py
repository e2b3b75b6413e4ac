"""Integrals of the tube kernel over pairs of straight segments.

For the linear shapes N0 = 1 - s/l and N1 = s/l on each segment, a pair has four moments

    I[a, b] = ∬ N_a(s) N_b(s') ⟨exp(-jkR)/R⟩ ds ds',

and the charge term needs only their sum. A segment is a column of an (8, n) array: start x, y, z, tangent x, y, z,
length, radius. Pairs apart go through `fill`; here are the near ones.
"""

import numpy as np
from numba import njit

from .tube import FAR_RADII, tube_kernel

# Which rule a pair needs. Far: middles beyond FAR_LENGTHS mean lengths and FAR_RADII summed radii: a second-order
# Taylor series about the middles. Middle: beyond MIDDLE_LENGTHS of the longer and, at their nearest, MIDDLE_RADII
# summed radii: three Gauss points a side on the tube kernel's series. Near: everything else.
FAR, MIDDLE, NEAR = 0, 1, 2
FAR_LENGTHS = 8.03
MIDDLE_LENGTHS = 2.53
MIDDLE_RADII = 5.03

_GAUSS = [np.polynomial.legendre.leggauss(n) for n in (2, 3, 4, 6, 12)]
_X2, _X3, _X4, _X6, _X12 = ((x + 1.0) / 2.0 for x, _ in _GAUSS)
_W2, _W3, _W4, _W6, _W12 = (w / 2.0 for _, w in _GAUSS)
# ζ = h u⁴ takes the logarithm out of the panel that touches ζ = 0.
_XLOG, _WLOG = _X12**4, 4.0 * _X12**3 * _W12


@njit(inline="always", error_model="numpy")
def _side_panels(z0, z1, sign, small, panels, count):
    """List panels (from, to, touches the singularity) over sign·[z0, z1], 0 <= z0 < z1, doubling away from ζ = 0."""
    z = z0
    if z < 1e-6 * small:
        top = min(z1, small)
        panels[count, 0], panels[count, 1], panels[count, 2] = sign * z, sign * top, 1.0
        count += 1
        z = top
    while z < z1 * (1.0 - 1e-15):
        top = min(z1, 2.0 * z)
        panels[count, 0], panels[count, 1], panels[count, 2] = sign * z, sign * top, 0.0
        count += 1
        z = top
    return count


@njit(inline="always", error_model="numpy")
def _coaxial_panels(l1, centre, l2, small, panels):
    """Panels of ζ = s' - s between the four differences of the ends, split at ζ = 0; returns how many."""
    first, last = centre - l1, centre + l2
    low, high = min(centre, last - l1), max(centre, last - l1)
    count = 0
    for i in range(6):
        # The three stretches between the differences, each below and above ζ = 0.
        stretch = i // 2
        z0 = first if stretch == 0 else (low if stretch == 1 else high)
        z1 = low if stretch == 0 else (high if stretch == 1 else last)
        z0, z1 = (min(z0, 0.0), min(z1, 0.0)) if i % 2 == 0 else (max(z0, 0.0), max(z1, 0.0))
        if z1 - z0 < 1e-14 * (l1 + l2):
            continue
        sign = 1.0 if z0 + z1 > 0.0 else -1.0
        count = _side_panels(min(abs(z0), abs(z1)), max(abs(z0), abs(z1)), sign, small, panels, count)
    return count


@njit(error_model="numpy")
def coaxial(l1, centre, l2, a, b, k, out):
    """Moments of coaxial segments [0, l1] and [centre, centre + l2] by the exact kernel, one integral over ζ = s' - s.

    The inner integral over s at fixed ζ is a product of two straight lines, exact with two points; it is smooth in ζ
    between the four differences of the ends, and the kernel has its logarithm at ζ = 0.
    """
    panels = np.empty((256, 3))
    alone = centre == 0.0 and l1 == l2
    for panel in range(_coaxial_panels(l1, centre, l2, 0.5 * max(a, b), panels)):
        z0, z1, singular = panels[panel, 0], panels[panel, 1], panels[panel, 2]
        if alone and z1 < 0.0:
            continue
        x, w = (_XLOG, _WLOG) if singular > 0.0 else (_X6, _W6)
        for i in range(x.size):
            zeta = z0 + (z1 - z0) * x[i]
            low = max(0.0, centre - zeta)
            high = min(l1, centre + l2 - zeta)
            if high <= low:
                continue
            real, imag = tube_kernel(zeta * zeta, 0.0, 0.0, 1.0, a, b, k)
            value = (real + 1j * imag) * (w[i] * abs(z1 - z0) * 0.5 * (high - low))
            for p in range(2):
                s = low + (high - low) * _X2[p]
                _spread(value, s / l1, (s + zeta - centre) / l2, out)
    if alone:
        # A segment with itself: the other side, ζ < 0, is the transpose.
        out[0, 0] *= 2.0
        out[1, 1] *= 2.0
        out[0, 1] += out[1, 0]
        out[1, 0] = out[0, 1]


@njit(error_model="numpy")
def _spread(value, n1, m1, out):
    """Share a kernel value among the four products of linear shapes."""
    high = value * n1
    low = value - high
    out[0, 1] += low * m1
    out[0, 0] += low - low * m1
    out[1, 1] += high * m1
    out[1, 0] += high - high * m1


@njit(inline="always", error_model="numpy")
def _product(seg1, seg2, box, x, w, k, out):
    """Add a product Gauss rule over the box (s0, s1, t0, t1) of two segments."""
    s0, s1, t0, t1 = box
    cosine = seg1[3] * seg2[3] + seg1[4] * seg2[4] + seg1[5] * seg2[5]
    for i in range(x.size):
        s = s0 + (s1 - s0) * x[i]
        for j in range(x.size):
            t = t0 + (t1 - t0) * x[j]
            dx = seg1[0] + s * seg1[3] - seg2[0] - t * seg2[3]
            dy = seg1[1] + s * seg1[4] - seg2[1] - t * seg2[4]
            dz = seg1[2] + s * seg1[5] - seg2[2] - t * seg2[5]
            r2 = dx * dx + dy * dy + dz * dz
            along1 = dx * seg1[3] + dy * seg1[4] + dz * seg1[5]
            along2 = dx * seg2[3] + dy * seg2[4] + dz * seg2[5]
            perp1, perp2 = max(r2 - along1 * along1, 0.0), max(r2 - along2 * along2, 0.0)
            real, imag = tube_kernel(r2, perp1, perp2, cosine, seg1[7], seg2[7], k)
            value = (real + 1j * imag) * (w[i] * w[j] * (s1 - s0) * (t1 - t0))
            _spread(value, s / seg1[6], t / seg2[6], out)


@njit(error_model="numpy")
def _box_distance2(seg1, seg2, box):
    """Squared distance of the middles of two pieces of segment."""
    s = 0.5 * (box[0] + box[1])
    t = 0.5 * (box[2] + box[3])
    dx = seg1[0] + s * seg1[3] - seg2[0] - t * seg2[3]
    dy = seg1[1] + s * seg1[4] - seg2[1] - t * seg2[4]
    dz = seg1[2] + s * seg1[5] - seg2[2] - t * seg2[5]
    return dx * dx + dy * dy + dz * dz


@njit(inline="always")
def _put(stack, row, s0, s1, t0, t1):
    stack[row, 0], stack[row, 1], stack[row, 2], stack[row, 3] = s0, s1, t0, t1


@njit(error_model="numpy")
def skew(seg1, seg2, distance2, k, out):
    """Moments of segments by product rules: halve the longer piece until the pieces are well apart.

    distance2: squared distance of the middles; when it is large enough one product does it, whatever the axes.
    """
    longest = max(seg1[6], seg2[6])
    apart = distance2 > (MIDDLE_LENGTHS * longest) ** 2
    radii = seg1[7] ** 2 + seg2[7] ** 2
    floor = 0.125 * (seg1[7] + seg2[7])
    stack = np.empty((256, 4))
    _put(stack, 0, 0.0, seg1[6], 0.0, seg2[6])
    top = 1
    x, w = (_X3, _W3) if apart else (_X4, _W4)
    while top > 0:
        top -= 1
        s0, s1, t0, t1 = stack[top, 0], stack[top, 1], stack[top, 2], stack[top, 3]
        longer = max(s1 - s0, t1 - t0)
        if apart or longer < floor or _box_distance2(seg1, seg2, (s0, s1, t0, t1)) + radii > 2.25 * longer * longer:
            _product(seg1, seg2, (s0, s1, t0, t1), x, w, k, out)
        elif s1 - s0 >= t1 - t0:
            middle = 0.5 * (s0 + s1)
            _put(stack, top, s0, middle, t0, t1)
            _put(stack, top + 1, middle, s1, t0, t1)
            top += 2
        else:
            middle = 0.5 * (t0 + t1)
            _put(stack, top, s0, s1, t0, middle)
            _put(stack, top + 1, s0, s1, middle, t1)
            top += 2


@njit(error_model="numpy")
def pair_distance2(seg1, seg2):
    """Squared distance of the middles of two segments."""
    return _box_distance2(seg1, seg2, (0.0, seg1[6], 0.0, seg2[6]))


@njit(error_model="numpy")
def distance_class(seg1, seg2):
    """FAR, MIDDLE or NEAR."""
    distance2 = pair_distance2(seg1, seg2)
    mean, radii = 0.5 * (seg1[6] + seg2[6]), seg1[7] + seg2[7]
    far = max(FAR_LENGTHS * mean, FAR_RADII * radii)
    if distance2 > far * far:
        return FAR
    middle = max(MIDDLE_LENGTHS * max(seg1[6], seg2[6]), mean + MIDDLE_RADII * radii)
    return MIDDLE if distance2 > middle * middle else NEAR


@njit(error_model="numpy")
def near_moments(seg1, seg2, k, out):
    """Four moments of a near pair into out (2, 2), whatever the two segments' places."""
    out[:] = 0.0
    dx = seg2[0] - seg1[0]
    dy = seg2[1] - seg1[1]
    dz = seg2[2] - seg1[2]
    cosine = seg1[3] * seg2[3] + seg1[4] * seg2[4] + seg1[5] * seg2[5]
    start = dx * seg1[3] + dy * seg1[4] + dz * seg1[5]
    distance2 = pair_distance2(seg1, seg2)
    apart = distance2 > (MIDDLE_LENGTHS * max(seg1[6], seg2[6])) ** 2
    off = 1e-7 * (seg1[7] + seg2[7])
    aside2 = dx * dx + dy * dy + dz * dz - start * start
    in_line = 1.0 - abs(cosine) < 1e-13 and aside2 < off * off + 1e-15 * (start * start + seg2[6] ** 2)
    if apart or not in_line:
        skew(seg1, seg2, distance2, k, out)
    elif cosine > 0.0:
        coaxial(seg1[6], start, seg2[6], seg1[7], seg2[7], k, out)
    else:
        coaxial(seg1[6], start - seg2[6], seg2[6], seg1[7], seg2[7], k, out)
        for a in range(2):
            out[a, 0], out[a, 1] = out[a, 1], out[a, 0]
