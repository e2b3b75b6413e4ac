"""What functions carry at points: current moments and charges, for all that is not near."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Floats, Ints
from .basis import Basis
from .coupling import fan_points, wire_points
from .sheet_basis import Fan, SheetBasis

if TYPE_CHECKING:
    from scipy.sparse import csr_array

Part = tuple[Floats, Floats, "list[csr_array]"]
"""Points (p, 3), radii (p,), and what functions carry there, sparse (p, functions): moments x, y, z, and charge."""


def of_axes(basis: Basis) -> Part:
    """Of functions of wires (wires,): four points a segment on its axis."""
    points = wire_points(basis.mesh)
    return points.places, points.radii, on_halves(basis, points.owner, points.weights)


def on_halves(basis: Basis, owner: Ints, weights: Floats) -> list[csr_array]:
    """What functions of wires carry at points, from the segment of each (p,) and what its two halves do (p, 2, 4)."""
    from scipy.sparse import csr_array

    rows = np.repeat(np.arange(len(owner)), 2)
    columns = (2 * owner[:, None] + np.arange(2)).ravel()
    shape = len(owner), 2 * len(basis.mesh)
    return [
        csr_array(csr_array((weights[..., kind].ravel(), (rows, columns)), shape=shape) @ basis.wires.ends)
        for kind in range(4)
    ]


def of_sheets(sheets: SheetBasis) -> Part:
    """Seven points a triangle."""
    from ..kernels.sheets import P7, W7

    mesh, count = sheets.mesh, len(W7)
    places = np.einsum("pc,tcx->tpx", P7, mesh.corners).reshape(-1, 3)
    return on_triangles(sheets, places, (mesh.areas[:, None] * W7).ravel(), np.repeat(np.arange(len(mesh)), count))


def on_triangles(sheets: SheetBasis, places: Floats, weights: Floats, owner: Ints) -> Part:
    """Of functions of sheets: at points (p, 3) of weights (p,), m², on triangles (p,)."""
    from scipy.sparse import csr_array, diags_array

    functions = np.tile(np.arange(sheets.size), 2)
    shape = len(sheets.mesh), sheets.size

    def by_triangle(amounts: Floats) -> csr_array:
        return csr_array((amounts.ravel(), (sheets.pairs.ravel(), functions)), shape=shape)

    rise = by_triangle(sheets.coefficients)[owner]
    carried = [
        csr_array(
            diags_array(weights * places[:, axis]) @ rise
            - diags_array(weights) @ by_triangle(sheets.coefficients * sheets.apexes[..., axis])[owner]
        )
        for axis in range(3)
    ]
    return places, np.zeros(len(places)), [*carried, csr_array(diags_array(2.0 * weights) @ rise)]


def of_feet(basis: Basis) -> Part:
    """Of functions of wires (wires,): what their fans carry."""
    into = np.array([amount for _, amount in basis.feet]).reshape(len(basis.feet), basis.wires.size)
    return of_fans(basis.sheets, tuple(fan for fan, _ in basis.feet), into)


def of_fans(sheets: SheetBasis | None, fans: tuple[Fan, ...], amounts: Floats) -> Part:
    """The same of some fans, from how much of every function (fans, wires) goes into each."""
    from scipy.sparse import csr_array

    if not fans or sheets is None:
        return np.zeros((0, 3)), np.zeros(0), [csr_array((0, amounts.shape[1])) for _ in range(4)]
    points = fan_points(sheets, fans, near=False)
    into = amounts[points.owner]
    weights = points.weights.sum(axis=1)
    return points.places, points.radii, [csr_array(weights[:, kind, None] * into) for kind in range(4)]
