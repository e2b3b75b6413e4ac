"""Running a design file: solve its frequencies, drive its cases; or open what a results file holds of that."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from .. import units
from ..answers.accuracy import Within, fine_enough
from ..answers.cases import Case
from ..answers.comparing import compare
from ..answers.driven import Driven
from ..answers.evidence import Evidence, evidence
from ..answers.frequencies import Band, wanted
from ..answers.mesh_errors import mesh_errors
from ..answers.solution import Solution
from ..answers.solve import solve
from ..arrays.weights import Weights
from ..checks.circuit_check import check_circuit
from ..checks.findings import Finding
from ..description.antenna import Antenna
from ..errors import UsageError
from ..fields.far import FarField
from ..files.design_file import DesignFile
from ..files.design_text import AnyDesign, as_file
from ..files.results import read_saved
from ..lettering import Told
from ..network.feed import Feed
from ..network.sources import watts
from ..units import engineering
from . import written

_HELD = 0.05
"""Decibels of compression that are worth a word."""
WORST_BALANCE = 0.02
"""How far power may be off, over what is accepted, before it is said."""


@dataclass(frozen=True, repr=False)
class CaseRun(Told):
    """One case, driven."""

    case: Case
    driven: Driven

    @cached_property
    def field(self) -> FarField:
        """Its far field; raises UsageError between planes, where there is none."""
        return self.driven.far_field()

    @property
    def radiates(self) -> bool:
        """Whether it has one."""
        return not self.driven.antenna.medium.shut

    def _in_words(self) -> str:
        return self.title

    def sectors(self) -> dict[str, dict[str, float]]:
        """Least, mean and greatest gain in every sector it names, dBi."""
        return {name: self.field.sector(*sector) for name, sector in self.case.sectors.items()}

    @property
    def waves(self) -> Weights:
        """What it sends towards every port, √W: none where it drives nothing."""
        driven = self.driven
        references = np.array([p.reference for p in driven.antenna.ports])
        waves = (driven.voltages + references * driven.currents) / np.sqrt(8.0 * references.real)
        return Weights(np.where([p.name in driven.driven for p in driven.antenna.ports], waves, 0.0))

    @property
    def title(self) -> str:
        """What the case is called in tables."""
        return f"case {self.case.name} at {engineering(self.driven.frequency, 'Hz', 6)}"


@dataclass(frozen=True, slots=True, repr=False)
class Run(Told):
    """A design file, solved. values: as `Design.table` gives them. notes: what is to be known of it, in words.
    within: how its mesh was refined, if that was asked for.
    """

    file: DesignFile
    solution: Solution
    cases: tuple[CaseRun, ...]
    values: pd.DataFrame
    notes: tuple[str, ...] = ()
    within: Within | None = None

    def _in_words(self) -> str:
        return f"'{self.file.title}', {', '.join(one.title for one in self.cases)}"

    @property
    def evidence(self) -> Evidence | None:
        """How far to trust it, when that was asked for."""
        return self.solution.evidence

    def mesh_errors(self, *, every: bool = False) -> pd.DataFrame | None:
        """Figures of the first case with the estimated error of the mesh; None where the solve did not keep that,
        and between planes.

        every: all figures, as of `mesh_errors`.
        """
        case, hertz = self.cases[0].case, self.cases[0].driven.frequency
        if not (self.cases[0].radiates and self.solution.tells_errors(hertz)):
            return None
        return mesh_errors(self.solution, case.drive, hertz, terminations=case.terminations, every=every)

    def embedded(self) -> dict[str, FarField]:
        """The far field of every port alone, the others closed by their references, where the first case is driven."""
        hertz = self.cases[0].driven.frequency
        ports = [port.name for port in self.solution.antenna.ports]
        return {name: self.solution.drive({name: watts(1.0)}, hertz).far_field() for name in ports}

    def unsaturated(self) -> dict[str, FarField]:
        """Of cases whose amplifiers are held back, the far field if they never were, by name."""
        found = {}
        for one in self.cases:
            feed, flow = one.case.feed, one.driven.feed
            if isinstance(feed, Feed) and flow is not None and min(flow.compressed.values(), default=0.0) < -_HELD:
                driven = self.solution.drive(feed.linear, one.driven.frequency, terminations=one.case.terminations)
                found[one.case.name] = driven.far_field()
        return found

    def figures_at(self, hertz: float, label: str) -> pd.DataFrame:
        """Every figure at a frequency, driven as the first case says: a column of its own, and the units."""
        case = self.cases[0].case
        return compare(
            {label: self.solution}, case.drive, hertz, terminations=case.terminations,
            sectors=case.sectors,
        )  # fmt: skip

    def to_dict(self) -> dict[str, Any]:
        """Everything it tells, as plain values that JSON holds."""
        return written.told(self)

    def write(self, folder: str | Path) -> list[Path]:
        """Write results, networks, currents, figures and cuts into a folder; returns what was written."""
        return written.write_all(self, Path(folder))


def run(
    file: AnyDesign,
    *,
    own_frequencies: bool = True,
    with_evidence: bool = False,
    within: Sequence[str] = (),
    method: str = "auto",
) -> Run:
    """Solve and drive a design file: its frequencies, and its cases in turn.

    own_frequencies: cases are driven at the frequencies they name, which are solved with the rest; otherwise at every
    frequency that was asked for. with_evidence: solve the first case once more, finer. within: how near the first case
    is to be, "1 %" of the impedance, "0.1 dB" of the gain: the mesh is refined until it is. method: see `solve`. Raises
    UsageError when the file says nothing to drive but has several ports, and as `read_design` and `solve` do.
    """
    file = as_file(file)
    cases = file.cases or lone_case(file)
    if own_frequencies:
        hertz: list[float | str | Band] = [*file.frequencies, *(f for c in cases for f in c.frequencies)]
    else:
        hertz = list(file.frequencies)
        cases = tuple(replace(case, frequencies=tuple(file.asked.single.tolist())) for case in cases)
    first = cases[0]
    sources, hertz_of_first = first.drive, first.frequencies[0]
    fine = None
    if within:
        fine = fine_enough(
            file.design, units.frequency(hertz_of_first), within, sources, terminations=first.terminations
        )
    solution = solve(file.design, hertz, rule=None if fine is None else fine.rule, method=method)
    runs = _driven(solution, cases)
    if with_evidence:
        proof = evidence(solution, sources, hertz_of_first, terminations=first.terminations)
        solution = replace(solution, evidence=proof)
    said = () if fine is None else (fine.words,)
    return Run(file, solution, runs, file.design.table(), (*said, *_way(solution), *_doubts(runs)), fine)


def _way(solution: Solution) -> Iterator[str]:
    """How it was solved, where that was by iterations."""
    found = {way for way in solution.record.ways.values() if way != "dense"}
    if found:
        many = f" at the hardest of {len(solution.record.ways)} frequencies" if len(solution.record.ways) > 1 else ""
        yield f"note: {solution.unknowns} unknowns, solved fast: {max(found, key=_steps)}{many}"


def _steps(way: str) -> int:
    return int(way.split()[0])


def open_run(path: str | Path, frequencies: Sequence[str | float] | None = None) -> Run:
    """What a results file holds, driven as its cases say, without solving; at some of its frequencies, or at theirs.

    Raises UsageError for frequencies that were not solved.
    """
    saved, name = read_saved(Path(path)), Path(path).name
    asked = wanted(list(frequencies)).single.tolist() if frequencies else None
    solution, solved, notes = saved.solution, saved.solution.solved, []

    def kept(wished: Sequence[float | str]) -> tuple[float, ...]:
        found = [float(solved[np.abs(solved - float(f)).argmin()]) for f in wished]
        missing = [f for f, near in zip(wished, found, strict=True) if abs(float(f) - near) > 1e-9 * near]
        if missing and asked is not None:
            there = ", ".join(engineering(float(f), "Hz", 6) for f in solved)
            raise UsageError(
                f"'{name}' was not solved at {engineering(float(missing[0]), 'Hz', 6)}, but at {there}: choose one of "
                "them, or solve the design again"
            )
        for f in missing:
            notes.append(
                f"note: {name} was not solved at {engineering(float(f), 'Hz', 6)}; taking the nearest that was"
            )
        return tuple(dict.fromkeys(found))

    cases = saved.file.cases
    if not cases:
        cases, said = _first_case(saved.file, name)
        notes += said
    cases = tuple(replace(case, frequencies=kept(asked or case.frequencies)) for case in cases)
    values = pd.DataFrame(
        [(n, v["si"], v["kind"], v["written"]) for n, v in saved.values.items()],
        columns=["name", "value", "kind", "written"],
    ).set_index("name")
    runs = _driven(solution, cases)
    return Run(saved.file, solution, runs, values, (*notes, *_doubts(runs)))


def circuit_findings(file: DesignFile, antenna: Antenna) -> list[Finding]:
    """What there is to say of the circuits its cases go through, once each."""
    ports = {port.name: port.reference for port in antenna.ports}
    found: dict[Finding, None] = {}
    for case in file.cases:
        if case.feed is not None:
            places = [units.frequency(f) for f in case.frequencies]
            found |= dict.fromkeys(check_circuit(case.feed.circuit, ports, places))
    return list(found)


def _driven(solution: Solution, cases: Sequence[Case]) -> tuple[CaseRun, ...]:
    driven = solution.run(*cases)
    return tuple(CaseRun(case, one) for case in cases for one in driven[case.name])


def _doubts(runs: Sequence[CaseRun]) -> Iterator[str]:
    """A word on every case whose power does not balance."""
    for one in runs:
        if abs(one.driven.balance) > WORST_BALANCE:
            yield (
                f"warning: {one.title}: power does not balance, radiated and lost are {1.0 + one.driven.balance:.3g} "
                "times what is accepted: do not trust gain and efficiency; check what nearly touches, and solve with "
                "--evidence"
            )


def lone_case(file: DesignFile) -> tuple[Case, ...]:
    """With one port there is only one way to drive it."""
    if len(file.design.antenna.ports) > 1:
        raise UsageError(
            f"'{file.title}' has several ports and no case says how they are driven: "
            "add a [case.NAME] with power = { PORT = '1 W' }"
        )
    assert file.design.frequency is not None
    return (Case("1 W available", {}, (file.design.frequency,)),)


def _first_case(file: DesignFile, name: str) -> tuple[tuple[Case, ...], list[str]]:
    """Of several ports that no case drives, the first alone, and a word about it."""
    ports = file.design.antenna.ports
    if len(ports) == 1:
        return lone_case(file), []
    said = f"note: no case of {name} says how its ports are driven: this drives port '{ports[0].name}' alone"
    assert file.design.frequency is not None
    return (Case(f"{ports[0].name} alone", {ports[0].name: watts(1.0)}, (file.design.frequency,)),), [said]
