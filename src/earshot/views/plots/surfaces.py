"""Sheets: how they look in drawings of the geometry, and the currents on them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from matplotlib.collections import LineCollection, PolyCollection
from matplotlib.colors import Normalize
from matplotlib.figure import Figure
from mpl_toolkits.mplot3d.art3d import Line3DCollection, Poly3DCollection

from ... import units
from ...answers.driven import Driven
from ...answers.receiving import Received
from ...arraytypes import Floats
from ...description.antenna import Antenna
from ...errors import UsageError
from ...fields.sheet_currents import SheetCurrents
from ...files.atomic import write_atomically
from ...meshing.mesh import MeshRule
from ...meshing.sheet_mesh import SheetMesh, sheet_mesh
from ...units import engineering
from .solids import arrows, bar, space
from .style import FAINT, INK, SHORE, heading, look, sheet

_SKIN = "#9fb8bd"
_SMOOTH = 0.5
_MOST_ARROWS = 200
_MOST_LEVELS = 4
_MOST_PIECES = 8000


def outlines(mesh: SheetMesh) -> Floats:
    """The edges that are seen: rims, creases and where sheets meet, (n, 2, 3)."""
    t = mesh.triangles
    sides = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
    edges, which, counts = np.unique(sides, axis=0, return_inverse=True, return_counts=True)
    normals = np.tile(mesh.normals, (3, 1))
    order = np.argsort(which.ravel(), kind="stable")
    first = np.concatenate([[0], np.cumsum(counts)[:-1]])
    pair = np.minimum(first + 1, len(order) - 1)
    bend = np.abs((normals[order[first]] * normals[order[pair]]).sum(axis=1)) < _SMOOTH
    return np.asarray(mesh.vertices[edges[(counts != 2) | bend]])


def drawn_meshes(antenna: Antenna) -> list[SheetMesh]:
    """Each sheet on its own, coarsely: what a check complains of is drawn too."""
    rule = MeshRule(edge=0.6, around=48)
    return [sheet_mesh(Antenna(s.name, sheets=[s]), 2.0 * max(s.surface.sizes), rule) for s in antenna.sheets]


def cut_lines(corners: Floats, normal: Floats, off: float) -> Floats:
    """Where triangles (n, 3, 3) pass through a plane, off so far along its normal: pieces of line (m, 2, 3).

    Of triangles that lie in it, all three sides.
    """
    height = corners @ normal - off
    near = 1e-9 * max(float(np.abs(corners).max(initial=0.0)), 1e-300)
    lying = (np.abs(height) < near).all(axis=1)
    flat = [corners[lying][:, [a, b]] for a, b in _SIDES]
    above = height > 0.0
    through = corners[above.any(axis=1) & ~above.all(axis=1) & ~lying]
    rise = through @ normal - off
    places = []
    for a, b in _SIDES:
        share = np.full(len(rise), np.nan)
        passes = (rise[:, a] > 0.0) != (rise[:, b] > 0.0)
        np.divide(rise[:, a], rise[:, a] - rise[:, b], out=share, where=passes)
        places.append(through[:, a] + share[:, None] * (through[:, b] - through[:, a]))
    # Two of the three sides are passed: the one that is not goes last.
    order = np.argsort(np.isnan(np.stack(places, axis=1)[..., 0]), axis=1, kind="stable")[:, :2]
    passed = np.take_along_axis(np.stack(places, axis=1), order[..., None], axis=1)
    return np.concatenate([*flat, passed])


_SIDES = ((0, 1), (1, 2), (2, 0))


def draw_sheets(
    axes: Any,
    antenna: Antenna,
    *,
    flat: tuple[int, int] | None = None,
    middle: Floats | float = 0.0,
    scale: float = 1.0,
    names: bool = False,
) -> None:
    """Sheets under everything else: a pale skin with its outlines. flat: the two axes of a drawing seen straight on."""
    for one, mesh in zip(antenna.sheets, drawn_meshes(antenna), strict=True):
        faces, lines = ((x - middle) * scale for x in (mesh.corners, outlines(mesh)))
        seen = list(flat) if flat is not None else [0, 1, 2]
        kinds: tuple[Any, Any] = (PolyCollection, LineCollection) if flat else (Poly3DCollection, Line3DCollection)
        skin = kinds[0](faces[..., seen], facecolor=_SKIN, edgecolor="none", alpha=0.35, zorder=0, clip_on=False)
        # As a picture: thousands of triangles make a drawing of lines slow to open.
        skin.set_rasterized(True)
        rims = kinds[1](lines[..., seen], colors=INK, linewidths=0.8, alpha=0.8, zorder=0.5, clip_on=False)
        # A smooth closed body has no rims.
        for part in (skin, rims) if len(lines) else (skin,):
            (axes.add_collection if flat else axes.add_collection3d)(part)
        if names:
            place = (np.average(mesh.centres, axis=0, weights=mesh.areas) - middle) * scale
            axes.text(*place[seen], one.name, color=FAINT, fontsize=9, ha="center", va="center", clip_on=False)


def sheet_currents_of(given: Driven | Received) -> SheetCurrents:
    """The currents on the sheets; raises UsageError for what has none."""
    if not isinstance(given, Driven | Received):
        raise UsageError(
            f"a {type(given).__name__} has no currents: use solution.drive(...), receive(...) or scatter(...)"
        )
    if given.flow.on_metal is None:
        raise UsageError(f"antenna '{given.antenna.name}' has no sheets: its currents are drawn by currents(...)")
    return given.flow.on_metal


def coloured(axes: Any, currents: SheetCurrents, values: Floats, scale: Normalize) -> None:
    """Triangles in the colours of values, which go over smoothly from one to the next."""
    corners, shades = _smoothed(currents.mesh, values)
    faces = Poly3DCollection(
        corners,
        facecolor=SHORE(scale(shades)),
        edgecolor=SHORE(scale(shades)),
        # As wide as a dot: no paper shows between pieces.
        linewidth=0.7,
        zorder=0,
        clip_on=False,
    )
    # As a picture: thousands of pieces make a drawing of lines slow to open.
    faces.set_rasterized(True)
    axes.add_collection3d(faces)
    lines = outlines(currents.mesh)
    if len(lines):
        rims = Line3DCollection(lines, colors=INK, linewidths=0.5, alpha=0.6, zorder=0.5, clip_on=False)
        axes.add_collection3d(rims)


def _smoothed(mesh: SheetMesh, values: Floats) -> tuple[Floats, Floats]:
    """Pieces of triangles and a value each: between means at the corners, over the areas that meet there."""
    t, areas = mesh.triangles, mesh.areas
    shared = np.bincount(t.ravel(), np.repeat(areas, 3), len(mesh.vertices))
    at_corners = np.bincount(t.ravel(), np.repeat(areas * values, 3), len(mesh.vertices)) / np.maximum(shared, 1e-300)
    pieces = _pieces(int(np.clip(np.sqrt(_MOST_PIECES / len(t)), 1, 4)))
    corners = np.einsum("pkc,tcx->tpkx", pieces, mesh.corners).reshape(-1, 3, 3)
    return corners, np.einsum("pc,tc->tp", pieces.mean(axis=1), at_corners[t]).ravel()


def _pieces(count: int) -> Floats:
    """A triangle cut into count² alike ones: the shares of its corners at theirs (count², 3, 3)."""
    found = []
    for i in range(count):
        for j in range(count - i):
            found.append([(i, j), (i + 1, j), (i, j + 1)])
            if i + j < count - 1:
                found.append([(i + 1, j), (i + 1, j + 1), (i, j + 1)])
    two = np.array(found, float) / count
    return np.concatenate([two, 1.0 - two.sum(axis=2, keepdims=True)], axis=2)


def _top(currents: SheetCurrents) -> float:
    """The end of the scale: currents rise without bound at rims and feet, where few triangles are."""
    strength, areas = currents.strength, currents.mesh.areas
    order = np.argsort(strength)
    return float(strength[order][np.searchsorted(np.cumsum(areas[order]), 0.98 * areas.sum())])


def surface_currents(given: Driven | Received, *, phase: str | float | None = None, arrows_too: bool = True) -> Figure:
    """The surface current on sheets, A/m, in colour, with arrows along it.

    phase: a moment of the period ("90 deg" or 90); unless given, the greatest length over the period, with arrows at
    the moment of most current. Where it rises beyond the scale, at rims and feet, it is shown at its top.
    """
    currents = sheet_currents_of(given)
    moment = None if phase is None else units.angle(phase, "surface currents, phase")
    with look():
        figure = sheet()
        _frame(figure, given, currents, moment, arrows_too)
    return figure


def _moment(currents: SheetCurrents) -> float:
    """The phase of most current in all."""
    square = (currents.density**2).sum(axis=1) @ currents.mesh.areas
    return float(-0.5 * np.angle(square))


def _frame(
    figure: Figure, given: Driven | Received, currents: SheetCurrents, phase: float | None, with_arrows: bool
) -> None:
    antenna = given.antenna
    scale = Normalize(0.0, _top(currents))
    moment = _moment(currents) if phase is None else phase
    levels = _by_level(antenna, currents)
    for number, (words, own) in enumerate(levels):
        wide = 0.84 / len(levels)
        place = (0.02 + number * wide, 0.0, wide, 0.9)
        _draw(figure, place, antenna, own, scale, moment, phase is not None, with_arrows)
        figure.text(place[0] + 0.5 * wide, 0.885, words, ha="center", fontsize=11, color=FAINT)
    bar(figure, (0.89, 0.2, 0.018, 0.6), scale, "surface current, A/m peak")
    when = "greatest over the period" if phase is None else f"at {np.degrees(phase) % 360:.0f} deg of the period"
    drive = (
        f"{given.accepted:.4g} W accepted"
        if isinstance(given, Driven)
        else f"in a wave of {given.wave.strength:.3g} V/m"
    )
    name = f"{antenna.name}: surface current at {engineering(given.flow.frequency, 'Hz', 6)}"
    heading(figure, name, f"{when}; {len(currents.mesh)} triangles; {drive}")


def _by_level(antenna: Antenna, currents: SheetCurrents) -> list[tuple[str, SheetCurrents]]:
    """The currents of every face of layers by themselves, with what it is called; of anything else all together."""
    medium = antenna.medium
    on = medium.level_at(currents.mesh.centres[:, 2])
    found = np.unique(on).tolist()
    if not medium.layered or not antenna.printed or not 1 < len(found) <= _MOST_LEVELS:
        return [("", currents)]
    feet = medium.level_at(currents.points[:, 2])
    faces = [medium.face(n) for n in found]
    return [
        (f"{name}{', ' * bool(name)}z = {engineering(height, 'm')}", currents.only(on == n, feet == n))
        for n, (name, height) in sorted(zip(found, faces, strict=True), key=lambda face: face[1][1])
    ]


def _draw(
    figure: Figure, place: tuple[float, float, float, float], antenna: Antenna, currents: SheetCurrents,
    scale: Normalize, moment: float, at_moment: bool, with_arrows: bool,
) -> None:  # fmt: skip
    """Currents in colour, the most over the period or what they are at a moment, and arrows as they are then."""
    low, high = antenna.extent
    corner = low - 0.1 * antenna.size * np.array([1.0, 1.0, 0.0])
    axes = space(figure, place, corner, high, 1.0)
    if antenna.printed:
        # Printed metal is flat: from above.
        axes.view_init(90, -90)
    now = currents.at_phase(moment)
    coloured(axes, currents, np.linalg.norm(now, axis=1) if at_moment else currents.strength, scale)
    for wire in antenna.wires:
        axes.plot(*wire.corners.T, color=FAINT, linewidth=2.0, linestyle="-", zorder=1)
    if with_arrows:
        _arrows(axes, currents, now, float(scale.vmax or 1.0))
    arrows(axes, corner, np.full(3, 0.12 * antenna.size), "xy" if antenna.printed else "xyz")


def _arrows(axes: Any, currents: SheetCurrents, now: Floats, top: float) -> None:
    """Arrows of the current now, spread evenly over the metal, long where it is strong."""
    from scipy.spatial import cKDTree

    centres = currents.mesh.centres
    apart = 0.8 * float(np.sqrt(currents.mesh.areas.sum() / _MOST_ARROWS))
    tree, free, kept = cKDTree(centres), np.ones(len(centres), bool), []
    for i in np.argsort(-currents.mesh.areas):
        if free[i]:
            kept.append(i)
            free[tree.query_ball_point(centres[i], apart)] = False
    long = np.linalg.norm(now[kept], axis=1)
    steps = (
        now[kept] / np.maximum(long, 1e-300)[:, None] * (0.9 * apart * np.sqrt(np.minimum(long / top, 1.0)))[:, None]
    )
    shown = long > 0.02 * top
    steps, starts = steps[shown], (centres[kept] - steps / 2)[shown]
    tips, aside = starts + steps, np.cross(currents.mesh.normals[kept][shown], steps)
    # Heads lie in the metal, so that they are seen from wherever it is.
    barbs = [tips - 0.4 * steps + sign * 0.22 * aside for sign in (1.0, -1.0)]
    lines = np.concatenate([np.stack([starts, tips], axis=1), *(np.stack([barb, tips], axis=1) for barb in barbs)])
    axes.add_collection3d(Line3DCollection(lines, colors=INK, linewidths=1.1, zorder=2))


def write_animation(given: Driven | Received, path: str | Path, *, frames: int = 16) -> Path:
    """Write the surface current over one period as an animated picture (.gif).

    Raises UsageError for another ending, and for what has no sheets.
    """
    import io

    from PIL import Image

    place, currents = Path(path), sheet_currents_of(given)
    if place.suffix.lower() != ".gif":
        raise UsageError(f"'{place}' does not end in .gif: animations are written as that")
    if not 2 <= frames <= 200:
        raise UsageError(f"write_animation: frames = {frames} is outside 2 to 200")
    pictures = []
    with look():
        for n in range(frames):
            figure = sheet()
            _frame(figure, given, currents, 2.0 * np.pi * n / frames, True)
            store = io.BytesIO()
            figure.savefig(store, format="png", dpi=60)
            pictures.append(Image.open(store).convert("P", palette=Image.Palette.ADAPTIVE))
    first, *rest = pictures
    return write_atomically(
        place,
        lambda target: first.save(target, "GIF", save_all=True, append_images=rest, duration=1600 // frames, loop=0),
    )
