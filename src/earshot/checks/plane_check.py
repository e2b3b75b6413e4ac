"""The check of sheets over a plane or over earth: what lies under it, in it, or too near to it for its mesh."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..description.antenna import Antenna
from ..meshing.sheet_mesh import SheetMesh
from .findings import Finding
from .pieces import as_place, words_for

_NEAREST, _LONGEST = 0.02, 12.0


def over_plane(antenna: Antenna, mesh: SheetMesh) -> Iterator[Finding]:
    """Findings on the triangles of an antenna over something that begins at z = 0, or over layers on that."""
    medium = antenna.medium
    below = "layers" if medium.layered else "plane" if medium.grounds else "earth"
    heights, on = mesh.corners[..., 2] - medium.thickness, mesh.on_plane[mesh.triangles]
    lowest, longest = heights.min(axis=1), mesh.edge_lengths.max(axis=1)
    printed = np.asarray(medium.carries(mesh.corners[..., 2]).all(axis=1))
    for number, sheet in enumerate(antenna.sheets):
        own = np.flatnonzero(mesh.sheet == number)
        if printed[own].all():
            continue
        first = own[np.argmin(lowest[own])]
        place = mesh.corners[first, np.argmin(heights[first])]
        at, spot = words_for(place), as_place(place)
        above = own[~on[own].any(axis=1)]
        if not on[first].any() and lowest[first] < 0.0:
            says = f"sheet '{sheet.name}' reaches {-lowest[first]:.3g} m under the {below} at {at}"
            yield Finding("stop", sheet.name, says, "raise it, or cut off what is below", spot)
        elif on[own].any() and medium.over_matter:
            says = f"sheet '{sheet.name}' touches the earth at {at}: metal in contact with earth is not solved"
            yield Finding("stop", sheet.name, says, "raise it, or take a perfect plane, which it may stand on", spot)
        elif on[own].all(axis=1).any():
            says = f"sheet '{sheet.name}' lies in the plane at {at}, where it carries nothing"
            yield Finding("stop", sheet.name, says, "leave that part out, or raise it", spot)
        elif above.size and (lowest[above] < _NEAREST * longest[above]).any():
            near = above[np.argmin(lowest[above] / longest[above])]
            says = (
                f"sheet '{sheet.name}' is {lowest[near]:.2g} m above the {below} at {words_for(mesh.centres[near])}, "
                f"where its mesh has edges of {longest[near]:.2g} m"
            )
            remedy = "let it stand on z = 0 exactly, or raise it" if below == "plane" else "raise it"
            yield Finding("stop", sheet.name, says, f"{remedy}, or give it density", as_place(mesh.centres[near]))
        elif above.size and (longest[above] > _LONGEST * (mesh.centres[above, 2] - medium.thickness)).any():
            near = above[np.argmax(longest[above] / (mesh.centres[above, 2] - medium.thickness))]
            says = (
                f"the mesh of sheet '{sheet.name}' is coarse beside the {below}: edges of {longest[near]:.2g} m at a "
                f"height of {mesh.centres[near, 2] - medium.thickness:.2g} m"
            )
            yield Finding("warn", sheet.name, says, "give it density", as_place(mesh.centres[near]))
