"""What a half-space sends back: kernels of reflected waves for currents of any direction above it.

With u0 = √(λ² - 1), u1 = √(λ² - εc), R_M = (εc u0 - u1)/(εc u0 + u1), R_E = (u0 - u1)/(u0 + u1), all lengths times k0
and ζ the sum of both heights, S_n{f} = ∫ f J_n(λρ) e^{-u0 ζ} λ dλ (Sommerfeld 1909; Michalski and Mosig 1997):
GA = S0{R_E/u0}, Gv = S0{R_M/u0}, U = S0{(R_E + R_M)/λ²u0}. A current I t at r' then meets, from above,

    E = -jη/4π {I [t_h GA + z t_z Gv + ∇_h (t_h·∇_h U)] - ∇ (dI/ds) Gv}:

one kernel for all charges, so that those of a bend cancel.

Far along the ground, with more loss below than reaches so far, the path is drawn down round the branch point of air:
k = 1 - j v² e^{jα} for all real v, on which u0 = v √(-2j e^{jα} - v² e^{2jα}) is smooth from one side of the cut to the
other and the wave fades as e^{-ρ v²}. With α = 30° neither side comes near the pole of the reflection, whose u0 lies
between -45 and -90 degrees; none is crossed. What it costs does not depend on the distance (Felsen and Marcuvitz 1973).
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from ..arraytypes import Bools, Complexes, Floats, Ints
from .sommerfeld import Waves, half_space_path, panels
from .spectral import decay

_GONE = 42.0
"""Beyond e to the minus this nothing is left."""


class Reflection(NamedTuple):
    """Kernels at a set of places, each (places,): `slope` is U'/ρ, `bend` U''; `_out` and `_up` derivatives by ρ and ζ.

    up_slope, up_bend: of ∂U/∂ζ.
    """

    ga: Complexes
    gv: Complexes
    slope: Complexes
    bend: Complexes
    ga_out: Complexes
    gv_out: Complexes
    ga_up: Complexes
    gv_up: Complexes
    up_slope: Complexes
    up_bend: Complexes


def reflection_factors(
    k: Complexes, permittivity: complex, u0: Complexes | None = None
) -> tuple[Complexes, Complexes, Complexes]:
    """u0, R_M and R_E at transverse wavenumbers; u0 where it is known, on either side of its cut."""
    u0, u1 = decay(k, 1.0) if u0 is None else u0, decay(k, permittivity)
    return u0, (permittivity * u0 - u1) / (permittivity * u0 + u1), (permittivity - 1.0) / (u0 + u1) ** 2


def reflection(permittivity: complex, rho: Floats, zeta: Floats) -> Reflection:
    """The kernels at distances rho > 0 and sums of heights zeta ≥ 0 (places,), times k0; not both none."""
    rho, zeta = np.broadcast_arrays(np.asarray(rho, float), np.asarray(zeta, float))
    found = np.empty((10, len(rho)), np.complex128)
    far = _far_along(permittivity, rho, zeta)
    for flat, own in _alike(permittivity, rho, zeta, far):
        found[:, own] = _together(permittivity, rho[own], zeta[own], flat)
    return Reflection(*found)


def _far_along(permittivity: complex, rho: Floats, zeta: Floats) -> Bools:
    """Where the path may be drawn down round the branch point of air: heights small beside distances, and much loss."""
    fades = -np.sqrt(complex(permittivity)).imag
    enough = (rho > 200.0) & (rho * fades > _GONE) & (rho * -complex(permittivity).imag > 4.0 * _GONE)
    return np.asarray(enough & (zeta**2 < 4.0 * rho))


def _alike(permittivity: complex, rho: Floats, zeta: Floats, far: Bools) -> list[tuple[int, Ints]]:
    """Places in groups that share a path: within a factor of two of distance and, but where it is flat, of height.

    Flat are those for which the path round the branch point has fewer panels than that along the real axis: 1, or 2
    for those far along the ground.
    """
    beyond = abs(np.sqrt(permittivity)) + 1.5
    with np.errstate(divide="ignore"):
        flat = (rho > 3.0 * zeta) & (6.0 * rho / zeta > beyond * rho / 8.0 + 40.0)
        height = np.where(flat | far, 0.0, np.floor(np.log2(zeta)))
    doubling = np.floor(np.log2(np.hypot(rho, zeta)))
    kinds = np.stack([np.where(far, 2, flat), doubling, height])
    unique, own = np.unique(kinds, axis=1, return_inverse=True)
    return [(int(unique[0, i]), np.flatnonzero(own.ravel() == i)) for i in range(unique.shape[1])]


def _together(permittivity: complex, rho: Floats, zeta: Floats, flat: int) -> Complexes:
    zero, one = np.zeros((6, len(rho)), np.complex128), np.zeros((4, len(rho)), np.complex128)
    parts: list[tuple[Any, Any, Waves, Complexes | None]] = []
    if flat == 2:
        parts = [_round_the_branch(permittivity, rho, zeta)]
    else:
        parts = [(*part, None) for part in half_space_path(permittivity, rho, zeta, bool(flat))]
    for k, weights, bessel, known in parts:
        u0, tm, te = reflection_factors(k, permittivity, known)
        both = te + tm
        # (places, nodes): what fades, and the waves of both orders.
        fading = np.exp(-np.outer(zeta, u0)) * (weights * k)
        zero += np.stack([te / u0, tm / u0, both / u0, te, tm, both]) @ (fading * bessel(0, k, rho)).T
        one += np.stack([both / (k * u0), te * k / u0, tm * k / u0, both / k]) @ (fading * bessel(1, k, rho)).T
    slope, up_slope = -one[0] / rho, one[3] / rho
    return np.stack(
        [zero[0], zero[1], slope, -zero[2] - slope, -one[1], -one[2], -zero[3], -zero[4], up_slope,
         zero[5] - up_slope]
    )  # fmt: skip


def _round_the_branch(
    permittivity: complex, rho: Floats, zeta: Floats
) -> tuple[Complexes, Complexes, Waves, Complexes]:
    """Nodes, weights, waves and u0 of the path round the branch point of air."""
    from scipy.special import hankel2e

    tilt = np.exp(1j * np.pi / 6.0)
    low, high, highest = float(rho.min()), float(rho.max()), float(zeta.max())
    # e^{-ρ v² cos α} e^{√2 v ζ cos(α/2 - 45°)}, whichever side.
    last = (1.4 * highest + np.sqrt(2.0 * highest**2 + 4.0 * 0.86 * low * _GONE)) / (2.0 * 0.86 * low)
    pole = 1.0 / np.sqrt(2.0 * abs(permittivity))
    edges = [0.0, min(0.3 * pole, 0.5 / np.sqrt(high))]
    while edges[-1] < last:
        edges.append(edges[-1] + min(0.6 * edges[-1], 0.8 / np.sqrt(low)))
    half, weights = panels(np.array(edges))
    v, weights = np.concatenate([-half[::-1], half]), np.concatenate([weights[::-1], weights])
    k = 1.0 - 1j * tilt * v**2
    u0 = v * np.sqrt(-2j * tilt - (tilt * v) ** 2)

    def waves(order: int, k: Complexes, at: Floats) -> Complexes:
        z = np.outer(at, k)
        return np.asarray(0.5 * hankel2e(order, z) * np.exp(-1j * z))

    return k, weights * (-2j * tilt * v), waves, u0
