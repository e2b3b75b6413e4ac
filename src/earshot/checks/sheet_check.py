"""The check of sheets: what they are given as, and the mesh that is made of them."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

import numpy as np

from .. import units
from ..arraytypes import Floats, Ints
from ..constants import SPEED_OF_LIGHT, wavelength
from ..description.antenna import Antenna
from ..description.shapes import Triangles
from ..description.sheets import Sheet
from ..errors import EarshotError, UsageError, unknown
from ..meshing.faces import slabs
from ..meshing.mesh import MeshRule
from ..meshing.sheet_mesh import SheetMesh, quality, sheet_mesh
from . import printed_check
from .cavities import resonances
from .findings import Finding
from .pieces import as_place, clear_of_feet, words_for
from .plane_check import over_plane
from .sheet_closeness import Nearness, apart, crossings, owners, pierced_by_all
from .sides_check import boards_of

if TYPE_CHECKING:
    import pandas as pd

_SLIVER = 0.03
_COARSEST = 6.0
_SMALLEST = 2e-5
_NEAR_RESONANCE = 0.02


def described(antenna: Antenna) -> Iterator[Finding]:
    """Findings that need no mesh: media, gaps on sheets, wires that lie on a sheet, triangles as they are given."""
    names = [s.name for s in antenna.sheets]
    for gap in antenna.gaps:
        if gap.across is None or gap.place is None:
            if gap.on in names:
                says = f"{gap.what} is on sheet '{gap.on}', but does not say where and which way"
                yield Finding("stop", gap.name, says, "give it at=(x, y, z) and across='x' or a direction")
            continue
        if gap.on not in names:
            yield Finding("stop", gap.name, f"{gap.what}: {unknown('sheet', gap.on, names)}", "name one of them")
            continue
        off = float(antenna.sheet(gap.on).surface.distances(np.array([gap.place]))[0])
        size = max(antenna.sheet(gap.on).surface.sizes)
        if antenna.sheet(gap.on).surface.shape.flat and off > 1e-6 * size:
            says = f"{gap.what} is at {words_for(np.array(gap.place))}, {off:.3g} m off sheet '{gap.on}'"
            yield Finding("stop", gap.name, says, "move it onto the sheet", as_place(np.array(gap.place)))
    yield from _doubled(antenna)
    for sheet in antenna.sheets:
        if isinstance(sheet.surface.shape, Triangles):
            yield from _given(sheet.name, sheet.surface.bounds, np.array(sheet.surface.shape.faces))
    for wire in antenna.wires:
        for sheet in antenna.sheets_near(wire.corners, wire.radius):
            if antenna.is_opening(sheet):
                continue
            on = sheet.surface.distances((wire.corners[:-1] + wire.corners[1:]) / 2.0) < wire.radius
            ends = sheet.surface.distances(wire.corners) < wire.radius
            for n in np.flatnonzero(on & ends[:-1] & ends[1:]):
                place = (wire.corners[n] + wire.corners[n + 1]) / 2.0
                says = f"wire '{wire.name}' lies along sheet '{sheet.name}' at {words_for(place)}"
                yield Finding(
                    "stop", wire.name, says, "raise it: only its corners may stand on a sheet", as_place(place)
                )


def _doubled(antenna: Antenna) -> Iterator[Finding]:
    """Flat sheets that cover the same place in one plane."""
    flat = [s for s in antenna.sheets if s.surface.shape.flat]
    for one, two in _overlapping(flat):
        try:
            shared = one.surface & two.surface
        except UsageError:
            # Not in one plane, or nothing in common.
            continue
        if shared.outline.area > 1e-9 * one.surface.outline.area:
            place = shared.to_space(np.array([*shared.outline.representative_point().coords[0], 0.0]))
            says = f"sheets '{one.name}' and '{two.name}' lie on one another at {words_for(place)}"
            yield Finding("stop", one.name, says, "make them one with +, or cut one out of the other", as_place(place))


def _overlapping(sheets: Sequence[Sheet]) -> Iterator[tuple[Sheet, Sheet]]:
    """Pairs of sheets with boxes round them that have something in common."""
    boxes = np.array([s.surface.box for s in sheets]).reshape(-1, 2, 3)
    for one in range(len(sheets)):
        later = boxes[one + 1 :]
        shared = (later[:, 0] <= boxes[one, 1]) & (later[:, 1] >= boxes[one, 0])
        for other in np.flatnonzero(shared.all(axis=1)):
            yield sheets[one], sheets[one + 1 + int(other)]


def _given(name: str, corners: Floats, faces: Ints) -> Iterator[Finding]:
    """Triangles as they were handed over: no area, twice the same, facing both ways."""
    x = corners[faces]
    double = np.linalg.norm(np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0]), axis=1)
    longest = np.linalg.norm(x - np.roll(x, 1, axis=1), axis=2).max(axis=1)
    flat = np.flatnonzero(double < 1e-9 * longest**2)
    if flat.size:
        says = f"sheet '{name}' has {flat.size} triangles without area, the first at {words_for(x[flat[0], 0])}"
        yield Finding("stop", name, says, "take them out, or merge their corners", as_place(x[flat[0], 0]))
    keys = np.sort(faces, axis=1)
    twice = len(faces) - len(np.unique(keys, axis=0))
    if twice:
        yield Finding("stop", name, f"sheet '{name}' has {twice} triangles twice", "take out the copies")
    sides = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    _, same = np.unique(sides, axis=0, return_counts=True)
    if (same > 1).any():
        yield Finding(
            "note",
            name,
            f"sheet '{name}' has {int((same > 1).sum())} edges whose triangles face opposite ways",
            "nothing to do: currents are joined whichever way triangles face",
        )
    _, many = np.unique(np.sort(sides, axis=1), axis=0, return_counts=True)
    if (many > 2).any():
        yield Finding(
            "note",
            name,
            f"sheet '{name}' has {int((many > 2).sum())} edges where three triangles or more meet",
            "nothing to do if walls join there; current divides between all of them",
        )


def meshed(antenna: Antenna, frequency: float, rule: MeshRule) -> Iterator[Finding]:
    """Findings about the mesh that a solve at a frequency would use."""
    wave = wavelength(frequency)
    if rule.sheets_per_wavelength < _COARSEST:
        yield Finding(
            "warn",
            antenna.name,
            f"the mesh of sheets is too coarse: {rule.sheets_per_wavelength:g} edges per wavelength at "
            f"{frequency / 1e6:g} MHz",
            f"use at least {_COARSEST:g}; {MeshRule().sheets_per_wavelength:g} unless given",
        )
    try:
        mesh = sheet_mesh(antenna, wave, rule)
        table = quality(mesh, antenna)
    except EarshotError as problem:
        says, _, remedy = str(problem).rpartition(": ")
        yield Finding("stop", antenna.name, says, remedy)
        return
    for name, row in table.items():
        if row["worst_shape"] < _SLIVER:
            own = np.flatnonzero(mesh.sheet == [s.name for s in antenna.sheets].index(name))
            worst = own[np.argmin(mesh.areas[own] / (mesh.edge_lengths[own] ** 2).sum(axis=1))]
            yield Finding(
                "warn",
                name,
                f"sheet '{name}' has slivers in its mesh: least angle {row['least_angle_deg']:.2g} deg at "
                f"{words_for(mesh.centres[worst])}",
                "move what nearly meets there, or give it triangles of a better shape",
                as_place(mesh.centres[worst]),
            )
    yield from _gaps(antenna, mesh)
    yield from apart(antenna, mesh)
    yield from crossings(antenna, mesh)
    yield from _wires(antenna, mesh)
    if antenna.medium.reflects and not antenna.medium.sides:
        yield from over_plane(antenna, mesh)
    longest = float(mesh.edge_lengths.max())
    for board in boards_of(antenna):
        yield from printed_check.meshed(board, mesh if board.sense > 0.0 else mesh.mirrored)
    if antenna.size < _SMALLEST * wave:
        lowest = _SMALLEST * SPEED_OF_LIGHT / antenna.size
        yield Finding(
            "warn",
            antenna.name,
            f"the sheets are tiny, {antenna.size / wave:.2g} wavelengths across at {frequency / 1e6:g} MHz: below "
            f"{lowest / 1e6:.3g} MHz loop currents drown in the rounding of the charges'",
            "use a higher frequency; reactance holds longest",
        )
    elif longest < 1e-5 * wave:
        yield Finding(
            "warn",
            antenna.name,
            f"the longest edge of the mesh is {longest / wave:.1g} wavelengths: loop currents drown in rounding",
            "use a coarser mesh or a higher frequency",
        )
    yield from _resonances(antenna, mesh, frequency)


def _gaps(antenna: Antenna, mesh: SheetMesh) -> Iterator[Finding]:
    gaps = [g for g in antenna.gaps if g.across is not None and g.on in [s.name for s in antenna.sheets]]
    for gap, slab in zip(gaps, slabs(antenna), strict=True):
        heights = (mesh.corners[mesh.sheet == slab.sheet] - slab.place) @ slab.normal
        close = 1e-6 * antenna.size
        if not ((heights.min(axis=1) < -close).any() and (heights.max(axis=1) > close).any()):
            says = f"{gap.what} has metal of sheet '{gap.on}' on one side only"
            remedy = "move it inward, or turn `across`"
            if antenna.medium.grounds and abs(slab.place[2]) <= close:
                half = f"{gap.gap / 2.0:g} m" if gap.gap else "half its width"
                remedy = f"to feed the sheet against the plane give it a width, and z = {half}"
            yield Finding("stop", gap.name, says, remedy, as_place(slab.place))
        elif slab.half > 0.0:
            low, high = heights.min(axis=1), heights.max(axis=1)
            cut = (low < -slab.half - close) & (high > -slab.half + close)
            cut |= (low < slab.half - close) & (high > slab.half + close)
            if cut.any():
                says = f"the gap of {gap.what} cuts through triangles of sheet '{gap.on}'"
                yield Finding(
                    "stop", gap.name, says, "put it where the sheet's grid can follow it, or use a flat or round sheet",
                    as_place(slab.place),
                )  # fmt: skip
            elif not (np.abs(heights) <= slab.half + close).all(axis=1).any():
                says = f"the gap of {gap.what} holds no triangle of sheet '{gap.on}'"
                yield Finding("stop", gap.name, says, "make it wider, or move it onto the sheet", as_place(slab.place))


def _wires(antenna: Antenna, mesh: SheetMesh) -> Iterator[Finding]:
    """Wires that pass through a sheet, or run so close that their tube touches it."""
    from scipy.spatial import cKDTree

    metal = np.array([not antenna.is_opening(sheet) for sheet in antenna.sheets])
    mesh = mesh.only(metal[mesh.sheet])
    if not len(mesh):
        return
    nearness, around = Nearness(mesh), cKDTree(mesh.centres)
    widest = float(mesh.reaches.max())
    for wire in antenna.wires:
        corners, standing = wire.corners, antenna.standing(wire)
        low, high = corners.min(axis=0), corners.max(axis=0)
        far = 0.5 * float(np.linalg.norm(high - low)) + widest
        near = np.sort(np.array(around.query_ball_point(0.5 * (low + high), far), int))
        hit, triangle, share = pierced_by_all(corners[:-1], corners[1:], mesh.corners[near])
        triangle = near[triangle]
        through = False
        for piece, t, s in zip(hit, triangle, share, strict=True):
            place = corners[piece] + s * (corners[piece + 1] - corners[piece])
            if any(on and math.dist(place, c) < 2.0 * wire.radius for c, on in zip(corners, standing, strict=True)):
                continue
            through = True
            says = (
                f"wire '{wire.name}' passes through sheet '{antenna.sheets[mesh.sheet[t]].name}' at {words_for(place)}"
            )
            yield Finding(
                "stop", wire.name, f"{says} without a junction",
                f"give '{wire.name}' a corner there to join them, or cut a hole for it", as_place(place),
            )  # fmt: skip
            break
        if through:
            continue
        off, place = nearness.of(*clear_of_feet(wire, standing), 2.0 * wire.radius)
        if off < wire.radius:
            says = f"wire '{wire.name}' touches a sheet at {words_for(place)} without a junction"
            yield Finding("stop", wire.name, says, "end it on the sheet, or move one", as_place(place))
        elif off < 2.0 * wire.radius:
            yield Finding(
                "warn",
                wire.name,
                f"wire '{wire.name}' is {off:.3g} m from a sheet at {words_for(place)}, with a radius of "
                f"{wire.radius:g} m; so close, current crowds to one side, which the kernel leaves out",
                "move them apart or look at the evidence",
                as_place(place),
            )


def _resonances(antenna: Antenna, mesh: SheetMesh, frequency: float) -> Iterator[Finding]:
    """Closed bodies whose inside resonates near the frequency: the equation has no single answer there."""
    edges, counts = mesh.edges
    owner = owners(mesh, edges)
    for index, sheet in enumerate(antenna.sheets):
        if (counts[owner == index] == 1).any():
            continue
        known = resonances(sheet.surface.shape, 1.3 * frequency)
        if known is None:
            extent = np.sort(np.ptp(sheet.surface.bounds, axis=0))[::-1]
            lowest = SPEED_OF_LIGHT / 2.0 * math.hypot(1.0 / extent[0], 1.0 / extent[1])
            if frequency > 0.95 * lowest:
                yield Finding(
                    "warn",
                    sheet.name,
                    f"sheet '{sheet.name}' is closed and large enough to resonate inside at {frequency / 1e6:g} MHz",
                    "compare with a frequency 1 % off, or leave a small opening",
                )
            continue
        near = np.sort(known[np.abs(known / frequency - 1.0) < _NEAR_RESONANCE])
        if near.size:
            yield Finding(
                "warn",
                sheet.name,
                f"the inside of sheet '{sheet.name}' resonates at {near[0] / 1e6:.6g} MHz, "
                f"{abs(near[0] / frequency - 1):.1%} from {frequency / 1e6:g} MHz, where the equation of a closed body "
                "has no single answer",
                "leave a small opening in it, or stay 2 % away",
            )


def sheet_quality(antenna: Antenna, frequency: str | float, rule: MeshRule | None = None) -> pd.DataFrame:
    """How sheets are meshed at a frequency: per sheet, triangles, area, edges, least angle and worst shape.

    Shape is 4√3 area over the sum of the squared sides: 1 for equal sides, 0 for a sliver. Raises as a solve does.
    """
    import pandas as pd

    mesh = sheet_mesh(antenna, wavelength(units.frequency(frequency)), rule or MeshRule())
    return pd.DataFrame(quality(mesh, antenna)).T.rename_axis("sheet").astype({"triangles": int})
