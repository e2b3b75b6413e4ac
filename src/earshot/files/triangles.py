"""Files of triangles: STL and OBJ in, and meshes with their currents as VTK out."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .. import units
from ..arraytypes import Floats, Ints
from ..description.surfaces import Surface, triangles
from ..errors import UsageError, needs
from ..fields.currents import Currents
from ..meshing.mesh import joined_points
from .atomic import write_atomically
from .reading import LARGEST_TABLE, read_bytes

SUFFIXES = (".stl", ".obj")
"""Files of triangles that are read."""
MOST_TRIANGLES = 200_000
FARTHEST = 1e7
"""Metres that a corner may be from the origin."""


def read_triangles(path: str | Path, unit: str = "m") -> Surface:
    """The triangles of an STL or OBJ file as a surface; its numbers are in a unit such as "mm".

    Corners that coincide are merged. Raises UsageError for a file that cannot be read or holds no triangles.
    """
    place = Path(path)
    if place.suffix.lower() not in SUFFIXES:
        raise UsageError(f"'{place}' does not end in {' or '.join(SUFFIXES)}: triangles are read from those")
    scale = units.length(f"1 {unit}", f"'{place.name}', unit")
    content = read_bytes(place, LARGEST_TABLE)
    points, faces = (_stl if place.suffix.lower() == ".stl" else _obj)(content, place.name)
    if not len(faces):
        raise UsageError(f"'{place.name}' holds no triangles: write it with a surface of triangles")
    if len(faces) > MOST_TRIANGLES:
        raise UsageError(f"'{place.name}' holds {len(faces):,} triangles; {MOST_TRIANGLES:,} are the most: coarsen it")
    if not np.isfinite(points).all() or np.abs(points).max() * scale > FARTHEST:
        raise UsageError(
            f"'{place.name}' has corners that are not finite, or beyond {FARTHEST:g} m: is its unit right?"
        )
    # STL gives every triangle corners of its own.
    size = float(np.ptp(points[faces], axis=(0, 1)).max())
    if not size > 0.0:
        raise UsageError(f"'{place.name}' holds triangles without an area only")
    used, own = np.unique(faces, return_inverse=True)
    numbers = joined_points(points[used], 1e-7 * size)
    _, first = np.unique(numbers, return_index=True)
    points, corners = points[used], numbers[own.reshape(-1, 3)]
    whole = (corners != np.roll(corners, 1, axis=1)).all(axis=1)
    return triangles(points[first] * scale, corners[whole])


def _stl(content: bytes, name: str) -> tuple[Floats, Ints]:
    """Corners (3 m, 3) and triangles (m, 3) of an STL file, as text or as bytes."""
    count = int.from_bytes(content[80:84], "little")
    if len(content) >= 84 and len(content) == 84 + 50 * count:
        rows = np.frombuffer(
            content, np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("mark", "<u2")]), offset=84
        )
        points = rows["corners"].reshape(-1, 3).astype(float)
    else:
        words = content.split()
        if not words or words[0].lower() != b"solid":
            raise UsageError(
                f"'{name}' is not an STL file, or it is cut off: {len(content)} bytes for {count} triangles"
            )
        places = [i for i, word in enumerate(words) if word == b"vertex"]
        try:
            points = np.array([[float(x) for x in words[i + 1 : i + 4]] for i in places], float).reshape(-1, 3)
        except ValueError:
            raise UsageError(f"'{name}': a vertex is not three numbers; it is damaged") from None
    if len(points) % 3:
        raise UsageError(f"'{name}': {len(points)} corners make no triangles: it is cut off")
    return points, np.arange(len(points)).reshape(-1, 3)


def _obj(content: bytes, name: str) -> tuple[Floats, Ints]:
    """Corners (n, 3) and triangles (m, 3) of an OBJ file; polygons are cut into fans, normals and textures left out."""
    points: list[list[float]] = []
    faces: list[tuple[int, int, int]] = []
    whole = content.decode("utf-8", errors="replace").replace("\\\n", " ").replace("\\\r\n", " ")
    for number, line in enumerate(whole.splitlines(), 1):
        words = line.split("#")[0].split()
        try:
            if words[:1] == ["v"]:
                points.append([float(x) for x in words[1:4]])
                if len(points[-1]) < 3:
                    raise ValueError
            elif words[:1] == ["f"]:
                # A corner is "7", "7/texture", "7//normal" or "7/texture/normal"; below zero it counts from the last.
                corners = [int(word.split("/")[0]) for word in words[1:]]
                corners = [c - 1 if c > 0 else len(points) + c for c in corners]
                if len(corners) < 3 or not all(0 <= c < len(points) for c in corners):
                    raise ValueError
                faces += [(corners[0], *pair) for pair in pairwise(corners[1:])]
        except ValueError:
            what = "a corner is not three numbers" if words[0] == "v" else "a face names corners that there are not"
            raise UsageError(f"'{name}', line {number}: {what}; mend that line") from None
    return np.array(points, float).reshape(-1, 3), np.array(faces, np.int64).reshape(-1, 3)


def write_vtk(currents: Currents, path: str | Path) -> Path:
    """Write the mesh and its currents as VTK (.vtu): triangles with their surface current, segments with theirs.

    Cell data, peak: strength, |J| in A/m of triangles and |I| in A of segments; the vectors' real and imaginary parts;
    the number of the part, wires first; the frequency. Raises UsageError for another ending.
    """
    import meshio

    needs(currents, Currents, "write_vtk", "driven.flow, the currents of a drive")
    place = Path(path)
    if place.suffix.lower() != ".vtu":
        raise UsageError(f"'{place}' does not end in .vtu: meshes with currents are written as VTK's .vtu")
    grid = currents.mesh
    mean = currents.ends.mean(axis=1)
    vectors = [mean[:, None] * grid.tangents]
    sizes, parts = [np.abs(mean)], [grid.wire]
    cells, points = [("line", grid.ends)], [grid.nodes]
    wires = int(grid.wire.max()) + 1 if len(grid) else 0
    own = currents.on_metal
    if own is not None:
        cells.append(("triangle", own.mesh.triangles + len(grid.nodes)))
        points.append(own.mesh.vertices)
        vectors.append(own.density)
        sizes.append(own.strength)
        parts.append(wires + own.mesh.sheet)
    kept = [i for i, (_, rows) in enumerate(cells) if len(rows)]

    def column(values: list[NDArray[Any]]) -> list[NDArray[Any]]:
        return [np.ascontiguousarray(values[i]) for i in kept]

    mesh = meshio.Mesh(
        np.concatenate(points),
        [cells[i] for i in kept],
        cell_data={
            "strength": column(sizes),
            "current_real": column([v.real for v in vectors]),
            "current_imag": column([v.imag for v in vectors]),
            "part": column(parts),
            "frequency_Hz": column([np.full(len(rows), currents.frequency) for _, rows in cells]),
        },
    )
    return write_atomically(place, lambda target: meshio.write(target, mesh, file_format="vtu"))
