"""An antenna a little different from one that is solved, or at a frequency a little off: solved with the same factors.

Its own matrix Z' is filled, and Z' X' = V' is solved by refinement with the factors of Z, X' ← X' + Z⁻¹(V' - Z' X')
(Wilkinson 1963), which converges as fast as Z' is near to Z. So currents and admittances of the changed one are exact,
and figures of merit, whatever they are, change as they do: no formula of its own for each.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

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
from ..moments.factors import kept_factors
from ..moments.formulation import basis_on, formulation
from ..moments.ports import gap_vectors
from ..moments.response import Response, impedance_operator, solved_for
from ..moments.wire_terms import wire_terms
from ..running import Record

_ROUNDS, _CLOSE, _ENOUGH = 12, 1e-10, 1e-8
"""Rounds of refinement at most; what is left where nothing more is to be had, and where it will do, V for 1 V."""
_BESIDE = 0.1
"""How far a vertex may have moved, as a share of its mesh's shortest edge, to be known again."""
_EXACT, _ASIDE = 1e-9, 1e-3
"""How far off what should be in place may be, over the antenna's size and over how far vertices moved."""
_FEW = 0.44
"""Up to what share of the functions the rows of those that moved are filled, instead of the whole, mirrored."""
_EXACT_PLACE = 1e-13
_OFF_RIM = 0.1
"""The same of rims, whose vertices a mesh puts down to some 1e-7 of the size."""


def nearby(solution: Solution, antenna: Antenna, hertz: float, at: float) -> Solution | None:
    """A solution of an antenna like the solved one, at a frequency `at`, Hz; None where its mesh is of another kind.

    hertz: where the solved one's factors are taken.
    """
    basis = basis_like(solution, antenna)
    return None if basis is None else nearby_all(solution, [(antenna, basis)], hertz, at)[0]


def nearby_all(
    solution: Solution, changes: Sequence[tuple[Antenna, Basis]], hertz: float, at: float
) -> list[Solution | None]:
    """The same of several antennas, with bases as `basis_like` gives them: those of which little moved, all at once."""
    # What the solved matrix makes of the currents is known by how they came about.
    made = gap_vectors(solution.antenna, solution.response.basis).astype(complex)
    known, together = _currents(solution, hertz, made), []
    found: dict[int, Solution | None] = {}
    for number, (antenna, basis) in enumerate(changes):
        try:
            vectors = gap_vectors(antenna, basis).astype(complex)
        except ModelError:
            # A gap that stays while its sheet grows is not where the mesh has its lines.
            found[number] = None
            continue
        partly = _partly(solution, antenna, basis, at) if at == hertz else None
        one = _Aside(
            antenna, basis, vectors, partly or _whole(antenna, basis, at, solution.response.method), known, made
        )
        if partly is None:
            # A matrix of its own, which need not wait for others.
            _refined(solution, [one], hertz)
            found[number] = one.solution(solution, at)
        else:
            together.append((number, one))
    if together:
        _refined(solution, [one for _, one in together], hertz)
    found |= {number: one.solution(solution, at) for number, one in together}
    return [found[number] for number in range(len(changes))]


def settled(solution: Solution, hertz: float) -> Solution:
    """The same at a solved frequency, Hz, its currents to the last digit: what iterations left of them counts in small
    differences. By a dense matrix they are so already.
    """
    if solution.record.ways.get(hertz, "dense") == "dense":
        return solution
    own, antenna = solution.response.basis, solution.antenna
    vectors = gap_vectors(antenna, own).astype(complex)
    known = _currents(solution, hertz, vectors)
    one = _Aside(antenna, own, vectors, _whole(antenna, own, hertz, solution.response.method), known, vectors)
    _refined(solution, [one], hertz)
    found = one.solution(solution, hertz)
    return solution if found is None else replace(found, record=solution.record)


Lost = Callable[[Complexes], Complexes]
"""The solved matrix times columns."""


@dataclass(frozen=True, eq=False)
class _Whole:
    """All of a changed antenna's matrix."""

    product: Lost

    def times(self, columns: Complexes, _made: Complexes, _lost: Complexes) -> Complexes:
        """What it makes of columns."""
        return self.product(columns)

    def held(self, columns: Complexes) -> Complexes:
        """What of columns goes to the solved matrix first: nothing."""
        return columns[:, :0]


@dataclass(frozen=True, eq=False)
class _Partly:
    """Of a changed antenna's matrix the rows of the functions that moved, and what is inside its wires and was."""

    moved: Ints
    rows: Complexes
    inside: Any
    before: Any

    def held(self, columns: Complexes) -> Complexes:
        """Columns with nothing but what moved."""
        found = np.zeros_like(columns)
        found[self.moved] = columns[self.moved]
        return found

    def times(self, columns: Complexes, made: Complexes, lost: Complexes) -> Complexes:
        """What it makes of columns, of which the solved matrix made so much; lost: and so much of what moved."""
        found = made - lost
        if self.before is not None:
            found -= self.before @ (columns - self.held(columns))
        found += self.rows.T @ columns[self.moved]
        found[self.moved] = self.rows @ columns
        if self.inside is not None:
            found += self.inside @ columns
        return found


