"""An antenna a little different from one that is solved, or at a frequency a little off: solved with the same factors.

Its own matrix Z' is filled, and Z' X' = V' is solved by refinement with the factors of Z, X' ← X' + Z⁻¹(V' - Z' X')
(Wilkinson 1963), which converges as fast as Z' is near to Z. So currents and admittances of the changed one are exact,
and figures of merit, whatever they are, change as they do: no formula of its own for each.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from scipy.spatial import cKDTree

from ..answers.solution import Solution
from ..arraytypes import Complexes, Floats, Ints
from ..description.antenna import Antenna
from ..description.distances import distances
from ..errors import ModelError, UsageError
from ..meshing.faces import slabs
from ..meshing.mesh import mesh
from ..meshing.sheet_mesh import SheetMesh, sheet_mesh
from ..moments.basis import Basis
from ..moments.formulation import antenna_basis, basis_on
from ..moments.matrix import WireMatrix
from ..moments.ports import gap_vectors
from ..moments.response import Response, impedance_matrix, solved_for
from ..moments.wire_terms import wire_terms
from ..running import Record

_ROUNDS, _CLOSE, _ENOUGH = 12, 1e-13, 1e-8
"""Rounds of refinement at most; what is left where nothing more is to be had, and where it will do, V for 1 V."""
_BESIDE = 0.1
"""How far a vertex may have moved, as a share of its mesh's shortest edge, to be known again."""
_EXACT, _ASIDE = 1e-9, 1e-3
"""How far off what should be in place may be, over the antenna's size and over how far vertices moved."""
_FEW = 0.22
"""Up to what share of the functions the entries of those that moved are filled, each twice, instead of the whole."""
_EXACT_PLACE = 1e-13
_OFF_RIM = 0.1
"""The same of rims, whose vertices a mesh puts down to some 1e-7 of the size."""


def nearby(
    solution: Solution, antenna: Antenna, hertz: float, at: float, basis: Basis | None = None
) -> Solution | None:
    """A solution of an antenna like the solved one, at a frequency `at`, Hz; None where its mesh is of another kind.

    hertz: where the solved one's factors are taken. basis: as `basis_like` gives it, where it is known.
    """
    basis = basis or basis_like(solution, antenna)
    if basis is None:
        return None
    try:
        vectors = gap_vectors(antenna, basis).astype(complex)
    except ModelError:
        # A gap that stays while its sheet grows is not where the mesh has its lines.
        return None
    times = changed_product(solution, antenna, basis, hertz, at)
    # What the solved matrix makes of the currents is known by how they came about.
    made = vectors.copy()
    known = solved_for(solution.antenna, solution.response.basis, hertz, made)
    left = np.inf
    for _ in range(_ROUNDS):
        rest = vectors - times(known, made)
        before, left = left, float(np.abs(rest).max())
        if left <= _CLOSE or left > 0.5 * before:
            break
        known = known + solved_for(solution.antenna, solution.response.basis, hertz, rest)
        made = made + rest
    if left > _ENOUGH:
        return None
    admittance = vectors.T @ known
    response = Response(
        antenna, basis, np.array([at]), np.ascontiguousarray(known.T)[None], 0.5 * (admittance + admittance.T)[None]
    )
    return Solution(response, solution.rule, response.frequencies, response.admittance, 0.0, Record())


Product = Callable[[Complexes, Complexes], Complexes]
"""What a matrix makes of columns, given what the solved one made of them."""


def changed_product(solution: Solution, antenna: Antenna, basis: Basis, hertz: float, at: float) -> Product:
    """The matrix of a changed antenna: only what moved is filled, where that is little, else the whole."""
    own = solution.response.basis
    moved = _moved(own, basis) if at == hertz and not antenna.medium.tabled and basis.sheets is None else None
    if moved is None or len(moved) > _FEW * basis.size:
        matrix = impedance_matrix(antenna, basis, at)
        return lambda columns, _: matrix @ columns
    plane, everything = antenna.medium.grounds, np.arange(basis.size)
    rows = WireMatrix(basis.wires, at, plane).block(moved, everything)
    rows -= WireMatrix(own.wires, at, plane).block(moved, everything)
    others = np.setdiff1d(everything, moved)
    inside = [wire_terms(a, b.wires, at) for a, b in ((antenna, basis), (solution.antenna, own))]

    def product(columns: Complexes, made: Complexes) -> Complexes:
        found = made.copy()
        found[moved] += rows @ columns
        found[others] += rows[:, others].T @ columns[moved]
        for term, sign in zip(inside, (1.0, -1.0), strict=True):
            if term is not None:
                found += sign * (term @ columns)
        return found

    return product


