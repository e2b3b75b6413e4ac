"""Results files: a solution as netCDF-4, which opens again as a solution without solving.

The antenna is in it as the text of a design file, the mesh, the currents for one volt at every gap and the admittances
as arrays; complex arrays have a last axis `part` of real and imaginary.
"""

from __future__ import annotations

import io
import json
from dataclasses import asdict, dataclass
from importlib.metadata import version
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..answers.evidence import Evidence, Figure
from ..answers.solution import Solution
from ..errors import EarshotError, UsageError
from ..geometry.design import Design
from ..geometry.mesh import MeshRule, WireMesh
from ..geometry.sheet_mesh import SheetMesh
from ..media.stack import Stack
from ..moments.basis import Basis
from ..moments.response import Response
from ..moments.sheet_basis import sheet_basis
from ..moments.wire_basis import probe_basis, wire_basis
from ..running import Record
from .atomic import write_bytes
from .design_file import DesignFile, FileBuild, design_from_text
from .design_text import antenna_text

FORMAT = 2
"""Version of the layout below; another one is refused."""

_MESH = {
    "nodes": ("node", "xyz"),
    "ends": ("segment", "end"),
    "radii": ("segment",),
    "wire": ("segment",),
    "arc": ("segment", "end"),
    "grounded": ("node",),
}
_SHEETS = {"vertices": ("vertex", "xyz"), "triangles": ("triangle", "corner"), "sheet": ("triangle",)}


@dataclass(frozen=True, slots=True)
class Saved:
    """What a results file holds: the solution, the antenna with its cases as a design file, and the values.

    values: by name, as written and in SI with what they measure; empty when the antenna was made without.
    """

    solution: Solution
    file: DesignFile
    values: dict[str, dict[str, Any]]
    source: str


def write_results(solution: Solution, path: Path, file: DesignFile | None = None) -> Path:
    """Write a solution as netCDF-4; with the design file it came from, its cases, values and text too."""
    import h5netcdf

    response, grid = solution.response, solution.mesh
    middle = float(response.frequencies[len(response.frequencies) // 2])
    design = file.design if file is not None else None
    frequency = design.frequency if design is not None and design.frequency is not None else middle
    attributes = {
        "earshot_results": FORMAT,
        "written_by": f"earshot {version('earshot')}",
        "title": solution.antenna.name,
        "antenna": antenna_text(solution.antenna, frequency) + _cases(design),
        "source": design.build.text if design is not None and isinstance(design.build, FileBuild) else "",
        "values": json.dumps({} if design is None else _values(design)),
        "mesh_rule": json.dumps(asdict(solution.rule)),
        "record": json.dumps(_record(solution.record)),
        "evidence": "" if solution.evidence is None else json.dumps(asdict(solution.evidence)),
        "band_error": solution.band_error,
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
    tables: list[tuple[Any, dict[str, tuple[str, ...]]]] = [(grid, _MESH)]
    if solution.sheet_mesh is not None:
        tables.append((solution.sheet_mesh, _SHEETS))
    for name, names, values in ((n, axes, getattr(mesh, n)) for mesh, layout in tables for n, axes in layout.items()):
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


def _cases(design: Design | None) -> str:
    """The cases of a design file, as its text says them."""
    if design is None or not isinstance(design.build, FileBuild):
        return ""
    import tomlkit

    document: Any = tomlkit.parse(design.build.text)
    kept = tomlkit.document()
    if "case" in document:
        kept["case"] = document["case"]
    return "\n" + tomlkit.dumps(kept)


def _values(design: Design) -> dict[str, dict[str, Any]]:
    quantities = design.values.quantities
    return {
        name: {"written": value.is_, "si": quantities[name].si, "kind": quantities[name].kind}
        for name, value in design.given
    }


def _split(values: NDArray[np.complex128]) -> NDArray[np.float64]:
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
    import h5netcdf

    if not path.is_file():
        raise UsageError(f"there is no results file '{path}'")
    try:
        with h5netcdf.File(path, "r") as store:
            attributes = dict(store.attrs)
            if "earshot_results" not in attributes:
                raise UsageError(
                    f"'{path}' is not a results file of Earshot: write one with earshot solve --out FOLDER"
                )
            found = int(attributes["earshot_results"])
            if found != FORMAT:
                raise UsageError(
                    f"'{path}' has layout {found} (written by {attributes.get('written_by', 'another version')}); this "
                    f"version reads layout {FORMAT}: solve it again, or use the version that wrote it"
                )
            arrays = {name: np.asarray(variable[...]) for name, variable in store.variables.items()}
    except (OSError, ValueError, KeyError, TypeError, RuntimeError) as problem:
        raise UsageError(f"'{path}' cannot be opened as a results file, it may be cut off: {problem}") from None
    try:
        return _assembled(path, attributes, arrays)
    except (KeyError, ValueError, IndexError, TypeError, AssertionError, json.JSONDecodeError) as problem:
        raise UsageError(f"'{path}' is damaged ({type(problem).__name__}: {problem}): solve it again") from None
    except EarshotError as problem:
        raise UsageError(f"'{path}' is damaged: {problem}") from None


def _assembled(path: Path, attributes: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> Saved:
    def joined(name: str) -> NDArray[np.complex128]:
        values = arrays[name]
        if not np.isfinite(values).all():
            raise ValueError(f"{name} holds values that are not finite")
        return np.asarray(values[..., 0] + 1j * values[..., 1])

    file = design_from_text(str(attributes["antenna"]), path.name, path.parent)
    antenna = file.design.antenna
    parts: dict[str, Any] = {name: arrays[name] for name in _MESH}
    parts["grounded"] = parts["grounded"].astype(bool)
    grid = WireMesh(**parts, wavelength=float(attributes["mesh_wavelength_m"]))
    sheets = sheet_basis(SheetMesh(**{name: arrays[name] for name in _SHEETS})) if "vertices" in arrays else None
    printed = isinstance(antenna.medium, Stack)
    wires = probe_basis(grid) if printed else wire_basis(grid)
    basis = Basis(wires, sheets, float(attributes["foot_reach_m"]), probes=printed)
    response = Response(antenna, basis, arrays["solved"], joined("currents"), joined("solved_admittance"))
    gaps = len(antenna.gaps)
    if response.coefficients.shape[1:] != (gaps, basis.size):
        raise ValueError(f"its currents are {response.coefficients.shape}, not (n, {gaps}, {basis.size})")
    record = Record()
    for name, amounts in json.loads(attributes["record"]).items():
        getattr(record, name).update(amounts)
    evidence = None
    if attributes["evidence"]:
        content = json.loads(attributes["evidence"])
        evidence = Evidence(**content | {"figures": tuple(Figure(**f) for f in content["figures"])})
    solution = Solution(
        response,
        MeshRule(**json.loads(attributes["mesh_rule"])),
        arrays["frequency"],
        joined("admittance"),
        float(attributes["band_error"]),
        record,
        evidence,
    )
    return Saved(solution, file, json.loads(attributes["values"]), str(attributes["source"]))
