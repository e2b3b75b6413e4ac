"""The metal of an antenna and what flows on it for a volt at every port, as a page holds them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from ...answers.solution import Solution
from ...arraytypes import Bools
from ...fields.currents import Currents
from .packing import Packed


def metal_of(solution: Solution, packed: Packed) -> dict[str, Any]:
    """Segments and triangles, the names of wires and sheets, ports, and what lies below."""
    antenna, grid, sheets = solution.antenna, solution.mesh, solution.sheet_mesh
    low, high = antenna.extent
    found: dict[str, Any] = {
        "wires": [wire.name for wire in antenna.wires],
        "nodes": packed.reals(grid.nodes),
        "ends": packed.counts(grid.ends),
        "radii": packed.reals(grid.radii),
        "wire": packed.counts(grid.wire),
        "sheets": [sheet.name for sheet in antenna.sheets],
        "low": low.tolist(),
        "high": high.tolist(),
        "plane": bool(antenna.medium.one_sided),
        "ports": [{"name": p.name, "place": antenna.place_of(p).tolist()} for p in antenna.ports],
    }
    if sheets is not None:
        found["vertices"] = packed.reals(sheets.vertices)
        found["triangles"] = packed.counts(sheets.triangles)
        found["sheet"] = packed.counts(sheets.sheet)
        found["opening"] = packed.counts(_openings(solution))
    return found


def _openings(solution: Solution) -> Bools:
    """Which triangles are openings in a plane: what flows in them is no current."""
    medium, mesh = solution.antenna.medium, solution.sheet_mesh
    assert mesh is not None
    if not medium.sides:
        return np.zeros(len(mesh), bool)
    return np.asarray((medium.level_at(mesh.corners[..., 2]) == 0).all(axis=1))


def currents_of(solution: Solution, columns: Sequence[Sequence[Currents]], packed: Packed) -> dict[str, Any]:
    """Currents [frequency][port]: at both ends of segments, A, and the density on metal, A/m, for one volt."""
    found = {"ends": packed.scaled([[flow.ends for flow in row] for row in columns], 2)}
    if columns[0][0].sheets is not None:
        density = [[flow.sheets.density for flow in row if flow.sheets is not None] for row in columns]
        metal = ~_openings(solution)
        found["density"] = packed.scaled(np.array(density) * metal[:, None], 2)
    return found


def bytes_of(solution: Solution) -> int:
    """What currents take at one frequency."""
    triangles = 0 if solution.sheet_mesh is None else len(solution.sheet_mesh)
    return len(solution.antenna.ports) * (8 * len(solution.mesh.lengths) + 12 * triangles)
