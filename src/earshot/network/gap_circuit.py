"""What is connected to the gaps of an antenna besides its ports: loads, lines, stubs.

A solve gives the admittance between all gaps: ports, loads and bare terminals. Here the gaps that are not ports are
closed by what stands in them, by nodal equations that hold for lines of any length: with V the gap voltages, J the
currents into the lines' ends and i = Y V + J the current drawn at each gap,

    load:      V + Z i = 0 (open, or a bare terminal: i = 0),
    line:      V_b - Z J_b = e^{-γl}(V_a + Z J_a),   V_a - Z J_a = e^{-γl}(V_b + Z J_b),

the waves along it (Pozar 2012, sec. 2.3), with both quantities at b reversed when the line is crossed.
"""

from __future__ import annotations

import cmath
import math
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes, Floats
from ..errors import RunError
from .elements import Impedance, LineType


@dataclass(frozen=True, slots=True)
class LineEnd:
    """A line from one node to another: nodes past the gaps are far ends of stubs."""

    one: int
    two: int
    kind: LineType
    length: float
    crossed: bool


@dataclass(frozen=True, slots=True, eq=False)
class Parts:
    """A circuit's parts at frequencies (n,), Hz: ohms (n, closings), infinite for open; e^{-γl} of lines (n, lines)."""

    frequencies: Floats
    ohms: Complexes
    passed: Complexes


@dataclass(frozen=True, slots=True)
class GapCircuit:
    """Everything but the antenna: `ports` first nodes are ports, then the other gaps, then far ends of stubs.

    closings: the impedance at every node that is not a port, None where nothing is (a bare terminal).
    """

    ports: int
    gaps: int
    closings: tuple[Impedance | None, ...]
    lines: tuple[LineEnd, ...]

    @property
    def trivial(self) -> bool:
        """Whether there is nothing but ports."""
        return not self.closings and not self.lines

    def at(self, frequencies: Floats) -> Parts:
        """What its parts are at frequencies (n,), Hz."""
        ohms = [[complex(math.inf) if z is None else z.at(f) for z in self.closings] for f in frequencies.tolist()]
        passed = [[cmath.exp(-x.kind.propagation(f) * x.length) for x in self.lines] for f in frequencies.tolist()]
        shape = len(frequencies)
        return Parts(
            frequencies, np.array(ohms, complex).reshape(shape, -1), np.array(passed, complex).reshape(shape, -1)
        )

    def _equations(self, admittance: Complexes, parts: Parts) -> tuple[Complexes, Complexes]:
        """Rows (n, free nodes + line equations, nodes + line ends) that are zero; weights (n, free nodes) of a current
        at each node. admittance (n, gaps, gaps).
        """  # fmt: skip
        nodes, ends = self.ports + len(self.closings), 2 * len(self.lines)
        count = len(admittance)
        drawn = np.zeros((count, nodes, nodes + ends), complex)
        drawn[:, : self.gaps, : self.gaps] = admittance
        for i, line in enumerate(self.lines):
            drawn[:, line.one, nodes + 2 * i] += 1.0
            drawn[:, line.two, nodes + 2 * i + 1] += 1.0
        rows = np.zeros((count, len(self.closings) + ends, nodes + ends), complex)
        closed = np.isfinite(parts.ohms)
        weights = np.where(closed, parts.ohms, 1.0)
        for n in range(len(self.closings)):
            rows[:, n] = drawn[:, self.ports + n] * weights[:, n, None]
            rows[:, n, self.ports + n] += closed[:, n]
        for i, line in enumerate(self.lines):
            self._line_rows(rows[:, len(self.closings) + 2 * i :], nodes + 2 * i, line, parts.passed[:, i])
        return rows, weights

    def spread_over(self, admittance: Complexes, parts: Parts) -> Complexes:
        """All nodes' voltages and all line ends' currents (n, nodes + 2 lines, ports) for 1 V at one port, the others
        shorted, at every frequency of `at`. admittance (n, gaps, gaps): the antenna's, siemens.
        """  # fmt: skip
        rows, _ = self._equations(admittance, parts)
        found = np.zeros((len(rows), rows.shape[2], self.ports), complex)
        found[:, : self.ports] = np.eye(self.ports)
        if rows.shape[1]:
            found[:, self.ports :] = _solve(rows[:, :, self.ports :], -rows[:, :, : self.ports], parts.frequencies)
        return found

    def spread(self, admittance: Complexes, frequency: float) -> Complexes:
        """The same (nodes + 2 lines, ports) at one frequency, Hz, from the admittance (gaps, gaps) there."""
        return np.asarray(self.spread_over(admittance[None], self.at(np.array([frequency])))[0])

    def excited(self, admittance: Complexes, frequency: float, currents: Complexes) -> Complexes:
        """The same unknowns when the antenna itself drives `currents` (gaps,) through its shorted gaps, as a wave does.

        Only for a circuit without ports: every gap is closed by something.
        """
        parts = self.at(np.array([frequency]))
        rows, weights = self._equations(admittance[None], parts)
        source = np.zeros((1, rows.shape[1], 1), complex)
        source[0, : self.gaps, 0] = -weights[0, : self.gaps] * currents
        return np.asarray(_solve(rows, source, parts.frequencies)[0, :, 0])

    def _line_rows(self, rows: Complexes, current: int, line: LineEnd, passed: Complexes) -> None:
        """V_b - Z J_b = e^{-γl}(V_a + Z J_a) and the same from b to a: what arrives is what was sent, however lossy."""
        ohms, sign = line.kind.impedance, -1.0 if line.crossed else 1.0
        one, two = (line.one, current, 1.0), (line.two, current + 1, sign)
        for i, (sender, receiver) in enumerate(((one, two), (two, one))):
            for (voltage, flow, turn), wave, share in ((receiver, -ohms, 1.0), (sender, ohms, -passed)):
                rows[:, i, voltage] += turn * share
                rows[:, i, flow] += turn * share * wave

    def drawn(self, admittance: Complexes, nodes: Complexes) -> Complexes:
        """Current at every gap (..., gaps, m) into the antenna and the lines there, from all unknowns (..., all, m)."""
        first = self.ports + len(self.closings)
        total = admittance @ nodes[..., : self.gaps, :]
        for i, line in enumerate(self.lines):
            for end, node in enumerate((line.one, line.two)):
                if node < self.gaps:
                    total[..., node, :] += nodes[..., first + 2 * i + end, :]
        return np.asarray(total)

    def closed(self, admittance: Complexes, spread: Complexes) -> Complexes:
        """Admittance between the ports alone (..., ports, ports), siemens, from the antenna's and its spread."""
        return self.drawn(admittance, spread)[..., : self.ports, :]


def _solve(rows: Complexes, right: Complexes, frequencies: Floats) -> Complexes:
    try:
        return np.asarray(np.linalg.solve(rows, right))
    except np.linalg.LinAlgError:
        singular = [np.linalg.matrix_rank(r) < len(r) for r in rows]
        hertz = frequencies[singular.index(True)] if any(singular) else frequencies[0]
        raise RunError(
            f"at {hertz / 1e6:g} MHz the lines, stubs or loads put a short across a port, or join two ports with "
            "nothing between: change a length or an impedance a little"
        ) from None
