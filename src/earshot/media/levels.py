"""Potentials between any two heights of a stack.

Layers are transmission lines for TM and TE (Michalski and Mosig 1997), of impedance u/jε and jµ/u, all lengths times k0
and impedances over that of free space. A unit shunt current at the source's height makes V_i and I_i along them, a unit
series voltage V_v and I_v, and by formulation C, one scalar kernel for all charges and u along k,

    G_xx = V_i^TE/j,   K = j (V_i^TM - V_i^TE)/k²,   G_zu = (I_i^TE - I_i^TM)/jk,
    G_zz = [(1/ε + 1/ε') I_v^TM + (I_v^TE - I_v^TM)/k²]/j.

Heights on a face belong to what is over it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Complexes
from ..errors import UsageError
from .sommerfeld import decay, faded_integrals, sommerfeld_integrals
from .spectral import Spectrum

Cut = tuple[float, float, complex, float]
"""Part of a layer: bottom (m), thickness times k0, ε and µ."""

_STEEP = 3.0
"""Distances over the height between, up to which the real axis is the path."""


@dataclass(frozen=True, slots=True)
class Lines:
    """What flows between two heights at transverse wavenumbers, of one kind of wave: V_i, I_i, V_v and I_v."""

    voltage: Complexes
    current: Complexes
    voltage_by_series: Complexes
    current_by_series: Complexes


@dataclass(frozen=True)
class Between:
    """A stack at one frequency, seen at a height from a source at another, metres; layers as they are cut by both."""

    spectrum: Spectrum
    height: float
    source: float

    def __post_init__(self) -> None:
        top = self.spectrum.stack.thickness
        for what, z in (("height", self.height), ("source", self.source)):
            if not 0.0 <= z <= top * (1.0 + 1e-12):
                raise UsageError(f"between levels: {what} {z:g} m is not in the layers, which are {top:g} m thick")

    @property
    def _cut(self) -> list[Cut]:
        """Layers from the bottom, so that both heights are faces."""
        k, found, bottom = self.spectrum.wavenumber, [], 0.0
        for layer in self.spectrum.stack.layers:
            made, top = layer.material, bottom + layer.thickness
            close = 1e-9 * self.spectrum.stack.thickness
            marks = sorted({z for z in (self.height, self.source) if bottom + close < z < top - close})
            for low, high in zip([bottom, *marks], [*marks, top], strict=True):
                found.append((low, (high - low) * k, made.complex_permittivity, made.permeability))
            bottom = top
        return found

    def _over(self, height: float) -> complex:
        """The permittivity of what a height is in, on a face of what is over it."""
        stack, bottom = self.spectrum.stack, 0.0
        for layer in stack.layers:
            bottom += layer.thickness
            if height < bottom - 1e-9 * stack.thickness:
                return layer.material.complex_permittivity
        return 1.0 + 0j

    def lines(self, k: Complexes, tm: bool) -> Lines:
        """Voltages and currents at the height, currents upwards, from a unit of either source; k (n,)."""
        layers, close = self._cut, 1e-9 * self.spectrum.stack.thickness
        split = sum(low < self.source - close for low, *_ in layers)
        over, under = layers[split:], layers[:split][::-1]
        air = decay(k, 1.0) / 1j if tm else 1j / decay(k, 1.0)
        bottom = np.full_like(k, self.spectrum.ground) if self.spectrum.stack.has_plane else air
        up, down = _seen(over, air, k, tm), _seen(under, bottom, k, tm)
        total = up + down
        if self.height == self.source:
            # The shunt's current leaves both ways, and the series voltage is above and below: their means.
            shunt = up * down / total
            return Lines(shunt, 0.5 * (down - up) / total, 0.5 * (up - down) / total, 1.0 / total)
        sense = 1.0 if self.height > self.source else -1.0
        parts, load = (over, air) if sense > 0.0 else (under, bottom)
        volts, amperes = self._along(parts, load, k, tm)
        # One volt at the source on that side becomes these; what is there of either source.
        shunt, series = up * down / total, sense * (up if sense > 0.0 else down) / total
        return Lines(shunt * volts, sense * shunt * amperes, series * volts, sense * series * amperes)

    def _along(self, parts: list[Cut], load: Complexes, k: Complexes, tm: bool) -> tuple[Complexes, Complexes]:
        """Voltage, and current away from the source, at the height, from one volt at the source on its side."""
        left = abs(self.height - self.source) * self.spectrum.wavenumber
        close = 1e-9 * left
        voltage, current = np.ones_like(k), np.ones_like(k)
        for n, (_, d, eps, mu) in enumerate(parts):
            if left <= close:
                break
            u, z = _line(k, eps, mu, tm)
            ahead = _seen(parts[n + 1 :], load, k, tm)
            turned, fading = (ahead - z) / (ahead + z), np.exp(-u * d)
            start = voltage / (1.0 + turned * fading**2)
            voltage, current = start * fading * (1.0 + turned), start * fading * (1.0 - turned) / z
            left -= d
        return voltage, current

    def spectra(self, k: Complexes) -> Complexes:
        """G_xx, K, G_zz for J0, and G_zx/cos φ for J1: (4, n), whose ∫ f J k dk are 4πG/µ0k0 and 4πε0K/k0."""
        tm, te = self.lines(k, True), self.lines(k, False)
        both = 1.0 / self._over(self.height) + 1.0 / self._over(self.source)
        upright = both * tm.current_by_series + (te.current_by_series - tm.current_by_series) / k**2
        potentials = -2j * te.voltage, 2j * (tm.voltage - te.voltage) / k**2
        return np.stack([*potentials, -2j * upright, -2.0 * (te.current - tm.current) / k])


def _line(k: Complexes, eps: complex, mu: float, tm: bool) -> tuple[Complexes, Complexes]:
    u = decay(k, eps * mu)
    return u, (u / (1j * eps) if tm else 1j * mu / u)


def _seen(layers: list[Cut], load: Complexes, k: Complexes, tm: bool) -> Complexes:
    """The impedance of layers, the nearest first, with a load behind."""
    found = load
    for _, d, eps, mu in reversed(layers):
        u, z = _line(k, eps, mu, tm)
        t = np.tanh(u * d)
        found = z * (found + z * t) / (z + found * t)
    return found


def between_levels(
    spectrum: Spectrum, height: float, source: float, rho: ArrayLike
) -> tuple[Complexes, Complexes, Complexes, Complexes]:
    """4πG_xx/µ0k0, 4πε0K/k0, 4πG_zz/µ0k0 and 4πG_zx/µ0k0 cos φ at distances (n,) > 0, metres; heights in metres.

    Raises UsageError for heights outside the layers, and distances that are not above zero.
    """
    far = np.atleast_1d(np.asarray(rho, float))
    if not (np.isfinite(far).all() and (far > 0.0).all()):
        raise UsageError("between levels: distances must be above zero")
    own, k0 = Between(spectrum, height, source), spectrum.wavenumber
    order = np.argsort(far)
    x, apart = far[order] * k0, abs(height - source) * k0
    ripple = 2.0 * (spectrum.stack.thickness + max(height, source)) * k0
    found = np.empty((4, len(x)), np.complex128)
    steep = x <= _STEEP * apart
    for some, by in ((steep, True), (~steep, False)):
        if not some.any():
            continue
        for bessel, rows in ((0, slice(0, 3)), (1, slice(3, 4))):

            def f(k: Complexes, rows: slice = rows) -> Complexes:
                return own.spectra(k)[rows]

            if by:
                deep = apart + 2.0 * spectrum.stack.thickness * k0
                found[rows, some] = faded_integrals(f, x[some], spectrum.slowest + 0.5, apart, deep, bessel)
            else:
                found[rows, some] = sommerfeld_integrals(f, x[some], spectrum.slowest + 0.5, ripple, bessel)
    back = np.empty_like(found)
    back[:, order] = found
    return back[0], back[1], back[2], back[3]
