"""A circuit behind an antenna that receives: what it makes of the ports, and the noise it hears.

With C the circuit's scattering, i its output and a the antenna's ports, waves c out of the antenna come out as
b = C_ia (1 - S C_aa)⁻¹ c, and what is received from a direction goes with the field the antenna would send there with
these weights as waves at its ports. Noise: the circuit's own, which the antenna throws back as well, and the antenna's,
k T (1 - S S†), correlated as its ports are coupled (Bosma 1967; Warnick and Jeffs 2008, IEEE Antennas Wireless Propag.
Lett. 7, eq. 9).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ..errors import UsageError, needs, unknown
from .assembly import Circuit
from .components import ROOM
from .elements import Impedance
from .feed import placed_antenna
from .flow import Flow, solve_circuit
from .network import Network


@dataclass(frozen=True, slots=True)
class Heard:
    """At an output at a frequency: noise, K, all that comes out over k, and what of it the circuit makes.

    flow: of the antenna, driven so that it sends the beam that is received: 4πU of it is the gain up to the output.
    """

    flow: Flow
    noise: float
    own: float


@dataclass(frozen=True, slots=True)
class Receiver:
    """A circuit, whose ports called like an antenna's are those, and the one of its others that is listened at.

    temperature: K, of all that the antenna sees. Raises UsageError for a port there is not, and one below zero.
    """

    circuit: Circuit
    port: str
    reference: float = 50.0
    temperature: float = ROOM

    def __post_init__(self) -> None:
        needs(self.circuit, Circuit, "receiver", "a Circuit")
        if self.port not in self.circuit.ports:
            raise UsageError(f"receiver: {unknown('port', self.port, self.circuit.ports)}")
        if not (math.isfinite(self.reference) and self.reference > 0.0):
            raise UsageError(f"receiver: a reference of {self.reference} ohm is not above zero")
        if not (math.isfinite(self.temperature) and self.temperature >= 0.0):
            raise UsageError(f"receiver: a temperature of {self.temperature} K is below zero")

    def heard(self, antenna: Network, closings: Mapping[str, Impedance | complex] | None = None) -> Heard:
        """What an antenna at one frequency gives; other outputs are closed by the reference.

        Raises UsageError as `placed_antenna` does, RunError for loops without loss that resonate.
        """
        hertz, ohms = antenna.frequencies, self.reference
        parts = placed_antenna(self.circuit, antenna, closings)
        fed = [port for port in antenna.ports if port in self.circuit.ports]
        alone = solve_circuit(Circuit(parts, fed), hertz, ohms)
        s = alone.matrices[0]
        whole, noise = (f(hertz, ohms)[0] for f in (self.circuit.scattering, self.circuit.noise))
        out, arms = self.circuit.ports.index(self.port), [self.circuit.ports.index(port) for port in fed]
        carried = np.linalg.solve((np.eye(len(fed)) - s @ whole[np.ix_(arms, arms)]).T, whole[out, arms])
        # Of noise out of the circuit: at the output, and towards the antenna.
        own = np.zeros(len(whole), complex)
        own[out] = 1.0
        own[arms] += carried @ s
        made = ROOM * float((own @ noise @ own.conj()).real)
        seen = self.temperature * float((carried @ (np.eye(len(fed)) - s @ s.conj().T) @ carried.conj()).real)
        return Heard(alone.drive(dict(zip(fed, carried.tolist(), strict=True))), made + seen, made)
