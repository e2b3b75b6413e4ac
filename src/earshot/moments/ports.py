"""Ports as tested fields: a uniform field over the gap, seen by every basis function under it."""

from __future__ import annotations

import numpy as np

from ..arraytypes import Bools, Floats
from ..description.antenna import Antenna
from ..description.parts import Gap
from ..errors import ModelError
from ..meshing.faces import Slab, slabs
from ..meshing.mesh import WireMesh
from ..meshing.sheet_mesh import SheetMesh
from .basis import Basis
from .sheet_basis import SheetBasis


def _gap_halves(antenna: Antenna, port: Gap, mesh: WireMesh) -> Floats:
    """Mean of both half functions of every segment over the gap, (segments, 2)."""
    wire = antenna.wire(port.on)
    low, high = port.span(wire, antenna.grounded(wire))
    on_wire = mesh.wire == antenna.wires.index(wire)
    s0, s1 = mesh.arc.T
    means = np.zeros((len(mesh), 2))
    if high == low:
        # No width: the current at the node, taken on the segment that follows it (or ends the wire there).
        after = np.flatnonzero(on_wire & (s0 <= low + 1e-12 * wire.length))
        seg = after[np.argmax(s0[after])]
        share = (low - s0[seg]) / (s1[seg] - s0[seg])
        means[seg] = 1.0 - share, share
        return means
    a, b = (np.clip((edge - s0) / (s1 - s0), 0.0, 1.0) for edge in (low, high))
    scale = (s1 - s0) / (high - low)
    rising = 0.5 * (b * b - a * a) * scale
    means[:, 1] = rising
    means[:, 0] = (b - a) * scale - rising
    means[~on_wire] = 0.0
    return means


def _close(mesh: SheetMesh) -> float:
    """How far a vertex may be off the edge of a gap it is on, metres."""
    return 1e-6 * float(np.ptp(mesh.vertices, axis=0).max())


def within_gap(slab: Slab, mesh: SheetMesh) -> Bools:
    """Which triangles (n,) of its sheet a gap holds."""
    heights = np.abs((mesh.corners - slab.place) @ slab.normal)
    return np.asarray((mesh.sheet == slab.sheet) & (heights <= slab.half + _close(mesh)).all(axis=1))


def edges_of_gap(slab: Slab, basis: SheetBasis) -> Bools:
    """Which functions (n,) cross the edges of a gap of no width; none of another."""
    if slab.half > 0.0:
        return np.zeros(basis.size, bool)
    heights = np.abs((basis.mesh.vertices[basis.edges] - slab.place) @ slab.normal)
    on_sheet = (basis.mesh.sheet[basis.pairs] == slab.sheet).all(axis=0)
    return np.asarray((heights.max(axis=1) <= _close(basis.mesh)) & on_sheet)


def _slab_vector(slab: Slab, basis: SheetBasis, what: str) -> Floats:
    """∫ f·n dS over a gap of a sheet, by its width (functions,): the tested field of 1 V along the normal n.

    Along a surface at a slant, the field is that much weaker and the way longer: the voltage is the same. A gap of no
    width is the edges in its plane, and what crosses them.
    """
    mesh = basis.mesh
    if slab.half == 0.0:
        crossing = np.flatnonzero(edges_of_gap(slab, basis))
        ends = mesh.vertices[basis.edges[crossing]]
        length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
        # A coefficient of one carries one ampere per metre from its first triangle into its second.
        onward = (mesh.centres[basis.pairs[:, crossing]] - slab.place) @ slab.normal
        vector = np.zeros(basis.size)
        vector[crossing] = length * np.sign(onward[1] - onward[0])
        if not crossing.size:
            raise ModelError(f"{what}: no edge of the sheet lies in its plane: give it a width, or move it to an edge")
        return vector
    inside = within_gap(slab, mesh)
    if not inside.any():
        raise ModelError(f"{what}: its gap holds no triangle of the sheet: move it onto the sheet, or make it wider")
    heights = np.abs((mesh.corners - slab.place) @ slab.normal)
    cut = (mesh.sheet == slab.sheet) & ~inside & (heights.min(axis=1) < slab.half - _close(mesh))
    if cut.any():
        raise ModelError(f"{what}: its gap cuts through triangles: put it where it follows the sheet's grid")
    vector = np.zeros(basis.size)
    for side in (0, 1):
        triangle = basis.pairs[side]
        flux = basis.coefficients[side] * mesh.areas[triangle]
        flux = flux * ((mesh.centres[triangle] - basis.apexes[side]) @ slab.normal)
        vector += np.where(inside[triangle], flux, 0.0)
    return vector / (2.0 * slab.half)


def gap_vectors(antenna: Antenna, basis: Basis) -> Floats:
    """Columns (functions, gaps): the tested field of 1 V at each gap, which also takes the gap's current.

    With Z I = v V, the mean current over gap p is v_p·I. Raises ModelError for gaps of sheets where there is no sheet.
    """
    on_sheets = iter(slabs(antenna))
    columns = np.zeros((basis.size, len(antenna.gaps)))
    for column, gap in enumerate(antenna.gaps):
        if gap.across is None:
            columns[basis.first_wire :, column] = basis.wires.ends.T @ _gap_halves(antenna, gap, basis.mesh).ravel()
        else:
            assert basis.sheets is not None
            columns[: basis.first_wire, column] = _slab_vector(next(on_sheets), basis.sheets, gap.what)
    return columns
