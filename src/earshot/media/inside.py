"""Fields inside layers from what is on their faces, at one height: spectra, images, and tables against distance.

Layers are cut at the height, so that it is a face; what flows there is in `Sweep.seen_at`. In terms of it, of one
ampere on metal, E and H are those of `Spectrum.above` with a = V_TE, a' = jI_TE, b = (V_TM - V_TE)/k², c = I_TM/jε and
d = j(I_TM - I_TE)/k².
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np

from ..arraytypes import Complexes, Floats
from .kernel_table import arrivals
from .near_table import LOGS, NearTable, even_cubics, from_none, nodes_for, with_end
from .sommerfeld import decay, sommerfeld_integrals
from .spectral import Spectrum
from .stack import Stack
from .sweep import Sweep

_TOGETHER = 8
_MOST_IMAGES = 8
_CLOSE, _SEEN = 0.25, 40.0

Each = Callable[[Callable[[range], Complexes], list[range]], Iterable[Complexes]]


class View(Protocol):
    """Sources on a face of layers, seen from a height, m."""

    @property
    def apart(self) -> float:
        """How far it is from their face, normalised; of probes that fade, from the nearer end of that."""
        ...

    @property
    def fading(self) -> int:
        """0 but of probes that fade: 1 where the nearer end of what fades is not over the height, -1 where it is."""
        ...

    @property
    def stems(self) -> tuple[complex, complex, complex]:
        """Shares of 1/k² in b, c and d of a probe that passes the height."""
        ...

    @property
    def spectrum(self) -> Spectrum:
        """The stack, cut at the height."""
        ...

    def rest(self, sweep: Sweep) -> Complexes:
        """Spectra (8, n) as of `Spectrum.above` at the height, less those of what is had in closed form."""
        ...


@dataclass(frozen=True)
class _Seen:
    """A stack that is cut at a height, so that it is a face; sources are on another, or on that."""

    spectrum: Spectrum
    place: int

    @property
    def on_lid(self) -> bool:
        """Whether the height is that of the lid: what is seen is under it."""
        return self.spectrum.stack.lid and self.place == len(self.spectrum.stack.layers)

    @cached_property
    def matter(self) -> tuple[complex, float]:
        """ε and µ over the height; under a lid, of what is under it."""
        return self._over(self.place - self.on_lid)

    def _over(self, face: int) -> tuple[complex, float]:
        layers = self.spectrum.stack.layers
        if not 0 <= face < len(layers):
            return 1.0 + 0j, 1.0
        return layers[face].material.complex_permittivity, layers[face].material.permeability

    def _kinds(self, k: Complexes, tm: tuple[Complexes, Complexes], te: tuple[Complexes, Complexes]) -> list[Complexes]:
        """a, a', b, c and d of voltages and currents."""
        over = self.matter[0]
        return [te[0], 1j * te[1], (tm[0] - te[0]) / k**2, tm[1] / (1j * over), 1j * (tm[1] - te[1]) / k**2]


