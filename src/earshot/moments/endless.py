"""The matrix of a cell of an array without end, at any scan.

Cells close by act on one another as they do in a small array: so many cells are laid side by side, and the matrix of
these is the ordinary one, in whatever medium. It does not know the scan: its blocks are added up with the phases of
one. All other cells are so far that their potentials are smooth over the cell: a few Chebyshev nodes see them, and the
functions by what they carry there.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..description.antenna import Antenna
from ..errors import UsageError
from ..media.half_space import Below
from ..media.kernel_table import level_tables
from ..media.lattice_sums import LayerSum, OpenSum
from ..media.over_layers import spectra_of
from ..media.spectral import Spectrum
from ..media.stack import Stack
from ..running import in_parallel
from .basis import Basis
from .carried import of_axes, of_fans, of_feet, of_sheets
from .cell_basis import CellBasis
from .endless_nodes import Carried, Grid, Setting, at_nodes, tested, times
from .endless_tables import sent_back, upward
from .layered import Layered, Level, layered
from .response import impedance_operator, local_terms
from .sheet_matrix import scales


def everything(own: Basis) -> Carried:
    """All that functions carry."""
    on_wires = np.arange(own.first_wire, own.size)
    found: Carried = [(of_axes(own), on_wires)]
    if own.sheets is not None:
        found += [(of_sheets(own.sheets), np.arange(own.first_wire)), (of_feet(own), on_wires)]
    return found


@dataclass(frozen=True, eq=False)
class OpenRest:
    """What far cells do in free space, or over a perfect plane."""

    own: Basis
    setting: Setting
    plane: bool

    @cached_property
    def _sums(self) -> list[tuple[Grid, OpenSum]]:
        found = []
        for image in (False, True)[: 1 + self.plane]:
            grid = self.setting.grid(1.0, image=image)
            x, y, z = grid.axes
            at = self.setting
            found.append((grid, OpenSum(at.lattice, at.wavenumber, at.near, (x, y, z))))
        return found

    @cached_property
    def _carried(self) -> Floats:
        return at_nodes(self._sums[0][0], everything(self.own), self.own.size)

    def matrix(self, transverse: Floats) -> Complexes:
        """To be added for a scan's transverse wavenumber (2,), rad/m: (functions, functions), ohm."""
        flow, charge = scales(self.setting.frequency)
        kinds = [kind for kind in range(4) if self._carried[kind].any()]
        sent = np.zeros((len(kinds), *self._carried.shape[1:]), np.complex128)
        for (grid, sums), signs in zip(self._sums, ((1, 1, 1, 1), (-1, -1, 1, -1)), strict=False):
            between = grid.matrix(sums.at(transverse))
            for row, kind in enumerate(kinds):
                amount = 1j * signs[kind] * flow if kind < 3 else -1j * signs[kind] * charge
                sent[row] += times(amount * between, self._carried[kind])
        return tested(self._carried[kinds], sent)


@dataclass(frozen=True, eq=False)
class OverRest:
    """What far cells do over z = 0, where earth or layers send waves back: straight, and by what is sent back.

    With GA, Gv and U of `media.half_space`: the last by what divergence functions have at the nodes, twice.
    """

    own: Basis
    setting: Setting
    below: Below

    @cached_property
    def _straight(self) -> OpenRest:
        return OpenRest(self.own, self.setting, False)

    @cached_property
    def _sums(self) -> tuple[Grid, list[LayerSum]]:
        """The grid of sums of heights, and a sum over the lattice for each of them."""
        at, k = self.setting, self.setting.wavenumber
        grid = at.grid(self.below.slowest, image=True)
        x, y, z = grid.axes
        table = sent_back(self.below, k, at.reach, (float(z.min()), float(z.max())))
        finest = 0.2 * math.pi / (k * max(abs(self.below.branch), self.below.slowest))

        def of(height: float) -> LayerSum:
            return LayerSum(
                at.lattice, k, at.near, (x, y), lambda rho: table.at(rho, height),
                lambda kappa: spectra_of(self.below, kappa, k * height), min(finest, max(0.5 * height, 0.02 * finest)),
            )  # fmt: skip

        return grid, [of(float(height)) for height in z]

    @cached_property
    def _carried(self) -> Floats:
        """Moments x, y, z, charges, and divergences times 1/k (5, nodes, functions)."""
        grid = self._sums[0]
        four = at_nodes(grid, everything(self.own), self.own.size)
        return np.concatenate([four, grid.divergence(four)[None] / self.setting.wavenumber])

    def matrix(self, transverse: Floats) -> Complexes:
        """To be added for a scan's transverse wavenumber (2,), rad/m: (functions, functions), ohm."""
        flow, charge = scales(self.setting.frequency)
        grid, sums = self._sums
        level, upright, bent = (grid.matrix(x) for x in np.stack([s.at(transverse) for s in sums], axis=-1))
        kernels = (level, level, upright, upright, bent)
        amounts = (1j * flow, 1j * flow, 1j * flow, 1j * charge, -1j * flow)
        kinds = [n for n in range(5) if self._carried[n].any()]
        sent = [times(amounts[n] * kernels[n], self._carried[n]) for n in kinds]
        return self._straight.matrix(transverse) + tested(self._carried[kinds], np.stack(sent))


