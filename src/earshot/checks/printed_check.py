"""The check of metal on a stack of layers, and of probes through them."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from ..arraytypes import Floats
from ..constants import wavenumber
from ..description.antenna import Antenna
from ..description.parts import Wire
from ..media.stack import Stack
from ..meshing.sheet_mesh import SheetMesh
from .findings import Finding
from .pieces import as_place, words_for

_THIN, _THICK, _THICKEST = 0.05, 0.5, 1.5
_CLOSE, _RADII = 1e-6, 4.0
# Edges of a hundred thicknesses move a resonance by less than 1e-3; nothing was measured beyond.
_LONGEST = 100.0
# Between faces a tenth of an edge apart entries are good to 1e-3, a twentieth to 3e-3.
_OVER = 20.0


def described(antenna: Antenna, stack: Stack) -> Iterator[Finding]:
    """Findings that need no frequency: metal that is neither on the layers nor clear of them, wires that pass oddly."""
    top = stack.thickness
    for sheet in antenna.sheets:
        low, high = (float(f(sheet.surface.bounds[:, 2])) for f in (np.min, np.max))
        level = stack.level_at(sheet.surface.bounds[:, 2])
        if ((level >= 0).all() and (level == level[0]).all()) or low > top * (1.0 + _CLOSE):
            continue
        where = f"z = {low:g} m" if level[np.argmin(sheet.surface.bounds[:, 2])] < 0 else f"z = {high:g} m"
        says = f"sheet '{sheet.name}' is on no face of the layers, and not clear of them: it reaches {where}"
        remedy = f"print it flat {_faces(stack)}, where layers end, or raise it clear of their top"
        yield Finding("stop", sheet.name, says, f"{remedy}, z = {top:g} m")
    for wire in antenna.wires:
        yield from (
            _through(antenna, stack, wire)
            if wire.corners[:, 2].min() < top * (1.0 - _CLOSE)
            else _over(antenna, stack, wire)
        )
    yield from _neighbours(antenna, stack)


def _faces(stack: Stack) -> str:
    """Where metal may be printed, in words."""
    return "at z = " + ", ".join(f"{z:g}" for z in stack.faces if stack.level_at(np.array(z)) >= 0) + " m"


def _through(antenna: Antenna, stack: Stack, wire: Wire) -> Iterator[Finding]:
    """A wire that is in the layers, at least in part: a probe up to metal, or on through the topmost face."""
    top, close = stack.thickness, _CLOSE * stack.thickness
    corners = wire.corners if wire.corners[0, 2] <= wire.corners[-1, 2] else wire.corners[::-1]
    place = as_place(corners[0])
    inside = corners[:, 2] < top + close
    upright = float(np.ptp(corners[: max(int(inside.sum()), 2), :2], axis=0).max()) <= close
    ends_below, on_plane = bool(inside.all()), stack.has_plane and abs(corners[0, 2]) <= close
    if corners[0, 2] < -close:
        says = f"wire '{wire.name}' is under the layers, at {words_for(corners[0])}"
        yield Finding("stop", wire.name, says, f"keep it over their top, z = {top:g} m, or turn the board over", place)
        return
    begins, ends = (int(stack.level_at(corners[end, 2])) for end in (0, -1))
    if not (on_plane or begins >= 0) or not upright or inside.sum() > 2 or (
        ends_below and (len(corners) != 2 or ends < 0)
    ):  # fmt: skip
        says = (
            f"wire '{wire.name}' is not a probe through the layers: it goes from {words_for(wire.corners[0])} to "
            f"{words_for(wire.corners[-1])}"
        )
        start = "from z = 0 or from metal" if stack.has_plane else "from metal"
        remedy = f"make it one straight upright piece {start} on a face of the layers to metal on another"
        yield Finding("stop", wire.name, says, f"{remedy} ({_faces(stack)}), or straight up on over their top", place)
        return
    for end, there in ((0, not on_plane), (-1, ends_below)):
        off = antenna.off_sheets(corners[end]) if there else 0.0
        if off > 1e-3 * wire.radius and not (end and _goes_on(antenna.wires, wire, corners[-1])):
            far = f"{off:.3g} m off the metal" if math.isfinite(off) else "on no metal"
            says = f"probe '{wire.name}' {'ends' if end else 'begins'} {far} at {words_for(corners[end])}"
            remedy = "move it to a sheet, print metal there, or let a wire go on"
            yield Finding("stop", wire.name, says, remedy, as_place(corners[end]))
    for number, face in enumerate(stack.faces):
        passed = np.array([*corners[0, :2], face])
        between = corners[0, 2] + close < face < (top + close if not ends_below else corners[-1, 2] - close)
        if between and number and antenna.off_sheets(passed) < wire.radius:
            says = f"wire '{wire.name}' passes through printed metal at {words_for(passed)}"
            yield Finding("stop", wire.name, says, "split it there to join them, or cut a hole for it", place)
    if wire.jacket is not None:
        says = f"wire '{wire.name}' has a jacket, which is not taken into account in layers"
        yield Finding("stop", wire.name, says, "leave the jacket out, or split the wire at the topmost face")


def _goes_on(wires: Sequence[Wire], wire: Wire, place: Floats) -> bool:
    """Whether another wire ends at a place, where a wire does."""
    others = [other for other in wires if other is not wire]
    ends = np.array([other.corners[[0, -1]] for other in others]).reshape(-1, 3)
    return bool((np.linalg.norm(ends - place, axis=1) <= 1e-3 * wire.radius).any())


def _over(antenna: Antenna, stack: Stack, wire: Wire) -> Iterator[Finding]:
    """A wire in the air over the layers: clear of them, but where it stands on metal or goes on as a probe."""
    top, close = stack.thickness, _CLOSE * stack.thickness
    thick = wire.radius if wire.jacket is None else wire.radius + wire.jacket.thickness
    heights = wire.corners[:, 2] - top
    joined = np.zeros(len(heights), bool)
    for end in (0, -1):
        place = wire.corners[end]
        below = _goes_on(_probes(antenna, stack), wire, place)
        joined[end] = abs(heights[end]) <= close and (below or antenna.off_sheets(place) <= 1e-3 * wire.radius)
    low = heights < _RADII * thick
    free = low & ~joined
    # A piece between two feet lies on the layers.
    free[:-1] |= joined[:-1] & joined[1:]
    if free.any():
        worst = int(np.argmin(np.where(free, heights, np.inf)))
        yield Finding(
            "stop",
            wire.name,
            f"wire '{wire.name}' is {heights[worst]:.3g} m over the layers at {words_for(wire.corners[worst])}, less "
            f"than {_RADII:g} radii, {_RADII * thick:.3g} m, and stands on no metal there",
            "raise it, let it stand on printed metal or go on as a probe, or print it as a sheet",
            as_place(wire.corners[worst]),
        )


def _probes(antenna: Antenna, stack: Stack) -> list[Wire]:
    return [w for w in antenna.wires if w.corners[:, 2].min() < stack.thickness * (1.0 - _CLOSE)]


def _neighbours(antenna: Antenna, stack: Stack) -> Iterator[Finding]:
    """Probes that overlap."""
    probes = _probes(antenna, stack)
    for i, one in enumerate(probes):
        for two in probes[i + 1 :]:
            lowest, other = (w.corners[int(np.argmin(w.corners[:, 2]))] for w in (one, two))
            apart = math.dist(lowest[:2], other[:2])
            shared = min(w.corners[:, 2].max() for w in (one, two)) - max(lowest[2], other[2])
            if apart < one.radius + two.radius and shared > _CLOSE * stack.thickness:
                says = f"probes '{one.name}' and '{two.name}' overlap at {words_for(one.corners[0])}"
                yield Finding("stop", two.name, says, "move one, or make them one", as_place(one.corners[0]))


def sized(antenna: Antenna, stack: Stack, frequency: float) -> Iterator[Finding]:
    """Findings at a frequency: layers too thick for a probe of one current."""
    for wire in _probes(antenna, stack):
        phase = _phase(stack, wire, frequency)
        if phase > _THICK:
            says = (
                f"the layers that probe '{wire.name}' goes through are {math.degrees(phase):.0f} deg thick at "
                f"{frequency / 1e6:g} MHz: the current along it is taken as of one strength, which holds below "
                f"{math.degrees(_THICK):.0f} deg"
            )
            level = "stop" if phase > _THICKEST else "warn"
            yield Finding(level, wire.name, says, "use thinner layers, or a gap in the metal as a port")
            return
    for wire in _probes(antenna, stack):
        phase = _phase(stack, wire, frequency)
        if phase > _THIN and wire.corners[:, 2].max() > stack.thickness * (1.0 + _CLOSE):
            says = (
                f"wire '{wire.name}' goes on over layers that are {math.degrees(phase):.1f} deg thick at "
                f"{frequency / 1e6:g} MHz, with one current all through them: its resistance may be off by about as "
                "many per cent"
            )
            yield Finding("warn", wire.name, says, "use thinner layers, or take the figure for a first one")


def _phase(stack: Stack, wire: Wire, frequency: float) -> float:
    """How thick layers are that a wire goes through, rad."""
    low, high = wire.corners[:, 2].min(), wire.corners[:, 2].max()
    found = 0.0
    for below, above, layer in zip(stack.faces, stack.faces[1:], stack.layers, strict=False):
        index = math.sqrt(layer.material.permittivity * layer.material.permeability)
        found += wavenumber(frequency) * index * max(min(above, high) - max(below, low), 0.0)
    return found


def meshed(antenna: Antenna, stack: Stack, mesh: SheetMesh) -> Iterator[Finding]:
    """Findings on a mesh: how thin the layers under the metal are beside its edges."""
    printed = np.asarray(stack.carries(mesh.corners[..., 2]).all(axis=1))
    longest = float(mesh.edge_lengths[printed].max(initial=0.0))
    level = min(float(mesh.centres[printed, 2].min(initial=stack.thickness)) or stack.thickness, stack.thickness)
    if longest > _LONGEST * level:
        says = (
            f"the mesh is coarse beside its layers: edges of {longest:.3g} m over {level:.3g} m, "
            f"{longest / level:.0f} times as much"
        )
        remedy = f"raise sheets_per_wavelength until edges are below {_LONGEST * level:.3g} m"
        yield Finding("warn", antenna.name, says, remedy)
    used = np.unique(stack.level_at(mesh.centres[printed, 2]))
    faces = np.array(stack.faces)[used]
    gap = float(np.diff(faces).min(initial=np.inf))
    if longest > _OVER * gap:
        low = int(np.argmin(np.diff(faces)))
        says = (
            f"metal at z = {faces[low]:g} m and at {faces[low + 1]:g} m is {gap:.3g} m apart, where edges of the mesh "
            f"are {longest:.3g} m, {longest / gap:.0f} times as much: where the one ends the other's current is smeared"
        )
        remedy = f"raise sheets_per_wavelength until edges are below {_OVER * gap:.3g} m"
        yield Finding("warn", antenna.name, says, remedy)
