"""Potentials of sources repeated without end on a lattice, each a phase behind the last, less those close by.

The sum is over all cells (p, q), h(r) = Σ g(r - r_pq) e^{-jκ·r_pq}, with κ the transverse wavenumber of the scan. What
is wanted here is h less the terms of cells `near`, which are summed elsewhere, one by one: it is smooth where they are.

In free space g = e^{-jkR}/R, and Ewald's method splits it (Jordan, Richter and Sheng 1986): a sum
over places of e^{(k/2E)² - (RE)²} Re w(k/2E + jRE)/R, w the Faddeeva function, which does not know the scan but in its
phases, and a sum over Floquet waves. On layers g is known as a spectrum and as a table: it is cut off at a radius by a
window without corners, which leaves in space a sum of few terms, and of the spectrum what falls off fast.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..lattice import Lattice

_FADED = 5.8
"""Where e^{-x²} is left out."""
_STEEP = 4.0
"""Largest k/2E: e^{x²} is lost of the digits."""
_SOFT = 4.6
"""Half widths of the window's edge to where it is one, and as far to where it is nothing."""


def propagating(square: Floats, wavenumber: float) -> Complexes:
    """γ = √(κ² - k²) of transverse wavenumbers squared: real, or jk_z of waves that leave."""
    off = square - wavenumber**2
    return np.where(off >= 0.0, np.sqrt(np.maximum(off, 0.0)) + 0j, 1j * np.sqrt(np.maximum(-off, 0.0)))


@dataclass(frozen=True)
class OpenSum:
    """The sum in free space at a grid of places (x, y, z), each axis (n,), metres.

    near (m, 2): numbers of cells that are left out. split: Ewald's E, 1/m; what suits the cell unless given.
    """

    lattice: Lattice
    wavenumber: float
    near: Ints
    axes: tuple[Floats, Floats, Floats]
    split: float | None = None

    @cached_property
    def _split(self) -> float:
        if self.split is not None:
            return self.split
        return max(math.sqrt(math.pi / self.lattice.area), self.wavenumber / (2.0 * _STEEP))

    @cached_property
    def _in_space(self) -> tuple[Floats, Complexes]:
        """Places of cells (c, 2) and their terms (c, x, y, z)."""
        from scipy.special import erfi, wofz

        e, k, (x, y, z) = self._split, self.wavenumber, self.axes
        reach = _FADED / e + math.hypot(*(float(np.abs(axis).max()) for axis in (x, y)))
        numbers = self.lattice.within(reach)
        missing = self.near[~(self.near[:, None] == numbers[None]).all(axis=2).any(axis=1)]
        numbers = np.concatenate([numbers, missing])
        cells = self.lattice.places(numbers)
        out = (numbers[:, None] == self.near[None]).all(axis=2).any(axis=1)
        found = np.zeros((len(cells), len(x), len(y), len(z)), np.complex128)
        height = z**2
        for n, (cell, left_out) in enumerate(zip(cells, out, strict=True)):
            r = np.sqrt(((x - cell[0]) ** 2)[:, None, None] + ((y - cell[1]) ** 2)[:, None] + height)
            close = r * e < 1e-5
            safe = np.where(close, 1.0 / e, r)
            level = np.exp((0.5 * k / e) ** 2 - (safe * e) ** 2) * wofz(0.5 * k / e + 1j * safe * e).real
            if left_out:
                slope = k * erfi(0.5 * k / e) - 2.0 * e / math.sqrt(math.pi) * math.exp((0.5 * k / e) ** 2)
                gone = (level - np.exp(-1j * k * safe)) / safe
                found[n] = np.where(close, slope + 1j * k, gone)
            else:
                found[n] = level / safe
        return cells, found

    def at(self, transverse: Floats) -> Complexes:
        """The sum (x, y, z), 1/m, at a scan's transverse wavenumber (2,), rad/m."""
        from scipy.special import erfcx

        cells, terms = self._in_space
        found = np.tensordot(np.exp(-1j * cells @ transverse), terms, axes=1)
        e, (x, y, z) = self._split, self.axes
        radius = math.hypot(2.0 * _FADED * e, self.wavenumber)
        _, waves = self.lattice.waves(transverse, radius)
        gamma = propagating((waves**2).sum(axis=1), self.wavenumber)[:, None]
        high = np.abs(z)
        level = np.exp(-((gamma / (2.0 * e)) ** 2) - (high * e) ** 2)
        one, two = gamma / (2.0 * e) + high * e, gamma / (2.0 * e) - high * e
        # e^{-γz} erfc(γ/2E - zE), scaled on the side where that keeps its digits.
        turned = two.real < 0.0
        away = level * erfcx(np.where(turned, -two, two))
        away = np.where(turned, 2.0 * np.exp(-gamma * high) - away, away)
        upward = (level * erfcx(one) + away) / gamma
        in_x, in_y = (np.exp(-1j * waves[:, i, None] * axis) for i, axis in enumerate((x, y)))
        in_waves = np.einsum("wx,wy,wz->xyz", in_x, in_y, upward, optimize=True)
        return np.asarray(found + math.pi / self.lattice.area * in_waves)


