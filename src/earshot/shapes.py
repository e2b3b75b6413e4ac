"""Shapes of sheets, and paths of wires."""

from .description.paths import circle_points, helix_points
from .description.surfaces import (
    Surface,
    annulus,
    box,
    cone,
    cylinder,
    disk,
    paraboloid,
    plate,
    polygon,
    sphere,
    triangles,
)
from .description.traces import meander_points, mitre, trace

__all__ = [
    "Surface",
    "annulus",
    "box",
    "circle_points",
    "cone",
    "cylinder",
    "disk",
    "helix_points",
    "meander_points",
    "mitre",
    "paraboloid",
    "plate",
    "polygon",
    "sphere",
    "trace",
    "triangles",
]
