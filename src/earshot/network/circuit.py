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
from numpy.typing import NDArray

from ..errors import RunError
from .elements import Impedance, LineType

Complexes = NDArray[np.complex128]


@dataclass(frozen=True, slots=True)
class LineEnd:
    """A line from one node to another: nodes past the gaps are far ends of stubs."""

    one: int
    two: int
    kind: LineType
    length: float
    crossed: bool


@dataclass(frozen=True, slots=True)
class Circuit:
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

    def _equations(self, admittance: Complexes, frequency: float) -> tuple[Complexes, Complexes]:
        """Rows (free nodes + line equations, nodes + line ends) that are zero; weights of a current at each node."""
        nodes, ends = self.ports + len(self.closings), 2 * len(self.lines)
        drawn = np.zeros((nodes, nodes + ends), complex)
        drawn[: self.gaps, : self.gaps] = admittance
        for i, line in enumerate(self.lines):
            drawn[line.one, nodes + 2 * i] += 1.0
            drawn[line.two, nodes + 2 * i + 1] += 1.0
        rows = np.zeros((len(self.closings) + ends, nodes + ends), complex)
        weights = np.ones(len(self.closings), complex)
        for n, closing in enumerate(self.closings):
            ohms = complex(math.inf) if closing is None else closing.at(frequency)
            rows[n] = drawn[self.ports + n]
            if cmath.isfinite(ohms):
                weights[n] = ohms
                rows[n] *= ohms
                rows[n, self.ports + n] += 1.0
        for i, line in enumerate(self.lines):
            self._line_rows(rows[len(self.closings) + 2 * i :], nodes + 2 * i, line, frequency)
        return rows, weights

    def spread(self, admittance: Complexes, frequency: float) -> Complexes:
        """All nodes' voltages and all line ends' currents (nodes + 2 lines, ports) for 1 V at one port, others shorted.

        admittance (gaps, gaps): the antenna's, siemens; frequency in Hz.
        """
        rows, _ = self._equations(admittance, frequency)
        found = np.zeros((rows.shape[1], self.ports), complex)
        found[: self.ports] = np.eye(self.ports)
        if len(rows):
            found[self.ports :] = _solve(rows[:, self.ports :], -rows[:, : self.ports], frequency)
        return found

    def excited(self, admittance: Complexes, frequency: float, currents: Complexes) -> Complexes:
        """The same unknowns when the antenna itself drives `currents` (gaps,) through its shorted gaps, as a wave does.

        Only for a circuit without ports: every gap is closed by something.
        """
        rows, weights = self._equations(admittance, frequency)
        source = np.zeros(len(rows), complex)
        source[: self.gaps] = -weights[: self.gaps] * currents
        return _solve(rows, source, frequency)

    def _line_rows(self, rows: Complexes, current: int, line: LineEnd, frequency: float) -> None:
        """V_b - Z J_b = e^{-γl}(V_a + Z J_a) and the same from b to a: what arrives is what was sent, however lossy."""
        passed, ohms = cmath.exp(-line.kind.propagation(frequency) * line.length), line.kind.impedance
        sign = -1.0 if line.crossed else 1.0
        one, two = (line.one, current, 1.0), (line.two, current + 1, sign)
        for row, (sender, receiver) in zip(rows, ((one, two), (two, one)), strict=False):
            for (voltage, flow, turn), wave, share in ((receiver, -ohms, 1.0), (sender, ohms, -passed)):
                row[voltage] += turn * share
                row[flow] += turn * share * wave

    def drawn(self, admittance: Complexes, nodes: Complexes) -> Complexes:
        """Current at every gap (gaps, ...) into the antenna and the lines there, from all unknowns."""
        first = self.ports + len(self.closings)
        total = admittance @ nodes[: self.gaps]
        for i, line in enumerate(self.lines):
            for end, node in enumerate((line.one, line.two)):
                if node < self.gaps:
                    total[node] = total[node] + nodes[first + 2 * i + end]
        return np.asarray(total)

    def closed(self, admittance: Complexes, spread: Complexes) -> Complexes:
        """Admittance between the ports alone (ports, ports), siemens, from the antenna's and its spread."""
        return self.drawn(admittance, spread)[: self.ports]


def _solve(rows: Complexes, right: Complexes, frequency: float) -> Complexes:
    try:
        return np.asarray(np.linalg.solve(rows, right))
    except np.linalg.LinAlgError:
        raise RunError(
            f"at {frequency / 1e6:g} MHz the lines, stubs or loads put a short across a port, or join two ports with "
            "nothing between: change a length or an impedance a little"
        ) from None
