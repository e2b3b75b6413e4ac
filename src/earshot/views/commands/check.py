"""earshot check: look at a model before it is solved."""

from __future__ import annotations

import typer

from ...files.tables import records
from ..tables import findings_table
from .options import DesignPath, Frequencies, Json, Sets, load
from .screen import show, show_json


def check(path: DesignPath, sets: Sets = None, frequency: Frequencies = None, as_json: Json = False) -> None:
    """Look at a design before solving it: exit status 1 when something would stop the solve."""
    file = load(path, sets, frequency)
    antenna = file.design.antenna
    findings = antenna.check(file.highest)
    if as_json:
        show_json({"antenna": antenna.name, "findings": records(findings.to_frame())})
    else:
        show(findings_table(findings, antenna.name))
    raise typer.Exit(1 if findings.stops else 0)
