"""Where strips end, turn, change and meet, as solved metal: parts of circuits that radiate and disperse as they do.

A joint is solved with a length of every strip and a pin at its far end; `at_lines` takes both off again. So it holds
what the closed forms of `strip_parts` leave out, on boards of several layers too. What pins radiate is left in: some
0.01 in S on boards that are 10 GHz mm thick, less on thinner ones.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..arraytypes import Floats
from ..description.antenna import Antenna
from ..description.parts import Port, Wire
from ..description.sheets import Sheet
from ..description.strip_parts import trace_circuit
from ..description.strips import StripType
from ..description.surfaces import Surface
from ..description.traces import mitre as best_mitre
from ..description.traces import trace
from ..errors import UsageError, needs
from ..media.stack import Stack
from ..network.assembly import Circuit
from ..network.components import BlockPart, block
from ..network.network import admittance_of
from .frequencies import Frequencies, wanted

_CLEAR = 0.3
"""Of every strip, in its waves, what is clear of its pin and of the joint."""
_SAMPLES = 6
"""Frequencies of a band at which a joint is solved."""
_RIGHT, _BACK, _UP = np.array([[1.0, 0.0], [-1.0, 0.0], [0.0, 1.0]])


@dataclass(frozen=True, eq=False)
class _Arm:
    """A strip that leaves a joint: the port at its far end, its kind, from where (2,), which way (2,).

    lowest: frequency, Hz, that it is long enough for.
    """

    port: str
    kind: StripType
    start: Floats
    along: Floats
    lowest: float

    @property
    def length(self) -> float:
        """So long that its waves can be told apart at the lowest frequency."""
        assert self.kind.stack is not None
        wave = 2.0 * np.pi / self.kind.propagation(self.lowest).imag
        return float(_CLEAR * wave + 2.0 * max(self.kind.width, self.kind.stack.level))

    @property
    def end(self) -> Floats:
        """Where it ends (2,)."""
        return self.start + self.length * self.along

    def pin(self, level: float) -> Wire:
        """At its end, from the plane to the metal."""
        radius = min(self.kind.width, level) / 8.0
        x, y = (self.end - 2.0 * radius * self.along).tolist()
        return Wire(self.port, [(x, y, 0.0), (x, y, level)], radius=radius)


def _part(what: str, metal: dict[str, Surface], arms: Sequence[_Arm], frequencies: Frequencies) -> BlockPart:
    """Solved, with planes where arms start."""
    from scipy.interpolate import BarycentricInterpolator

    from .line_ports import at_lines
    from .solve import solve

    stack = arms[0].kind.stack
    assert stack is not None
    pins = [arm.pin(stack.level) for arm in arms]
    ports = [Port(arm.port, pin.name, at=0) for arm, pin in zip(arms, pins, strict=True)]
    sheets = [Sheet(name, surface) for name, surface in metal.items()]
    every = wanted(frequencies).every
    few = len(every) <= _SAMPLES
    samples = every if few else _nodes(float(every[0]), float(every[-1]))
    solution = solve(Antenna(what, pins, ports, stack, sheets=sheets), samples.tolist(), errors=False)
    seen = at_lines(solution, {arm.port: arm.length for arm in arms}).network
    matrices = np.asarray(seen.s().values, np.complex128)
    if not few:
        # Without arms a joint changes slowly: a polynomial tells all between.
        matrices = BarycentricInterpolator(samples, matrices)(every)
    return block(replace(seen, frequencies=every, admittance=admittance_of(matrices, seen.references)))


def _nodes(low: float, high: float) -> Floats:
    """Of Chebyshev's second kind."""
    return np.asarray(0.5 * (low + high) - 0.5 * (high - low) * np.cos(np.linspace(0.0, np.pi, _SAMPLES)))


def _board(what: str, *kinds: StripType) -> Stack:
    """The one board of all strips; raises UsageError for strips of unlike ones, and for one without a plane."""
    for kind in kinds:
        needs(kind, StripType, what, "a strip, as strip(board, width, frequency) makes it")
    stack = kinds[0].stack
    assert stack is not None
    if any(kind.stack != stack for kind in kinds):
        raise UsageError(f"{what}: its strips are on unlike boards: make them all of one")
    if not stack.has_plane:
        raise UsageError(f"{what}: the board has no plane that its pins could stand on: give it one")
    return stack


