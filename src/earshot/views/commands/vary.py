"""earshot vary: a design with values, medium or anything else varied, as one table and curves."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from ...errors import UsageError
from ...files.atomic import folder as make_folder
from ...files.formats import write
from ...files.tables import records
from ...studies import Study
from ...studies import vary as varied
from ...studies.goals import named
from ...studies.towards import is_towards
from ..study_tables import FIRST, variants_table
from .options import Cluster, DesignPath, Format, Json, Kept, Processes, known_format, load
from .plot import save_figures
from .screen import complain, paragraphs, progress, show, show_json

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
    Path | None, typer.Option("--out", "-o", metavar="FOLDER", help="Write every figure as CSV there, and draw them.")
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
    store: Kept = None,
    out: Out = None,
    ending: Format = "png",
    json: Json = False,
) -> None:
    """Vary values of a design, its medium or whatever --set takes, and tell its figures for every variant.

    Several changes make a grid. With --out every figure goes into variants.csv, and those that are shown are drawn
    against the first change, or as maps over two.
    """
    known_format(ending)
    file = load(path, None)
    with progress():
        study = varied(
            file, changes, sample=sample, seed=seed, frequency=frequency, case=case, processes=processes,
            cluster=cluster, also=[name for name in figure or [] if is_towards(name)], store=store,
        )  # fmt: skip
    chosen = list([named(name) for name in figure or []] or [name for name in FIRST if name in study.units])
    for name in chosen:
        if study.units and name not in study.units:
            raise UsageError(f"--figure: there is no figure '{name}'; there are: {', '.join(study.units)}")
    if out is not None and study.units:
        from .. import plots

        make_folder(out)
        written = [write(study.table, out / "variants.csv")]
        drawn = {"against": partial(plots.against, study, *chosen[:4])} if _drawable(study) else {}
        if _gridded(study):
            drawn |= {f"map-{name.replace(' ', '-')}": partial(plots.over_two, study, name) for name in chosen[:4]}
        written += save_figures(drawn, out, ending)
        complain(f"{len(written)} files written to {out}")
    if json:
        show_json({"title": study.title, "variants": records(study.table), "units": study.units,
                   "failed": study.failed})  # fmt: skip
    else:
        show(*paragraphs(variants_table(study, chosen)))


def _drawable(study: Study) -> bool:
    """Whether the first change is a quantity to draw against."""
    from .. import plots

    try:
        plots.numbers(study, study.changes[0])
    except UsageError:
        return False
    return len(study.table) > 1


def _gridded(study: Study) -> bool:
    """Whether two quantities make a grid that is worth a map."""
    from .. import plots

    try:
        sizes = [len(set(plots.numbers(study, change)[0].tolist())) for change in study.changes]
    except UsageError:
        return False
    return len(sizes) == 2 and min(sizes) >= 3 and len(study.table) == sizes[0] * sizes[1]
