"""Piecewise-linear basis functions on a wire mesh.

Every function is a sum of signed half functions, each rising from zero at one end of a segment to one at a node. At a
node where m segments meet there are m - 1 of them, each carrying current from one segment into the next, so the
currents at the node sum to zero whatever the coefficients. A node on a plane takes a half function per segment: the
image completes it. A free end takes none.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..geometry.mesh import WireMesh

Ints = NDArray[np.int64]


@dataclass(frozen=True)
class WireBasis:
    """Half functions of every basis function.

    function, half, sign (h,): half function `half` = 2 x segment + end (0 first, 1 last) belongs to basis function
    `function` with `sign`, +1 where positive coefficients mean current along the segment.
    """

    mesh: WireMesh
    function: Ints
    half: Ints
    sign: NDArray[np.float64]
    size: int

    @cached_property
    def ends(self) -> Any:
        """Sparse (2 x segments, functions): coefficients to currents along the segments at their ends."""
        from scipy.sparse import csr_array

        return csr_array((self.sign, (self.half, self.function)), shape=(2 * len(self.mesh), self.size))

    def segment_currents(self, coefficients: NDArray[np.complex128]) -> NDArray[np.complex128]:
        """Currents (..., segments, 2) along each segment at its two ends, from coefficients (..., functions)."""
        flat = coefficients.reshape(-1, self.size)
        ends = (self.ends @ flat.T).T
        return np.asarray(ends.reshape(*coefficients.shape[:-1], len(self.mesh), 2))


def wire_basis(mesh: WireMesh) -> WireBasis:
    """Basis functions in the order of their nodes along the wires, so that neighbours stay neighbours."""
    halves = np.arange(2 * len(mesh))
    node = mesh.ends.ravel()
    # Current into the node: along the segment at its last end, against it at its first.
    inward = np.where(halves % 2 == 1, 1.0, -1.0)
    by_node = np.argsort(node, kind="stable")
    bounds = np.searchsorted(node[by_node], np.arange(len(mesh.nodes) + 1))
    entries: list[tuple[int, list[tuple[int, float]]]] = []
    for n in range(len(mesh.nodes)):
        arms = by_node[bounds[n] : bounds[n + 1]]
        if mesh.grounded[n]:
            entries += [(arm, [(arm, inward[arm])]) for arm in arms]
        else:
            entries += [
                (arms[i], [(arms[i], inward[arms[i]]), (arms[i + 1], -inward[arms[i + 1]])])
                for i in range(len(arms) - 1)
            ]
    entries.sort(key=lambda entry: entry[0])
    function, half, sign = [], [], []
    for index, (_, pieces) in enumerate(entries):
        for piece, direction in pieces:
            function.append(index)
            half.append(piece)
            sign.append(direction)
    return WireBasis(mesh, np.array(function, np.int64), np.array(half, np.int64), np.array(sign), len(entries))
