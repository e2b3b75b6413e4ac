"""What currents in the air over a stack do at one height in its layers: kernels for any height of the currents.

Of a horizontal current J at a height ζ over the topmost face there goes down what one on that face sends, times
e^{-u0 ζ}; of an upright one K, with v = ∇·J + K' its charge, lengths times k0, the horizontal divergence is v - u0 K,
and what it sends by itself is the TM wave of a divergence k² K/u0. So, with a, a', b, c and d of `Spectrum.above` at
the height,

    E_t = -a J + ∇(b v + (a + b) K/u0),  E_z = -c (v + K/u0),
    η0 H_t = -j ẑ × (-a' J + ∇(d v + (a' + d) K/u0)),  η0 H_z = -j ẑ·(∇a × J).

Ends of wires on the layers leave no charge there: what goes on from them takes it along.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..arraytypes import Complexes, Floats
from .half_space import integrated
from .sommerfeld import decay
from .spectral import Spectrum

KINDS = 9
"""Kernels at a height, in the order in which `EarthTable` scales them: a, c/u0, then of (a + b)/u0 and d the slope by ρ
over ρ, slopes of b and, over µ, of a, then a', c, and of (a' + d)/u0 the slope over ρ.
"""


def kernels_into(spectrum: Spectrum, height: float) -> Callable[[Floats, Floats], Complexes]:
    """Functions (KINDS, places) of distances and heights over the layers, times k0, at a height in them, m."""
    stack, number = spectrum.stack.cut(height)
    lines, top = Spectrum(stack, spectrum.frequency), len(stack.layers)
    matter = stack.layers[number].material if number < top else None
    over, mu = (matter.complex_permittivity, matter.permeability) if matter else (1.0 + 0j, 1.0)
    deep = (stack.thickness - stack.faces[number]) * spectrum.wavenumber

    def spectra(k: Complexes, _: Complexes | None) -> tuple[Complexes, Complexes, Complexes]:
        sweep, u0 = lines.sweep(k), decay(k, 1.0)
        (tm, tm_on), (te, te_on) = (sweep.seen_at(top, number, kind) for kind in (True, False))
        a, on, b, c, d = te, 1j * te_on, (tm - te) / k**2, tm_on / (1j * over), 1j * (tm_on - te_on) / k**2
        return u0, np.stack([a, c / u0, on, c]), k * np.stack([b, a, (a + b) / u0, d, (on + d) / u0])

    def found(rho: Floats, zeta: Floats) -> Complexes:
        out = np.empty((KINDS, len(rho)), np.complex128)
        near = rho < 3.0 * (zeta + deep)
        for chosen, fades in ((near, deep), (~near, 0.0)):
            if chosen.any():
                zero, one = integrated(spectrum, spectra, rho[chosen], zeta[chosen], fades)
                slopes, by = -one, rho[chosen]
                out[:, chosen] = np.stack([
                    zero[0], zero[1], slopes[2] / by, slopes[3] / by, slopes[0], slopes[1] / mu, zero[2],
                    zero[3], slopes[4] / by,
                ])  # fmt: skip
        return out

    return found
