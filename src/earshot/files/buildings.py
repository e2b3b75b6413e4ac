"""What is built, from files: footprints with heights (GeoJSON, RFC 7946), and meshes (OBJ, STL, GLTF, GLB)."""

from __future__ import annotations

import io
import json
import math
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from ..arraytypes import Floats
from ..errors import UsageError
from .reading import MEGABYTE, read_bytes

_LARGEST = 64 * MEGABYTE
_MESHES = (".obj", ".stl", ".gltf", ".glb")
_UP_IS_Y = (".gltf", ".glb")
"""Of these y is up, by their standard (glTF 2.0, sec. 3.4)."""
Corners = Sequence[tuple[float, float]]
Placed = Callable[[float, float], tuple[float, float]]
"""(x, y), m, of a latitude and a longitude."""


class Footprint(NamedTuple):
    """corners and holes (x, y), m; height, m; material and thickness, m, where it has some of its own."""

    name: str
    corners: Corners
    holes: tuple[Corners, ...]
    height: float
    material: str | None = None
    thickness: float | None = None


class Mesh(NamedTuple):
    """faces: normal (3,) and sides (m, 2, 3) of each flat part; gaps: sides of one face only, and where one is."""

    faces: list[tuple[Floats, Floats]]
    gaps: int
    gap: Floats


def read_footprints(path: str | Path, placed: Placed | None = None) -> list[Footprint]:
    """Polygons of a feature collection with a `height` in m, and if wanted `name`, `material` and `thickness` in m.

    placed: turns latitude and longitude into metres; without it coordinates are metres. Raises UsageError, naming the
    feature, for what is none of that.
    """
    place = Path(path)
    try:
        content = json.loads(read_bytes(place, _LARGEST))
    except (ValueError, RecursionError):
        raise UsageError(f"'{place.name}' is not JSON") from None
    features = content.get("features") if isinstance(content, dict) else None
    if not isinstance(features, list) or not features:
        raise UsageError(f"'{place.name}' is no GeoJSON collection of features: a 'FeatureCollection' is asked for")
    found: list[Footprint] = []
    for number, feature in enumerate(features, 1):
        given = feature if isinstance(feature, dict) else {}
        own, shape = ({} if not isinstance(given.get(key), dict) else given[key] for key in ("properties", "geometry"))
        name = str(own.get("name") or f"building {number}")[:80]
        where = f"'{place.name}', '{name}'"
        height, thickness = (_metres(own, key, where) for key in ("height", "thickness"))
        if height is None:
            raise UsageError(f"{where}: it has no height: give 'height' in metres among its properties")
        material = own.get("material")
        if material is not None and not isinstance(material, str):
            raise UsageError(f"{where}: its material is not a name")
        kind, coordinates = shape.get("type"), shape.get("coordinates")
        if kind not in ("Polygon", "MultiPolygon") or not isinstance(coordinates, list):
            raise UsageError(f"{where}: its geometry is {kind or 'missing'}, not a Polygon or MultiPolygon")
        for part, rings in enumerate([coordinates] if kind == "Polygon" else coordinates, 1):
            own_name = name if kind == "Polygon" or len(coordinates) == 1 else f"{name}, part {part}"
            outlines = [_ring(ring, where, placed) for ring in rings] if isinstance(rings, list) and rings else None
            if outlines is None:
                raise UsageError(f"{where}: a polygon of it has no outline")
            found.append(Footprint(own_name, outlines[0], tuple(outlines[1:]), height, material, thickness))
    return found


def _metres(own: dict[str, Any], key: str, where: str) -> float | None:
    value = own.get(key)
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise UsageError(f"{where}: its {key} is not a number of metres")
    return float(value)


def _ring(ring: Any, where: str, placed: Placed | None) -> Corners:
    try:
        points = [(float(point[0]), float(point[1])) for point in ring]
    except (TypeError, ValueError, IndexError, KeyError):
        raise UsageError(f"{where}: its outline is not pairs of numbers") from None
    if not all(math.isfinite(x) for point in points for x in point):
        raise UsageError(f"{where}: its outline holds what is no number")
    if placed is None:
        return points
    if any(abs(x) > 180.0 or abs(y) > 90.0 for x, y in points):
        raise UsageError(
            f"{where}: its corners are no longitudes and latitudes, as GeoJSON has them where the terrain has a frame"
        )
    return [placed(latitude, longitude) for longitude, latitude in points]


def read_mesh(path: str | Path) -> Mesh:
    """Triangles of a file, z up, those in one plane made one face; raises UsageError for what is no mesh."""
    place = Path(path)
    ending = place.suffix.lower()
    if ending not in _MESHES:
        raise UsageError(f"'{place.name}' is no mesh that is read: give one of {', '.join(_MESHES)}")
    content = read_bytes(place, _LARGEST)
    import trimesh

    try:
        # A file of several parts is taken as one; what it would fetch from elsewhere is not.
        mesh = trimesh.load_mesh(io.BytesIO(content), file_type=ending[1:], process=False)
        mesh = mesh if isinstance(mesh, trimesh.Trimesh) else mesh.to_geometry()
        mesh.merge_vertices(merge_tex=True, merge_norm=True)
        mesh.update_faces(mesh.nondegenerate_faces() & mesh.unique_faces())
        mesh.fix_normals()
        if ending in _UP_IS_Y:
            mesh.vertices = np.asarray(mesh.vertices, float)[:, [0, 2, 1]] * [1.0, -1.0, 1.0]
        vertices, triangles = np.asarray(mesh.vertices, float), np.asarray(mesh.faces)
    except Exception as problem:
        raise UsageError(f"'{place.name}' is no mesh that can be read: {type(problem).__name__}") from None
    if not len(triangles) or not np.isfinite(vertices).all():
        raise UsageError(f"'{place.name}' holds no triangles, or corners that are no numbers")
    facets = [np.asarray(facet) for facet in mesh.facets]
    alone = np.setdiff1d(np.arange(len(triangles)), np.concatenate([np.zeros(0, int), *facets]))
    faces = []
    for facet in [*facets, *alone[:, None]]:
        normal = np.asarray(mesh.face_normals[facet[0]], float)
        sides = triangles[facet][:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2)
        # Sides between two triangles of the face are inside it.
        _, at, count = np.unique(np.sort(sides, axis=1), axis=0, return_index=True, return_counts=True)
        faces.append((normal, vertices[sides[at[count == 1]]]))
    every = np.sort(triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    lines, count = np.unique(every, axis=0, return_counts=True)
    lone = lines[count == 1]
    return Mesh(faces, len(lone), vertices[lone[0]].mean(axis=0) if len(lone) else np.zeros(3))