def _moved(one: Basis, other: Basis) -> Ints | None:
    """The functions that have something on a segment that is not where it was, or not as thick."""
    before, after = one.mesh.columns, other.mesh.columns
    if before.shape != after.shape or not np.array_equal(one.wires.halves, other.wires.halves):
        return None
    size = float(np.ptp(one.mesh.nodes, axis=0).max())
    segments = np.asarray((np.abs(before - after) > _EXACT_PLACE * size).any(axis=0))
    here = segments[other.wires.halves // 2] & (other.wires.signs != 0.0)
    return np.flatnonzero(here.any(axis=0))


def alike(solution: Solution, antenna: Antenna) -> Solution | None:
    """The same solve for an antenna of the same metal whose loads or lines are others; None for any other."""
    own = solution.antenna
    if antenna == own:
        return solution
    if (antenna.wires, antenna.sheets, antenna.medium) != (own.wires, own.sheets, own.medium):
        return None
    try:
        return solution.with_(*antenna.ports, *antenna.loads, *antenna.lines)
    except UsageError:
        return None


def basis_like(solution: Solution, antenna: Antenna) -> Basis | None:
    """The basis on the solved mesh, carried along to where the antenna's own mesh is; None where that cannot be."""
    own, wavelength = solution.response.basis, solution.mesh.wavelength
    if antenna == solution.antenna:
        return own
    grid = mesh(antenna, wavelength, solution.rule)
    if not np.array_equal(grid.ends, own.mesh.ends):
        return None
    if own.sheet_mesh is None:
        return antenna_basis(antenna, wavelength, solution.rule)
    fresh = sheet_mesh(antenna, wavelength, solution.rule)
    carried = _carried(own.sheet_mesh, fresh) or _stretched(own.sheet_mesh, fresh, solution.antenna, antenna)
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


def _stretched(solved: SheetMesh, fresh: SheetMesh, before: Antenna, after: Antenna) -> SheetMesh | None:
    """The solved mesh stretched as each sheet is along its own axes, where that takes its rims to the new ones.

    What stays where it is on a sheet that grows, such as a wire's foot, would be carried off: then there is none.
    """
    if len(before.sheets) != len(after.sheets):
        return None
    vertices = np.full_like(solved.vertices, np.nan)
    for number, (old, new) in enumerate(zip(before.sheets, after.sheets, strict=True)):
        own, other = (np.unique(m.triangles[m.sheet == number]) for m in (solved, fresh))
        if not len(own) or not len(other):
            return None
        local, ends = old.surface.to_local(solved.vertices[own]), new.surface.to_local(fresh.vertices[other])
        low, span = local.min(axis=0), np.ptp(local, axis=0)
        share = np.divide(local - low, span, out=np.zeros_like(local), where=span > 0.0)
        placed = new.surface.to_space(ends.min(axis=0) + share * np.ptp(ends, axis=0))
        known = ~np.isnan(vertices[own, 0])
        if np.abs(vertices[own[known]] - placed[known]).max(initial=0.0) > _EXACT * after.size:
            return None
        vertices[own] = placed
    moved = float(np.abs(vertices - solved.vertices).max(initial=0.0))
    rims = fresh.vertices[_rims(fresh)]
    edges = np.stack([rims[:, 0], rims[:, 1], rims[:, 1]], axis=1)
    at_rims = vertices[np.unique(_rims(solved))]
    if len(at_rims) and (not len(edges) or distances(edges, at_rims).max() > _OFF_RIM * moved):
        return None
    for slab in slabs(before):
        # The field of a gap is by its width: that may not grow with its sheet.
        inside = np.abs((solved.vertices - slab.place) @ slab.normal) <= 1.01 * slab.half
        if np.abs((vertices - solved.vertices)[inside] @ slab.normal).max(initial=0.0) > _ASIDE * moved:
            return None
    for one, place in zip(_fixed(before), _fixed(after), strict=True):
        near = np.linalg.norm(solved.vertices - one, axis=1).argmin()
        held = np.linalg.norm(solved.vertices[near] - one) <= _EXACT * after.size
        if held and np.linalg.norm(vertices[near] - place) > _ASIDE * moved + _EXACT * after.size:
            return None
    return replace(solved, vertices=vertices, places=vertices, surfaces=fresh.surfaces)


def _rims(triangles: SheetMesh) -> Ints:
    """Edges (n, 2) of one triangle alone, by their vertices."""
    t = triangles.triangles
    sides = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
    edges, counts = np.unique(sides, axis=0, return_counts=True)
    return np.asarray(edges[counts == 1])


def _fixed(antenna: Antenna) -> list[Floats]:
    """Places that a mesh has vertices or lines at: ends of wires, and gaps."""
    ends = [np.array(point) for wire in antenna.wires for point in (wire.points[0], wire.points[-1])]
    return ends + [antenna.place_of(gap) for gap in antenna.gaps if gap.across is not None]
