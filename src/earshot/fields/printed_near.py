"""Near fields over a stack: images in closed form, what they leave by tables, one for every height."""

from __future__ import annotations

import math

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT, WAVE_IMPEDANCE
from ..errors import UsageError
from ..media.kernel_table import images_of
from ..media.near_table import NearTable, near_table
from ..media.spectral import Spectrum
from ..media.stack import Stack
from ..running import announce, in_parallel, in_shares
from .on_level import OnLevel
from .sheet_currents import SheetCurrents

_MOST_HEIGHTS = 400
_ROUND = 16


def refuse_in_layers(stack: Stack, points: Floats, sense: float = 1.0) -> None:
    """Raise UsageError for points (n, 3) below the topmost face; sense: -1 where all is seen in a mirror at z = 0."""
    lowest = points[int(np.argmin(points[:, 2]))] if len(points) else np.full(3, np.inf)
    if lowest[2] < stack.thickness * (1.0 - 1e-9):
        raise UsageError(
            f"near field: the point ({lowest[0]:g}, {lowest[1]:g}, {sense * lowest[2]:g}) m lies in the layers or "
            f"under them, where it is not worked out: ask for it at z = {sense * stack.thickness:g} m, where they end, "
            "or beyond"
        )


def fields_over(currents: OnLevel, points: Floats, refuse: bool) -> tuple[Complexes, Complexes]:
    """E and H (n, 3) at points (n, 3) on the topmost face of the stack and over it.

    refuse: whether points on metal are refused, else the field there is none. Raises UsageError for points of too many
    heights: every height has a table.
    """
    from ..kernels import overfield, sheetfield

    sheets, stack = currents.sheets, currents.stack
    out = np.zeros((len(points), 6), np.complex128)
    if not len(points):
        return out[:, :3], out[:, 3:]
    spectrum = Spectrum(stack, currents.frequency)
    heights, ordinal = heights_over(stack, currents.frequency, points)
    announce(overfield.over_fields)
    announce(sheetfield.sheet_fields)
    touching, metal, cell = np.zeros(len(points), bool), currents.ends[:, :2], stack.thickness
    if sheets is not None:
        sheetfield.on_sheet(sheets.mesh.columns, points, touching)
        metal, cell = sheets.mesh.vertices[:, :2], float(sheets.mesh.edge_lengths.max())
    if touching.any() and refuse:
        bad = points[int(np.argmax(touching))]
        raise UsageError(
            f"the point ({bad[0]:g}, {bad[1]:g}, {bad[2]:g}) m lies on a sheet, where the field jumps: move it above"
        )
    # Under a cover the metal is seen through it, and nothing near is singular.
    images = np.zeros((0, 5)) if stack.above else images_of(spectrum, 1.5 * cell)
    low = np.minimum(metal.min(axis=0), points[:, :2].min(axis=0))
    high = np.maximum(metal.max(axis=0), points[:, :2].max(axis=0))
    table = near_table(spectrum, heights, images, float(np.linalg.norm(high - low)), in_parallel)

    def work(share: slice) -> None:
        if sheets is not None:
            _add_images(currents, sheets, images, points[share], out[share])
        _add_rest(currents, table, ordinal[share], points[share], out[share])

    in_shares(work, len(points))
    out[touching] = 0.0
    return out[:, :3], out[:, 3:]


def heights_over(stack: Stack, frequency: float, points: Floats) -> tuple[Floats, Ints]:
    """Heights over the topmost face that points (n, 3) have (h,), m, and which each has (n,); raises UsageError for too
    many.
    """
    close = 2e-6 * math.pi / Spectrum(stack, frequency).wavenumber
    steps_up, which = np.unique(
        np.round((points[:, 2] - stack.thickness) / close).astype(np.int64), return_inverse=True
    )
    if len(steps_up) > _MOST_HEIGHTS:
        raise UsageError(
            f"near field: the points have {len(steps_up)} different heights, and each needs a table over the layers: "
            f"ask for points of no more than {_MOST_HEIGHTS} at once, on a grid"
        )
    return np.asarray(steps_up * close, float), np.ascontiguousarray(which.ravel().astype(np.int64))


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


def _add_images(currents: OnLevel, own: SheetCurrents, images: Floats, points: Floats, out: Complexes) -> None:
    """The fields of the metal's currents and their images, each as in free space times its shares."""
    from ..kernels.sheetfield import sheet_fields

    omega = 2.0 * math.pi * currents.frequency
    corners = np.ascontiguousarray(own.mesh.corners.reshape(-1, 9))
    for depth, vr, vi, sr, si in images:
        vector, scalar = complex(vr, vi), complex(sr, si)
        seen_from = points + np.array([0.0, 0.0, depth])
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
