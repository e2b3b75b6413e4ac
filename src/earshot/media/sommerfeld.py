"""Sommerfeld integrals ∫ f(k) J0(kρ) k dk on a path that converges for every ρ > 0.

From 0 the path goes up to b + jb, along Im k = b to a, beyond every pole and branch point, and there J0 = (H1 + H2)/2
is split: H1 goes up aslant, H2 down, and both fade like e^{-tρ}. All in units of k0.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ..arraytypes import Complexes, Floats
from .hankel import hankel_outward

if TYPE_CHECKING:
    from .half_space import Below

Function = Callable[[NDArray[Any]], Complexes]

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(16)
_FADED = 38.0
_GROWTH = 6.0
_CLEAR = 0.4
_SLANT = 1.0 + 1.0j
"""Up from 0: poles of what has planes on both sides may lie on the imaginary axis."""
_UP = _SLANT / abs(_SLANT)
_OUT = 28.0


def decay(k: Complexes, square: complex) -> Complexes:
    """u = √(k² - εµ) with its real part above zero, +j√ where there is none."""
    root = np.sqrt(np.asarray(k * k - square, np.complex128))
    return np.asarray(np.where((root.real < 0.0) | ((root.real == 0.0) & (root.imag < 0.0)), -root, root))


def panels(edges: Floats) -> tuple[Floats, Floats]:
    """Gauss nodes and weights over all stretches between edges, one after the other."""
    half = np.diff(edges)[:, None] / 2.0
    middle = (edges[1:] + edges[:-1])[:, None] / 2.0
    return (middle + half * _NODES).ravel(), (half * _WEIGHTS).ravel()


Each = Callable[[Callable[[Floats], Complexes], list[Floats]], Iterable[Complexes]]
"""As `map`, but it may be side by side."""


def sommerfeld_integrals(
    f: Function, rho: Floats, beyond: float, ripple: float, order: int = 0, each: Each = map
) -> Complexes:
    """S(ρ) of every function f gives: (functions, ρ); order: of the Bessel function.

    f: spectra (functions, n) at wavenumbers (n,). rho (n,): distances > 0, rising. beyond: a real wavenumber beyond
    which f has no poles or branch points. ripple: the largest height, f going like e^{-k ripple}, that must be
    followed. each: how parts of the distances are gone through.
    """
    rho = np.asarray(rho, float)
    groups = []
    first = 0
    while first < len(rho):
        # Distances within a factor of two share their path.
        last = int(np.searchsorted(rho, 2.0 * rho[first] * (1 + 1e-12)))
        groups.append(rho[first:last])
        first = last
    return np.concatenate(list(each(lambda group: _group(f, group, beyond, ripple, order), groups)), axis=1)


def _group(f: Function, rho: Floats, beyond: float, ripple: float, order: int) -> Complexes:
    from scipy.special import jv

    low, high = float(rho[0]), float(rho[-1])
    lift = min(0.6, _GROWTH / high)
    count = math.ceil(beyond / min(lift, 8.0 / high, 0.8)) + 1
    along, weights = panels(np.linspace(lift, beyond, count + 1))
    rising, rises = panels(np.array([0.0, lift]))
    # Downwards from its end the path first comes back to the real axis, all in one.
    t, tw = _aslant(low, high, ripple, lift)
    ways = (_UP, _UP.conjugate())
    k = np.concatenate([_SLANT * rising, along + 1j * lift, *(beyond + 1j * lift + way * t for way in ways)])
    w = np.concatenate([_SLANT * rises, weights, *(way * tw for way in ways)])
    values, inner = f(k) * (w * k), len(rising) + len(along)
    total = values[:, :inner] @ jv(order, np.outer(k[:inner], rho))
    for n in range(2):
        own = slice(inner + n * len(t), inner + (n + 1) * len(t))
        total += values[:, own] @ _going_out(n == 1, order, k[own], rho).T
    return np.asarray(total)


def _aslant(low: float, high: float, tallest: float, lift: float) -> tuple[Floats, Floats]:
    """Nodes and weights on the way out, at distances from low to high, until the Hankel functions have faded.

    Aslant, since what has planes on both sides has poles straight up and down, and what comes from layers fades: a
    height h up to the tallest is followed while e^{-kh} is there, so the farther out, the lower they are.
    """
    stop, finest = _FADED / (low * _UP.real), min(0.5 * lift, 1.0 / high)
    edges = [0.0]
    while edges[-1] < stop:
        height = min(max(tallest, 1e-9), _FADED / (_UP.real * max(edges[-1], 1e-9)))
        edges.append(edges[-1] + min(max(finest, 0.6 * edges[-1]), 8.5 / high, 3.5 / height))
    return panels(np.array(edges))


def faded_integrals(
    f: Function, rho: Floats, beyond: float, lowest: float, highest: float, order: int = 0
) -> Complexes:
    """∫ f(k) J(kρ) k dk of functions that fade like e^{-k height}: (functions, ρ), rho (n,) not below zero.

    order: of the Bessel function. The path is real beyond the last pole: to be taken where the lowest height is not far
    below the distances.
    """
    from scipy.special import jv

    rho = np.asarray(rho, float)
    wave = 4.0 / max(float(rho.max()), 1e-9)
    lift = min(0.6, _GROWTH / max(float(rho.max()), 1e-9), 3.0 / highest)
    step = min(lift, 0.8, wave)
    along, weights = panels(np.linspace(lift, beyond, math.ceil(beyond / step) + 1))
    rising, rises = panels(np.array([0.0, lift]))
    edges = [beyond]
    while edges[-1] < beyond + _FADED / lowest:
        height = min(highest, _FADED / edges[-1])
        edges.append(edges[-1] + min(0.6 * edges[-1], 4.0 / height, wave))
    tail, tails = panels(np.array(edges))
    k = np.concatenate([_SLANT * rising, along + 1j * lift, beyond + 1j * (lift - rising), tail + 0j])
    w = np.concatenate([_SLANT * rises, weights + 0j, -1j * rises, tails + 0j])
    return np.asarray((f(k) * (w * k)) @ jv(order, np.outer(k, rho)))


Waves = Callable[[int, Complexes, Floats], Complexes]


def half_space_path(
    below: Below, rho: Floats, zeta: Floats, flat: bool, deep: float = 0.0
) -> Iterator[tuple[Any, Any, Waves]]:
    """Parts of a path for distances rho and heights zeta (places,) that are alike: nodes, weights and Bessel functions.

    The last takes an order, nodes and distances: (places, nodes). flat: the distances are well above the heights, and
    the Hankel functions take the path up and down; else the real axis ends it. deep: functions fade as e^{-k deep} too.
    """
    from scipy.special import j0, j1, jv

    low, high = float(rho.min()), float(rho.max())
    lowest, highest = float(zeta.min()) + deep, float(zeta.max())
    root = below.branch
    # Over a branch point near the real axis the path goes before it comes down; one far below it may stay.
    beyond = below.beyond
    if not flat and -root.imag > _CLEAR:
        beyond = min(beyond, 2.5)
    lift = min(0.6, _GROWTH / max(high, 1e-9), 3.0 / max(highest, 1e-9))
    # On the real axis beyond what comes from deeper fades; elsewhere it turns as fast as it is deep.
    ripple, quick = highest + below.depth, max(high, highest)

    def plain(order: int, k: Complexes, at: Floats) -> Complexes:
        return np.asarray(jv(order, np.outer(at, k)))

    if not flat:
        # Half an ellipse, and on along the real axis.
        count = max(3, math.ceil(beyond / (2.0 * lift)), math.ceil(beyond * max(quick, ripple) / 10.0))
        turn, turns = panels(np.linspace(0.0, math.pi, count + 1))
        yield (
            0.5 * beyond * (1.0 - np.cos(turn)) + 1j * lift * np.sin(turn),
            turns * (0.5 * beyond * np.sin(turn) + 1j * lift * np.cos(turn)),
            plain,
        )
        edges = [beyond]
        while edges[-1] < beyond + _OUT / lowest:
            edges.append(edges[-1] + min(0.6 * edges[-1], 8.0 / quick, 1.2 * abs(edges[-1] - root)))
        tail, tails = panels(np.array(edges))
        yield tail + 0j, tails + 0j, lambda order, k, at: (j0, j1)[order](np.outer(at, k.real))
        return
    # Fine by the branch point of air, coarser where only distances and heights matter.
    edges = [0.0]
    while edges[-1] < beyond:
        edges.append(min(edges[-1] + min(max(lift, 0.7 * below.clear(edges[-1])), 8.0 / max(quick, ripple)), beyond))
    along, weights = panels(np.array(edges))
    rising, rises = panels(np.array([0.0, lift]))
    yield 1j * rising, 1j * rises, plain
    yield along + 1j * lift, weights + 0j, plain
    t, tw = _aslant(low, high, ripple, lift)
    for down, way in ((False, _UP), (True, _UP.conjugate())):
        yield beyond + 1j * lift + way * t, way * tw, partial(_going_out, down)


def _going_out(down: bool, order: int, k: Complexes, at: Floats) -> Complexes:
    """Half of H1 on the way up, or of H2 on the way down: H2 of z* is the conjugate of H1."""
    found = 0.5 * hankel_outward(order, np.outer(at, k.conj() if down else k))
    return found.conj() if down else found


def at_zero(f: Function, beyond: float, scale: float) -> Complexes:
    """S(0) of functions that fade as k^-3 or faster: (functions,). scale: the height over which they change."""
    lift = 0.6
    along, weights = panels(np.linspace(lift, beyond, math.ceil(beyond / 0.3) + 1))
    rising, rises = panels(np.array([0.0, lift]))
    # Panels that double, but for where layers are seen, k about 1/scale.
    seen = max(beyond, 0.5 / scale)
    rising_edges = np.append(np.arange(0.0, math.log2(seen / beyond)), math.log2(seen / beyond))
    layered = seen + np.arange(1.0, 25.0) * max(1.0 / scale, 0.5 * beyond)
    far = layered[-1] * 2.0 ** np.arange(1.0, 30.0)
    tail, tails = panels(np.unique(np.concatenate([beyond * 2.0**rising_edges, layered, far])))
    falling, falls = panels(np.array([lift, 0.0]))
    k = np.concatenate([_SLANT * rising, along + 1j * lift, beyond + 1j * falling, tail + 0j])
    w = np.concatenate([_SLANT * rises, weights + 0j, 1j * falls, tails + 0j])
    return np.asarray((f(k) * (w * k)).sum(axis=-1))
