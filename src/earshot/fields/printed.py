"""What currents on a stack send into the air, and into the surface waves of its layers.

vectors: ∫ J e^{jk·r'} over the currents on the metal, and as third component the probes' currents over k0.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE
from ..media.modes import surface_waves
from ..media.spectral import Spectrum
from ..media.stack import Stack

if TYPE_CHECKING:
    from .currents import Currents


def printed_field(
    stack: Stack, frequency: float, vectors: Complexes, theta: Floats, phi: Floats
) -> tuple[Complexes, Complexes]:
    """(E_θ, E_φ) times r e^{jkr}, volts, from vectors (n, 3) at angles (n,); zero below the plane.

    The tangential field over the top of the stack, a plane wave for each direction, radiates as from an aperture:
    E_θ = jk/2π E_ρ, E_φ = jk/2π cos θ E_φ' (Balanis 2016, eq. 12-10 with the equivalent current doubled).
    """
    spectrum = Spectrum(stack, frequency)
    sine, cosine = np.sin(theta), np.cos(theta)
    up = cosine > 1e-12
    turned: Floats = np.round(sine, 12).astype(float)
    unique, back = np.unique(turned, return_inverse=True)
    tm, te, probe = (x[back] for x in spectrum.into_air(unique))
    along = vectors[:, 0] * np.cos(phi) + vectors[:, 1] * np.sin(phi)
    across = vectors[:, 1] * np.cos(phi) - vectors[:, 0] * np.sin(phi)
    scale = 1j * spectrum.wavenumber / (2.0 * math.pi) * WAVE_IMPEDANCE * up
    # Vectors hold the height of the metal in their phase; the field leaves from the top.
    scale = scale * np.exp(1j * spectrum.wavenumber * (stack.thickness - stack.level) * cosine)
    return scale * (probe * vectors[:, 2] - tm * along), -scale * cosine * te * across


def guided_powers(stack: Stack, currents: Currents) -> list[tuple[str, float]]:
    """Power in every surface wave, W, by name.

    From the residues of the stack without loss: ½ η0 k0² k/4π ∫ (a |N|² + c |I|² + 2b Im N I*) dφ, with the residues ja
    of a horizontal current, b of a probe, -jc of a probe with itself, and N, I the radiation vector at that wavenumber.
    In the air the wave falls as e^{-u0 ζ} from its strength at the topmost face; its upright field is jk/u0 times that
    along the layers.
    """
    spectrum = Spectrum(stack.lossless, currents.frequency)
    waves, found = surface_waves(spectrum), []
    middle, size = currents.middle, currents.breadth / currents.wavenumber
    for wave in waves:
        k = wave.index.real * spectrum.wavenumber
        phi = 2.0 * math.pi * np.arange(4 * math.ceil(k * size) + 24) / (4 * math.ceil(k * size) + 24)
        sums = np.zeros((len(phi), 3), np.complex128)
        if currents.on_layers is not None:
            radiator = currents.on_layers.printed_radiator
            sums += _along(radiator.points - middle, radiator.moments, k, phi)
        if currents.in_air is not None:
            decay = math.sqrt(wave.index.real**2 - 1.0)
            points, moments = currents.in_air.as_moments
            strength = spectrum.at_top(wave.index, wave.tm) * np.exp(
                -decay * spectrum.wavenumber * (points[:, 2] - stack.thickness)
            )
            seen = _along(points - middle, moments * strength[:, None], k, phi)
            sums[:, :2] += seen[:, :2]
            if wave.tm:
                upright = 1j * wave.index.real / decay * seen[:, 2]
                sums[:, 0] += upright * np.cos(phi)
                sums[:, 1] += upright * np.sin(phi)
        if wave.tm:
            flow = sums[:, 0] * np.cos(phi) + sums[:, 1] * np.sin(phi)
        else:
            flow = sums[:, 1] * np.cos(phi) - sums[:, 0] * np.sin(phi)
        taken = (
            wave.level.imag * np.abs(flow) ** 2
            - wave.alone.imag * np.abs(sums[:, 2]) ** 2
            + 2.0 * wave.probe.real * (flow * sums[:, 2].conj()).imag
        )
        scale = WAVE_IMPEDANCE * spectrum.wavenumber**2 * wave.index.real / (8.0 * math.pi)
        found.append((f"surface wave {wave.name}", float(scale * 2.0 * math.pi * taken.mean())))
    return found


def _along(points: Floats, moments: Complexes, k: float, phi: Floats) -> Complexes:
    """∫ J e^{jk·r'} (n, 3) at a wavenumber along the layers."""
    from ..kernels.radiation import moment_vectors

    directions = np.stack([np.cos(phi), np.sin(phi), np.zeros_like(phi)], axis=1)
    out = np.zeros((len(phi), 3), np.complex128)
    columns = np.ascontiguousarray(points.T)
    parts = np.ascontiguousarray(np.concatenate([moments.real, moments.imag], axis=1).T)
    moment_vectors(columns, parts, k, directions, out)
    return out
