"""Strips in cross-section, on any heights of a stack and beside one another: what couples them at low frequencies.

Charges T_n(ξ)/√(1-ξ²) on every strip, ξ = 2(x - middle)/width, whose transforms are Bessel functions, by Galerkin's
method in the transverse wavenumber; layers are lines of admittance εk (Yamashita and Mittra 1968). What they are with
air for all layers tells the inductances.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from .. import units
from ..arraytypes import Floats
from ..constants import ELECTRIC_CONSTANT, SPEED_OF_LIGHT
from ..errors import UsageError
from .bessel import bessel_orders
from .stack import Stack

if TYPE_CHECKING:
    import pandas as pd

_LEAST, _LARGEST = 6, 60
"""Functions on a strip: more the wider it is beside what is near."""
_END = 400.0
_MOST = 24


@dataclass(frozen=True, slots=True)
class Strip:
    """An endless strip along y: how high it lies, its width, and where its middle is, metres or text.

    Raises UsageError for a width that is not above zero.
    """

    height: float
    width: float
    middle: float = 0.0

    def __post_init__(self) -> None:
        for name in ("height", "width", "middle"):
            object.__setattr__(self, name, units.length(getattr(self, name), f"strip, {name}"))
        if not self.width > 0.0:
            raise UsageError(f"strip: width {self.width:g} m is not above zero")


@dataclass(frozen=True, eq=False)
class CoupledStrips:
    """Capacitances and inductances (n, n) between strips and what is at zero, F/m and H/m."""

    strips: tuple[Strip, ...]
    capacitance: Floats
    inductance: Floats

    @cached_property
    def _modes(self) -> tuple[Floats, Floats]:
        """Squares of slowness (n,), s²/m², falling, and voltages of the waves (n, n), a column each."""
        values, vectors = np.linalg.eig(self.inductance @ self.capacitance)
        order = np.argsort(-values.real)
        return values.real[order], vectors.real[:, order]

    @property
    def effective_permittivities(self) -> Floats:
        """Of every wave (n,), the slowest first."""
        return np.asarray(self._modes[0] * SPEED_OF_LIGHT**2)

    @property
    def impedance(self) -> Floats:
        """The matrix (n, n), ohm, between voltages and currents of waves that go one way; a lone strip's impedance."""
        squares, voltages = self._modes
        slowness = voltages @ np.diag(np.sqrt(squares)) @ np.linalg.inv(voltages)
        return np.asarray(slowness @ np.linalg.inv(self.capacitance))

    @property
    def even_and_odd(self) -> tuple[float, float]:
        """Impedances, ohm, of each of two like strips, fed alike and against one another.

        Raises UsageError for other numbers of strips, and for two that are not alike.
        """
        return even_and_odd(self.impedance)

    @property
    def even_and_odd_permittivities(self) -> tuple[float, float]:
        """Effective ones of two like strips, fed alike and against one another; raises UsageError as `even_and_odd`."""
        _ = self.even_and_odd
        (c, m), (inductance, mutual) = self.capacitance[0], self.inductance[0]
        pairs = ((inductance + mutual) * (c + m), (inductance - mutual) * (c - m))
        return float(pairs[0] * SPEED_OF_LIGHT**2), float(pairs[1] * SPEED_OF_LIGHT**2)

    def table(self) -> pd.DataFrame:
        """A row per pair of strips: capacitance (pF/m) and inductance (nH/m)."""
        import pandas as pd

        first, second = np.triu_indices(len(self.strips))
        return pd.DataFrame(
            {"strip": first + 1, "other": second + 1, "C_pF_per_m": 1e12 * self.capacitance[first, second],
             "L_nH_per_m": 1e9 * self.inductance[first, second]}
        )  # fmt: skip


def even_and_odd(impedance: Floats) -> tuple[float, float]:
    """Of the matrix of two like strips; raises UsageError for others."""
    z = impedance
    if len(z) != 2 or abs(z[0, 0] - z[1, 1]) > 1e-3 * z[0, 0]:
        raise UsageError("coupled strips: even and odd impedances are those of two strips that are alike")
    return float(z[0, 0] + z[0, 1]), float(z[0, 0] - z[0, 1])


