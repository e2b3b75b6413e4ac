"""A solution: solve once, then ask anything."""

from __future__ import annotations

import logging
import math
import time
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from .. import units
from ..constants import SPEED_OF_LIGHT
from ..errors import ModelError, UsageError, unknown
from ..fields.currents import WireCurrents
from ..fields.far import FarField
from ..geometry.antenna import Antenna
from ..geometry.design import Design
from ..geometry.mesh import MeshRule, WireMesh, mesh
from ..moments.basis import WireBasis, wire_basis
from ..moments.response import Response, respond, response
from ..network.network import Network
from ..network.sources import Source, driven_ports, watts
from .frequencies import Frequencies, in_hertz

if TYPE_CHECKING:
    import pandas as pd

_log = logging.getLogger("earshot")


@dataclass(frozen=True, eq=False)
class Driven:
    """A solution with its ports driven one way, at one frequency.

    voltages, currents (ports,): peak, at the ports. sources: as given; ports not named in them are closed by their
    references.
    """

    antenna: Antenna
    wire_currents: WireCurrents
    voltages: NDArray[np.complex128]
    currents: NDArray[np.complex128]

    @property
    def frequency(self) -> float:
        """Frequency, Hz."""
        return self.wire_currents.frequency

    @property
    def accepted(self) -> float:
        """Power into all ports together, W; ports closed by their references count with what they take out."""
        return float(0.5 * (self.voltages @ self.currents.conj()).real)

    @property
    def incident(self) -> float:
        """Power of the waves sent towards the ports by lines of their references, W (Pozar 2012, eq. 4.40)."""
        references = np.array([p.reference for p in self.antenna.ports])
        return float((np.abs(self.voltages + references * self.currents) ** 2 / (8.0 * references)).sum())

    def far_field(self) -> FarField:
        """The far field; raises UsageError when no power goes in."""
        if not self.accepted > 0.0:
            raise UsageError(
                f"antenna '{self.antenna.name}' accepts {self.accepted:g} W as driven; gain needs a drive above zero"
            )
        return FarField(self.wire_currents, self.accepted, self.incident, self.antenna.name)

    def ports_table(self) -> pd.DataFrame:
        """Per port: voltage and current (peak), active impedance (ohm) and power accepted (W)."""
        import pandas as pd

        live = np.abs(self.currents) > 0.0
        impedance = np.full(len(live), complex(math.inf))
        impedance[live] = self.voltages[live] / self.currents[live]
        return pd.DataFrame(
            {
                "voltage_V": self.voltages,
                "current_A": self.currents,
                "active_impedance_ohm": impedance,
                "power_W": 0.5 * (self.voltages * self.currents.conj()).real,
            },
            index=pd.Index([p.name for p in self.antenna.ports], name="port"),
        )

    def currents_table(self) -> pd.DataFrame:
        """Current along every wire: wire, distance along it (m), place (m), current (A, peak), one row per node."""
        import pandas as pd

        frames = []
        grid = self.wire_currents.mesh
        for index, wire in enumerate(self.antenna.wires):
            segments = np.flatnonzero(grid.wire == index)
            last = segments[-1]
            nodes = np.append(grid.ends[segments, 0], grid.ends[last, 1])
            current = np.append(self.wire_currents.ends[segments, 0], self.wire_currents.ends[last, 1])
            places = grid.nodes[nodes]
            frames.append(
                pd.DataFrame(
                    {
                        "wire": wire.name,
                        "along_m": np.append(grid.arc[segments, 0], grid.arc[last, 1]),
                        "x_m": places[:, 0],
                        "y_m": places[:, 1],
                        "z_m": places[:, 2],
                        "current_A": current,
                    }
                )
            )
        return pd.concat(frames, ignore_index=True)


