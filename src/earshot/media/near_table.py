"""The field over a stack from a current on its metal, tabulated against distance for every height over its top."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes, Floats
from .kernel_table import cubics_through, nodes_of, place_among, spacing
from .sommerfeld import Each, decay, faded_integrals, sommerfeld_integrals
from .spectral import Spectrum

_STEEP = 3.0
_TOGETHER = 8
_SEEN = 40.0
_ASIDE = 4
"""Nodes beside those that are wanted, for cubics to be good at the ends."""
LOGS = [3, 4, 5, 6, 7]
"""Which spectra go as 1/k² at last: c, d, and at probes b as well."""


@dataclass(frozen=True)
class NearTable:
    """Cubics of `Spectrum.above`, less what is had in closed form, integrated: (heights, intervals, 8 kinds, 4 powers).

    steps (6,): those of `KernelTable`, and the number of the first node there is; widths (intervals,) and heights
    (heights,), over the metal: normalised. logs (heights, 9): the shares in c and d, and in b, c and d at probes, of
    the integral of e^{-kz} (1 - e^{-k length})/k², that is ln (z + length + R')/(z + R); in the latter three of that
    with z = 0; and in c at probes of k times the former, 1/R - 1/R'.
    """

    steps: Floats
    widths: Floats
    cubics: Complexes
    logs: Complexes
    heights: Floats
    length: float


def near_table(
    spectrum: Spectrum, heights: Floats, images: Floats, reach: tuple[float, float], each: Each = map
) -> NearTable:  # fmt: skip
    """The fields at heights (h,) ≥ 0 over the topmost face, rising, m, and distances from and up to `reach`, m.

    images: those of `images_of`, left out here since their fields are had in closed form. each: calls a function for
    every few heights and gives what it returns, in order; it may do so side by side.
    """
    k0 = spectrum.wavenumber
    steps, rho = nodes_for(spectrum, reach)
    length = min(x.thickness for x in spectrum.stack.layers) * k0
    far = np.array([_SEEN / length + 0j])
    logs = np.zeros(5, np.complex128)
    if len(images):
        logs = np.asarray((_rest(spectrum, images, far)[LOGS] * far**2)[:, 0], np.complex128)
    logs, rise = with_end(logs, int(spectrum.stack.fades > 0))

    def at_heights(some: Floats) -> Complexes:
        return _integrated(spectrum, some * k0, rho * k0, images, (logs, rise), length)

    found = np.concatenate(list(each(at_heights, _alike(heights))))
    widths = np.diff(rho)
    every = np.tile(np.concatenate([logs, np.zeros(3), [rise]]), (len(heights), 1))
    return NearTable(steps, widths * k0, even_cubics(found, rho), every, heights * k0, length)


def nodes_for(spectrum: Spectrum, reach: tuple[float, float]) -> tuple[Floats, Floats]:
    """Steps (6,) as of `NearTable`, and nodes (ρ,) for distances from and up to `reach`, m."""
    steps = spacing(spectrum)
    low, high = (int(place_among(steps, np.array(end))) for end in reach)
    first = max(low - _ASIDE, 0)
    return np.append(steps, float(first)), nodes_of(steps, max(high, first + _ASIDE) + 2)[first:]


def with_end(logs: Complexes, fading: int) -> tuple[Complexes, complex]:
    """Shares (5,) of logarithms, and that of k times them, where probes fade: the field of a line's end goes as 1/R.

    fading: 1 where the end is not over the height, -1 where it is, 0 where there is none.
    """
    if not fading:
        return logs, 0j
    return np.where(np.arange(5) == 3, 0.0, logs).astype(np.complex128), complex(fading * logs[2])


def even_cubics(values: Complexes, rho: Floats) -> Complexes:
    """Cubics (heights, intervals, 8, 4) of functions of the distance (heights, 8, ρ), even ones where it is none."""
    flat = ((1, np.zeros(8)), "not-a-knot") if rho[0] == 0.0 else "not-a-knot"
    return np.ascontiguousarray([cubics_through(one, rho, bc_type=flat) for one in values])


def from_none(values: Complexes) -> Complexes:
    """Even functions of the distance (..., ρ) at its first nodes, with what they are at none, to fourth order."""
    return np.concatenate([(4.0 * values[..., :1] - values[..., 1:2]) / 3.0, values], axis=-1)


def _alike(heights: Floats) -> list[Floats]:
    """Heights (h,), rising, in groups within a factor of two, which share a path."""
    groups, first = [], 0
    while first < len(heights):
        last = int(np.searchsorted(heights, 2.0 * heights[first], side="right"))
        last = min(last, first + _TOGETHER)
        groups.append(heights[first:last])
        first = last
    return groups


def _integrated(
    spectrum: Spectrum, heights: Floats, rho: Floats, images: Floats, ends: tuple[Complexes, complex], length: float
) -> Complexes:
    """(h, 8, ρ) at heights (h,) that are alike, all normalised."""
    lowest, highest, (logs, rise) = float(heights[0]), float(heights[-1]), ends

    def rest(k: Complexes) -> Complexes:
        kernels = _rest(spectrum, images, k) * np.exp(-decay(k, 1.0) * heights[:, None, None])
        fading = np.exp(-k * heights[:, None]) * -np.expm1(-k * length) / k**2
        kernels[:, LOGS] -= logs[:, None] * fading[:, None]
        kernels[:, LOGS[3]] -= rise * k * fading
        return kernels.reshape(-1, len(k))

    beyond = spectrum.slowest + 0.5
    # Where the height fades the spectra the real path is short; elsewhere, the one that always converges.
    split = int(np.searchsorted(rho, _STEEP * lowest))
    bounds = [0, *np.searchsorted(rho[:split], lowest * np.array([0.5, 1.0, 2.0])).tolist(), split]
    parts = [faded_integrals(rest, rho[a:b], beyond, lowest, highest) for a, b in itertools.pairwise(bounds) if b > a]
    if split < len(rho):
        ripple = 2.0 * spectrum.stack.thickness * spectrum.wavenumber + highest + length
        parts.append(sommerfeld_integrals(rest, rho[max(split, int(rho[0] == 0.0)) :], beyond, ripple))
    found = np.concatenate(parts, axis=1).reshape(len(heights), 8, -1)
    return found if split or rho[0] > 0.0 else from_none(found)


def _rest(spectrum: Spectrum, images: Floats, k: Complexes) -> Complexes:
    """Spectra (8, n) at the topmost face less those of the images."""
    kernels = spectrum.above(k)
    u0 = decay(k, 1.0)
    for depth, vr, vi, sr, si in images:
        fading = np.exp(-u0 * depth * spectrum.wavenumber)
        vector, scalar = 0.5j * complex(vr, vi) * fading, -0.5j * complex(sr, si) * fading
        kernels[0] -= vector / u0
        kernels[1] -= vector
        kernels[2] -= scalar / u0
        kernels[3] -= scalar
    return np.asarray(kernels)
