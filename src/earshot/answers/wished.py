"""Drives that make what was wished for in spite of coupling: currents at the ports, or a beam."""

from __future__ import annotations

import cmath
from collections.abc import Mapping

import numpy as np

from ..arraytypes import Complexes
from ..errors import UsageError, needs, unknown
from ..fields.far import FarField
from ..network.sources import Source, watts
from ..units import engineering
from .solution import Solution

_DIRECTIONS = 2000


def drives_for_currents(
    solution: Solution, currents: Mapping[str, complex], frequency: str | float | None = None
) -> dict[str, Source]:
    """Generators of the ports' references that make the currents at the ports (A, peak) what is wished.

    Ports that are not named carry none. V = Z I, and a generator of reference Z0 sends (V + Z0 I)/√(8 Re Z0) (Kurokawa
    1965, eq. 1). Raises UsageError for ports there are not, and currents that are all nought.
    """
    needs(solution, Solution, "drives_for_currents", "a Solution, as solve returns it")
    network = solution.at(frequency).network
    for port, amount in currents.items():
        if port not in network.ports:
            raise UsageError(f"drives_for_currents: {unknown('port', port, network.ports)}")
        if not cmath.isfinite(amount):
            raise UsageError(f"drives_for_currents: a current of {amount} A at '{port}' is none")
    wished = np.array([complex(currents.get(port, 0.0)) for port in network.ports])
    if not np.abs(wished).any():
        raise UsageError("drives_for_currents: every current is nought: wish for one at least")
    voltages = np.linalg.solve(network.admittance[0], wished)
    return _sources(network.ports, (voltages + network.references * wished) / np.sqrt(8.0 * network.references.real))


def drives_for_beam(
    solution: Solution, beam: FarField, frequency: str | float | None = None
) -> tuple[dict[str, Source], float]:
    """Generators whose beam is nearest to a wished one, and how far off it is: rms over the wished beam's, as a share.

    beam: any far field, such as `Array.beam`'s, which knows no coupling; its place counts. Least squares of both
    polarisations over all directions, by the embedded fields of the ports. Raises UsageError for another frequency.
    """
    needs(beam, FarField, "drives_for_beam", "a FarField")
    one = solution.at(frequency)
    hertz = float(one.solved[0])
    if abs(beam.frequency - hertz) > 1e-9 * hertz:
        places = [engineering(f, "Hz", 6) for f in (beam.frequency, hertz)]
        raise UsageError(f"drives_for_beam: the beam is at {places[0]}, the solution at {places[1]}: give it there")
    # Evenly over the sphere: a spiral (Saff and Kuijlaars 1997).
    up = 1.0 - (2.0 * np.arange(_DIRECTIONS) + 1.0) / _DIRECTIONS
    theta, phi = np.arccos(up), np.mod(np.arange(_DIRECTIONS) * np.pi * (3.0 - np.sqrt(5.0)), 2.0 * np.pi)
    if beam.half_space or one.drive({one.network.ports[0]: watts(1.0)}).far_field().half_space:
        theta, phi = theta[up > 0.0], phi[up > 0.0]
    ports = one.network.ports
    embedded = [one.drive({port: watts(1.0)}).far_field().field(theta, phi) for port in ports]
    known = np.column_stack([np.concatenate(field) for field in embedded])
    wished = np.concatenate(beam.field(theta, phi))
    waves, *_ = np.linalg.lstsq(known, wished, rcond=1e-10)
    off = float(np.linalg.norm(known @ waves - wished) / np.linalg.norm(wished))
    return _sources(ports, np.asarray(waves, complex)), off


def _sources(ports: tuple[str, ...], waves: Complexes) -> dict[str, Source]:
    """Generators that send waves (ports,), √W."""
    return {port: Source("power", complex(wave)) for port, wave in zip(ports, waves, strict=True)}
