"""Waves that a medium guides along an array."""

from __future__ import annotations

from ..media.modes import SurfaceWave, surface_waves
from ..media.spectral import Spectrum
from ..media.surroundings import Medium


def guided_by(medium: Medium, frequency: float) -> tuple[SurfaceWave, ...]:
    """Surface waves of a medium at a frequency, Hz; none without layers."""
    stack = medium.stack
    return () if stack is None else surface_waves(Spectrum(stack, frequency))
