"""What goes on in a circuit: between its ports at all frequencies, and inside when some of them are driven."""

from __future__ import annotations

import cmath
import math
from collections.abc import Mapping
from dataclasses import dataclass
from numbers import Number
from typing import TYPE_CHECKING

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..errors import RunError, UsageError, needs, unknown
from .amplifier import Amplifier
from .assembly import Circuit
from .components import ROOM
from .network import Network, admittance_of
from .waves import Joined

if TYPE_CHECKING:
    import pandas as pd
    import xarray as xr

_ROUNDS, _SETTLED = 400, 1e-11


@dataclass(frozen=True, eq=False)
class SolvedCircuit:
    """A circuit at frequencies (n,), Hz, for waves at a real reference, ohm; made by `solve_circuit`."""

    circuit: Circuit
    frequencies: Floats
    reference: float
    whole: Joined

    @property
    def matrices(self) -> Complexes:
        """Scattering (n, ports, ports) between its ports."""
        return self.circuit.between_ports(self.whole, self.whole.matrices)

    def s(self) -> xr.DataArray:
        """The same, labelled (frequency, to, from)."""
        import xarray as xr

        names = list(self.circuit.ports)
        coords = {"frequency": ("frequency", self.frequencies, {"units": "Hz"}), "to": names, "from": names}
        return xr.DataArray(self.matrices, dims=("frequency", "to", "from"), coords=coords, name="S")

    @property
    def network(self) -> Network:
        """Between its ports as a network like an antenna's; raises RunError for one that has no admittances."""
        try:
            ohms = np.full(len(self.circuit.ports), self.reference, complex)
            admittance = admittance_of(self.matrices, ohms)
        except np.linalg.LinAlgError:
            raise RunError("the circuit is a perfect short somewhere, which has no admittance: use s()") from None
        return Network(self.frequencies, admittance, self.circuit.ports, ohms, "circuit")

    def noise_temperatures(self, antenna: float = ROOM) -> pd.DataFrame:
        """Of every port, K, by frequency: the noise that leaves it into its reference, over k.

        antenna: temperature of what closes the ports, each by its reference.
        """
        import pandas as pd

        own = np.einsum("nii->ni", self.circuit.noise(self.frequencies, self.reference)).real * ROOM
        passed = np.abs(self.matrices) ** 2
        others = passed.sum(axis=2) * antenna
        return pd.DataFrame(own + others, index=pd.Index(self.frequencies, name="frequency_Hz"),
                            columns=list(self.circuit.ports))  # fmt: skip

    def drive(self, sent: Mapping[str, complex], frequency: str | float | None = None) -> Flow:
        """Waves inside with waves sent into ports, √W; other ports are closed by the reference.

        Circuits among its parts are taken apart: what goes on in them is told under "circuit/part".
        Amplifiers that saturate are settled by going round. Raises UsageError for ports and frequencies there are not,
        RunError where an amplifier does not settle.
        """
        at = self._place(frequency)
        into = np.zeros((1, len(self.circuit.ports), 1), complex)
        needs(sent, Mapping, "drive", "waves by port, √W, such as {'in': 1.0}")
        for port, wave in sent.items():
            if port not in self.circuit.ports:
                raise UsageError(unknown("port", port, self.circuit.ports))
            needs(wave, Number, f"drive, port '{port}'", "a wave, √W")
            if not cmath.isfinite(wave):
                raise UsageError(f"drive, port '{port}': a wave of {wave} √W is none")
            into[0, self.circuit.ports.index(port), 0] = wave
        hertz = self.frequencies[at : at + 1]
        circuit = self.circuit.flat()
        limited = {n: p.part for n, p in circuit.parts.items()
                   if isinstance(p.part, Amplifier) and math.isfinite(p.part.saturated)}  # fmt: skip
        wiring = circuit.wiring()
        held = dict.fromkeys(limited, 1.0)
        for _ in range(_ROUNDS):
            whole = circuit.joined(hertz, self.reference, {n: _scaled(share) for n, share in held.items()})
            order = [wiring.outside.index(number) for number in whole.outside]
            arriving, leaving = whole.inside(into[:, order])
            now = {}
            for name, part in limited.items():
                gate = wiring.ends.index((name, "in"))
                gain = part.scattering(hertz, self.reference)[:, 1, 0]
                linear = np.abs(gain * arriving[:, gate, 0]) ** 2
                now[name] = float(part.held_back(linear)[0])
            if all(abs(now[n] - held[n]) <= _SETTLED for n in held):
                count = len(wiring.ends)
                compressed = {n: 20.0 * math.log10(x) for n, x in held.items()}
                waves = arriving[0, :count, 0], leaving[0, :count, 0]
                back = leaving[0, list(wiring.outside), 0]
                return Flow(circuit, float(hertz[0]), self.reference, *waves, dict(sent), back, compressed)
            held = {n: 0.5 * (held[n] + now[n]) for n in held}
        worst = max(held, key=lambda n: abs(now[n] - held[n]))
        raise RunError(
            f"amplifier '{worst}' does not settle: what it sends comes back to it and drives it again; put an isolator "
            "behind it, or lower its gain"
        )

    def _place(self, frequency: str | float | None) -> int:
        if frequency is None:
            if len(self.frequencies) > 1:
                raise UsageError(f"the circuit has {len(self.frequencies)} frequencies: say which one")
            return 0
        hertz = units.frequency(frequency)
        nearest = int(np.argmin(np.abs(self.frequencies - hertz)))
        if abs(self.frequencies[nearest] - hertz) > 1e-9 * hertz:
            raise UsageError(
                f"the circuit was not worked out at {units.engineering(hertz, 'Hz', 6)}: the nearest is "
                f"{units.engineering(float(self.frequencies[nearest]), 'Hz', 6)}"
            )
        return nearest


