"""The circuit round an antenna: from its parts to nodes, and the power that each part takes."""

from __future__ import annotations

import cmath
from collections.abc import Iterator

from ..arraytypes import Complexes, Floats
from ..description.antenna import Antenna
from ..description.circuit_parts import Line
from ..network.elements import Impedance
from ..network.gap_circuit import GapCircuit, LineEnd, Parts


def circuit_of(antenna: Antenna) -> GapCircuit:
    """Nodes in the order of the antenna's gaps, ports first, then the far ends of stubs."""
    place = {gap.name: i for i, gap in enumerate(antenna.gaps)}
    closings: list[Impedance | None] = [load.impedance for load in antenna.loads]
    closings += [None] * len(antenna.terminals)
    lines = []
    for line in antenna.lines:
        if isinstance(line, Line):
            lines.append(LineEnd(place[line.one], place[line.two], line.kind, line.length, line.crossed))
        else:
            lines.append(LineEnd(place[line.one], len(antenna.ports) + len(closings), line.kind, line.length, False))
            closings.append(line.end)
    return GapCircuit(len(antenna.ports), len(antenna.gaps), tuple(closings), tuple(lines))


def closed_admittance(
    circuit: GapCircuit, frequencies: Floats, admittance: Complexes, parts: Parts | None = None
) -> Complexes:
    """Port admittances (n, ports, ports) from those between all gaps (n, gaps, gaps). parts: of the circuit there."""
    if circuit.trivial:
        return admittance
    return circuit.closed(admittance, circuit.spread_over(admittance, parts or circuit.at(frequencies)))


def absorbed(antenna: Antenna, circuit: GapCircuit, frequency: float, nodes: Complexes) -> Iterator[tuple[str, float]]:
    """Power taken by every load, line and stub, W; nodes: voltages, then currents into line ends, of `GapCircuit`."""
    for n, load in enumerate(antenna.loads):
        ohms, voltage = load.impedance.at(frequency), nodes[circuit.ports + n]
        live = cmath.isfinite(ohms) and abs(ohms) > 0.0
        yield load.what, 0.5 * abs(voltage) ** 2 * (1.0 / ohms).real if live else 0.0
    first = circuit.ports + len(circuit.closings)
    for i, (part, line) in enumerate(zip(antenna.lines, circuit.lines, strict=True)):
        voltages, currents = nodes[[line.one, line.two]], nodes[first + 2 * i : first + 2 * i + 2]
        yield f"{type(part).__name__.lower()} '{part.name}'", _into_line(voltages, currents, isinstance(part, Line))


def _into_line(voltages: Complexes, currents: Complexes, both_ends: bool) -> float:
    powers = 0.5 * (voltages * currents.conj()).real
    # What goes into a stub stays there, in the line or in what closes it.
    return float(powers.sum() if both_ends else powers[0])
