"""Where strips turn and end, as parts of circuits, and a whole trace as a circuit of them.

Closed forms that were fitted to measured strips on one layer: they know nothing of what a corner radiates, nor of other
metal beside it. Where that matters a piece of metal is solved, freed of its ports by `line_fixture`, and is a block.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..errors import UsageError, needs
from ..media.stack import Stack
from ..network.assembly import Circuit, Placed
from ..network.components import EndPart, Passive, line, stub, two_by_two
from ..network.elements import open_circuit
from .strips import StripType, strip
from .surfaces import Surface
from .traces import Strip, turns_of

_PERMITTIVITIES = (2.0, 10.4)
_RIGHT = math.radians(1.0)


@dataclass(frozen=True, slots=True)
class CornerPart(Passive):
    """A right-angled corner between planes at its inner corner: two inductances, H, with a capacitance, F, between."""

    inductance: float
    capacitance: float
    ports: tuple[str, str] = ("one", "two")

    def scattering(self, frequencies: Floats, reference: float) -> Complexes:
        """Of the T of both."""
        omega = 2.0 * math.pi * frequencies
        arm, across = 1j * omega * self.inductance / reference, 1.0 / (1j * omega * self.capacitance * reference)
        # Even and odd halves of a symmetrical T.
        even, odd = arm + 2.0 * across, arm
        one, two = (even - 1.0) / (even + 1.0), (odd - 1.0) / (odd + 1.0)
        back, through = 0.5 * (one + two), 0.5 * (one - two)
        return two_by_two(back, through, back)


def _shape(kind: StripType, what: str, widths: tuple[float, float] = (0.2, 6.0)) -> tuple[float, float, float]:
    """Thickness of the board, mm, width over it, and permittivity; raises UsageError where the fits do not hold."""
    needs(kind, StripType, what, "a strip, as strip(board, width, frequency) makes it")
    assert kind.stack is not None
    if len(kind.stack.layers) != 1 or kind.stack.open_below:
        raise UsageError(f"{what}: the formulas are for one layer on a plane; solve a piece of metal instead")
    permittivity = kind.stack.layers[0].material.permittivity
    ratio = kind.width / kind.stack.thickness
    told = {"width over the board's thickness": (ratio, widths), "permittivity": (permittivity, _PERMITTIVITIES)}
    for name, (value, (low, high)) in told.items():
        if not low <= value <= high:
            raise UsageError(f"{what}: a {name} of {value:.3g} is outside {low} to {high}: solve the metal")
    return 1e3 * kind.stack.thickness, ratio, permittivity


def corner(kind: StripType, *, mitred: bool = True) -> CornerPart:
    """A right-angled corner of a strip, mitred or whole, between planes at its inner corner.

    Kirschning, Jansen and Koster (1983, IEEE MTT-S Digest, p. 495), fitted for permittivities of 2.36 to 10.4, strips
    0.2 to 6 times as wide as the board is thick, up to 12 GHz mm. Against solved metal (permittivity 2.2, w/h 3.3) the
    phase of a mitred one is off by 1 degree at 6 GHz mm, by 6 at 11, where it also radiates 8 percent. Raises
    UsageError outside.
    """
    h, w, er = _shape(kind, "corner")
    if mitred:
        picofarad = 1e-3 * h * ((3.93 * er + 0.62) * w**2 + (7.6 * er + 3.8) * w)
        nanohenry = 0.44 * h * (1.0 - 1.062 * math.exp(-0.177 * w**0.947))
    else:
        picofarad = 1e-3 * h * ((10.35 * er + 2.5) * w**2 + (2.6 * er + 5.64) * w)
        nanohenry = 0.22 * h * (1.0 - 1.35 * math.exp(-0.18 * w**1.39))
    return CornerPart(1e-9 * nanohenry, 1e-12 * picofarad)


def open_extension(kind: StripType) -> float:
    """How much longer than it is a strip seems where it ends open, metres.

    Kirschning, Jansen and Koster (1981, Electron. Lett. 17, p. 123), to 2.5 percent for w/h from 0.01 to 100. Raises
    UsageError for strips that are not on one layer.
    """
    h, w, er = _shape(kind, "open end", (0.01, 100.0))
    slow = (1.0 / kind.velocity) ** 2
    one = 0.434907 * (slow**0.81 + 0.26) / (slow**0.81 - 0.189) * (w**0.8544 + 0.236) / (w**0.8544 + 0.87)
    two = 1.0 + w**0.371 / (2.35 * er + 1.0)
    three = 1.0 + 0.5274 * math.atan(0.084 * w ** (1.9413 / two)) / slow**0.9236
    four = 1.0 + 0.037 * math.atan(0.067 * w**1.456) * (6.0 - 5.0 * math.exp(0.036 * (1.0 - er)))
    five = 1.0 - 0.218 * math.exp(-7.5 * w)
    return float(1e-3 * h * one * three * five / four)


def open_end(kind: StripType) -> EndPart:
    """The end of a strip as a part: the length that its field adds, open behind."""
    return stub(kind, open_extension(kind), open_circuit())


def trace_circuit(surface: Surface, stack: Stack, frequency: str | float) -> Circuit:
    """A trace as a circuit from port one, at its first point, to port two, at its last.

    Legs are strips, right-angled corners `corner`; bends are as long as their centre line, other turns and changes of
    width plain joints. stack: the board; frequency: about which. Raises UsageError for what is no trace, and as
    `corner` does.
    """
    needs(surface, Surface, "trace_circuit", "a trace, as shapes.trace makes it")
    shape = surface.shape
    if not isinstance(shape, Strip):
        raise UsageError(f"trace_circuit: a {surface.kind} is no trace")
    hertz = units.frequency(frequency)
    points, turns = np.array(shape.points), turns_of(np.array(shape.points))
    legs = np.linalg.norm(np.diff(points, axis=0), axis=1)
    kinds = {width: strip(stack, width, hertz) for width in set(shape.widths)}
    ends: list[tuple[str, object]] = []
    for n, (long, width) in enumerate(zip(legs.tolist(), shape.widths, strict=True)):
        kind = kinds[width]
        for turn in (abs(float(turns[m])) for m in (n - 1, n) if 0 <= m < len(turns)):
            if shape.radius > 0.0 and turn > 1e-9:
                long += shape.radius * (0.5 * turn - math.tan(0.5 * turn))
            elif abs(turn - 0.5 * math.pi) < _RIGHT:
                long -= 0.5 * width
        ends.append((f"leg {n + 1}", line(kind, max(long, 0.0))))
        here = abs(float(turns[n])) if n < len(turns) else 0.0
        if shape.radius == 0.0 and abs(here - 0.5 * math.pi) < _RIGHT:
            ends.append((f"corner {n + 1}", corner(kind, mitred=shape.mitre > 0.0)))
    nodes = ["one", *(f"n{n}" for n in range(1, len(ends))), "two"]
    placed = {name: Placed(part, nodes[n : n + 2]) for n, (name, part) in enumerate(ends)}  # type: ignore[arg-type]
    return Circuit(placed, ["one", "two"])
