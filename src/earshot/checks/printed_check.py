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


def described(antenna: Antenna, stack: Stack) -> Iterator[Finding]:
    """Findings that need no frequency: metal that is neither on the layers nor clear of them, wires that pass oddly."""
    top, level = stack.thickness, stack.level
    for sheet in antenna.sheets:
        low, high = (float(f(sheet.surface.bounds[:, 2])) for f in (np.min, np.max))
        if stack.carries(sheet.surface.bounds[:, 2]).all() or low > top * (1.0 + _CLOSE):
            continue
        where = f"z = {low:g} m" if abs(low - level) > _CLOSE * top else f"z = {high:g} m"
        says = f"sheet '{sheet.name}' is on no level of the layers, and not clear of them: it reaches {where}"
        remedy = f"print it flat at z = {level:g} m, where the layers have metal, or raise it clear of their top"
        yield Finding("stop", sheet.name, says, f"{remedy}, z = {top:g} m")
    for wire in antenna.wires:
        yield from (
            _through(antenna, stack, wire)
            if wire.corners[:, 2].min() < top * (1.0 - _CLOSE)
            else _over(antenna, stack, wire)
        )
    yield from _neighbours(antenna, stack)


def _through(antenna: Antenna, stack: Stack, wire: Wire) -> Iterator[Finding]:
    """A wire that is in the layers, at least in part: a probe up to the metal, or on through the topmost face."""
    top, level, close = stack.thickness, stack.level, _CLOSE * stack.thickness
    corners = wire.corners if wire.corners[0, 2] <= wire.corners[-1, 2] else wire.corners[::-1]
    place = as_place(corners[0])
    if stack.open_below:
        says = f"wire '{wire.name}' is in or under the layers, which have no plane, at {words_for(corners[0])}"
        yield Finding("stop", wire.name, says, f"keep it over their top, z = {top:g} m, or give them a plane", place)
        return
    inside = corners[:, 2] < top + close
    upright = float(np.ptp(corners[: max(int(inside.sum()), 2), :2], axis=0).max()) <= close
    ends_below = bool(inside.all())
    if abs(corners[0, 2]) > close or not upright or inside.sum() > 2 or (
        ends_below and (len(corners) != 2 or abs(corners[-1, 2] - level) > close)
    ):  # fmt: skip
        says = (
            f"wire '{wire.name}' is not a probe through the layers: it goes from {words_for(wire.corners[0])} to "
            f"{words_for(wire.corners[-1])}"
        )
        remedy = f"make it one straight upright piece from z = 0 to z = {level:g} m"
        yield Finding("stop", wire.name, says, f"{remedy}, or straight up on over z = {top:g} m", place)
        return
    if not ends_below and stack.above:
        says = f"wire '{wire.name}' goes up through the cover of the metal at {words_for(corners[0])}"
        yield Finding("stop", wire.name, says, f"end it on metal at z = {level:g} m, or leave the cover out", place)
    elif not ends_below and antenna.off_sheets(np.array([*corners[0, :2], level])) < wire.radius:
        says = f"wire '{wire.name}' passes through printed metal at {words_for(np.array([*corners[0, :2], level]))}"
        yield Finding("stop", wire.name, says, "split it there to join them, or cut a hole for it", place)
    elif ends_below:
        off = antenna.off_sheets(corners[-1])
        goes_on = _goes_on(antenna.wires, wire, corners[-1])
        if not goes_on and off > 1e-3 * wire.radius:
            far = f"{off:.3g} m off the metal" if math.isfinite(off) else "on no metal"
            says = f"probe '{wire.name}' ends {far} at {words_for(corners[-1])}"
            remedy = "move it under a sheet, print metal there, or let a wire go on"
            yield Finding("stop", wire.name, says, remedy, as_place(corners[-1]))
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
            if apart < one.radius + two.radius:
                says = f"probes '{one.name}' and '{two.name}' overlap at {words_for(one.corners[0])}"
                yield Finding("stop", two.name, says, "move one, or make them one", as_place(one.corners[0]))


def sized(antenna: Antenna, stack: Stack, frequency: float) -> Iterator[Finding]:
    """Findings at a frequency: layers too thick for a probe of one current."""
    probes = _probes(antenna, stack)
    if not probes:
        return
    phase = sum(
        x.thickness * wavenumber(frequency) * math.sqrt(x.material.permittivity * x.material.permeability)
        for x in stack.below
    )
    if phase > _THICK:
        says = (
            f"the layers under the metal are {math.degrees(phase):.0f} deg thick at {frequency / 1e6:g} MHz: the "
            f"current along a probe is taken as of one strength, which holds below {math.degrees(_THICK):.0f} deg"
        )
        level = "stop" if phase > _THICKEST else "warn"
        yield Finding(level, probes[0].name, says, "use thinner layers, or a gap in the metal as a port")
        return
    for wire in probes:
        if phase > _THIN and wire.corners[:, 2].max() > stack.thickness * (1.0 + _CLOSE):
            says = (
                f"wire '{wire.name}' goes on over layers that are {math.degrees(phase):.1f} deg thick at "
                f"{frequency / 1e6:g} MHz, with one current all through them: its resistance may be off by about as "
                "many per cent"
            )
            yield Finding("warn", wire.name, says, "use thinner layers, or take the figure for a first one")


def meshed(antenna: Antenna, stack: Stack, mesh: SheetMesh) -> Iterator[Finding]:
    """Findings on a mesh: how thin the layers under the metal are beside its edges."""
    printed = np.asarray(stack.carries(mesh.corners[..., 2]).all(axis=1))
    longest, level = float(mesh.edge_lengths[printed].max(initial=0.0)), stack.level or stack.thickness
    if longest > _LONGEST * level:
        says = (
            f"the mesh is coarse beside its layers: edges of {longest:.3g} m over {level:.3g} m, "
            f"{longest / level:.0f} times as much"
        )
        remedy = f"raise sheets_per_wavelength until edges are below {_LONGEST * level:.3g} m"
        yield Finding("warn", antenna.name, says, remedy)
