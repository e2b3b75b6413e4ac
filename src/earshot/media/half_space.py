"""What a half-space sends back: kernels of reflected waves for currents of any direction above it.

With u0 = √(λ² - 1), u1 = √(λ² - εc), R_M = (εc u0 - u1)/(εc u0 + u1), R_E = (u0 - u1)/(u0 + u1), all lengths times k0
and ζ the sum of both heights, S_n{f} = ∫ f J_n(λρ) e^{-u0 ζ} λ dλ (Sommerfeld 1909; Michalski and Mosig 1997):
GA = S0{R_E/u0}, Gv = S0{R_M/u0}, U = S0{(R_E + R_M)/λ²u0}. A current I t at r' then meets, from above,

    E = -jη/4π {I [t_h GA + z t_z Gv + ∇_h (t_h·∇_h U)] - ∇ (dI/ds) Gv}:

one kernel for all charges, so that those of a bend cancel.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .sommerfeld import half_space_path
from .spectral import decay

Complexes = NDArray[np.complex128]
Floats = NDArray[np.float64]


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


def reflection_factors(k: Complexes, permittivity: complex) -> tuple[Complexes, Complexes, Complexes]:
    """u0, R_M and R_E at transverse wavenumbers."""
    u0, u1 = decay(k, 1.0), decay(k, permittivity)
    return u0, (permittivity * u0 - u1) / (permittivity * u0 + u1), (permittivity - 1.0) / (u0 + u1) ** 2


def reflection(permittivity: complex, rho: Floats, zeta: Floats) -> Reflection:
    """The kernels at distances rho > 0 and sums of heights zeta ≥ 0 (places,), times k0; not both none."""
    rho, zeta = np.broadcast_arrays(np.asarray(rho, float), np.asarray(zeta, float))
    found = np.empty((10, len(rho)), np.complex128)
    for flat, own in _alike(permittivity, rho, zeta):
        found[:, own] = _together(permittivity, rho[own], zeta[own], flat)
    return Reflection(*found)


def _alike(permittivity: complex, rho: Floats, zeta: Floats) -> list[tuple[bool, NDArray[np.int64]]]:
    """Places in groups that share a path: within a factor of two of distance and, but where it is flat, of height.

    Flat are those for which the path round the branch point has fewer panels than that along the real axis.
    """
    beyond = abs(np.sqrt(permittivity)) + 1.5
    with np.errstate(divide="ignore"):
        flat = (rho > 3.0 * zeta) & (6.0 * rho / zeta > beyond * rho / 8.0 + 40.0)
        height = np.where(flat, 0.0, np.floor(np.log2(zeta)))
    doubling = np.floor(np.log2(np.hypot(rho, zeta)))
    kinds = np.stack([flat, doubling, height])
    unique, own = np.unique(kinds, axis=1, return_inverse=True)
    return [(bool(unique[0, i]), np.flatnonzero(own.ravel() == i)) for i in range(unique.shape[1])]


def _together(permittivity: complex, rho: Floats, zeta: Floats, flat: bool) -> Complexes:
    zero, one = np.zeros((6, len(rho)), np.complex128), np.zeros((4, len(rho)), np.complex128)
    for k, weights, bessel in half_space_path(permittivity, rho, zeta, flat):
        u0, tm, te = reflection_factors(k, permittivity)
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
