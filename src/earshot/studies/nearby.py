"""An antenna a little different from one that is solved, or at a frequency a little off: solved with the same factors.

Its own matrix Z' is filled, and Z' X' = V' is solved by refinement with the factors of Z, X' ← X' + Z⁻¹(V' - Z' X')
(Wilkinson 1963), which converges as fast as Z' is near to Z. So currents and admittances of the changed one are exact,
and figures of merit, whatever they are, change as they do: no formula of its own for each.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.spatial import cKDTree

from ..answers.solution import Solution
from ..description.antenna import Antenna
from ..meshing.mesh import mesh
from ..meshing.sheet_mesh import SheetMesh, sheet_mesh
from ..moments.basis import Basis
from ..moments.formulation import antenna_basis, basis_on
from ..moments.ports import gap_vectors
from ..moments.response import Response, impedance_matrix, solved_for
from ..running import Record

_ROUNDS, _CLOSE, _ENOUGH = 12, 1e-13, 1e-8
"""Rounds of refinement at most; what is left where nothing more is to be had, and where it will do, V for 1 V."""
_BESIDE = 0.1
"""How far a vertex may have moved, as a share of its mesh's shortest edge, to be known again."""


def nearby(solution: Solution, antenna: Antenna, hertz: float, at: float) -> Solution | None:
    """A solution of an antenna like the solved one, at a frequency `at`, Hz; None where its mesh is of another kind.

    hertz: where the solved one's factors are taken.
    """
    basis = _basis_like(solution, antenna)
    if basis is None:
        return None
    matrix, vectors = impedance_matrix(antenna, basis, at), gap_vectors(antenna, basis).astype(complex)
    known = solved_for(solution.antenna, solution.response.basis, hertz, vectors)
    left = np.inf
    for _ in range(_ROUNDS):
        rest = vectors - matrix @ known
        before, left = left, float(np.abs(rest).max())
        if left <= _CLOSE or left > 0.5 * before:
            break
        known = known + solved_for(solution.antenna, solution.response.basis, hertz, rest)
    if left > _ENOUGH:
        return None
    admittance = vectors.T @ known
    response = Response(
        antenna, basis, np.array([at]), np.ascontiguousarray(known.T)[None], 0.5 * (admittance + admittance.T)[None]
    )
    return Solution(response, solution.rule, response.frequencies, response.admittance, 0.0, Record())


def _basis_like(solution: Solution, antenna: Antenna) -> Basis | None:
    """The basis on the solved mesh, carried along to where the antenna's own mesh is; None where that cannot be."""
    own, wavelength = solution.response.basis, solution.mesh.wavelength
    if antenna == solution.antenna:
        return own
    grid = mesh(antenna, wavelength, solution.rule)
    if not np.array_equal(grid.ends, own.mesh.ends):
        return None
    if own.sheet_mesh is None:
        return antenna_basis(antenna, wavelength, solution.rule)
    carried = _carried(own.sheet_mesh, sheet_mesh(antenna, wavelength, solution.rule))
    if carried is None:
        return None
    basis = basis_on(grid, carried, own.reach, antenna.medium)
    return basis if basis.size == own.size else None


def _carried(solved: SheetMesh, fresh: SheetMesh) -> SheetMesh | None:
    """Triangles joined as they were, at the vertices of a mesh made anew: each is the one beside it."""
    if len(solved.vertices) != len(fresh.vertices):
        return None
    t = solved.triangles
    edges = solved.vertices[t] - solved.vertices[np.roll(t, 1, axis=1)]
    away, which = cKDTree(fresh.vertices).query(solved.vertices)
    near = away.max() < _BESIDE * float(np.linalg.norm(edges, axis=2).min())
    if not near or len(np.unique(which)) < len(which):
        return None
    return replace(solved, vertices=fresh.vertices[which], places=fresh.places[which], surfaces=fresh.surfaces)