def coupled_strips(stack: Stack, strips: Sequence[Strip], *, lid: bool = False) -> CoupledStrips:
    """What endless strips on a stack do to one another, without loss and dispersion; lid: a plane on the topmost layer.

    To 1e-5 for strips up to twenty times as wide as the thinnest layer is thick, to 1e-3 for wider ones.

    Raises UsageError for strips outside the layers, on the lid or in one another, and where there is no plane at all.
    """
    several, lid = tuple(strips), lid or stack.lid
    refuse_strips(stack, several, lid)
    if stack.open_below and not lid:
        raise UsageError("coupled strips: there is neither a plane nor a lid to carry the current back: give one")
    layers = [(x.thickness, x.material.complex_permittivity.real) for x in stack.layers]
    section = _Section(layers, not stack.open_below, lid, several)
    air = _Section([(d, 1.0) for d, _ in layers], not stack.open_below, lid, several)
    inductance = np.linalg.inv(air.capacitance) / SPEED_OF_LIGHT**2
    return CoupledStrips(several, section.capacitance, 0.5 * (inductance + inductance.T))


def refuse_strips(stack: Stack, strips: tuple[Strip, ...], lid: bool) -> None:
    """Raise UsageError for strips outside the layers, on the lid or in one another."""
    units.count(len(strips), "coupled strips: strips", 1, _MOST)
    close = 1e-9 * stack.thickness
    low, high = (0.0 if stack.open_below else close), stack.thickness - (close if lid else -close)
    for n, one in enumerate(strips):
        if not isinstance(one, Strip):
            raise UsageError(f"coupled strips: {one!r} is not a Strip")
        if not low <= one.height <= high:
            raise UsageError(
                f"coupled strips: strip {n + 1} at {one.height:g} m is not between the planes, in layers of "
                f"{stack.thickness:g} m: move it"
            )
        for m, other in enumerate(strips[:n]):
            level = abs(one.height - other.height) <= close
            if level and abs(one.middle - other.middle) < 0.5 * (one.width + other.width) * (1.0 + 1e-9):
                raise UsageError(f"coupled strips: strips {m + 1} and {n + 1} touch: move one, or make them one")


def functions_on(strips: Sequence[Strip], thinnest: float, least: int) -> int:
    """How many a strip needs: charge crowds within the nearest layer's thickness, m, of its edges."""
    return int(np.clip(least + 1.5 * max(s.width for s in strips) / thinnest, least, _LARGEST))


