"""Arrays without end: an antenna repeated on a lattice, at any scan; screens and reflecting cells."""

from ..lattice import Lattice, rectangular, skewed, triangular
from .cell import Cell, check_cell
from .directions import disk, towards, zone
from .scan import CellScan, scan, scan_band, scan_cut, scan_line
from .waves import Fed

__all__ = [
    "Cell",
    "CellScan",
    "Fed",
    "Lattice",
    "check_cell",
    "disk",
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
