"""Findings on circuits in front of an antenna: what cannot be worked out, what gives power, what does not fit."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping

import numpy as np

from ..errors import EarshotError
from ..network.amplifier import Amplifier
from ..network.assembly import Circuit
from ..network.components import Fixed, Part
from .findings import Finding

_GIVES, _FITS = 1.001, 0.02
"""Waves out over waves in from which a part gives power, and how far references may be apart."""


def check_circuit(circuit: Circuit, ports: Mapping[str, complex], frequencies: Iterable[float]) -> Iterator[Finding]:
    """Look at a circuit before an antenna, whose ports have references, ohm, at all frequencies asked for, Hz."""
    flat, hertz = circuit.flat(), np.array(sorted(set(frequencies)))
    ohms: dict[str, tuple[str, float]] = {}
    for name, placed in flat.parts.items():
        try:
            matrices = placed.part.scattering(hertz, 50.0)
        except EarshotError as problem:
            yield Finding("stop", name, f"part '{name}': {problem}", "ask for other frequencies, or change the part")
            return
        most = float(np.linalg.svd(matrices, compute_uv=False).max())
        if most > _GIVES and not isinstance(placed.part, Amplifier):
            yield Finding(
                "warn", name, f"part '{name}' gives up to {20.0 * math.log10(most):.2g} dB more than it gets",
                "look whether its file is of an amplifier; its noise and losses are told as if it were passive",
            )  # fmt: skip
        own = _matched_to(placed.part)
        if own is None:
            continue
        for node in placed.nodes:
            other = ohms.setdefault(node, (name, own))
            if abs(other[1] - own) > _FITS * other[1]:
                yield Finding(
                    "note", name,
                    f"at node '{node}' part '{name}', for {own:g} ohm, meets '{other[0]}', for {other[1]:g} ohm",
                    "give both the same impedance, or a transformer between them",
                )  # fmt: skip
    for port, reference in ports.items():
        if port not in circuit.ports:
            yield Finding(
                "note", port, f"port '{port}' is joined to nothing in the circuit",
                f"it is closed by its reference, {reference.real:g} ohm, or as cases say",
            )  # fmt: skip
        elif port in ohms and abs(ohms[port][1] - reference) > _FITS * ohms[port][1]:
            name, own = ohms[port]
            yield Finding(
                "note", name, f"part '{name}', for {own:g} ohm, is joined to port '{port}', whose reference is "
                f"{reference.real:g} ohm", "active VSWR is told at the port's reference: give both the same",
            )  # fmt: skip
    try:
        circuit.joined(hertz, 50.0)
    except EarshotError as problem:
        yield Finding("stop", "circuit", str(problem).partition(": ")[0], str(problem).partition(": ")[2])


def _matched_to(part: Part) -> float | None:
    """The impedance a part is made for, ohm, if there is one."""
    if isinstance(part, Fixed) and np.allclose(np.diag(np.array(part.matrix)), 0.0):
        return part.impedance
    return part.impedance if isinstance(part, Amplifier) else None
