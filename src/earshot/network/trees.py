"""Circuits composed for a wish: a tree of dividers with given shares, a multi-beam matrix of hybrids."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from .. import units
from ..constants import SPEED_OF_LIGHT
from ..errors import UsageError
from .assembly import Circuit, Placed
from .components import Part, characteristic, line, phase_shifter, plain_number
from .couplers import branch_line, coupler, divider, unequal_divider


def divider_tree(
    shares: Sequence[float], frequency: str | float | None = None, impedance: float | str = 50.0
) -> Circuit:
    """A corporate divider: from port in to out 1, out 2, ..., with powers in the ratio of `shares`, all in phase.

    Two-way dividers in a tree, ideal ones, or with a frequency of quarter waves (`unequal_divider`); a half wave of
    line stands where a branch has one divider less. Raises UsageError for fewer than two shares, and such that are not
    above zero.
    """
    if isinstance(shares, str) or not isinstance(shares, Sequence | np.ndarray) or len(shares) < 2:
        raise UsageError(f"divider tree: shares {shares!r} are not two powers or more")
    powers = [plain_number(share, "divider tree, shares") for share in np.asarray(shares, object).tolist()]
    if not all(math.isfinite(p) and p > 0.0 for p in powers):
        raise UsageError(f"divider tree: shares {list(powers)} are not all above zero")
    ohms = characteristic(impedance, "divider tree")
    depth = math.ceil(math.log2(len(powers)))
    half = 0.0 if frequency is None else 0.5 * SPEED_OF_LIGHT / units.frequency(frequency)
    parts: dict[str, Placed] = {}

    def grow(node: str, first: int, last: int, left: int) -> None:
        """Divide what comes in at a node among outputs first to last, with so many dividers left on the way."""
        if last - first == 1:
            parts[f"line {first + 1}"] = Placed(line(ohms, left * half), (node, f"out {first + 1}"))
            return
        middle = first + (last - first + 1) // 2
        one, two = sum(powers[first:middle]), sum(powers[middle:last])
        made: Part = divider([one, two], impedance=ohms)
        if frequency is not None:
            made = unequal_divider(frequency, two / one, ohms)
        name = f"divider {first + 1} to {last}"
        ends = [f"{name}, {side}" for side in ("first", "second")]
        parts[name] = Placed(made, (node, *ends))
        grow(ends[0], first, middle, left - 1)
        grow(ends[1], middle, last, left - 1)

    grow("in", 0, len(powers), depth)
    return Circuit(parts, ("in", *(f"out {n + 1}" for n in range(len(powers)))))


def hybrid_matrix(elements: int, frequency: str | float | None = None, impedance: float | str = 50.0) -> Circuit:
    """A multi-beam matrix of quadrature hybrids and fixed delays: inputs beam 1 ..., outputs element 1 ....

    As `beam_matrix`, beam k of n makes neighbours differ by (2k - 1 - n) 180°/n (Butler and Lowe 1961; Moody 1964,
    IEEE Trans. AP 12, p. 786). Of ideal parts, or with a frequency of branch lines and lengths of line. Raises
    UsageError for numbers that are not 2, 4, 8, ....
    """
    count = units.count(elements, "hybrid matrix, elements", 2, 256)
    if count & (count - 1):
        raise UsageError(f"hybrid matrix: {count} elements; it takes 2, 4, 8, ... of them")
    ohms = characteristic(impedance, "hybrid matrix")
    parts: dict[str, Placed] = {}

    def delay(degrees: float) -> Part:
        if frequency is None:
            return phase_shifter(degrees, impedance=ohms)
        return line(ohms, degrees / 360.0 * SPEED_OF_LIGHT / units.frequency(frequency))

    def grow(beams: list[str], outputs: list[str], name: str) -> None:
        """From inputs, in the order of the phase steps they make, to outputs in order."""
        n, half = len(outputs), len(outputs) // 2
        if n == 1:
            parts[f"{name}through"] = Placed(line(ohms, 0.0), (beams[0], outputs[0]))
            return
        for m in range(half):
            hybrid = coupler(impedance=ohms) if frequency is None else branch_line(frequency, impedance=ohms)
            nodes = (f"{name}a{m}", outputs[m], outputs[m + half], f"{name}b{m}")
            parts[f"{name}hybrid {m + 1}"] = Placed(hybrid, nodes)
        # Beam k: element m + n/2 is exp(j (2k - 1 - n) 90°) times element m: -j through one arm of a hybrid, j through
        # the other; and between those of half a matrix lies a step of 180°/n, up or down.
        later = [b for k, b in enumerate(beams, 1) if (2 * k - 1 - n) % 4 == 3]
        sooner = [b for k, b in enumerate(beams, 1) if (2 * k - 1 - n) % 4 == 1]
        for side, some, up in (("a", later, True), ("b", sooner, False)):
            inner = [f"{name}{side}{m}'" for m in range(half)]
            grow(some, inner, f"{name}{side}")
            for m in range(half):
                steps = half - 1 - m if up else m
                parts[f"{name}delay {side}{m + 1}"] = Placed(delay(steps * 180.0 / n), (inner[m], f"{name}{side}{m}"))

    names = [f"beam {k}" for k in range(1, count + 1)], [f"element {k}" for k in range(1, count + 1)]
    grow(names[0], names[1], "")
    return Circuit(parts, (*names[0], *names[1]))