def largest(parts: Layered, stack: Stack) -> float:
    """The longest edge of a triangle on the level, m, or where there is none the thickness of the layers."""
    return stack.thickness if parts.metal is None else float(parts.metal.mesh.edge_lengths.max())


@dataclass(frozen=True, eq=False)
class LayerRest:
    """What far cells do on a stack: metal on its levels, and probes; of `size` functions in all."""

    parts: Layered
    size: int
    setting: Setting
    stack: Stack

    @cached_property
    def _pairs(self) -> list[tuple[int, int]]:
        """Places of what probes end on: each level's with itself and all higher ones, what fades with all."""
        levels, every = len(self.parts.levels), len(self.parts.every)
        pairs = list(itertools.combinations_with_replacement(range(levels), 2))
        return pairs + [(a, b) for a in range(levels, every) for b in (*range(levels), *range(a, every))]

    def _kinds(self, a: int, b: int) -> int:
        """How many kernels a pair has."""
        levels = len(self.parts.levels)
        return 4 + (a != b) if a < levels else 1 + (b < levels)

    @cached_property
    def _sums(self) -> tuple[Grid, LayerSum]:
        at, parts, keys = self.setting.flat(self.stack.level), self.parts, [one.key for one in self.parts.every]
        grid = at.grid(self.stack.slowest)
        tables = level_tables(
            self._spectrum, parts.numbers, at.reach, largest(parts, self.stack), parts.as_divided, in_parallel
        )
        finest = 0.5 * min(layer.thickness for layer in parts.divided.layers)
        lines, uprights = Spectrum(parts.divided, self.setting.frequency), parts.uprights

        def kernels(rho: Floats) -> Complexes:
            found = []
            for a, b in self._pairs:
                there, back = tables[keys[a], keys[b]], tables[keys[b], keys[a]]
                kinds = self._kinds(a, b)
                if kinds > 2:
                    found += [there.vector(rho), there.scalar(rho)]
                if kinds > 1:
                    found.append(there.end_of_probe(rho))
                found += [back.end_of_probe(rho)] * (kinds > 4) + [there.between_probes(rho)]
            return np.stack(found)

        def spectra(k: Complexes) -> Complexes:
            sweep = lines.sweep(k)
            found = []
            for a, b in self._pairs:
                one, two = uprights[a], uprights[b]
                found.append(sweep.fading_kernels(one, two) if one.fades else sweep.kernels(one.face, two.face))
            return np.concatenate(found)

        x, y, _ = grid.axes
        return grid, LayerSum(at.lattice, at.wavenumber, at.near, (x, y), kernels, spectra, finest)

    @property
    def _spectrum(self) -> Spectrum:
        return Spectrum(self.stack, self.setting.frequency)

    @cached_property
    def carried(self) -> tuple[tuple[Floats, Floats], ...]:
        """Of every level: of the metal (4, nodes, functions), and of ends of probes (nodes, functions)."""
        return tuple(self._carried(level) for level in self.parts.every)

    def _carried(self, own: Level) -> tuple[Floats, Floats]:
        grid = self._sums[0]
        on_wires = np.arange(self.size - own.up.shape[1], self.size)
        metal: Carried = []
        if own.metal is not None:
            metal = [(of_sheets(own.metal), own.on_metal), (of_fans(own.metal, own.fans, own.into), on_wires)]
        up = np.zeros((math.prod(len(n) for n in grid.nodes), self.size))
        if len(own.probes):
            up[:, on_wires] = grid.spread(own.probes).T @ own.up
        return at_nodes(grid, metal, self.size), up

    def matrix(self, transverse: Floats) -> Complexes:
        """To be added for a scan's transverse wavenumber (2,), rad/m: (functions, functions), ohm."""
        grid, sums = self._sums
        values = iter(sums.at(transverse))
        found = np.zeros((self.size, self.size), np.complex128)
        for a, b in self._pairs:
            one, two = self.carried[a], self.carried[b]
            *rest, probes = (grid.matrix(next(values)[..., None]) for _ in range(self._kinds(a, b)))
            if len(rest) < 2:
                found += self._fading(one[1], two, [*rest, probes], a != b)
                continue
            vector, scalar, end, *back = rest
            found += self._between(one, two, vector, scalar, back[0] if back else end, end, probes)
            if a != b:
                found += self._between(two, one, vector, scalar, end, back[0], probes)
        return found

    def _fading(
        self, up: Floats, two: tuple[Floats, Floats], kernels: list[Complexes], both_ways: bool
    ) -> Complexes:  # fmt: skip
        """What probes that fade and those that end elsewhere do to one another, and to charges there."""
        (*_, left), ends = two
        amount = -1j * scales(self.setting.frequency)[1]
        there = np.stack([left, ends][-len(kernels) :])
        sent = np.sum([times(x, y) for x, y in zip(kernels, there, strict=True)], axis=0)
        found = tested(up[None], amount * sent[None])
        if both_ways:
            found += tested(there, np.stack([amount * times(x, up) for x in kernels]))
        return found

    def _between(
        self, one: tuple[Floats, Floats], two: tuple[Floats, Floats], vector: Complexes, scalar: Complexes,
        end: Complexes, own_end: Complexes, probes: Complexes,
    ) -> Complexes:  # fmt: skip
        """What a level sends to another; end: of its probes as seen there, own_end: of those there as it sees them."""
        flow, charge = scales(self.setting.frequency)
        (x, y, _, left), up = one
        (x2, y2, _, left2), up2 = two
        tests, sent = [x, y, left], [1j * flow * times(vector, own) for own in (x2, y2)]
        sent.append(-1j * charge * times(scalar, left2))
        if up2.any():
            sent[2] -= 1j * charge * times(end, up2)
        if up.any():
            tests.append(up)
            sent.append(-1j * charge * times(own_end, left2))
            if up2.any():
                sent[3] -= 1j * charge * times(probes, up2)
        return tested(np.stack(tests), np.stack(sent))


