"""The kernels of a stack at one frequency, tabulated against distance: images in closed form, the rest by cubics.

Near ρ = 0 the rest is tabulated by itself; for what is not near, the whole kernel times ρ. Nodes are a fifth of
the thinnest layer apart to eight times its thickness, two thirds to 32, then three or a hundredth of a wavelength at
most: a distance finds its place among them by a piecewise linear map.
"""

from __future__ import annotations

import heapq
import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..arraytypes import Complexes, Floats
from .sommerfeld import Each, at_zero, decay, sommerfeld_integrals
from .spectral import Spectrum
from .stack import Stack
from .sweep import Sweep, Upright

_NEGLIGIBLE = 2e-3
_MOST_IMAGES = 6
_FINE, _MIDDLE = 8.0, 32.0
_PER_WAVELENGTH = 100.0
_FINER, _FINER_STILL = 1.7, 2.0
_NONE = np.zeros((1, 5))
"""On a lid there is nothing but ends of probes."""


@dataclass(frozen=True)
class ProbeTable:
    """Kernels, 1/m, of vertical currents with charges on a level, and with others that go up to there.

    steps (5,): two bounds (m) and three densities (1/m) of the nodes. end, between (intervals, 4): cubics of the
    kernels of `end_of_probe` and `between_probes`. tall: what is proportional to K0 in the latter, m: of probes of one
    current their inductance. edge: the same of the former, 1/m. lossy_plane: whether they stand on one that takes
    power.
    """

    wavenumber: float
    steps: Floats
    end: Complexes
    between: Complexes
    tall: complex
    edge: complex
    lossy_plane: bool

    def _cubic(self, coefficients: NDArray[np.generic], rho: ArrayLike) -> Complexes:
        x = place_among(self.steps, np.asarray(rho, float))
        at = np.minimum(x.astype(int), len(coefficients) - 1)
        c, f = coefficients[at], x - at
        return np.asarray(((c[..., 3] * f + c[..., 2]) * f + c[..., 1]) * f + c[..., 0], np.complex128)

    def end_of_probe(self, rho: ArrayLike, radius: float = 0.0) -> Complexes:
        """The scalar kernel less that of a probe's end, at distances from its axis, 1/m: bounded.

        Of one that fades, that of its charge alone, which a level may touch. Within the ring of the probe it is that at
        the ring; what is out of phase is as `probe_itself` has it.
        """
        from scipy.special import k0

        outside = np.maximum(rho, radius)
        found = self._cubic(self.end, outside)
        if not self.lossy_plane:
            found = found.real + 1j * self._cubic(self.end, rho).imag
        return found - self.edge * k0(self.wavenumber * outside) if self.edge else found

    def between_probes(self, rho: ArrayLike) -> Complexes:
        """What a probe and the charge at its top do to another and its own, at distances between axes, 1/m."""
        from scipy.special import k0

        k = self.wavenumber
        return np.asarray(self._cubic(self.between, rho) - 2.0 * self.tall * k**2 * k0(k * np.asarray(rho, float)))

    def probe_itself(self, radius: float) -> complex:
        """The same of a probe with itself, over the ring of its radius: the mean of K0 there is I0 K0.

        What is out of phase, which waves make that leave, is taken on the axis, where the probe sends them from: so the
        power that it takes is what it sends. On a plane with loss it is of the ring as well, with none inside.
        """
        from scipy.special import i0, k0

        k = self.wavenumber
        turn = 2.0 * math.pi * (np.arange(64) + 0.5) / 64
        around = self._cubic(self.between, 2.0 * radius * np.sin(turn / 2)).mean()
        smooth = around if self.lossy_plane else complex(around.real, self._cubic(self.between, 0.0).imag)
        return complex(smooth - 2.0 * self.tall * k**2 * i0(k * radius) * k0(k * radius))


@dataclass(frozen=True)
class KernelTable(ProbeTable):
    """Kernels, 1/m, between currents and charges on the metal of a stack; e^{-jkρ}/ρ in free space.

    Of metal on two levels: of currents and ends of probes on one, seen from the other.

    images (n, 5): depth (m), then its share in the vector and in the scalar kernel, each real and imaginary: shares of
    e^{-jkR}/R, R² = ρ² + depth². whole (intervals, 4 powers, 4): cubics in each interval of the vector and the scalar
    kernel, each real and imaginary, of ρ times the kernel; rest (images, intervals, 4, 4): of the kernel less the 1/R
    of the first image, of the first two, and so on.
    """

    images: Floats
    whole: Floats
    rest: Floats

    def _whole(self, which: int, rho: ArrayLike) -> Complexes:
        return np.asarray(self._cubic(self.whole[..., which] + 1j * self.whole[..., which + 1], rho) / np.asarray(rho))

    def vector(self, rho: ArrayLike) -> Complexes:
        """The vector kernel at distances > 0, 1/m."""
        return self._whole(0, rho)

    def scalar(self, rho: ArrayLike) -> Complexes:
        """The scalar kernel at distances > 0, 1/m."""
        return self._whole(2, rho)


