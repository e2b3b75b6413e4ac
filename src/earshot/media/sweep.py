"""The layers of a stack as transmission lines at transverse wavenumbers, each part worked out when first asked for.

With u = √(k² - εµ), a layer is a line of impedance u/jε for TM and jµ/u for TE, joined to the next by its voltage and
current (Michalski and Mosig 1997, eq. 4); lengths times k0, impedances over that of free space. Faces are counted from
z = 0, layers by the face under them.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from typing import NamedTuple

import numpy as np

from ..arraytypes import Complexes
from .sommerfeld import decay

Figures = tuple[float, complex, float]
"""Of a layer: thickness times k0, ε and µ."""


class Upright(NamedTuple):
    """A vertical current of one ampere from z = 0 to a face; fades: or one that falls to none over so many layers."""

    face: int
    fades: int = 0


class Sweep:
    """Layers, from the bottom up, at wavenumbers k (any shape) over k0; ground, roof: impedance under and over them,
    None for air.
    """

    def __init__(
        self, layers: Sequence[Figures], ground: complex | None, k: Complexes, roof: complex | None = None
    ) -> None:  # fmt: skip
        self.layers, self.ground, self.roof = layers, ground, roof
        self.k = np.asarray(k, np.complex128)
        self._known: dict[Hashable, Complexes] = {}

    def _once(self, name: Hashable, work: Callable[[], Complexes]) -> Complexes:
        if name not in self._known:
            self._known[name] = work()
        return self._known[name]

    def _decay(self, n: int) -> Complexes:
        _, eps, mu = self.layers[n]
        return self._once(("u", n), lambda: decay(self.k, eps * mu))

    def _tanh(self, n: int) -> Complexes:
        return self._once(("t", n), lambda: np.tanh(self._decay(n) * self.layers[n][0]))

    def _sech(self, n: int) -> Complexes:
        def work() -> Complexes:
            small = np.exp(-self._decay(n) * self.layers[n][0])
            return np.asarray(2.0 * small / (1.0 + small * small))

        return self._once(("s", n), work)

    def _impedance(self, n: int, tm: bool) -> Complexes:
        _, eps, mu = self.layers[n]
        return self._once(("z", n, tm), lambda: self._decay(n) / (1j * eps) if tm else 1j * mu / self._decay(n))

    def air(self, tm: bool) -> Complexes:
        """The impedance of air."""
        u0 = self._once("air", lambda: decay(self.k, 1.0))
        return u0 / 1j if tm else 1j / u0

    def bottom(self, tm: bool) -> Complexes:
        """The impedance of what the lowest layer lies on."""
        return self.air(tm) if self.ground is None else np.full_like(self.k, self.ground)

    def up(self, face: int, tm: bool) -> Complexes:
        """The impedance seen upwards from a face."""
        if face == len(self.layers):
            return self.air(tm) if self.roof is None else np.full_like(self.k, self.roof)
        return self._once(("up", face, tm), lambda: self._behind(face, self.up(face + 1, tm), tm))

    def down(self, face: int, tm: bool) -> Complexes:
        """The impedance seen downwards from a face."""
        if face == 0:
            return self.bottom(tm)
        return self._once(("down", face, tm), lambda: self._behind(face - 1, self.down(face - 1, tm), tm))

    def _behind(self, n: int, load: Complexes, tm: bool) -> Complexes:
        z, t = self._impedance(n, tm), self._tanh(n)
        return np.asarray(z * (load + z * t) / (z + load * t))

    def carried(self, face: int, higher: int, tm: bool) -> Complexes:
        """The voltage at a higher face from one volt at a face, of what comes from there or from below."""
        if face == higher:
            return np.ones_like(self.k)
        if face + 1 == higher:
            return self._step(face, tm)
        return self._once(
            ("carried", face, higher, tm), lambda: self._step(face, tm) * self.carried(face + 1, higher, tm)
        )

    def _step(self, n: int, tm: bool) -> Complexes:
        return self._once(("step", n, tm), lambda: np.asarray(self._leap(n, tm) * self.up(n + 1, tm)))

    def _leap(self, n: int, tm: bool) -> Complexes:
        """The current over a layer from one volt under it."""

        def work() -> Complexes:
            return np.asarray(self._sech(n) / (self.up(n + 1, tm) + self._impedance(n, tm) * self._tanh(n)))

        return self._once(("leap", n, tm), work)

    def sent(self, face: int, higher: int, tm: bool) -> Complexes:
        """The current upwards at a higher face, or over the same, from one volt at a face."""
        if face == higher:
            return 1.0 / self.up(face, tm)
        return self.carried(face, higher - 1, tm) * self._leap(higher - 1, tm)

    def seen_at(self, face: int, place: int, tm: bool) -> tuple[Complexes, Complexes]:
        """Voltage and current upwards at a place from one ampere at a face: of the same, over it, but under a lid.

        What is lower is by reciprocity what a volt there makes at the face.
        """
        on_lid = self.roof is not None and place == len(self.layers)
        if place > face or (place == face and not on_lid):
            here = self.shunt(face, tm)
            return here * self.carried(face, place, tm), here * self.sent(face, place, tm)
        up, there = self.up(place, tm), self.carried(place, face, tm)
        return self.shunt(place, tm) * there, -up / (up + self.down(place, tm)) * there

    def shunt(self, face: int, tm: bool) -> Complexes:
        """The voltage at a face from one ampere there."""

        def work() -> Complexes:
            up, down = self.up(face, tm), self.down(face, tm)
            return np.asarray(up * down / (up + down))

        return self._once(("shunt", face, tm), work)

    def probe(self, upright: Upright) -> tuple[Complexes, Complexes]:
        """Of a vertical current from z = 0 up: voltages and currents of the TM line at faces up to its last.

        In a layer its share f adds kf/ε volt per unit length to the TM line. So V + kf'/εu² and I - jkf/u² are as
        without it. Seen from below, V = T - R I is carried upwards, then both back down.
        """
        return self._once(("probe", upright), lambda: np.array(self._probe(upright)))  # type: ignore[return-value]

    def _probe(self, upright: Upright) -> tuple[list[Complexes], list[Complexes]]:
        current = self._sent_up(upright)
        voltages, currents = [self.up(upright.face, True) * current], [current]
        for n in reversed(range(upright.face)):
            low, high, push = self._forced(upright, n)
            before = self._seen(upright, n) - push - self.down(n, True) * low
            free = (current - high) * self._sech(n) + before * self._tanh(n) / self._impedance(n, True)
            free = free / self._share(n)
            voltages.append(before - self.down(n, True) * free + push)
            current = free + low
            currents.append(current)
        return voltages[::-1], currents[::-1]

    def _sent_up(self, upright: Upright) -> Complexes:
        """The current of the TM line at its last face."""
        face = upright.face
        return np.asarray(self._seen(upright, face) / (self.down(face, True) + self.up(face, True)))

    def _seen(self, upright: Upright, face: int) -> Complexes:
        """T at a face up to its last; where it is full so far it is that of all that are."""
        if not face:
            return np.zeros_like(self.k)
        own = upright if face > upright.face - upright.fades else Upright(face)

        def work() -> Complexes:
            n = face - 1
            low, high, push = self._forced(own, n)
            before = self._seen(own, n) - push - self.down(n, True) * low
            return np.asarray(push + before * self._sech(n) / self._share(n) + self.down(face, True) * high)

        return self._once(("seen", own, face), work)

    def _forced(self, upright: Upright, n: int) -> tuple[Complexes, Complexes, Complexes | float]:
        """What in a layer is as the current is: I at its lower and its upper end, and V."""
        (low, high), (d, eps, _) = self.along(upright, n), self.layers[n]
        full = self._once(("forced", n), lambda: 1j * self.k / self._decay(n) ** 2)
        push = 1j * (high - low) / (d * eps) * full if low != high else 0.0
        return low * full, high * full, push

    def _share(self, n: int) -> Complexes:
        """1 + R tanh / Z of a layer."""
        return self._once(
            ("share", n), lambda: 1.0 + self.down(n, True) / self._impedance(n, True) * self._tanh(n)
        )  # fmt: skip

    def along(self, upright: Upright, n: int) -> tuple[float, float]:
        """What a vertical current is at the lower and at the upper end of a layer."""
        full = upright.face - upright.fades
        if not full <= n < upright.face:
            return float(n < full), float(n < full)
        deep = [self.layers[m][0] for m in range(full, upright.face)]
        return sum(deep[n - full :]) / sum(deep), sum(deep[n - full + 1 :]) / sum(deep)

    def reaction(self, one: Upright, two: Upright) -> Complexes:
        """∫ g E_z dz along a vertical current g of that of another, each of one ampere or a share of it from z = 0 up.

        In a layer (-jµ∫fg + jk[gV] + kg'[I]/ε)/u², by V' = -u²I/jε + kf/ε.
        """
        lower, higher = sorted((one, two), key=lambda x: x.face)
        return self._reaction(lower, higher, lower.face)

    def _reaction(self, lower: Upright, higher: Upright, face: int) -> Complexes:
        """The same up to a face; where the lower is full so far it is that with all that are."""
        if not face:
            return np.zeros_like(self.k)
        own = lower if face > lower.face - lower.fades else Upright(face)

        def work() -> Complexes:
            n, (voltages, currents) = face - 1, self.probe(higher)
            (d, eps, mu), (low, high) = self.layers[n], self.along(own, n)
            pushed = 1j * (high * voltages[n + 1] - low * voltages[n])
            if low != high:
                pushed += (high - low) / (d * eps) * (currents[n + 1] - currents[n])
            part = (self.k * pushed - 1j * mu * self._overlap(own, higher, n)) / self._decay(n) ** 2
            return np.asarray(self._reaction(own, higher, n) + part)

        return self._once(("reaction", own, higher, face), work)

    def _overlap(self, one: Upright, two: Upright, n: int) -> float:
        """∫ fg dz over a layer."""
        (a, b), (c, d) = self.along(one, n), self.along(two, n)
        return self.layers[n][0] * (2.0 * (a * c + b * d) + a * d + b * c) / 6.0

    def stems(self, one: Upright, two: Upright) -> complex:
        """What their reaction goes as at last, times jk²: as of lines that are side by side."""
        found = 0j
        for n in range(min(one.face, two.face)):
            (d, eps, mu), (a, b), (c, e) = self.layers[n], self.along(one, n), self.along(two, n)
            found += mu * self._overlap(one, two, n) - (b - a) * (e - c) / (d * eps)
        return found

    def edge(self, upright: Upright, face: int) -> complex:
        """What 2V/k goes as at last at a face, times k²: of charge along a line that ends there or passes."""
        if (face == 0 and self.ground is not None) or (face == len(self.layers) and self.roof is not None):
            return 0j
        slopes, eps = 0.0, 0j
        for n in (face - 1, face):
            inside = 0 <= n < len(self.layers)
            eps += self.layers[n][1] if inside else 1.0
            if inside:
                low, high = self.along(upright, n)
                slopes += (low - high) / self.layers[n][0]
        return 2.0 * slopes / eps

    def probe_at(self, upright: Upright, place: int) -> tuple[Complexes, Complexes]:
        """Voltage and current of the TM line at a place from a vertical current."""
        face = upright.face
        if place < face:
            voltages, currents = self.probe(upright)
            return voltages[place], currents[place]
        current = self._sent_up(upright)
        if place == face:
            return self.up(face, True) * current, current
        volts = self.up(face, True) * current
        return volts * self.carried(face, place, True), volts * self.sent(face, place, True)

    def kernels(self, face: int, higher: int) -> Complexes:
        """Spectra whose S(ρ) = ∫ f J0(kρ) k dk is, in free space, e^{-jρ}/ρ or tends to a share of it: (4 or 5, ...).

        Vector and scalar potential of horizontal currents on a face, there or at a higher one, by formulation C
        (Michalski and Mosig 1997, eqs. 24, 25); the scalar one less what a probe's end on the face does, and of two
        faces then less what one on the higher does on the lower; and what probes do to one another's feet: with
        these the charges at the top of a probe are gone, since they are none.
        """
        k, lower, upper = self.k, Upright(face), Upright(higher)
        tm, te = (self.shunt(face, kind) * self.carried(face, higher, kind) for kind in (True, False))
        vector, scalar = 2.0 * te / 1j, 2j * (tm - te) / k**2
        other = self.push(upper, face)
        # -⟨probe, E⟩ over 1/jωε0.
        alone = -2j * self.reaction(lower, upper)
        if face == higher:
            return np.stack([vector, scalar, scalar - other, scalar - 2.0 * other + alone])
        end = self.push(lower, higher)
        return np.stack([vector, scalar, scalar - end, scalar - other, scalar - end - other + alone])

    def fading_kernels(self, one: Upright, two: Upright) -> Complexes:
        """The last of these for what fades, and another vertical current: (1, ...); and (2, ...) if that ends on metal.

        What fades has no charge at a point, so that of the other is told by it alone: first what it does to the metal
        there.
        """
        alone = -2j * self.reaction(one, two)
        if two.fades:
            return alone[None]
        there = self.push(one, two.face)
        return np.stack([-there, alone - there])

    def push(self, upright: Upright, face: int) -> Complexes:
        """The scalar kernel's share of a vertical current at a face."""
        return 2.0 * self.probe_at(upright, face)[0] / self.k

    def opening(self) -> Complexes:
        """Spectra (2, ...) of what magnetic currents in an opening at z = 0 do to one another, dual to `kernels`.

        The plane round it is perfect to them: close by their fields vary faster than its metal is deep.
        """
        tm, te = (1.0 / self.up(0, kind) for kind in (True, False))
        return np.stack([2.0 * tm / 1j, 2j * (te - tm) / self.k**2])

    def through_opening(self, upright: Upright) -> Complexes:
        """Spectra (3, ...) of what a field E0 across z = 0 does at a face: E = a E0 less the gradient of a potential.

        a; then of the potential, and of ∫ E_z dz up to the face, what they have in the direction from there to here.
        For one volt E_z = -(k/ε) I, which by reciprocity is what a probe makes flow at z = 0.
        """
        tm, te = (self.carried(0, upright.face, kind) for kind in (True, False))
        return np.stack([te, (te - tm) / self.k, 1j * self.probe(upright)[1][0]])
