"""The basis of one cell of an array without end.

Metal that goes on over the cell's edge meets its image there: what is at one edge of the cell and, moved by whole steps
of the lattice, at another, is one edge, or one node. A function across it has one half in the cell and the other on a
copy, in another cell, of a piece of this one. So functions are known by halves and the cells these are in, and may be
laid out on as many cells as are wanted.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..arraytypes import Bools, Floats, Ints
from ..errors import ModelError
from ..lattice import Lattice
from ..meshing.mesh import WireMesh, joined_points
from ..meshing.sheet_mesh import SheetMesh
from .basis import Basis
from .sheet_basis import across
from .wire_basis import WireBasis

_CLOSE = 1e-7
"""How far what meets its image may be off it, over the size of the cell's metal."""


@dataclass(frozen=True)
class Halves:
    """Both halves (2, n) of functions, and the cells (2, n, 2) they are in: sides of triangles, or ends of segments.

    single (n,): which functions have one half alone.
    """

    numbers: Ints
    cells: Ints
    single: Bools


@dataclass(frozen=True, eq=False)
class CellBasis:
    """Functions of one cell on the metal of it, which all cells have."""

    wires: WireMesh
    sheets: SheetMesh | None
    through: Bools
    even: Bools
    lattice: Lattice
    reach: float
    on_wires: Halves
    on_sheets: Halves | None

    @property
    def size(self) -> int:
        """Number of functions."""
        return self.first_wire + len(self.on_wires.single)

    @property
    def first_wire(self) -> int:
        """How many of them are on sheets."""
        return 0 if self.on_sheets is None else len(self.on_sheets.single)

    @cached_property
    def reached(self) -> Ints:
        """Cells (n, 2) that functions have halves in, the own one among them."""
        every = [self.on_wires, *([] if self.on_sheets is None else [self.on_sheets])]
        return np.unique(np.concatenate([np.zeros((1, 2), np.int64), *(x.cells.reshape(-1, 2) for x in every)]), axis=0)

    @cached_property
    def own(self) -> Basis:
        """The functions of the cell 0, 0, with the copies of pieces that they reach over to."""
        return self.laid(np.zeros((1, 2), np.int64))

    @cached_property
    def pieces(self) -> tuple[Ints, Ints]:
        """Of `own`, the cell of every segment and triangle, and its number in it, (n, 3) each."""
        none = np.zeros((1, 2), np.int64)
        triangles = np.zeros((0, 3), np.int64)
        if self.sheets is not None and self.on_sheets is not None:
            triangles = _laid(self.on_sheets, 3, len(self.sheets), none)[0]
        return _laid(self.on_wires, 2, len(self.wires), none)[0], triangles

    def laid(self, cells: Ints) -> Basis:
        """The functions of several cells (c, 2), cell after cell: those on sheets, then those on wires."""
        pieces, halves = _laid(self.on_wires, 2, len(self.wires), cells)
        through, even = (x[pieces[:, 2]] for x in (self.through, self.even))
        wires = WireBasis(_copied_wires(self.wires, pieces, self.lattice), *halves, through, even)
        if self.sheets is None or self.on_sheets is None:
            return Basis(wires, None, self.reach)
        pieces, (sides, _) = _laid(self.on_sheets, 3, len(self.sheets), cells)
        return Basis(wires, across(_copied_sheets(self.sheets, pieces, self.lattice), sides), self.reach)

    def numbers(self, cell: int, cells: int) -> Ints:
        """Where the functions of a cell are among those of so many that are laid."""
        on_sheets, on_wires = self.first_wire, self.size - self.first_wire
        return np.concatenate(
            [cell * on_sheets + np.arange(on_sheets), cells * on_sheets + cell * on_wires + np.arange(on_wires)]
        )


def cell_basis(whole: Basis, lattice: Lattice) -> CellBasis:
    """The functions of a cell, from those on its metal alone.

    Raises ModelError where metal meets its image but their pieces do not, and for wires that stand there.
    """
    wires, sheets = whole.wires, whole.sheets
    mesh = None if sheets is None else sheets.mesh
    on_wires = _across_nodes(wires, lattice)
    on_sheets = None if sheets is None else _across_sides(sheets.mesh, sheets.grounded, lattice)
    made = CellBasis(wires.mesh, mesh, wires.through, wires.even, lattice, whole.reach, on_wires, on_sheets)
    if mesh is not None and len(whole.standing):
        meeting = _classes(mesh.vertices[np.unique(mesh.triangles)], lattice)
        shared = np.flatnonzero(np.bincount(meeting[0])[meeting[0]] > 1)
        for vertex in whole.standing:
            place = mesh.vertices[vertex]
            if (np.linalg.norm(mesh.vertices[np.unique(mesh.triangles)][shared] - place, axis=1) < whole.reach).any():
                raise ModelError(
                    f"a wire stands at {_at(place)} where the sheet goes over into the next cell: move it in"
                )
    return made


