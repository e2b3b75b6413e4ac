"""A stack seen by plane waves: transmission lines for TM and TE, at any transverse wavenumber.

Everything is normalised: lengths by 1/k0, impedances by that of free space. With u = √(k² - εµ), a layer is a line of
impedance u/jε for TM and jµ/u for TE (Michalski and Mosig 1997, eq. 4), joined to the next by its voltage and current.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE, wavenumber
from .half_space import HalfSpace
from .sommerfeld import decay
from .stack import Layer, Stack


@dataclass(frozen=True)
class Waves:
    """What flows from unit currents at one transverse wavenumber (any shape of it).

    tm, te: voltage at the metal from one ampere of horizontal current there, along k and square to it. probe: voltage
    at the metal from a vertical current of one ampere all the way up from the plane; probe_self: ∫ E_z dz along it.
    """

    tm: Complexes
    te: Complexes
    probe: Complexes
    probe_self: Complexes


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

    def _up(self, k: Complexes, tm: bool) -> tuple[Complexes, Complexes]:
        """Impedance seen upwards from the metal, and the voltage at the topmost face from one volt there."""
        u0 = decay(k, 1.0)
        load = u0 / 1j if tm else 1j / u0
        through = np.ones_like(load)
        for layer in reversed(self.stack.above):
            d, eps, mu = self._figures(layer)
            u = decay(k, eps * mu)
            z, t = (u / (1j * eps) if tm else 1j * mu / u), np.tanh(u * d)
            through = through * _sech(u * d) / (1.0 + z / load * t)
            load = z * (load + z * t) / (z + load * t)
        return load, through

    def _bottom(self, k: Complexes, tm: bool) -> Complexes:
        """Impedance of what the lowest layer lies on."""
        if not self.stack.has_plane:
            return decay(k, 1.0) / 1j if tm else 1j / decay(k, 1.0)
        return np.full_like(k, self.ground)

    def _down(self, k: Complexes, tm: bool, layers: tuple[Layer, ...]) -> Complexes:
        """Impedance seen downwards through layers, from the bottom up."""
        load = self._bottom(k, tm)
        for layer in layers:
            d, eps, mu = self._figures(layer)
            u = decay(k, eps * mu)
            z, t = (u / (1j * eps) if tm else 1j * mu / u), np.tanh(u * d)
            load = z * (load + z * t) / (z + load * t)
        return load

    def waves(self, k: Complexes) -> Waves:
        """What flows at transverse wavenumbers k > 0."""
        k = np.asarray(k, np.complex128)
        both = []
        for tm in (True, False):
            up, down = self._up(k, tm)[0], self._down(k, tm, self.stack.below)
            both.append(up * down / (up + down))
        nothing = np.zeros_like(k)
        return Waves(both[0], both[1], *(self._probe(k) if self.stack.has_plane else (nothing, nothing)))

    def factors(self, k: Complexes, u0: Complexes | None = None) -> tuple[Complexes, Complexes, Complexes]:
        """u0, R_M and R_E of waves that meet the topmost face from the air, without the metal, see `half_space`."""
        k = np.asarray(k, np.complex128)
        u0 = decay(k, 1.0) if u0 is None else u0
        air_tm, air_te = u0 / 1j, 1j / u0
        tm, te = (self._down(k, kind, self.stack.layers) for kind in (True, False))
        return u0, (air_tm - tm) / (air_tm + tm), (te - air_te) / (te + air_te)

    def transmitted(self, theta: Floats) -> tuple[Complexes, Complexes]:
        """Factors of TM and TE of plane waves at θ (n,) through an open board, from one face to the other."""
        k = np.minimum(np.sin(theta), 1.0 - 1e-15).astype(complex)
        whole = Spectrum(self.stack.turned_to_air, self.frequency)
        found = []
        for kind in (True, False):
            (seen, through), air = whole._up(k, kind), self._bottom(k, kind)
            found.append(2.0 * seen / (seen + air) * through)
        return found[0], found[1]

    def _probe(self, k: Complexes) -> tuple[Complexes, Complexes]:
        """Voltage at the metal and ∫ E_z dz from a vertical current of one ampere from the plane to the metal.

        In a layer it adds k/ε volt per unit length to the TM line, so V - (jk/u²) is as without it. Seen from below,
        V = T - R I is carried upwards, then the voltages back down.
        """
        up = self._up(k, True)[0]
        source, inner = np.zeros_like(k), np.full_like(k, self.ground)
        steps = []
        for layer in self.stack.below:
            d, eps, mu = self._figures(layer)
            u = decay(k, eps * mu)
            z, t, sech = u / (1j * eps), np.tanh(u * d), _sech(u * d)
            forced = 1j * k / u**2
            before, share = source - inner * forced, 1.0 + inner / z * t
            steps.append((d, mu, u, z, t, sech, forced, before, share, inner))
            inner = (inner + z * t) / share
            source = before * sech / share + inner * forced
        current = source / (inner + up)
        voltage = at_metal = up * current
        total = np.zeros_like(k)
        for d, mu, u, z, t, sech, forced, before, share, below in reversed(steps):
            free = ((current - forced) * sech + before * t / z) / share
            lower = before - below * free
            total += (-1j * mu * d + 1j * k * (voltage - lower)) / u**2
            voltage, current = lower, free + forced
        return at_metal, total

    def into_air(self, sine: Floats) -> tuple[Complexes, Complexes, Complexes]:
        """For sin θ, at the topmost face: field along it over horizontal current, TM and TE, and over the probe."""
        k = np.clip(np.asarray(sine, float), 1e-9, 1.0 - 1e-12).astype(complex)
        seen = self.waves(k)
        through_tm, through_te = (self._up(k, tm)[1] for tm in (True, False))
        return seen.tm * through_tm, seen.te * through_te, seen.probe * through_tm

    def at_top(self, k: complex, tm: bool) -> complex:
        """Voltage at the topmost face from one volt at the metal, at one transverse wavenumber."""
        return complex(self._up(np.array([k], np.complex128), tm)[1][0])

    def above(self, k: Complexes) -> Complexes:
        """Spectra (8, ...) of the field over the topmost face, to be multiplied by e^{-u0 z} at a height z over it.

        Of a horizontal current J of divergence D, normalised: E_t = -a J + ∇(b D), E_z = -c D,
        η0 H_t = -j ẑ × (-a' J + ∇(d D)), η0 H_z = -j ẑ·(∇a × J), with a' = u0 a: E_z from ∇·E = 0, H from curl E.
        In this order: a, a', b, c, d, and b, c, d of what is left at a probe's place, where I leaves the probe: of
        D = I and the probe itself, which is bounded.
        """
        seen = self.waves(k)
        u0 = decay(k, 1.0)
        tm_through, te_through = (self._up(k, kind)[1] for kind in (True, False))
        tm, te, probe = seen.tm * tm_through, seen.te * te_through, seen.probe * tm_through
        b, c = (tm - te) / k**2, tm / u0
        d = u0 * b - c
        left = b + 1j * probe / k, c + 1j * k * probe / u0, d - 1j * probe / (k * u0)
        return np.stack([te, u0 * te, b, c, d, *left])

    def resonance(self, k: Complexes, tm: bool) -> Complexes:
        """Zero where a surface wave runs, and without poles, as a function of k > 1 on the real axis and near it."""
        k = np.asarray(k, np.complex128)
        u0 = decay(k, 1.0)
        ends = []
        air = (u0 / 1j if tm else 1j + 0.0 * k), (1.0 + 0.0 * k if tm else u0)
        for layers, voltage, current in (
            (self.stack.below, *(air if not self.stack.has_plane else (np.full_like(k, self.ground), np.ones_like(k)))),
            (tuple(reversed(self.stack.above)), *air),
        ):
            for layer in layers:
                d, eps, mu = self._figures(layer)
                u = decay(k, eps * mu)
                c, over = np.cosh(u * d), np.where(u == 0.0, d, np.sinh(u * d) / np.where(u == 0.0, 1.0, u))
                # z sinh and sinh / z of the layer's line.
                one, two = (
                    (u * u * over / (1j * eps), 1j * eps * over) if tm else (1j * mu * over, u * u * over / (1j * mu))
                )
                voltage, current = voltage * c + one * current, current * c + two * voltage
            ends.append((voltage, current))
        (down, into), (up, out) = ends
        return np.asarray(down * out + up * into)

    def kernels(self, k: Complexes) -> Complexes:
        """Four spectra (4, ...) whose S(ρ) = ∫ f J0(kρ) k dk is, in free space, e^{-jρ}/ρ or tends to a share of it.

        Vector and scalar potential of horizontal currents by formulation C (Michalski and Mosig 1997, eqs. 24, 25), the
        scalar one less what a probe's end does to them, and what probes do to one another's feet: with these the
        charges at the top of a probe are gone, since they are none.
        """
        seen = self.waves(k)
        vector = 2.0 * seen.te / 1j
        scalar = 2j * (seen.tm - seen.te) / k**2
        end = 2.0 * seen.probe / k
        # -⟨probe, E⟩ over 1/jωε0.
        alone = -2j * seen.probe_self
        return np.stack([vector, scalar, scalar - end, scalar - 2.0 * end + alone])


def _sech(x: Complexes) -> Complexes:
    small = np.exp(-x)
    return np.asarray(2.0 * small / (1.0 + small * small))
