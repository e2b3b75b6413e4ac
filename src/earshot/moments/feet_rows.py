"""What feet bring to the matrix of wires and sheets in the open: rows of the functions that stand on sheets.

As `coupling.couple` adds it to the whole matrix, a foot at a time; what is well off sees a foot by fewer points.
"""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..constants import wavenumber
from ..media.earth_table import EarthTable
from ..meshing.sheet_mesh import MIRROR
from ..running import in_parallel
from .basis import Basis
from .coupling import (
    Points,
    fan_points,
    moments_of,
    point_moments,
    potentials_of,
    radii_of,
    wire_points,
    with_fan,
    with_sheets,
)
from .earth_sheets import points_by_earth, sheets_by_earth
from .sheet_basis import Fan

_WIDE = 4.0
"""From how many of its widths on a foot's fewer points do."""


def standing(basis: Basis) -> Ints:
    """The functions that stand on sheets."""
    if not basis.feet:
        return np.zeros(0, np.int64)
    return np.asarray(basis.first_wire + np.flatnonzero(np.any([amount != 0.0 for _, amount in basis.feet], axis=0)))


def feet_rows(basis: Basis, frequency: float, plane: bool, table: EarthTable | None) -> Complexes:
    """Rows (standing, functions), ohm, beside what wires are to wires and sheets.

    plane: over a perfect plane z = 0; table: of what earth sends back, if there is any.
    """
    own = standing(basis) - basis.first_wire
    rows = np.zeros((len(own), basis.size), np.complex128)
    if not len(own):
        return rows
    fans = tuple(f for f, _ in basis.feet)
    into = np.array([amount[own] for _, amount in basis.feet])
    for image in (False, True)[: 1 + plane]:
        found = in_parallel(partial(_foot, basis, fans, frequency, image), range(len(fans)))
        to_sheets, to_wires, halves = (np.array(x) for x in zip(*found, strict=True))
        square = halves[:, 0] + halves[:, 1] + halves[:, 1].T
        square += _solenoids(basis, fans, frequency, image)
        _add(rows, basis, into, own, to_sheets, to_wires, square)
    if table is not None:
        points = wire_points(basis.mesh)
        found = [_foot_by_earth(basis, fans, n, points, table, frequency) for n in range(len(fans))]
        _add(rows, basis, into, own, *(np.array(x) for x in zip(*found, strict=True)))
    return rows


def _add(
    rows: Complexes, basis: Basis, into: Floats, own: Ints, to_sheets: Complexes, to_wires: Complexes,
    square: Complexes,
) -> None:  # fmt: skip
    """Add what feet are to sheets (feet, functions), to wires (feet, functions) and to feet (feet, feet)."""
    first = basis.first_wire
    rows[:, :first] += into.T @ to_sheets
    crossed = into.T @ to_wires
    rows[:, first:] += crossed
    rows[:, first + own] += crossed[:, own].T + into.T @ (0.5 * (square + square.T)) @ into


def _foot(
    basis: Basis, fans: tuple[Fan, ...], frequency: float, image: bool, number: int
) -> tuple[Complexes, Complexes, Complexes]:
    """A foot, or its image, with sheets (functions,), with wires (functions,), and its two sets with feet (2, feet)."""
    sheets, one = basis.sheets, fans[number]
    assert sheets is not None
    mesh, wide = sheets.mesh, sheets.mesh.reaches[one.triangles].max()
    near = np.linalg.norm(mesh.centres - one.apex, axis=1) < _WIDE * wide + 2.0 * mesh.reaches
    seen = np.zeros((1, 2, 5, len(mesh)), np.complex128)
    for wanted, close in ((near, True), (~near, False)):
        points = fan_points(sheets, (one,), near=close)
        triangles = np.flatnonzero(wanted)
        seen[..., triangles] = potentials_of(points.image if image else points, mesh.columns[:, triangles], frequency)
    to_sheets = with_sheets(seen, sheets, frequency).sum(axis=1)[0]
    halves = np.stack([with_fan(seen, f, frequency)[0] for f in fans], axis=1)
    return to_sheets, _with_wires(basis, one, wide, frequency, image), halves


def _with_wires(basis: Basis, one: Fan, wide: float, frequency: float, image: bool) -> Complexes:
    sheets, mesh = basis.sheets, basis.mesh
    assert sheets is not None
    points = wire_points(mesh)
    points = points.image if image else points
    seen = potentials_of(points, sheets.mesh.columns[:, one.triangles], frequency)
    here = replace(one, triangles=np.arange(len(one.triangles)))
    halves = with_fan(seen, here, frequency)
    centres = mesh.centres * MIRROR if image else mesh.centres
    near = np.linalg.norm(centres - one.apex, axis=1) < _WIDE * wide + mesh.lengths
    for wanted, close in ((near, True), (~near, False)):
        some = points.of_rows(np.flatnonzero(wanted))
        if some.rows:
            halves[wanted] += point_moments(some, one, frequency, near=close)
    return np.asarray(basis.wires.ends.T @ halves.ravel())


def _solenoids(basis: Basis, fans: tuple[Fan, ...], frequency: float, image: bool) -> Complexes:
    k = wavenumber(frequency)
    return moments_of(fans, radii_of(basis), frequency, lambda r: np.asarray(np.exp(-1j * k * r) / r), image=image)


def _foot_by_earth(
    basis: Basis, fans: tuple[Fan, ...], number: int, points: Points, table: EarthTable, frequency: float
) -> tuple[Complexes, Complexes, Complexes]:
    """The same by way of earth; with feet (feet,)."""
    sheets = basis.sheets
    assert sheets is not None
    own = fan_points(sheets, (fans[number],), near=False)
    to_sheets = sheets_by_earth(own, sheets, table, frequency).sum(axis=1)[0]
    to_wires = basis.wires.ends.T @ points_by_earth(points, own, table, frequency).ravel()
    all_feet = fan_points(sheets, fans, near=False)
    return to_sheets, to_wires, points_by_earth(own, all_feet, table, frequency).sum(axis=1)[0]
