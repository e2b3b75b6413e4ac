"""Functions by where they are: clusters, halved again and again, and which of these are far from one another."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arraytypes import Floats, Ints
from .basis import Basis

_LEAF = 64
_OFF = 0.7
"""Far: as far from one another as so many times the wider of two is wide."""


@dataclass(frozen=True, eq=False)
class Clusters:
    """order (functions,): functions, those of a cluster one after the other. spans (clusters, 2): where in it; halves
    (clusters, 2): the two clusters that each is parted into, or -1: always later ones.

    near: pairs of clusters that are not parted, far: pairs of any that are far; the lower number first.
    """

    order: Ints
    spans: Ints
    halves: Ints
    near: Ints
    far: Ints

    def functions(self, cluster: int) -> Ints:
        """Those in a cluster."""
        first, last = self.spans[cluster]
        return self.order[first:last]


def clusters_of(low: Floats, high: Floats, reach: float) -> Clusters:
    """Clusters of functions in boxes from low to high (functions, 3), m; none are far within a reach, m."""
    middles, order = 0.5 * (low + high), np.arange(len(low))
    spans, halves = [(0, len(low))], [(-1, -1)]
    for one, (first, last) in enumerate(spans):
        if last - first <= _LEAF:
            continue
        here = order[first:last]
        axis = int(np.argmax(np.ptp(middles[here], axis=0)))
        half = (last - first) // 2
        order[first:last] = here[np.argpartition(middles[here, axis], half)]
        halves[one] = (len(spans), len(spans) + 1)
        spans += [(first, first + half), (first + half, last)]
        halves += [(-1, -1), (-1, -1)]
    boxes = np.array([[low[order[a:b]].min(axis=0), high[order[a:b]].max(axis=0)] for a, b in spans])
    own = np.array(halves)
    near, far = _pairs(boxes, own, reach)
    return Clusters(order, np.array(spans), own, near, far)


def _pairs(boxes: Floats, halves: Ints, reach: float) -> tuple[Ints, Ints]:
    """Pairs of clusters, near and far."""
    wide = np.linalg.norm(boxes[:, 1] - boxes[:, 0], axis=1)
    whole = halves[:, 0] < 0
    near, far, pairs = [], [], np.array([[0, 0]])
    while len(pairs):
        one, two = pairs.T
        gap = np.maximum(np.maximum(boxes[two, 0] - boxes[one, 1], boxes[one, 0] - boxes[two, 1]), 0.0)
        off = np.linalg.norm(gap, axis=1) > np.maximum(_OFF * np.maximum(wide[one], wide[two]), reach)
        ended = ~off & whole[one] & whole[two]
        far.append(pairs[off])
        near.append(pairs[ended])
        one, two = pairs[~off & ~ended].T
        alike = one == two
        own = halves[one[alike]]
        parted = [own, own[:, [0, 0]], own[:, [1, 1]]]
        one, two = one[~alike], two[~alike]
        # The wider of the two is parted.
        first = whole[two] | (~whole[one] & (wide[one] >= wide[two]))
        for side in (0, 1):
            parted.append(
                np.stack([np.where(first, halves[one, side], one), np.where(first, two, halves[two, side])], 1)
            )
        pairs = np.concatenate(parted)
    return np.sort(np.concatenate(near), axis=1), np.sort(np.concatenate(far), axis=1)


def boxes_of(basis: Basis) -> tuple[Floats, Floats]:
    """The boxes of all functions, low and high (functions, 3), m."""
    low, high = np.empty((basis.size, 3)), np.empty((basis.size, 3))
    first, mesh = basis.first_wire, basis.mesh
    if basis.sheets is not None:
        corners = basis.sheets.mesh.corners[basis.sheets.pairs]
        low[:first], high[:first] = corners.min(axis=(0, 2)), corners.max(axis=(0, 2))
    if basis.wires.size:
        ends = mesh.nodes[mesh.ends[basis.wires.halves // 2]]
        thick = mesh.radii[basis.wires.halves // 2].max(axis=0)[:, None]
        low[first:], high[first:] = ends.min(axis=(0, 2)) - thick, ends.max(axis=(0, 2)) + thick
    return low, high
