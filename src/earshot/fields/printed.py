"""What currents on a stack send into the air, and into the surface waves of its layers.

vectors: ∫ J e^{jk·r'} over the currents on the metal, seen from its height, and as third component the probes' currents
over k0.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE
from ..media.modes import SurfaceWave, surface_waves
from ..media.spectral import Spectrum
from ..media.stack import Stack

if TYPE_CHECKING:
    from .currents import Currents


def printed_field(
    stack: Stack, frequency: float, vectors: Complexes, theta: Floats, phi: Floats
) -> tuple[Complexes, Complexes]:
    """(E_θ, E_φ) times r e^{jkr}, volts, from vectors (n, 3) at angles (n,), r from the top; zero below the plane.

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
    return scale * (probe * vectors[:, 2] - tm * along), -scale * cosine * te * across


def opening_field(
    stack: Stack, frequency: float, vectors: Complexes, theta: Floats, phi: Floats
) -> tuple[Complexes, Complexes]:
    """The same of openings in the plane, from ∫ E0 e^{jk·r'} (n, 3) over the fields across them."""
    spectrum = Spectrum(stack, frequency)
    sine, cosine = np.sin(theta), np.cos(theta)
    turned: Floats = np.round(sine, 12).astype(float)
    unique, back = np.unique(turned, return_inverse=True)
    tm, te = (x[back] for x in spectrum.from_opening(unique))
    scale = 1j * spectrum.wavenumber / (2.0 * math.pi) * (cosine > 1e-12)
    scale = scale * np.exp(1j * spectrum.wavenumber * stack.thickness * cosine)
    along = vectors[:, 0] * np.cos(phi) + vectors[:, 1] * np.sin(phi)
    across = vectors[:, 1] * np.cos(phi) - vectors[:, 0] * np.sin(phi)
    return scale * tm * along, scale * cosine * te * across


def guided_powers(stack: Stack, currents: Currents) -> list[tuple[str, float]]:
    """Power in every surface wave, W, by name.

    From the residues of the stack without loss: ½ η0 k0² k/4π ∫ |Σ a N + j b I|² dφ over all levels, with the residues
    ja² of a horizontal current, ab of a probe, -jb² of a probe with itself, and N, I the radiation vector at that
    wavenumber; a has the sign that the wave's voltage has on the level. An opening adds jc times that of its
    field, with the residue jc² of the current that one volt there makes flow.
    """
    plain = stack.lossless
    waves, found = surface_waves(Spectrum(plain, currents.frequency)), []
    middle, size = currents.middle, currents.breadth / currents.wavenumber
    levels = [(level, Spectrum(level.stack.lossless, currents.frequency)) for level in currents.on_levels]
    for number, wave in enumerate(waves):
        k = wave.index.real * currents.wavenumber
        phi = 2.0 * math.pi * np.arange(4 * math.ceil(k * size) + 24) / (4 * math.ceil(k * size) + 24)
        sent = np.zeros(len(phi), np.complex128)
        for level, spectrum in levels:
            along, probe = _strengths(spectrum, surface_waves(spectrum)[number])
            sums = _along(level.radiator.points - middle, level.radiator.moments, k, phi)
            sent += along * _flow(sums, wave.tm, phi) + 1j * probe * sums[:, 2]
        places, moments = currents.opening_moments
        if len(places):
            sums = _along(places - middle, moments, k, phi)
            sent += 1j * math.sqrt(max(wave.across.imag, 0.0)) / WAVE_IMPEDANCE * _flow(sums, wave.tm, phi)
        if currents.in_air is not None:
            spectrum = Spectrum(plain, currents.frequency)
            along, _ = _strengths(spectrum, wave)
            sent += along * _from_air(stack.thickness, spectrum, currents.in_air, wave, middle, phi)
        scale = WAVE_IMPEDANCE * currents.wavenumber**2 * wave.index.real / (8.0 * math.pi)
        kind = "parallel-plate wave" if stack.lid else "surface wave"
        found.append((f"{kind} {wave.name}", float(scale * 2.0 * math.pi * (np.abs(sent) ** 2).mean())))
    return found


def _strengths(spectrum: Spectrum, wave: SurfaceWave) -> tuple[float, float]:
    """a and b of a wave at the metal: its voltage there, and along a probe.

    Signs are those of one wave on all levels: on a plane as openings in it make them, on an open board as at the top.
    """
    along, probe = math.sqrt(max(wave.level.imag, 0.0)), math.sqrt(max(-wave.alone.imag, 0.0))
    if spectrum.stack.has_plane:
        return math.copysign(along, wave.opening.real), math.copysign(probe, wave.below.imag)
    along = math.copysign(along, spectrum.at_top(wave.index, wave.tm).real)
    return along, math.copysign(probe, wave.probe.real * along)


def _flow(sums: Complexes, tm: bool, phi: Floats) -> Complexes:
    """Of radiation vectors (n, 3) what is along the way a wave runs, or across it."""
    if tm:
        return np.asarray(sums[:, 0] * np.cos(phi) + sums[:, 1] * np.sin(phi))
    return np.asarray(sums[:, 1] * np.cos(phi) - sums[:, 0] * np.sin(phi))


def _from_air(
    top: float, spectrum: Spectrum, currents: Currents, wave: SurfaceWave, middle: Floats, phi: Floats
) -> Complexes:
    """What currents over layers send into a wave, as if they were on the metal.

    There the wave falls as e^{-u0 ζ} from its strength at the topmost face; its upright field is jk/u0 times that along
    the layers.
    """
    decay, k = math.sqrt(wave.index.real**2 - 1.0), wave.index.real * spectrum.wavenumber
    points, moments = currents.as_moments
    strength = spectrum.at_top(wave.index, wave.tm) * np.exp(-decay * spectrum.wavenumber * (points[:, 2] - top))
    seen = _along(points - middle, moments * strength[:, None], k, phi)
    upright = 1j * wave.index.real / decay * seen[:, 2] if wave.tm else 0.0
    return _flow(seen, wave.tm, phi) + upright


def _along(points: Floats, moments: Complexes, k: float, phi: Floats) -> Complexes:
    """∫ J e^{jk·r'} (n, 3) at a wavenumber along the layers."""
    from ..kernels.radiation import moment_vectors

    directions = np.stack([np.cos(phi), np.sin(phi), np.zeros_like(phi)], axis=1)
    out = np.zeros((len(phi), 3), np.complex128)
    columns = np.ascontiguousarray(points.T)
    parts = np.ascontiguousarray(np.concatenate([moments.real, moments.imag], axis=1).T)
    moment_vectors(columns, parts, k, directions, out)
    return out
