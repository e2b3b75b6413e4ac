"""earshot show: print what a results file holds."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...errors import UsageError
from ...files.results import is_results
from ...network.figures import limit_of
from .options import Everything, Frequencies, Json, Limit
from .runs import opened, tables
from .screen import paragraphs, show_json
from .screen import show as show_things

ResultsPath = Annotated[Path, typer.Argument(metavar="RESULTS", help="Results file (.nc).", show_default=False)]


def show(
    path: ResultsPath,
    frequency: Frequencies = None,
    everything: Everything = False,
    vswr: Limit = 2.0,
    json: Json = False,
) -> None:
    """Print what a results file holds, without solving: on one screen, or all of it by --all."""
    limit_of(vswr, None)
    if not is_results(path):
        raise UsageError(f"'{path.name}' is not a results file (.nc); earshot solve solves a design")
    result = opened(path, None, frequency)
    if json:
        show_json(result.to_dict())
    else:
        show_things(*paragraphs(tables(result, everything=everything, vswr=vswr)))
