"""A matrix of which far parts are held by few functions (nested cross approximation, after Bebendorf and Venn 2012).

What a cluster of functions does to all that is far from it, some of its functions do nearly as well: the others are
sums of them, as a pivoted factorisation of a sample of the far field tells. Of a cluster of two halves they are taken
out of those of the halves. So two clusters that are far meet by entries between these few alone.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..running import announce, in_parallel, report, thread_count
from .clusters import Clusters

Entries = Callable[[Ints, Ints], Complexes]
"""Entries (rows, columns) of sorted functions."""

_TOLERANCE = 1e-5
"""What is left out of a sample of the far field, over the most of it."""
_SAMPLE, _FARTHER = 1.2, 1.5
"""Functions in a sample, of those that are far and of those that are farther, to a function of the cluster."""


class _Few(NamedTuple):
    """Of a cluster: its few functions; all (candidates,) as sums of them (candidates, few)."""

    functions: Ints
    sums: Any


class Meeting(NamedTuple):
    """Rows and columns of a part of a matrix, by number."""

    rows: Ints
    columns: Ints
    entries: Any


class Sums(NamedTuple):
    """Few functions of every cluster as `kernels.halves.sums_up` wants them.

    All functions, then the few of each cluster, are numbered through. values: (candidates, few) one cluster after the
    other, at first (clusters,); candidates at start (clusters + 1,); few (clusters + 1,): the numbers of the few.
    """

    values: Complexes
    first: Ints
    candidates: Ints
    start: Ints
    few: Ints


@dataclass(frozen=True, eq=False)
class Nested:
    """A symmetric matrix: parts of it, the first columns of each being its rows, and parts of one among the few."""

    size: int
    near: tuple[Meeting, ...]
    sums: Sums
    far: tuple[Meeting, ...]

    @property
    def bytes(self) -> int:
        """What it holds."""
        parts = sum(m.entries.nbytes + m.columns.nbytes for m in (*self.near, *self.far))
        return int(parts + self.sums.values.nbytes + self.sums.candidates.nbytes)

    def product(self, columns: Complexes) -> Complexes:
        """The matrix times columns (functions, columns)."""
        from ..kernels.halves import sums_down, sums_up

        announce(sums_up)
        announce(sums_down)
        given = np.ascontiguousarray(columns, np.complex128)
        held = np.zeros((self.sums.few[-1], given.shape[1]), np.complex64)
        held[: self.size] = given
        sums_up(*self.sums, held)
        seen = _times(self.far, held, False)
        sums_down(*self.sums, seen)
        return np.asarray(_times(self.near, given, True) + seen[: self.size])


def _times(parts: tuple[Meeting, ...], given: Complexes, whole: bool) -> Complexes:
    """A symmetric matrix of which such parts are half times columns; whole: each with all among its rows first."""
    from ..kernels.halves import both_ways

    announce(both_ways)
    threads = thread_count()

    def some(own: int) -> Complexes:
        found = np.zeros(given.shape, given.dtype)
        for part in parts[own::threads]:
            both_ways(part.entries, part.rows, part.columns, len(part.rows) if whole else 0, given, found)
        return found

    return np.asarray(sum(in_parallel(some, range(threads))))


def nested(clusters: Clusters, entries: Entries, scale: Floats, near: tuple[Meeting, ...], more: float = 1.0) -> Nested:
    """A matrix by its entries; scale (functions,): of functions, so that entries are alike; more: to sample, times."""
    partners: list[list[int]] = [[] for _ in clusters.spans]
    for one, two in clusters.far.tolist():
        partners[one].append(two)
        partners[two].append(one)
    above = _above(clusters, partners)
    few: list[_Few | None] = [None] * len(clusters.spans)
    report(f"what is far: clusters of {len(scale)} functions")
    for level in _levels(clusters):

        def taken(one: int) -> _Few | None:
            if not len(partners[one]) and not len(above[one]):
                return None
            return _few_of(clusters, one, few, partners[one], above[one], entries, scale, more)

        for one, found in zip(level, in_parallel(taken, level), strict=True):
            few[one] = found
    sums = _summed(clusters, few)
    report("what is far: between clusters")

    def met(one: int) -> Meeting | None:
        others, own = [two for two in partners[one] if two > one], few[one]
        if not others or own is None:
            return None
        functions = np.concatenate([f.functions for f in (few[two] for two in others) if f is not None])
        columns = np.concatenate([np.arange(sums.few[two], sums.few[two + 1]) for two in others])
        met, back = np.unique(functions, return_inverse=True)
        mine, order = np.unique(own.functions, return_inverse=True)
        values = entries(mine, met)[order][:, back].astype(np.complex64)
        return Meeting(np.arange(sums.few[one], sums.few[one + 1]), columns, values)

    far = tuple(m for m in in_parallel(met, range(len(few))) if m is not None)
    return Nested(len(scale), near, sums, far)


def _summed(clusters: Clusters, few: list[_Few | None]) -> Sums:
    """The few of all clusters, numbered through."""
    counts = [0 if f is None else len(f.functions) for f in few]
    numbers = np.cumsum([len(clusters.order), *counts])
    candidates = []
    for one, (own, halves) in enumerate(zip(few, clusters.halves.tolist(), strict=True)):
        if own is None:
            candidates.append(np.zeros(0, np.int64))
        elif halves[0] < 0:
            candidates.append(clusters.functions(one))
        else:
            candidates.append(np.concatenate([np.arange(numbers[h], numbers[h + 1]) for h in halves]))
    values = [np.zeros(0, np.complex64) if f is None else f.sums.ravel() for f in few]
    first = np.cumsum([0, *(len(v) for v in values)])[:-1]
    start = np.cumsum([0, *(len(c) for c in candidates)])
    return Sums(np.concatenate(values), first, np.concatenate(candidates), start, numbers)


def _levels(clusters: Clusters) -> list[list[int]]:
    """Clusters, those that are parted most often first."""
    level = np.zeros(len(clusters.spans), int)
    for one, halves in enumerate(clusters.halves.tolist()):
        if halves[0] >= 0:
            level[halves] = level[one] + 1
    return [np.flatnonzero(level == n).tolist() for n in range(level.max(), -1, -1)]


def _above(clusters: Clusters, partners: list[list[int]]) -> list[list[int]]:
    """What is far from the clusters that each cluster is part of."""
    found: list[list[int]] = [[] for _ in partners]
    for one, halves in enumerate(clusters.halves.tolist()):
        for half in halves:
            if half >= 0:
                found[half] = found[one] + partners[one]
    return found


def _few_of(
    clusters: Clusters, one: int, few: list[_Few | None], partners: list[int], above: list[int], entries: Entries,
    scale: Floats, more: float,
) -> _Few:  # fmt: skip
    """The few of a cluster: functions whose sums all others are, as far as a sample of what is far can tell."""
    from scipy import linalg

    halves = clusters.halves[one]
    if halves[0] < 0:
        candidates = clusters.functions(one)
    else:
        candidates = np.concatenate([f.functions for f in (few[h] for h in halves) if f is not None])
    sample = np.union1d(
        _spread_over(clusters, partners, int(more * _SAMPLE * len(candidates)) + 16),
        _spread_over(clusters, above, int(more * _FARTHER * len(candidates)) + 16),
    )
    rows, back = np.unique(candidates, return_inverse=True)
    seen = entries(rows, sample)[back] * scale[candidates][:, None] * scale[sample]
    r, order = linalg.qr(seen.T, mode="r", pivoting=True, check_finite=False)
    size = np.abs(np.diag(r))
    count = max(1, int((size > _TOLERANCE * size[0]).sum()))
    rest = linalg.solve_triangular(r[:count, :count], r[:count, count:], check_finite=False)
    sums = np.zeros((len(candidates), count), np.complex64)
    sums[order[:count]] = np.eye(count)
    kept = candidates[order[:count]]
    # Of scaled rows; those as they are weigh as much more.
    sums[order[count:]] = (rest * scale[kept][:, None]).T / scale[candidates[order[count:]]][:, None]
    return _Few(kept, sums)


def _spread_over(clusters: Clusters, others: list[int], count: int) -> Ints:
    """So many functions of other clusters, spread evenly over each."""
    if not others:
        return np.zeros(0, np.int64)
    lengths = np.diff(clusters.spans[others], axis=1)[:, 0]
    # A small cluster near by counts as much as a large one farther off.
    each = np.minimum(np.maximum(1, np.full(len(others), count // len(others))), lengths)
    return np.concatenate([
        clusters.order[clusters.spans[one, 0] + ((np.arange(n) + 0.5) * length / n).astype(int)]
        for one, n, length in zip(others, each, lengths, strict=True)
    ])  # fmt: skip


def misfit(matrix: Nested, entries: Entries, scale: Floats, columns: Any) -> float:
    """How far some columns of a matrix are off, over the largest of what is missing or not of a column."""
    units = np.zeros((matrix.size, len(columns)), np.complex128)
    units[columns, np.arange(len(columns))] = 1.0
    exact = entries(np.arange(matrix.size), columns) * scale[:, None]
    off = np.linalg.norm(matrix.product(units) * scale[:, None] - exact, axis=0)
    return float((off / np.linalg.norm(exact, axis=0)).max())
