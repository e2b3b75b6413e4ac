"""earshot store: what a folder of solves holds."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...files.tables import records
from ...studies import open_store
from ..study_tables import store_table
from .options import Json
from .screen import complain, show, show_json


def store(
    path: Annotated[Path, typer.Argument(metavar="FOLDER", help="A store, as --store makes one.", show_default=False)],
    clear: Annotated[bool, typer.Option("--clear", help="Take everything out of it.")] = False,
    json: Json = False,
) -> None:
    """List the solves that a store keeps, with their sizes, or clear it."""
    kept = open_store(path, make=False)
    if clear:
        count, size = kept.clear()
        complain(f"{count} solves, {size / 1e6:.3g} MB taken out of {path}")
        return
    table = kept.table()
    if json:
        show_json(records(table.reset_index()))
    else:
        show(store_table(table, str(path)))
