"""Figures of results. Every function takes results and gives a Matplotlib `Figure`, ready for `savefig`."""

from .bands import impedance, return_loss, vswr
from .cuts import cartesian, polar
from .solids import currents, pattern

__all__ = ["cartesian", "currents", "impedance", "pattern", "polar", "return_loss", "vswr"]
