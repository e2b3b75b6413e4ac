"""A circuit in front of an antenna: what is sent into its inputs, and what then goes on in it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Complexes
from ..errors import UsageError, needs, unknown
from .amplifier import Amplifier
from .assembly import Circuit, Placed
from .components import block, to_ground
from .elements import Impedance
from .flow import Flow, SolvedCircuit, solve_circuit
from .network import Network
from .sources import Source

if TYPE_CHECKING:
    import pandas as pd

ANTENNA = "antenna"
"""What the antenna is called among the parts."""


@dataclass(frozen=True, slots=True)
class Feed:
    """A circuit, whose ports called like an antenna's are those, and the power sent into its others, the inputs.

    sources: by input, made by `watts`; inputs that none sends into are closed by the reference, ohm. Raises UsageError
    for no source, for sources of voltage or current, and for ports there are not.
    """

    circuit: Circuit
    sources: Mapping[str, Source]
    reference: float = 50.0

    def __post_init__(self) -> None:
        needs(self.circuit, Circuit, "feed", "a Circuit")
        if not self.sources:
            raise UsageError("feed: nothing is sent into it: name an input, such as {'in': watts(1)}")
        for port, source in self.sources.items():
            needs(source, Source, f"feed, input '{port}'", "a source made by watts")
            if source.kind != "power":
                raise UsageError(f"feed, input '{port}': it is driven by {source.kind}; inputs take power: use watts()")
            if port not in self.circuit.ports:
                raise UsageError(f"feed: {unknown('input', port, self.circuit.ports)}")
        if not (math.isfinite(self.reference) and self.reference > 0.0):
            raise UsageError(f"feed: a reference of {self.reference} ohm is not above zero")
        if ANTENNA in self.circuit.parts:
            raise UsageError(f"feed: part '{ANTENNA}' is the antenna, which is put in by itself: rename yours")

    @property
    def linear(self) -> Feed:
        """The same with amplifiers that never saturate."""

        def endless(placed: Placed) -> Placed:
            part = placed.part
            if isinstance(part, Circuit):
                part = Circuit({name: endless(own) for name, own in part.parts.items()}, part.ports)
            elif isinstance(part, Amplifier):
                part = replace(part, saturated=math.inf)
            return Placed(part, placed.nodes)

        circuit = Circuit({name: endless(own) for name, own in self.circuit.parts.items()}, self.circuit.ports)
        return Feed(circuit, self.sources, self.reference)

    def solved(self, antenna: Network, closings: Mapping[str, Impedance | complex] | None = None) -> SolvedCircuit:
        """The circuit with the antenna, at all its frequencies, between the inputs; small signals.

        closings: of the antenna's ports that no part is joined to; their references unless named. Raises UsageError
        where an input is called like no port, but none of the antenna's ports is joined.
        """
        parts = placed_antenna(self.circuit, antenna, closings)
        for port in self.sources:
            if port in antenna.ports:
                raise UsageError(f"feed: '{port}' is a port of the antenna, and driven as an input: keep one")
        parts |= self.circuit.parts
        inputs = [port for port in self.circuit.ports if port not in antenna.ports]
        return solve_circuit(Circuit(parts, inputs), antenna.frequencies, self.reference)

    def flow(self, antenna: Network, closings: Mapping[str, Impedance | complex] | None = None) -> Flow:
        """Waves everywhere, of an antenna at one frequency."""
        hertz = float(antenna.frequencies[0])
        sent = {port: source.at(hertz).amount for port, source in self.sources.items()}
        return self.solved(antenna, closings).drive(sent)

    def network(self, antenna: Network, closings: Mapping[str, Impedance | complex] | None = None) -> Network:
        """Between the inputs, at all frequencies of the antenna; small signals."""
        found = self.solved(antenna, closings).network
        return replace(found, label=antenna.label, spans=antenna.spans)


def placed_antenna(
    circuit: Circuit, antenna: Network, closings: Mapping[str, Impedance | complex] | None
) -> dict[str, Placed]:
    """An antenna as a part at a circuit's nodes, and what closes those of its ports that no part is joined to.

    Raises UsageError where none is joined, and for closings of ports that are.
    """
    fed = [port for port in antenna.ports if port in circuit.ports]
    if not fed:
        raise UsageError(
            f"circuit: none of its nodes is a port of the antenna ({', '.join(antenna.ports)}): join its outputs there"
        )
    for port in closings or {}:
        if port in fed:
            raise UsageError(f"port '{port}' is both joined to the circuit and closed: keep one")
    parts = {ANTENNA: Placed(block(antenna), antenna.ports)}
    for port, own in zip(antenna.ports, antenna.references.tolist(), strict=True):
        if port not in fed:
            parts[f"what closes {port}"] = Placed(to_ground((closings or {}).get(port, own)), [port])
    return parts


def inputs_of(flow: Flow) -> pd.DataFrame:
    """Per input that something is sent into: W sent and returned, the impedance seen (ohm) as all are driven, VSWR.

    VSWR is infinite where more comes back than is sent.
    """
    import pandas as pd

    rows = {}
    for name, b in zip(flow.circuit.ports, flow.returned.tolist(), strict=True):
        a = complex(flow.sent.get(name, 0.0))
        if abs(a) > 0.0:
            back = b / a
            seen = complex(math.inf) if abs(1.0 - back) < 1e-12 else flow.reference * (1.0 + back) / (1.0 - back)
            vswr = (1.0 + abs(back)) / (1.0 - abs(back)) if abs(back) < 1.0 else math.inf
            rows[name] = {"sent_W": abs(a) ** 2, "returned_W": abs(b) ** 2, "impedance_ohm": seen, "vswr": vswr}
    return pd.DataFrame.from_dict(rows, orient="index").rename_axis("input")


def voltages_at(flow: Flow, ports: tuple[str, ...]) -> Complexes:
    """At the antenna's ports (ports,), V peak."""
    found = flow.levels().loc[ANTENNA]["voltage_V"]
    return np.array([complex(found[port]) for port in ports])
