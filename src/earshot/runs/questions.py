"""Every question that may be asked of a run: its name, what it is about, and the table that answers it, side by side.

A question is a function with `@question`: the command line, its help and the tests go by this register alone.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd

from .. import units
from ..arraytypes import Floats
from ..errors import UsageError, unknown
from ..fields import polarisation
from ..fields.far import FarField
from ..fields.gains import decibels
from ..fields.near import line_of_points
from .run import CaseRun, Run

BEARINGS = {name: 45.0 * n for n, name in enumerate(("E", "NE", "N", "NW", "W", "SW", "S", "SE"))}
"""Azimuths by the compass: +x is east, +y north."""
_SPACING = 1.0
_UPRIGHT, _ROUND = 1e-3, 0.05
"""Radians from the zenith, and axial ratio in dB, below which an azimuth and a tilt are noise."""
_MOST_POINTS = 100_000


@dataclass(frozen=True, slots=True)
class Asked:
    """What a question is about. cases: names, all unless given. plane, elevation, azimuth: of cuts and directions.

    step: degrees between samples. quantity: of cuts. parameters: "S", "Z" or "Y". line: where near fields are wanted,
    its two ends (x, y, z) as text, and how many points. limit: of E or H, whose place is told. rms: root mean square.
    """

    cases: Sequence[str] = ()
    plane: Sequence[str] = ()
    elevation: Sequence[str] = ()
    azimuth: Sequence[str] = ()
    step: float = _SPACING
    quantity: Sequence[str] = ("gain",)
    parameters: str = "S"
    line: tuple[str, str, int] | None = None
    which: str = "E"
    limit: float | None = None
    rms: bool = False


Answer = Callable[[Run, Asked], pd.DataFrame]


@dataclass(frozen=True, slots=True)
class Question:
    """A question: its name, what its table holds, and what answers it."""

    name: str
    about: str
    answer: Answer


QUESTIONS: dict[str, Question] = {}
"""By name."""


def question(name: str, about: str) -> Callable[[Answer], Answer]:
    """Enter a function in `QUESTIONS`."""

    def enter(answer: Answer) -> Answer:
        QUESTIONS[name] = Question(name, about, answer)
        return answer

    return enter


def ask(run: Run, name: str, asked: Asked | None = None) -> pd.DataFrame:
    """The table that answers a question; raises UsageError for one there is not, and for what it cannot be asked of."""
    if name not in QUESTIONS:
        raise UsageError(f"ask: {unknown('question', name, QUESTIONS)}")
    return QUESTIONS[name].answer(run, asked or Asked())


def chosen_cases(run: Run, wanted: Sequence[str]) -> Iterator[tuple[str, CaseRun]]:
    """The cases of those names, or all, each with what tells it from the others; raises UsageError for others."""
    names = list(dict.fromkeys(one.case.name for one in run.cases))
    for name in wanted:
        if name not in names:
            raise UsageError(f"--case: {unknown('case', name, names)}")
    for one in run.cases:
        if not wanted or one.case.name in wanted:
            yield f"{one.case.name}, {units.engineering(one.driven.frequency, 'Hz', 6)}", one


def degrees(text: str, what: str) -> float:
    """An angle in degrees, of text or a bare number of them; raises UsageError beyond two turns."""
    try:
        found = math.degrees(units.angle(float(text), what))
    except ValueError:
        found = math.degrees(units.angle(text, what))
    if abs(found) > 720.0:
        raise UsageError(f"{what}: {text} is beyond two whole turns")
    return found


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
    azimuths = {a: BEARINGS[a] if a in BEARINGS else degrees(a, "--azimuth") for a in
                asked.azimuth or BEARINGS}  # fmt: skip
    rows = []
    for label, one in chosen_cases(run, asked.cases):
        for elevation in elevations:
            theta = np.full(len(azimuths), math.radians(90.0 - elevation))
            gain = decibels(one.field.gain(theta, np.radians(list(azimuths.values()))))
            rows.append((label, elevation, *gain))
    return pd.DataFrame(rows, columns=["case", "elevation_deg", *azimuths]).set_index(["case", "elevation_deg"])


@question("lobes", "every lobe in all directions, the strongest first, gain and level (dB)")
def _lobes(run: Run, asked: Asked) -> pd.DataFrame:
    return _stacked((label, one.field.all_lobes()) for label, one in chosen_cases(run, asked.cases))


def _stacked(tables: Iterator[tuple[str, pd.DataFrame]]) -> pd.DataFrame:
    named = [table.assign(case=label) for label, table in tables]
    whole = pd.concat(named, ignore_index=True)
    return whole.set_index("case")


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
    return _stacked(
        (label, one.driven.ports_table().assign(**where).reset_index()) for label, one in chosen_cases(run, asked.cases)
    )


@question("currents", "current, charge and surface field along every wire")
def _currents(run: Run, asked: Asked) -> pd.DataFrame:
    return _stacked((label, one.driven.currents_table()) for label, one in chosen_cases(run, asked.cases))


@question("budget", "where every watt goes")
def _budget(run: Run, asked: Asked) -> pd.DataFrame:
    return _stacked((label, one.driven.budget().reset_index()) for label, one in chosen_cases(run, asked.cases))


@question("near", "E or H along a line, and how far off a limit is: --line, --field, --limit, --rms")
def _near(run: Run, asked: Asked) -> pd.DataFrame:
    if asked.line is None:
        raise UsageError("ask near: say where, such as --line '0,0,2 m' '0,0,30 m' 200")
    start, stop, count = asked.line
    if not 2 <= count <= _MOST_POINTS:
        raise UsageError(f"ask near: {count} points; give 2 to {_MOST_POINTS}")
    points = line_of_points(_place(start), _place(stop), count)
    away = np.linalg.norm(points - points[0], axis=1)
    tables = []
    unit = "V_per_m" if asked.which == "E" else "A_per_m"
    for label, one in chosen_cases(run, asked.cases):
        size = one.driven.near_field(points, in_metal="zero").magnitude(asked.which, rms=asked.rms)
        table = pd.DataFrame({"along_m": away, "x_m": points[:, 0], "y_m": points[:, 1], "z_m": points[:, 2],
                              f"{asked.which}_{unit}": size})  # fmt: skip
        if asked.limit is not None:
            table = _crossings(table, f"{asked.which}_{unit}", asked.limit)
        tables.append((label, table))
    return _stacked(iter(tables))


def _crossings(table: pd.DataFrame, what: str, limit: float) -> pd.DataFrame:
    """Where the field passes a limit along the line; between samples its logarithm is straight."""
    size, away = np.log(np.maximum(table[what].to_numpy(), 1e-300)), table["along_m"].to_numpy()
    off = size - math.log(limit)
    at = np.flatnonzero(off[:-1] * off[1:] < 0.0)
    share = off[at] / (off[at] - off[at + 1])
    places = {c: table[c].to_numpy()[at] + share * np.diff(table[c].to_numpy())[at] for c in ("x_m", "y_m", "z_m")}
    return pd.DataFrame(
        {"along_m": away[at] + share * np.diff(away)[at], **places, what: limit, "falls": off[at] > 0.0}
    )


def _place(text: str) -> list[float]:
    parts = text.split(",")
    if len(parts) != 3:
        raise UsageError(f"ask near: '{text}' is no place; give x, y, z such as '0, 0, 2 m'")
    unit = parts[2].strip().lstrip("+-0123456789.eE ")
    return [units.length(p if p.strip()[-1:].isalpha() else f"{p} {unit or 'm'}", "--line") for p in parts]
