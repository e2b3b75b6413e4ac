"""What currents on a stack send into the air, and into the surface waves of its layers.

vectors: ∫ J e^{jk·r'} over the currents on the metal, and as third component the probes' currents over k0.
"""

from __future__ import annotations

import math

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE
from ..media.modes import surface_waves
from ..media.spectral import Spectrum
from ..media.stack import Stack


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
    scale = scale * np.exp(1j * spectrum.wavenumber * (stack.height - stack.level) * cosine)
    return scale * (probe * vectors[:, 2] - tm * along), -scale * cosine * te * across


def guided_powers(stack: Stack, frequency: float, points: Floats, moments: Complexes) -> list[tuple[str, float]]:
    """Power in every surface wave, W, by name, from current moments (n, 3) at points (n, 3).

    From the residues of the stack without loss: ½ η0 k0² k/4π ∫ (a |N|² + c |I|² + 2b Im N I*) dφ, with the residues ja
    of a horizontal current, b of a probe, -jc of a probe with itself, and N, I the radiation vector at that wavenumber.
    """
    from ..kernels.radiation import moment_vectors

    spectrum = Spectrum(stack.lossless, frequency)
    size = float(np.linalg.norm(points, axis=1).max())
    found = []
    for wave in surface_waves(spectrum):
        k = wave.index.real * spectrum.wavenumber
        count = 4 * math.ceil(k * size) + 24
        phi = 2.0 * math.pi * np.arange(count) / count
        directions = np.stack([np.cos(phi), np.sin(phi), np.zeros(count)], axis=1)
        out = np.zeros((count, 3), np.complex128)
        columns = np.ascontiguousarray(points.T)
        moment_vectors(columns, np.ascontiguousarray(np.concatenate([moments.real, moments.imag], axis=1).T), k,
                       directions, out)  # fmt: skip
        if wave.tm:
            flow = out[:, 0] * np.cos(phi) + out[:, 1] * np.sin(phi)
        else:
            flow = out[:, 1] * np.cos(phi) - out[:, 0] * np.sin(phi)
        seen = (
            wave.level.imag * np.abs(flow) ** 2
            - wave.alone.imag * np.abs(out[:, 2]) ** 2
            + 2.0 * wave.probe.real * (flow * out[:, 2].conj()).imag
        )
        scale = WAVE_IMPEDANCE * spectrum.wavenumber**2 * wave.index.real / (8.0 * math.pi)
        found.append((f"surface wave {wave.name}", float(scale * 2.0 * math.pi * seen.mean())))
    return found
