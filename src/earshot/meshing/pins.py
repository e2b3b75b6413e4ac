"""Wires through layers, taken apart into currents that go from z = 0 up to their ends, and what fades between them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Bools, Complexes, Floats, Ints
from ..media.stack import Stack
from .mesh import WireMesh, joined_points


@dataclass(frozen=True, eq=False)
class PinEnds:
    """Where currents from z = 0 end, or have faded to none.

    places (n, 3), radii (n,), metres. faces (n,): over how many layers. amounts (n, ...): how much goes up to each.
    """

    places: Floats
    radii: Floats
    faces: Ints
    amounts: Complexes

    def on(self, face: int) -> PinEnds:
        """Those on one face."""
        here = self.faces == face
        return PinEnds(self.places[here], self.radii[here], self.faces[here], self.amounts[here])


@dataclass(frozen=True, eq=False)
class Pins:
    """Wires through a stack: `ends` on its faces; cut: the stack with faces more, where wires are divided; fading: what
    falls to none between two of these, each with the stack that says between which.

    A piece with the current a at its lower end and b at its upper is b up to this one, less a up to that, and a - b
    that fades from that to this.
    """

    cut: Stack
    ends: PinEnds
    fading: tuple[tuple[Stack, PinEnds], ...]


def pins_of(mesh: WireMesh, through: Bools, currents: Complexes, stack: Stack) -> Pins:
    """Those of segments through layers, `through` (segments,), from currents (n, 2, ...) along these at both ends.

    What begins on a level is what ends there, taken off; what ends on a plane goes on in it.
    """
    own = np.flatnonzero(through)
    rows, heights = np.arange(len(own)), mesh.nodes[mesh.ends[own], 2]
    top = np.argmax(heights, axis=1)
    upper, lower = mesh.ends[own, top], mesh.ends[own, 1 - top]
    upward = currents * np.where(top == 1, 1.0, -1.0).reshape(-1, *[1] * (currents.ndim - 1))
    high, low = upward[rows, top], upward[rows, 1 - top]
    cut = stack.cut_at(np.unique(heights).tolist())
    return Pins(
        cut, _merged(mesh.nodes[np.concatenate([upper, lower])], np.tile(mesh.radii[own], 2), high, low, stack),
        tuple(_fading(mesh, own, upper, lower, low - high, cut)),
    )  # fmt: skip


def _fading(
    mesh: WireMesh, own: Ints, upper: Ints, lower: Ints, amounts: Complexes, cut: Stack
) -> Iterator[tuple[Stack, PinEnds]]:
    """What falls to none along segments `own`, from their lower to their upper nodes, by where that is."""
    some = np.flatnonzero(_any(amounts))
    ends = np.stack([cut.face_at(mesh.nodes[nodes[some], 2]) for nodes in (upper, lower)], axis=1)
    for high, low in np.unique(ends, axis=0).tolist():
        here = some[(ends == (high, low)).all(axis=1)]
        faces = np.full(len(here), high)
        yield cut.on(high, high - low), PinEnds(mesh.nodes[upper[here]], mesh.radii[own[here]], faces, amounts[here])


def _any(amounts: Complexes) -> Bools:
    """Which rows are not all zero."""
    return np.asarray((amounts != 0.0).any(axis=tuple(range(1, amounts.ndim))))


def _merged(places: Floats, radii: Floats, high: Complexes, low: Complexes, stack: Stack) -> PinEnds:
    """Ends on faces, those of one place and radius together, and none where as much begins as ends."""
    levels = stack.end_at(places[:, 2])
    kept = np.flatnonzero(levels >= 0)
    amounts = np.concatenate([high, -low])[kept]
    if not len(kept):
        return PinEnds(places[kept], radii[kept], levels[kept], amounts)
    label = joined_points(places[kept], 1e-6 * stack.thickness)
    _, first, which = np.unique(np.stack([label, radii[kept]]), axis=1, return_index=True, return_inverse=True)
    sums = np.zeros((len(first), *amounts.shape[1:]), amounts.dtype)
    np.add.at(sums, which.ravel(), amounts)
    left = _any(sums)
    chosen = kept[first[left]]
    return PinEnds(places[chosen], radii[chosen], levels[chosen], sums[left])