@dataclass(frozen=True, eq=False)
class Solution:
    """Currents of an antenna for one volt at every port, at every frequency; made by `solve`.

    Drives, gains and networks are read off it without solving again. seconds: how long the solve took.
    """

    response: Response
    rule: MeshRule
    seconds: float

    @property
    def antenna(self) -> Antenna:
        """The antenna that was solved."""
        return self.response.antenna

    @property
    def frequencies(self) -> NDArray[np.float64]:
        """Frequencies (n,), Hz, rising."""
        return self.response.frequencies

    @property
    def mesh(self) -> WireMesh:
        """The segments it was solved on."""
        return self.response.basis.mesh

    @property
    def unknowns(self) -> int:
        """Number of basis functions."""
        return self.response.basis.size

    @property
    def network(self) -> Network:
        """Z, Y, S, VSWR between the ports."""
        ports = self.antenna.ports
        return Network(
            self.frequencies,
            self.response.admittance,
            tuple(p.name for p in ports),
            np.array([p.reference for p in ports]),
            self.antenna.name,
        )

    def drive(self, sources: dict[str, Source] | Source | None = None, frequency: str | float | None = None) -> Driven:
        """Drive the ports at one frequency.

        sources: by port, made by `volts`, `amperes`, `watts`; a lone port needs no name, and without words it gets 1 W
        available. Ports not named are closed by their references. frequency: may be left out when only one was
        solved; one that was not solved is solved now, and said so. Raises UsageError for unknown ports.
        """
        given = self._named(sources)
        coefficients, admittance, hertz = self._at(frequency)
        names = [p.name for p in self.antenna.ports]
        references = np.array([p.reference for p in self.antenna.ports])
        voltages, currents = driven_ports(admittance, references, {names.index(n): s for n, s in given.items()})
        ends = self.response.basis.segment_currents(voltages @ coefficients)
        flow = WireCurrents(self.mesh, ends, hertz, self.antenna.medium.has_plane)
        return Driven(self.antenna, flow, voltages, currents)

    def _named(self, sources: dict[str, Source] | Source | None) -> dict[str, Source]:
        names = [p.name for p in self.antenna.ports]
        if sources is None or isinstance(sources, Source):
            if len(names) > 1:
                raise UsageError(
                    f"antenna '{self.antenna.name}' has {len(names)} ports ({', '.join(names)}): say which are driven, "
                    f"such as {{'{names[0]}': watts(1)}}"
                )
            return {names[0]: sources or watts(1.0)}
        if not sources:
            raise UsageError("drive: no port is named; give at least one, such as {'" + names[0] + "': watts(1)}")
        for name, source in sources.items():
            if name not in names:
                raise UsageError(f"antenna '{self.antenna.name}': {unknown('port', name, names)}")
            if not isinstance(source, Source):
                raise UsageError(f"port '{name}': {source!r} is not a source; use volts(), amperes() or watts()")
        return sources

    def _at(self, frequency: str | float | None) -> tuple[NDArray[np.complex128], NDArray[np.complex128], float]:
        if frequency is None:
            if len(self.frequencies) > 1:
                raise UsageError(
                    f"the solution has {len(self.frequencies)} frequencies: say which one, such as "
                    f"frequency='{units.engineering(self.frequencies[0], 'Hz')}'"
                )
            hertz = float(self.frequencies[0])
        else:
            hertz = units.frequency(frequency)
        nearest = int(np.argmin(np.abs(self.frequencies - hertz)))
        if abs(self.frequencies[nearest] - hertz) <= 1e-9 * hertz:
            return self.response.coefficients[nearest], self.response.admittance[nearest], hertz
        if hertz > self.frequencies[-1]:
            raise UsageError(
                f"{units.engineering(hertz, 'Hz')} is above the highest solved frequency, "
                f"{units.engineering(float(self.frequencies[-1]), 'Hz')}, for which the mesh was made: solve it afresh"
            )
        _log.warning("%s was not among the solved frequencies: solving it too", units.engineering(hertz, "Hz"))
        return *respond(self.antenna, self.response.basis, hertz), hertz

    def at(self, index: int) -> Solution:
        """The solution at one of its frequencies alone."""
        found = self.response
        one = slice(index, index + 1)
        alone = Response(
            found.antenna, found.basis, found.frequencies[one], found.coefficients[one], found.admittance[one]
        )
        return Solution(alone, self.rule, self.seconds)

    def resolved(self, basis: WireBasis) -> Solution:
        """The same antenna and frequencies on another basis, such as one of a finer mesh."""
        return _solved(self.antenna, basis, self.frequencies, self.rule)


def _basis(antenna: Antenna, highest: float, rule: MeshRule) -> WireBasis:
    return wire_basis(mesh(antenna, SPEED_OF_LIGHT / highest, rule))


def _solved(antenna: Antenna, basis: WireBasis, hertz: NDArray[np.float64], rule: MeshRule) -> Solution:
    start = time.perf_counter()
    found = response(antenna, basis, hertz)
    return Solution(found, rule, time.perf_counter() - start)


def solve(model: Design | Antenna, frequencies: Frequencies | None = None, *, rule: MeshRule | None = None) -> Solution:
    """Solve an antenna at one frequency or several.

    frequencies: text or Hz, one or many, or `band(...)`; a design's own frequency unless given. One mesh, made for the
    highest of them, serves all. rule: how finely wires are divided. Raises ModelError with its findings when `check`
    says the model cannot be solved, UsageError without a frequency or a port, RunError when the solve fails.
    """
    antenna = model.antenna if isinstance(model, Design) else model
    if frequencies is None:
        if not isinstance(model, Design) or model.frequency is None:
            raise UsageError(f"solve: no frequency was given for '{antenna.name}': name one, such as '150.1 MHz'")
        frequencies = model.frequency
    hertz = in_hertz(frequencies)
    findings = antenna.check(float(hertz[-1]))
    if findings.stops:
        raise ModelError("\n".join(str(f) for f in findings.stops), findings)
    for finding in findings:
        if finding.level == "warn":
            _log.warning("%s", finding)
    rule = rule or MeshRule()
    return _solved(antenna, _basis(antenna, float(hertz[-1]), rule), hertz, rule)
