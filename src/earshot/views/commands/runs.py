"""Runs for commands: with progress, and their notes on standard error; and what of them is printed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import pandas as pd

from ...errors import UsageError
from ...files.design_file import DesignFile
from ...files.results import is_results
from ...runs import run as runs
from ...runs.run import Run
from ..first import first_screen, headline
from ..tables import (
    band_tables,
    budget_table,
    drive_table,
    evidence_table,
    field_table,
    mesh_errors_table,
    network_tables,
    record_table,
    sector_table,
)
from .options import load
from .screen import complain, progress


def run(
    file: DesignFile, *, own_frequencies: bool = True, with_evidence: bool = False, within: Sequence[str] = (),
    method: str = "auto",
) -> Run:  # fmt: skip
    """Solve and drive a design file, and say so when that takes a while."""
    with progress():
        result = runs.run(
            file, own_frequencies=own_frequencies, with_evidence=with_evidence, within=within, method=method
        )
    return _noted(result)


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
    return _noted(runs.open_run(path, frequencies))


def _noted(result: Run) -> Run:
    for note in result.notes:
        complain(note)
    return result


def joined(tables: Sequence[pd.DataFrame]) -> pd.DataFrame:
    """Figures of several models as one table; what a model has not is missing."""
    unit: dict[str, str] = {}
    for table in tables:
        unit |= dict(table["unit"])
    columns = [table.drop(columns="unit") for table in tables]
    whole = pd.concat(columns, axis=1).reindex(list(unit)).rename_axis("figure")
    whole.insert(0, "unit", pd.Series(unit))
    return whole


def tables(result: Run, *, everything: bool = False, vswr: float = 2.0) -> Iterator[Any]:
    """What to print, in order: the first screen, or everything; and the evidence, if there is some."""
    yield from _everything(result) if everything else first_screen(result, vswr)
    if result.evidence is not None:
        yield evidence_table(result.evidence)
        yield record_table(result.solution)


def _everything(result: Run) -> Iterator[Any]:
    yield headline(result.solution)
    yield from network_tables(result.solution.network)
    yield from band_tables(result.solution.network)
    for case in result.cases:
        if case.radiates:
            yield field_table(case.field, case.title)
        if case.radiates and case.case.sectors:
            yield sector_table(case.sectors())
        if len(result.solution.antenna.ports) > 1:
            yield drive_table(case.driven)
        if case.driven.losses():
            yield budget_table(case.driven)
    errors = result.mesh_errors(every=True)
    if errors is not None:
        yield mesh_errors_table(errors, result.cases[0].title)
