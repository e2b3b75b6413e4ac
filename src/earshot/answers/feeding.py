"""An antenna fed through a circuit: what it sends of waves into the circuit's ports."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

from ..constants import WAVE_IMPEDANCE
from ..errors import UsageError, needs, unknown
from ..fields.gains import decibels
from ..network.flow import Flow, SolvedCircuit
from ..network.sources import volts
from .driven import Driven
from .solution import Solution

if TYPE_CHECKING:
    import pandas as pd

ANTENNA = "antenna"


def fed(solution: Solution, flow: Flow, part: str = ANTENNA) -> Driven:
    """A solved antenna, driven as a part of a circuit is: a `block` of its network, with its ports' names.

    Its currents and fields are those of the voltages there. Raises UsageError for a part there is not, and for one with
    other ports than the antenna has.
    """
    needs(solution, Solution, "fed", "a Solution, as solve returns it")
    needs(flow, Flow, "fed", "a Flow, as a solved circuit's drive gives it")
    if part not in flow.circuit.parts:
        raise UsageError(unknown("part", part, flow.circuit.parts))
    names, own = flow.circuit.parts[part].part.ports, tuple(p.name for p in solution.antenna.ports)
    if set(names) != set(own):
        raise UsageError(
            f"part '{part}' has ports {', '.join(names)}, the antenna {', '.join(own)}: place block(solution.network)"
        )
    voltages = flow.levels().loc[part]["voltage_V"]
    return solution.drive({name: volts(complex(voltages[name])) for name in own}, flow.frequency)


def beams(
    solution: Solution,
    circuit: SolvedCircuit,
    drives: Mapping[str, Mapping[str, complex]],
    frequency: str | float | None = None,
    part: str = ANTENNA,
) -> pd.DataFrame:
    """A row per drive: where its beam goes, EIRP, gain from what is sent, beamwidths, side lobe, what is accepted.

    drives: by name, waves into the circuit's ports, √W. theta_deg, phi_deg: of the peak. EIRP_dBW: all that is radiated
    there, and in each polarisation; gain_dBi: of the antenna as it is driven (IEEE Std 145). EIRP_over_sent_dB: over
    the power sent into the circuit, with what its parts lose and amplifiers add. accepted_share: of what is sent, into
    the antenna. Raises UsageError and RunError as `fed` and `drive` do.
    """
    import pandas as pd

    needs(circuit, SolvedCircuit, "beams", "a SolvedCircuit, as solve_circuit gives it")
    if not drives:
        raise UsageError("beams: no drive is given: name at least one, such as {'one': {'in': 1.0}}")
    rows = {}
    for name, sent in drives.items():
        power = float(sum(abs(wave) ** 2 for wave in sent.values()))
        if not power > 0.0:
            raise UsageError(f"beams: '{name}' sends nothing: give a wave, √W, to a port")
        flow = circuit.drive(sent, frequency)
        driven = fed(solution, flow, part)
        field = driven.far_field()
        theta, phi = field.peak
        # 4πU of both parts of the field.
        parts = [2.0 * np.pi / WAVE_IMPEDANCE * float(np.abs(e) ** 2) for e in field.field(theta, phi)]
        lobe = field.side_lobe
        rows[name] = {
            "theta_deg": float(np.degrees(theta)), "phi_deg": float(np.degrees(phi)),
            "EIRP_dBW": float(decibels(sum(parts))), "EIRP_theta_dBW": float(decibels(parts[0])),
            "EIRP_phi_dBW": float(decibels(parts[1])),
            "gain_dBi": float(decibels(field.gain(theta, phi))),
            "EIRP_over_sent_dB": float(decibels(sum(parts) / power)),
            "beamwidth_E_deg": field.beamwidth("E"), "beamwidth_H_deg": field.beamwidth("H"),
            "side_lobe_dB": None if lobe is None else lobe[0],
            "accepted_share": driven.accepted / power,
        }  # fmt: skip
    return pd.DataFrame.from_dict(rows, orient="index").rename_axis("drive")
