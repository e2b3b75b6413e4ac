"""Where wires through layers are divided, if they are long beside the wavelength in them: all at the same heights."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Floats
from ..description.antenna import Antenna
from ..description.parts import Wire
from ..media.stack import Stack
from .grading import graded_cuts

if TYPE_CHECKING:
    from .mesh import MeshRule

_LONG, _LONG_ON = 0.25, 0.05
"""Radians: what is longer is divided; the latter of wires that go on over the layers."""
_TURN, _USUAL = 0.2, 80.0
"""How long pieces are at most, rad, where there are so many segments per wavelength elsewhere."""
_COARSER = 2.0
"""How much faster pieces grow than segments elsewhere: every height costs tables."""


def pin_heights(antenna: Antenna, wavelength: float, rule: MeshRule) -> dict[str, list[float]]:
    """Heights at which wires are divided in layers, m, by name, for wavelengths down to one in metres."""
    found = {}
    sides = antenna.medium.sides or ([antenna.medium.stack] if antenna.medium.stack else [])
    for stack, sense in zip(sides, (1.0, -1.0), strict=False):
        long = {wire.name: span for wire, span in _long(antenna, stack, sense, wavelength)}
        if not long:
            continue
        ends = [z for span in long.values() for z in span]
        heights = _cuts(stack, ends, _gaps(antenna, long, sense, rule), wavelength, rule)
        close = 1e-6 * stack.thickness
        for name, (low, high) in long.items():
            inside = heights[(heights > low + close) & (heights < min(high, stack.thickness) - close)]
            found[name] = (sense * inside).tolist()
    return found


def _long(
    antenna: Antenna, stack: Stack, sense: float, wavelength: float
) -> Iterator[tuple[Wire, tuple[float, float]]]:
    """Wires that are long in the layers, each with its lowest and highest place counted from the plane."""
    for wire in antenna.wires:
        heights = sense * wire.corners[:, 2]
        low, high = max(float(heights.min()), 0.0), float(heights.max())
        phase = math.fsum(
            turn * max(min(top, high) - max(bottom, low), 0.0)
            for bottom, top, turn in zip(stack.faces, stack.faces[1:], _turns(stack, wavelength), strict=False)
        )
        goes_on = high > stack.thickness * (1.0 - 1e-6) and not antenna.standing(wire)[int(np.argmax(heights))]
        if phase > (_LONG_ON if goes_on else _LONG):
            yield wire, (low, high)


def _turns(stack: Stack, wavelength: float) -> list[float]:
    """Of every layer its wavenumber, rad/m."""
    matter = [layer.material for layer in stack.layers]
    return [2.0 * math.pi * math.sqrt(x.permittivity * x.permeability) / wavelength for x in matter]


def _gaps(antenna: Antenna, long: dict[str, tuple[float, float]], sense: float, rule: MeshRule) -> dict[float, float]:
    """Middles of gaps on long wires, or the feet they are at, by height; and how long pieces are wanted there."""
    found: dict[float, float] = {}
    for gap in antenna.gaps:
        if gap.across is not None or gap.on not in long:
            continue
        wire = antenna.wire(gap.on)
        first, last = gap.span(wire, antenna.grounded(wire))
        at_foot = first == 0.0 or last == wire.length
        middle = 0.5 * (first + last) if not at_foot else 0.0 if first == 0.0 else wire.length
        height = sense * float(wire.at(middle)[2])
        if last > first:
            wanted = (2.0 if at_foot else 1.0) * (last - first) / rule.port_share
            found[height] = min(wanted, found.get(height, math.inf))
    return found


def _apart(heights: list[float], close: float) -> list[float]:
    """Heights, rising, of those that are close the first."""
    found = heights[:1]
    for height in heights[1:]:
        if height > found[-1] + close:
            found.append(height)
    return found


def _cuts(
    stack: Stack, ends: list[float], gaps: dict[float, float], wavelength: float, rule: MeshRule
) -> Floats:  # fmt: skip
    """All heights, where matter changes and wires end among them: fine at gaps, two pieces at least between these."""
    changes = [z for z, one, two in zip(stack.faces[1:], stack.layers, stack.layers[1:], strict=False)
               if one.material != two.material]  # fmt: skip
    inside = [z for z in (*changes, *ends) if 0.0 < z < stack.thickness]
    breaks = _apart([0.0, *sorted(inside), stack.thickness], 1e-6 * stack.thickness)
    for z, wanted in gaps.items():
        # What is beside a break is fine there already.
        if min(abs(z - x) for x in breaks) > wanted:
            breaks = sorted([*breaks, z])
    growth = _COARSER * (rule.growth or math.inf)
    ends = [min([w + growth * abs(z - place) if z != place else w for place, w in gaps.items()] or [math.inf])
            for z in breaks]  # fmt: skip
    found = [0.0]
    turns = _turns(stack, wavelength)
    for (low, high), (near, far) in zip(itertools.pairwise(breaks), itertools.pairwise(ends), strict=True):
        turn = turns[int(np.searchsorted(stack.faces, 0.5 * (low + high))) - 1]
        most = _TURN * _USUAL / (rule.per_wavelength * turn)
        if rule.growth is None:
            cuts = np.linspace(0.0, high - low, math.ceil((high - low) / most) + 1)
        else:
            cuts = graded_cuts(high - low, min(near, most), min(far, most), most, growth)
        found += (low + (cuts if len(cuts) > 2 else (high - low) * np.array([0.0, 0.5, 1.0]))[1:]).tolist()
    return np.array(found)