@dataclass
class _Aside:
    """Currents on their way: known, what the solved matrix makes of them, and what is left, V for 1 V."""

    antenna: Antenna
    basis: Basis
    vectors: Complexes
    matrix: _Whole | _Partly
    known: Complexes
    made: Complexes
    left: float = np.inf

    def rest(self, lost: Complexes) -> Complexes | None:
        """What is left to be made good; nothing where it is little, or grows. lost: see `_Partly.times`."""
        rest = self.vectors - self.matrix.times(self.known, self.made, lost)
        before, self.left = self.left, float(np.abs(rest).max())
        return None if self.left <= _CLOSE or self.left > 0.5 * before else rest

    def solution(self, solution: Solution, at: float) -> Solution | None:
        """Once it is at its end, like the solved one; None where too much is left."""
        if self.left > _ENOUGH:
            return None
        admittance = self.vectors.T @ self.known
        both = 0.5 * (admittance + admittance.T)[None]
        coefficients = np.ascontiguousarray(self.known.T)[None]
        method = solution.response.method
        response = Response(self.antenna, self.basis, np.array([at]), coefficients, both, method=method)
        return Solution(response, solution.rule, response.frequencies, response.admittance, 0.0, Record())


def _refined(solution: Solution, asides: Sequence[_Aside], hertz: float) -> None:
    """Bring currents to their end, all columns in one substitution."""
    own = solution.response
    waiting, solved = list(asides), _solved_matrix(solution, asides, hertz)
    for _ in range(_ROUNDS):
        held = [one.matrix.held(one.known) for one in waiting]
        lost = np.split(solved(np.concatenate(held, axis=1)), np.cumsum([h.shape[1] for h in held])[:-1], axis=1)
        rests = [(one, rest) for one, part in zip(waiting, lost, strict=True) if (rest := one.rest(part)) is not None]
        if not rests:
            return
        columns = np.concatenate([rest for _, rest in rests], axis=1)
        steps = solved_for(solution.antenna, own.basis, hertz, columns, method=own.method)
        for (one, rest), step in zip(rests, np.split(steps, len(rests), axis=1), strict=True):
            one.known, one.made = one.known + step, one.made + rest
        waiting = [one for one, _ in rests]


def _solved_matrix(solution: Solution, asides: Sequence[_Aside], hertz: float) -> Lost:
    """The solved matrix times columns that have nothing but what moved somewhere: by its factors, or by such rows."""
    antenna, basis = solution.antenna, solution.response.basis
    moved = [one.matrix.moved for one in asides if isinstance(one.matrix, _Partly)]
    if not moved:
        return lambda columns: columns
    factors = kept_factors(antenna, basis, hertz)
    if factors is not None and factors.way == "dense":
        return factors.product
    # What iterations multiply by is not exact: it would be seen in small differences.
    some, inside = np.unique(np.concatenate(moved)), wire_terms(antenna, basis.wires, hertz)
    rows = formulation(antenna.medium).rows(basis, hertz, some)
    assert rows is not None

    def product(columns: Complexes) -> Complexes:
        found = rows.T @ columns[some]
        return found if inside is None else found + inside @ columns

    return product


def _currents(solution: Solution, hertz: float, vectors: Complexes) -> Complexes:
    """Those of the solved antenna (functions, gaps), at a frequency that was solved or is now."""
    own = solution.response
    nearest = int(np.argmin(np.abs(own.frequencies - hertz)))
    if own.frequencies[nearest] == hertz:
        return np.asarray(own.coefficients[nearest].T)
    return solved_for(solution.antenna, own.basis, hertz, vectors, method=own.method)


def _whole(antenna: Antenna, basis: Basis, at: float, method: str) -> _Whole:
    """The whole matrix of a changed antenna."""
    return _Whole(impedance_operator(antenna, basis, at, method).product)


def _partly(solution: Solution, antenna: Antenna, basis: Basis, at: float) -> _Partly | None:
    """What the matrix of a changed antenna has other than the solved one, where few functions moved; else None."""
    own = solution.response.basis
    moved = _moved(own, basis)
    if moved is None or len(moved) > _FEW * basis.size:
        return None
    rows = formulation(antenna.medium).rows(basis, at, moved)
    if rows is None:
        return None
    return _Partly(moved, rows, wire_terms(antenna, basis.wires, at), wire_terms(solution.antenna, own.wires, at))


def _moved(one: Basis, other: Basis) -> Ints | None:
    """The functions that have something on a segment that is not where it was, or not as thick."""
    before, after = one.mesh.columns, other.mesh.columns
    if not before.size or before.shape != after.shape or not np.array_equal(one.wires.halves, other.wires.halves):
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
        return basis_on(grid, None, own.reach, antenna.medium)
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
