"""Where strips turn and end, as parts of circuits, and a whole trace as a circuit of them.

Closed forms that were fitted to measured strips on one layer: they know nothing of what a corner radiates, nor of other
metal beside it. Where that matters a joint is solved instead (`solved_corner` and its like).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..errors import UsageError, needs
from ..media.stack import Stack
from ..network.assembly import Circuit, Placed
from ..network.components import EndPart, Part, Passive, line, stub, two_by_two
from ..network.elements import open_circuit
from .parts import Length
from .strips import StripType, strip
from .surfaces import Surface
from .traces import Strip, meander_points, trace, turns_of
from .traces import mitre as best_mitre

_PERMITTIVITIES = (2.0, 10.4)
_RIGHT = math.radians(1.0)
_SAME = 1e-9


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


def _published(kind: StripType, cut: float) -> CornerPart:
    return corner(kind, mitred=cut > 0.0)


def trace_circuit(
    surface: Surface,
    stack: Stack,
    frequency: str | float,
    *,
    corner_of: Callable[[StripType, float], Part] = _published,
    step_of: Callable[[StripType, StripType], Part] | None = None,
) -> Circuit:
    """A trace as a circuit from port one, at its first point, to port two, at its last.

    Legs are strips; bends are as long as their centre line, turns that are not right-angled plain joints. stack: the
    board; frequency: about which. corner_of: a right-angled corner between its inner corner's planes, of a strip and
    the share of its diagonal that is cut off; `corner` unless given. step_of: a change of width, of both strips; a
    plain joint unless given. Raises UsageError for what is no trace, and as `corner` does.
    """
    needs(surface, Surface, "trace_circuit", "a trace, as shapes.trace makes it")
    shape = surface.shape
    if not isinstance(shape, Strip):
        raise UsageError(f"trace_circuit: a {surface.kind} is no trace")
    hertz = units.frequency(frequency)
    kinds = {width: strip(stack, width, hertz) for width in set(shape.widths)}
    corners = _corners(shape)
    turned = {width: corner_of(kinds[width], shape.mitre) for width in {shape.widths[n] for n in corners}}
    changes = {pair for pair in pairwise(shape.widths) if step_of and pair[0] != pair[1]}
    stepped = {(one, two): step_of(kinds[one], kinds[two]) for one, two in changes} if step_of else {}
    ends: list[tuple[str, Part]] = []
    for n, (long, width) in enumerate(zip(_straight(shape), shape.widths, strict=True)):
        ends.append((f"leg {n + 1}", line(kinds[width], max(long, 0.0))))
        if n in corners:
            ends.append((f"corner {n + 1}", turned[width]))
        elif shape.widths[n : n + 2] in stepped:
            ends.append((f"step {n + 1}", stepped[shape.widths[n], shape.widths[n + 1]]))
    nodes = ["one", *(f"n{n}" for n in range(1, len(ends))), "two"]
    placed = {name: Placed(part, nodes[n : n + 2]) for n, (name, part) in enumerate(ends)}
    return Circuit(placed, ["one", "two"])


def _corners(shape: Strip) -> list[int]:
    """After which legs a trace has a right-angled corner."""
    turns = np.abs(turns_of(np.array(shape.points)))
    return [] if shape.radius else np.flatnonzero(np.abs(turns - 0.5 * math.pi) < _RIGHT).tolist()


def _straight(shape: Strip) -> list[float]:
    """How long legs are, metres: up to the inner sides of corners, and half of every bend with either leg."""
    points = np.array(shape.points)
    legs, turns = np.linalg.norm(np.diff(points, axis=0), axis=1), np.abs(turns_of(points))
    bent = np.zeros(len(turns))
    if shape.radius:
        bent = shape.radius * (0.5 * turns - np.tan(0.5 * turns))
    for n in _corners(shape):
        bent[n] = -0.5 * shape.widths[n]
    return (legs + np.append(bent, 0.0) + np.append(0.0, bent)).tolist()  # type: ignore[no-any-return]


def laid_out(
    kind: StripType,
    length: Length,
    points: Sequence[Sequence[Length]],
    *,
    leg: int = 1,
    room: Length | None = None,
    apart: Length | None = None,
    mitre: float | None = None,
    radius: Length = 0.0,
    corner_part: Part | None = None,
) -> Surface:
    """A strip line of a circuit as metal: the trace along a way that turns the phase as the line does.

    points: of the way's centre line, x, y, z. What it lacks hairpins on one leg make up, counted from 1, which go so
    far aside and have their arms so far apart. Right-angled corners are as long as `corner` says at the strip's own
    frequency, or as corner_part is there, such as `solved_corner`; arms are taken not to see one another. Against
    solved metal of eight corners at 8 GHz mm: off by 1 to 18 degrees by `corner`, by 1 by `solved_corner`; arms 2 mm
    apart on a board of 1.6 mm add 8. mitre: as the board wants it unless given; radius: of bends instead of corners.
    Raises UsageError for a way longer than the line, for hairpins that do not fit, and as `trace` and `corner` do.
    """
    needs(kind, StripType, "laid_out", "a strip, as strip(board, width, frequency) makes it")
    assert kind.stack is not None
    long, bend = units.length(length, "laid_out, length"), units.length(radius, "laid_out, radius")
    if mitre is None:
        mitre = 0.0 if bend else best_mitre(kind.width, kind.stack.level or kind.stack.thickness)
    way = list(points)
    plain = trace(way, kind.width, mitre=mitre, radius=bend)
    assert isinstance(plain.shape, Strip)
    corners = len(_corners(plain.shape))
    needed = not bend and (corners or room is not None)
    right = _corner_length(kind, corner_part or _published(kind, mitre)) if needed else 0.0
    there = sum(_straight(plain.shape)) + corners * right
    height = plain.origin[2]
    if int(kind.stack.level_at(np.array(abs(height)))) != kind.stack.metal_on:
        told, high = (units.engineering(float(z), "m") for z in (height, kind.stack.level))
        raise UsageError(
            f"laid_out: the way lies at z = {told}, the strip on its board at {high}: give its points that"
        )
    lacking = long - there
    if abs(lacking) <= _SAME * long:
        return plain
    if lacking < 0.0:
        raise UsageError(
            f"laid_out: the way is as long as {units.engineering(there, 'm')} of the strip, the line only "
            f"{units.engineering(long, 'm')}: bring its ends nearer to one another, or lengthen the line by a turn"
        )
    if room is None or apart is None:
        raise UsageError(
            f"laid_out: the way lacks {units.engineering(lacking, 'm')} of the line's {units.engineering(long, 'm')}: "
            "say how far aside hairpins may go (room) and how far apart their arms are (apart)"
        )
    if not 1 <= leg < len(way):
        raise UsageError(f"laid_out: there is no leg {leg} of {len(way) - 1}")
    # What one of a hairpin's four corners adds to the length of its centre line.
    turned = bend * (0.5 * math.pi - 2.0) if bend else right - kind.width
    aside = units.length(room, "laid_out, room")
    if aside <= max(-2.0 * turned, 0.0):
        raise UsageError(
            f"laid_out: hairpins {units.engineering(aside, 'm')} aside (room) make nothing longer, since corners cut "
            f"them short: give more than {units.engineering(max(-2.0 * turned, 0.0), 'm')}"
        )
    count = math.ceil(lacking / (2.0 * aside + 4.0 * turned) - 1e-9)
    way[leg - 1 : leg + 1] = meander_points(way[leg - 1], way[leg], lacking - 4 * count * turned, aside, apart)
    return trace(way, kind.width, mitre=mitre, radius=bend)


def _corner_length(kind: StripType, part: Part) -> float:
    """The length of strip, metres, that turns the phase as much as a corner between its planes."""
    if len(Placed(part, ()).part.ports) != 2:
        raise UsageError(f"laid_out, corner_part: ports {', '.join(part.ports)}: a corner has two")
    hertz = np.array([kind.centre])
    through = part.scattering(hertz, kind.characteristic(kind.centre))[0, 1, 0]
    return float(-np.angle(through) / kind.propagation(kind.centre).imag)
