"""The basis of an antenna on and over a stack, taken apart: metal on its level, probes, and all that is in the air."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Bools, Floats, Ints
from ..media.stack import Stack
from .basis import Basis
from .carried import Part, of_feet, of_sheets, on_halves
from .coupling import wire_points
from .sheet_basis import Fan, SheetBasis, sheet_basis
from .wire_basis import WireBasis

if TYPE_CHECKING:
    from scipy.sparse import csr_array

_RING, _ROUND = 6, 20.0
"""Points round a tube, so many radii near to layers."""


@dataclass(frozen=True, eq=False)
class Aloft:
    """Currents in the air as points, each of `own` functions with what it carries there.

    basis: the functions over layers whose top is z = 0, less what of them is on the level or in the layers.
    places (p, 3), thick (p,): points, and the radius of the wire. carried: sparse (p, functions) of the moments' x, y
    and z, and of the charges. ends (q, 3), left: sparse (q, functions): where wires end on the layers, and the current
    they take from there.
    """

    basis: Basis
    own: Ints
    places: Floats
    thick: Floats
    carried: tuple[csr_array, ...]
    ends: Floats
    left: csr_array


@dataclass(frozen=True, eq=False)
class Layered:
    """Parts of a basis with the numbers of their functions in the whole.

    metal: sheets on the level, if any, and `on_metal` (functions,). fans, into (fans, wires), standing (fans,): feet
    there, and the thickest radius on each. probes (n, 3), radii (n,), up (n, wires): their tops, and how much goes up
    them. aloft: the rest, if any.
    """

    metal: SheetBasis | None
    on_metal: Ints
    fans: tuple[Fan, ...]
    into: Floats
    standing: Floats
    probes: Floats
    radii: Floats
    up: Floats
    aloft: Aloft | None


@lru_cache(maxsize=8)
def layered(basis: Basis, stack: Stack) -> Layered:
    """A basis taken apart."""
    wires, grid = basis.wires, basis.mesh
    metal, on_metal, rest, in_air = None, np.zeros(0, np.int64), None, np.zeros(0, np.int64)
    if basis.sheets is not None:
        printed = np.asarray(stack.carries(basis.sheets.mesh.corners[..., 2]).all(axis=1))
        metal, on_metal = _part(basis.sheets, printed)
        rest, in_air = _part(basis.sheets, ~printed)
    feet = [(fan, amount) for fan, amount in basis.feet if stack.carries(fan.apex[2])]
    # A fan's triangles have the numbers they have among those on the level.
    fans = tuple(_renumbered(fan, printed) for fan, _ in feet)
    tops = np.argmax(grid.nodes[grid.ends, 2], axis=1)[wires.through]
    segments = np.flatnonzero(wires.through)
    sense = np.where(tops == 1, 1.0, -1.0)
    up = sense[:, None] * wires.ends[2 * segments + tops].toarray() if len(segments) else np.zeros((0, wires.size))
    probes = grid.nodes[grid.ends[segments, tops]]
    flying, on_wires = wires.within(~wires.through)
    aloft = None
    if flying.size or rest is not None:
        own = np.concatenate([in_air, basis.first_wire + on_wires])
        aloft = _aloft(Basis(flying, rest, basis.reach).raised(-stack.thickness), own, stack.thickness)
    return Layered(
        metal, on_metal, fans, np.array([a for _, a in feet]).reshape(len(feet), wires.size),
        np.array([grid.radii[wires.halves[0, a != 0.0] // 2].max() for _, a in feet]), probes,
        grid.radii[segments], up, aloft,
    )  # fmt: skip


def _part(sheets: SheetBasis, chosen: Bools) -> tuple[SheetBasis | None, Ints]:
    """The functions on some triangles, which no function leaves, and their numbers."""
    if chosen.all():
        return sheets, np.arange(sheets.size)
    own = np.flatnonzero(chosen[sheets.pairs[0]])
    return (sheet_basis(sheets.mesh.only(chosen)) if chosen.any() else None), own


def _renumbered(fan: Fan, chosen: Bools) -> Fan:
    return replace(fan, triangles=(np.cumsum(chosen) - 1)[fan.triangles])


def _aloft(basis: Basis, own: Ints, top: float) -> Aloft:
    from scipy.sparse import csr_array, hstack, vstack

    first, up = basis.first_wire, np.array([0.0, 0.0, top])
    parts = [_of_wires(basis)]
    if basis.sheets is not None:
        parts += [of_sheets(basis.sheets), of_feet(basis)]
    places, thick = (np.concatenate([part[i] for part in parts]) for i in (0, 1))
    blocks: list[list[csr_array]] = [[], [], [], []]
    for part, (start, stop) in zip(parts, ((first, basis.size), (0, first), (first, basis.size)), strict=False):
        for kind, carried in zip(blocks, part[2], strict=True):
            rows = carried.shape[0]
            before, after = csr_array((rows, start)), csr_array((rows, basis.size - stop))
            kind.append(hstack([before, carried, after]))
    ends, left = _left_on_layers(basis.wires, 1e-6 * top)
    return Aloft(
        basis, own, places + up, thick, tuple(csr_array(vstack(kind)) for kind in blocks), ends,
        csr_array(hstack([csr_array((len(ends), first)), left])),
    )  # fmt: skip


def _of_wires(basis: Basis) -> Part:
    points = wire_points(basis.mesh)
    low = points.places[:, 2] < _ROUND * points.radii
    # Near the layers a tube is points round it, elsewhere its axis.
    count = np.where(low, _RING, 1)
    which = np.repeat(np.arange(len(count)), count)
    turn = 2.0 * np.pi * (np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count) + 0.5) / _RING
    off = np.where(low, points.radii, 0.0)[which, None]
    frames = points.frames[which]
    places = points.places[which] + off * (
        np.cos(turn)[:, None] * frames[:, :3] + np.sin(turn)[:, None] * frames[:, 3:]
    )
    # Where a slanted wire stands, its tube would dip into the layers.
    places[:, 2] = np.abs(places[:, 2])
    carried = on_halves(basis, points.owner[which], points.weights[which] / count[which, None, None])
    return places, np.where(low[which], 0.0, points.radii[which]), carried


def _left_on_layers(wires: WireBasis, close: float) -> tuple[Floats, csr_array]:
    """Nodes at z = 0 (q, 3), and sparse (q, functions) the current that wires in the air take from there."""
    from scipy.sparse import csr_array

    mesh = wires.mesh
    node, sense = mesh.ends.ravel(), np.tile([1.0, -1.0], len(mesh))
    on = np.abs(mesh.nodes[node, 2]) <= close
    places, which = np.unique(node[on], return_inverse=True)
    halves = np.flatnonzero(on)
    pick = csr_array((sense[on], (which.ravel(), halves)), shape=(len(places), 2 * len(mesh)))
    return mesh.nodes[places], csr_array(pick @ wires.ends)
