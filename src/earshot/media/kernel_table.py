"""The kernels of a stack at one frequency, tabulated against distance: images in closed form, the rest by cubics.

Near ρ = 0 the rest is tabulated by itself; for what is not near, the whole kernel times ρ. Nodes are a fifth of
the thinnest layer apart to eight times its thickness, two thirds to 32, then three or a hundredth of a wavelength at
most: a distance finds its place among them by a piecewise linear map.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..arraytypes import Complexes, Floats
from .sommerfeld import at_zero, decay, sommerfeld_integrals
from .spectral import Spectrum

_NEGLIGIBLE = 2e-3
_MOST_IMAGES = 6
_FINE, _MIDDLE = 8.0, 32.0
_PER_WAVELENGTH = 100.0


@dataclass(frozen=True)
class KernelTable:
    """Kernels, 1/m, between currents and charges on the metal of a stack; e^{-jkρ}/ρ in free space.

    images (n, 5): depth (m), then its share in the vector and in the scalar kernel, each real and imaginary: shares of
    e^{-jkR}/R, R² = ρ² + depth². steps (5,): two bounds (m) and three densities (1/m) of the nodes. whole (intervals, 4
    powers, 4): cubics in each interval of the vector and the scalar kernel, each real and imaginary, of ρ times the
    kernel; rest (images, intervals, 4, 4): of the kernel less the 1/R of the first image, of the first two, and so on.
    end, between (intervals, 4): the kernels of `end_of_probe` and `between_probes`. tall: what the inductance of probes
    is proportional to, m.
    """

    wavenumber: float
    images: Floats
    steps: Floats
    whole: Floats
    rest: Floats
    end: Complexes
    between: Complexes
    tall: float

    def _cubic(self, coefficients: NDArray[np.generic], rho: ArrayLike) -> Complexes:
        x = place_among(self.steps, np.asarray(rho, float))
        at = np.minimum(x.astype(int), len(coefficients) - 1)
        c, f = coefficients[at], x - at
        return np.asarray(((c[..., 3] * f + c[..., 2]) * f + c[..., 1]) * f + c[..., 0], np.complex128)

    def _whole(self, which: int, rho: ArrayLike) -> Complexes:
        return np.asarray(self._cubic(self.whole[..., which] + 1j * self.whole[..., which + 1], rho) / np.asarray(rho))

    def vector(self, rho: ArrayLike) -> Complexes:
        """The vector kernel at distances > 0, 1/m."""
        return self._whole(0, rho)

    def scalar(self, rho: ArrayLike) -> Complexes:
        """The scalar kernel at distances > 0, 1/m."""
        return self._whole(2, rho)

    def end_of_probe(self, rho: ArrayLike) -> Complexes:
        """The scalar kernel less that of a probe's end, at distances from its axis, 1/m: bounded."""
        return self._cubic(self.end, rho)

    def between_probes(self, rho: ArrayLike) -> Complexes:
        """What a probe and the charge at its top do to another and its own, at distances between axes, 1/m."""
        from scipy.special import k0

        k = self.wavenumber
        return np.asarray(self._cubic(self.between, rho) - 2.0 * self.tall * k**2 * k0(k * np.asarray(rho, float)))

    def probe_itself(self, radius: float) -> complex:
        """The same of a probe with itself, over the ring of its radius: the mean of K0 there is I0 K0."""
        from scipy.special import i0, k0

        k = self.wavenumber
        turn = 2.0 * math.pi * (np.arange(64) + 0.5) / 64
        smooth = self._cubic(self.between, 2.0 * radius * np.sin(turn / 2)).mean()
        return complex(smooth - 2.0 * self.tall * k**2 * i0(k * radius) * k0(k * radius))


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
        found.append((2.0 * above.thickness, 0j, 2.0 * ea * first / (ea + eb) * (ea - onward[1]) / (ea + onward[1])))
    return np.array([[d, v.real, v.imag, s.real, s.imag] for d, v, s in found])


def kernel_table(spectrum: Spectrum, reach: float, cell: float) -> KernelTable:
    """The kernels up to a distance `reach`, m, for triangles no larger than `cell`, m."""
    k0, height = spectrum.wavenumber, spectrum.stack.level
    smallest = min(x.thickness for x in spectrum.stack.layers)
    steps = spacing(spectrum)
    count = int(place_among(steps, np.array(reach))) + 2
    images = images_of(spectrum, 1.5 * cell)
    tall = math.fsum(x.thickness * x.material.permeability for x in spectrum.stack.below)

    def smooth(k: Complexes) -> Complexes:
        """The spectra less those of their images, and of the inductance of probes."""
        found = spectrum.kernels(k)
        u0 = decay(k, 1.0)
        for depth, vr, vi, sr, si in images:
            fading = np.exp(-u0 * depth * k0) / u0
            found[0] -= complex(vr, vi) * fading
            found[1] -= complex(sr, si) * fading
        found[3] += 2.0 * tall * k0 / (k * k + 1.0)
        return found

    rho = nodes_of(steps, count)
    beyond = spectrum.slowest + 0.5
    ripple = 2.0 * (spectrum.stack.thickness + height) * k0
    values = (
        np.concatenate(
            [
                at_zero(smooth, beyond, smallest * k0)[:, None],
                sommerfeld_integrals(smooth, rho[1:] * k0, beyond, ripple),
            ],
            axis=1,
        )
        * k0
    )
    whole = np.zeros((2, len(rho)), np.complex128)
    for depth, vr, vi, sr, si in images:
        far = np.hypot(rho, depth)
        wave_there = np.exp(-1j * k0 * far) * (rho / far if depth else 1.0)
        whole += np.array([[complex(vr, vi)], [complex(sr, si)]]) * wave_there
    whole += rho * values[:2]
    rest = np.stack([parted(cubics_through(values[:2] + _waves(images, n, k0, rho), rho)) for n in range(len(images))])
    return KernelTable(
        k0, images, steps, parted(cubics_through(whole, rho)), rest,
        cubics_through(values[2:3], rho)[:, 0], cubics_through(values[3:], rho)[:, 0], tall,
    )  # fmt: skip


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
