"""A stack seen by plane waves, at any transverse wavenumber, see `sweep`.

Everything is normalised: lengths by 1/k0, impedances by that of free space.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE, wavenumber
from .half_space import HalfSpace
from .sommerfeld import decay
from .stack import Layer, Stack
from .sweep import Sweep, Upright


@dataclass(frozen=True)
class Waves:
    """What flows from unit currents at one transverse wavenumber (any shape of it).

    tm, te: voltage at the metal from one ampere of horizontal current there, along k and square to it. probe: voltage
    at the metal from a vertical current of one ampere all the way up from the plane, or one that fades to there.
    """

    tm: Complexes
    te: Complexes
    probe: Complexes


@dataclass(frozen=True)
class Spectrum:
    """A stack at one frequency, Hz."""

    stack: Stack
    frequency: float

    @cached_property
    def wavenumber(self) -> float:
        """k0, rad/m: lengths are multiplied by it."""
        return wavenumber(self.frequency)

    @cached_property
    def level(self) -> float:
        """Height of the metal, normalised."""
        return self.stack.level * self.wavenumber

    @property
    def upright(self) -> Upright:
        """What goes from z = 0 up to the metal."""
        return Upright(self.stack.metal_on, self.stack.fades)

    @cached_property
    def slowest(self) -> float:
        """The largest index of refraction: no wave is slower."""
        return max(math.sqrt(abs(eps * mu)) for _, eps, mu in (self._figures(x) for x in self.stack.layers))

    @cached_property
    def ground(self) -> complex:
        """Surface impedance of the plane, normalised: that of its metal to waves from straight above."""
        plane = self.stack.plane
        return 0j if plane is None else plane.sheet_impedance(self.frequency) / WAVE_IMPEDANCE

    @property
    def beyond(self) -> float:
        """A real wavenumber past all poles."""
        return self.slowest + 1.5

    @property
    def branch(self) -> complex:
        """Only air has a branch point: what is below the layers is metal, or air again."""
        return 1.0 + 0j

    @property
    def face(self) -> HalfSpace:
        """The topmost layer."""
        _, eps, mu = self._figures(self.stack.layers[-1])
        return HalfSpace(eps, mu)

    @property
    def depth(self) -> float:
        """Twice the thickness of all layers, normalised."""
        return 2.0 * self.stack.thickness * self.wavenumber

    def clear(self, k: float) -> float:
        """How far a real wavenumber is from those between which surface waves are."""
        return max(1.0 - k, k - self.slowest, 0.0)

    def _figures(self, layer: Layer) -> tuple[float, complex, float]:
        made = layer.material
        return layer.thickness * self.wavenumber, made.complex_permittivity, made.permeability

    def sweep(self, k: Complexes) -> Sweep:
        """Its layers as lines at transverse wavenumbers (any shape)."""
        layers = [self._figures(layer) for layer in self.stack.layers]
        return Sweep(layers, self.ground if self.stack.has_plane else None, k, self.ground if self.stack.lid else None)

    def waves(self, k: Complexes) -> Waves:
        """What flows at transverse wavenumbers k > 0."""
        return self._waves(self.sweep(k))

    def _waves(self, sweep: Sweep) -> Waves:
        own = self.stack.metal_on
        return Waves(sweep.shunt(own, True), sweep.shunt(own, False), sweep.probe(self.upright)[0][own])

    def factors(self, k: Complexes, u0: Complexes | None = None) -> tuple[Complexes, Complexes, Complexes]:
        """u0, R_M and R_E of waves that meet the topmost face from the air, without the metal, see `half_space`."""
        k = np.asarray(k, np.complex128)
        u0 = decay(k, 1.0) if u0 is None else u0
        air_tm, air_te = u0 / 1j, 1j / u0
        sweep, top = self.sweep(k), len(self.stack.layers)
        tm, te = (sweep.down(top, kind) for kind in (True, False))
        return u0, (air_tm - tm) / (air_tm + tm), (te - air_te) / (te + air_te)

    def transmitted(self, theta: Floats) -> tuple[Complexes, Complexes]:
        """Factors of TM and TE of plane waves at θ (n,) through an open board, from one face to the other."""
        k = np.minimum(np.sin(theta), 1.0 - 1e-15).astype(complex)
        sweep, found = self.sweep(k), []
        for kind in (True, False):
            seen, through = sweep.up(0, kind), sweep.carried(0, len(self.stack.layers), kind)
            found.append(2.0 * seen / (seen + sweep.air(kind)) * through)
        return found[0], found[1]

    def into_air(self, sine: Floats) -> tuple[Complexes, Complexes, Complexes]:
        """For sin θ, at the topmost face: field along it over horizontal current, TM and TE, and over the probe."""
        k = np.clip(np.asarray(sine, float), 1e-9, 1.0 - 1e-12).astype(complex)
        sweep = self.sweep(k)
        seen, (through_tm, through_te) = self._waves(sweep), self._to_top(sweep)
        return seen.tm * through_tm, seen.te * through_te, seen.probe * through_tm

    def from_opening(self, sine: Floats) -> tuple[Complexes, Complexes]:
        """For sin θ: field along the topmost face over that across an opening in the plane, TM and TE."""
        k = np.clip(np.asarray(sine, float), 1e-9, 1.0 - 1e-12).astype(complex)
        sweep, top = self.sweep(k), len(self.stack.layers)
        return sweep.carried(0, top, True), sweep.carried(0, top, False)

    def at_top(self, k: complex, tm: bool) -> complex:
        """Voltage at the topmost face from one volt at the metal, at one transverse wavenumber."""
        return complex(self.sweep(np.array([k])).carried(self.stack.metal_on, len(self.stack.layers), tm)[0])

    def _chain(
        self, layers: Sequence[Layer], k: Complexes, tm: bool, voltage: ArrayLike, current: ArrayLike
    ) -> tuple[Complexes, Complexes]:  # fmt: skip
        """Voltage and current beyond layers, from what is before them, as they are without division."""
        v, i = np.asarray(voltage, np.complex128), np.asarray(current, np.complex128)
        for layer in layers:
            d, eps, mu = self._figures(layer)
            u = decay(k, eps * mu)
            c, over = np.cosh(u * d), np.where(u == 0.0, d, np.sinh(u * d) / np.where(u == 0.0, 1.0, u))
            # z sinh and sinh / z of the layer's line.
            one, two = (
                (u * u * over / (1j * eps), 1j * eps * over) if tm else (1j * mu * over, u * u * over / (1j * mu))
            )
            v, i = v * c + one * i, i * c + two * v
        return v, i

    def _to_top(self, sweep: Sweep) -> tuple[Complexes, Complexes]:
        tm, te = (sweep.carried(self.stack.metal_on, len(self.stack.layers), kind) for kind in (True, False))
        return tm, te

    def above(self, k: Complexes) -> Complexes:
        """Spectra (8, ...) of the field over the topmost face, to be multiplied by e^{-u0 z} at a height z over it.

        Of a horizontal current J of divergence D, normalised: E_t = -a J + ∇(b D), E_z = -c D,
        η0 H_t = -j ẑ × (-a' J + ∇(d D)), η0 H_z = -j ẑ·(∇a × J), with a' = u0 a: E_z from ∇·E = 0, H from curl E.
        In this order: a, a', b, c, d, and b, c, d of what is left at a probe's place, where I leaves the probe: of
        D = I and the probe itself, which is bounded; of one that fades there is nothing left.
        """
        sweep, own = self.sweep(k), self.stack.metal_on
        te, *charged = self._at_top(sweep, own)
        return np.stack([te, decay(k, 1.0) * te, *charged, *self._left(sweep, self.upright)])

    def _at_top(self, sweep: Sweep, face: int) -> list[Complexes]:
        """a, b, c and d of `above` of a current on a face."""
        k, u0, top = sweep.k, decay(sweep.k, 1.0), len(self.stack.layers)
        tm, te = (sweep.shunt(face, kind) * sweep.carried(face, top, kind) for kind in (True, False))
        b, c = (tm - te) / k**2, tm / u0
        return [te, b, c, u0 * b - c]

    def _left(self, sweep: Sweep, upright: Upright) -> Complexes:
        """b, c and d (3, ...) of `above` at the place of a probe."""
        k, u0 = sweep.k, decay(sweep.k, 1.0)
        probe = sweep.probe_at(upright, len(self.stack.layers))[0]
        found = np.stack([1j * probe / k, 1j * k * probe / u0, -1j * probe / (k * u0)])
        return found if upright.fades else found + np.stack(self._at_top(sweep, upright.face)[1:])

    def ends_above(self, k: Complexes, uprights: Sequence[Upright]) -> Complexes:
        """b and d (2 probes, ...) of `above` at the places of several probes."""
        sweep = self.sweep(k)
        none = np.zeros((0, *sweep.k.shape), np.complex128)
        return np.concatenate([none, *(self._left(sweep, upright)[[0, 2]] for upright in uprights)])

    def resonance(self, k: Complexes, tm: bool, u0: Complexes | None = None) -> Complexes:
        """Zero where a surface wave runs, and without poles, as a function of k > 1 on the real axis and near it.

        u0: how waves fade in the air, where it is not the way that leaves nothing far off.
        """
        k = np.asarray(k, np.complex128)
        u0 = decay(k, 1.0) if u0 is None else u0
        metal = (np.full_like(k, self.ground), np.ones_like(k))
        air = (u0 / 1j if tm else 1j + 0.0 * k), (1.0 + 0.0 * k if tm else u0)
        down, into = self._chain(self.stack.below, k, tm, *(metal if self.stack.has_plane else air))
        up, out = self._chain(self.stack.above[::-1], k, tm, *(metal if self.stack.lid else air))
        return np.asarray(down * out + up * into)

    def kernels(self, k: Complexes) -> Complexes:
        """Four spectra (4, ...) of its metal, see `Sweep.kernels`."""
        return self.sweep(k).kernels(self.stack.metal_on, self.stack.metal_on)
