"""From the antenna to the place: terrain, stations, the path between two of them."""

from .coverage import Coverage, coverage
from .path import Path, path
from .place import Place, read_place
from .stations import Station
from .terrain import Profile, Terrain, flat, made_up, read_terrain
from .varying import vary_path

__all__ = [
    "Coverage",
    "Path",
    "Place",
    "Profile",
    "Station",
    "Terrain",
    "coverage",
    "flat",
    "made_up",
    "path",
    "read_place",
    "read_terrain",
    "vary_path",
]