@dataclass(frozen=True, eq=False)
class _Section:
    """Layers from the bottom (thickness, permittivity) with the strips in them."""

    layers: list[tuple[float, float]]
    plane: bool
    lid: bool
    strips: tuple[Strip, ...]

    @cached_property
    def _functions(self) -> int:
        """On every strip."""
        return functions_on(self.strips, min(d for d, _ in self.layers), _LEAST)

    @cached_property
    def capacitance(self) -> Floats:
        """Between all strips (n, n), F/m: what charges in all there are for a volt on one."""
        count = len(self.strips)
        inverse = np.linalg.inv(self._potentials)
        found = inverse.reshape(count, self._functions, count, self._functions)[:, 0, :, 0]
        return np.asarray(0.5 * (found + found.T))

    @cached_property
    def _rule(self) -> tuple[Floats, Floats]:
        """Wavenumbers, 1/m, and weights."""
        widths = [0.5 * s.width for s in self.strips]
        thin = min(d for d, _ in self.layers)
        spread = max(abs(s.middle - t.middle) + 0.5 * (s.width + t.width) for s in self.strips for t in self.strips)
        nodes, weights = np.polynomial.legendre.leggauss(12)
        last, step = _END / min(widths), 1e-3 / max(spread, thin, sum(d for d, _ in self.layers))
        edges = [0.0]
        while edges[-1] < last:
            edges.append(edges[-1] + step)
            step = min(1.5 * step, 3.0 / spread)
        low, high = np.array(edges[:-1])[:, None], np.array(edges[1:])[:, None]
        k = 0.5 * (low + high) + 0.5 * (high - low) * nodes
        return k.ravel(), (0.5 * (high - low) * weights).ravel()

    @property
    def _potentials(self) -> Floats:
        """What every charge does to every other (functions, functions), V m/C."""
        k, weights = self._rule
        each = self._functions
        orders = np.arange(each)[:, None]
        # e^{-jk middle} (-j)^n J_n(k width/2).
        sent = [
            (-1j) ** orders * bessel_orders(each, 0.5 * s.width * k) * np.exp(-1j * k * s.middle) for s in self.strips
        ]
        size = len(self.strips) * each
        found = np.empty((size, size))
        for i, one in enumerate(self.strips):
            for j, two in enumerate(self.strips[: i + 1]):
                seen, limit = self._between(k, one.height, two.height)
                block = ((sent[i].conj() * (weights * seen)) @ sent[j].T).real / math.pi
                if i == j:
                    # Beyond the last wavenumber by the mean of J_m J_n, 1/πx where m and n are alike, times limit/k.
                    alike = (orders - orders.T) % 2 == 0
                    block += np.where(alike, limit / (math.pi**2 * 0.5 * one.width * k[-1]), 0.0)
                rows = slice(i * each, (i + 1) * each)
                columns = slice(j * each, (j + 1) * each)
                found[rows, columns], found[columns, rows] = block, block.T
        return found / ELECTRIC_CONSTANT

    def _between(self, k: Floats, height: float, source: float) -> tuple[Floats, float]:
        """ε0 times the potential at a height of a unit of charge at another, and its limit times k."""
        low, high = sorted((height, source))
        cut = self._cut(low, high)
        under = [x for x in cut if x[0] < low * (1.0 - 1e-12)][::-1]
        over = [x for x in cut if x[0] >= high * (1.0 - 1e-12)]
        middle = [x for x in cut if x not in under and x not in over]
        down, up = self._admittance(under, k, self.plane), self._admittance(over, k, self.lid)
        # Seen from the lower of both, with what is between them, and from there to the upper.
        beyond = up
        for _, d, eps in reversed(middle):
            beyond = _through(beyond, k, d, eps)
        found = 1.0 / (down + beyond)
        for n, (_, d, eps) in enumerate(middle):
            ahead = up
            for _, deep, other in reversed(middle[n + 1 :]):
                ahead = _through(ahead, k, deep, other)
            found = found / (np.cosh(np.minimum(k * d, 700.0)) + ahead / (eps * k) * np.sinh(np.minimum(k * d, 700.0)))
        below = under[0][2] if under else 1.0
        above = over[0][2] if over else 1.0
        return found, 1.0 / (below + above) if not middle else 0.0

    def _cut(self, *heights: float) -> list[tuple[float, float, float]]:
        """Layers from the bottom: bottom, thickness, permittivity; all heights are faces."""
        found, bottom = [], 0.0
        whole = sum(d for d, _ in self.layers)
        for d, eps in self.layers:
            marks = sorted({z for z in heights if bottom + 1e-9 * whole < z < bottom + d - 1e-9 * whole})
            for low, high in zip([bottom, *marks], [*marks, bottom + d], strict=True):
                found.append((low, high - low, eps))
            bottom += d
        return found

    def _admittance(self, layers: list[tuple[float, float, float]], k: Floats, closed: bool) -> Floats:
        """Of layers, the nearest first, with a plane or air behind."""
        found = np.full_like(k, np.inf) if closed else k.copy()
        for _, d, eps in reversed(layers):
            found = _through(found, k, d, eps)
        return found


def _through(load: Floats, k: Floats, thickness: float, permittivity: float) -> Floats:
    """The admittance of a layer before a load."""
    own, t = permittivity * k, np.tanh(k * thickness)
    with np.errstate(invalid="ignore"):
        open_ended = own * (load + own * t) / (own + load * t)
    return np.where(np.isinf(load), own / t, open_ended)