@dataclass(frozen=True, eq=False)
class Flow:
    """Waves in a driven circuit at a frequency, Hz: into and out of every port of every part (ends,), √W.

    sent: into the circuit's ports; returned: out of them (ports,). compressed: dB that each saturating amplifier's gain
    is changed by.
    """

    circuit: Circuit
    frequency: float
    reference: float
    into: Complexes
    out: Complexes
    sent: Mapping[str, complex]
    returned: Complexes
    compressed: Mapping[str, float]

    @property
    def power_sent(self) -> float:
        """Into all ports together, W."""
        return float(sum(abs(wave) ** 2 for wave in self.sent.values()))

    @property
    def _ends(self) -> list[tuple[str, str]]:
        return list(self.circuit.wiring().ends)

    def levels(self) -> pd.DataFrame:
        """By part and port: the node, W and deg of the waves into the part and out of it, V and A (peak) there."""
        import pandas as pd

        places = [place for placed in self.circuit.parts.values() for place in placed.nodes]
        scale = math.sqrt(2.0 * self.reference)
        return pd.DataFrame(
            {"node": places, "into_W": np.abs(self.into) ** 2, "into_deg": np.degrees(np.angle(self.into)),
             "out_W": np.abs(self.out) ** 2, "out_deg": np.degrees(np.angle(self.out)),
             "voltage_V": (self.into + self.out) * scale, "current_A": (self.into - self.out) * scale / self.reference},
            index=pd.MultiIndex.from_tuples(self._ends, names=["part", "port"]),
        )  # fmt: skip

    def budget(self) -> pd.Series:
        """Power that every part takes, W, below zero where it gives; the sum is what goes into the circuit's ports."""
        import pandas as pd

        taken = pd.Series(np.abs(self.into) ** 2 - np.abs(self.out) ** 2, index=[part for part, _ in self._ends])
        return taken.groupby(level=0, sort=False).sum().rename("power_W").rename_axis("part")


def _scaled(share: float) -> Complexes:
    """Of an amplifier's matrix, the gain alone."""
    return np.array([[1.0, 1.0], [share, 1.0]], complex)


def solve_circuit(circuit: Circuit, frequencies: object, reference: float = 50.0) -> SolvedCircuit:
    """Join a circuit's parts at frequencies, texts or Hz; waves at a real reference, ohm.

    Raises UsageError as its parts do outside what they are known for, RunError for a loop without loss that resonates.
    """
    needs(circuit, Circuit, "solve_circuit", "a Circuit")
    if not (math.isfinite(reference) and reference > 0.0):
        raise UsageError(f"solve_circuit: reference {reference} ohm is not above zero")
    places = np.atleast_1d(
        np.array([units.frequency(f) for f in np.atleast_1d(np.asarray(frequencies, object))], float)
    )
    if not len(places):
        raise UsageError("solve_circuit: no frequency is given: name one, such as '868 MHz'")
    return SolvedCircuit(circuit, places, reference, circuit.joined(places, reference))
