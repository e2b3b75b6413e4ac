"""earshot diff: which values changed between two designs, and which figures moved with them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import typer

from ...answers.comparing import compare
from ...description.changes import part_changes, value_changes
from ...errors import UsageError
from ...files.design_file import DesignFile
from ...files.editing import changed, changes_of
from ...files.results import is_results
from ...files.tables import records
from ...runs.run import Run
from ...units import engineering
from ..tables import difference_tables
from .options import Frequencies, Json, ModelPath, Sets, load
from .runs import joined, opened, run
from .screen import complain, paragraphs, show, show_json

Second = Annotated[
    Path | None, typer.Argument(metavar="[OTHER]", help="Another design or results file.", show_default=False)
]
Round = Annotated[
    str | None, typer.Option("--round", metavar="STEP", help="Against the same design rounded, such as to '1 mm'.")
]


def diff(
    path: ModelPath,
    other: Second = None,
    sets: Sets = None,
    rounding: Round = None,
    frequency: Frequencies = None,
    json: Json = False,
) -> None:
    """Say which values and parts changed between two models, and which figures moved with them.

    The other model is a file, or the first design with --set or --round. Results files are not solved again.
    """
    if (other is None) == (not sets and rounding is None):
        raise UsageError("diff: name another model, or change this one with --set or --round; one of the two")
    # What is wrong with the variant is told before anything is solved.
    varied = None if other is not None else _variant(path, sets, rounding, frequency)
    before = opened(path, None, frequency)
    if varied is not None:
        words = ", ".join([*(sets or []), *([f"lengths rounded to {rounding}"] if rounding else [])])
        complain(f"solving {varied.title} with {words}")
        after = run(varied, own_frequencies=not frequency)
    else:
        assert other is not None
        after = opened(other, None, frequency)
    values, parts = value_changes(before.values, after.values), part_changes(*_antennas(before, after))
    figures, note = _figures(before, after)
    if json:
        show_json({"values": records(values), "parts": records(parts), "figures": records(figures), "note": note})
    else:
        titles = [f"{r.file.title}: {r.solution.antenna.medium}" for r in (before, after)]
        told = titles[:1] if titles[0] == titles[1] else [f"before  {titles[0]}\nafter   {titles[1]}"]
        show(*paragraphs([*told, *difference_tables(values, parts, figures, note)]))


def _antennas(before: Run, after: Run) -> tuple[Any, Any]:
    return before.solution.antenna, after.solution.antenna


def _variant(path: Path, sets: list[str] | None, rounding: str | None, frequency: list[str] | None) -> DesignFile:
    if is_results(path):
        raise UsageError(f"--set and --round change a design; '{path.name}' holds results: give its design file")
    file = changed(load(path, None, frequency), changes_of(sets))
    if rounding is not None:
        file = replace(file, design=file.design.rounded(rounding))
    return file


def _figures(before: Run, after: Run) -> tuple[Any, str]:
    """Every figure before and after, at the first frequency both were solved and driven at."""
    ours, theirs = ({c.driven.frequency for c in r.cases} for r in (before, after))
    both = sorted(ours & theirs)
    if not both:
        places = [", ".join(engineering(f, "Hz", 6) for f in sorted(x)) for x in (ours, theirs)]
        note = f"no figures: the cases were driven at {places[0]} before and {places[1]} after; choose one with -f"
        return compare({"before": before.solution.network}, frequency=min(ours)).iloc[:0], note
    table = joined([before.figures_at(both[0], "before"), after.figures_at(both[0], "after")])
    table["change"] = table["after"] - table["before"]
    return table, f"at {engineering(both[0], 'Hz', 6)}"
