"""Receiving: a plane wave on an antenna whose ports are closed by something."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache, partial
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..arraytypes import Complexes, Floats
from ..checks.check import check
from ..constants import wavelength
from ..description.antenna import Antenna
from ..description.design import Design, model_of
from ..errors import ModelError, UsageError, needs
from ..fields.currents import Currents
from ..fields.far import in_radians
from ..meshing.mesh import MeshRule
from ..moments.basis import Basis
from ..moments.formulation import antenna_basis, formulation
from ..moments.incident import PlaneWave
from ..moments.ports import gap_vectors
from ..moments.response import solved_for
from ..network.elements import Impedance, impedance
from .circuits import circuit_of
from .driven import currents_of
from .solution import Solution

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False)
class Received:
    """What a plane wave does to an antenna: voltages and currents (ports,), peak, and the induced currents.

    induced: makes those on all metal, when they are asked for.
    """

    antenna: Antenna
    wave: PlaneWave
    voltages: Complexes
    currents: Complexes
    induced: Callable[[], Currents]

    @cached_property
    def flow(self) -> Currents:
        """The induced currents."""
        return self.induced()

    @property
    def powers(self) -> Floats:
        """Power into what closes each port (ports,), W."""
        return np.asarray(-0.5 * (self.voltages * self.currents.conj()).real)

    @property
    def effective_length(self) -> Floats:
        """|V|/|E| of every port (ports,), metres; the antenna's effective length when its ports are open."""
        return np.asarray(np.abs(self.voltages) / self.wave.strength)

    @property
    def antenna_factor(self) -> Floats:
        """20 log10 |E|/|V| of every port with what closes it (ports,), dB/m; infinite for a short."""
        with np.errstate(divide="ignore"):
            return np.asarray(-20.0 * np.log10(self.effective_length))

    @property
    def effective_area(self) -> Floats:
        """Power into what closes each port over the wave's power density (ports,), m²."""
        return np.asarray(self.powers / self.wave.density)

    def table(self) -> pd.DataFrame:
        """Per port: voltage and current (peak), power, effective length and area, antenna factor."""
        import pandas as pd

        return pd.DataFrame(
            {
                "voltage_V": self.voltages,
                "current_A": self.currents,
                "power_W": self.powers,
                "effective_length_m": self.effective_length,
                "effective_area_m2": self.effective_area,
                "antenna_factor_dB_per_m": self.antenna_factor,
            },
            index=pd.Index([p.name for p in self.antenna.ports], name="port"),
        )

    def cross_section(self, theta: ArrayLike, phi: ArrayLike) -> Floats:
        """Bistatic cross-section 4π|r E_s|²/|E|², m², towards angles in radians (Balanis 2016, eq. 2-120b)."""
        e_theta, e_phi = self.flow.far_field(*in_radians(theta, phi))
        scattered = np.abs(e_theta) ** 2 + np.abs(e_phi) ** 2
        return np.asarray(4.0 * math.pi * scattered / self.wave.strength**2)


def receive(
    solution: Solution,
    wave: PlaneWave,
    frequency: str | float | None = None,
    *,
    terminations: Mapping[str, Impedance | complex] | None = None,
) -> Received:
    """Put a solved antenna into a plane wave.

    By reciprocity what the wave sends into shorted ports is what their currents, solved already, make of it; currents
    on all metal take one more solve, when they are asked for. terminations: what closes the ports; their references
    unless named, `open_circuit()` for open-circuit voltage.
    Raises UsageError for unknown ports, and as `Solution.drive` does for frequencies.
    """
    needs(solution, Solution, "receive", "a Solution, as solve returns it")
    needs(wave, PlaneWave, "receive", "a wave, as plane_wave makes it")
    one = solution.at(frequency)
    antenna, basis, hertz = one.antenna, one.response.basis, float(one.solved[0])
    for name in terminations or {}:
        antenna.port(name)
    tested = formulation(antenna.medium).tested(basis, wave, hertz)
    injected = one.response.coefficients[0] @ tested
    circuit = circuit_of(antenna)
    ends = [_end((terminations or {}).get(port.name, port.reference)) for port in antenna.ports]
    closed = replace(circuit, ports=0, closings=(*ends, *circuit.closings))
    nodes = closed.excited(one.response.admittance[0], hertz, injected)
    voltages = nodes[: circuit.gaps]
    if not np.isfinite(voltages).all():
        raise UsageError(f"antenna '{antenna.name}': its terminations leave no finite answer; change one a little")
    count = len(antenna.ports)
    # Into the port, as for a drive: what the antenna and the lines there draw, the wave's share included.
    currents = injected + closed.drawn(one.response.admittance[0], nodes[:, None])[:, 0]
    driven = voltages @ one.response.coefficients[0]
    induced = partial(_induced, antenna, basis, hertz, tested, driven, one.response.method)
    return Received(antenna, wave, voltages[:count], currents[:count], induced)


def _induced(
    antenna: Antenna, basis: Basis, hertz: float, tested: Complexes, driven: Complexes, method: str
) -> Currents:
    """The currents of a tested wave on shorted ports, and what the voltages there drive besides."""
    shorted = solved_for(antenna, basis, hertz, tested[:, None], method=method)[:, 0]
    return currents_of(antenna, basis, shorted + driven, hertz)


def scatter(
    model: Design | Antenna, wave: PlaneWave, frequency: str | float, *, rule: MeshRule | None = None
) -> Received:
    """Put metal without ports into a plane wave: its currents and cross-section; ports it has are shorted.

    Raises ModelError with the findings when `check` says it cannot be solved.
    """
    model = model_of(model, "scatter")
    antenna = model.antenna if isinstance(model, Design) else model
    hertz, rule = units.frequency(frequency), rule or MeshRule()
    findings = check(antenna, hertz, rule, fed=False)
    if findings.stops:
        raise ModelError("\n".join(str(f) for f in findings.stops), findings)
    basis = _basis(antenna, hertz, rule)
    tested = formulation(antenna.medium).tested(basis, wave, hertz)
    coefficients = solved_for(antenna, basis, hertz, tested[:, None])[:, 0]
    currents = gap_vectors(antenna, basis).T @ coefficients
    count = len(antenna.ports)
    flow = currents_of(antenna, basis, coefficients, hertz)
    return Received(antenna, wave, np.zeros(count, complex), currents[:count], partial(_known, flow))


@lru_cache(maxsize=2)
def _basis(antenna: Antenna, hertz: float, rule: MeshRule) -> Basis:
    """The same for the waves that follow, which find the factors of its matrix by it."""
    return antenna_basis(antenna, wavelength(hertz), rule)


def _known(flow: Currents) -> Currents:
    return flow


def _end(value: Impedance | complex) -> Impedance:
    return value if isinstance(value, Impedance) else impedance(value)
