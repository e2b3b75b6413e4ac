"""Elements of an array that are alike: currents of many ports from those of a few, by the lattice they stand on.

What currents do on one element to those of another hangs on nothing but how far the two are apart. So currents that
solved ports leave on all elements are taken together into a few for any element (macro functions, after Prakash and
Mittra 2003), and the matrix among these needs products with those of a few elements alone.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..running import report
from .basis import Basis
from .krylov import Product

LEAST = 48
"""Elements and ports from which it is worth while."""
_EQUAL = 1e-6
"""How far alike elements may be from equal, over their size."""
_FIRST, _LOOKED, _ROUNDS = 9, 6, 3
"""Ports that are solved; others that are looked at, and solved too where they are off; how often."""
_TOLERANCE, _LARGEST = 3e-6, 9000
"""What is left out of solved currents, over the largest; and the most macro functions in all."""


@dataclass(frozen=True, eq=False)
class Alike:
    """functions (elements, own): the same ones of every element; signs (elements, own): which way they go; places
    (elements, 3), m.
    """

    functions: Ints
    signs: Floats
    places: Floats

    def spread(self, macro: Complexes, elements: Ints, size: int) -> Complexes:
        """Macro functions (own, macro) of some elements as columns (functions, elements x macro)."""
        count = macro.shape[1]
        found = np.zeros((size, len(elements) * count), np.complex128)
        for n, one in enumerate(elements):
            found[self.functions[one], n * count : (n + 1) * count] = self.signs[one][:, None] * macro
        return found

    def taken(self, columns: Complexes) -> Complexes:
        """Of columns (functions, columns) what is on every element (elements, own, columns)."""
        return np.asarray(columns[self.functions] * self.signs[..., None])

    def among_fewer(self, fewer: Any) -> Alike | None:
        """The same of fewer functions, sparse (functions, fewer), if those of every element are alike as well."""
        from scipy.sparse import diags_array

        weights = np.random.default_rng(0).random(self.functions.shape[1])
        functions, signs, first = [], [], None
        for own, ways in zip(self.functions, self.signs, strict=True):
            here = (diags_array(ways) @ fewer[own]).tocsc()
            used = np.flatnonzero(np.diff(here.indptr))
            used = used[np.argsort(abs(here[:, used]).T @ weights)]
            here = here[:, used]
            first = here if first is None else first
            if here.shape != first.shape:
                return None
            way = np.where(np.asarray(first.multiply(here).sum(axis=0)).ravel() < 0.0, -1.0, 1.0)
            if abs(here @ diags_array(way) - first).max() > _EQUAL * abs(first).max():
                return None
            functions.append(used)
            signs.append(way)
        if len(np.unique(functions)) != fewer.shape[1]:
            return None
        return Alike(np.array(functions), np.array(signs), self.places)

    @property
    def _off(self) -> Ints:
        """How far from each element to each (elements, elements, 3), in whole numbers."""
        size = max(np.ptp(self.places, axis=0).max(), 1e-300)
        return np.asarray(np.round((self.places[None] - self.places[:, None]) / (size * _EQUAL)).astype(np.int64))

    @property
    def steps(self) -> tuple[Ints, Ints]:
        """Which step it is from each element to each (elements, elements), numbered; 1 or -1, the way it is taken."""
        off = self._off
        first = np.take_along_axis(off, (off != 0).argmax(axis=2)[..., None], axis=2)[..., 0]
        way = np.where(first < 0, -1, 1)
        _, number = np.unique((off * way[..., None]).reshape(-1, 3), axis=0, return_inverse=True)
        return number.reshape(way.shape), way


@dataclass(frozen=True, eq=False)
class LikeRows:
    """Rows of wires' functions, of which those of a few elements are worked out.

    asked (functions,): the functions of wires that are. first: the number of the first of these. shown (elements,
    elements, 2): which two elements, the first of them asked, show what each is to each.
    """

    alike: Alike
    first: int
    asked: Ints
    shown: Ints

    def complete(self, rows: Complexes) -> None:
        """Fill in the rows of wires' functions (wires' functions, functions) that are not worked out."""
        on, signs = self.alike.functions, self.alike.signs
        # The same functions of every element are on wires.
        wires = np.flatnonzero(on[0] >= self.first)
        own = on[:, wires] - self.first
        for one in range(len(on)):
            if np.isin(own[one], self.asked).all():
                continue
            source, other = self.shown[one].T
            seen = rows[own[source][:, :, None], on[other][:, None]]
            seen *= signs[source][:, wires, None] * signs[other][:, None]
            seen *= signs[one, wires][:, None] * signs[:, None]
            rows[own[one][:, None, None], on.T[None]] = seen.transpose(1, 2, 0)

    def among_feet(self, entries: Complexes, into: Floats) -> Complexes:
        """Entries (feet, sets, feet) of all feet by those that are worked out; into (feet, wires' functions)."""
        elements, own = self.alike.functions.shape
        number = np.empty(elements * own, np.int64)
        number[self.alike.functions.ravel()] = np.arange(elements * own)
        # Feet by their elements, in the order of the functions that stand there.
        order = np.argsort(number[self.first + np.abs(into).argmax(axis=1)])
        feet = order.reshape(elements, -1)
        found = np.empty_like(entries)
        for one in range(elements):
            source, other = self.shown[one].T
            seen = entries[feet[source][:, :, None], :, feet[other][:, None]]
            found[feet[one][:, None, None], :, feet.T[None]] = seen.transpose(1, 2, 0, 3)
        return found


def like_rows(alike: Alike, first: int) -> LikeRows | None:
    """Rows by those of as few elements as show every step; first: the number of the first of wires' functions."""
    functions = alike.functions
    if (functions[0] >= first).sum() in (0, functions.shape[1]):
        return None
    _, steps = np.unique(alike._off.reshape(-1, 3), axis=0, return_inverse=True)
    steps = steps.reshape(len(functions), -1)
    by = np.full((int(steps.max()) + 1, 2), -1)
    asked = []
    while (by < 0).any():
        one = int(np.argmax((by[steps, 0] < 0).sum(axis=1)))
        asked.append(one)
        by[steps[one]] = np.stack([np.full(len(functions), one), np.arange(len(functions))], axis=1)
    wires = functions[asked][:, functions[0] >= first] - first
    return LikeRows(alike, first, np.sort(wires.ravel()), by[steps])


def alike_elements(basis: Basis, level: bool) -> Alike | None:
    """The elements of a basis, if it is nothing but those; level: they must be of one height.

    An element is pieces of metal that do not touch, one of every kind there is.
    """
    number = _connected(basis)
    sizes = np.bincount(number)
    if len(sizes) < LEAST:
        return None
    middles, moments = _middles(basis), _moments(basis)
    by_piece = np.split(np.argsort(number, kind="stable"), np.cumsum(sizes)[:-1])
    size = max(np.ptp(middles, axis=0).max(), 1e-300)
    kinds = []
    for count in np.unique(sizes):
        left = np.array([by_piece[n] for n in np.flatnonzero(sizes == count)])
        while len(left):
            functions, left = _of_a_kind(left, middles, moments)
            # In the order of where they are, whatever the order they are given in.
            corners = middles[functions].min(axis=1)
            order = np.lexsort(np.round(corners / (size * _EQUAL)).T)
            kinds.append((functions[order], corners[order]))
            if len(functions) != len(kinds[0][0]):
                return None
    places = kinds[0][1]
    if len(places) < LEAST or (level and np.ptp(places[:, 2]) > _EQUAL * size):
        return None
    if any(np.ptp(corners - places, axis=0).max() > _EQUAL * size for _, corners in kinds):
        return None
    functions = np.concatenate([own for own, _ in kinds], axis=1)
    flow = np.einsum("eox,ox->eo", moments[functions], moments[functions[0]])
    return Alike(functions, np.where(flow < 0.0, -1.0, 1.0), places)


def _of_a_kind(functions: Ints, middles: Floats, moments: Floats) -> tuple[Ints, Ints]:
    """Pieces (pieces, own) like the first, each in the order of that; and the others."""
    from scipy.spatial import cKDTree

    own = middles[functions] - middles[functions].min(axis=1, keepdims=True)
    size, here = max(np.ptp(own[0], axis=0).max(), 1e-300), moments[functions] / np.abs(moments[functions[0]]).max()
    # Whichever way it is counted, a moment times itself is the same.
    keys = np.concatenate([own / size, *(here * here[..., [axis]] for axis in range(3))], axis=2)
    tree, count = cKDTree(keys[0]), keys.shape[1]
    off, which = tree.query(keys)
    alike = (off.max(axis=1) < _EQUAL) & (np.sort(which, axis=1) == np.arange(count)).all(axis=1)
    # Functions in one place cannot be told apart: such a piece is like none.
    alike[0] = True
    order = np.argsort(which, axis=1)
    return np.take_along_axis(functions[alike], order[alike], axis=1), functions[~alike]


def _connected(basis: Basis) -> Ints:
    """The number of the element that each function is on (functions,)."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    first, n = basis.first_wire, basis.size
    triangles = 0 if basis.sheet_mesh is None else len(basis.sheet_mesh)
    ends = [(first + np.arange(n - first), triangles + basis.wires.halves[s] // 2) for s in (0, 1)]
    if basis.sheets is not None:
        ends += [(np.arange(first), basis.sheets.pairs[s]) for s in (0, 1)]
    for fan, amount in basis.feet:
        standing = first + np.flatnonzero(amount)
        ends.append((np.repeat(standing, len(fan.triangles)), np.tile(fan.triangles, len(standing))))
    rows, pieces = (np.concatenate(x) for x in zip(*ends, strict=True))
    size = n + triangles + len(basis.mesh)
    _, label = connected_components(coo_array((np.ones(len(rows)), (rows, n + pieces)), shape=(size, size)), False)
    return np.asarray(np.unique(label[:n], return_inverse=True)[1])


def _middles(basis: Basis) -> Floats:
    """The middle of the edge, or the node, that every function goes across (functions, 3), m."""
    nodes = basis.mesh.nodes[basis.mesh.ends.ravel()[basis.wires.halves[0]]]
    if basis.sheets is None:
        return np.asarray(nodes)
    return np.concatenate([basis.sheets.mesh.vertices[basis.sheets.edges].mean(axis=1), nodes])


def _moments(basis: Basis) -> Floats:
    """The current moment of every function (functions, 3), A·m."""
    found = np.zeros((basis.size, 3))
    sheets, wires, first = basis.sheets, basis.wires, basis.first_wire
    if sheets is not None:
        mesh = sheets.mesh
        for s in (0, 1):
            reach = mesh.centres[sheets.pairs[s]] - sheets.apexes[s]
            found[:first] += (sheets.coefficients[s] * mesh.areas[sheets.pairs[s]])[:, None] * reach
    for s in (0, 1):
        on = wires.halves[s] // 2
        found[first:] += (0.5 * wires.signs[s] * wires.mesh.lengths[on])[:, None] * wires.mesh.tangents[on]
    return found


def spread_out(places: Floats, count: int) -> Ints:
    """So many of places (n, 3) as far from one another as can be, those at corners first."""
    off = np.linalg.norm(places - places.mean(axis=0), axis=1)
    chosen = [int(np.argmax(off))]
    nearest = np.linalg.norm(places - places[chosen[0]], axis=1)
    while len(chosen) < min(count, len(places)):
        chosen.append(int(np.argmax(nearest)))
        nearest = np.minimum(nearest, np.linalg.norm(places - places[chosen[-1]], axis=1))
    return np.array(chosen)


def macro_functions(alike: Alike, solved: Complexes, tolerance: float) -> Complexes:
    """Of currents (functions, columns) those that any element has (own, macro), to a share of the largest."""
    own = alike.taken(solved)
    flat = np.moveaxis(own, 1, 0).reshape(own.shape[1], -1)
    values, vectors = np.linalg.eigh(flat @ flat.conj().T)
    kept = values > tolerance**2 * values[-1]
    return np.ascontiguousarray(vectors[:, kept][:, ::-1])


def among(alike: Alike, macro: Complexes, product: Product) -> Complexes:
    """The matrix among macro functions (elements x macro, the same), of a product."""
    steps, ways = alike.steps
    count, elements, size = macro.shape[1], len(alike.places), alike.functions.size
    blocks = np.empty((int(steps.max()) + 1, count, count), np.complex128)
    there = np.zeros(len(blocks), bool)
    while not there.all():
        one = int(np.argmax((~there)[steps].sum(axis=1)))
        seen = alike.taken(product(alike.spread(macro, np.array([one]), size)))
        between = macro.T @ seen
        # From the one to the other, or the other way round: the matrix is its own transpose.
        blocks[steps[one]] = np.where(ways[one, :, None, None] > 0, between, between.transpose(0, 2, 1))
        there[steps[one]] = True
    found = np.empty((elements, count, elements, count), np.complex128)
    for one in range(elements):
        own = blocks[steps[one]]
        found[:, :, one] = np.where(ways[one, :, None, None] > 0, own, own.transpose(0, 2, 1))
    return found.reshape(elements * count, elements * count)


def by_a_few(
    alike: Alike, product: Product, solve: Product, off: Callable[[Complexes, Complexes], tuple[float, float]],
    vectors: Complexes,
) -> tuple[Complexes, str] | None:  # fmt: skip
    """Solutions (functions, columns) from those of a few columns, and how in words; None where that will not do.

    off: how far solutions are off for vectors, by residual and by figures at ports, over what is allowed of each.
    """
    from scipy import linalg

    size, columns = vectors.shape
    where = alike.places[np.argmax(np.linalg.norm(alike.taken(vectors), axis=1), axis=0)]
    order = spread_out(where, columns)
    few, solved = order[:_FIRST], solve(vectors[:, order[:_FIRST]])
    for _ in range(_ROUNDS):
        macro = macro_functions(alike, solved, _TOLERANCE)
        count = macro.shape[1]
        if count * len(alike.places) > min(_LARGEST, size // 4):
            return None
        report(f"{count} currents on each of {len(alike.places)} elements that are alike")
        factors = linalg.lu_factor(among(alike, macro, product), overwrite_a=True, check_finite=False)
        every = np.arange(len(alike.places))
        given = (macro.T @ alike.taken(vectors)).reshape(len(every) * count, columns)
        amounts = linalg.lu_solve(factors, given).reshape(len(every), count, columns)
        found = np.empty(vectors.shape, np.complex128)
        found[alike.functions] = alike.signs[..., None] * (macro @ amounts)
        found[:, few] = solved
        if len(few) == columns:
            return found, f"all {columns} ports"
        looked = order[len(few) :][np.unique(np.linspace(0, columns - len(few) - 1, _LOOKED).astype(int))]
        residual, figures = off(found[:, looked], vectors[:, looked])
        if residual <= 1.0 and figures <= 1.0:
            return found, f"{len(few)} of {columns} ports, the others by {count} currents an element"
        few = np.concatenate([few, looked])
        order = np.concatenate([few, np.setdiff1d(order, few)])
        solved = np.concatenate([solved, solve(vectors[:, looked])], axis=1)
    return None
