"""An antenna fed through a circuit: its currents, and the table of its beams."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from ..constants import WAVE_IMPEDANCE
from ..errors import UsageError, needs, unknown
from ..fields.far import FarField
from ..fields.gains import decibels
from ..network.feed import ANTENNA
from ..network.flow import Flow, SolvedCircuit
from ..network.sources import volts
from .driven import Driven
from .solution import Solution

if TYPE_CHECKING:
    import pandas as pd


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
    driven = solution.drive({name: volts(complex(voltages[name])) for name in own}, flow.frequency)
    return replace(driven, feed=flow)


def beams(
    solution: Solution,
    circuit: SolvedCircuit,
    drives: Mapping[str, Mapping[str, complex]],
    frequency: str | float | None = None,
    part: str = ANTENNA,
) -> pd.DataFrame:
    """A row per drive, as `beam_row` tells it. drives: by name, waves into the circuit's ports, √W.

    Raises UsageError and RunError as `fed` and `drive` do.
    """
    import pandas as pd

    needs(circuit, SolvedCircuit, "beams", "a SolvedCircuit, as solve_circuit gives it")
    if not drives:
        raise UsageError("beams: no drive is given: name at least one, such as {'one': {'in': 1.0}}")
    rows = {}
    for name, sent in drives.items():
        if not any(abs(wave) > 0.0 for wave in sent.values()):
            raise UsageError(f"beams: '{name}' sends nothing: give a wave, √W, to a port")
        driven = fed(solution, circuit.drive(sent, frequency), part)
        rows[name] = beam_row(driven, driven.far_field())
    return pd.DataFrame.from_dict(rows, orient="index").rename_axis("drive")


def heard_row(driven: Driven, field: FarField) -> dict[str, Any]:
    """Where a beam that is received comes from, and how well.

    theta_deg, phi_deg: of the peak; gain_dBi: of the antenna with these weights (IEEE Std 145). gain_to_output_dB:
    with all that the circuit adds and loses. noise_K: all that comes out, over k; of_circuit_K: what the circuit makes.
    G_over_T_dB_per_K: that gain over that noise.
    """
    assert driven.heard is not None
    theta, phi = field.peak
    level = float(decibels(2.0 * np.pi / WAVE_IMPEDANCE * sum(np.abs(e) ** 2 for e in field.field(theta, phi))))
    noise = driven.heard.noise
    lobe = field.side_lobe
    return {
        "theta_deg": float(np.degrees(theta)), "phi_deg": float(np.degrees(phi)),
        "gain_dBi": float(decibels(field.gain(theta, phi))), "gain_to_output_dB": level,
        "noise_K": noise, "of_circuit_K": driven.heard.own,
        "G_over_T_dB_per_K": level - 10.0 * math.log10(noise) if noise > 0.0 else math.inf,
        "beamwidth_E_deg": _known(field.beamwidth("E")), "beamwidth_H_deg": _known(field.beamwidth("H")),
        "side_lobe_dB": math.nan if lobe is None else lobe[0],
    }  # fmt: skip


def beam_row(driven: Driven, field: FarField) -> dict[str, Any]:
    """Where a beam that a circuit feeds goes, and how strong it is.

    theta_deg, phi_deg: of the peak. EIRP_dBW: all that is radiated there, and in each polarisation; gain_dBi: of the
    antenna as it is driven (IEEE Std 145). EIRP_over_sent_dB: over the power sent into the circuit, with what its parts
    lose and amplifiers add. side_lobe_dB: the strongest, in any direction. accepted_share: of what is sent, into the
    antenna. compressed_dB: by how much the amplifier that saturates most is held back.
    """
    assert driven.feed is not None
    power, held = driven.feed.power_sent, driven.feed.compressed
    theta, phi = field.peak
    # 4πU of both parts of the field.
    parts = [2.0 * np.pi / WAVE_IMPEDANCE * float(np.abs(e) ** 2) for e in field.field(theta, phi)]
    lobe = field.side_lobe
    return {
        "theta_deg": float(np.degrees(theta)), "phi_deg": float(np.degrees(phi)),
        "EIRP_dBW": float(decibels(sum(parts))), "EIRP_theta_dBW": float(decibels(parts[0])),
        "EIRP_phi_dBW": float(decibels(parts[1])),
        "gain_dBi": float(decibels(field.gain(theta, phi))),
        "EIRP_over_sent_dB": float(decibels(sum(parts) / power)),
        "beamwidth_E_deg": _known(field.beamwidth("E")), "beamwidth_H_deg": _known(field.beamwidth("H")),
        "side_lobe_dB": math.nan if lobe is None else lobe[0],
        "accepted_share": driven.accepted / power,
        "compressed_dB": max(0.0, -min(held.values(), default=0.0)),
    }  # fmt: skip


def _known(value: float | None) -> float:
    return math.nan if value is None else value
