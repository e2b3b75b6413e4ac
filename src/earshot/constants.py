"""Physical constants (CODATA 2018), SI."""

from math import pi, sqrt

SPEED_OF_LIGHT = 299_792_458.0
"""c, m/s (exact)."""
MAGNETIC_CONSTANT = 1.256_637_062_12e-6
"""µ0, H/m."""
ELECTRIC_CONSTANT = 1.0 / (MAGNETIC_CONSTANT * SPEED_OF_LIGHT**2)
"""ε0, F/m."""
WAVE_IMPEDANCE = sqrt(MAGNETIC_CONSTANT / ELECTRIC_CONSTANT)
"""η0 = √(µ0/ε0), ohm."""


def wavenumber(frequency: float) -> float:
    """Free-space wavenumber 2πf/c in rad/m for a frequency in Hz.

    >>> round(wavenumber(299_792_458.0), 6)
    6.283185
    """
    return 2.0 * pi * frequency / SPEED_OF_LIGHT


def wavelength(frequency: float) -> float:
    """Free-space wavelength c/f in metres for a frequency in Hz."""
    return SPEED_OF_LIGHT / frequency
