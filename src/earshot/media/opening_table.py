"""The kernels of openings in the plane of a stack, tabulated against distance: what the field across one does to
itself, and on faces of the layers.

A field E0 across z = 0 is a magnetic current E0 × ẑ on the plane closed up. Among themselves these have the kernels
that currents on a face have in the dual layers, ε and µ exchanged, over a wall along which no magnetic field is.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Complexes, Floats
from .kernel_table import KernelTable, cubics_through, nodes_of, place_among, spacing, table_of, waves_of
from .sommerfeld import at_zero, decay, sommerfeld_integrals
from .spectral import Spectrum
from .sweep import Upright

_NEGLIGIBLE = 2e-3
_MOST_IMAGES = 6


@dataclass(frozen=True)
class ThroughOpening:
    """What a field E0 across an opening does at a face: E = ∫ a E0 dS - ∇Φ, Φ = ∫ b ρ̂·E0 dS, and ∫ E_z dz up to it,
    ∫ c ρ̂·E0 dS, with ρ̂ from there to here.

    steps as of `KernelTable`. cubics (intervals, 3 kinds, 4 powers): of a, 1/m², and of b and c, 1/m.
    """

    steps: Floats
    cubics: Complexes

    def at(self, rho: ArrayLike) -> Complexes:
        """a, b and c (3, ...) at distances."""
        x = place_among(self.steps, np.asarray(rho, float))
        at = np.minimum(x.astype(int), len(self.cubics) - 1)
        f = x - at
        c = np.moveaxis(self.cubics[at], (-2, -1), (0, 1))
        return np.asarray(((c[:, 3] * f + c[:, 2]) * f + c[:, 1]) * f + c[:, 0])


def through_openings(spectrum: Spectrum, levels: Sequence[Upright], reach: float) -> dict[Upright, ThroughOpening]:
    """Those of some faces, given by what goes up to each, up to a distance `reach`, m."""
    steps, k0 = spacing(spectrum), spectrum.wavenumber
    rho = nodes_of(steps, int(place_among(steps, np.array(reach))) + 2)
    beyond = spectrum.slowest + 0.5
    ripple = 2.0 * spectrum.stack.thickness * k0

    def spectra(k: Complexes) -> Complexes:
        sweep = spectrum.sweep(k)
        return np.concatenate([sweep.through_opening(level) for level in levels])

    lowest = min(spectrum.stack.faces[level.face] for level in levels)
    values = np.zeros((3 * len(levels), len(rho)), np.complex128)
    values[::3, 0] = at_zero(lambda k: spectra(k)[::3], beyond, lowest * k0)
    values[::3, 1:] = sommerfeld_integrals(lambda k: spectra(k)[::3], rho[1:] * k0, beyond, ripple)
    odd = np.arange(3 * len(levels)) % 3 > 0
    values[odd, 1:] = sommerfeld_integrals(lambda k: spectra(k)[odd], rho[1:] * k0, beyond, ripple, order=1)
    scale = k0 / (2.0 * math.pi)
    values *= np.tile([scale * k0, scale, scale], len(levels))[:, None]
    cubics = cubics_through(values, rho)
    return {level: ThroughOpening(steps, cubics[:, 3 * n : 3 * n + 3]) for n, level in enumerate(levels)}


def images_of_opening(spectrum: Spectrum, depth: float) -> Floats:
    """Images (n, 5) no deeper than `depth`, m: the magnetic current itself, with its own in the plane, and what the
    first face over it adds: Y (1 - K q)/(1 + K q), q = e^{-2kh}, of admittances of static waves.
    """
    layers = spectrum.stack.layers
    first, onward = layers[0].material, layers[1].material if len(layers) > 1 else None
    e1, m1 = first.complex_permittivity, first.permeability
    e2, m2 = (onward.complex_permittivity, onward.permeability) if onward else (1.0 + 0j, 1.0)
    vector, scalar = 2.0 * e1, 2.0 / m1 + 0j
    turned, back = (e1 - e2) / (e1 + e2), (m2 - m1) / (m2 + m1)
    if spectrum.stack.lid and onward is None:
        turned, back = -1.0 + 0j, -1.0
    found, again = [(0.0, vector, scalar)], _MOST_IMAGES if len(layers) == 1 else 2
    for n in range(1, again):
        vector, scalar = (2.0 if n == 1 else 1.0) * -turned * vector, (2.0 if n == 1 else 1.0) * -back * scalar
        if 2.0 * n * layers[0].thickness > depth or max(abs(vector), abs(scalar)) < _NEGLIGIBLE:
            break
        found.append((2.0 * n * layers[0].thickness, vector, scalar))
    return np.array([[d, v.real, v.imag, s.real, s.imag] for d, v, s in found])


def opening_table(spectrum: Spectrum, reach: float, cell: float) -> KernelTable:
    """What magnetic currents on the plane do to one another up to a distance `reach`, m; triangles up to `cell`, m."""
    images, steps, k0 = images_of_opening(spectrum, 1.5 * cell), spacing(spectrum), spectrum.wavenumber
    rho = nodes_of(steps, int(place_among(steps, np.array(reach))) + 2)
    beyond = spectrum.slowest + 0.5

    def smooth(k: Complexes) -> Complexes:
        return np.asarray(spectrum.sweep(k).opening() - waves_of(images, decay(k, 1.0), k0))

    start = at_zero(smooth, beyond, min(x.thickness for x in spectrum.stack.layers) * k0)[:, None]
    ripple = 2.0 * spectrum.stack.thickness * k0
    values = np.concatenate([start, sommerfeld_integrals(smooth, rho[1:] * k0, beyond, ripple)], axis=1)
    return table_of(images, steps, k0, rho, np.asarray(k0 * values, np.complex128))
