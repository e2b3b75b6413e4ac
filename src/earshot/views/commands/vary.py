"""earshot vary: a design with values, medium or anything else varied, as one table and curves."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...errors import UsageError
from ...studies import vary as varied
from .options import Cluster, DesignPath, Format, Json, Kept, Processes, a_folder, known_format, load
from .screen import progress
from .telling import tell

Changes = Annotated[
    list[str],
    typer.Argument(
        metavar="NAME=RANGE...",
        help="What is varied: 'driven=0.90 m to 0.98 m in 9', 'height=3 m; 6 m', 'medium=meadow; sea', "
        "'driven+=-4 cm to 4 cm in 5'.",
    ),
]
Figures = Annotated[
    list[str] | None,
    typer.Option("--figure", metavar="NAME", help="Show this figure, such as R or 'gain towards NE 20 deg'; repeat."),
]
Out = Annotated[
    Path | None,
    typer.Option(
        "--out", "-o", metavar="FOLDER", callback=a_folder, help="Write every figure as CSV there, and draw them."
    ),
]


def vary(
    path: DesignPath,
    changes: Changes,
    figure: Figures = None,
    sample: Annotated[int | None, typer.Option("--sample", help="So many, spread, instead of a grid.")] = None,
    seed: Annotated[int, typer.Option("--seed", help="Where chance begins.")] = 0,
    case: Annotated[str | None, typer.Option("--case", metavar="NAME", help="Driven as in this case.")] = None,
    frequency: Annotated[str | None, typer.Option("--frequency", "-f", metavar="F", help="Look here.")] = None,
    processes: Processes = 1,
    cluster: Cluster = None,
    cuts: Annotated[
        bool, typer.Option("--cuts", help="Draw the case's first cut of every variant too; with --out.")
    ] = False,
    store: Kept = None,
    out: Out = None,
    ending: Format = "png",
    json: Json = False,
) -> None:
    """Vary values of a design, its medium or whatever --set takes, and tell its figures for every variant.

    Several changes make a grid. With --out every figure goes into variants.csv, and those that are shown are drawn
    against the first change, or as maps over two; with --cuts a cut of every variant, laid over one another and as
    small pictures.
    """
    known_format(ending)
    if cuts and out is None:
        raise UsageError("--cuts draws into a folder: add --out FOLDER")
    file = load(path, None)
    with progress():
        study = varied(
            file, changes, sample=sample, seed=seed, frequency=frequency, case=case, processes=processes,
            cluster=cluster, also=figure or [], fields=cuts, store=store,
        )  # fmt: skip
    tell(study, out=out, ending=ending, json=json, figures=figure or [])
