"""Results files: a solution as netCDF-4, which opens again as a solution without solving.

The antenna is in it as the text of a design file, the mesh, the currents for one volt at every gap and the admittances
as arrays; complex arrays have a last axis `part` of real and imaginary. A file may be anybody's: what it says of itself
is held against its size before anything is read, and against everything else it says before it is used.
"""

from __future__ import annotations

import io
import json
import math
from dataclasses import asdict, dataclass, fields, is_dataclass
from importlib.metadata import version
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import PositiveFloat, TypeAdapter
from typing_extensions import TypedDict

from ..answers.evidence import Evidence
from ..answers.solution import Solution
from ..arraytypes import Complexes, Floats, Ints
from ..description.design import Design
from ..description.surfaces import Surface
from ..errors import EarshotError, UsageError
from ..lettering import told, visible
from ..meshing.mesh import MeshRule, WireMesh
from ..meshing.sheet_mesh import SheetMesh
from ..moments.fewer import Rough, fewer_functions
from ..moments.formulation import basis_on
from ..moments.ports import gap_vectors
from ..moments.response import Response
from ..running import Record
from .atomic import write_bytes
from .design_file import DesignFile, FileBuild, design_from_text
from .reading import MEGABYTE, read_bytes
from .stored import stored

FORMAT = 5
"""Version of the layout below; another one is refused."""

_MESH = {
    "nodes": ("node", "xyz"),
    "ends": ("segment", "end"),
    "radii": ("segment",),
    "wire": ("segment",),
    "arc": ("segment", "end"),
    "grounded": ("node",),
}
_ATTRIBUTES = (
    *("earshot_results", "written_by", "title", "antenna", "tables", "source", "values", "mesh_rule", "record"),
    *("evidence", "band_error", "spans_Hz", "mesh_wavelength_m", "foot_reach_m"),
)
_AXES = {"frequency", "gap", "gap2", "part", "solved", "function", "rough_function"}
LARGEST_RESULTS = 8 * 1024 * MEGABYTE
"""Bytes of a results file."""
MOST_PACKED = 50
"""Times that the arrays may be larger than the file that holds them: currents hardly pack."""
_SHEETS = {
    "vertices": ("vertex", "xyz"),
    "triangles": ("triangle", "corner"),
    "sheet": ("triangle",),
    "places": ("vertex", "xyz"),
}


_ROUGH = ("rough", "rough_currents", "rough_by_wires")
_ARRAYS = {"frequency", "admittance", "solved", "currents", "solved_admittance", *_ROUGH, *_MESH, *_SHEETS}
_AXES |= {axis for table in (_MESH, _SHEETS) for axes in table.values() for axis in axes}


class SavedValue(TypedDict):
    """A value as written and in SI, and what it measures."""

    written: str | float
    si: float
    kind: str


@dataclass(frozen=True, slots=True)
class Saved:
    """What a results file holds: the solution, the antenna with its cases as a design file, and the values.

    values: by name, as written and in SI with what they measure; empty when the antenna was made without.
    """

    solution: Solution
    file: DesignFile
    values: dict[str, SavedValue]
    source: str


