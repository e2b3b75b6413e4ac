"""What earth and layers send back to points above them, of currents on wires and sheets, and what goes into layers."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE
from ..media.earth_table import FOR_FIELDS, EarthTable, earth_table, tabled
from ..media.half_space import Below
from ..media.into_layers import kernels_into
from ..media.stack import Dielectric, Layer, Stack
from ..meshing.mesh import lifted
from ..running import announce, in_shares, in_threads, thread_count
from .heights import heights_in

if TYPE_CHECKING:
    from .currents import Currents

_NODES, _MOST_PIECES = 4, 64
_NEAREST = 0.05
_AIR = Dielectric("air", 1.0)


def add_reflected(currents: Currents, points: Floats, below: Below, top: float) -> tuple[Complexes, Complexes]:
    """E and H (n, 3) at points (n, 3) of what comes back from below z = top; none at points there."""
    out = np.zeros((len(points), 6), np.complex128)
    above = points[:, 2] >= top
    if above.any():
        places = np.ascontiguousarray(lifted(points[above], -top))
        table = _table_for(currents, places, below, top)
        scales = -1j * WAVE_IMPEDANCE / (4.0 * math.pi), 1.0 / (4.0 * math.pi)
        back = _summed(currents, table, top, places, scales)
        if len(currents.mesh):
            _add_ends(currents, table, top, places, *scales, back)
        out[above] = back
    return out[:, :3], out[:, 3:]


def fields_into(currents: Currents, points: Floats, stack: Stack) -> tuple[Complexes, Complexes]:
    """E and H (n, 3) of currents in the air over a stack at points (n, 3) in its layers, or under them if it is open.

    Raises UsageError for points of too many heights: every height has a table.
    """
    top, out = stack.thickness, np.zeros((len(points), 6), np.complex128)
    if not len(points):
        return out[:, :3], out[:, 3:]
    # Air under an open board is one layer more, down to the lowest point.
    under = max(-float(points[:, 2].min()), 0.0)
    whole = Stack([Layer(under, _AIR), *stack.layers], open_below=True) if under else stack
    heights, ordinal = heights_in(whole, currents.frequency, points + np.array([0.0, 0.0, under]))
    scales = WAVE_IMPEDANCE / (2.0 * math.pi), 1.0 / (2.0 * math.pi)
    spectrum = whole.at(currents.frequency)
    flat = np.ascontiguousarray(points * np.array([1.0, 1.0, 0.0]))
    across, above = _extent(currents, flat, top)
    smallest = currents.wavenumber * _NEAREST * min(x.thickness for x in stack.layers)
    for number, height in enumerate(heights.tolist()):
        here = np.flatnonzero(ordinal == number)
        table = tabled(
            kernels_into(spectrum, height), spectrum, currents.wavenumber, across, above, thread_count(), in_threads,
            smallest,
        )  # fmt: skip
        out[here] = _summed(currents, table, top, flat[here], scales, into=True)
    return out[:, :3], out[:, 3:]


def _summed(
    currents: Currents, table: EarthTable, top: float, places: Floats, scales: tuple[complex, float],
    into: bool = False,
) -> Complexes:  # fmt: skip
    """E and H (n, 6) at places (n, 3) over the topmost face of what comes back; into: under it, see the kernel."""
    from ..kernels.earth import earth_fields
    from ..kernels.earth_sheets import earth_sheet_fields

    found = np.zeros((len(places), 6), np.complex128)
    if currents.sheets is not None:
        announce(earth_sheet_fields)
        own = currents.sheets.raised(-top)

        def of_sheets(share: slice) -> None:
            earth_sheet_fields(
                own.mesh.columns, own.number, own.vector, own.points, own.moments.astype(complex), places[share],
                table.wavenumber, table.grid, table.weights, into, complex(scales[0]), scales[1], found[share],
            )  # fmt: skip

        in_shares(of_sheets, len(places))
    if len(currents.mesh):
        announce(earth_fields)
        mesh = currents.mesh.raised(-top)
        nodes, weights = np.polynomial.legendre.leggauss(_NODES)

        def of_wires(share: slice) -> None:
            earth_fields(
                mesh.columns, np.ascontiguousarray(currents.ends), places[share], (nodes + 1.0) / 2.0, weights / 2.0,
                _MOST_PIECES, table.wavenumber, table.grid, table.weights, into, complex(scales[0]), scales[1],
                found[share],
            )  # fmt: skip

        in_shares(of_wires, len(places))
    return found


def _add_ends(
    currents: Currents,
    table: EarthTable,
    top: float,
    places: Floats,
    e_scale: complex,
    h_scale: complex,
    out: Complexes,
) -> None:
    """Add what charges do that wires would leave on layers, where they go on into metal or a probe.

    As in `media.over_layers`: without them E has -∇_h (a U) more, and H curl (z a U_ζ), than with one kernel for all.
    """
    from ..kernels.over_layers import over_points

    mesh = currents.mesh
    node, sense = mesh.ends.ravel(), np.tile([1.0, -1.0], len(mesh))
    on = np.abs(mesh.nodes[node, 2] - top) <= 1e-6 * top if top else np.zeros(len(node), bool)
    if not on.any():
        return
    announce(over_points)
    ends, amounts = mesh.nodes[node[on]], (sense * currents.ends.ravel())[on]
    k, kinds = table.wavenumber, FOR_FIELDS
    seen = np.zeros((kinds, len(places), len(ends)), np.complex128)
    thick = np.zeros(len(places))
    heights = np.ascontiguousarray(places[:, 2])
    over_points(places, heights, thick, ends, table.least, k, table.grid, table.weights, kinds, seen)
    # Times ρ the slopes are slopes.
    off = k * (places[:, None, :2] - ends[:, :2])
    slope, up_slope = (np.einsum("pqx,pq,q->px", off, seen[kind], amounts) for kind in (2, 8))
    out[:, :2] -= e_scale * k * slope
    out[:, 3] += h_scale * k * up_slope[:, 1]
    out[:, 4] -= h_scale * k * up_slope[:, 0]


def _table_for(currents: Currents, points: Floats, below: Below, top: float) -> EarthTable:
    """The kernels between all metal and all points."""
    return earth_table(
        below, currents.wavenumber, *_extent(currents, points, top), FOR_FIELDS, thread_count(), in_threads
    )


def _extent(currents: Currents, points: Floats, top: float) -> tuple[tuple[float, float], tuple[float, float]]:
    """Between which bounds distances are, and sums of heights over the topmost face, m."""
    nodes = lifted(currents.places, -top)
    lowest, highest = nodes[:, 2].min() + points[:, 2].min(), nodes[:, 2].max() + points[:, 2].max()
    corners = np.concatenate([nodes[:, :2].min(axis=0)[None], nodes[:, :2].max(axis=0)[None]])
    middle, size = corners.mean(axis=0), 0.5 * float(np.linalg.norm(corners[1] - corners[0]))
    away = np.linalg.norm(points[:, :2] - middle, axis=1)
    across = (max(float(away.min()) - size, 0.0), float(away.max()) + size)
    return across, (float(lowest), float(highest))