def place_among(steps: Floats, rho: Floats) -> Floats:
    """The place of distances among the nodes: whole at a node."""
    first, second, *density = steps
    return np.asarray(
        np.minimum(rho, first) * density[0]
        + np.clip(rho - first, 0.0, second - first) * density[1]
        + np.maximum(rho - second, 0.0) * density[2]
    )


def images_of(spectrum: Spectrum, depth: float) -> Floats:
    """Images (n, 5) no deeper than `depth`, m: the metal itself, and what the nearest faces of the stack add.

    One layer under air has the images of its static kernels: (1 - q)/(1 + εr)(1 + Kq) on a plane, with q = e^{-2kh} and
    K = (εr - 1)/(εr + 1), and (1 + Kq)/(1 + εr)(1 - K²q) over air; of other stacks the first in the faces next to the
    metal are taken.
    """
    stack = spectrum.stack
    if stack.lid and stack.metal_on == len(stack.layers):
        return _NONE
    below, above = (layers[0] if layers else None for layers in (stack.below[::-1], stack.above))
    eb, ea = (x.material.complex_permittivity if x else 1.0 + 0j for x in (below, above))
    mb, ma = (x.material.permeability if x else 1.0 for x in (below, above))
    first, vector = 2.0 / (ea + eb), 2.0 * ma * mb / (ma + mb)
    found = [(0.0, vector + 0j, first)]
    # What charges in a layer see in its far face: a plane, the next layer, or air.
    onward = [stack.below[-2].material.complex_permittivity if len(stack.below) > 1 else 1.0]
    onward += [stack.above[1].material.complex_permittivity if len(stack.above) > 1 else 1.0]
    on_plane = len(stack.below) == 1 and stack.has_plane
    if below is not None:
        seen = -1.0 + 0j if on_plane else (eb - onward[0]) / (eb + onward[0])
        share, back = 2.0 * eb * first / (ea + eb) * seen, (eb - ea) / (eb + ea) * seen
        plane = -1.0 if on_plane and ma == mb == 1.0 else 0.0
        again = _MOST_IMAGES if len(stack.layers) == 1 and mb == 1.0 else 2
        for n in range(1, again):
            if 2.0 * n * below.thickness > depth or abs(share) < _NEGLIGIBLE:
                break
            found.append((2.0 * n * below.thickness, plane * (n == 1) + 0j, share))
            share = share * back
    if above is not None and 2.0 * above.thickness <= depth:
        under_lid = len(stack.above) == 1 and stack.lid
        seen = -1.0 + 0j if under_lid else (ea - onward[1]) / (ea + onward[1])
        lifted = -1.0 + 0j if under_lid and ma == mb == 1.0 else 0j
        found.append((2.0 * above.thickness, lifted, 2.0 * ea * first / (ea + eb) * seen))
    return np.array([[d, v.real, v.imag, s.real, s.imag] for d, v, s in found])


@dataclass(frozen=True, slots=True)
class Arrival:
    """Of static waves from metal what comes to a face, upwards or down, m, and what of it is turned back there."""

    far: float
    up: bool
    vector: complex
    scalar: complex
    turned: float
    back: complex


