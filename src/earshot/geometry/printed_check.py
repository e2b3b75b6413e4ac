"""The check of metal on a stack of layers, and of probes through them."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from ..constants import wavenumber
from ..media.stack import Stack
from .antenna import Antenna
from .findings import Finding
from .pieces import as_place, words_for
from .profiles import distance

_THICK, _THICKEST = 0.5, 1.5
# Edges of a hundred thicknesses move a resonance by less than 1e-3; nothing was measured beyond.
_LONGEST = 100.0


def described(antenna: Antenna, stack: Stack) -> Iterator[Finding]:
    """Findings that need no frequency: where the metal is, and whether wires are probes."""
    level = stack.level
    close = 1e-6 * level
    if not antenna.sheets:
        says = f"antenna '{antenna.name}' has no sheet on its layers"
        yield Finding("stop", antenna.name, says, f"print metal at z = {level:g} m, or leave the layers out")
    for sheet in antenna.sheets:
        heights = sheet.surface.bounds[:, 2]
        if np.abs(heights - level).max() > close:
            off = float(heights[np.abs(heights - level).argmax()])
            says = f"sheet '{sheet.name}' is on no level of the layers: it reaches z = {off:g} m"
            yield Finding("stop", sheet.name, says, f"print it flat at z = {level:g} m, where the layers have metal")
    for wire in antenna.wires:
        corners = wire.corners
        heights = np.sort(corners[[0, -1], 2])
        upright = float(np.ptp(corners[:, :2], axis=0).max()) <= close
        if len(corners) != 2 or not upright or abs(heights[0]) > close or abs(heights[1] - level) > close:
            yield Finding(
                "stop",
                wire.name,
                f"wire '{wire.name}' is not a probe through the layers: it goes from {words_for(corners[0])} to "
                f"{words_for(corners[-1])}",
                f"make it one straight upright piece from z = 0 to z = {level:g} m",
                as_place(corners[0]),
            )
            continue
        top = corners[int(corners[1, 2] > corners[0, 2])]
        off = min((float(distance(s.surface, top[None])[0]) for s in antenna.sheets), default=math.inf)
        if math.isfinite(off) and off > 1e-3 * wire.radius:
            says = f"probe '{wire.name}' ends {off:.3g} m off the metal at {words_for(top)}"
            yield Finding("stop", wire.name, says, "move it under a sheet, or print metal there", as_place(top))
        if wire.jacket is not None:
            says = f"probe '{wire.name}' has a jacket, which is not taken into account in layers"
            yield Finding("stop", wire.name, says, "leave the jacket out")
    yield from _neighbours(antenna)


def _neighbours(antenna: Antenna) -> Iterator[Finding]:
    """Probes that overlap."""
    for i, one in enumerate(antenna.wires):
        for two in antenna.wires[i + 1 :]:
            apart = math.dist(one.corners[0][:2], two.corners[0][:2])
            if apart < one.radius + two.radius:
                says = f"probes '{one.name}' and '{two.name}' overlap at {words_for(one.corners[0])}"
                yield Finding("stop", two.name, says, "move one, or make them one", as_place(one.corners[0]))


def sized(antenna: Antenna, stack: Stack, frequency: float) -> Iterator[Finding]:
    """Findings at a frequency: layers too thick for a probe of one current."""
    if not antenna.wires:
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
        yield Finding(level, antenna.wires[0].name, says, "use thinner layers, or a gap in the metal as a port")


def meshed(antenna: Antenna, stack: Stack, longest: float) -> Iterator[Finding]:
    """Findings on a mesh with edges up to `longest`, m: how thin the layer under the metal is beside them."""
    thickness = stack.level
    if longest > _LONGEST * thickness:
        says = (
            f"the mesh is coarse beside its layers: edges of {longest:.3g} m over {thickness:.3g} m, "
            f"{longest / thickness:.0f} times as much"
        )
        remedy = f"raise sheets_per_wavelength until edges are below {_LONGEST * thickness:.3g} m"
        yield Finding("warn", antenna.name, says, remedy)
