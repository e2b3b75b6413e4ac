"""The questions there are: of patterns, networks, ports and power, a function each, and those of near fields."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import pandas as pd

from ..answers.feeding import beam_row, heard_row
from ..arraytypes import Floats
from ..errors import UsageError, unknown
from ..fields import polarisation
from ..fields.far import FarField
from ..fields.gains import decibels
from ..network.feed import inputs_of
from ..network.flow import Flow
from . import near_question
from .asking import BEARINGS, QUESTIONS, Asked, ask, bearing, chosen_cases, degrees, question, stacked
from .run import CaseRun, Run

__all__ = ["QUESTIONS", "Asked", "ask", "near_question"]

_UPRIGHT, _ROUND = 1e-3, 0.05
"""Radians from the zenith, and axial ratio in dB, below which an azimuth and a tilt are noise."""


def _labelled(columns: dict[str, Floats], label: str, several: bool) -> dict[str, Floats]:
    return {f"{name}, {label}" if several else name: values for name, values in columns.items()}


@question("cut", "a pattern along a cut, by angle: --plane, --elevation, --azimuth, --step, --quantity")
def _cut(run: Run, asked: Asked) -> pd.DataFrame:
    return _along({label: one.field for label, one in chosen_cases(run, asked.cases)}, asked)


@question("embedded", "the same of every port alone, the others closed by their references")
def _embedded(run: Run, asked: Asked) -> pd.DataFrame:
    return _along(run.embedded(), asked)


def _along(fields: dict[str, FarField], asked: Asked) -> pd.DataFrame:
    """Fields along the one cut that is asked for, side by side."""
    ways: list[dict[str, Any]] = [{"plane": p} for p in asked.plane]
    ways += [{"elevation": degrees(e, "--elevation")} for e in asked.elevation]
    ways += [{"azimuth": degrees(a, "--azimuth")} for a in asked.azimuth]
    if len(ways) != 1:
        raise UsageError("ask cut: give exactly one of --plane, --elevation and --azimuth: angles of two are not alike")
    if not 0.01 <= asked.step <= 90.0:
        raise UsageError(f"ask cut: step {asked.step:g} is outside 0.01 to 90 deg")
    found = pd.DataFrame()
    for label, field in fields.items():
        cut = field.cut(**ways[0], step=asked.step)
        missing = [q for q in asked.quantity if q not in cut]
        if missing:
            known = [str(name) for name in cut.data_vars if not str(name).startswith("e_")]
            raise UsageError(f"ask cut: {unknown('quantity', missing[0], known)}")
        columns = {f"{q}_{cut[q].attrs['units']}": cut[q].values for q in asked.quantity}
        # As the files have them: to a millionth of a degree.
        index = pd.Index(np.round(cut.angle.values, 6), name=f"{str(cut.attrs['angle']).replace(' ', '_')}_deg")
        found = found.join(pd.DataFrame(_labelled(columns, label, len(fields) > 1), index=index), how="outer")
    return found


@question("directions", "gain (dBi) by elevation and azimuth: --elevation, --azimuth (degrees or N, NE, ...)")
def _directions(run: Run, asked: Asked) -> pd.DataFrame:
    elevations = [degrees(e, "--elevation") for e in asked.elevation or ("0",)]
    azimuths = {a: bearing(a) for a in asked.azimuth or BEARINGS}
    rows = []
    for label, one in chosen_cases(run, asked.cases):
        for elevation in elevations:
            theta = np.full(len(azimuths), math.radians(90.0 - elevation))
            gain = decibels(one.field.gain(theta, np.radians(list(azimuths.values()))))
            rows.append((label, elevation, *gain))
    return pd.DataFrame(rows, columns=["case", "elevation_deg", *azimuths]).set_index(["case", "elevation_deg"])


@question("lobes", "every lobe in all directions, the strongest first, gain and level (dB)")
def _lobes(run: Run, asked: Asked) -> pd.DataFrame:
    return stacked((label, one.field.all_lobes()) for label, one in chosen_cases(run, asked.cases))


@question("matrix", "S, Z or Y of all ports at every frequency: --parameters")
def _matrix(run: Run, asked: Asked) -> pd.DataFrame:
    network = run.solution.network
    makers = {"S": network.s, "Z": network.z, "Y": network.y}
    if asked.parameters not in makers:
        raise UsageError(f"ask matrix: parameters '{asked.parameters}' is not S, Z or Y")
    values = makers[asked.parameters]().values
    rows = [
        (hertz, into, by, v.real, v.imag, float(decibels(abs(v) ** 2)), math.degrees(math.atan2(v.imag, v.real)))
        for hertz, matrix in zip(network.frequencies.tolist(), values, strict=True)
        for into, row in zip(network.ports, matrix, strict=True)
        for by, v in zip(network.ports, row, strict=True)
    ]
    columns = ["frequency_Hz", "into", "by", "re", "im", "size_dB", "angle_deg"]
    return pd.DataFrame(rows, columns=columns).set_index("frequency_Hz")


@question("coupling", "between every pair of ports, dB, at every frequency")
def _coupling(run: Run, _: Asked) -> pd.DataFrame:
    network = run.solution.network
    if len(network.ports) < 2:
        raise UsageError("ask coupling: there is one port, which is coupled to no other")
    s = network.s().values
    pairs = list(zip(*np.tril_indices(len(network.ports), -1), strict=True))
    columns = {f"{network.ports[j]} to {network.ports[i]}": decibels(np.abs(s[:, i, j]) ** 2) for i, j in pairs}
    return pd.DataFrame(columns, index=pd.Index(network.frequencies, name="frequency_Hz"))


@question("polarisation", "where the beam is, and what of it: axial ratio (dB), tilt, gain and power by polarisation")
def _polarisation(run: Run, asked: Asked) -> pd.DataFrame:
    rows = []
    for _, one in chosen_cases(run, asked.cases):
        field = one.field
        theta, phi = field.peak
        towards = field.towards([math.sin(theta) * math.cos(phi), math.sin(theta) * math.sin(phi), math.cos(theta)])
        power = {f"power_{k}": v / field.radiated for k, v in field.radiated_by_polarisation().items()}
        axial = towards["axial_ratio"]
        # Straight up there is no azimuth, a circle has no long axis, and a line no ratio of axes.
        azimuth = math.degrees(phi) if _UPRIGHT < theta < math.pi - _UPRIGHT else math.nan
        rows.append(
            {"case": one.case.name, "frequency_Hz": one.driven.frequency, "azimuth_deg": azimuth,
             "elevation_deg": 90.0 - math.degrees(theta), "gain_dBi": towards["gain"],
             "axial_ratio_dB": math.nan if axial > polarisation.LINEAR else axial,
             "tilt_deg": math.nan if axial < _ROUND else towards["tilt"],
             "rhcp_dBi": towards["gain_rhcp"], "lhcp_dBi": towards["gain_lhcp"]} | power
        )  # fmt: skip
    return pd.DataFrame(rows).set_index(["case", "frequency_Hz"])


@question("ports", "voltage, current, impedance and power at every port, and where it is (m)")
def _ports(run: Run, asked: Asked) -> pd.DataFrame:
    places = np.array([run.solution.antenna.place_of(p) for p in run.solution.antenna.ports])
    where = {f"{axis}_m": places[:, i] for i, axis in enumerate("xyz")}
    return stacked(
        (label, one.driven.ports_table().assign(**where).reset_index()) for label, one in chosen_cases(run, asked.cases)
    )


@question("currents", "current, charge and surface field along every wire")
def _currents(run: Run, asked: Asked) -> pd.DataFrame:
    return stacked((label, one.driven.currents_table()) for label, one in chosen_cases(run, asked.cases))


@question("voltage", "the potential along every wire, V peak, against infinity")
def _voltage(run: Run, asked: Asked) -> pd.DataFrame:
    return stacked((label, one.driven.potential_table()) for label, one in chosen_cases(run, asked.cases))


@question("budget", "where every watt goes")
def _budget(run: Run, asked: Asked) -> pd.DataFrame:
    return stacked((label, one.driven.budget().reset_index()) for label, one in chosen_cases(run, asked.cases))


@question("weights", "what is sent towards every port: amplitude, level below the greatest (dB), phase; and its place")
def _weights(run: Run, asked: Asked) -> pd.DataFrame:
    places = np.array([run.solution.antenna.place_of(p) for p in run.solution.antenna.ports])
    names = [port.name for port in run.solution.antenna.ports]

    def told(one: CaseRun) -> pd.DataFrame:
        waves = one.waves.values
        size = np.abs(waves)
        with np.errstate(divide="ignore"):
            level = np.round(20.0 * np.log10(size / size.max()), 9) + 0.0
        phase = np.where(size > 0.0, np.degrees(np.angle(waves)), math.nan)
        where = {f"{axis}_m": places[:, i] for i, axis in enumerate("xyz")}
        return pd.DataFrame({"port": names, "wave_sqrtW": size, "level_dB": level, "phase_deg": phase, **where})

    return stacked((label, told(one)) for label, one in chosen_cases(run, asked.cases))


def _through(run: Run, asked: Asked, *, heard: bool = False) -> list[tuple[str, CaseRun]]:
    """Cases that drive inputs of a circuit, or listen at one."""
    found = [(label, one) for label, one in chosen_cases(run, asked.cases)
             if (one.driven.heard if heard else one.driven.feed) is not None]  # fmt: skip
    if not found:
        said = "listens at an input of a circuit" if heard else "drives an input of a circuit"
        raise UsageError(f"no case {said}: the file says so by [circuit] and {'receive' if heard else 'power'}")
    return found


def beam_rows(cases: Sequence[tuple[str, CaseRun]]) -> pd.DataFrame:
    """Of cases that drive inputs, a row each."""
    rows = [{"case": c.case.name, "frequency_Hz": c.driven.frequency} | beam_row(c.driven, c.field) for _, c in cases]
    return pd.DataFrame(rows).set_index(["case", "frequency_Hz"])


def heard_rows(cases: Sequence[tuple[str, CaseRun]]) -> pd.DataFrame:
    """Of cases that listen, a row each."""
    rows = [{"case": c.case.name, "frequency_Hz": c.driven.frequency} | heard_row(c.driven, c.field) for _, c in cases]
    return pd.DataFrame(rows).set_index(["case", "frequency_Hz"])


@question(
    "beams", "of cases that drive a circuit: where each beam goes, EIRP in all and by polarisation, widths, lobes"
)
def _beams(run: Run, asked: Asked) -> pd.DataFrame:
    return beam_rows(_through(run, asked))


@question("reception", "of cases that listen: where each beam is, gain up to the output, noise temperature, G/T")
def _reception(run: Run, asked: Asked) -> pd.DataFrame:
    return heard_rows(_through(run, asked, heard=True))


@question("inputs", "of a circuit that is driven: impedance, VSWR and power at every input")
def _inputs(run: Run, asked: Asked) -> pd.DataFrame:
    return stacked((label, inputs_of(flow).reset_index()) for label, flow in _flows(run, asked))


@question("levels", "waves, voltage and current at every port of every part of the circuit")
def _levels(run: Run, asked: Asked) -> pd.DataFrame:
    return stacked((label, flow.levels().reset_index()) for label, flow in _flows(run, asked))


@question("parts", "the power that every part of the circuit takes, or gives (below zero)")
def _parts(run: Run, asked: Asked) -> pd.DataFrame:
    return stacked((label, flow.budget().reset_index()) for label, flow in _flows(run, asked))


def _flows(run: Run, asked: Asked) -> Iterator[tuple[str, Flow]]:
    for label, one in _through(run, asked):
        assert one.driven.feed is not None
        yield label, one.driven.feed


@question("sector", "least, mean and greatest gain (dBi) about directions: --elevation, --azimuth, --within")
def _sector(run: Run, asked: Asked) -> pd.DataFrame:
    rows = []
    for label, one in chosen_cases(run, asked.cases):
        for elevation in asked.elevation or ("0",):
            for azimuth in asked.azimuth or ("0",):
                up, turn = math.radians(degrees(elevation, "--elevation")), math.radians(bearing(azimuth))
                towards = (math.cos(up) * math.cos(turn), math.cos(up) * math.sin(turn), math.sin(up))
                gains = {f"{which}_dBi": gain for which, gain in one.field.sector(towards, asked.within).items()}
                rows.append({"case": label, "elevation": elevation, "azimuth": azimuth, **gains})
    return pd.DataFrame(rows).set_index("case")