def arrivals(stack: Stack, face: int, depth: float) -> Iterator[Arrival]:
    """What static waves from its metal bring to a face, first that which goes straight, then all from up to `depth`, m.

    They go up and down, in lines of impedance 1/ε for charges and µ for currents: at every face some turn back, and the
    others go on.
    """
    air = (1.0 + 0j, 1.0)
    matter = [air, *((x.material.complex_permittivity, x.material.permeability) for x in stack.layers), air]
    (eb, mb), (ea, ma) = matter[stack.metal_on], matter[stack.metal_on + 1]
    straight, came = abs(stack.faces[face] - stack.level), face == stack.metal_on
    # How far and the how manieth, of which layer, upwards or not, and amplitudes.
    start, number = (2.0 * ma * mb / (ma + mb) + 0j, 2.0 / (ea + eb)), itertools.count()
    going = [(0.0, next(number), stack.metal_on + up, up, *start) for up in (True, False)]
    while going:
        far, _, own, up, vector, scalar = heapq.heappop(going)
        # What goes straight is the first to come, and is there however little it is.
        if own in (0, len(matter) - 1) or (came and max(abs(vector), abs(scalar)) < _NEGLIGIBLE):
            continue
        far += stack.layers[own - 1].thickness
        if far > max(depth, straight * (1.0 + 1e-9)):
            continue
        there, onward = (own, own + 1) if up else (own - 1, own - 1)
        (e1, m1), (e2, m2) = matter[own], matter[onward]
        turned, back = (m2 - m1) / (m2 + m1), (e1 - e2) / (e1 + e2)
        if (there == 0 and stack.has_plane) or (there == len(stack.layers) and stack.lid):
            turned, back = -1.0, -1.0 + 0j
        if there == face:
            came = True
            yield Arrival(far, up, vector, scalar, turned, back)
        heapq.heappush(going, (far, next(number), own, not up, vector * turned, scalar * back))
        heapq.heappush(going, (far, next(number), onward, up, vector * (1.0 + turned), scalar * (1.0 + back)))


def images_to(spectrum: Spectrum, level: int, depth: float) -> Floats:
    """The same from its metal to a higher face: what goes straight, and first images no deeper than `depth`, m."""
    stack = spectrum.stack
    if stack.lid and level == len(stack.layers):
        return _NONE
    found: dict[float, tuple[complex, complex]] = {}
    for one in arrivals(stack, level, depth):
        near = next((x for x in found if abs(x - one.far) < 1e-9 * stack.thickness), one.far)
        so_far = found.get(near, (0j, 0j))
        vector, scalar = one.vector * (1.0 + one.turned), one.scalar * (1.0 + one.back)
        found[near] = so_far[0] + vector, so_far[1] + scalar
        if len(found) == _MOST_IMAGES:
            break
    return np.array([[d, v.real, v.imag, s.real, s.imag] for d, (v, s) in sorted(found.items())])


def kernel_table(spectrum: Spectrum, reach: float, cell: float) -> KernelTable:
    """The kernels up to a distance `reach`, m, for triangles no larger than `cell`, m."""
    own = spectrum.stack.metal_on
    found: KernelTable = level_tables(spectrum, (own,), reach, cell)[own, own]
    return found


@dataclass(frozen=True)
class _Pair:
    """What is tabled of metal on a face, seen from it or a higher one."""

    spectrum: Spectrum
    face: int
    higher: int
    images: Floats

    @property
    def own(self) -> bool:
        """Whether both are one."""
        return self.higher == self.face

    @property
    def count(self) -> int:
        """How many spectra there are."""
        return 4 if self.own else 5

    @property
    def tall(self) -> float:
        """What inductance of probes goes by, m: of those that end on either, what is side by side."""
        return math.fsum(x.thickness * x.material.permeability for x in self.spectrum.stack.below)

    def smooth(self, sweep: Sweep) -> Complexes:
        """The spectra less those of their images, and of the inductance of probes."""
        found = sweep.kernels(self.face, self.higher)
        k0 = self.spectrum.wavenumber
        found[:2] -= waves_of(self.images, decay(sweep.k, 1.0), k0)
        found[-1] += 2.0 * self.tall * k0 / (sweep.k * sweep.k + 1.0)
        return found

    def tables(self, steps: Floats, rho: Floats, values: Complexes) -> list[KernelTable]:
        """From its integrals (spectra, distances), 1/m, at nodes: one, or of two levels one each way."""
        # Between two levels the kernels are even in the distance, and what is tabled odd.
        flat: Any = "not-a-knot" if self.own else ((2, np.zeros(2)), "not-a-knot")
        lossy = bool(self.spectrum.ground)
        plain = table_of(self.images, steps, self.spectrum.wavenumber, rho, values[:2], flat)
        *ends, between = np.moveaxis(cubics_through(values[2:], rho), 1, 0)
        return [
            replace(plain, end=np.ascontiguousarray(end), between=between, tall=self.tall, lossy_plane=lossy)
            for end in ends
        ]


