"""Layers: their surface waves, lines printed on them, where to begin with a patch, and what they send back."""

from .media.earth_table import EarthTable, earth_table
from .media.half_space import Reflection, reflection
from .media.kernel_table import KernelTable, kernel_table
from .media.modes import SurfaceWave, surface_waves
from .media.patch_start import PatchStart, disk_start, patch_start
from .media.sommerfeld import sommerfeld_integrals
from .media.spectral import Spectrum
from .media.strip_line import StripLine, strip_line, strip_width

__all__ = [
    "EarthTable",
    "KernelTable",
    "PatchStart",
    "Reflection",
    "Spectrum",
    "StripLine",
    "SurfaceWave",
    "disk_start",
    "earth_table",
    "kernel_table",
    "patch_start",
    "reflection",
    "sommerfeld_integrals",
    "strip_line",
    "strip_width",
    "surface_waves",
]
