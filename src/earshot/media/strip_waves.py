"""The waves that strips on layers guide, one or several at any heights, by the same spectra as all else on a stack.

Galerkin's method in the transverse wavenumber (Itoh and Mittra 1973), with currents that have the right edges: along a
strip T_n(ξ)/√(1-ξ²), across it jU_n-1(ξ)√(1-ξ²), ξ = 2(x - middle)/width, whose transforms are Bessel functions.
Without loss the matrix over j is real and symmetric. It has one eigenvalue above zero for every function across, and
one more for every wave that is slower: so waves are counted by signs, and none is missed, however near two are.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE, wavenumber
from ..errors import RunError, UsageError
from .bessel import bessel_orders
from .coupled_strips import Strip, coupled_strips, even_and_odd, functions_on, refuse_strips
from .modes import surface_waves
from .spectral import Spectrum
from .stack import Stack
from .sweep import Sweep, Upright

if TYPE_CHECKING:
    import pandas as pd

_LEAST = 10
_END = (102.0 + 0.25) * math.pi
"""Of x = kx w/2 of the narrowest strip: where what is left out of ∫ J_n and ∫ J_m J_n is none but for its mean."""
_NODES, _TOGETHER = 10, 400
_DEEP, _SLOW, _TERMS = 12.0, 8.0, 5
"""Past so many over the thinnest layer, and over the slowest wave, spectra are series of so many terms."""
_PAST = 1.001
_STEP = 1e-6


@dataclass(frozen=True, eq=False)
class StripWaves:
    """The waves bound to strips at one frequency, Hz, the slowest first.

    indices (waves,): wavenumbers over k0. currents, voltages (strips, waves): along each strip, A, and from z = 0 up to
    its middle, V; of every wave the largest current is one.
    """

    strips: tuple[Strip, ...]
    frequency: float
    indices: Complexes
    currents: Complexes
    voltages: Complexes

    @property
    def effective_permittivities(self) -> Floats:
        """Squares of the indices (waves,)."""
        return np.asarray((self.indices**2).real)

    @property
    def losses(self) -> Floats:
        """From the layers and the plane (waves,), dB per metre."""
        return np.asarray(-20.0 * math.log10(math.e) * self.indices.imag * wavenumber(self.frequency))

    @property
    def impedance(self) -> Complexes:
        """The matrix (strips, strips), ohm, between voltages and currents of waves that go one way.

        Raises UsageError where fewer waves are bound than there are strips.
        """
        if len(self.indices) < len(self.strips):
            raise UsageError(
                f"strip waves: {len(self.indices)} of {len(self.strips)} are bound to the strips at "
                f"{units.engineering(self.frequency, 'Hz')}: their impedance needs all; take coupled_strips at low "
                "frequency"
            )
        return np.asarray(self.voltages @ np.linalg.inv(self.currents))

    @property
    def even_and_odd(self) -> tuple[float, float]:
        """Impedances, ohm, of each of two like strips, fed alike and against one another.

        Raises UsageError for other numbers of strips, and for two that are not alike.
        """
        return even_and_odd(self.impedance.real)

    def table(self) -> pd.DataFrame:
        """A row per wave: effective permittivity, loss (dB/m), and the current along every strip."""
        import pandas as pd

        found = pd.DataFrame({"effective_permittivity": self.effective_permittivities, "loss_dB_per_m": self.losses})
        for n in range(len(self.strips)):
            found[f"I_{n + 1}_A"] = self.currents[n].real
        return found.rename_axis("wave")


def strip_waves(stack: Stack, strips: Sequence[Strip], frequency: str | float) -> StripWaves:
    """The waves bound to endless strips on a stack, without loss in the metal of the strips.

    Effective permittivities to 1e-6. Waves that layers or planes carry off are left out: what is slower than all of
    theirs is bound; between planes, at low frequency already. Raises UsageError for strips outside the layers, on a lid
    or in one another.
    """
    several, hertz = tuple(strips), units.frequency(frequency)
    refuse_strips(stack, several, stack.lid)
    return bound_waves(stack, several, hertz)


def bound_waves(stack: Stack, strips: tuple[Strip, ...], hertz: float) -> StripWaves:
    """The same of strips that are known to be right."""
    cut = stack.cut_at(one.height for one in strips)
    section = Section(Spectrum(cut.lossless, hertz), strips)
    found = section.waves()
    if stack != stack.lossless:
        section = Section(Spectrum(cut, hertz), strips)
        found = [section.followed(*one) for one in found]
    along = [section.along_strips(*one) for one in found]
    currents, voltages = (np.array([one[n] for one in along]).reshape(-1, len(strips)).T for n in (0, 1))
    return StripWaves(strips, hertz, np.array([index for index, _ in found], complex), currents, voltages)


@dataclass(frozen=True, eq=False)
class _Spectra:
    """Lines of a stack at wavenumbers across strips, at an index along them."""

    spectrum: Spectrum
    kx: Floats
    index: complex

    @cached_property
    def sweep(self) -> Sweep:
        """The stack as lines."""
        return self.spectrum.sweep(np.sqrt(self.kx * self.kx + self.index * self.index + 0j))

    def between(self, one: int, two: int) -> tuple[Complexes, Complexes, Complexes]:
        """-E along and across at a face, of currents along and across at another: zz, xz, xx."""
        low, high = sorted((one, two))
        tm, te = (self.sweep.shunt(low, kind) * self.sweep.carried(low, high, kind) for kind in (True, False))
        kx, index, k2 = self.kx, self.index, self.sweep.k**2
        return (tm * index**2 + te * kx**2) / k2, (tm - te) * kx * index / k2, (tm * kx**2 + te * index**2) / k2


def _gauss(edges: Floats) -> tuple[Floats, Floats]:
    """Nodes and weights between edges."""
    nodes, weights = np.polynomial.legendre.leggauss(_NODES)
    low, high = edges[:-1, None], edges[1:, None]
    return (0.5 * (low + high) + 0.5 * (high - low) * nodes).ravel(), (0.5 * (high - low) * weights).ravel()


class Section:
    """The matrix of currents on strips at any index along them; lengths are normalised by k0.

    Past `settled` no layer is seen, and spectra are series in 1/kx²: what they are integrated with there hangs on no
    index.
    """

    def __init__(self, spectrum: Spectrum, strips: tuple[Strip, ...]) -> None:
        stack, k0 = spectrum.stack, spectrum.wavenumber
        thin = min(x.thickness for x in stack.layers)
        self.spectrum, self.strips = spectrum, strips
        self.faces = [int(stack.face_at(np.array(one.height))) for one in strips]
        self.halves = [0.5 * one.width * k0 for one in strips]
        self.middles = [(one.middle - strips[0].middle) * k0 for one in strips]
        self.orders = [np.arange(functions_on([one], thin, _LEAST)) for one in strips]
        if len(strips) == 1:
            # Currents on a lone one are even, or odd: the wave that has no lowest frequency is the former.
            self.orders = [self.orders[0][::2]]
        self.last = _END / min(self.halves)
        self.settled = min(max(_DEEP / (thin * k0), _SLOW * spectrum.slowest), self.last)
        self.points = self.settled * np.cos(0.25 * math.pi * (2.0 * np.arange(_TERMS) + 1.0) / _TERMS) ** -0.5

    @cached_property
    def _edges(self) -> Floats:
        """Of pieces to integrate over: fine where layers are seen, then half a period of the currents long."""
        pairs = itertools.product(zip(self.middles, self.halves, strict=True), repeat=2)
        spread = max(abs(x - y) + a + b for (x, a), (y, b) in pairs)
        step, edges = 1e-3 * min(1.0, 1.0 / spread), [0.0]
        for stop in (self.settled, self.last):
            while edges[-1] < stop:
                edges.append(min(edges[-1] + step, stop))
                step = min(1.4 * step, 3.0 / spread)
        return np.array(edges)

    @cached_property
    def _low(self) -> tuple[Floats, Floats, list[tuple[Floats, Floats]]]:
        """Wavenumbers across the strips while layers are seen, weights, and what the currents are there."""
        kx, weights = _gauss(self._edges[self._edges <= self.settled])
        return kx, weights, [self._sent(n, kx) for n in range(len(self.strips))]

    def _sent(self, n: int, kx: Floats) -> tuple[Floats, Floats]:
        """Transforms of currents along a strip and across it: (-j)^n J_n e^{-jkx x}, and n/x times that.

        Each (2, functions, wavenumbers), real and imaginary.
        """
        orders, x = self.orders[n][:, None], self.halves[n] * kx
        along = (-1j) ** orders * bessel_orders(int(orders[-1, 0]) + 1, x)[orders[:, 0]]
        along = along * np.exp(-1j * kx * self.middles[n])
        parts = np.stack([along.real, along.imag])
        return parts, (orders * parts / x)[:, orders[:, 0] > 0]

    @cached_property
    def _high(self) -> tuple[dict[tuple[int, int], Floats], dict[tuple[int, int], Floats]]:
        """Past that ∫ F F' kx^-(2p + 1) of strips of one level (terms, functions, functions), and ∫ F there alone."""
        edges = self._edges[self._edges >= self.settled]
        count = len(self.strips)
        powers = 2.0 * np.arange(_TERMS) + 1.0
        sizes = [len(x) for x in self.orders]
        level = [(i, j) for i in range(count) for j in range(i + 1) if self.faces[i] == self.faces[j]]
        both = {(i, j): np.zeros((_TERMS, sizes[i], sizes[j])) for i, j in level}
        alone = {(i, j): np.zeros((_TERMS, sizes[j])) for i, j in itertools.product(range(count), repeat=2)}
        for first in range(0, len(edges) - 1, _TOGETHER):
            kx, weights = _gauss(edges[first : first + _TOGETHER + 1])
            sent = [self._sent(n, kx)[0] for n in range(count)]
            shares = weights * kx ** -powers[:, None]
            for i, j in level:
                both[i, j] += np.stack(
                    [sum((a * w) @ b.T for a, b in zip(sent[i], sent[j], strict=True)) for w in shares]
                )
            for i, j in alone:
                alone[i, j] += shares @ self._where(i, kx, sent[j]).T
        for i in range(count):
            # Beyond all by the mean of J_m J_n, 1/πx, where m and n are both even or both odd.
            n = self.orders[i]
            mean = ((n[:, None] - n) % 2 == 0) / (math.pi * self.halves[i])
            both[i, i] += mean / (powers * self.last**powers)[:, None, None]
        return both, alone

    def _where(self, n: int, kx: Floats, sent: Floats) -> Floats:
        """The even part of currents' transforms, seen from the middle of a strip."""
        turn = kx * self.middles[n]
        return np.asarray(sent[0] * np.cos(turn) - sent[1] * np.sin(turn))

    def _series(self, values: Complexes) -> Complexes:
        """Coefficients of powers of 1/kx² from values where `points` are."""
        return np.asarray(np.linalg.solve(self.points[:, None] ** (-2.0 * np.arange(_TERMS)), values))

    def matrix(self, index: complex) -> Complexes:
        """-∫ J·E of every pair of currents, over k_x > 0."""
        low, high = (_Spectra(self.spectrum, kx, index) for kx in (self._low[0], self.points))
        count = len(self.strips)
        blocks = [[np.zeros((0, 0), np.complex128)] * count for _ in range(count)]
        for i in range(count):
            for j in range(i + 1):
                blocks[i][j] = self._seen(low, i, j)
                if self.faces[i] == self.faces[j]:
                    blocks[i][j] = blocks[i][j] + self._past(high, i, j)
                blocks[j][i] = blocks[i][j].T
        return np.block(blocks)

    def _seen(self, spectra: _Spectra, i: int, j: int) -> Complexes:
        """The entries of two strips while layers are seen."""
        _, weights, sent = self._low
        zz, xz, xx = (weights * x for x in spectra.between(self.faces[i], self.faces[j]))

        def pairs(one: Floats, spectrum: Complexes, two: Floats) -> Complexes:
            # Currents under kx < 0 are the conjugate, and so what is left is real but for the spectrum.
            return np.asarray(sum((a * spectrum) @ b.T for a, b in zip(one, two, strict=True)))

        (along, across), (other, aside) = sent[i], sent[j]
        return np.block([[pairs(along, zz, other), pairs(along, xz, aside)],
                         [pairs(across, xz, other), pairs(across, xx, aside)]])  # fmt: skip

    def _past(self, spectra: _Spectra, i: int, j: int) -> Complexes:
        """The entries of two strips on one level past that."""
        kx, held = self.points, self._high[0][i, j]
        zz, xz, xx = spectra.between(self.faces[i], self.faces[j])
        top, side, low = (
            np.tensordot(self._series(x), held, axes=1) for x in (zz * kx, xz, xx / kx)
        )  # fmt: skip
        (n, half), (m, other) = ((self.orders[s], self.halves[s]) for s in (i, j))
        across, aside = n[n > 0][:, None] / half, m[m > 0] / other
        return np.block(
            [[top, side[:, m > 0] * aside], [side[n > 0] * across, low[np.ix_(n > 0, m > 0)] * across * aside]]
        )

    @property
    def _uniform(self) -> bool:
        """Whether one dielectric is all there is between two planes."""
        stack = self.spectrum.stack
        return stack.lid and len({(x.material.permittivity, x.material.permeability) for x in stack.layers}) == 1

    def waves(self) -> list[tuple[complex, Complexes]]:
        """Indices of all bound waves without loss, the slowest first, and what flows."""
        from scipy.optimize import brentq

        bound = max([1.0, *(w.index.real for w in surface_waves(self.spectrum))]) * (1.0 + 1e-9)
        beyond = self.spectrum.slowest * _PAST
        scale = np.sqrt(np.abs(np.diag(self.matrix(beyond))))

        def taken(index: float) -> tuple[Floats, Floats]:
            values, vectors = np.linalg.eigh((self.matrix(index) / 1j / np.outer(scale, scale)).real)
            return values[::-1], vectors[:, ::-1]

        across, own = int((taken(beyond)[0] > 0.0).sum()), len(self.strips)
        if self.spectrum.stack.lid and not self._uniform:
            # A strip slows the wave between planes as well, by next to nothing and far out: that is none of its own.
            still = coupled_strips(self.spectrum.stack, self.strips)
            own = int((still.effective_permittivities > bound**2).sum())
        found: list[tuple[complex, Complexes]] = []
        at_bound, others = taken(bound)
        for number in range(across, across + own):
            if at_bound[number] > 0.0:
                index = float(brentq(lambda x, number=number: taken(x)[0][number], bound, beyond, xtol=1e-13))
                found.append((complex(index), (taken(index)[1][:, number] / scale).astype(complex)))
            elif self._uniform:
                # With the wave of the planes.
                found.append((complex(bound), (others[:, number] / scale).astype(complex)))
        return found

    def followed(self, index: complex, flow: Complexes) -> tuple[complex, Complexes]:
        """A wave from near where it is, by inverse iteration (Ruhe 1973)."""
        start = index
        for _ in range(30):
            here = self.matrix(index)
            slope = (self.matrix(index * (1.0 + _STEP)) - here) / (index * _STEP)
            ahead = np.linalg.solve(here, slope @ flow)
            step = complex((flow.conj() @ flow) / (flow.conj() @ ahead))
            index, flow = index - step, np.asarray(ahead / np.linalg.norm(ahead), complex)
            if abs(step) < 1e-11:
                return index, flow
        raise RunError(f"strip waves: that of index {start.real:.6g} is lost with the losses of what is round it")

    def along_strips(self, index: complex, flow: Complexes) -> tuple[Complexes, Complexes]:
        """Currents (strips,) along each, A, the largest one, and voltages from z = 0 to the middle of each."""
        sizes = [2 * len(n) - int(n[0] == 0) for n in self.orders]
        parts = np.split(flow, np.cumsum(sizes)[:-1])
        # The transform of the first function at 0 is one, those of all others none.
        currents = np.array([part[0] for part in parts])
        largest = currents[np.argmax(np.abs(currents))]
        kx, weights, sent = self._low
        low, high = (_Spectra(self.spectrum, x, index) for x in (kx, self.points))
        voltages = np.zeros(len(parts), complex)
        for (n, m), held in self._high[1].items():
            # By reciprocity from what a vertical current up to a strip does to another.
            up, orders = Upright(self.faces[n]), self.orders[m]
            near, far = (x.sweep.probe_at(up, self.faces[m])[0] / x.sweep.k for x in (low, high))
            one, two = parts[m][: len(orders)], parts[m][len(orders) :]
            flow_of = [(one, index, sent[m][0]), (two, 1.0, sent[m][1] * kx)]
            for part, share, there in flow_of:
                voltages[n] += share * part @ (self._where(n, kx, there) @ (weights * near))
            past = self._series(far * self.points) @ held
            voltages[n] += index * one @ past + (two * orders[orders > 0] / self.halves[m]) @ past[orders > 0]
        return currents / largest, voltages / largest * WAVE_IMPEDANCE / math.pi
