"""What couples currents in the air over a stack to metal on it, to probes, and to one another where they end on it."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..media.earth_table import EarthTable, Kernels, in_tables
from ..media.kernel_table import images_of
from ..media.over_layers import end_kernels, level_kernels
from ..media.spectral import Spectrum
from ..media.stack import Stack
from ..media.sweep import Upright
from ..running import announce, in_threads, thread_count
from .layered import Aloft, Layered, Level
from .sheet_basis import Fan, SheetBasis
from .sheet_matrix import scales

_TOGETHER = 256
_NEAREST = 0.05
Range = tuple[float, float]


@lru_cache(maxsize=4)
def _level_table(
    stack: Stack, frequency: float, cell: float, across: float, heights: Range
) -> tuple[Floats, EarthTable]:
    spectrum = Spectrum(stack, frequency)
    # Under a cover the metal is seen through it, and nothing near is singular.
    images = np.zeros((0, 5)) if stack.above else images_of(spectrum, 1.5 * cell)
    kernels = level_kernels(spectrum, images)
    return images, _tabled(kernels, spectrum, (0.0, across), heights)[0]


@lru_cache(maxsize=4)
def _end_tables(
    stack: Stack, uprights: tuple[Upright, ...], frequency: float, across: float, heights: Range
) -> list[EarthTable]:  # fmt: skip
    """Of the probes of every level, then of what ends on the layers."""
    spectrum = Spectrum(stack, frequency)
    return _tabled(end_kernels(spectrum, uprights), spectrum, (0.0, across), heights, 2)


def _tabled(
    kernels: Kernels, spectrum: Spectrum, across: Range, heights: Range, each: int | None = None
) -> list[EarthTable]:  # fmt: skip
    k = spectrum.wavenumber
    return in_tables(
        kernels, spectrum, k, across, heights, thread_count(), in_threads, k * _least(spectrum.stack), each
    )  # fmt: skip


def _range(heights: Floats) -> Range:
    """Least and greatest height over the layers."""
    return max(float(heights.min()), 0.0), float(heights.max())


def _least(stack: Stack) -> float:
    """Where tables begin, m: nearer, what they hold is as there."""
    return _NEAREST * min(x.thickness for x in stack.layers)


def with_level(parts: Layered, frequency: float) -> Complexes:
    """Entries of what is in the air (aloft, metal + wires) with functions on levels, and with feet and probes."""
    assert parts.aloft is not None
    ends = _ends_for(parts, frequency)
    each = [_with_one(parts, level, table, frequency) for level, table in zip(parts.every, ends, strict=False)]
    return np.concatenate([*(metal for metal, _ in each), sum(on_wires for _, on_wires in each)], axis=1)


def _with_one(parts: Layered, level: Level, ends: EarthTable, frequency: float) -> tuple[Complexes, Complexes]:
    """The same of one level: (aloft, metal) and (aloft, wires); ends: of its probes."""
    aloft, metal, wires, stack = parts.aloft, level.metal, parts.wires, level.stack
    assert aloft is not None
    found = np.zeros((aloft.carried[0].shape[1], len(level.on_metal) + wires), np.complex128)
    heights = aloft.places[:, 2] - stack.thickness
    flow, charge = scales(frequency)
    if metal is not None:
        reach = np.concatenate([aloft.places, metal.mesh.vertices])
        across = float(np.linalg.norm(np.ptp(reach[:, :2], axis=0)))
        cell = float(metal.mesh.edge_lengths.max())
        images, table = _level_table(stack, frequency, cell, across, _range(heights))
        for some, seen in _seen(metal, aloft, heights, images, table):
            field = _of_functions(metal, seen, flow, charge)
            standing = np.zeros((4, seen.shape[0], wires), np.complex128)
            if level.fans:
                standing += np.stack(
                    [_of_fan(one, seen, flow, charge) + _of_moments(one, aloft, some, heights, images, table, flow)
                     for one in level.fans], axis=2
                ) @ level.into  # fmt: skip
            for carried, part in zip(aloft.carried, np.concatenate([field, standing], axis=2), strict=True):
                found += carried[some].T @ part
    if len(level.probes):
        # One ampere up every probe.
        push, lift = _by_ends(parts, ends, frequency, level.probes)
        found[:, len(level.on_metal) :] += (lift - push) @ level.up
    return found[:, : len(level.on_metal)], found[:, len(level.on_metal) :]


def at_ends(parts: Layered, frequency: float) -> Complexes:
    """What a unit of charge left at each end on layers does to what is in the air (aloft, ends)."""
    assert parts.aloft is not None
    return np.asarray(_by_ends(parts, _ends_for(parts, frequency)[-1], frequency, parts.aloft.ends).sum(axis=0))


def among(parts: Layered, frequency: float) -> Complexes:
    """What the ends of currents on layers add to the entries of what is in the air (aloft, aloft)."""
    from ..kernels.over_layers import over_points

    aloft = parts.aloft
    assert aloft is not None
    one = at_ends(parts, frequency) @ aloft.left
    table, (_, charge) = _ends_for(parts, frequency)[-1], scales(frequency)
    count = len(aloft.ends)
    mutual = np.zeros((2, count, count), np.complex128)
    thick = np.full(count, aloft.basis.mesh.radii.min(initial=1.0))
    k = table.wavenumber
    over_points(
        aloft.ends, np.zeros(count), thick, aloft.ends, table.least, k, table.grid, table.weights, 2, mutual
    )  # fmt: skip
    both = aloft.left.T @ (1j * charge * k * mutual[0]) @ aloft.left.toarray()
    return np.asarray(one + one.T + both)


def _ends_for(parts: Layered, frequency: float) -> list[EarthTable]:
    """Tables of the probes of every level, then of what ends on the layers."""
    aloft, stack = parts.aloft, parts.divided
    assert aloft is not None
    reach = np.concatenate([aloft.places, parts.probes])
    across = float(np.linalg.norm(np.ptp(reach[:, :2], axis=0)))
    heights = aloft.places[:, 2] - stack.thickness
    return _end_tables(stack, parts.uprights, frequency, across, _range(np.append(heights, np.zeros(len(aloft.ends)))))


def _by_ends(parts: Layered, table: EarthTable, frequency: float, ends: Floats) -> Complexes:
    """What two kernels of one ampere at ends (q, 3) do (2, aloft, q): to charges, and to upright currents."""
    from ..kernels.over_layers import over_points

    aloft = parts.aloft
    assert aloft is not None
    announce(over_points)
    k, (_, charge) = table.wavenumber, scales(frequency)
    found = np.zeros((2, len(aloft.places), len(ends)), np.complex128)
    heights = aloft.places[:, 2] - parts.divided.thickness
    over_points(
        aloft.places, heights, aloft.thick, ends, table.least, k, table.grid, table.weights, 2, found
    )  # fmt: skip
    carried = (aloft.carried[kind] for kind in (3, 2))
    amounts = (1j * charge * k**power for power in (1, 2))
    return np.stack([s * (c.T @ kernel) for s, c, kernel in zip(amounts, carried, found, strict=True)])


def _seen(
    metal: SheetBasis, aloft: Aloft, heights: Floats, images: Floats, table: EarthTable
) -> Iterator[tuple[slice, Complexes]]:
    """Points a few at a time, and what every triangle does to them (points, 5, triangles), see the kernel."""
    from ..kernels.over_layers import over_triangles

    announce(over_triangles)
    count, threads, least = len(aloft.places), thread_count(), table.least
    places = np.ascontiguousarray(aloft.places)
    for first in range(0, count, _TOGETHER):
        some = slice(first, min(first + _TOGETHER, count))
        out = np.empty((some.stop - first, 5, len(metal.mesh)), np.complex128)
        stops = np.linspace(0, len(out), threads + 1).astype(int)

        def work(own: int, some: slice = some, out: Complexes = out, stops: Floats = stops) -> None:
            over_triangles(
                metal.mesh.columns, places[some], heights[some], least, table.wavenumber, images, table.grid,
                table.weights, stops[own], stops[own + 1], out,
            )  # fmt: skip

        in_threads(work, range(threads))
        yield some, out


def _of_halves(
    seen: Complexes, triangles: Ints, coefficients: Floats, apexes: Floats, flow: float, charge: float
) -> Complexes:
    """What half functions do to moments along x, y and z and to charges at the points: (4, points, halves)."""
    here = seen[..., triangles]
    level = [1j * flow * coefficients * (here[:, 1 + i] - apexes[:, i] * here[:, 0]) for i in (0, 1)]
    upright, push = (2j * charge * coefficients * sign * here[:, row] for sign, row in ((1.0, 4), (-1.0, 3)))
    return np.stack([*level, upright, push])


def _of_functions(metal: SheetBasis, seen: Complexes, flow: float, charge: float) -> Complexes:
    return np.asarray(
        sum(_of_halves(seen, metal.pairs[s], metal.coefficients[s], metal.apexes[s], flow, charge) for s in (0, 1))
    )


def _of_fan(one: Fan, seen: Complexes, flow: float, charge: float) -> Complexes:
    """The ordinary halves of a fan: (4, points)."""
    apexes = np.broadcast_to(one.apex, (len(one.triangles), 3))
    return np.asarray(_of_halves(seen, one.triangles, one.coefficients, apexes, flow, charge).sum(axis=2))


def _of_moments(
    one: Fan, aloft: Aloft, some: slice, heights: Floats, images: Floats, table: EarthTable, flow: float
) -> Complexes:
    """The part of a fan without divergence: (4, points)."""
    from ..kernels.over_layers import over_points

    places, points = aloft.places[some], np.ascontiguousarray(one.far_points)
    k = table.wavenumber
    out = np.zeros((3, len(places), len(points)), np.complex128)
    over_points(
        places, heights[some], aloft.thick[some], points, table.least, k, table.grid, table.weights, 3, out
    )  # fmt: skip
    vector = k * out[0]
    rho2 = ((places[:, None, :2] - points[:, :2]) ** 2).sum(axis=2) + aloft.thick[some, None] ** 2
    for depth, vr, vi, _, _ in images:
        r = np.sqrt(rho2 + (heights[some, None] + depth) ** 2)
        vector += complex(vr, vi) * np.exp(-1j * k * r) / r
    field = 1j * flow * vector @ one.far_moments
    return np.stack([field[:, 0], field[:, 1], 0.0 * field[:, 0], 0.0 * field[:, 0]])
