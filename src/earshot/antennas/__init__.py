"""Ready-made antennas: a design from a frequency alone, every dimension named, with its range and a note.

Each takes the frequency, perhaps how many elements or radials, and values to change: `yagi("150 MHz", elements=5,
rod="8 mm")`. What they give can be changed, solved and written like any other design: `write(design, "beam.toml")`.
"""

from .beams import log_periodic, quad, stepped_yagi, yagi
from .loops import circular_loop, delta_loop, helix, square_loop
from .rods import (
    dipole,
    end_fed,
    folded_dipole,
    inverted_v,
    monopole,
    off_centre,
    open_sleeve,
    turnstile,
)

__all__ = [
    "circular_loop",
    "delta_loop",
    "dipole",
    "end_fed",
    "folded_dipole",
    "helix",
    "inverted_v",
    "log_periodic",
    "monopole",
    "off_centre",
    "open_sleeve",
    "quad",
    "square_loop",
    "stepped_yagi",
    "turnstile",
    "yagi",
]
