"""earshot effects: what a step of every value does to every figure."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...files.formats import write
from ...files.tables import records
from ...studies import sensitivities
from ..study_tables import effects_table
from .options import DesignPath, Json, Sets, load
from .screen import complain, progress, show, show_json

Names = Annotated[
    list[str] | None, typer.Argument(metavar="[VALUE]...", help="Values; all unless named.", show_default=False)
]
Out = Annotated[
    Path | None, typer.Option("--out", "-o", metavar="FILE", help="Write every derivative, per SI unit: .csv or .json.")
]


def effects(
    path: DesignPath,
    names: Names = None,
    case: Annotated[str | None, typer.Option("--case", metavar="NAME", help="Driven as in this case.")] = None,
    frequency: Annotated[str | None, typer.Option("--frequency", "-f", metavar="F", help="Look here.")] = None,
    out: Out = None,
    sets: Sets = None,
    json: Json = False,
) -> None:
    """Say what a step of every value does: a millimetre of a length, a degree, a hundredth of a number.

    One solve and a fill for every value, not a solve for each.
    """
    file = load(path, sets)
    with progress():
        table = sensitivities(file, names or [], frequency, case=case)
    if out is not None:
        complain(f"{write(table, out)} written")
    elif json:
        show_json(records(table))
    else:
        show(effects_table(table, file.title))