@dataclass(frozen=True)
class FromMetal(_Seen):
    """Metal on a face, and probes that end there. cell: the longest side of its triangles, m."""

    cell: float

    @property
    def apart(self) -> float:
        """How far the height is from the metal, or from where fading begins or ends, normalised."""
        return min(map(abs, self._off)) * self.spectrum.wavenumber

    @property
    def _off(self) -> list[float]:
        stack = self.spectrum.stack
        ends = {stack.metal_on, stack.metal_on - stack.fades}
        return [stack.faces[self.place] - stack.faces[end] for end in ends]

    @property
    def fading(self) -> int:
        """Where there is no metal, but probes that fade."""
        if not self.spectrum.stack.fades:
            return 0
        return 1 if min(self._off, key=abs) >= 0.0 else -1

    @cached_property
    def _passing(self) -> float:
        """What of one ampere in probes passes the height: all of it under the metal, where they do not fade."""
        lines, upright = self._lines, self.spectrum.upright
        if self.on_lid:
            return lines.along(upright, self.place - 1)[1]
        return lines.along(upright, self.place)[0] if self.place < upright.face else 0.0

    @property
    def _lines(self) -> Sweep:
        return self.spectrum.sweep(np.ones(1, np.complex128))

    @property
    def stems(self) -> tuple[complex, complex, complex]:
        """Those of a current along z and of its charge: its upright and its round field go as ln ρ and 1/ρ."""
        n, (eps, mu) = self.place - self.on_lid, self.matter
        spread = 0.0
        if n < self.spectrum.upright.face:
            low, high = self._lines.along(self.spectrum.upright, n)
            spread = (low - high) / self._lines.layers[n][0]
        return 1j * spread / eps, 1j * mu * self._passing, -1j * self._passing

    @cached_property
    def images(self) -> list[tuple[float, complex, complex]]:
        """How far the metal is under the height as static waves come, m, over it below zero; and their shares, as of
        `kernel_table.images_of`.
        """
        stack = self.spectrum.stack
        found: dict[float, tuple[complex, complex]] = {}

        def add(far: float, vector: complex, scalar: complex) -> None:
            near = next((x for x in found if abs(x - far) < 1e-9 * stack.thickness), far)
            so_far = found.get(near, (0j, 0j))
            found[near] = so_far[0] + vector, so_far[1] + scalar

        own = stack.metal_on
        if stack.lid and own == len(stack.layers):
            return []
        if self.place == own:
            (eb, mb), (ea, ma) = self._over(own - 1), self._over(own)
            add(0.0, 2.0 * ma * mb / (ma + mb) + 0j, 2.0 / (ea + eb))
        for one in arrivals(stack, self.place, 1.5 * self.cell):
            along = one.far if one.up else -one.far
            if one.up and not self.on_lid:
                add(along, one.vector * (1.0 + one.turned), one.scalar * (1.0 + one.back))
            else:
                # On the side that is seen it comes to the face and is turned back.
                add(along, one.vector, one.scalar)
                add(-along, one.vector * one.turned, one.scalar * one.back)
            if len(found) >= _MOST_IMAGES:
                break
        return [(far, *shares) for far, shares in found.items()]

    def rest(self, sweep: Sweep) -> Complexes:
        """Spectra of the field, less those of images."""
        k, own = sweep.k, self.spectrum.stack.metal_on
        volts, amperes = sweep.probe_at(self.spectrum.upright, self.place)
        over, mu = self.matter
        # Where the current itself is, what it carries is no field.
        left = np.stack([1j * volts / k, (k * amperes - 1j * self._passing) / over, -amperes / k])
        metal = np.zeros((5, len(k)), np.complex128)
        if not self.spectrum.stack.fades:
            tm, te = (sweep.seen_at(own, self.place, kind) for kind in (True, False))
            metal = np.stack(self._kinds(k, tm, te))
            left += metal[2:]
        if self.spectrum.stack.open_below:
            # On no plane a probe has a charge at its foot as well, which metal there, being left, takes off.
            left -= self._kinds(k, *(sweep.seen_at(0, self.place, kind) for kind in (True, False)))[2:]
        u0, k0 = decay(k, 1.0), self.spectrum.wavenumber
        for far, vector, scalar in self.images if not self.spectrum.stack.fades else ():
            fading, sense = 0.5j * np.exp(-u0 * abs(far) * k0), 1.0 if far >= 0.0 else -1.0
            metal[0] -= vector * fading / u0
            metal[1] -= sense * vector * fading / mu
            metal[2] += scalar * fading / u0
            metal[3] += sense * scalar * fading
        return np.concatenate([metal, left])


