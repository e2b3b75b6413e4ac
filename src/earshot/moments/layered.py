"""The basis of an antenna on and over a stack, taken apart: metal on levels, probes, and all that is in the air."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Bools, Floats, Ints
from ..media.kernel_table import Divided
from ..media.stack import Stack
from ..media.sweep import Upright
from ..meshing.pins import PinEnds, pins_of
from .basis import Basis
from .carried import Part, of_feet, of_sheets, on_halves
from .coupling import wire_points
from .sheet_basis import Fan, SheetBasis, across
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
class Level:
    """What is on one face of the layers, and ends there, with the numbers of its functions in the whole.

    stack: with this for its level. metal: sheets, if any, and `on_metal` (functions,). fans, into (fans, wires),
    standing (fans,): feet there, and the thickest radius on each. probes (n, 3), radii (n,), up (n, wires): ends of
    probes, and how much goes from z = 0 up to each; what begins on a level is what ends there, taken off. Of what fades
    the stack is as it is divided, and there is nothing but probes.
    """

    stack: Stack
    metal: SheetBasis | None
    on_metal: Ints
    fans: tuple[Fan, ...]
    into: Floats
    standing: Floats
    probes: Floats
    radii: Floats
    up: Floats

    @property
    def key(self) -> int | Upright:
        """What tables know it by."""
        own = self.stack
        return Upright(own.metal_on, own.fades) if own.fades else own.metal_on


@dataclass(frozen=True, eq=False)
class Layered:
    """Parts of a basis: levels from the lowest, one at least; their metal as one basis, if any; what is in the air.

    divided: the stack with faces more where wires through it are divided, and there `fading`: what falls to none.
    """

    levels: tuple[Level, ...]
    fading: tuple[Level, ...]
    divided: Stack
    metal: SheetBasis | None
    aloft: Aloft | None

    @property
    def every(self) -> tuple[Level, ...]:
        """All that may end in probes."""
        return self.levels + self.fading

    @property
    def uprights(self) -> tuple[Upright, ...]:
        """What goes up to each of these from z = 0, through the stack as it is divided."""
        found = [Upright(int(self.divided.face_at(np.array(one.stack.level)))) for one in self.levels]
        return *found, *(Upright(one.stack.metal_on, one.stack.fades) for one in self.fading)

    @property
    def as_divided(self) -> Divided:
        """The same for tables."""
        count = len(self.levels)
        return Divided(self.divided, self.uprights[:count], self.uprights[count:])

    @cached_property
    def on_metal(self) -> Ints:
        """The functions on all levels, in the order of the metal."""
        return np.concatenate([level.on_metal for level in self.levels])

    @property
    def wires(self) -> int:
        """How many functions there are on wires."""
        return int(self.levels[0].up.shape[1])

    @property
    def numbers(self) -> tuple[int, ...]:
        """Of the levels, how many layers are under each."""
        return tuple(level.stack.metal_on for level in self.levels)

    @property
    def probes(self) -> Floats:
        """Ends of all probes (n, 3)."""
        return np.concatenate([level.probes for level in self.every])

    @property
    def radius(self) -> float:
        """Of the thickest probe."""
        return max(float(level.radii.max(initial=0.0)) for level in self.every)


@lru_cache(maxsize=8)
def layered(basis: Basis, stack: Stack) -> Layered:
    """A basis taken apart."""
    wires, sheets = basis.wires, basis.sheets
    on = np.zeros(0, np.int64) if sheets is None else _levels_of(sheets, stack)
    along = wires.ends[np.repeat(wires.through, 2)].toarray().reshape(int(wires.through.sum()), 2, wires.size)
    pins = pins_of(basis.mesh, wires.through, along, stack)
    numbers = sorted({*on[on >= 0].tolist(), *pins.ends.faces.tolist()}) or [stack.metal_on]
    levels = tuple(_level(basis, stack.on(number), on, pins.ends.on(number)) for number in numbers)
    fading = tuple(_nothing_but(own, ends) for own, ends in pins.fading)
    rest, in_air = (None, np.zeros(0, np.int64)) if sheets is None else part_of(sheets, on < 0)
    flying, on_wires = wires.within(~wires.through)
    aloft = None
    if flying.size or rest is not None:
        own = np.concatenate([in_air, basis.first_wire + on_wires])
        aloft = _aloft(Basis(flying, rest, basis.reach).raised(-stack.thickness), own, stack.thickness)
    return Layered(levels, fading, pins.cut, _joined(sheets, levels, on), aloft)


def _levels_of(sheets: SheetBasis, stack: Stack) -> Ints:
    """Of every triangle the level it is on (triangles,), -1 for those in the air."""
    heights = stack.level_at(sheets.mesh.corners[..., 2])
    return np.where((heights == heights[:, :1]).all(axis=1), heights[:, 0], -1)


def _nothing_but(stack: Stack, fading: PinEnds) -> Level:
    """What fades to a face, as a level without metal."""
    wires = fading.amounts.shape[1]
    nothing, none = np.zeros((0, wires)), np.zeros(0)
    return Level(
        stack, None, none.astype(np.int64), (), nothing, none, fading.places, fading.radii, fading.amounts.real
    )  # fmt: skip


def _level(basis: Basis, stack: Stack, on: Ints, ends: PinEnds) -> Level:
    number, wires = stack.metal_on, basis.wires
    chosen = on == number
    metal, on_metal = (None, np.zeros(0, np.int64)) if basis.sheets is None else part_of(basis.sheets, chosen)
    feet = [(fan, amount) for fan, amount in basis.feet if stack.level_at(fan.apex[2]) == number]
    # A fan's triangles have the numbers they have among those on the level.
    fans = tuple(_renumbered(fan, chosen) for fan, _ in feet)
    return Level(
        stack, metal, on_metal, fans, np.array([a for _, a in feet]).reshape(len(feet), wires.size),
        np.array([basis.mesh.radii[wires.halves[0, a != 0.0] // 2].max() for _, a in feet]),
        ends.places, ends.radii, ends.amounts.real,
    )  # fmt: skip


def _joined(sheets: SheetBasis | None, levels: tuple[Level, ...], on: Ints) -> SheetBasis | None:
    """The metal of all levels as one basis, triangles and functions level by level."""
    metal = [level for level in levels if level.metal is not None]
    if sheets is None or not metal:
        return None
    if len(metal) == 1:
        return metal[0].metal
    mesh = sheets.mesh.only(np.concatenate([np.flatnonzero(on == level.stack.metal_on) for level in metal]))
    sides, first = [], 0
    for level in metal:
        assert level.metal is not None
        sides.append(3 * (level.metal.pairs + first) + level.metal.corners)
        first += len(level.metal.mesh)
    return across(mesh, np.concatenate(sides, axis=1))


def part_of(sheets: SheetBasis, chosen: Bools) -> tuple[SheetBasis | None, Ints]:
    """The functions on some triangles, which no function leaves, in their order, and their numbers."""
    if chosen.all():
        return sheets, np.arange(sheets.size)
    own = np.flatnonzero(chosen[sheets.pairs[0]])
    if not chosen.any():
        return None, own
    number = np.cumsum(chosen) - 1
    return across(sheets.mesh.only(chosen), 3 * number[sheets.pairs[:, own]] + sheets.corners[:, own]), own


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
