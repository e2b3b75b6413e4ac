"""The check of metal on a stack of layers, and of probes through them."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Floats
from ..constants import wavenumber
from ..description.antenna import Antenna
from ..description.parts import Wire
from ..media.stack import Stack
from ..meshing.sheet_mesh import SheetMesh
from .findings import Finding
from .pieces import as_place, words_for

_THICKEST = 4.0 * math.pi
_CLOSE, _RADII = 1e-6, 4.0
# Edges of a hundred thicknesses move a resonance by less than 1e-3; nothing was measured beyond.
_LONGEST = 100.0
# Between faces a tenth of an edge apart entries are good to 1e-3, a twentieth to 3e-3.
_OVER = 20.0


@dataclass(frozen=True)
class OnBoard:
    """An antenna on a stack; sense: -1 where it is seen mirrored, since the stack hangs under a plane, else 1."""

    antenna: Antenna
    stack: Stack
    sense: float = 1.0

    def words(self, place: Floats) -> str:
        """Where a place (3,) is, in words."""
        return words_for(place * self._mirror)

    def place(self, place: Floats) -> tuple[float, float, float]:
        """The same in numbers."""
        return as_place(place * self._mirror)

    def z(self, height: float) -> str:
        """A height as it is given."""
        return f"z = {self.sense * height + 0.0:g} m"

    @property
    def _mirror(self) -> Floats:
        return np.array([1.0, 1.0, self.sense])

    @property
    def faces(self) -> str:
        """Where metal may be printed, in words."""
        there = [z for z in self.stack.faces if self.stack.level_at(np.array(z)) >= 0]
        if not there:
            return "inside, in two layers instead of one"
        return "at z = " + ", ".join(f"{self.sense * z + 0.0:g}" for z in there) + " m"

    @property
    def top(self) -> str:
        """Where the layers end, in words."""
        return f"{'over their top' if self.sense > 0 else 'under their lowest face'}, {self.z(self.stack.thickness)}"

    @property
    def probes(self) -> list[Wire]:
        """Wires that are in the layers, at least in part."""
        return [w for w in self.antenna.wires if w.corners[:, 2].min() < self.stack.thickness * (1.0 - _CLOSE)]


def described(board: OnBoard) -> Iterator[Finding]:
    """Findings that need no frequency: metal that is neither on the layers nor clear of them, wires that pass oddly."""
    antenna, stack, top = board.antenna, board.stack, board.stack.thickness
    if stack.lid:
        for name, high in [
            *((s.name, s.surface.bounds[:, 2].max()) for s in antenna.sheets),
            *((w.name, w.corners[:, 2].max()) for w in antenna.wires),
        ]:
            if high > top * (1.0 + _CLOSE):
                says = f"'{name}' reaches beyond the lid, {board.z(float(high))}"
                yield Finding("stop", name, says, f"end it there, {board.z(top)}, or leave the lid out")
    for sheet in antenna.sheets:
        low, high = (float(f(sheet.surface.bounds[:, 2])) for f in (np.min, np.max))
        level = stack.level_at(sheet.surface.bounds[:, 2])
        if ((level >= 0).all() and (level == level[0]).all()) or low > top * (1.0 + _CLOSE):
            continue
        where = board.z(low if level[np.argmin(sheet.surface.bounds[:, 2])] < 0 else high)
        says = f"sheet '{sheet.name}' is on no face of the layers, and not clear of them: it reaches {where}"
        remedy = f"print it flat {board.faces}, where layers end, or move it clear of them, {board.top}"
        if stack.lid:
            remedy = f"print it flat {board.faces}, where one layer ends and the next begins"
        if max(abs(low), abs(high)) <= _CLOSE * top and not antenna.medium.sides and stack.has_plane:
            remedy = "it is an opening in the plane where there are layers under it as well; else raise it"
        yield Finding("stop", sheet.name, says, remedy)
    for wire in antenna.wires:
        yield from (_through(board, wire) if wire.corners[:, 2].min() < top * (1.0 - _CLOSE) else _over(board, wire))
    yield from _neighbours(board)


def _through(board: OnBoard, wire: Wire) -> Iterator[Finding]:
    """A wire that is in the layers, at least in part: a probe up to metal, or on through the topmost face."""
    antenna, stack = board.antenna, board.stack
    top, close = stack.thickness, _CLOSE * stack.thickness
    corners = wire.corners if wire.corners[0, 2] <= wire.corners[-1, 2] else wire.corners[::-1]
    place = board.place(corners[0])
    inside = corners[:, 2] < top + close
    upright = float(np.ptp(corners[: max(int(inside.sum()), 2), :2], axis=0).max()) <= close
    ends_below, on_plane = bool(inside.all()), stack.has_plane and abs(corners[0, 2]) <= close
    if corners[0, 2] < -close:
        says = f"wire '{wire.name}' is under the layers, at {board.words(corners[0])}"
        yield Finding("stop", wire.name, says, f"keep it {board.top}, or turn the board over", place)
        return
    begins, ends = (int(stack.end_at(corners[end, 2])) for end in (0, -1))
    if not (on_plane or begins >= 0) or not upright or inside.sum() > 2 or (
        ends_below and (len(corners) != 2 or ends < 0)
    ):  # fmt: skip
        says = (
            f"wire '{wire.name}' is not a probe through the layers: it goes from {board.words(wire.corners[0])} to "
            f"{board.words(wire.corners[-1])}"
        )
        start = "from z = 0 or from metal" if stack.has_plane else "from metal"
        remedy = f"make it one straight upright piece {start} on a face of the layers to metal on another"
        yield Finding("stop", wire.name, says, f"{remedy} ({board.faces}), or straight on, {board.top}", place)
        return
    on_lid = stack.lid and ends == len(stack.layers)
    for end, there in ((0, not on_plane), (-1, ends_below and not on_lid)):
        off = antenna.off_sheets(corners[end]) if there else 0.0
        if off > 1e-3 * wire.radius and not (end and _goes_on(antenna.wires, wire, corners[-1])):
            far = f"{off:.3g} m off the metal" if math.isfinite(off) else "on no metal"
            says = f"probe '{wire.name}' {'ends' if end else 'begins'} {far} at {board.words(corners[end])}"
            remedy = "move it to a sheet, print metal there, or let a wire go on"
            yield Finding("stop", wire.name, says, remedy, board.place(corners[end]))
    for number, face in enumerate(stack.faces):
        passed = np.array([*corners[0, :2], face])
        between = corners[0, 2] + close < face < (top + close if not ends_below else corners[-1, 2] - close)
        if between and number and antenna.off_sheets(passed) < wire.radius:
            says = f"wire '{wire.name}' passes through printed metal at {board.words(passed)}"
            yield Finding("stop", wire.name, says, "split it there to join them, or cut a hole for it", place)
    if wire.jacket is not None:
        says = f"wire '{wire.name}' has a jacket, which is not taken into account in layers"
        yield Finding("stop", wire.name, says, "leave the jacket out, or split the wire at the topmost face")


def _goes_on(wires: Sequence[Wire], wire: Wire, place: Floats) -> bool:
    """Whether another wire ends at a place, where a wire does."""
    others = [other for other in wires if other is not wire]
    ends = np.array([other.corners[[0, -1]] for other in others]).reshape(-1, 3)
    return bool((np.linalg.norm(ends - place, axis=1) <= 1e-3 * wire.radius).any())


def _over(board: OnBoard, wire: Wire) -> Iterator[Finding]:
    """A wire in the air over the layers: clear of them, but where it stands on metal or goes on as a probe."""
    antenna, stack = board.antenna, board.stack
    top, close = stack.thickness, _CLOSE * stack.thickness
    thick = wire.radius if wire.jacket is None else wire.radius + wire.jacket.thickness
    heights = wire.corners[:, 2] - top
    joined = np.zeros(len(heights), bool)
    for end in (0, -1):
        place = wire.corners[end]
        below = _goes_on(board.probes, wire, place)
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
            f"wire '{wire.name}' is {heights[worst]:.3g} m over the layers at {board.words(wire.corners[worst])}, less "
            f"than {_RADII:g} radii, {_RADII * thick:.3g} m, and stands on no metal there",
            "raise it, let it stand on printed metal or go on as a probe, or print it as a sheet",
            board.place(wire.corners[worst]),
        )


def _neighbours(board: OnBoard) -> Iterator[Finding]:
    """Probes that overlap."""
    probes = board.probes
    for i, one in enumerate(probes):
        for two in probes[i + 1 :]:
            lowest, other = (w.corners[int(np.argmin(w.corners[:, 2]))] for w in (one, two))
            apart = math.dist(lowest[:2], other[:2])
            shared = min(w.corners[:, 2].max() for w in (one, two)) - max(lowest[2], other[2])
            if apart < one.radius + two.radius and shared > _CLOSE * board.stack.thickness:
                says = f"probes '{one.name}' and '{two.name}' overlap at {board.words(one.corners[0])}"
                yield Finding("stop", two.name, says, "move one, or make them one", board.place(one.corners[0]))


def sized(board: OnBoard, frequency: float) -> Iterator[Finding]:
    """Findings at a frequency: layers too thick for a wire through them."""
    for wire in board.probes:
        phase = _phase(board.stack, wire, frequency)
        if phase > _THICKEST:
            says = (
                f"the layers that wire '{wire.name}' goes through are {phase / (2.0 * math.pi):.2g} wavelengths thick "
                f"at {frequency / 1e6:g} MHz, more than {_THICKEST / (2.0 * math.pi):g}"
            )
            yield Finding("stop", wire.name, says, "use thinner layers, or a gap in the metal as a port")
            return


def _phase(stack: Stack, wire: Wire, frequency: float) -> float:
    """How thick layers are that a wire goes through, rad."""
    low, high = wire.corners[:, 2].min(), wire.corners[:, 2].max()
    found = 0.0
    for below, above, layer in zip(stack.faces, stack.faces[1:], stack.layers, strict=False):
        index = math.sqrt(layer.material.permittivity * layer.material.permeability)
        found += wavenumber(frequency) * index * max(min(above, high) - max(below, low), 0.0)
    return found


def meshed(board: OnBoard, mesh: SheetMesh) -> Iterator[Finding]:
    """Findings on a mesh: how thin the layers under the metal are beside its edges."""
    antenna, stack = board.antenna, board.stack
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
            f"metal at {board.z(faces[low])} and at {board.sense * faces[low + 1]:g} m is {gap:.3g} m apart, where "
            f"edges of the mesh are {longest:.3g} m, {longest / gap:.0f} times as much: where the one ends the other's "
            "current is smeared"
        )
        remedy = f"raise sheets_per_wavelength until edges are below {_OVER * gap:.3g} m"
        yield Finding("warn", antenna.name, says, remedy)
