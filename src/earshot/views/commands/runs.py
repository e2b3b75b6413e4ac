"""Running a design file: solve its frequencies, drive its cases, gather what is to be printed and written."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from ...answers.cases import Case, Cut
from ...answers.comparing import compare
from ...answers.driven import Driven
from ...answers.evidence import Evidence, evidence
from ...answers.frequencies import Band, wanted
from ...answers.solution import Solution
from ...answers.solve import solve
from ...errors import UsageError
from ...fields.far import FarField
from ...files.atomic import Written, stem_of
from ...files.design_file import DesignFile
from ...files.results import Saved, is_results, read_saved, write_results
from ...files.tables import network_table, records, write
from ...network.sources import watts
from ...units import engineering
from ..tables import (
    band_tables,
    budget_table,
    drive_table,
    evidence_table,
    field_table,
    model_line,
    network_tables,
    record_table,
    sector_table,
)
from .options import load
from .screen import complain, progress

WORST_BALANCE = 0.02
"""How far power may be off, over what is accepted, before it is said."""


@dataclass(frozen=True, slots=True)
class CaseRun:
    """One case, driven."""

    case: Case
    driven: Driven
    field: FarField

    def sectors(self) -> dict[str, dict[str, float]]:
        """Least, mean and greatest gain in every sector it names, dBi."""
        return {name: self.field.sector(*sector) for name, sector in self.case.sectors.items()}

    @property
    def title(self) -> str:
        """What the case is called in tables."""
        return f"case {self.case.name} at {engineering(self.driven.frequency, 'Hz', 6)}"


@dataclass(frozen=True, slots=True)
class Run:
    """A design file, solved. values: as `Design.table` gives them."""

    file: DesignFile
    solution: Solution
    cases: tuple[CaseRun, ...]
    evidence: Evidence | None
    values: pd.DataFrame

    def figures_at(self, hertz: float, label: str) -> pd.DataFrame:
        """Every figure at a frequency, driven as the first case says: a column of its own, and the units."""
        case = self.cases[0].case
        return compare({label: self.solution}, dict(case.sources) or None, hertz, terminations=case.terminations)


def cut_of(field: FarField, cut: Cut) -> Any:
    """The samples of a cut named in a file."""
    if cut.plane is not None:
        return field.cut(cut.plane)
    return field.cut(elevation=cut.elevation, azimuth=cut.azimuth)


def run(file: DesignFile, *, own_frequencies: bool = True, with_evidence: bool = False) -> Run:
    """Solve and drive a design file, and say so when that takes a while.

    own_frequencies: cases are driven at the frequencies they name, which are solved with the rest; otherwise at every
    frequency that was asked for. Raises UsageError when the file says nothing to drive but has several ports.
    """
    cases = file.cases or _lone_case(file)
    if own_frequencies:
        hertz: list[float | str | Band] = [*file.frequencies, *(f for c in cases for f in c.frequencies)]
    else:
        hertz = list(file.frequencies)
        cases = tuple(replace(case, frequencies=tuple(file.asked.single.tolist())) for case in cases)
    with progress():
        solution = solve(file.design, hertz)
        runs = _driven(solution, cases)
        if with_evidence:
            first = cases[0]
            sources, hertz_of_first = dict(first.sources) or None, first.frequencies[0]
            proof = evidence(solution, sources, hertz_of_first, terminations=first.terminations)
            solution = replace(solution, evidence=proof)
    return Run(file, solution, runs, solution.evidence, file.design.table())


def _driven(solution: Solution, cases: Sequence[Case]) -> tuple[CaseRun, ...]:
    driven = solution.run(*cases)
    runs = tuple(CaseRun(case, one, one.far_field()) for case in cases for one in driven[case.name])
    for one in runs:
        if abs(one.driven.balance) > WORST_BALANCE:
            complain(
                f"warning: {one.title}: power does not balance, radiated and lost are {1.0 + one.driven.balance:.3g} "
                "times what is accepted: do not trust gain and efficiency; check what nearly touches, and solve with "
                "--evidence"
            )
    return runs


def opened(path: Path, sets: list[str] | None = None, frequencies: list[str] | None = None) -> Run:
    """A design file, solved with a word about it, or a results file, opened without solving.

    Raises UsageError for values to be changed in a results file, and for frequencies it was not solved at.
    """
    if not is_results(path):
        file = load(path, sets, frequencies)
        complain(f"solving {file.title}: {path}")
        return run(file, own_frequencies=not frequencies)
    if sets:
        raise UsageError(f"--set changes a design; '{path.name}' holds results: give its design file instead")
    return _reopened(read_saved(path), path.name, wanted(frequencies).single.tolist() if frequencies else None)


def _reopened(saved: Saved, name: str, frequencies: list[float] | None) -> Run:
    """What a results file holds, driven at frequencies that were solved and no others."""
    solution, solved = saved.solution, saved.solution.solved

    def kept(wished: Sequence[float | str]) -> tuple[float, ...]:
        found = [float(solved[np.abs(solved - float(f)).argmin()]) for f in wished]
        missing = [f for f, near in zip(wished, found, strict=True) if abs(float(f) - near) > 1e-9 * near]
        if missing and frequencies is not None:
            there = ", ".join(engineering(float(f), "Hz", 6) for f in solved)
            raise UsageError(
                f"'{name}' was not solved at {engineering(float(missing[0]), 'Hz', 6)}, but at {there}: choose one of "
                "them, or solve the design again"
            )
        for f in missing:
            complain(f"note: {name} was not solved at {engineering(float(f), 'Hz', 6)}; taking the nearest that was")
        return tuple(dict.fromkeys(found))

    cases = tuple(
        replace(case, frequencies=kept(frequencies or case.frequencies))
        for case in saved.file.cases or _first_case(saved.file, name)
    )
    values = pd.DataFrame(
        [(n, v["si"], v["kind"], v["written"]) for n, v in saved.values.items()],
        columns=["name", "value", "kind", "written"],
    ).set_index("name")
    return Run(saved.file, solution, _driven(solution, cases), solution.evidence, values)


def joined(tables: Sequence[pd.DataFrame]) -> pd.DataFrame:
    """Figures of several models as one table; what a model has not is missing."""
    unit: dict[str, str] = {}
    for table in tables:
        unit |= dict(table["unit"])
    columns = [table.drop(columns="unit") for table in tables]
    whole = pd.concat(columns, axis=1).reindex(list(unit)).rename_axis("figure")
    whole.insert(0, "unit", pd.Series(unit))
    return whole


def _lone_case(file: DesignFile) -> tuple[Case, ...]:
    """With one port there is only one way to drive it."""
    if len(file.design.antenna.ports) > 1:
        raise UsageError(
            f"'{file.title}' has several ports and no case says how they are driven: "
            "add a [case.NAME] with power = { PORT = '1 W' }"
        )
    assert file.design.frequency is not None
    return (Case("1 W available", {}, (file.design.frequency,)),)


def _first_case(file: DesignFile, name: str) -> tuple[Case, ...]:
    """Of several ports that no case drives, the first alone, and a word about it."""
    ports = file.design.antenna.ports
    if len(ports) == 1:
        return _lone_case(file)
    complain(f"note: no case of {name} says how its ports are driven: this drives port '{ports[0].name}' alone")
    assert file.design.frequency is not None
    return (Case(f"{ports[0].name} alone", {ports[0].name: watts(1.0)}, (file.design.frequency,)),)


def tables(result: Run) -> Iterator[Any]:
    """Everything to print, in order."""
    yield model_line(result.solution)
    yield from network_tables(result.solution.network)
    yield from band_tables(result.solution.network)
    for case in result.cases:
        yield field_table(case.field, case.title)
        if case.case.sectors:
            yield sector_table(case.sectors())
        if len(result.solution.antenna.ports) > 1:
            yield drive_table(case.driven)
        if case.driven.losses():
            yield budget_table(case.driven)
    if result.evidence is not None:
        yield evidence_table(result.evidence)
        yield record_table(result.solution)


def as_json(result: Run) -> dict[str, Any]:
    """Everything to print, as plain values."""
    solution = result.solution
    content: dict[str, Any] = {
        "antenna": solution.antenna.name,
        "medium": str(solution.antenna.medium),
        "values": records(result.values),
        "unknowns": solution.unknowns,
        "seconds": solution.seconds,
        "record": records(solution.run_record()),
        "solved_Hz": solution.solved,
        "band_error": solution.band_error,
        "network": records(network_table(solution.network)),
        "resonances": {p: records(solution.network.resonances(p)) for p in solution.network.ports},
        "within_VSWR_2": {p: records(solution.network.bandwidth(p, vswr=2.0)) for p in solution.network.ports},
        "cases": [
            {
                "name": case.case.name,
                "frequency_Hz": case.driven.frequency,
                "ports": records(case.driven.ports_table()),
                "figures": records(case.field.summary()),
                "power_balance": case.driven.balance,
                "budget": records(case.driven.budget()),
                "sectors": case.sectors(),
            }
            for case in result.cases
        ],
    }
    if result.evidence is not None:
        content["evidence"] = records(result.evidence.to_frame())
    return content


def write_all(result: Run, folder: Path) -> list[Path]:
    """Write networks, currents and cuts into a folder; returns what was written."""
    network = result.solution.network
    first = network.references[0]
    alike = (network.references == first).all() and not first.imag
    common = network if alike else network.referred_to(float(first.real))
    written = Written(folder)
    write_results(result.solution, written.path("results.nc"), result.file)
    write(network, written.path("network.csv"))
    write(network, written.path("network.json"))
    write(common, written.path(f"network.s{len(network.ports)}p"))
    for case in result.cases:
        stem = stem_of(case.case.name)
        if len(result.cases) > len({c.case.name for c in result.cases}):
            stem += f"-{case.driven.frequency / 1e6:.9g}-MHz"
        if case.driven.antenna.wires:
            write(case.driven.currents_table(), written.path(f"{stem}-currents.csv"))
        if case.driven.antenna.sheets:
            write(case.driven.sheet_currents_table(), written.path(f"{stem}-sheet-currents.csv"))
        write(case.field.summary(), written.path(f"{stem}-figures.csv"))
        for name, points in case.case.near.items():
            write(case.driven.near_field(points).to_dataset(), written.path(f"{stem}-near-{stem_of(name)}.csv"))
        for cut in case.case.cuts:
            samples = cut_of(case.field, cut)
            name = cut.plane or stem_of(str(samples.attrs["cut"]).replace("°", " deg"))
            write(samples, written.path(f"{stem}-cut-{name}.csv"))
    return list(written.paths.values())