@dataclass(frozen=True, eq=False)
class MixedRest:
    """What far cells do on and over a stack: each among itself, what is in the air with the level, and ends on layers.

    See `moments.over_layers`: kernels A, B and C of metal, B and C of probes, U and its slope of ends, at every height.
    """

    parts: Layered
    size: int
    setting: Setting
    stack: Stack

    @cached_property
    def _level(self) -> LayerRest:
        return LayerRest(self.parts, self.size, self.setting, self.stack)

    @cached_property
    def _over(self) -> OverRest:
        assert self.parts.aloft is not None
        return OverRest(self.parts.aloft.basis, self.setting, self.stack.at(self.setting.frequency))

    @cached_property
    def _sums(self) -> tuple[Grid, Grid, list[LayerSum]]:
        """Nodes in the air, those on the level, and sums at every height of the former and at none."""
        at, k = self.setting, self.setting.wavenumber
        # As fine as those of the level, so that both have the same places.
        grid, flat = at.grid(self.stack.slowest), at.flat(self.stack.level).grid(self.stack.slowest)
        x, y, _ = flat.axes
        heights = np.append(grid.nodes[2], 0.0)
        spectrum = Spectrum(self.stack, at.frequency)
        table = upward(
            spectrum, self.parts.as_divided, at.reach, largest(self.parts, self.stack),
            (float(heights.min()), float(heights.max())),
        )  # fmt: skip
        finest = 0.5 * min(layer.thickness for layer in self.stack.layers)

        def of(height: float) -> LayerSum:
            return LayerSum(
                at.lattice, k, at.near, (x, y), lambda rho: table.at(rho, height),
                lambda kappa: table.spectra(kappa, k * height), min(finest, max(0.5 * height, 0.05 * finest)),
            )  # fmt: skip

        return grid, flat, [of(float(height)) for height in heights]

    @cached_property
    def _carried(self) -> tuple[Floats, Floats]:
        """In the air (4, nodes, functions), and where wires end on the layers (nodes, functions)."""
        grid, flat, _ = self._sums
        aloft = self.parts.aloft
        assert aloft is not None
        own = np.zeros((4, math.prod(len(n) for n in grid.nodes), self.size))
        own[:, :, aloft.own] = at_nodes(grid, everything(aloft.basis), len(aloft.own))
        ends = np.zeros((math.prod(len(n) for n in flat.nodes), self.size))
        if len(aloft.ends):
            places = np.column_stack([aloft.ends[:, :2], np.full(len(aloft.ends), self.stack.level)])
            ends[:, aloft.own] = flat.spread(places).T @ aloft.left.toarray()
        return own, ends

    def _between(self, transverse: Floats) -> Complexes:
        """What the level, probes and ends do to what is in the air (functions, functions)."""
        _, flat, sums = self._sums
        flow, charge = scales(self.setting.frequency)
        ((x, y, _, left), _), *_ = carried = self._level.carried
        own, ends = self._carried
        sent = np.empty((4, len(flat.nodes[0]) * len(flat.nodes[1]), len(sums) - 1, self.size), np.complex128)
        for n, one in enumerate(sums[:-1]):
            a, b, c, *probes, u, u_up = (flat.matrix(kernel[..., None]) for kernel in one.at(transverse))
            pushed, lifted = (
                sum(times(kernel, up) for kernel, (_, up) in zip(probes[n::2], carried, strict=True)) for n in (0, 1)
            )  # fmt: skip
            sent[0, :, n], sent[1, :, n] = (1j * flow * times(a, along) for along in (x, y))
            sent[2, :, n] = 1j * charge * (times(c, left) + lifted + times(u_up, ends))
            sent[3, :, n] = -1j * charge * (times(b, left) + pushed - times(u, ends))
        return tested(own, sent.reshape(4, -1, self.size))

    def matrix(self, transverse: Floats) -> Complexes:
        """To be added for a scan's transverse wavenumber (2,), rad/m: (functions, functions), ohm."""
        found = self._level.matrix(transverse) + self._between(transverse) + self._between(-transverse).T
        aloft, (_, ends) = self.parts.aloft, self._carried
        assert aloft is not None
        found[np.ix_(aloft.own, aloft.own)] += self._over.matrix(transverse)
        if ends.any():
            mutual = self._sums[1].matrix(self._sums[2][-1].at(transverse)[-2][..., None])
            found += 1j * scales(self.setting.frequency)[1] * tested(ends[None], times(mutual, ends)[None])
        return found


