"""The matrix of metal on levels of a stack, and of probes from the plane to them and between them.

A probe is a current of one strength from the plane up, which a fan spreads over the metal at its top. No charge is left
there: the scalar potential of the fan's end less that of the probe's is one bounded kernel. One between two levels is
the difference of two from the plane.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Bools, Complexes, Floats, Ints
from ..media.kernel_table import Divided, KernelTable, ProbeTable, Tables, level_tables
from ..media.spectral import Spectrum
from ..media.stack import Stack
from ..running import announce, in_parallel, in_threads, thread_count
from .basis import Basis
from .coupling import Points, fan_points, moments_between, moments_of, with_fan, with_sheets
from .layered import Layered, Level, layered
from .sheet_basis import Fan, SheetBasis
from .sheet_matrix import arrays_of, block_of, in_shares, scales

_NEAR_COST = 1500
_OVER = 1.5
"""Pairs that are near on another level, over those on a triangle's own."""
_TOGETHER = 16
"""Feet whose view of all triangles is held at once."""


def fill_metal(parts: Layered, stack: Stack, frequency: float, matrix: Complexes) -> None:
    """Put what functions on the metal do to one another into a matrix of zeros, where the whole basis has them, ohm."""
    assert parts.metal is not None
    tables, own = tables_for(parts, stack, frequency), parts.on_metal
    if (own == np.arange(len(own))).all():
        # Nothing on sheets but what is on levels, in order: the first rows and columns.
        _fill(parts, tables, frequency, matrix)
        return
    alone = np.zeros((len(own), len(own)), np.complex128)
    _fill(parts, tables, frequency, alone)
    matrix[np.ix_(own, own)] = alone


def border_of_metal(parts: Layered, tables: Tables, frequency: float, beyond: Beyond | None = None) -> Complexes:
    """What feet and probes bring: the matrix's last rows (wires, metal + wires), ohm; beyond: see there."""
    metal = len(parts.on_metal)
    border = np.zeros((parts.wires, metal + parts.wires), np.complex128)
    among = border[:, metal:]
    for one in parts.every:
        first = 0
        for two in parts.every:
            onto, table = border[:, first : first + len(two.on_metal)], tables[one.key, two.key]
            first += len(two.on_metal)
            if one.fans:
                _feet(one, two, table, frequency, (onto, among), beyond)
            if len(one.probes):
                _probes(one, two, table, frequency, (onto, among), beyond)
    if beyond is not None:
        beyond.complete(border)
    return border


def printed_block(basis: Basis, stack: Stack, frequency: float, rows: ArrayLike, columns: ArrayLike) -> Complexes:
    """Entries (rows, columns) between functions of sheets, ohm, each as it stands: nothing is mirrored."""
    from ..kernels.printed import near_numbers

    parts = layered(basis, stack)
    sheets, tables = basis.sheets, tables_for(parts, stack, frequency)
    assert sheets is not None
    _, triangles, _ = arrays_of(sheets)
    t, one, pair = sheets.mesh.columns, np.empty(14), np.zeros((14, 1))
    heights = sheets.mesh.centres[:, 2]
    levels = stack.level_at(heights)

    def numbers(i: int, j: int) -> Complexes:
        table, (z, other) = tables[int(levels[i]), int(levels[j])], heights[[i, j]]
        near_numbers(t, triangles, i, j, table.images, table.steps, table.rest, one, pair)
        flat = pair[:7, 0] + 1j * pair[7:, 0]
        # Currents are level, and so is what they have of height.
        lifted = flat[5] + z * other * flat[0]
        return np.array([*flat[:3], z * flat[0], *flat[3:5], other * flat[0], lifted, flat[6]])

    return block_of(sheets, frequency, rows, columns, numbers)


def tables_for(parts: Layered, stack: Stack, frequency: float) -> Tables:
    """The kernels of all levels for the extent and the largest triangles of the metal, and for probes."""
    places, cell = parts.probes, stack.thickness
    if parts.metal is not None:
        mesh = parts.metal.mesh
        places, cell = np.concatenate([places, mesh.vertices[np.unique(mesh.triangles)]]), mesh.edge_lengths.max()
    reach = float(np.linalg.norm(np.ptp(places[:, :2], axis=0))) if len(places) else 0.0
    own = stack.on(parts.numbers[0])
    return _tables(own, frequency, parts.numbers, reach + parts.radius, float(cell), parts.as_divided)


@lru_cache(maxsize=4)
def _tables(
    stack: Stack, frequency: float, levels: tuple[int, ...], reach: float, cell: float, cut: Divided | None
) -> Tables:  # fmt: skip
    return level_tables(Spectrum(stack, frequency), levels, reach, cell, cut, in_parallel)


