"""Fewer functions out of a basis: those that a mesh of pieces about twice as large would have.

A Galerkin solution among them costs no integral: with c = P c', PᵀZP c' = Pᵀv. How far its figures are from those of
the whole basis tells how far these in turn are from the truth (`answers.mesh_errors`).

On wires, every second node between ends, joints and the middles of gaps is left out, and the current there is linear
between its neighbours. On sheets, triangles are taken together in fours, across the longest edges first; a function
sends one ampere per metre across what two fours share, and within each of them flows so that the charge is even and the
least power is spent: the lowest space of Raviart and Thomas (1977) on unions of triangles.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from ..arraytypes import Bools, Complexes, Floats, Ints
from ..description.antenna import Antenna
from ..meshing.faces import slabs
from .basis import Basis
from .operator import Operator
from .ports import edges_of_gap, within_gap
from .sheet_basis import SheetBasis
from .wire_basis import WireBasis

_ROUNDS = 2
_LIKE = 1e-9
_FLAT = 0.85
"""Cosine between the normals of triangles that are taken together."""


def fewer_functions(antenna: Antenna, basis: Basis, vectors: Floats) -> Any:
    """Sparse (functions, fewer): coefficients from those of the fewer; vectors: what gaps are, (functions, gaps)."""
    from scipy.sparse import block_diag

    parts = [_on_wires(basis.wires, vectors[basis.first_wire :])]
    if basis.sheets is not None:
        parts.insert(0, _on_sheets(antenna, basis.sheets, basis.standing))
    return block_diag(parts, format="csr")


class Rough(NamedTuple):
    """What fewer functions give at a frequency, for 1 V at each gap.

    coefficients (gaps, fewer). by_wires (gaps, gaps): the wires' part of how far admittances are below the whole's, S.
    """

    coefficients: Complexes
    by_wires: Complexes


def among_fewer(operator: Operator, fewer: Any, vectors: Floats) -> tuple[Complexes, Complexes]:
    """Coefficients (gaps, fewer) of the Galerkin solution among the fewer, of a symmetric matrix Z, and v - Z P c'.

    That, (functions, gaps), times what is missing of the currents is what is missing of the admittances, function by
    function: Y - Y' = (c - P c')ᵀ Z (c - P c') = (c - P c')ᵀ(v - Z P c').
    """
    coefficients = operator.reduced(fewer).factors().solve((fewer.T @ vectors).astype(complex))
    return np.ascontiguousarray(coefficients.T), vectors - operator.product(fewer @ coefficients)


def rough(basis: Basis, fewer: Any, coefficients: Complexes, among: tuple[Complexes, Complexes]) -> Rough:
    """From what `among_fewer` gives and the coefficients (gaps, functions) of the whole basis."""
    own, left = among
    first = basis.first_wire
    missed = (coefficients - own @ fewer.T)[:, first:] @ left[first:]
    return Rough(own, 0.5 * (missed + missed.T))


def _on_wires(wires: WireBasis, vectors: Floats) -> Any:
    """Sparse (functions, fewer) of wires: what is left out is linear between its neighbours."""
    from scipy.sparse import coo_array, csr_array, eye_array

    if not wires.size:
        return csr_array((0, 0))
    out = np.isin(np.arange(wires.size), _left_out(wires, vectors))
    far, long = wires.halves ^ 1, wires.mesh.lengths[wires.halves // 2]
    shares = wires.signs * long[::-1] / long.sum(axis=0)
    kept = np.cumsum(~out) - 1
    whole = eye_array(wires.size, format="csr").multiply((~out)[:, None])
    for half, share in zip(far, shares, strict=True):
        whole = whole + wires.ends[half].multiply((out * share)[:, None])
    entries = coo_array(whole)
    row, column = entries.coords
    used = entries.data != 0.0
    return csr_array((entries.data[used], (row[used], kept[column[used]])), shape=(wires.size, int((~out).sum())))


def _left_out(wires: WireBasis, vectors: Floats) -> list[int]:
    """Every second function of each chain between joints, ends and middles of gaps; what is odd stays in the middle."""
    grid = wires.mesh
    node = grid.ends.ravel()[wires.halves[0]]
    arms = np.bincount(grid.ends.ravel(), minlength=len(grid.nodes))
    functions = np.bincount(node, minlength=len(grid.nodes))
    plain = (arms[node] == 2) & (functions[node] == 1) & (wires.signs[1] != 0.0)
    plain &= ~wires.even[wires.halves // 2].any(axis=0)
    # A gap is its middle and its edges: counted from there, edges stay.
    plain[np.abs(vectors).argmax(axis=0)] = False
    own = np.full(len(grid.nodes), -1)
    own[node[plain]] = np.flatnonzero(plain)
    found: list[int] = []
    for chain in _chains(grid.ends, own >= 0):
        inner = own[chain[1:-1]].tolist()
        half = (len(inner) + 1) // 2
        first = inner[:half:2]
        last = inner[::-1][: len(inner) - half : 2]
        if len(inner) % 2 == 0 and half % 2 == 1:
            # Both would leave out their last, which are neighbours.
            last = last[:-1]
        found += first + [f for f in last if f not in first]
    return found


def _chains(ends: Ints, inner: Bools) -> list[list[int]]:
    """Nodes of every chain of segments, through nodes of two segments that are inner, from one that is not or round."""
    at: list[list[tuple[int, int]]] = [[] for _ in range(len(inner))]
    for segment, (a, b) in enumerate(ends.tolist()):
        at[a].append((b, segment))
        at[b].append((a, segment))
    passed = np.zeros(len(ends), bool)
    found = []
    starts = [*np.flatnonzero(~inner).tolist(), *np.flatnonzero(inner).tolist()]
    for start in starts:
        for following, segment in at[start]:
            if passed[segment]:
                continue
            chain, passed[segment] = [start, following], True
            while inner[chain[-1]]:
                onward = [(b, s) for b, s in at[chain[-1]] if not passed[s]]
                if not onward:
                    break
                chain.append(onward[0][0])
                passed[onward[0][1]] = True
            found.append(chain)
    return found


def _on_sheets(antenna: Antenna, sheets: SheetBasis, feet: Ints) -> Any:
    """Sparse (functions, fewer) of sheets."""
    from scipy.sparse import csr_array, diags_array

    own, count = _taken_together(antenna, sheets, feet), sheets.size
    one, two = sheets.pairs
    length = np.linalg.norm(np.diff(sheets.mesh.vertices[sheets.edges], axis=1)[:, 0], axis=1)
    inside = (own[one] == own[two]) & (one != two)
    # What crosses from one union into another, or out to the image, is one function, the same per metre all along.
    across = np.flatnonzero(~inside)
    beyond = np.where(one == two, own.max(initial=0) + 1, own[two])[across]
    sides = np.sort(np.stack([own[one[across]], beyond]), axis=0)
    _, number = np.unique(sides, axis=1, return_inverse=True)
    number = number.ravel()
    way = np.where(own[one[across]] == sides[0], 1.0, -1.0)
    fewer = csr_array((way, (across, number)), shape=(count, int(number.max(initial=-1)) + 1))
    # Amperes out of every triangle: those across, against those of even charge, leave what flows inside to be found.
    signs = np.stack([np.ones(count), np.where(one == two, 0.0, -1.0)]) * length
    out = csr_array((signs.ravel(), (sheets.pairs.ravel(), np.tile(np.arange(count), 2))), shape=(len(own), count))
    leaving = out @ fewer
    union = csr_array((np.ones(len(own)), (own, np.arange(len(own)))))
    areas = sheets.mesh.areas
    even = diags_array(areas / (union @ areas)[own]) @ union.T @ (union @ leaving)
    within = np.flatnonzero(inside)
    apart = np.linalg.norm(np.diff(sheets.mesh.centres[sheets.pairs[:, within]], axis=0)[0], axis=1)
    ease = diags_array(1.0 / (length[within] * apart))
    inner = out[:, within]
    levels = _inverted(inner @ ease @ inner.T, own) @ (even - leaving)
    rows = csr_array((np.ones(len(within)), (within, np.arange(len(within)))), shape=(count, len(within)))
    return (fewer + rows @ (ease @ (inner.T @ levels))).tocsr()


def _inverted(square: Any, own: Ints) -> Any:
    """The pseudo-inverse of a matrix of triangles that couples none but those of one union."""
    from scipy.sparse import csr_array

    order = np.argsort(own, kind="stable")
    place = np.empty(len(own), np.int64)
    place[order] = np.arange(len(own)) - np.searchsorted(own[order], own[order])
    most = int(place.max(initial=0)) + 1
    blocks = np.zeros((int(own.max(initial=-1)) + 1, most, most))
    entries = square.tocoo()
    row, column = entries.coords
    blocks[own[row], place[row], place[column]] = entries.data
    inverted = np.linalg.pinv(blocks, rcond=1e-9, hermitian=True)
    union, one, two = np.nonzero(inverted)
    triangle = np.full(blocks.shape[:2], -1)
    triangle[own, place] = np.arange(len(own))
    rows, columns = triangle[union, one], triangle[union, two]
    there = (rows >= 0) & (columns >= 0)
    return csr_array((inverted[union, one, two][there], (rows[there], columns[there])), shape=square.shape)


def _taken_together(antenna: Antenna, sheets: SheetBasis, feet: Ints) -> Ints:
    """The number of the union that each triangle belongs to: flat, of one sheet, on one side of every gap's edges."""
    mesh, (one, two) = sheets.mesh, sheets.pairs
    x = mesh.corners
    normals = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
    normals /= np.linalg.norm(normals, axis=1)[:, None]
    _, which, many = np.unique(sheets.edges, axis=0, return_inverse=True, return_counts=True)
    level = np.abs(np.einsum("ij,ij->i", normals[one], normals[two])) > _FLAT
    free: Bools = np.logical_and.reduce([one != two, many[which.ravel()] == 1, level])
    free &= mesh.sheet[one] == mesh.sheet[two]
    for slab in slabs(antenna):
        inside = within_gap(slab, mesh)
        free &= (inside[one] == inside[two]) & ~edges_of_gap(slab, sheets)
    # What a foot spreads is even on none but its own triangles.
    still = np.asarray(np.isin(mesh.triangles, feet).any(axis=1))
    free &= ~still[one] & ~still[two]
    ends = mesh.vertices[sheets.edges[free]]
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    own = np.arange(len(mesh.triangles))
    for _ in range(_ROUNDS):
        own = _in_pairs(own, np.sort(own[sheets.pairs[:, free]], axis=0), length, mesh.areas)
    return own


def _in_pairs(own: Ints, neighbours: Ints, length: Floats, areas: Floats) -> Ints:
    """Numbers anew, with those that share the longest edge for their size taken together in pairs."""
    apart = neighbours[0] != neighbours[1]
    pairs, which = np.unique(neighbours[:, apart], axis=1, return_inverse=True)
    shared, area = np.bincount(which.ravel(), length[apart], minlength=pairs.shape[1]), np.bincount(own, areas)
    worth = shared**2 / np.sqrt(area[pairs[0]] * area[pairs[1]])
    order = np.argsort(-worth, kind="stable")
    # What differs by rounding alone goes by numbers, so that elements that are alike are taken together alike.
    below = np.diff(worth[order], prepend=np.inf) < -_LIKE * worth[order]
    order = order[np.lexsort([order, np.cumsum(below)])]
    into, taken = np.arange(len(area)), np.zeros(len(area), bool)
    for a, b in pairs[:, order].T.tolist():
        if not taken[a] and not taken[b]:
            taken[a] = taken[b] = True
            into[b] = a
    return np.asarray(np.unique(into[own], return_inverse=True)[1].ravel(), np.int64)
