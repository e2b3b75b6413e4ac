"""What a page can be about: anything that has been solved or measured, as one kind of thing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pandas as pd

from ...answers.cases import Case
from ...answers.solution import Solution
from ...arrays.array import Array
from ...arrays.solved import SolvedArray
from ...checks.check import check
from ...checks.findings import Finding
from ...description.design import Design
from ...errors import UsageError
from ...files.design_file import DesignFile, FileBuild
from ...files.design_text import design_text
from ...files.stored import stored
from ...network.network import Network
from ...network.sources import watts
from ...network.trace import Trace
from ...runs import run as runs
from ...runs.run import CaseRun, Run, circuit_findings
from ...studies.fitting import Fitted
from ...studies.optimising import Front, Optimised
from ...studies.plans import Answer
from ...studies.tolerating import Toleranced
from ...studies.tuning import Tuned
from ...studies.varying import Study

_TOLD: dict[type, tuple[str, ...]] = {
    Tuned: ("values", "goals", "tries"),
    Optimised: ("values", "goals", "tries"),
    Front: ("points", "tries"),
    Toleranced: ("percentiles", "yields", "shares"),
    Fitted: ("values", "curve", "tries"),
}
"""What is shown of a study that changes values by itself."""

Reportable = Run | Solution | SolvedArray | Network | Trace | Answer | DesignFile | str | Path


@dataclass(frozen=True)
class Subject:
    """A model that was solved, by the name it goes by on the page.

    cases: how it is driven, the first one first. text, tables: its design file and what that names. values: of the
    design. errors: the ± of the mesh in the first case, if it is known.
    """

    label: str
    solution: Solution
    cases: tuple[CaseRun, ...]
    text: str
    tables: Mapping[str, str] = field(default_factory=dict)
    values: pd.DataFrame | None = None
    notes: tuple[str, ...] = ()
    findings: tuple[Finding, ...] = ()
    errors: pd.DataFrame | None = None

    @property
    def title(self) -> str:
        """The antenna's name."""
        return self.solution.antenna.name


@dataclass(frozen=True, slots=True)
class Measured:
    """A curve without an antenna."""

    label: str
    network: Network | Trace


@dataclass(frozen=True, slots=True)
class Table:
    """What came of a study: its tables by name; of one that varies values, which columns say how, and the units."""

    label: str
    tables: Mapping[str, pd.DataFrame]
    changes: tuple[str, ...] = ()
    units: Mapping[str, str] = field(default_factory=dict)


def subjects(given: Reportable | Mapping[str, Reportable] | Sequence[Reportable]) -> list[Subject | Measured | Table]:
    """What a page is about, each by a name of its own; design files are run, results files opened.

    Raises UsageError for what is neither, and for nothing at all.
    """
    if isinstance(given, Mapping):
        found = [_subject(one, str(label)) for label, one in given.items()]
    else:
        several = given if isinstance(given, list | tuple) else [given]
        found = [_subject(one, None) for one in several]
    if not any(isinstance(one, Subject) for one in found):
        raise UsageError("report: there is no model to show: give a design, a run or a solution; curves alone are not")
    taken: dict[str, int] = {}
    unique = []
    for one in found:
        taken[one.label] = taken.get(one.label, 0) + 1
        again = f"{one.label} ({taken[one.label]})" if taken[one.label] > 1 else one.label
        unique.append(_named(one, again))
    return unique


def _named(one: Subject | Measured | Table, label: str) -> Subject | Measured | Table:
    from dataclasses import replace

    return replace(one, label=label)


def _subject(given: Any, label: str | None) -> Subject | Measured | Table:
    if isinstance(given, str | Path):
        from ...files.curves import read_network
        from ...files.results import is_results

        path = Path(given)
        if is_results(path):
            given = runs.open_run(path)
        elif path.suffix.lower() == ".toml":
            given = runs.run(path)
        else:
            given = read_network(path)
            label = label or path.stem
    if isinstance(given, DesignFile):
        given = runs.run(given)
    if isinstance(given, SolvedArray):
        given = given.solution
    if isinstance(given, Run):
        return _of_run(given, label)
    if isinstance(given, Solution):
        return _of_solution(given, label)
    if isinstance(given, Network | Trace):
        return Measured(label or given.label or "measured", given)
    if isinstance(given, Study):
        return Table(label or given.title, {"": given.table}, given.changes, given.units)
    for kind, names in _TOLD.items():
        if isinstance(given, kind):
            return Table(label or kind.__name__.lower(), {name: _framed(getattr(given, name)) for name in names})
    if isinstance(given, Array):
        raise UsageError("report: an Array without coupling has no ports to drive: solve it with repeated(...) first")
    if isinstance(given, Design):
        raise UsageError("report: a Design is not solved yet: give solve(design, ...), or its design file")
    raise UsageError(
        f"report: a {type(given).__name__} is no model: give a run, a solution, a design file, a results file, a "
        "network or a study"
    )


def _framed(table: pd.DataFrame | pd.Series) -> pd.DataFrame:
    """A table whose rows say what they are."""
    frame = table.to_frame("share") if isinstance(table, pd.Series) else table
    return frame if frame.index.name else frame.rename_axis(index="of")


def _of_run(one: Run, label: str | None) -> Subject:
    antenna, file = one.solution.antenna, one.file
    built = isinstance(file.design.build, FileBuild)
    text, tables = stored(one.solution, file, file.design.frequency or float(one.solution.solved[0]))
    text = design_text(file.design) if built else text
    found = [*check(antenna, file.highest), *circuit_findings(file, antenna)]
    return Subject(
        label or file.title or antenna.name, one.solution, one.cases, text, tables, one.values, one.notes,
        tuple(found), one.mesh_errors(every=True),
    )  # fmt: skip


def _of_solution(one: Solution, label: str | None) -> Subject:
    """A solution without a file: every port of one alone, or the first of several, with one watt available."""
    name, hertz = one.antenna.ports[0].name, _middle(one)
    several = len(one.antenna.ports) > 1
    case = Case(f"{name} alone" if several else "1 W available", {name: watts(1.0)}, (hertz,))
    driven = one.run(case)[case.name]
    text, tables = stored(one, None, hertz)
    return Subject(
        label or one.antenna.name, one, tuple(CaseRun(case, d) for d in driven), text, tables,
        findings=tuple(check(one.antenna, float(one.frequencies[-1]))),
    )  # fmt: skip


def _middle(one: Solution) -> float:
    """The solved frequency that is best matched at its first port."""
    reflected = abs(one.network.s().values[:, 0, 0])
    here = [int(abs(one.frequencies - f).argmin()) for f in one.solved]
    return float(one.solved[min(range(len(here)), key=lambda n: reflected[here[n]])])
