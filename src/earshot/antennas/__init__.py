"""Ready-made antennas: a design from a frequency alone, every dimension named, with its range and a note.

Each takes the frequency, perhaps how many elements or radials, and values to change: `yagi("150 MHz", elements=5,
rod="8 mm")`. What they give can be changed, solved and written like any other design: `write(design, "beam.toml")`.
"""

from .beams import log_periodic, quad, stepped_yagi, yagi
from .boards import board_dipole, covered_patch, slot_patch, stacked_patch, stripline_slot
from .flares import discone, horn, sleeve_dipole, waveguide
from .loops import circular_loop, delta_loop, helix, square_loop
from .panels import corporate_panel, series_panel, series_row
from .patches import disk_patch, inset_patch, patch
from .plates import bow_tie, corner_reflector, plane_reflector, plate_monopole
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
    "board_dipole",
    "bow_tie",
    "circular_loop",
    "corner_reflector",
    "corporate_panel",
    "covered_patch",
    "delta_loop",
    "dipole",
    "discone",
    "disk_patch",
    "end_fed",
    "folded_dipole",
    "helix",
    "horn",
    "inset_patch",
    "inverted_v",
    "log_periodic",
    "monopole",
    "off_centre",
    "open_sleeve",
    "patch",
    "plane_reflector",
    "plate_monopole",
    "quad",
    "series_panel",
    "series_row",
    "sleeve_dipole",
    "slot_patch",
    "square_loop",
    "stacked_patch",
    "stepped_yagi",
    "stripline_slot",
    "turnstile",
    "waveguide",
    "yagi",
]
