"""Layers: their surface waves, lines on and in them, where to begin with a patch, potentials, what they send back."""

from .media.both_sides import BothSides
from .media.coupled_strips import CoupledStrips, Strip, coupled_strips
from .media.earth_table import EarthTable, earth_table
from .media.half_space import Reflection, reflection
from .media.kernel_table import KernelTable, kernel_table, level_tables
from .media.leaky import LeakyWave, leaky_waves
from .media.levels import between_levels
from .media.modes import SurfaceWave, surface_waves
from .media.opening_table import ThroughOpening, opening_table, through_openings
from .media.patch_start import PatchStart, disk_start, patch_start
from .media.sommerfeld import sommerfeld_integrals
from .media.spectral import Spectrum
from .media.strip_line import StripLine, strip_line, strip_width
from .media.strip_waves import StripWaves, strip_waves

__all__ = [
    "BothSides",
    "CoupledStrips",
    "EarthTable",
    "KernelTable",
    "LeakyWave",
    "PatchStart",
    "Reflection",
    "Spectrum",
    "Strip",
    "StripLine",
    "StripWaves",
    "SurfaceWave",
    "ThroughOpening",
    "between_levels",
    "coupled_strips",
    "disk_start",
    "earth_table",
    "kernel_table",
    "leaky_waves",
    "level_tables",
    "opening_table",
    "patch_start",
    "reflection",
    "sommerfeld_integrals",
    "strip_line",
    "strip_waves",
    "strip_width",
    "surface_waves",
    "through_openings",
]
