"""What earth sends back to points above it, of currents on wires and sheets."""

from __future__ import annotations

import math

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE
from ..media.earth_table import FOR_FIELDS, EarthTable, earth_table
from ..running import announce, in_shares, in_threads, thread_count
from .currents import Currents

_NODES, _MOST_PIECES = 4, 64


def add_reflected(currents: Currents, points: Floats, out: Complexes) -> None:
    """Add it to E and H (n, 6) at points (n, 3) with z ≥ 0."""
    from ..kernels.earth import earth_fields
    from ..kernels.earth_sheets import earth_sheet_fields

    table, lowest = _table_for(currents, points)
    scales = -1j * WAVE_IMPEDANCE / (4.0 * math.pi), 1.0 / (4.0 * math.pi)
    if currents.sheets is not None:
        announce(earth_sheet_fields)
        own = currents.sheets

        def of_sheets(share: slice) -> None:
            earth_sheet_fields(
                own.mesh.columns, own.number, own.vector, own.points, own.moments.astype(complex), points[share],
                table.wavenumber, table.grid, table.weights, *scales, out[share],
            )  # fmt: skip

        in_shares(of_sheets, len(points))
    if not len(currents.mesh):
        return
    announce(earth_fields)
    mesh = currents.mesh
    nodes, weights = np.polynomial.legendre.leggauss(_NODES)
    # Pieces of a segment are no longer than its image is far.
    pieces = min(math.ceil(float(mesh.lengths.max()) / lowest), _MOST_PIECES)

    def work(share: slice) -> None:
        earth_fields(
            mesh.columns, np.ascontiguousarray(currents.ends), points[share], (nodes + 1.0) / 2.0, weights / 2.0,
            pieces, table.wavenumber, table.grid, table.weights, *scales, out[share],
        )  # fmt: skip

    in_shares(work, len(points))


def _table_for(currents: Currents, points: Floats) -> tuple[EarthTable, float]:
    """The kernels between all metal and all points, and the least sum of heights, m."""
    assert currents.earth is not None
    nodes = currents.places
    lowest, highest = nodes[:, 2].min() + points[:, 2].min(), nodes[:, 2].max() + points[:, 2].max()
    corners = np.concatenate([nodes[:, :2].min(axis=0)[None], nodes[:, :2].max(axis=0)[None]])
    middle, size = corners.mean(axis=0), 0.5 * float(np.linalg.norm(corners[1] - corners[0]))
    away = np.linalg.norm(points[:, :2] - middle, axis=1)
    across = (max(float(away.min()) - size, 0.0), float(away.max()) + size)
    permittivity = currents.earth.complex_permittivity(currents.frequency)
    heights = (float(lowest), float(highest))
    table = earth_table(
        permittivity, currents.wavenumber, across, heights, FOR_FIELDS, thread_count(), in_threads
    )  # fmt: skip
    return table, float(lowest)
