"""From the antenna to the place: terrain, what is built, stations, paths and rays between them, coverage."""

from ..media.walls import BUILDING_MATERIALS, Matter, Wall
from .coverage import Coverage, coverage
from .path import Path, path
from .place import Place, read_place
from .rays import Rays, gain_in_scene, rays
from .scene import Body, Scene, building, buildings, screen, solid
from .scene_map import Area, scene_coverage
from .stations import Station
from .terrain import Profile, Terrain, flat, made_up, read_terrain
from .varying import vary_path, vary_rays

__all__ = [
    "BUILDING_MATERIALS",
    "Area",
    "Body",
    "Coverage",
    "Matter",
    "Path",
    "Place",
    "Profile",
    "Rays",
    "Scene",
    "Station",
    "Terrain",
    "Wall",
    "building",
    "buildings",
    "coverage",
    "flat",
    "gain_in_scene",
    "made_up",
    "path",
    "rays",
    "read_place",
    "read_terrain",
    "scene_coverage",
    "screen",
    "solid",
    "vary_path",
    "vary_rays",
]