def waves_of(images: Floats, u0: Complexes, k0: float) -> Complexes:
    """Spectra of images (2, ...) in the vector and in the scalar kernel, where u0 is how waves in air decay."""
    found = np.zeros((2, *np.shape(u0)), np.complex128)
    for depth, vr, vi, sr, si in images:
        fading = np.exp(-u0 * depth * k0) / u0
        found[0] += complex(vr, vi) * fading
        found[1] += complex(sr, si) * fading
    return found


def table_of(
    images: Floats, steps: Floats, k0: float, rho: Floats, values: Complexes, ends: Any = "not-a-knot"
) -> KernelTable:
    """That of vector and scalar kernels, 1/m, from what images leave (2, distances) at nodes; without probes."""
    whole = np.zeros((2, len(rho)), np.complex128)
    for depth, vr, vi, sr, si in images:
        far = np.hypot(rho, depth)
        wave_there = np.exp(-1j * k0 * far) * (rho / far if depth else 1.0)
        whole += np.array([[complex(vr, vi)], [complex(sr, si)]]) * wave_there
    whole += rho * values
    rest = np.stack([parted(cubics_through(values + _waves(images, n, k0, rho), rho)) for n in range(len(images))])
    none = np.zeros((len(rho) - 1, 4), np.complex128)
    return KernelTable(
        k0, steps, none, none, 0.0, 0.0, False, images, parted(cubics_through(whole, rho, ends)), rest
    )  # fmt: skip


@dataclass(frozen=True)
class Divided:
    """A stack with faces more, where wires through it are divided, and what goes up to where they are.

    levels: of those asked for, and as many; fading: of currents that fall to none over a layer.
    """

    stack: Stack
    levels: tuple[Upright, ...]
    fading: tuple[Upright, ...] = ()

    @property
    def every(self) -> tuple[Upright, ...]:
        """All of them."""
        return self.levels + self.fading


@dataclass(frozen=True)
class _Fading:
    """What is tabled of a vertical current that fades, and another or one that ends on a level."""

    spectrum: Spectrum
    one: Upright
    two: Upright

    @property
    def count(self) -> int:
        """How many spectra there are."""
        return 1 if self.two.fades else 2

    @cached_property
    def logs(self) -> Complexes:
        """What times -1/k² the spectra are at last: of its charge as a level sees it, if it is one, and of both."""
        lines = self.spectrum.sweep(np.ones(1, np.complex128))
        both = 2.0 * lines.stems(self.one, self.two)
        if self.two.fades:
            return np.array([both])
        return np.array([lines.edge(self.one, self.two.face), both])

    def smooth(self, sweep: Sweep) -> Complexes:
        """The spectra less those of logarithms."""
        return np.asarray(sweep.fading_kernels(self.one, self.two) + self.logs[:, None] / (sweep.k * sweep.k + 1.0))

    def tables(self, steps: Floats, rho: Floats, values: Complexes) -> list[ProbeTable]:
        """One, for both ways; that of two that fade has no ends."""
        k0, cubics = self.spectrum.wavenumber, cubics_through(values, rho)
        end, between = (np.ascontiguousarray(cubics[:, n]) for n in (0, -1))
        tall, edge = self.logs[-1] / (2.0 * k0), self.logs[0] * k0
        return [ProbeTable(k0, steps, end, between, tall, edge, bool(self.spectrum.ground))]


Tables = dict[tuple[int | Upright, int | Upright], Any]
"""Kernels by what sends and by what is sent to: levels by the layers under them, and currents that fade."""


