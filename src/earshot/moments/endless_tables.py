"""Kernels over earth and over layers, for sums over a lattice: from tables, and their spectra."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..arraytypes import Complexes, Floats
from ..media.earth_table import EarthTable, in_tables, tabled
from ..media.half_space import Below, integrated, reflection
from ..media.kernel_table import Divided, images_of
from ..media.over_layers import end_kernels, level_kernels, spectra_of
from ..media.sommerfeld import decay
from ..media.spectral import Spectrum
from ..running import in_threads, thread_count


def _looked_up(table: EarthTable, rho: Floats, height: float, kinds: int) -> Complexes:
    """Kernels of a table (kinds, ...), 1/m, at distances and a height, m."""
    from ..kernels.over_layers import over_points

    flat = np.ravel(rho)
    places, none = np.column_stack([flat, np.zeros((len(flat), 2))]), np.zeros(len(flat))
    found = np.zeros((kinds, len(flat), 1), np.complex128)
    over_points(
        places, none + height, none, np.zeros((1, 3)), table.least, table.wavenumber, table.grid, table.weights, kinds,
        found,
    )  # fmt: skip
    return np.asarray(table.wavenumber * found.reshape(kinds, *np.shape(rho)))


@dataclass(frozen=True)
class SentBack:
    """Those kernels from a table."""

    table: EarthTable

    def at(self, rho: Floats, height: float) -> Complexes:
        """GA, Gv and U (3, ...), 1/m, at distances and a sum of heights, m."""
        return _looked_up(self.table, rho, height, 3)


@lru_cache(maxsize=4)
def sent_back(below: Below, wavenumber: float, reach: float, heights: tuple[float, float]) -> SentBack:
    """Tabled for distances up to a reach and sums of heights between two, m."""

    def bent(k: Complexes, _: Complexes | None) -> tuple[Complexes, Complexes, Complexes]:
        return decay(k, 1.0), spectra_of(below, k, 0.0)[2:], np.zeros((0, len(k)), np.complex128)

    def kernels(rho: Floats, zeta: Floats) -> Complexes:
        return np.concatenate([np.array(reflection(below, rho, zeta)[:2]), integrated(below, bent, rho, zeta)[0]])

    return SentBack(tabled(kernels, below, wavenumber, (0.0, reach), heights, thread_count(), in_threads))


@dataclass(frozen=True)
class Upward:
    """A, B and C of metal on the level, B and C of each kind of probes, U and U_ζ of ends, at heights over the top.

    C and U_ζ are times k0. images (n, 5), as `images_of` gives them: what the table of the first two leaves out. ends:
    two kernels each.
    """

    spectrum: Spectrum
    divided: Divided
    images: Floats
    level: EarthTable
    ends: list[EarthTable]

    @property
    def _powers(self) -> Floats:
        k = self.spectrum.wavenumber
        return np.array([1.0, 1.0, k, *[1.0, k] * len(self.ends)])

    def spectra(self, k: Complexes, zeta: float) -> Complexes:
        """All of them (kinds, ...), at transverse wavenumbers and a height, times k0."""
        seen, (u0, tm, te) = self.spectrum.above(k), self.spectrum.factors(k)
        both = (tm + te) / k**2
        lines = Spectrum(self.divided.stack, self.spectrum.frequency)
        probes = 2j * lines.ends_above(k, self.divided.every)
        found = np.concatenate([[-2j * seen[0], 2j * seen[2], 2j * seen[4]], probes, [both / u0, -both]])
        return np.asarray(self._powers[:, None] * found * np.exp(-u0 * zeta))

    def at(self, rho: Floats, height: float) -> Complexes:
        """All of them (kinds, ...), 1/m or 1/m², at distances and a height, m."""
        k = self.spectrum.wavenumber
        ends = [_looked_up(table, rho, height, 2) for table in self.ends]
        found = np.concatenate([_looked_up(self.level, rho, height, 3), *ends])
        for depth, vr, vi, sr, si in self.images:
            r = np.hypot(rho, height + depth)
            wave = np.exp(-1j * k * r) / r
            found[0] += complex(vr, vi) * wave
            found[1] += complex(sr, si) * wave
        return np.asarray(self._powers.reshape(-1, *[1] * np.ndim(rho)) * found)


@lru_cache(maxsize=4)
def upward(
    spectrum: Spectrum, divided: Divided, reach: float, cell: float, heights: tuple[float, float]
) -> Upward:  # fmt: skip
    """For distances up to a reach and heights between two, m; cell: the largest triangle, m."""
    # Under a cover the metal is seen through it, and nothing near is singular.
    images = np.zeros((0, 5)) if spectrum.stack.above else images_of(spectrum, 1.5 * cell)
    least = 0.01 * spectrum.wavenumber * min(x.thickness for x in spectrum.stack.layers)
    lines = Spectrum(divided.stack, spectrum.frequency)
    (level,), ends = (
        in_tables(
            kernels, lines, spectrum.wavenumber, (0.0, reach), heights, thread_count(), in_threads, least, each
        )
        for kernels, each in ((level_kernels(spectrum, images), 3), (end_kernels(lines, divided.every), 2))
    )  # fmt: skip
    return Upward(spectrum, divided, images, level, ends)
