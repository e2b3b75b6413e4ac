"""earshot ask: one question to a model or a results file, answered by a table."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import pandas as pd
import typer

from ...errors import UsageError, unknown
from ...files.formats import write
from ...files.tables import flat, records
from ...runs.questions import QUESTIONS, Asked
from ...runs.questions import ask as answer
from ..tables import frame_table
from .options import Azimuths, Cases, Elevations, Frequencies, Json, ModelPath, Planes, Quantity, Sets
from .runs import opened
from .screen import complain, show, show_json

Several = list[str] | None
Topic = Annotated[
    str | None, typer.Argument(metavar="[QUESTION]", help=f"One of {', '.join(QUESTIONS)}.", show_default=False)
]


def ask(
    path: Annotated[Path | None, ModelPath.__metadata__[0]] = None,
    topic: Topic = None,
    case: Cases = None,
    plane: Planes = None,
    elevation: Elevations = None,
    azimuth: Azimuths = None,
    step: Annotated[float, typer.Option("--step", metavar="DEG", help="Between samples of a cut.")] = 1.0,
    quantity: Quantity = None,
    parameters: Annotated[str, typer.Option("--parameters", help="Of the matrix: S, Z or Y.")] = "S",
    line: Annotated[
        tuple[str, str, int] | None,
        typer.Option("--line", metavar="FROM TO N", help="Near fields: two places 'x, y, z m' and how many points."),
    ] = None,
    area: Annotated[
        tuple[str, str, str, int] | None,
        typer.Option("--area", metavar="A B C N", help="Or over an area: a corner, the two next to it, points A to B."),
    ] = None,
    within: Annotated[str, typer.Option("--within", metavar="A", help="Half the angle of a sector.")] = "10 deg",
    field: Annotated[str, typer.Option("--field", metavar="E|H", help="Which near field.")] = "E",
    limit: Annotated[float | None, typer.Option("--limit", help="Of that field: where it is passed.")] = None,
    rms: Annotated[bool, typer.Option("--rms", help="Near fields as root mean square, not peak.")] = False,
    variants: Annotated[
        Several, typer.Option("--variant", metavar="CHANGE", help="Ask it of the design so changed; as --set; repeat.")
    ] = None,
    sets: Sets = None,
    frequency: Frequencies = None,
    out: Annotated[
        Path | None, typer.Option("--out", "-o", metavar="FILE", help="Write the table there: .csv or .json.")
    ] = None,
    json: Json = False,
) -> None:
    """Ask a model or a results file one question and get a table; without a question, say which there are."""
    if path is None or topic is None:
        show(*(f"{one.name:13} {one.about}" for one in QUESTIONS.values()))
        return
    if topic not in QUESTIONS:
        raise UsageError(f"ask: {unknown('question', topic, QUESTIONS)}")
    if out is not None and out.suffix.lower() not in (".csv", ".json"):
        raise UsageError(f"ask: '{out.name}': tables are written as .csv or .json")
    if field not in ("E", "H"):
        raise UsageError(f"ask: --field '{field}' is not E or H")
    if limit is not None and not limit > 0.0:
        raise UsageError(f"ask: --limit {limit:g} is not above zero")
    asked = Asked(
        case or (), plane or (), elevation or (), azimuth or (), step, quantity or ("gain",), parameters, line, area,
        within, field, limit, rms,
    )  # fmt: skip
    ways = [[*(sets or []), *change] for change in ([[v] for v in variants] if variants else [[]])]
    tables = [answer(opened(path, way, frequency), topic, asked) for way in ways]
    table = pd.concat(tables, keys=variants, names=["variant"]) if variants else tables[0]
    if out is not None:
        complain(f"{write(table, out)} written")
    elif json:
        show_json(records(table))
    else:
        show(frame_table(flat(table), topic))
