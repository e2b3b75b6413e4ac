"""What couples currents in the air over a stack to metal on its level and to probes under it.

Potentials by formulation C (Michalski and Mosig 1997), as in `Spectrum.kernels`, but at any height ζ over the topmost
face. A current J of divergence D on the metal meets a wire of direction t there with

    E·t = -jη/4π {A J·t_h + d(B D)/ds + C D t_z},

all lengths times k0: see `Spectrum.above`. For currents in the air themselves the charges of `half_space` have one
kernel, without the part U. Where such a current goes on into metal or a probe, the charge a that its half leaves there
brings

    {U a' q + U_ζ a' I t_z}

to every charge q and upright current of others, so that both ways of counting agree.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from ..arraytypes import Complexes, Floats
from .half_space import Below, integrated
from .sommerfeld import decay
from .spectral import Spectrum
from .sweep import Upright

Kernels = Callable[[Floats, Floats], Complexes]


def _of(spectrum: Spectrum, spectra: Callable[[Complexes], Complexes]) -> Kernels:
    """Integrals with J0 of spectra, as functions of distances and heights."""

    def both(k: Complexes, _: Complexes | None) -> tuple[Complexes, Complexes, Complexes]:
        return decay(k, 1.0), spectra(k), np.zeros((0, len(k)), np.complex128)

    return lambda rho, zeta: integrated(spectrum, both, rho, zeta)[0]


def level_kernels(spectrum: Spectrum, images: Floats) -> Kernels:
    """A and B, less the waves of images (n, 5) of `images_of`, and C: functions of distances and heights, times k0."""

    def spectra(k: Complexes) -> Complexes:
        seen, u0 = spectrum.above(k), decay(k, 1.0)
        found = np.stack([-2j * seen[0], 2j * seen[2], 2j * seen[4]])
        for depth, vr, vi, sr, si in images:
            fading = np.exp(-u0 * depth * spectrum.wavenumber) / u0
            found[0] -= complex(vr, vi) * fading
            found[1] -= complex(sr, si) * fading
        return found

    return _of(spectrum, spectra)


def spectra_of(below: Below, k: Complexes, zeta: float) -> Complexes:
    """GA, Gv and U (3, ...) of `half_space` at transverse wavenumbers and a sum of heights, all times k0."""
    u0, tm, te = below.factors(k)
    return np.stack([te, tm, (te + tm) / k**2]) / u0 * np.exp(-u0 * zeta)


def end_kernels(spectrum: Spectrum, uprights: Sequence[Upright]) -> Kernels:
    """B and C of several probes with their ends, then U and U_ζ: functions of distances and heights, times k0."""

    def spectra(k: Complexes) -> Complexes:
        u0, tm, te = spectrum.factors(k)
        both = (tm + te) / k**2
        return np.concatenate([2j * spectrum.ends_above(k, uprights), [both / u0, -both]])

    return _of(spectrum, spectra)
