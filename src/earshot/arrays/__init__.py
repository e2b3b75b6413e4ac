"""Arrays: where the elements are, what they are, what they are fed with, and the beam that makes."""

from .array import Array, direction
from .chain import Chain, link_figures
from .elements import Element, cosine, half_wave_dipole, isotropic, solved_element, tabulated, two_slots
from .layouts import (
    Lattice,
    Layout,
    arc,
    cylinder,
    facing_turns,
    grid,
    hexagon,
    line,
    ring,
    rings,
    scattered,
    thinned,
)
from .measures import beam_figures, grating_lobes, isotropic_directivity
from .solved import SolvedArray, port_places, repeated
from .sums import array_factor
from .synthesis import under_mask
from .tapers import line_taper, round_taper, tapers
from .trials import Errors, Trials, trials
from .weights import Weights

__all__ = [
    "Array",
    "Chain",
    "Element",
    "Errors",
    "Lattice",
    "Layout",
    "SolvedArray",
    "Trials",
    "Weights",
    "arc",
    "array_factor",
    "beam_figures",
    "cosine",
    "cylinder",
    "direction",
    "facing_turns",
    "grating_lobes",
    "grid",
    "half_wave_dipole",
    "hexagon",
    "isotropic",
    "isotropic_directivity",
    "line",
    "line_taper",
    "link_figures",
    "port_places",
    "repeated",
    "ring",
    "rings",
    "round_taper",
    "scattered",
    "solved_element",
    "tabulated",
    "tapers",
    "thinned",
    "trials",
    "two_slots",
    "under_mask",
]
