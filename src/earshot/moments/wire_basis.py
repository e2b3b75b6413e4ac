"""Piecewise-linear basis functions on a wire mesh.

Every function is a sum of signed half functions, each rising from zero at one end of a segment to one at a node. At a
node where m segments meet there are m - 1 of them, each carrying current from one segment into the next, so the
currents at the node sum to zero whatever the coefficients. A node on a plane takes a half function per segment: the
image completes it. A free end takes none.

A segment through all of some layers has one current all along: only its upper end counts, and goes for both. Where
wires through layers are long they are divided, and what is between is as anywhere.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from ..arraytypes import Bools, Complexes, Floats, Ints
from ..meshing.mesh import WireMesh


@dataclass(frozen=True)
class WireBasis:
    """The two half functions of every basis function.

    halves (2, functions): half function 2 x segment + end (0 first, 1 last). signs (2, functions): +1 where a positive
    coefficient means current along the segment, -1 against it, 0 where there is no second half. through, even
    (segments,): which are in layers, and which of them have one current all along.
    """

    mesh: WireMesh
    halves: Ints
    signs: Floats
    through: Bools
    even: Bools

    @property
    def size(self) -> int:
        """Number of basis functions."""
        return int(self.halves.shape[1])

    @cached_property
    def ends(self) -> Any:
        """Sparse (2 x segments, functions): coefficients to currents along the segments at their ends."""
        from scipy.sparse import csr_array

        columns, halves, signs = np.tile(np.arange(self.size), 2), self.halves.ravel(), self.signs.ravel()
        also = self.even[halves // 2]
        rows = np.concatenate([halves, halves[also] ^ 1])
        columns, signs = np.concatenate([columns, columns[also]]), np.concatenate([signs, signs[also]])
        full = csr_array((signs, (rows, columns)), shape=(2 * len(self.mesh), self.size))
        full.eliminate_zeros()
        return full

    @property
    def halved(self) -> WireBasis:
        """That of the mesh with every segment in two but for those with one current all along."""
        pieces = np.where(self.even, 1, 2)
        return wire_basis(self.mesh.halved(self.even), np.repeat(self.through, pieces), np.repeat(self.even, pieces))

    def within(self, chosen: Bools) -> tuple[WireBasis, Ints]:
        """The functions on chosen segments (segments,), less their halves elsewhere, and their numbers here."""
        here = chosen[self.halves // 2] & (self.signs != 0.0)
        own = np.flatnonzero(here.any(axis=0))
        first = np.where(here[0, own], 0, 1)
        both = here[:, own].all(axis=0)
        picked = np.stack([self.halves[first, own], self.halves[np.where(both, 1, first), own]])
        signs = np.stack([self.signs[first, own], np.where(both, self.signs[1, own], 0.0)])
        number = np.cumsum(chosen) - 1
        halves = 2 * number[picked // 2] + picked % 2
        return WireBasis(self.mesh.only(chosen), halves, signs, self.through[chosen], self.even[chosen]), own

    def segment_currents(self, coefficients: Complexes) -> Complexes:
        """Currents (..., segments, 2) along each segment at its two ends, from coefficients (..., functions)."""
        flat = coefficients.reshape(math.prod(coefficients.shape[:-1]), self.size)
        ends = (self.ends @ flat.T).T
        return np.asarray(ends.reshape(*coefficients.shape[:-1], len(self.mesh), 2))


def wire_basis(mesh: WireMesh, through: Bools | None = None, even: Bools | None = None) -> WireBasis:
    """Basis functions in the order of their nodes along the wires, so that neighbours stay neighbours.

    through, even (segments,): as of `WireBasis`; none unless given.
    """
    through, even = (np.zeros(len(mesh), bool) if x is None else x for x in (through, even))
    node = mesh.ends.ravel()
    by_node = np.argsort(node, kind="stable")
    bounds = np.searchsorted(node[by_node], np.arange(len(mesh.nodes) + 1))
    # What is under a plane hangs from it.
    lower = np.argmin(np.abs(mesh.nodes[mesh.ends, 2]), axis=1)
    dumb = set((2 * np.arange(len(mesh)) + lower)[even].tolist())
    pairs: list[tuple[int, int]] = []
    for n in range(len(mesh.nodes)):
        arms = [arm for arm in by_node[bounds[n] : bounds[n + 1]].tolist() if arm not in dumb]
        # On a plane every arm stands alone; elsewhere current passes from each arm to the next.
        pairs += [(arm, arm) for arm in arms] if mesh.grounded[n] else list(itertools.pairwise(arms))
    pairs.sort()
    halves = np.array(pairs, np.int64).reshape(-1, 2).T
    # Current into the node runs along a segment at its last end, against it at its first.
    inward = np.where(halves % 2 == 1, 1.0, -1.0)
    signs = np.stack([inward[0], np.where(halves[0] == halves[1], 0.0, -inward[1])])
    return WireBasis(mesh, np.ascontiguousarray(halves), signs, through, even)
