"""Piecewise-linear basis functions on a wire mesh.

Every function is a sum of signed half functions, each rising from zero at one end of a segment to one at a node. At a
node where m segments meet there are m - 1 of them, each carrying current from one segment into the next, so the
currents at the node sum to zero whatever the coefficients. A node on a plane takes a half function per segment: the
image completes it. A free end takes none.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..geometry.mesh import WireMesh


@dataclass(frozen=True)
class WireBasis:
    """The two half functions of every basis function.

    halves (2, functions): half function 2 x segment + end (0 first, 1 last). signs (2, functions): +1 where a positive
    coefficient means current along the segment, -1 against it, 0 where there is no second half.
    """

    mesh: WireMesh
    halves: Ints
    signs: Floats

    @property
    def size(self) -> int:
        """Number of basis functions."""
        return int(self.halves.shape[1])

    @cached_property
    def ends(self) -> Any:
        """Sparse (2 x segments, functions): coefficients to currents along the segments at their ends."""
        from scipy.sparse import csr_array

        columns = np.tile(np.arange(self.size), 2)
        full = csr_array((self.signs.ravel(), (self.halves.ravel(), columns)), shape=(2 * len(self.mesh), self.size))
        full.eliminate_zeros()
        return full

    def segment_currents(self, coefficients: Complexes) -> Complexes:
        """Currents (..., segments, 2) along each segment at its two ends, from coefficients (..., functions)."""
        flat = coefficients.reshape(math.prod(coefficients.shape[:-1]), self.size)
        ends = (self.ends @ flat.T).T
        return np.asarray(ends.reshape(*coefficients.shape[:-1], len(self.mesh), 2))


def wire_basis(mesh: WireMesh) -> WireBasis:
    """Basis functions in the order of their nodes along the wires, so that neighbours stay neighbours."""
    node = mesh.ends.ravel()
    by_node = np.argsort(node, kind="stable")
    bounds = np.searchsorted(node[by_node], np.arange(len(mesh.nodes) + 1))
    pairs: list[tuple[int, int]] = []
    for n in range(len(mesh.nodes)):
        arms = by_node[bounds[n] : bounds[n + 1]].tolist()
        # On a plane every arm stands alone; elsewhere current passes from each arm to the next.
        pairs += [(arm, arm) for arm in arms] if mesh.grounded[n] else list(itertools.pairwise(arms))
    pairs.sort()
    halves = np.array(pairs, np.int64).reshape(-1, 2).T
    # Current into the node runs along a segment at its last end, against it at its first.
    inward = np.where(halves % 2 == 1, 1.0, -1.0)
    signs = np.stack([inward[0], np.where(halves[0] == halves[1], 0.0, -inward[1])])
    return WireBasis(mesh, np.ascontiguousarray(halves), signs)


def probe_basis(mesh: WireMesh) -> WireBasis:
    """A function for every segment: one current all along it, both halves together."""
    number = 2 * np.arange(len(mesh))
    return WireBasis(mesh, np.stack([number, number + 1]), np.ones((2, len(mesh))))