@dataclass(frozen=True)
class LayerSum:
    """The sum of kernels g(ρ) at a grid of places (x, y), each (n,), metres.

    kernels: g (kinds, ...), 1/m, at distances > 0, m. spectra: f (kinds, ...) at wavenumbers over k, so that
    g = k ∫ f J0(κρ) κ dκ. near (m, 2): numbers of cells that are left out. finest: what g changes over near ρ = 0, m.
    radius: of the window, m; two and a half cells unless given.
    """

    lattice: Lattice
    wavenumber: float
    near: Ints
    axes: tuple[Floats, Floats]
    kernels: Callable[[Floats], Complexes]
    spectra: Callable[[Complexes], Complexes]
    finest: float
    radius: float | None = None

    @cached_property
    def _radius(self) -> float:
        return self.radius or 2.5 * math.sqrt(self.lattice.area)

    def _window(self, rho: Floats, sense: float = 1.0) -> Floats:
        """One at the middle, none from the radius on; or with a sense of -1 what it leaves of one."""
        from scipy.special import erfc

        return np.asarray(0.5 * erfc(sense * _SOFT * (rho / (0.5 * self._radius) - 1.0)))

    @cached_property
    def _rule(self) -> tuple[Floats, Floats, Complexes]:
        """Distances, weights 2πρ dρ and g times the window there."""
        edges = [0.0]
        step = min(self.finest, 0.1 * self._radius)
        most = min(0.06 * self._radius, 0.25 * 2.0 * math.pi / self.wavenumber)
        while edges[-1] < self._radius:
            edges.append(edges[-1] + min(step, most))
            step *= 1.5
        nodes, weights = np.polynomial.legendre.leggauss(12)
        low, high = np.array(edges[:-1])[:, None], np.array(edges[1:])[:, None]
        rho = (low + 0.5 * (high - low) * (nodes + 1.0)).ravel()
        share = (0.5 * (high - low) * weights).ravel() * 2.0 * math.pi * rho
        return rho, share, self.kernels(rho) * self._window(rho)

    @cached_property
    def _in_space(self) -> tuple[Floats, Complexes]:
        """Places of cells (c, 2) and their terms (c, kinds, x, y)."""
        x, y = self.axes
        numbers = self.lattice.within(self._radius + math.hypot(*(float(np.abs(axis).max()) for axis in (x, y))))
        missing = self.near[~(self.near[:, None] == numbers[None]).all(axis=2).any(axis=1)]
        numbers = np.concatenate([numbers, missing])
        cells = self.lattice.places(numbers)
        out = (numbers[:, None] == self.near[None]).all(axis=2).any(axis=1)
        rho = np.hypot((x - cells[:, :1])[:, :, None], (y - cells[:, 1:])[:, None])
        # Where the window is one all is left out: what is singular does not matter there.
        share = np.where(out[:, None, None], -self._window(rho, -1.0), self._window(rho))
        live = (np.abs(share) > 1e-12) & (rho > 1e-3 * self._radius)
        found = np.zeros((len(self.kernels(np.ones(1))), *rho.shape), np.complex128)
        found[:, live] = self.kernels(rho[live]) * share[live]
        return cells, np.moveaxis(found, 1, 0)

    def at(self, transverse: Floats) -> Complexes:
        """The sums (kinds, x, y), 1/m, at a scan's transverse wavenumber (2,), rad/m."""
        from scipy.special import j0

        cells, terms = self._in_space
        found = np.tensordot(np.exp(-1j * cells @ transverse), terms, axes=1)
        rho, share, inside = self._rule
        k, (x, y) = self.wavenumber, self.axes
        fastest = 2.0 * 4.2 * _SOFT / (0.5 * self._radius) + 4.0 * k
        _, waves = self.lattice.waves(transverse, fastest)
        size = np.linalg.norm(waves, axis=1)
        whole = 2.0 * math.pi / k * self.spectra(np.maximum(size, 1e-6 * k) / k + 0j)
        rest = whole - (inside * share) @ j0(rho[:, None] * size)
        in_x, in_y = (np.exp(-1j * waves[:, i, None] * axis) for i, axis in enumerate((x, y)))
        return np.asarray(found + np.einsum("nw,wx,wy->nxy", rest, in_x, in_y, optimize=True) / self.lattice.area)
