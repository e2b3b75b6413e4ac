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

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any, NamedTuple, Protocol

import numpy as np

from ..arraytypes import Bools, Complexes, Floats, Ints
from .sommerfeld import Waves, decay, half_space_path, panels

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


class Below(Protocol):
    """What lies under the air at one frequency and sends waves back; lengths times k0.

    beyond: a real wavenumber beyond which its spectra have no poles or branch points. branch: the branch point that its
    lowest medium adds; 1 if none. depth: twice how deep waves are reflected. slowest: the largest index of refraction
    of waves that may run along it without end; 1 if none does.
    """

    def __hash__(self) -> int: ...

    @property
    def beyond(self) -> float:
        """Past all poles."""
        ...

    @property
    def branch(self) -> complex:
        """√ε of the lowest medium."""
        ...

    @property
    def depth(self) -> float:
        """Twice the thickness of layers."""
        ...

    @property
    def slowest(self) -> float:
        """Of waves along it."""
        ...

    @property
    def face(self) -> HalfSpace | None:
        """What is under its topmost face, as if nothing came back from deeper; None if nothing does."""
        ...

    def clear(self, k: float) -> float:
        """How far a real wavenumber is from the poles and branch points by the real axis."""
        ...

    def factors(self, k: Complexes, u0: Complexes | None = None) -> tuple[Complexes, Complexes, Complexes]:
        """u0, R_M and R_E at transverse wavenumbers; u0 where it is known, on either side of its cut."""
        ...


@dataclass(frozen=True, slots=True)
class HalfSpace:
    """Matter that is everywhere alike: its complex permittivity and its permeability, relative."""

    permittivity: complex
    permeability: float = 1.0

    @property
    def branch(self) -> complex:
        """√εµ."""
        return complex(np.sqrt(self.permittivity * self.permeability))

    @property
    def face(self) -> None:
        """Nothing comes back from deeper."""
        return None

    @property
    def beyond(self) -> float:
        """Past the branch points."""
        return self.branch.real + 1.5

    @property
    def depth(self) -> float:
        """None: its face reflects."""
        return 0.0

    @property
    def slowest(self) -> float:
        """None runs along earth without end."""
        return 1.0

    def clear(self, k: float) -> float:
        """From the branch points of air and earth."""
        return min(abs(k - 1.0), abs(k - self.branch.real))

    def factors(self, k: Complexes, u0: Complexes | None = None) -> tuple[Complexes, Complexes, Complexes]:
        """u0, R_M and R_E."""
        eps, mu = self.permittivity, self.permeability
        u0, u1 = decay(k, 1.0) if u0 is None else u0, decay(k, eps * mu)
        tm = (eps * u0 - u1) / (eps * u0 + u1)
        if mu == 1.0:
            return u0, tm, (eps - 1.0) / (u0 + u1) ** 2
        return u0, tm, (mu * u0 - u1) / (mu * u0 + u1)


def reflected(below: Below, theta: Floats) -> tuple[Complexes, Complexes]:
    """What it reflects of plane waves from θ (n,): factors of TM, +1 for a perfect plane, and TE, then -1."""
    _, tm, te = below.factors(np.minimum(np.sin(theta), 1.0 - 1e-15).astype(complex))
    return tm, te


def reflection(below: Below | complex, rho: Floats, zeta: Floats) -> Reflection:
    """The kernels at distances rho > 0 and sums of heights zeta ≥ 0 (places,), times k0; not both none.

    below: what is there at one frequency, or the complex relative permittivity of earth.
    """
    if isinstance(below, complex | float | int):
        below = HalfSpace(complex(below))
    rho, zeta = np.broadcast_arrays(np.asarray(rho, float), np.asarray(zeta, float))
    found = np.empty((10, len(rho)), np.complex128)
    # What comes back from deeper than the face has so much farther to go: near by it is worked out by itself.
    near = (below.face is not None) & (rho < 3.0 * (zeta + below.depth))
    if (~near).any():
        found[:, ~near] = _kernels(
            *integrated(below, partial(_both_orders, below, None), rho[~near], zeta[~near]), rho[~near]
        )
    if near.any() and below.face is not None:
        face, one, two = below.face, rho[near], zeta[near]
        deeper = integrated(below, partial(_both_orders, below, face), one, two, below.depth)
        found[:, near] = _kernels(*deeper, one) + np.array(reflection(face, one, two))
    return Reflection(*found)


