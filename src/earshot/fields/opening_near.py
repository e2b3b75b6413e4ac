"""Near fields that openings in a plane send through the layers over it: tables as of metal, with other sources."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT, SPEED_OF_LIGHT, WAVE_IMPEDANCE
from ..media.inside import FromOpening, inside_table
from ..media.near_table import NearTable, near_table
from ..media.sommerfeld import decay
from ..media.spectral import Spectrum
from ..media.stack import Stack
from ..running import announce, in_parallel, in_shares
from .heights import heights_in, heights_over
from .on_level import reach_between
from .sheet_currents import SheetCurrents


@dataclass(frozen=True)
class _FromOpening(Spectrum):
    """A stack that is seen from its plane: E = T E0 in the place of -Z J, so that J is E0 and voltages are negative."""

    def above(self, k: Complexes) -> Complexes:
        """As of a current, see `Spectrum.above`; there are no probes."""
        sweep, u0, top = self.sweep(k), decay(k, 1.0), len(self.stack.layers)
        tm, te = (-sweep.carried(0, top, kind) for kind in (True, False))
        b, c = (tm - te) / k**2, tm / u0
        d = u0 * b - c
        return np.stack([te, u0 * te, b, c, d, b, c, d])


def sources_of(opening: SheetCurrents) -> tuple[Floats, Complexes]:
    """Places (p, 2) and (p, 4) of the field across: ∫ E0 in x and y, none, and ∫ ∇·E0, V·m and V.

    In a triangle E0 = ẑ × (number r - vector) has no divergence; at its sides it ends.
    """
    places, moments = opening.as_moments
    inner = np.stack([-moments[:, 1], moments[:, 0], 0.0 * moments[:, 0], 0.0 * moments[:, 0]], axis=1)
    corners = opening.mesh.corners
    rim, charges = [], []
    middle = corners.mean(axis=1)
    for side in range(3):
        start, along = corners[:, side], corners[:, (side + 1) % 3] - corners[:, side]
        out = np.stack([along[:, 1], -along[:, 0]], axis=1)
        out *= np.sign(np.einsum("ij,ij->i", out, (start - middle)[:, :2]))[:, None]
        for share in (0.5 - 0.5 / math.sqrt(3.0), 0.5 + 0.5 / math.sqrt(3.0)):
            place = start + share * along
            flow = opening.number[:, None] * place - opening.vector
            across = np.stack([-flow[:, 1], flow[:, 0]], axis=1)
            rim.append(place[:, :2])
            charges.append(-0.5 * np.einsum("ij,ij->i", across, out))
    edges = np.zeros((3 * len(rim[0]) * 2, 4), np.complex128)
    edges[:, 3] = np.concatenate(charges)
    return np.ascontiguousarray(np.concatenate([places[:, :2], *rim])), np.concatenate([inner, edges])


def fields_of_opening(
    opening: SheetCurrents, stack: Stack, frequency: float, points: Floats
) -> tuple[Complexes, Complexes]:
    """E and H (n, 3) at points (n, 3) on the plane under a stack and over it; raises as `fields_over`."""
    e, h = (np.zeros((len(points), 3), np.complex128) for _ in range(2))
    over = (points[:, 2] >= stack.thickness * (1.0 - 1e-9)) & (not stack.lid)
    inside = ~over & (points[:, 2] <= stack.thickness * (1.0 + 1e-9))
    places, sources = sources_of(opening)
    if not len(points):
        return e, h
    reach, spectrum = reach_between(places, points[:, :2]), _FromOpening(stack, frequency)
    if over.any():
        heights, which = heights_over(stack, frequency, points[over])
        table = near_table(spectrum, heights, np.zeros((0, 5)), reach, in_parallel)
        e[over], h[over] = _of_table(table, spectrum, places, sources, which, points[over])
    if inside.any():
        heights, which = heights_in(stack, frequency, points[inside])
        views, close = [], 1.5 * float(opening.mesh.edge_lengths.max())
        for height in heights:
            cut, place = stack.cut(float(height))
            views.append(FromOpening(Spectrum(cut, frequency), place, bool(height < close)))
        table = inside_table(Spectrum(stack, frequency), views, reach, in_parallel)
        some = _of_table(table, spectrum, places, sources, which, points[inside])
        for number, view in enumerate(views):
            here = np.flatnonzero(which == number)
            some[1][here, 2] /= view.matter[1]
            if view.close:
                more = _straight(opening, frequency, points[inside][here], *view.matter)
                some[0][here], some[1][here] = some[0][here] + more[0], some[1][here] + more[1]
        e[inside], h[inside] = some
    return e, h


def _of_table(
    table: NearTable, spectrum: Spectrum, places: Floats, sources: Complexes, which: Ints, points: Floats
) -> tuple[Complexes, Complexes]:  # fmt: skip
    from ..kernels import overfield

    out, k0 = np.zeros((len(points), 6), np.complex128), spectrum.wavenumber
    none = np.zeros((0, 9)), np.zeros(0, np.complex128), np.zeros((0, 3), np.complex128)
    normal = sources / np.array([1.0, 1.0, 1.0, k0])
    announce(overfield.over_fields)

    def work(share: slice) -> None:
        overfield.over_fields(
            *none, places, normal, table.steps, table.widths, table.cubics, table.logs, table.heights, table.length,
            which[share], points[share], 0.0, k0, out[share],
        )  # fmt: skip

    in_shares(work, len(points))
    out *= k0**2 / (2.0 * math.pi)
    return out[:, :3], out[:, 3:] / WAVE_IMPEDANCE


def _straight(
    opening: SheetCurrents, frequency: float, points: Floats, eps: complex, mu: float
) -> tuple[Complexes, Complexes]:  # fmt: skip
    """Those of magnetic currents as in free space, doubled by the plane: dual to electric ones, E for H, -H for E."""
    from ..kernels import sheetfield

    announce(sheetfield.sheet_fields)
    out, omega = np.zeros((len(points), 6), np.complex128), 2.0 * math.pi * frequency
    corners = np.ascontiguousarray(opening.mesh.corners.reshape(-1, 9))
    own = opening.number, opening.vector, opening.points, opening.moments.astype(complex)

    def work(share: slice) -> None:
        sheetfield.sheet_fields(
            corners, *own, points[share], 2.0 * math.pi * frequency / SPEED_OF_LIGHT,
            -1j * omega * ELECTRIC_CONSTANT / (2.0 * math.pi) * eps,
            -1.0 / (2.0j * math.pi * omega * MAGNETIC_CONSTANT * mu), complex(-1.0 / (2.0 * math.pi)), out[share],
        )  # fmt: skip

    in_shares(work, len(points))
    return out[:, 3:], out[:, :3]
