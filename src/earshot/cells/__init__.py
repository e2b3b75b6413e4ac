"""Arrays without end: an antenna repeated on a lattice, at any scan; screens and reflecting cells."""

from ..lattice import Lattice, rectangular, skewed, triangular
from .blind import blind, lobes
from .cell import Cell, check_cell
from .directions import disk, towards, zone
from .panel import Beside, Couplings, beside, couplings, element_among_likes, pattern_among_likes
from .scan import CellScan, planes, scan, scan_band, scan_cut, scan_line
from .surface import Surface, illuminate
from .waves import Fed

__all__ = [
    "Beside",
    "Cell",
    "CellScan",
    "Couplings",
    "Fed",
    "Lattice",
    "Surface",
    "beside",
    "blind",
    "check_cell",
    "couplings",
    "disk",
    "element_among_likes",
    "illuminate",
    "lobes",
    "pattern_among_likes",
    "planes",
    "rectangular",
    "scan",
    "scan_band",
    "scan_cut",
    "scan_line",
    "skewed",
    "towards",
    "triangular",
    "zone",
]