Rest = OpenRest | OverRest | LayerRest | MixedRest


def _side_by_side(steps: Ints) -> Ints:
    """Cells (c, 2) among which there are two for every step (n, 2)."""
    columns, rows = np.abs(steps).max(axis=0) + 1
    return np.stack(np.meshgrid(np.arange(columns), np.arange(rows), indexing="ij"), axis=-1).reshape(-1, 2)


def _pair(cells: Ints, step: Ints) -> tuple[int, int]:
    """Two of the cells that are a step apart."""
    start = np.maximum(-step, 0)
    one, two = (int(np.flatnonzero((cells == c).all(axis=1))[0]) for c in (start, start + step))
    return one, two


def _one_way(steps: Ints) -> Ints:
    """Of every step and its opposite the one; none at all first."""
    half = steps[(steps[:, 0] > 0) | ((steps[:, 0] == 0) & (steps[:, 1] >= 0))]
    return np.asarray(np.unique(half, axis=0))


def metal_loss(
    antenna: Antenna, cell: CellBasis, frequency: float, transverse: Floats, amounts: Complexes
) -> float | None:
    """Power in the metal and jackets of a cell, W, of functions (functions,), A; None where nothing takes any."""
    over = cell.reached
    steps = _one_way((over[:, None] - over).reshape(-1, 2))
    cells, lost = _side_by_side(steps), 0.0
    local = local_terms(antenna, cell.laid(cells), frequency)
    if local is None:
        return None
    for step in steps:
        one, two = (cell.numbers(n, len(cells)) for n in _pair(cells, step))
        block = local[one][:, two]
        part = np.exp(-1j * cell.lattice.places(step) @ transverse) * (amounts.conj() @ (block @ amounts))
        if step.any():
            part += np.exp(1j * cell.lattice.places(step) @ transverse) * (amounts.conj() @ (block.T @ amounts))
        lost += 0.5 * float(part.real)
    return lost


