"""earshot show: print what a results file holds."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...errors import UsageError
from ...files.results import is_results
from .options import Frequencies, Json
from .runs import opened, tables
from .screen import paragraphs, show_json
from .screen import show as show_things

ResultsPath = Annotated[Path, typer.Argument(metavar="RESULTS", help="Results file (.nc).", show_default=False)]


def show(path: ResultsPath, frequency: Frequencies = None, json: Json = False) -> None:
    """Print the tables of a results file again, without solving."""
    if not is_results(path):
        raise UsageError(f"'{path.name}' is not a results file (.nc); earshot solve solves a design")
    result = opened(path, None, frequency)
    if json:
        show_json(result.to_dict())
    else:
        show_things(*paragraphs(tables(result)))
