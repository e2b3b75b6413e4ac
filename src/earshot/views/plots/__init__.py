"""Figures of results. Every function takes results and gives a Matplotlib `Figure`, ready for `savefig`."""

from .bands import impedance, return_loss, vswr
from .cuts import cartesian, polar
from .near import figures, near
from .solids import currents, pattern

__all__ = ["cartesian", "currents", "figures", "impedance", "near", "pattern", "polar", "return_loss", "vswr"]
