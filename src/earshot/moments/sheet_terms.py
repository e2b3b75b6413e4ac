"""What the metal of a sheet adds to the matrix: its surface impedance, ∫ z f_m·f_n dS, local like that of wires.

The loss in the few triangles under a foot is left out: the fan's own current is singular there.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from ..arraytypes import Complexes
from ..description.antenna import Antenna
from .basis import Basis
from .sheet_basis import SheetBasis


def surface_impedances(antenna: Antenna, frequency: float) -> Complexes:
    """Of every sheet (sheets,), ohm per square; zero for perfect conductors, and for openings, which have no metal."""
    return np.array(
        [
            0j if s.metal is None or antenna.is_opening(s) else s.metal.sheet_impedance(frequency, s.thickness, s.sides)
            for s in antenna.sheets
        ]
    )


def _mass(basis: SheetBasis) -> tuple[Any, Any]:
    """Sparse (4 triangles, functions), and the block-diagonal ∫ over triangles of what it gives.

    The current on a triangle is a number times r less a vector; about its centroid the two do not mix.
    """
    from scipy.sparse import csr_array, diags_array

    n, m = basis.size, len(basis.mesh)
    rows, columns, values = [], [], []
    for side in (0, 1):
        triangle, c = basis.pairs[side], basis.coefficients[side]
        offset = basis.mesh.centres[triangle] - basis.apexes[side]
        for axis, amount in enumerate([c, *(c[:, None] * offset).T]):
            rows.append(4 * triangle + axis)
            columns.append(np.arange(n))
            values.append(amount)
    onto = csr_array((np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(4 * m, n))
    # ∫ |r - centroid|² dS is a 36th of the area times the sum of the squared sides.
    spread = basis.mesh.areas * (basis.mesh.edge_lengths**2).sum(axis=1) / 36.0
    weights = np.stack([spread, *[basis.mesh.areas] * 3], axis=1).ravel()
    return onto, diags_array(weights)


def sheet_terms(antenna: Antenna, basis: Basis, frequency: float) -> Any:
    """Sparse addition to the matrix of the sheets (functions, functions), ohm, or None without lossy sheets."""
    impedance = surface_impedances(antenna, frequency)
    if basis.sheets is None or not impedance.any():
        return None
    from scipy.sparse import diags_array

    onto, weights = _mass(basis.sheets)
    own = np.repeat(impedance[basis.sheets.mesh.sheet], 4)
    return onto.T @ (diags_array(own) @ weights) @ onto


def sheet_losses(antenna: Antenna, basis: Basis, frequency: float, coefficients: Complexes) -> list[tuple[str, float]]:
    """Power lost in the metal of every sheet, W; coefficients (functions,): of the whole basis, A peak."""
    impedance = surface_impedances(antenna, frequency).real
    if basis.sheets is None or not impedance.any():
        return []
    onto, weights = _mass(basis.sheets)
    flat = onto @ basis.split(coefficients)[1]
    heat = 0.5 * (flat.conj() * (weights @ flat)).real.reshape(-1, 4).sum(axis=1)
    own = basis.sheets.mesh.sheet
    return [
        (f"metal of sheet '{s.name}'", float(impedance[i] * heat[own == i].sum()))
        for i, s in enumerate(antenna.sheets)
        if s.metal is not None and not antenna.is_opening(s)
    ]