def _at(place: Floats) -> str:
    return "(" + ", ".join(f"{x:.6g}" for x in place) + ") m"


def _classes(places: Floats, lattice: Lattice) -> tuple[Ints, Ints]:
    """Places (n, 3) that whole steps of the lattice bring together: number of their kind (n,), and the cell (n, 2) each
    is in, counted from where the first of its kind is.
    """  # fmt: skip
    from scipy.spatial import cKDTree

    n = len(places)
    kind, cell = np.arange(n), np.zeros((n, 2), np.int64)
    if not n:
        return kind, cell
    size = float(np.linalg.norm(np.ptp(places, axis=0)))
    close, tree = _CLOSE * max(size, 1e-3 * float(np.linalg.norm(lattice.steps[0]))), cKDTree(places)
    steps = lattice.within(size + close)
    for step in steps[(steps[:, 0] > 0) | ((steps[:, 0] == 0) & (steps[:, 1] > 0))]:
        moved = places + np.append(lattice.places(step), 0.0)
        off, other = tree.query(moved, distance_upper_bound=close)
        for i in np.flatnonzero(np.isfinite(off)):
            j = int(other[i])
            if kind[i] == kind[j]:
                continue
            # Place j is place i a step on: all of its kind join that of i.
            joining = kind == kind[j]
            cell[joining] += cell[i] + step - cell[j]
            kind[joining] = kind[i]
    # Counted from the first of each.
    _, first, kind = np.unique(kind, return_index=True, return_inverse=True)
    kind = kind.ravel()
    return kind, cell - cell[first][kind]


