"""Arrays: where the elements are, what they are, what they are fed with, and the beam that makes."""

from .array import Array, direction
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
    read_layout,
    ring,
    rings,
    scattered,
    thinned,
)
from .sums import array_factor
from .tapers import line_taper, round_taper, tapers
from .weights import Weights, read_weights

__all__ = [
    "Array",
    "Element",
    "Lattice",
    "Layout",
    "Weights",
    "arc",
    "array_factor",
    "cosine",
    "cylinder",
    "direction",
    "facing_turns",
    "grid",
    "half_wave_dipole",
    "hexagon",
    "isotropic",
    "line",
    "line_taper",
    "read_layout",
    "read_weights",
    "ring",
    "rings",
    "round_taper",
    "scattered",
    "solved_element",
    "tabulated",
    "tapers",
    "thinned",
    "two_slots",
]
