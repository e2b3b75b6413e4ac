"""Files of triangles: STL and OBJ in, and meshes with their currents as VTK out."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .. import units
from ..errors import UsageError
from ..fields.currents import Currents
from ..geometry.surfaces import Surface, triangles
from .atomic import write_atomically

SUFFIXES = (".stl", ".obj")
"""Files of triangles that are read."""


def read_triangles(path: str | Path, unit: str = "m") -> Surface:
    """The triangles of an STL or OBJ file as a surface; its numbers are in a unit such as "mm".

    Corners that coincide are merged. Raises UsageError for a file that cannot be read or holds no triangles.
    """
    import meshio

    place = Path(path)
    if place.suffix.lower() not in SUFFIXES:
        raise UsageError(f"'{place}' does not end in {' or '.join(SUFFIXES)}: triangles are read from those")
    if not place.is_file():
        raise UsageError(f"there is no file of triangles '{place}'")
    scale = units.length(f"1 {unit}", f"'{place.name}', unit")
    try:
        # It takes the first bytes of a text for a number, which may be any.
        with np.errstate(over="ignore"):
            content = meshio.read(place)
    except (
        meshio.ReadError,
        ValueError,
        IndexError,
        KeyError,
        AssertionError,
        UnicodeDecodeError,
        SystemExit,
    ) as problem:
        raise UsageError(f"'{place}' cannot be read as triangles: {str(problem) or 'it is damaged'}") from None
    faces = [block.data for block in content.cells if block.type == "triangle"]
    faces += [np.concatenate([b.data[:, [0, 1, 2]], b.data[:, [0, 2, 3]]]) for b in content.cells if b.type == "quad"]
    if not faces or not np.isfinite(content.points).all():
        raise UsageError(f"'{place}' holds no triangles: write it with a surface of triangles")
    points = np.asarray(content.points, float)[:, :3]
    # STL gives every triangle corners of its own.
    size = float(np.ptp(points, axis=0).max())
    _, first, numbers = np.unique(np.round(points / (1e-7 * size)), axis=0, return_index=True, return_inverse=True)
    return triangles(points[first] * scale, numbers.ravel()[np.concatenate(faces)])


def write_vtk(currents: Currents, path: str | Path) -> Path:
    """Write the mesh and its currents as VTK (.vtu): triangles with their surface current, segments with theirs.

    Cell data, peak: strength, |J| in A/m of triangles and |I| in A of segments; the vectors' real and imaginary parts;
    the number of the part, wires first; the frequency. Raises UsageError for another ending.
    """
    import meshio

    place = Path(path)
    if place.suffix.lower() != ".vtu":
        raise UsageError(f"'{place}' does not end in .vtu: meshes with currents are written as VTK's .vtu")
    grid = currents.mesh
    mean = currents.ends.mean(axis=1)
    vectors = [mean[:, None] * grid.tangents]
    sizes, parts = [np.abs(mean)], [grid.wire]
    cells, points = [("line", grid.ends)], [grid.nodes]
    wires = int(grid.wire.max()) + 1 if len(grid) else 0
    if currents.sheets is not None:
        own = currents.sheets
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