def _across_sides(mesh: SheetMesh, grounded: bool, lattice: Lattice) -> Halves:
    """Functions from the first side at every edge to each other, as `sheet_basis` has them."""
    used = np.unique(mesh.triangles)
    kind, cell = np.zeros(len(mesh.vertices), np.int64), np.zeros((len(mesh.vertices), 2), np.int64)
    kind[used], cell[used] = _classes(mesh.vertices[used], lattice)
    t = mesh.triangles
    sides = np.stack([t[:, [1, 2]], t[:, [2, 0]], t[:, [0, 1]]], axis=1).reshape(-1, 2)
    # The same way round wherever it is: by kinds, and where both are one, by cells.
    way = np.concatenate([kind[sides][..., None], cell[sides]], axis=2)
    later, one = np.zeros(len(sides), bool), way[:, 0] - way[:, 1]
    for column in (2, 1, 0):
        later = np.where(one[:, column] == 0, later, one[:, column] > 0)
    way[later] = way[later][:, ::-1]
    here = way[:, 0, 1:]
    key = np.concatenate([way[:, :, 0], way[:, 1, 1:] - here], axis=1)
    _, edge = np.unique(key, axis=0, return_inverse=True)
    edge = edge.ravel()
    order = np.argsort(edge, kind="stable")
    place = edge[order]
    first = np.searchsorted(place, np.arange(place.max() + 1))
    alone = np.full(len(order), grounded) & mesh.on_plane[sides[order]].all(axis=1)
    wanted = np.flatnonzero((np.arange(len(order)) != first[place]) | alone)
    head = order[first[place[wanted]]]
    one_side, two_side = np.where(alone[wanted], order[wanted], head), order[wanted]
    step = np.where(alone[wanted][:, None], 0, here[head] - here[two_side])
    _refuse_unmatched(mesh, sides, edge, lattice)
    along = np.argsort(one_side // 3, kind="stable")
    return Halves(
        np.stack([one_side, two_side])[:, along], np.stack([np.zeros_like(step), step])[:, along],
        (one_side == two_side)[along],
    )  # fmt: skip


def _refuse_unmatched(mesh: SheetMesh, sides: Ints, edge: Ints, lattice: Lattice) -> None:
    """Raise ModelError where the middle of a rim, a step of the lattice on, is on another rim that it does not meet."""
    rims = np.flatnonzero(np.bincount(edge)[edge] == 1)
    if not len(rims):
        return
    ends = mesh.vertices[sides[rims]]
    middles, size = ends.mean(axis=1), float(np.linalg.norm(np.ptp(mesh.vertices, axis=0)))
    start, along = ends[:, 0], ends[:, 1] - ends[:, 0]
    steps = lattice.within(size)
    for step in steps[steps.any(axis=1)]:
        moved = middles + np.append(lattice.places(step), 0.0)
        low, high = ends.min(axis=(0, 1)) - _CLOSE * size, ends.max(axis=(0, 1)) + _CLOSE * size
        for place in moved[((moved >= low) & (moved <= high)).all(axis=1)]:
            share = np.clip(((place - start) * along).sum(axis=1) / (along**2).sum(axis=1), 0.0, 1.0)
            if (np.linalg.norm(start + share[:, None] * along - place, axis=1) < _CLOSE * size).any():
                raise ModelError(
                    f"the metal meets its image at {_at(place)}, but the edges of their triangles do not: give both "
                    "edges of the cell the same corners, or keep the metal off one of them"
                )


def _across_nodes(basis: WireBasis, lattice: Lattice) -> Halves:
    """Functions from arm to arm at every node, as `wire_basis` has them, where none meets its image."""
    mesh = basis.mesh
    kept = Halves(basis.halves, np.zeros((2, basis.size, 2), np.int64), basis.signs[1] == 0.0)
    if not len(mesh):
        return kept
    node = mesh.ends.ravel()
    arms = np.bincount(node, minlength=len(mesh.nodes))
    ends = np.flatnonzero((arms > 0) & ~mesh.grounded)
    kind, cell = _classes(mesh.nodes[ends], lattice)
    pairs, cells = [], []
    for number in np.flatnonzero(np.bincount(kind) > 1):
        here = ends[kind == number]
        chain = [(half, cell[np.searchsorted(ends, n)]) for n in here for half in np.flatnonzero(node == n)]
        head = chain[0][1]
        for (one, at_one), (two, at_two) in itertools.pairwise(chain):
            # All are brought to the first node; a function starts in the cell itself.
            pairs.append((one, two))
            cells.append(((0, 0), tuple((head - at_two) - (head - at_one))))
        kept = _without(kept, np.isin(node[kept.numbers[0]], here))
    if not pairs:
        return kept
    numbers = np.concatenate([kept.numbers, np.array(pairs, np.int64).T], axis=1)
    steps = np.concatenate([kept.cells, np.array(cells, np.int64).transpose(1, 0, 2)], axis=1)
    single = np.concatenate([kept.single, np.zeros(len(pairs), bool)])
    return Halves(numbers, steps, single)


def _without(halves: Halves, out: Bools) -> Halves:
    return Halves(halves.numbers[:, ~out], halves.cells[:, ~out], halves.single[~out])


def _laid(halves: Halves, each: int, count: int, cells: Ints) -> tuple[Ints, tuple[Ints, Floats]]:
    """Pieces (p, 3), each its cell and its number in the cell, and halves on them with their signs as wires have them.

    each: halves a piece has. count: pieces in a cell, all of which are there for every cell.
    """
    whole = np.concatenate([np.repeat(cells, count, axis=0), np.tile(np.arange(count), len(cells))[:, None]], axis=1)
    numbers = np.tile(halves.numbers, len(cells))
    where = np.concatenate([halves.cells + cell for cell in cells], axis=1)
    wanted = np.concatenate([where, (numbers // each)[..., None]], axis=2).reshape(-1, 3)
    pieces, place = np.unique(np.concatenate([whole, wanted]), axis=0, return_inverse=True)
    # Those of the cells that are laid first, in their order.
    order = np.argsort(np.unique(place.ravel(), return_index=True)[1])
    rank = np.empty(len(pieces), np.int64)
    rank[order] = np.arange(len(pieces))
    found = rank[place.ravel()[len(whole) :]].reshape(numbers.shape)
    laid = each * found + numbers % each
    inward = np.where(numbers % 2 == 1, 1.0, -1.0)
    signs = np.stack([inward[0], np.where(np.tile(halves.single, len(cells)), 0.0, -inward[1])])
    return pieces[order], (laid, signs)


def _moved(pieces: Ints, lattice: Lattice) -> Floats:
    return np.concatenate([lattice.places(pieces[:, :2]), np.zeros((len(pieces), 1))], axis=1)


def _copied_wires(mesh: WireMesh, pieces: Ints, lattice: Lattice) -> WireMesh:
    own, n = pieces[:, 2], len(pieces)
    ends = mesh.ends[own]
    nodes = mesh.nodes[ends] + _moved(pieces, lattice)[:, None]
    return WireMesh(
        nodes.reshape(-1, 3), np.arange(2 * n).reshape(n, 2), mesh.radii[own], mesh.wire[own], mesh.arc[own],
        mesh.grounded[ends].ravel(), mesh.wavelength,
    )  # fmt: skip


def _copied_sheets(mesh: SheetMesh, pieces: Ints, lattice: Lattice) -> SheetMesh:
    own, step = pieces[:, 2], _moved(pieces, lattice)
    corners = (mesh.corners[own] + step[:, None]).reshape(-1, 3)
    places = (mesh.places[mesh.triangles[own]] + step[:, None]).reshape(-1, 3)
    label = joined_points(corners, 1e-4 * float(mesh.edge_lengths.min()))
    _, first = np.unique(label, return_index=True)
    return SheetMesh(corners[first], label.reshape(-1, 3), mesh.sheet[own], places[first], mesh.surfaces)
