"""earshot cut-list: what to buy and cut."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...errors import UsageError
from ...files.formats import write
from ...files.tables import records
from ..tables import cut_table
from .options import DesignPath, Json, Sets, load
from .screen import complain, show, show_json

Round = Annotated[str | None, typer.Option("--round", metavar="STEP", help="Round the design's lengths, as to '1 mm'.")]
Out = Annotated[
    Path | None,
    typer.Option("--out", "-o", metavar="FILE", help="Write the list (.csv, .json), or the rounded design (.toml)."),
]


def cut_list(path: DesignPath, sets: Sets = None, rounding: Round = None, out: Out = None, json: Json = False) -> None:
    """List the wires of a design to buy and cut, alike ones together.

    With --round the design's lengths are rounded first; earshot diff DESIGN --round shows what that does to the
    figures.
    """
    if out is not None and out.suffix.lower() not in (".csv", ".json", ".toml"):
        raise UsageError(f"'{out.name}': a cut list is written to .csv or .json, the rounded design to .toml")
    design = load(path, sets).design
    design = design if rounding is None else design.rounded(rounding)
    table = design.antenna.cut_list()
    if out is not None:
        write(design if out.suffix.lower() == ".toml" else table, out)
        complain(f"written to {out}")
    if json:
        show_json(records(table))
    else:
        show(cut_table(table, design.antenna.name))