def write_results(solution: Solution, path: Path, file: DesignFile | None = None) -> Path:
    """Write a solution as netCDF-4; with the design file it came from, its cases, values and text too."""
    import h5netcdf

    response, grid = solution.response, solution.mesh
    middle = float(response.frequencies[len(response.frequencies) // 2])
    design = file.design if file is not None else None
    frequency = design.frequency if design is not None and design.frequency is not None else middle
    text, tables = stored(solution, file, frequency)
    attributes = {
        "earshot_results": FORMAT,
        "written_by": f"earshot {version('earshot')}",
        "title": visible(solution.antenna.name),
        "antenna": text,
        "tables": json.dumps(tables),
        "source": design.build.text if design is not None and isinstance(design.build, FileBuild) else "",
        "values": json.dumps({} if design is None else _values(design)),
        "mesh_rule": json.dumps(asdict(solution.rule)),
        "record": json.dumps(_record(solution.record)),
        "evidence": "" if solution.evidence is None else json.dumps(asdict(solution.evidence)),
        "band_error": solution.band_error,
        "spans_Hz": json.dumps(solution.spans),
        "mesh_wavelength_m": grid.wavelength,
        "foot_reach_m": response.basis.reach,
    }
    arrays: dict[str, tuple[tuple[str, ...], NDArray[Any], str]] = {
        "frequency": (("frequency",), solution.frequencies, "Hz"),
        "admittance": (("frequency", "gap", "gap2", "part"), _split(solution.admittance), "S"),
        "solved": (("solved",), response.frequencies, "Hz"),
        "currents": (("solved", "gap", "function", "part"), _split(response.coefficients), "A"),
        "solved_admittance": (("solved", "gap", "gap2", "part"), _split(response.admittance), "S"),
    }
    if response.rough:
        places = sorted(response.rough)
        arrays["rough"] = (("rough",), np.array(places), "Hz")
        currents, by_wires = (_split(np.array(v)) for v in zip(*(response.rough[f] for f in places), strict=True))
        arrays["rough_currents"] = (("rough", "gap", "rough_function", "part"), currents, "A")
        arrays["rough_by_wires"] = (("rough", "gap", "gap2", "part"), by_wires, "S")
    meshes: list[tuple[Any, dict[str, tuple[str, ...]]]] = [(grid, _MESH)]
    if solution.sheet_mesh is not None:
        meshes.append((solution.sheet_mesh, _SHEETS))
    for name, names, values in ((n, axes, getattr(mesh, n)) for mesh, layout in meshes for n, axes in layout.items()):
        unit = "m" if name in ("nodes", "radii", "arc", "vertices") else "1"
        arrays[name] = (names, values.astype(np.int8) if values.dtype == bool else values, unit)

    # In memory first: a library that meets a full disk in the middle of a file may not come back.
    image = io.BytesIO()
    with h5netcdf.File(image, "w") as store:
        for _, (names, values, _) in arrays.items():
            for axis, size in zip(names, values.shape, strict=True):
                if axis not in store.dimensions:
                    store.dimensions[axis] = size
        for name, (names, values, unit) in arrays.items():
            packed = {"compression": "gzip"} if values.size else {}
            variable = store.create_variable(name, names, values.dtype, data=values, **packed)
            variable.attrs["units"] = unit
        for name, value in attributes.items():
            store.attrs[name] = value
    return write_bytes(path, image.getvalue())


def _record(record: Record) -> dict[str, dict[str, float]]:
    """A run's record as plain dictionaries."""
    return {"seconds": record.seconds, "times": dict(record.times), "bytes": dict(record.bytes)}


def _values(design: Design) -> dict[str, dict[str, Any]]:
    quantities = design.values.quantities
    return {
        name: {"written": value.is_, "si": quantities[name].si, "kind": quantities[name].kind}
        for name, value in design.given
    }


def _split(values: Complexes) -> Floats:
    return np.stack([values.real, values.imag], axis=-1)


def read_results(path: str | Path) -> Solution:
    """Open a results file as a solution: everything can be asked of it as after the solve, without solving.

    Raises UsageError for a file that is not one, is damaged, or was written in another version of the layout.
    """
    return read_saved(Path(path)).solution


def is_results(path: Path) -> bool:
    """Whether a path ends as results files do."""
    return path.suffix.lower() == ".nc"


def read_saved(path: Path) -> Saved:
    """Open a results file, with what it holds beside the solution; raises UsageError as `read_results` does."""
    if not path.exists():
        raise UsageError(f"there is no results file '{path}'")
    content = read_bytes(path, LARGEST_RESULTS)
    try:
        attributes, arrays = _unpacked(content, path)
    except (OSError, ValueError, KeyError, TypeError, RuntimeError, AttributeError) as problem:
        says = visible(str(problem).splitlines()[0] if str(problem) else type(problem).__name__)
        raise UsageError(f"'{path}' cannot be opened as a results file, it may be cut off: {says}") from None
    try:
        return _assembled(path, attributes, arrays)
    except (KeyError, ValueError, IndexError, TypeError, AssertionError, RecursionError) as problem:
        says = visible(str(problem).splitlines()[0] if str(problem) else "")
        raise UsageError(f"'{path}' is damaged ({type(problem).__name__}: {says[:200]}): solve it again") from None
    except EarshotError as problem:
        raise UsageError(f"'{path}' is damaged: {problem}") from None


def _unpacked(content: bytes, path: Path) -> tuple[dict[str, Any], dict[str, NDArray[Any]]]:
    """Attributes and arrays; raises UsageError for what no results file has, before anything of that size is made."""
    import h5py

    with h5py.File(io.BytesIO(content), "r") as store:
        if "earshot_results" not in store.attrs:
            raise UsageError(f"'{path}' is not a results file of Earshot: write one with earshot solve --out FOLDER")
        found = int(_plain(store.attrs["earshot_results"]))
        if found != FORMAT:
            by = visible(str(_plain(store.attrs.get("written_by", "another version")))[:60])
            raise UsageError(
                f"'{path}' has layout {found} (written by {by}); this version reads layout {FORMAT}: solve it again, "
                "or use the version that wrote it"
            )
        _look_over(store, len(content), path)
        attributes = {name: _plain(store.attrs[name]) for name in store.attrs if name in _ATTRIBUTES}
        arrays = {name: np.asarray(store[name]) for name in store if name in _ARRAYS}
    return attributes, arrays


def _look_over(store: Any, size: int, path: Path) -> None:
    """What a results file is made of: plain arrays of numbers of its own, no larger than its size can hold."""
    import h5py

    total = 0
    for name in store:
        link, thing = store.get(name, getlink=True), None
        if isinstance(link, h5py.HardLink):
            thing = store[name]
        if not isinstance(thing, h5py.Dataset) or thing.is_virtual or thing.external:
            raise UsageError(f"'{path}': {told(name)} is not an array of the file's own: it is no results file")
        if name not in _ARRAYS and name not in _AXES:
            raise UsageError(f"'{path}': {told(name)} is nothing that a results file holds")
        if thing.dtype.kind not in "fiu" or thing.dtype.itemsize > 8 or thing.ndim > 4:
            raise UsageError(f"'{path}': {told(name)} holds no plain numbers")
        if name in _ARRAYS:
            total += math.prod(thing.shape) * thing.dtype.itemsize
    if total > MOST_PACKED * size:
        raise UsageError(
            f"'{path}' says that it holds {total / 1e6:,.0f} MB, but has {size / 1e6:,.2f} MB itself: it is damaged"
        )


def _plain(value: Any) -> Any:
    """An attribute as text or number; each is one."""
    if isinstance(value, np.ndarray):
        (value,) = value.ravel()[:2].tolist()
    return value.decode("utf-8") if isinstance(value, bytes) else value


def _assembled(path: Path, attributes: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> Saved:
    def said(name: str, kind: Any) -> Any:
        content = json.loads(str(attributes[name]))
        if is_dataclass(kind) and not set(content) <= {one.name for one in fields(kind)}:
            raise ValueError(f"{name} says what nothing here is called")
        return TypeAdapter(kind).validate_python(content)

    file = design_from_text(str(attributes["antenna"]), path.name, path.parent, said("tables", dict[str, str]))
    antenna = file.design.antenna
    solved, wanted, gaps = arrays["solved"], arrays["frequency"], len(antenna.gaps)
    for name in ("solved", "frequency"):
        _hold(name, arrays[name], (None,))
        if not (arrays[name] > 0.0).all() or not (np.diff(arrays[name]) > 0.0).all() or not len(arrays[name]):
            raise ValueError(f"{name} does not rise from above zero")
    grid = _wires(arrays, len(antenna.wires), float(attributes["mesh_wavelength_m"]))
    triangles = _triangles(arrays, tuple(s.surface for s in antenna.sheets)) if "vertices" in arrays else None
    reach = float(attributes["foot_reach_m"])
    if not (math.isfinite(reach) and reach >= 0.0):
        raise ValueError("foot_reach_m is no length")
    basis = basis_on(grid, triangles, reach, antenna.medium)

    def joined(name: str, shape: tuple[int, ...]) -> Complexes:
        _hold(name, arrays[name], (*shape, 2))
        return np.asarray(arrays[name][..., 0] + 1j * arrays[name][..., 1])

    currents = joined("currents", (len(solved), gaps, basis.size))
    rough: dict[float, Rough] = {}
    if "rough" in arrays:
        _hold("rough", arrays["rough"], (None,))
        fewer = fewer_functions(antenna, basis, gap_vectors(antenna, basis)).shape[1]
        places = arrays["rough"].tolist()
        if not set(places) <= set(solved.tolist()):
            raise ValueError("rough holds frequencies that were not solved")
        found = (joined(name, (len(places), gaps, n)) for name, n in zip(_ROUGH[1:], (fewer, gaps), strict=True))
        rough = {hertz: Rough(*own) for hertz, *own in zip(places, *found, strict=True)}
    response = Response(antenna, basis, solved, currents, joined("solved_admittance", (len(solved), gaps, gaps)), rough)
    record = Record()
    for name, amounts in said("record", dict[Literal["seconds", "times", "bytes"], dict[str, int | float]]).items():
        getattr(record, name).update(amounts)
    error = float(attributes["band_error"])
    if not (math.isfinite(error) and error >= 0.0):
        raise ValueError("band_error is no error")
    solution = Solution(
        response,
        said("mesh_rule", MeshRule),
        wanted,
        joined("admittance", (len(wanted), gaps, gaps)),
        error,
        record,
        said("spans_Hz", tuple[tuple[PositiveFloat, PositiveFloat], ...]),
        said("evidence", Evidence) if attributes["evidence"] else None,
    )
    return Saved(solution, file, said("values", dict[str, SavedValue]), str(attributes["source"]))


def _hold(name: str, values: NDArray[Any], shape: tuple[int | None, ...]) -> None:
    """Raise ValueError unless an array has the shape it must have, and is finite."""
    if len(values.shape) != len(shape) or any(n not in (None, m) for n, m in zip(shape, values.shape, strict=True)):
        raise ValueError(f"{name} has shape {values.shape}, not {tuple('n' if n is None else n for n in shape)}")
    if not np.isfinite(values).all():
        raise ValueError(f"{name} holds values that are not finite")


def _numbered(name: str, values: NDArray[Any], shape: tuple[int | None, ...], count: int) -> Ints:
    """Whole numbers below a count."""
    _hold(name, values, shape)
    if values.dtype.kind not in "iu" or (values.size and (values.min() < 0 or values.max() >= count)):
        raise ValueError(f"{name} holds other numbers than 0 to {count - 1}")
    return values.astype(np.int64)


def _wires(arrays: dict[str, NDArray[Any]], wires: int, wavelength: float) -> WireMesh:
    nodes, radii, arc = (arrays[name] for name in ("nodes", "radii", "arc"))
    _hold("nodes", nodes, (None, 3))
    count = len(radii)
    _hold("radii", radii, (None,))
    _hold("arc", arc, (count, 2))
    ends = _numbered("ends", arrays["ends"], (count, 2), len(nodes))
    if not (radii > 0.0).all() or not wavelength > 0.0:
        raise ValueError("a radius or the wavelength of the mesh is not above zero")
    if count and not (np.linalg.norm(nodes[ends[:, 1]] - nodes[ends[:, 0]], axis=1) > 0.0).all():
        raise ValueError("a segment has no length")
    wire = _numbered("wire", arrays["wire"], (count,), max(wires, 1))
    _hold("grounded", arrays["grounded"], (len(nodes),))
    return WireMesh(nodes, ends, radii, wire, arc, arrays["grounded"].astype(bool), wavelength)


def _triangles(arrays: dict[str, NDArray[Any]], surfaces: tuple[Surface, ...]) -> SheetMesh:
    _hold("vertices", arrays["vertices"], (None, 3))
    triangles = _numbered("triangles", arrays["triangles"], (None, 3), len(arrays["vertices"]))
    sheet = _numbered("sheet", arrays["sheet"], (len(triangles),), len(surfaces))
    x = arrays["vertices"][triangles]
    if not (np.linalg.norm(np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0]), axis=1) > 0.0).all():
        raise ValueError("a triangle has no area")
    _hold("places", arrays["places"], arrays["vertices"].shape)
    return SheetMesh(arrays["vertices"], triangles, sheet, arrays["places"], surfaces)