@dataclass(frozen=True)
class FromOpening(_Seen):
    """A field E0 across openings in the plane z = 0, in the place of J: E = T E0 for -Z J.

    close: whether the field that goes straight is had in closed form.
    """

    close: bool

    @property
    def apart(self) -> float:
        """The height over the plane, normalised."""
        return self.spectrum.stack.faces[self.place] * self.spectrum.wavenumber

    fading, stems = 0, (0j, 0j, 0j)

    def rest(self, sweep: Sweep) -> Complexes:
        """Spectra of the field, less those of magnetic currents as in free space that are doubled by the plane.

        Of these the vector kernel has a share of ε in H, the scalar one of 1/µ.
        """
        k = sweep.k
        tm, te = ((-sweep.carried(0, self.place, x), -sweep.sent(0, self.place, x)) for x in (True, False))
        a, grown, b, c, d = self._kinds(k, tm, te)
        if self.close:
            u0, (eps, mu) = decay(k, 1.0), self.matter
            fading = np.exp(-u0 * self.apart)
            a, grown = a + fading, grown + fading / u0 * (k * k / mu - eps)
            c, d = c + fading / u0, d - fading / (u0 * mu)
        return np.stack([a, grown, b, c, d, b, c, d])


def views_of_metal(stack: Stack, frequency: float, heights: Floats, cell: float) -> list[FromMetal]:
    """The metal of a stack seen from heights in its layers (h,), m."""
    found = []
    for height in heights:
        cut, place = stack.cut(float(height))
        found.append(FromMetal(Spectrum(cut, frequency), place, cell))
    return found


def inside_table(
    spectrum: Spectrum, views: Sequence[View], reach: tuple[float, float], each: Each = map
) -> NearTable:  # fmt: skip
    """Fields at the heights of views, for distances from and up to `reach`, m. each: see `near_table`."""
    k0, stack = spectrum.wavenumber, spectrum.stack
    steps, rho = nodes_for(spectrum, reach)
    first = int(rho[0] == 0.0)
    length = min(x.thickness for x in stack.layers) * k0
    logs = np.array([_shares(view, length) for view in views])
    ripple = 3.0 * stack.thickness * k0 + length

    def work(some: range) -> Complexes:
        def rest(k: Complexes) -> Complexes:
            spectra, layers = np.empty((len(some), 8, len(k)), np.complex128), None
            for at, n in enumerate(some):
                # Seen from one height, several sources that follow one another go through the same layers.
                own = views[n].spectrum
                if own.stack.layers != layers:
                    layers, sweep = own.stack.layers, own.sweep(k)
                spectra[at] = views[n].rest(sweep)
            stem = -np.expm1(-k * length) / k**2
            for row, n in zip(spectra, some, strict=True):
                row[LOGS] -= logs[n, :5, None] * np.exp(-k * views[n].apart) * stem
                row[LOGS[2:]] -= logs[n, 5:8, None] * stem
                row[LOGS[3]] -= logs[n, 8] * k * np.exp(-k * views[n].apart) * stem
            return spectra.reshape(-1, len(k))

        values = sommerfeld_integrals(rest, rho[first:] * k0, spectrum.slowest + 0.5, ripple)
        return (from_none(values) if first else values).reshape(len(some), 8, -1)

    groups = [range(n, min(n + _TOGETHER, len(views))) for n in range(0, len(views), _TOGETHER)]
    values = np.concatenate(list(each(work, groups)))
    heights = np.array([view.apart for view in views])
    return NearTable(steps, np.diff(rho) * k0, even_cubics(values, rho), logs, heights, length)


def _shares(view: View, length: float) -> Complexes:
    """Shares (9,) as of `NearTable` that a view's rest has at last, where it is near; and those of its probes."""
    stems = np.array(view.stems)
    if view.apart > _CLOSE * length:
        return np.concatenate([np.zeros(5), stems, [0.0]])
    far = np.array([_SEEN / length + 0j])
    ends = view.rest(view.spectrum.sweep(far))[LOGS, 0] * far**2
    ends[2:] -= stems
    ends *= math.exp(_SEEN * view.apart / length)
    ends, rise = with_end(ends, view.fading)
    return np.concatenate([ends, stems, [rise]])