def _fill(parts: Layered, tables: Tables, frequency: float, matrix: Complexes) -> None:
    from ..kernels.printed import fill_printed

    announce(fill_printed)
    basis, metal = parts.metal, [level for level in parts.levels if level.metal is not None]
    assert basis is not None
    points, triangles, places = arrays_of(basis)
    flat = np.ascontiguousarray(places[[0, 1, 2, 4, 5, 6]])
    stops = np.cumsum([0, *(len(level.metal.mesh) for level in metal if level.metal)])
    ends = np.cumsum([len(level.on_metal) for level in metal])

    def fill(span: Ints, rows: Ints, spare: Complexes, matrix: Complexes) -> None:
        for a, one in enumerate(metal):
            share = np.clip(span, stops[a], stops[a + 1])
            for b in range(a, len(metal)):
                table, level = tables[one.key, metal[b].key], np.array([stops[b], stops[b + 1], ends[b]])
                fill_printed(
                    basis.mesh.columns, points, triangles, basis.start, basis.halves, basis.pairs, flat, basis.lowest,
                    share, level, table.images, table.steps, table.whole, table.rest, *scales(frequency), rows, matrix,
                    spare,
                )  # fmt: skip

    # Triangles over one another are near as well, and those of the lowest level see all others'.
    others = np.repeat(np.arange(len(metal), dtype=float)[::-1], np.diff(stops))
    in_shares(basis, matrix, _NEAR_COST * (1.0 + _OVER * others), fill)


class Beyond(Protocol):
    """What else than every triangle for itself tells feet and probes what is well off."""

    @property
    def feet(self) -> Ints:
        """The feet that look."""
        ...

    def looking(self, amounts: Floats, /) -> Bools:
        """Which probes look, by what of functions (probes, wires) is in them; the others see but what is under feet."""
        ...

    def leaves(self, feet: Ints, /) -> Bools:
        """Which triangles (feet, triangles) it leaves to be looked at one by one by some feet."""
        ...

    def rest(self, feet: Ints, left: Bools, /) -> Complexes:
        """Entries of some feet (feet, functions) with what is on the other triangles."""
        ...

    def among_feet(self, entries: Complexes, /) -> Complexes:
        """Entries (feet, 2, feet) of all feet by those that looked."""
        ...

    def complete(self, border: Complexes, /) -> None:
        """Put what others tell into the rows of the border whose feet and probes did not look."""
        ...


def away_from(fans: tuple[Fan, ...], own: SheetBasis, basis: SheetBasis) -> tuple[Floats, Floats]:
    """How wide feet on their own metal are (feet, 1), and how far from triangles (feet, triangles), m."""
    wide = np.array([own.mesh.reaches[f.triangles].max() for f in fans])[:, None]
    return wide, np.array([np.linalg.norm(basis.mesh.centres - f.apex, axis=1) for f in fans])


def _seen_by(
    fans: tuple[Fan, ...], own: SheetBasis, basis: SheetBasis, table: KernelTable, wanted: Bools | None
) -> Complexes:  # fmt: skip
    """What the triangles do to feet on their own metal, a row each, and the two sets: (feet, 2, 5, triangles).

    wanted (feet, triangles): of which triangles; of all unless given.
    """
    wide, off = away_from(fans, own, basis)
    near = off < 4.0 * wide + 2.0 * basis.mesh.reaches
    far = ~near if wanted is None else wanted & ~near
    close = _potentials(fan_points(own, fans), near, basis, table)
    return close + _potentials(fan_points(own, fans, near=False), far, basis, table)


def _potentials(points: Points, wanted: Bools, basis: SheetBasis, table: KernelTable) -> Complexes:
    """What the triangles that are wanted (rows, triangles) do to every row and set: (rows, 2, 5, triangles)."""
    from ..kernels.printed import printed_potentials

    announce(printed_potentials)
    m, threads = len(basis.mesh), thread_count()
    out = np.zeros((points.rows, 2, 5, m), np.complex128)
    corners = arrays_of(basis)[0]
    stops = np.linspace(0, m, 4 * threads + 1).astype(int)

    def work(own: int) -> None:
        for part in range(own, 4 * threads, threads):
            printed_potentials(
                basis.mesh.columns, corners, points.places, points.owner, points.weights, wanted,
                table.images, table.steps, table.whole, table.rest, stops[part], stops[part + 1], out,
            )  # fmt: skip

    in_threads(work, range(threads))
    return out


