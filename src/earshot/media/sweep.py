"""The layers of a stack as transmission lines at transverse wavenumbers, each part worked out when first asked for.

With u = √(k² - εµ), a layer is a line of impedance u/jε for TM and jµ/u for TE, joined to the next by its voltage and
current (Michalski and Mosig 1997, eq. 4); lengths times k0, impedances over that of free space. Faces are counted from
z = 0, layers by the face under them.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from itertools import accumulate

import numpy as np

from ..arraytypes import Complexes
from .sommerfeld import decay

Figures = tuple[float, complex, float]
"""Of a layer: thickness times k0, ε and µ."""


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
        found = np.ones_like(self.k)
        for n in range(higher - 1, face - 1, -1):
            found = found * self._step(n, tm)
        return found

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

    def probe(self, face: int) -> tuple[list[Complexes], list[Complexes], list[Complexes]]:
        """Of a vertical current of one ampere from z = 0 up to a face: voltages at faces up to it, ∫ E_z dz up to them,
        and currents of the TM line there.

        In a layer it adds k/ε volt per unit length to the TM line, so V - (jk/u²) is as without it. Seen from below,
        V = T - R I is carried upwards, then the voltages back down.
        """
        k, up = self.k, self.up(face, True)
        source, inner = np.zeros_like(k), self.bottom(True)
        steps = []
        for n in range(face):
            z, t, sech = self._impedance(n, True), self._tanh(n), self._sech(n)
            forced = 1j * k / self._decay(n) ** 2
            before, share = source - inner * forced, 1.0 + inner / z * t
            steps.append((n, forced, before, share, inner))
            inner = (inner + z * t) / share
            source = before * sech / share + inner * forced
        current = source / (inner + up)
        voltages, parts, currents = [up * current], [], [current]
        for n, forced, before, share, below in reversed(steps):
            d, _, mu = self.layers[n]
            free = ((current - forced) * self._sech(n) + before * self._tanh(n) / self._impedance(n, True)) / share
            lower = before - below * free
            parts.append((-1j * mu * d + 1j * k * (voltages[-1] - lower)) / self._decay(n) ** 2)
            voltages.append(lower)
            current = free + forced
            currents.append(current)
        return voltages[::-1], list(accumulate(reversed(parts), initial=np.zeros_like(k))), currents[::-1]

    def probe_at(self, face: int, place: int) -> tuple[Complexes, Complexes]:
        """Voltage and current of the TM line at a place from one ampere that goes upright from z = 0 to a face."""
        voltages, _, currents = self.probe(face)
        if place <= face:
            return voltages[place], currents[place]
        return voltages[face] * self.carried(face, place, True), voltages[face] * self.sent(face, place, True)

    def kernels(self, face: int, higher: int) -> Complexes:
        """Spectra whose S(ρ) = ∫ f J0(kρ) k dk is, in free space, e^{-jρ}/ρ or tends to a share of it: (4 or 5, ...).

        Vector and scalar potential of horizontal currents on a face, there or at a higher one, by formulation C
        (Michalski and Mosig 1997, eqs. 24, 25); the scalar one less what a probe's end on the face does, and of two
        faces then less what one on the higher does on the lower; and what probes do to one another's feet: with
        these the charges at the top of a probe are gone, since they are none.
        """
        k = self.k
        tm, te = (self.shunt(face, kind) * self.carried(face, higher, kind) for kind in (True, False))
        vector, scalar = 2.0 * te / 1j, 2j * (tm - te) / k**2
        voltages, inner = self._probe_once(higher)
        other = 2.0 * voltages[face] / k
        # -⟨probe, E⟩ over 1/jωε0.
        alone = -2j * inner[face]
        if face == higher:
            return np.stack([vector, scalar, scalar - other, scalar - 2.0 * other + alone])
        end = 2.0 * self._probe_once(face)[0][face] * self.carried(face, higher, True) / k
        return np.stack([vector, scalar, scalar - end, scalar - other, scalar - end - other + alone])

    def _probe_once(self, face: int) -> tuple[Complexes, Complexes]:
        both = self._once(("probe", face), lambda: np.array(self.probe(face)[:2]))
        return both[0], both[1]

    def opening(self) -> Complexes:
        """Spectra (2, ...) of what magnetic currents in an opening at z = 0 do to one another, dual to `kernels`.

        The plane round it is perfect to them: close by their fields vary faster than its metal is deep.
        """
        tm, te = (1.0 / self.up(0, kind) for kind in (True, False))
        return np.stack([2.0 * tm / 1j, 2j * (te - tm) / self.k**2])

    def through_opening(self, face: int) -> Complexes:
        """Spectra (3, ...) of what a field E0 across z = 0 does at a face: E = a E0 less the gradient of a potential.

        a; then of the potential, and of ∫ E_z dz up to the face, what they have in the direction from there to here.
        For one volt E_z = -(k/ε) I, which by reciprocity is what a probe makes flow at z = 0.
        """
        tm, te = (self.carried(0, face, kind) for kind in (True, False))
        return np.stack([te, (te - tm) / self.k, 1j * self.probe(face)[2][0]])