@dataclass(frozen=True, eq=False)
class EndlessMatrix:
    """The matrix of a cell at one frequency, Hz."""

    antenna: Antenna
    cell: CellBasis
    frequency: float

    @cached_property
    def _rest(self) -> Rest:
        own, medium, lattice = self.cell.own, self.antenna.medium, self.cell.lattice

        def setting(*parts: Floats) -> Setting:
            return Setting.of(lattice, self.frequency, np.concatenate(parts))

        stack = medium.stack
        if stack is None:
            places = setting(*(part[0] for part, _ in everything(own)))
            below = medium.below_at(self.frequency)
            return OpenRest(own, places, medium.grounds) if below is None else OverRest(own, places, below)
        parts = layered(own, stack)
        if len(parts.levels) > 1 and parts.aloft is not None:
            raise UsageError(
                f"cell: '{self.antenna.name}' has metal on {len(parts.levels)} levels of its layers and in the air; "
                "without end it may be on one, or on levels alone: solve a finite array of it"
            )
        stack = stack.on(parts.numbers[0])
        metal = [] if parts.metal is None else [parts.metal.mesh.corners.reshape(-1, 3)]
        if parts.aloft is None:
            level = np.concatenate([*metal, parts.probes])
            level[:, 2] = stack.level
            return LayerRest(parts, own.size, setting(level), stack)
        aloft = everything(parts.aloft.basis)
        air = [part[0] for part, _ in aloft]
        if not metal and not len(parts.probes) and not len(parts.aloft.ends):
            return OverRest(parts.aloft.basis, setting(*air), stack.at(self.frequency))
        # Over the layers heights count from their top; what is on them is at none of these.
        low = min(float(x[:, 2].min(initial=np.inf)) for x in air)
        level = np.concatenate([*metal, parts.probes])
        level[:, 2] = low
        return MixedRest(parts, own.size, setting(*air, level), stack)

    @cached_property
    def blocks(self) -> tuple[Ints, Complexes]:
        """Steps (n, 2) to cells close by, one of two opposite ones, and blocks (n, functions, functions), ohm."""
        steps = _one_way(self._rest.setting.near)
        cells, own = _side_by_side(steps), self.cell
        whole: Any = impedance_operator(self.antenna, own.laid(cells), self.frequency, "dense")
        found = np.empty((len(steps), own.size, own.size), np.complex128)
        for n, step in enumerate(steps):
            one, two = (own.numbers(x, len(cells)) for x in _pair(cells, step))
            found[n] = whole.matrix[np.ix_(one, two)]
        return steps, found

    def at(self, transverse: Floats) -> Complexes:
        """The matrix (functions, functions), ohm, at a scan's transverse wavenumber (2,), rad/m."""
        steps, blocks = self.blocks
        found = self._rest.matrix(transverse)
        phases = np.exp(-1j * self.cell.lattice.places(steps) @ transverse)
        for step, phase, block in zip(steps, phases, blocks, strict=True):
            found += phase * block
            if step.any():
                found += np.conj(phase) * block.T
        return found
