"""earshot check: look at a model before it is solved."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from ...answers.prepare import estimate, prepare
from ...checks.findings import Findings
from ...checks.sheet_check import sheet_quality
from ...files.atomic import write_atomically
from ...files.tables import records
from ...runs.run import circuit_findings
from ..tables import estimate_line, findings_table, quality_table
from .options import DesignPath, Frequencies, Json, Sets, known_format, load
from .screen import complain, progress, show, show_json

Draw = Annotated[
    Path | None,
    typer.Option("--draw", metavar="FILE", help="Draw the geometry with the findings (.png, .svg, .pdf)."),
]


def check(
    path: DesignPath, sets: Sets = None, frequency: Frequencies = None, draw: Draw = None, as_json: Json = False
) -> None:
    """Look at a design before solving it: exit status 1 when something would stop the solve."""
    if draw is not None:
        known_format(draw.suffix.removeprefix(".").lower(), draw.name)
    file = load(path, sets, frequency)
    with progress():
        ready = prepare(file.design, file.highest)
        antenna, asked = ready.antenna, [*file.frequencies, *(f for c in file.cases for f in c.frequencies)]
        findings = Findings([*ready.findings, *circuit_findings(file, antenna)])
        sound = ready.basis is not None
        meshed = sheet_quality(antenna, file.highest) if antenna.sheets and sound else None
        takes = estimate(ready, asked) if sound else None
    if draw is not None:
        from .. import plots

        write_atomically(draw, lambda place: plots.geometry(file.design, findings=findings).savefig(place))
        complain(f"drawn: {draw}")
    if as_json:
        content: dict[str, Any] = {"antenna": antenna.name, "findings": records(findings.to_frame())}
        if meshed is not None:
            content["sheets"] = records(meshed.reset_index())
        if takes is not None:
            content["estimate"] = asdict(takes)
        show_json(content)
    else:
        show(
            findings_table(findings, antenna.name),
            *([] if meshed is None else [quality_table(meshed)]),
            *([] if takes is None else [estimate_line(takes)]),
        )
    raise typer.Exit(1 if findings.stops else 0)
