"""What feeds a port, and what closes it: said in volts, amperes or watts."""

from __future__ import annotations

import cmath
from dataclasses import dataclass
from numbers import Number

import numpy as np

from .. import units
from ..arraytypes import Complexes
from ..errors import UsageError, needs


@dataclass(frozen=True, slots=True)
class Source:
    """A drive of one port; made by `volts`, `amperes` and `watts`. amount: peak phasor (V, A), or √W for power.

    delay: s by which it is late, at every frequency.
    """

    kind: str
    amount: complex
    delay: float = 0.0

    def __post_init__(self) -> None:
        if not (cmath.isfinite(self.amount) and cmath.isfinite(self.delay)):
            raise UsageError(f"a source of {self.amount}, late by {self.delay} s, is not finite")

    def at(self, frequency: float) -> Source:
        """What it is at a frequency, Hz, with its delay as a phase."""
        return Source(self.kind, self.amount * cmath.exp(-2j * cmath.pi * frequency * self.delay))


def _phasor(amount: complex, phase: str | float) -> complex:
    return complex(amount) * cmath.exp(1j * units.angle(phase, "phase"))


def _amount(amount: complex | str, kind: str) -> complex:
    """A number, or text with a unit."""
    if isinstance(amount, str):
        return units.read(amount, kind, what="a source")
    needs(amount, Number, "a source", f"a number, or text such as '1 {units.KINDS[kind]}'")
    return units.phasor(amount, "a source")


def volts(amount: complex | str, phase: str | float = 0.0) -> Source:
    """An ideal voltage source: peak volts across the port, a number or text ("10 mV")."""
    return Source("voltage", _phasor(_amount(amount, "voltage"), phase))


def amperes(amount: complex | str, phase: str | float = 0.0) -> Source:
    """An ideal current source: peak amperes into the port, a number or text ("10 mA")."""
    return Source("current", _phasor(_amount(amount, "current"), phase))


def watts(amount: float | str, phase: str | float = 0.0) -> Source:
    """A generator of the port's reference impedance with that power available, a number or text ("100 W"): what a
    matched load would take.
    """  # fmt: skip
    amount = float(_amount(amount, "power").real)
    if not amount >= 0.0:
        raise UsageError(f"a source of {amount} W: power is not below zero; turn the wave with phase='180 deg'")
    return Source("power", _phasor(np.sqrt(amount), phase))


def driven_ports(
    admittance: Complexes, references: Complexes, sources: dict[int, Source], closings: dict[int, complex]
) -> tuple[Complexes, Complexes]:
    """Voltages and currents (ports,) when some ports are driven and every other is closed.

    closings: ohms at undriven ports, complex infinity for an open; their references where not given. Each port p obeys
    v_p V_p + i_p I_p = e_p with I = Y V: a voltage source fixes V, a current source I, a closing V + Z I = 0, and a
    generator of reference Z with power P available fixes V + Z I = √(8 P Re Z) (Pozar 2012, sec. 2.6).
    """
    n = len(references)
    v, i, e = np.ones(n, complex), references.astype(complex), np.zeros(n, complex)
    for p, ohms in closings.items():
        v[p], i[p] = (1.0, ohms) if np.isfinite(ohms) else (0.0, 1.0)
    for p, source in sources.items():
        if source.kind == "voltage":
            i[p], e[p] = 0.0, source.amount
        elif source.kind == "current":
            v[p], i[p], e[p] = 0.0, 1.0, source.amount
        else:
            e[p] = np.sqrt(8.0 * references[p].real) * source.amount
    voltages = np.asarray(np.linalg.solve(np.diag(v) + i[:, None] * admittance, e), np.complex128)
    return voltages, admittance @ voltages
