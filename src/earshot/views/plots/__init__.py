"""Figures of results. Every function takes results and gives a Matplotlib `Figure`, ready for `savefig`."""

from .against import against, numbers, over_two
from .bands import impedance, return_loss, scattering, vswr
from .beams import beam_map, coupling, envelope, layout, link, scan
from .beside import beside
from .cells import cell_band, cell_beside, cell_map, cell_scan, cell_surface
from .circuit import circuit, power
from .cuts import MOST_SMALL, cartesian, multiples, polar
from .geometry import geometry
from .near import along, figures, near
from .places import coverage, coverage_change, profile
from .scenes import impulse, rays, scene_pattern
from .searches import fitted, front, history
from .section import section
from .smith import smith
from .solids import currents, pattern
from .sphere import sphere
from .surfaces import surface_currents, write_animation

__all__ = [
    "MOST_SMALL",
    "against",
    "along",
    "beam_map",
    "beside",
    "cartesian",
    "cell_band",
    "cell_beside",
    "cell_map",
    "cell_scan",
    "cell_surface",
    "circuit",
    "coupling",
    "coverage",
    "coverage_change",
    "currents",
    "envelope",
    "figures",
    "fitted",
    "front",
    "geometry",
    "history",
    "impedance",
    "impulse",
    "layout",
    "link",
    "multiples",
    "near",
    "numbers",
    "over_two",
    "pattern",
    "polar",
    "power",
    "profile",
    "rays",
    "return_loss",
    "scan",
    "scattering",
    "scene_pattern",
    "section",
    "smith",
    "sphere",
    "surface_currents",
    "vswr",
    "write_animation",
]