def _both_orders(
    below: Below, less: Below | None, k: Complexes, known: Complexes | None
) -> tuple[Complexes, Complexes, Complexes]:
    """The spectra of `Reflection` for J0 and J1, less those of another half-space."""
    u0, tm, te = below.factors(k, known)
    if less is not None:
        _, tm_less, te_less = less.factors(k, known)
        tm, te = tm - tm_less, te - te_less
    both = te + tm
    return (
        u0,
        np.stack([te / u0, tm / u0, both / u0, te, tm, both]),
        np.stack([both / (k * u0), te * k / u0, tm * k / u0, both / k]),
    )


def _kernels(zero: Complexes, one: Complexes, rho: Floats) -> Complexes:
    slope, up_slope = -one[0] / rho, one[3] / rho
    return np.stack([
        zero[0], zero[1], slope, -zero[2] - slope, -one[1], -one[2], -zero[3], -zero[4], up_slope, zero[5] - up_slope,
    ])  # fmt: skip


Spectra = Callable[[Complexes, Complexes | None], tuple[Complexes, Complexes, Complexes]]
"""u0, and functions (n, nodes) for J0 and for J1, at transverse wavenumbers; u0 may be known."""


def integrated(
    below: Below, spectra: Spectra, rho: Floats, zeta: Floats, deep: float = 0.0
) -> tuple[Complexes, Complexes]:
    """∫ f J0(kρ) e^{-u0 ζ} k dk, and with J1, of every function: (functions, places) each; places as `reflection`.

    deep: the functions themselves fade as e^{-k deep}, and distances are not far above that and heights.
    """
    found: list[tuple[Ints, Complexes, Complexes]] = []
    for flat, own in _alike(below, rho, zeta, deep):
        found.append((own, *_together(below, spectra, rho[own], zeta[own], flat, deep)))
    zero, one = (np.empty((len(found[0][i]), len(rho)), np.complex128) for i in (1, 2))
    for own, first, second in found:
        zero[:, own], one[:, own] = first, second
    return zero, one


def _far_along(below: Below, rho: Floats, zeta: Floats) -> Bools:
    """Where the path may be drawn down round the branch point of air: heights small beside distances, and much loss."""
    fades, loss = -below.branch.imag, -(below.branch**2).imag
    enough = (rho > 200.0) & (rho * fades > _GONE) & (rho * loss > 4.0 * _GONE)
    return np.asarray(enough & (zeta**2 < 4.0 * rho))


def _alike(below: Below, rho: Floats, zeta: Floats, deep: float) -> list[tuple[int, Ints]]:
    """Places in groups that share a path: within a factor of two of distance and, but where it is flat, of height.

    Flat are those for which the path round the branch point has fewer panels than that along the real axis: 1, or 2
    for those far along the ground.
    """
    with np.errstate(divide="ignore"):
        far = _far_along(below, rho, zeta)
        flat = (rho > 3.0 * zeta) & (6.0 * rho / zeta > below.beyond * rho / 8.0 + 40.0)
        if deep > 0.0:
            flat = far = np.zeros(len(rho), bool)
        height = np.where(flat | far, 0.0, np.floor(np.log2(zeta + deep)))
    doubling = np.floor(np.log2(np.hypot(rho, zeta)))
    kinds = np.stack([np.where(far, 2, flat), doubling, height])
    unique, own = np.unique(kinds, axis=1, return_inverse=True)
    return [(int(unique[0, i]), np.flatnonzero(own.ravel() == i)) for i in range(unique.shape[1])]


def _together(
    below: Below, spectra: Spectra, rho: Floats, zeta: Floats, flat: int, deep: float
) -> tuple[Complexes, Complexes]:
    parts: list[tuple[Any, Any, Waves, Complexes | None]] = []
    if flat == 2:
        parts = [_round_the_branch(below.branch**2, rho, zeta)]
    else:
        parts = [(*part, None) for part in half_space_path(below, rho, zeta, bool(flat), deep)]
    zero, one = [], []
    for k, weights, bessel, known in parts:
        u0, first, second = spectra(k, known)
        # (places, nodes): what fades, and the waves of both orders.
        fading = np.exp(-np.outer(zeta, u0)) * (weights * k)
        zero.append(first @ (fading * bessel(0, k, rho)).T)
        one.append(second @ (fading * bessel(1, k, rho)).T if len(second) else np.zeros((0, len(rho)), np.complex128))
    return sum(zero[1:], zero[0]), sum(one[1:], one[0])


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
