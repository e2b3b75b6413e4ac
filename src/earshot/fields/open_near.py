"""Near fields of currents in the open, and of their image in a perfect plane."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT
from ..errors import UsageError
from ..running import announce, in_shares

if TYPE_CHECKING:
    from .currents import Currents


def fields_in_the_open(
    currents: Currents, places: Floats, refuse: bool, *, image: bool = False
) -> tuple[Complexes, Complexes]:
    """E and H (n, 3) at places (n, 3); refuse: those in a wire or on a sheet are, else there is none there.

    image: with that in a perfect plane z = 0.
    """
    from ..kernels import nearfield, sheetfield

    columns = currents.mesh.columns
    clear = np.full(len(places), np.inf)
    if len(currents.mesh):
        announce(nearfield.near_fields)
        nearfield.nearest_surface(columns, places, clear)
    inside = clear < -1e-9 * currents.mesh.radii.min(initial=1.0)
    if inside.any() and refuse:
        bad = places[int(np.argmin(clear))]
        raise UsageError(
            f"the point ({bad[0]:g}, {bad[1]:g}, {bad[2]:g}) m lies {-clear.min():.2g} m inside metal: move it outside"
        )
    if currents.sheets is not None:
        announce(sheetfield.sheet_fields)
        touching = np.empty(len(places), bool)
        sheetfield.on_sheet(currents.sheets.mesh.columns, places, touching)
        if touching.any() and refuse:
            bad = places[int(np.argmax(touching))]
            raise UsageError(
                f"the point ({bad[0]:g}, {bad[1]:g}, {bad[2]:g}) m lies on a sheet, where the field jumps: "
                "move it to one side"
            )
        inside |= touching
    omega = 2.0 * math.pi * currents.frequency
    scales = (
        -1j * omega * MAGNETIC_CONSTANT / (4.0 * math.pi),
        -1.0 / (4.0j * math.pi * omega * ELECTRIC_CONSTANT),
        complex(1.0 / (4.0 * math.pi)),
    )
    out = np.zeros((len(places), 6), np.complex128)
    sources = [(columns, np.ascontiguousarray(currents.ends))]
    if image:
        mirrored = columns.copy()
        mirrored[[2, 5]] *= -1.0
        sources.append((mirrored, np.ascontiguousarray(-currents.ends)))

    sheets = []
    if currents.sheets is not None:
        for own in (currents.sheets, currents.sheets.image) if image else (currents.sheets,):
            corners = np.ascontiguousarray(own.mesh.corners.reshape(-1, 9))
            sheets.append((corners, own.number, own.vector, own.points, own.moments.astype(complex)))

    def work(share: slice) -> None:
        for some in sheets:
            sheetfield.sheet_fields(*some, places[share], currents.wavenumber, *scales, out[share])
        for segments, ends in sources if len(currents.mesh) else ():
            nearfield.near_fields(segments, ends, places[share], currents.wavenumber, *scales, out[share])

    in_shares(work, len(places))
    out[inside] = 0.0
    return out[:, :3], out[:, 3:]
