"""Factors of a large sparse symmetric matrix, by fronts (Duff and Reid 1983): to precondition with.

Functions are parted by where they are, again and again: in two, and those of the first half that the second half knows
(George 1973, nested dissection). What is between two parts is solved for after both, so that a front is a dense matrix
of few functions: its own and those further up that it knows.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..arraytypes import Complexes, Floats, Ints

_LEAF = 160


@dataclass(slots=True)
class _Part:
    """Functions solved for together, after those of its children."""

    own: Ints
    children: list[_Part] = field(default_factory=list)
    beyond: Ints = field(default_factory=lambda: np.zeros(0, np.int64))


@dataclass(frozen=True, slots=True)
class _Front:
    """own (p,): functions; beyond (b,): those it knows further up; inverse (p, p) among its own; passed (p, b)."""

    own: Ints
    beyond: Ints
    inverse: Complexes
    passed: Complexes


@dataclass(frozen=True, slots=True)
class Fronts:
    """Factors by fronts, in the order of elimination."""

    fronts: tuple[_Front, ...]

    @property
    def bytes(self) -> int:
        """What they take."""
        return sum(f.inverse.nbytes + f.passed.nbytes for f in self.fronts)

    def solve(self, vectors: Complexes) -> Complexes:
        """Solutions (functions, columns)."""
        found = vectors.astype(np.complex128)
        for front in self.fronts:
            if len(front.beyond):
                found[front.beyond] -= front.passed.T @ found[front.own]
        for front in reversed(self.fronts):
            own = front.inverse @ found[front.own]
            if len(front.beyond):
                own -= front.passed @ found[front.beyond]
            found[front.own] = own
        return found


def fronts_of(matrix: Any, places: Floats) -> Fronts:
    """Factors of a sparse symmetric matrix (n, n) in CSR form, its functions at places (n, 2).

    Raises LinAlgError for one that is singular.
    """
    parts: list[_Part] = []
    _parted(matrix, np.arange(len(places)), places, np.zeros(len(places), bool), parts)
    rank = np.empty(len(places), np.int64)
    first = 0
    for part in parts:
        rank[part.own] = first + np.arange(len(part.own))
        first += len(part.own)
    place, found = np.zeros(len(places), np.int64), []
    left: dict[int, tuple[Ints, Complexes]] = {}
    for part in parts:
        found.append(_front(matrix, part, rank, place, left))
    return Fronts(tuple(found))


def _parted(matrix: Any, chosen: Ints, places: Floats, marked: Any, parts: list[_Part]) -> list[_Part]:
    """Put functions into parts, those solved for first in front; returns the uppermost."""
    if not len(chosen):
        return []
    own, children = chosen, []
    if len(chosen) > _LEAF:
        here = places[chosen]
        along = here[:, int(np.argmax(np.ptp(here, axis=0)))]
        upper = along > np.median(along)
        marked[chosen[upper]] = True
        lower = chosen[~upper]
        knows = _any_in_row(matrix, lower, marked)
        marked[chosen[upper]] = False
        if knows.sum() < 0.5 * len(chosen) and upper.any():
            own = lower[knows]
            for half in (lower[~knows], chosen[upper]):
                children += _parted(matrix, half, places, marked, parts)
    if not len(own):
        return children
    part = _Part(own, children)
    parts.append(part)
    return [part]


def _any_in_row(matrix: Any, rows: Ints, marked: Any) -> Any:
    """Which rows (rows,) have an entry in a marked column."""
    columns, counts = _columns_of(matrix, rows)
    ends = np.cumsum(counts)
    hits = np.concatenate([[0], np.cumsum(marked[columns])])
    return hits[ends] > hits[ends - counts]


def _columns_of(matrix: Any, rows: Ints) -> tuple[Ints, Ints]:
    """The columns of entries in rows, one row after the other, and how many each has."""
    at, counts = _entries_of(matrix, rows)
    return matrix.indices[at], counts


def _entries_of(matrix: Any, rows: Ints) -> tuple[Ints, Ints]:
    start, stop = matrix.indptr[rows], matrix.indptr[rows + 1]
    counts = (stop - start).astype(np.int64)
    ends = np.cumsum(counts)
    return np.arange(ends[-1] if len(ends) else 0) + np.repeat(start - (ends - counts), counts), counts


def _front(matrix: Any, part: _Part, rank: Ints, place: Ints, left: dict[int, tuple[Ints, Complexes]]) -> _Front:
    own, p = part.own, len(part.own)
    at, counts = _entries_of(matrix, own)
    columns, first = matrix.indices[at], rank[own[0]]
    ahead = rank[columns] >= first
    below = [left.pop(id(child)) for child in part.children]
    known = np.unique(np.concatenate([columns[ahead], *(b for b, _ in below)]))
    beyond = known[rank[known] >= first + p]
    place[own], place[beyond] = np.arange(p), p + np.arange(len(beyond))
    dense = np.zeros((p + len(beyond), p + len(beyond)), np.complex128)
    rows = np.repeat(np.arange(p), counts)[ahead]
    dense[rows, place[columns[ahead]]] = matrix.data[at[ahead]]
    dense[p:, :p] = dense[:p, p:].T
    for functions, rest in below:
        here = place[functions]
        dense[here[:, None], here] += rest
    inverse: Complexes = np.asarray(np.linalg.inv(dense[:p, :p]), np.complex128)
    passed = inverse @ dense[:p, p:]
    left[id(part)] = beyond, dense[p:, p:] - dense[p:, :p] @ passed
    return _Front(own, beyond, inverse, passed)