def _lowest(frequencies: Frequencies) -> float:
    return float(wanted(frequencies).every[0])


def _laid(stack: Stack, points: Sequence[Floats], width: float | Sequence[float], cut: float = 0.0) -> Surface:
    return trace([(*p.tolist(), stack.level) for p in points], width, mitre=cut)


def solved_end(kind: StripType, frequencies: Frequencies) -> BlockPart:
    """The open end of a strip as solved metal: one port, `one`, with its plane where the metal ends.

    frequencies: as `solve` takes them; of more than six from the lowest to the highest six are solved, and a polynomial
    goes through them. Raises UsageError for what is no strip and a board without a plane, and as `solve` and `at_lines`
    do.
    """
    stack = _board("solved end", kind)
    arm = _Arm("one", kind, np.zeros(2), _RIGHT, _lowest(frequencies))
    return _part("open end", {"strip": _laid(stack, [arm.end, arm.start], kind.width)}, [arm], frequencies)


def solved_corner(kind: StripType, frequencies: Frequencies, *, mitre: float | None = None) -> BlockPart:
    """A right-angled corner of a strip as solved metal: ports one and two, with planes at its inner corner.

    mitre: how much of its diagonal is cut off, as the board wants it unless given; 0 leaves it whole. frequencies and
    errors as `solved_end`.
    """
    stack = _board("solved corner", kind)
    cut = best_mitre(kind.width, stack.level) if mitre is None else mitre
    half, lowest = 0.5 * kind.width, _lowest(frequencies)
    arms = [_Arm("one", kind, half * _BACK, _BACK, lowest), _Arm("two", kind, half * _UP, _UP, lowest)]
    metal = {"strip": _laid(stack, [arms[0].end, np.zeros(2), arms[1].end], kind.width, cut)}
    return _part("corner", metal, arms, frequencies)


def solved_step(one: StripType, two: StripType, frequencies: Frequencies) -> BlockPart:
    """A strip that changes its width as solved metal: ports one and two, both with their planes at the change.

    frequencies and errors as `solved_end`.
    """
    stack = _board("solved step", one, two)
    lowest = _lowest(frequencies)
    arms = [_Arm("one", one, np.zeros(2), _BACK, lowest), _Arm("two", two, np.zeros(2), _RIGHT, lowest)]
    metal = {"strip": _laid(stack, [arms[0].end, np.zeros(2), arms[1].end], [one.width, two.width])}
    return _part("step", metal, arms, frequencies)


def solved_tee(through: StripType, branch: StripType, frequencies: Frequencies) -> BlockPart:
    """A strip that leaves another at a right angle as solved metal: ports 1 and 2 of the one, 3 of the branch.

    Planes are at the sides of the other strip: 1 and 2 half the branch's width off its centre line, 3 at the rim of the
    through one. frequencies and errors as `solved_end`.
    """
    stack = _board("solved tee", through, branch)
    aside, up, lowest = 0.5 * branch.width, 0.5 * through.width, _lowest(frequencies)
    arms = [
        _Arm("1", through, aside * _BACK, _BACK, lowest),
        _Arm("2", through, aside * _RIGHT, _RIGHT, lowest),
        _Arm("3", branch, up * _UP, _UP, lowest),
    ]
    row = [arms[0].end, aside * _BACK, aside * _RIGHT, arms[1].end]
    metal = {
        "through": _laid(stack, row, through.width),
        "branch": _laid(stack, [arms[2].end, arms[2].start], branch.width),
    }
    return _part("tee", metal, arms, frequencies)


def solved_trace(surface: Surface, stack: Stack, frequencies: Frequencies) -> Circuit:
    """A trace as a circuit, as `trace_circuit` makes it, its right-angled corners and steps being solved metal.

    Like ones are solved once. frequencies and errors as `solved_end`, and as `trace_circuit`.
    """
    needs(surface, Surface, "solved_trace", "a trace, as shapes.trace makes it")
    needs(stack, Stack, "solved_trace", "a board: a Stack, or substrate(...)")
    every = wanted(frequencies).every
    hertz = float(every[len(every) // 2])
    return trace_circuit(
        surface,
        stack,
        hertz,
        corner_of=lambda kind, cut: solved_corner(kind, frequencies, mitre=cut),
        step_of=lambda one, two: solved_step(one, two, frequencies),
    )