def _ends(one: Level, two: Level, table: ProbeTable, beyond: Beyond | None) -> Complexes:
    """∫ of the kernel of a probe's end over every triangle of a level: (probes, triangles)."""
    from ..kernels.sheets import P7, P28, W7, W28

    assert two.metal is not None
    mesh = two.metal.mesh
    found = np.zeros((len(one.probes), len(mesh)), np.complex128)
    looking = np.ones(len(found), bool) if beyond is None else beyond.looking(one.up)

    def look(row: int) -> None:
        top, radius = one.probes[row], one.radii[row]
        away = np.linalg.norm((mesh.centres - top)[:, :2], axis=1)
        near, wanted = away < 3.0 * mesh.reaches, np.ones(len(mesh), bool)
        if beyond is not None and not looking[row]:
            wanted[:] = False
            wanted[np.concatenate([two.fans[n].triangles for n in beyond.feet])] = True
        for chosen, rule, weights in ((wanted & ~near, P7, W7), (wanted & near, P28, W28)):
            places = np.einsum("pc,tcx->tpx", rule, mesh.corners[chosen])
            off = np.hypot(places[..., 0] - top[0], places[..., 1] - top[1])
            seen = table.end_of_probe(off, radius)
            found[row, chosen] = mesh.areas[chosen] * (seen @ weights)

    in_parallel(look, range(len(found)))
    return found


def _between(one: Level, two: Level, table: ProbeTable) -> Complexes:
    """The last kernel between all probes of two levels (probes, probes)."""
    gap = one.probes[:, None, :2] - two.probes[None, :, :2]
    off, thick = np.hypot(gap[..., 0], gap[..., 1]), np.maximum(one.radii[:, None], two.radii)
    # Those on one axis are rings that see each other across.
    same = off < 1e-3 * thick
    found = table.between_probes(np.where(same, 1.0, off))
    for radius in np.unique(thick[same]):
        found[same & (thick == radius)] = table.probe_itself(float(radius))
    return found


Border = tuple[Complexes, Complexes]
"""Of the border, what wires do to the metal of a level, and to one another."""


def _feet(
    one: Level, two: Level, table: KernelTable, frequency: float, border: Border, beyond: Beyond | None
) -> None:  # fmt: skip
    """Add what feet on a level bring: with the functions on the metal of one, and with the feet there."""
    metal, fans, (onto, among) = two.metal, one.fans, border
    if metal is None or one.metal is None:
        return
    own, same = np.zeros((len(fans), metal.size), np.complex128), one is two
    halves = np.zeros((len(fans), 2, len(two.fans)), np.complex128)
    looking = np.arange(len(fans)) if beyond is None else beyond.feet
    for begin in range(0, len(looking), _TOGETHER):
        some = looking[begin : begin + _TOGETHER]
        left = None if beyond is None else beyond.leaves(some)
        seen = _seen_by(tuple(fans[n] for n in some), one.metal, metal, table, left)
        own[some] = with_sheets(seen, metal, frequency).sum(axis=1)
        if beyond is not None and left is not None:
            own[some] += beyond.rest(some, left)
        if two.fans:
            halves[some] = np.stack([with_fan(seen, f, frequency) for f in two.fans], axis=2)
    onto += one.into.T @ own
    if same:
        if beyond is not None:
            halves = beyond.among_feet(halves)
        square = halves[:, 0] + halves[:, 1] + halves[:, 1].T
        square += moments_of(fans, one.standing, frequency, table.vector, rows=looking)
        among += one.into.T @ (0.5 * (square + square.T)) @ one.into
    elif two.fans:
        # What is spread on both counts once for either way, the parts without divergence with one another once.
        square = 0.5 * halves[:, 0] + halves[:, 1]
        if one.stack.metal_on < two.stack.metal_on:
            square += moments_between(fans, two.fans, frequency, table.vector)
        crossed = one.into.T @ square @ two.into
        among += crossed + crossed.T


def _probes(
    one: Level, two: Level, table: ProbeTable, frequency: float, border: Border, beyond: Beyond | None
) -> None:  # fmt: skip
    """Add what probes that end on a level bring: with the metal of one, with feet there, and with probes."""
    (onto, among), (_, charge) = border, scales(frequency)
    if len(two.probes):
        among += one.up.T @ (-1j * charge * _between(one, two, table)) @ two.up
    if two.metal is None:
        return
    metal, ends = two.metal, _ends(one, two, table, beyond)
    own = sum(-2j * charge * metal.coefficients[side] * ends[:, metal.pairs[side]] for side in (0, 1))
    onto += one.up.T @ own
    if two.fans:
        # The charges of a fan on its triangles, at the end of every probe.
        spread = [-2j * charge * (ends[:, f.triangles] @ f.coefficients) for f in two.fans]
        crossed = one.up.T @ np.stack(spread, axis=1) @ two.into
        among += crossed + crossed.T
