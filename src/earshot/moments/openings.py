"""Openings in a plane between layers: what is on either side of it, and what joins the two.

The field across an opening, E0 = ẑ × Σ v f with functions f as those of sheets, makes both sides problems of their own
over a plane that is closed (Harrington and Mautz 1976), with a magnetic current E0 × ẑ on it, of which each sees its
own. Fields on both sides along the plane are the same there,

    Σ ⟨f, H⟩ = 0 over both sides,  H = -(Y v) + ...,

with what is under the plane mirrored, so that both look alike. By reciprocity what metal does to an opening is what
that does to metal, C = ⟨j, E⟩, so that the whole is symmetric: [Z, -C; -Cᵀ, -Y].
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..constants import WAVE_IMPEDANCE
from ..media.both_sides import BothSides
from ..media.opening_table import ThroughOpening, opening_table, through_openings
from ..media.spectral import Spectrum
from ..media.stack import Stack
from ..meshing.sheet_mesh import SheetMesh
from ..running import announce, in_parallel
from .basis import Basis
from .layered import Level, layered, part_of
from .sheet_basis import SheetBasis
from .sheet_matrix import arrays_of, scales
from .sheet_matrix import in_shares as in_spans
from .wire_basis import WireBasis

_NEAR_COST = 1500
_FINE = 1.5
_TOGETHER, _ALONG = 8, 3
_PAIRS = 2_000_000
"""Of triangles, whose numbers are held at once: some 300 MB."""


class Groups(NamedTuple):
    """Points that belong together: places and weights (3, points), where those of each group are in three sets of them,
    from coarse to fine (3, groups, 2), and middles and reaches (3, groups).
    """

    points: Floats
    spans: Ints
    around: Floats

    def only(self, chosen: Ints) -> Groups:
        """Some groups."""
        return Groups(self.points, np.ascontiguousarray(self.spans[:, chosen]), self.around[:, chosen])


@dataclass(frozen=True, eq=False)
class Side:
    """What is on one side of the plane, as if that were over it, and the numbers of its functions in the whole."""

    stack: Stack
    basis: Basis
    own: Ints


@dataclass(frozen=True, eq=False)
class Sides:
    """Both sides of a plane, from the upper; the openings in it, if any, and the numbers of their functions.

    bridges, bridging: wires that cross openings in the plane, and the numbers of their functions.
    """

    sides: tuple[Side, Side]
    openings: SheetBasis | None
    own: Ints
    bridges: WireBasis
    bridging: Ints


@lru_cache(maxsize=8)
def sides_of(basis: Basis, medium: BothSides) -> Sides:
    """A basis taken apart at the plane."""
    heights = np.zeros(0) if basis.sheets is None else basis.sheets.mesh.centres[:, 2]
    on_plane = medium.level_at(heights) == 0
    found = []
    for stack, sense in zip(medium.sides, (1.0, -1.0), strict=True):
        sheets, on_sheets = (None, np.zeros(0, np.int64))
        if basis.sheets is not None:
            sheets, on_sheets = part_of(basis.sheets, ~on_plane & (sense * heights > 0.0))
        wires, on_wires = basis.wires.within(sense * basis.mesh.centres[:, 2] > 0.0)
        part = Basis(wires, sheets, basis.reach, basis.planes)
        found.append(
            Side(
                stack,
                part if sense > 0.0 else part.mirrored,
                np.concatenate([on_sheets, basis.first_wire + on_wires]),
            )
        )
    openings, own = (None, np.zeros(0, np.int64)) if basis.sheets is None else part_of(basis.sheets, on_plane)
    bridges, bridging = basis.wires.within(medium.level_at(basis.mesh.centres[:, 2]) == 0)
    return Sides((found[0], found[1]), openings, own, bridges, basis.first_wire + bridging)


def across_openings(parts: Sides) -> Floats:
    """∫ E0·dl along wires in the plane from one volt of every function on openings (bridges, openings).

    Such a wire is a filament: closed up, the plane takes all of its own field.
    """
    openings, wires = parts.openings, parts.bridges
    assert openings is not None
    mesh, found = openings.mesh, np.zeros((wires.size, openings.size))
    c, px, py = _by_triangle(openings)
    nodes, weights = np.polynomial.legendre.leggauss(_ALONG)
    corners = mesh.corners[..., :2]
    for function in range(wires.size):
        segment = wires.halves[0, function] // 2
        start, along = wires.mesh.starts[segment, :2], (wires.mesh.tangents * wires.mesh.lengths[:, None])[segment, :2]
        cuts = _crossings(corners, start, along)
        for low, high in itertools.pairwise(cuts):
            places = start + (0.5 * (low + high) + 0.5 * (high - low) * nodes)[:, None] * along
            inside = _holding(corners, places[_ALONG // 2])
            if inside < 0:
                continue
            share = wires.signs[0, function] * 0.5 * (high - low) * weights
            # E0 = c (-(y - p_y), x - p_x).
            found[function] += (share @ (along[1] * places[:, 0] - along[0] * places[:, 1])) * c[[inside]].toarray()[0]
            found[function] += share.sum() * (along[0] * py[[inside]] - along[1] * px[[inside]]).toarray()[0]
    return found


def _crossings(corners: Floats, start: Floats, along: Floats) -> Floats:
    """Where a line from 0 to 1 passes sides of triangles (n, 3, 2)."""
    one, two = corners, np.roll(corners, -1, axis=1)
    side = two - one
    cross = along[0] * side[..., 1] - along[1] * side[..., 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        off = one - start
        share = (off[..., 0] * side[..., 1] - off[..., 1] * side[..., 0]) / cross
        place = (off[..., 0] * along[1] - off[..., 1] * along[0]) / cross
        met = (np.abs(cross) > 0.0) & (place > -1e-9) & (place < 1.0 + 1e-9) & (share > 0.0) & (share < 1.0)
    return np.unique(np.concatenate([[0.0, 1.0], share[met]]).round(12))


def _holding(corners: Floats, place: Floats) -> int:
    """Which triangle (n, 3, 2) holds a place, on its side or within; -1 where none does."""
    off, side = place - corners, np.roll(corners, -1, axis=1) - corners
    turn = side[..., 0] * off[..., 1] - side[..., 1] * off[..., 0]
    size = np.abs(turn.sum(axis=1))
    inside = np.flatnonzero((turn.min(axis=1) >= -1e-9 * size) | (turn.max(axis=1) <= 1e-9 * size))
    return int(inside[0]) if len(inside) else -1


def reach_of(*meshes: Floats) -> float:
    """How far apart places (n, 2 or 3) are, along the plane, m."""
    places = np.concatenate([mesh[:, :2] for mesh in meshes])
    return float(np.linalg.norm(np.ptp(places, axis=0)))


def admittance(openings: SheetBasis, stack: Stack, frequency: float) -> Complexes:
    """Y of the functions on openings (functions, functions), siemens, on one side of the plane."""
    from ..kernels.printed import fill_printed

    mesh = openings.mesh
    used = mesh.vertices[np.unique(mesh.triangles)]
    table = opening_table(Spectrum(stack, frequency), reach_of(used), float(mesh.edge_lengths.max()))
    points, triangles, places = arrays_of(openings)
    flat = np.ascontiguousarray(places[[0, 1, 2, 4, 5, 6]])
    level = np.array([0, len(mesh), openings.size])
    found = np.zeros((openings.size, openings.size), np.complex128)

    def fill(span: Ints, rows: Ints, spare: Complexes, matrix: Complexes) -> None:
        fill_printed(
            mesh.columns, points, triangles, openings.start, openings.halves, openings.pairs, flat, openings.lowest,
            span, level, table.images, table.steps, table.whole, table.rest, *scales(frequency), rows, matrix, spare,
        )  # fmt: skip

    in_spans(openings, found, _NEAR_COST, fill)
    # As for electric currents of the dual layers, whose impedances are admittances times η².
    return found / WAVE_IMPEDANCE**2


def seen_through(side: Side, openings: SheetBasis, frequency: float) -> Complexes:
    """C: what one volt of every function on openings does to those on a side (functions of the side, openings)."""
    parts, first = layered(side.basis, side.stack), side.basis.first_wire
    found = np.zeros((side.basis.size, openings.size), np.complex128)
    used = [openings.mesh.vertices[np.unique(openings.mesh.triangles)], parts.probes]
    if parts.metal is not None:
        used.append(parts.metal.mesh.vertices[np.unique(parts.metal.mesh.triangles)])
    tables = through_openings(Spectrum(parts.divided, frequency), parts.uprights, reach_of(*used) + parts.radius)
    for level, upright in zip(parts.every, parts.uprights, strict=True):
        height, table = level.stack.level, tables[upright]
        across = _groups(openings.mesh, height)
        if level.metal is not None:
            around = _groups(level.metal.mesh, height, openings.mesh.centres)
            found[level.on_metal] += _on_metal(level.metal, openings, around, (across, height, table))
            found[first:] += _from_fans(level, openings, around, (across, height, table))
        if len(level.probes):
            numbers = _numbers(_points(level.probes), (across, height, table), 2)
            found[first:] += level.up.T @ _potentials(numbers, openings)
    return found


def _groups(mesh: SheetMesh, height: float, others: Floats | None = None) -> Groups:
    """Every triangle as three points, as seven, and fine beside a height and how far the nearest others (n, 3) are."""
    from scipy.spatial import cKDTree

    from ..kernels.sheets import P3, P7, W3, W7

    size = mesh.edge_lengths.max(axis=1)
    away = 0.0 if others is None else cKDTree(others[:, :2]).query(mesh.centres[:, :2])[0] - size
    wanted = _FINE * np.maximum(height, away) * np.ones(len(mesh))
    corners, owner = _cut(mesh.corners, wanted)
    areas = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    each = np.arange(len(mesh) + 1)
    sets = [_by_rule(P3, W3, mesh.corners, mesh.areas), _by_rule(P7, W7, mesh.corners, mesh.areas)]
    starts = np.array([3 * each, 3 * each[-1] + 7 * each, 10 * each[-1] + 7 * np.searchsorted(owner, each)])
    spans = np.stack([starts[:, :-1], starts[:, 1:]], axis=2)
    around = np.concatenate([mesh.centres[:, :2].T, mesh.reaches[None]])
    return Groups(np.concatenate([*sets, _by_rule(P7, W7, corners, areas)], axis=1), spans, around)


def _by_rule(rule: Floats, weights: Floats, corners: Floats, areas: Floats) -> Floats:
    """Places and weights (3, points) of a rule on triangles (n, 3, 3), those of one together."""
    places = np.einsum("pc,tcx->xtp", rule, corners[..., :2]).reshape(2, -1)
    return np.concatenate([places, (areas[:, None] * weights).reshape(1, -1)])


def _cut(corners: Floats, longest: Floats) -> tuple[Floats, Ints]:
    """Triangles (n, 3, 3) halved at their longest side until none is longer, and which each is of; in their order."""
    corners, owner = corners.copy(), np.arange(len(corners))
    while True:
        sides = np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2)
        worst = np.argmax(sides, axis=1)
        long = np.flatnonzero(sides.max(axis=1) > longest[owner])
        if not len(long):
            order = np.argsort(owner, kind="stable")
            return corners[order], owner[order]
        one, two, three = (corners[long, (worst[long] + i) % 3] for i in range(3))
        middle = 0.5 * (one + two)
        corners[long] = np.stack([one, middle, three], axis=1)
        corners = np.concatenate([corners, np.stack([middle, two, three], axis=1)])
        owner = np.concatenate([owner, owner[long]])


def _points(places: Floats) -> Groups:
    """Points (n, 3) that are groups of their own, of weight one."""
    alone = np.stack([places[:, 0], places[:, 1], np.ones(len(places))])
    around = np.stack([places[:, 0], places[:, 1], np.zeros(len(places))])
    each = np.arange(len(places))
    return Groups(alone, np.tile(np.stack([each, each + 1], axis=1), (3, 1, 1)), around)


Seen = tuple[Groups, float, ThroughOpening]
"""Openings as points, and a height over them with what their fields do there."""


def _numbers(groups: Groups, seen: Seen, kind: int) -> Complexes:
    """The nine numbers of groups and triangles of openings, see the kernel; kind: of what goes with ρ̂."""
    from ..kernels import openings as kernel

    announce(kernel.through_openings)
    across, height, table = seen
    count = groups.around.shape[1]
    found = np.zeros((9, count, across.around.shape[1]), np.complex128)
    cubics = np.ascontiguousarray(table.cubics[:, [0, kind]])
    one, two = (Groups._make(np.ascontiguousarray(array) for array in each) for each in (groups, across))

    def work(first: int) -> None:
        kernel.through_openings(
            *one, *two, height, table.steps, cubics, first, min(first + _TOGETHER, count), found
        )  # fmt: skip

    # What is over an opening is dear, so that shares are small.
    in_parallel(work, range(0, count, _TOGETHER))
    return found


def _by_triangle(sheets: SheetBasis) -> tuple[Any, Any, Any]:
    """Sparse (triangles, functions): c, c p_x and c p_y of f = c (r - p)."""
    from scipy.sparse import csr_array

    functions, shape = np.tile(np.arange(sheets.size), 2), (len(sheets.mesh), sheets.size)
    amounts = sheets.coefficients, *(sheets.coefficients * sheets.apexes[..., axis] for axis in (0, 1))
    one, two, three = (csr_array((a.ravel(), (sheets.pairs.ravel(), functions)), shape=shape) for a in amounts)
    return one, two, three


def _potentials(numbers: Complexes, openings: SheetBasis) -> Complexes:
    """Σ of what goes with ρ̂·E0 over every group (groups, functions of openings), E0 = ẑ × d (r' - q)."""
    d, qx, qy = _by_triangle(openings)
    return np.asarray(numbers[8] @ d + numbers[6] @ qy - numbers[7] @ qx)


def _on_metal(metal: SheetBasis, openings: SheetBasis, around: Groups, seen: Seen) -> Complexes:
    """⟨f, E⟩ = ∫ f·a E0 + ∫ (∇·f) Φ of functions of metal and of openings."""
    found = np.zeros((metal.size, openings.size), np.complex128)
    c, px, py = _by_triangle(metal)
    together = max(_PAIRS // len(openings.mesh), 1)
    for first in range(0, len(metal.mesh), together):
        own = np.arange(first, min(first + together, len(metal.mesh)))
        numbers = _numbers(around.only(own), seen, 1)
        along, ex, ey = _fields(numbers, openings)
        found += c[own].T @ (along + 2.0 * _potentials(numbers, openings)) - px[own].T @ ex - py[own].T @ ey
    return found


def _fields(numbers: Complexes, openings: SheetBasis) -> tuple[Complexes, Complexes, Complexes]:
    """∫ r·a E0, and x and y of ∫ a E0, over every group (groups, functions of openings)."""
    d, qx, qy = _by_triangle(openings)
    ex, ey = numbers[0] @ qy - numbers[4] @ d, numbers[3] @ d - numbers[0] @ qx
    return numbers[5] @ d + numbers[1] @ qy - numbers[2] @ qx, ex, ey


def _from_fans(level: Level, openings: SheetBasis, around: Groups, seen: Seen) -> Complexes:
    """The same of feet (wires, functions of openings): halves on triangles, what has no divergence, and the charge of
    the current that comes up at their vertex.
    """
    found = np.zeros((level.up.shape[1], openings.size), np.complex128)
    for fan, into in zip(level.fans, level.into, strict=True):
        numbers = _numbers(around.only(fan.triangles), seen, 1)
        along, ex, ey = _fields(numbers, openings)
        spread = along + 2.0 * _potentials(numbers, openings) - fan.apex[0] * ex - fan.apex[1] * ey
        at = _numbers(_points(np.concatenate([fan.points, fan.apex[None]])), seen, 1)
        _, x, y = _fields(at, openings)
        total = fan.coefficients @ spread
        total += fan.moments[:, 0] @ x[:-1] + fan.moments[:, 1] @ y[:-1] + _potentials(at, openings)[-1]
        found += into[:, None] * total
    return found