def level_tables(
    spectrum: Spectrum, levels: Sequence[int], reach: float, cell: float, divided: Divided | None = None,
    each: Each = map,
) -> Tables:  # fmt: skip
    """The same of metal on some levels, given from the lowest, by where it is and where it is seen from.

    divided: the stack as wires through it are divided, which may be as it is; `ProbeTable`s then of what fades there.
    each: see `sommerfeld_integrals`.
    """
    cut = divided or Divided(spectrum.stack, tuple(Upright(level) for level in levels))
    lines = Spectrum(cut.stack, spectrum.frequency)
    pairs: list[tuple[tuple[int | Upright, int | Upright], _Pair | _Fading]] = []
    for place, one in enumerate(levels):
        below = Spectrum(spectrum.stack.on(one), spectrum.frequency)
        for two, upper in zip(levels[place:], cut.levels[place:], strict=True):
            own = one == two
            images = images_of(below, 1.5 * cell) if own else images_to(below, two, 1.5 * cell)
            pairs.append(((one, two), _Pair(below, cut.levels[place].face, upper.face, images)))
    for place, first in enumerate(cut.fading):
        pairs += [((first, key), _Fading(lines, first, upper)) for key, upper in zip(levels, cut.levels, strict=True)]
        pairs += [((first, second), _Fading(lines, first, second)) for second in cut.fading[place:]]
    k0, stack = spectrum.wavenumber, cut.stack
    smallest = min(x.thickness for x in stack.layers)
    steps = spacing(lines)
    if len(levels) > 1:
        # What is thin between two levels is as sharp as its own thickness.
        steps[2:] *= _FINER
    if cut.fading:
        # What ends in layers is nearer to faces than levels are to one another.
        steps[2:] *= _FINER_STILL
    rho = nodes_of(steps, int(place_among(steps, np.array(reach))) + 2)
    beyond = spectrum.slowest + 0.5
    ripple = 2.0 * (stack.thickness + stack.faces[cut.levels[-1].face]) * k0

    def smooth(k: Complexes) -> Complexes:
        sweep = lines.sweep(k)
        return np.concatenate([pair.smooth(sweep) for _, pair in pairs])

    # Bessel functions are the dear part, and the same for all.
    start = at_zero(smooth, beyond, smallest * k0)[:, None]
    values = np.concatenate([start, sommerfeld_integrals(smooth, rho[1:] * k0, beyond, ripple, each=each)], axis=1)
    values *= k0
    found: Tables = {}
    first_row = 0
    for (one_key, two_key), pair in pairs:
        last = first_row + pair.count
        made = pair.tables(steps, rho, values[first_row:last])
        found[one_key, two_key], found[two_key, one_key] = made[0], made[-1]
        first_row = last
    return found


def _waves(images: Floats, last: int, k0: float, rho: Floats) -> Complexes:
    """The images' waves in both kernels (2, distances), less the 1/R of those up to the last in closed form."""
    found = np.zeros((2, len(rho)), np.complex128)
    for n, (depth, vr, vi, sr, si) in enumerate(images):
        far = np.hypot(rho, depth)
        # sin(x)/x keeps the digits of (e^{-jkR} - 1)/R, and its limit.
        half = 0.5 * k0 * far
        wave = -1j * k0 * np.exp(-1j * half) * np.sinc(half / math.pi) if n <= last else np.exp(-1j * k0 * far) / far
        found += np.array([[complex(vr, vi)], [complex(sr, si)]]) * wave
    return found


def spacing(spectrum: Spectrum) -> Floats:
    """Two bounds (m) and three densities (1/m) of the nodes a stack needs."""
    wave = 2.0 * math.pi / spectrum.wavenumber
    unit = min(min(x.thickness for x in spectrum.stack.layers), wave / 20.0)
    return np.array([_FINE * unit, _MIDDLE * unit, 5.0 / unit, 1.5 / unit, max(0.3 / unit, _PER_WAVELENGTH / wave)])


def nodes_of(steps: Floats, count: int) -> Floats:
    """Distances of nodes 0 to count + 1."""
    first, second, *density = steps
    edges = [first * density[0], first * density[0] + (second - first) * density[1]]
    x = np.arange(count + 2.0)
    return np.asarray(
        np.minimum(x, edges[0]) / density[0]
        + np.clip(x - edges[0], 0.0, edges[1] - edges[0]) / density[1]
        + np.maximum(x - edges[1], 0.0) / density[2]
    )


def cubics_through(values: NDArray[Any], rho: Floats, bc_type: Any = "not-a-knot") -> Complexes:
    """A spline through values (kinds, nodes), as cubics of the place within intervals: (intervals, kinds, 4 powers)."""
    from scipy.interpolate import CubicSpline

    spline = CubicSpline(rho, values, axis=1, bc_type=bc_type)
    # The spline's coefficients are per metre, highest power first; those wanted per interval, lowest first.
    width = np.diff(rho)
    powers = width[None, :] ** np.arange(4)[:, None]
    return np.ascontiguousarray(np.moveaxis(spline.c[::-1] * powers[:, :, None], (0, 1, 2), (2, 0, 1)))


def parted(coefficients: Complexes) -> Floats:
    """(intervals, powers, 4): of vector and scalar kernel the real and the imaginary part, one after the other."""
    both = np.stack([coefficients.real, coefficients.imag], axis=2).reshape(len(coefficients), 4, 4)
    return np.ascontiguousarray(np.moveaxis(both, 1, 2))
