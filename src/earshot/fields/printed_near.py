"""Near fields over a stack and in it: images in closed form, what they leave by tables, one for every height."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Bools, Complexes, Floats, Ints
from ..constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT, WAVE_IMPEDANCE
from ..errors import UsageError
from ..media.inside import inside_table, views_of_metal
from ..media.kernel_table import images_of
from ..media.near_table import NearTable, near_table
from ..media.spectral import Spectrum
from ..running import announce, in_parallel, in_shares
from .heights import heights_in, heights_over
from .on_level import OnLevel
from .sheet_currents import SheetCurrents

if TYPE_CHECKING:
    from .currents import Currents

_ROUND = 64

Images = Sequence[tuple[float, complex, complex]]
"""How far metal is under a point as its waves come, m, over it below zero; its shares in the vector and the scalar
kernel.
"""


def in_metal(currents: Currents, points: Floats, refuse: bool) -> Bools:
    """Which points (n, 3) are on printed metal or in wires through layers; raises UsageError if they are refused."""
    found = _in_pins(currents, points, refuse)
    for level in currents.on_levels:
        if level.sheets is not None:
            found |= on_sheets(level.sheets, points, refuse, "on a sheet")
    return found


def on_sheets(sheets: SheetCurrents, points: Floats, refuse: bool, where: str) -> Bools:
    """Which points (n, 3) are on sheets; raises UsageError with the word for where, if they are to be refused."""
    from ..kernels import sheetfield

    touching = np.zeros(len(points), bool)
    announce(sheetfield.sheet_fields)
    sheetfield.on_sheet(sheets.mesh.columns, points, touching)
    if touching.any() and refuse:
        bad = points[int(np.argmax(touching))]
        raise UsageError(
            f"the point ({bad[0]:g}, {bad[1]:g}, {bad[2]:g}) m lies {where}, where the field jumps: "
            "move it above or below"
        )
    return touching


def _in_pins(currents: Currents, points: Floats, refuse: bool) -> Bools:
    mesh = currents.mesh.only(currents.through)
    found = np.zeros(len(points), bool)
    for places, radius in zip(mesh.nodes[mesh.ends], mesh.radii, strict=True):
        low, high = places.min(axis=0), places.max(axis=0)
        near = np.hypot(*(points[:, :2] - low[:2]).T) < radius * (1.0 - 1e-9)
        found |= near & (points[:, 2] >= low[2]) & (points[:, 2] <= high[2])
    if found.any() and refuse:
        bad = points[int(np.argmax(found))]
        raise UsageError(f"the point ({bad[0]:g}, {bad[1]:g}, {bad[2]:g}) m lies inside a wire: move it outside")
    return found


def fields_over(currents: OnLevel, points: Floats) -> tuple[Complexes, Complexes]:
    """E and H (n, 3) at points (n, 3) on the topmost face of the stack and over it, outside metal.

    Raises UsageError for points of too many heights: every height has a table.
    """
    stack = currents.stack
    if not len(points):
        return np.zeros((0, 3), np.complex128), np.zeros((0, 3), np.complex128)
    spectrum = Spectrum(stack, currents.frequency)
    heights, ordinal = heights_over(stack, currents.frequency, points)
    # Under a cover the metal is seen through it, and nothing near is singular.
    images = np.zeros((0, 5)) if stack.above else images_of(spectrum, 1.5 * currents.cell)
    table = near_table(spectrum, heights, images, currents.reach_to(points), in_parallel)
    plain = [(depth, complex(vr, vi), complex(sr, si)) for depth, vr, vi, sr, si in images]
    every = [[(stack.thickness - stack.level + h + far, *shares) for far, *shares in plain] for h in heights]
    return _summed(currents, table, every, np.ones(len(heights)), ordinal, points)


def fields_inside(levels: Sequence[OnLevel], points: Floats) -> tuple[Complexes, Complexes]:
    """The same of all levels at points (n, 3) in the layers, on the plane or the lid of a stack, or on the metal's own
    level.
    """
    e, h = (np.zeros((len(points), 3), np.complex128) for _ in range(2))
    fading = [level for level in levels if level.stack.fades]
    for some in ([level] for level in levels if not level.stack.fades), [fading] if fading else []:
        for together in some if len(points) else ():
            one, two = _inside(together, points)
            e, h = e + one, h + two
    return e, h


def _inside(levels: Sequence[OnLevel], points: Floats) -> tuple[Complexes, Complexes]:
    """Of one level, or of several of one stack where nothing lies."""
    first, count = levels[0], len(levels)
    heights, ordinal = heights_in(first.stack, first.frequency, points)
    each = [views_of_metal(level.stack, level.frequency, heights, level.cell) for level in levels]
    views = [view for together in zip(*each, strict=True) for view in together]
    nearest, farthest = np.array([level.reach_to(points) for level in levels]).T
    reach = float(nearest.min()), float(farthest.max())
    table = inside_table(Spectrum(first.stack, first.frequency), views, reach, in_parallel)
    permeable = np.array([view.matter[1] for view in views])
    e, h = (np.zeros((len(points), 3), np.complex128) for _ in range(2))
    for n, level in enumerate(levels):
        which = np.ascontiguousarray(count * ordinal + n)
        one, two = _summed(level, table, [view.images for view in views], permeable, which, points)
        e, h = e + one, h + two
    return e, h


def _summed(
    currents: OnLevel, table: NearTable, images: Sequence[Images], permeable: Floats, which: Ints, points: Floats
) -> tuple[Complexes, Complexes]:  # fmt: skip
    """E and H (n, 3) at points whose heights `which` says; images and permeable: of every height."""
    from ..kernels import overfield, sheetfield

    announce(overfield.over_fields)
    announce(sheetfield.sheet_fields)
    out = np.zeros((len(points), 6), np.complex128)

    def rest(share: slice) -> None:
        _add_rest(currents, table, which[share], points[share], out[share])

    in_shares(rest, len(points))
    out[:, 5] /= permeable[which]
    for height, own in enumerate(images) if currents.sheets is not None else ():
        here = np.flatnonzero(which == height)
        found = np.zeros((len(here), 6), np.complex128)

        def work(share: slice, own: Images = own, here: Ints = here, found: Complexes = found) -> None:
            _add_images(currents, own, points[here[share]], found[share])

        in_shares(work, len(here))
        found[:, 3:] /= permeable[height]
        out[here] += found
    return out[:, :3], out[:, 3:]


def _others(currents: OnLevel) -> tuple[Floats, Complexes]:
    """Places (q, 2) and moments (q, 4) of what has no divergence on the metal: of feet, and of probes over k0."""
    # A probe is a tube: its current flows in points round it.
    turn = 2.0 * math.pi * np.arange(_ROUND) / _ROUND
    ring = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    feet = (currents.ends[:, None, :2] + currents.radii[:, None, None] * ring).reshape(-1, 2)
    standing, flat = np.zeros((0, 2)), np.zeros((0, 4), np.complex128)
    if currents.sheets is not None:
        standing, flat = currents.sheets.points[:, :2], np.zeros((len(currents.sheets.points), 4), np.complex128)
        flat[:, :2] = currents.sheets.moments[:, :2]
    moments = np.zeros((len(feet), 4), np.complex128)
    moments[:, 2] = np.repeat(currents.amounts / (currents.wavenumber * _ROUND), _ROUND)
    return np.ascontiguousarray(np.concatenate([standing, feet])), np.concatenate([flat, moments])


def _add_images(currents: OnLevel, images: Images, points: Floats, out: Complexes) -> None:
    """The fields of the metal's currents and their images at one height, each as in free space times its shares."""
    from ..kernels.sheetfield import sheet_fields

    omega, own = 2.0 * math.pi * currents.frequency, currents.sheets
    assert own is not None
    corners = np.ascontiguousarray(own.mesh.corners.reshape(-1, 9))
    for far, vector, scalar in images:
        seen_from = points.copy()
        seen_from[:, 2] = currents.stack.level + far
        sheet_fields(
            corners, own.number, own.vector, own.points, own.moments.astype(complex), seen_from, currents.wavenumber,
            -1j * omega * MAGNETIC_CONSTANT / (4.0 * math.pi) * vector,
            -1.0 / (4.0j * math.pi * omega * ELECTRIC_CONSTANT) * scalar, vector / (4.0 * math.pi), out,
        )  # fmt: skip


def _add_rest(currents: OnLevel, table: NearTable, which: Ints, points: Floats, out: Complexes) -> None:
    from ..kernels.overfield import over_fields

    own, k0 = currents.sheets, currents.wavenumber
    corners, number, vector = np.zeros((0, 9)), np.zeros(0, np.complex128), np.zeros((0, 3), np.complex128)
    if own is not None:
        corners, number, vector = np.ascontiguousarray(own.mesh.corners.reshape(-1, 9)), own.number, own.vector
    rest = np.zeros((len(points), 6), np.complex128)
    over_fields(
        corners, number, vector, *_others(currents), table.steps, table.widths, table.cubics, table.logs,
        table.heights, table.length, which, points, currents.stack.level, k0, rest,
    )  # fmt: skip
    rest *= WAVE_IMPEDANCE * k0**2 / (2.0 * math.pi)
    rest[:, 3:] /= WAVE_IMPEDANCE
    out += rest
