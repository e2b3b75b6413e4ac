"""earshot fit: the values of a design that explain a measurement."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...errors import UsageError
from ...studies import fit as fitted
from .options import DesignPath, Format, Json, Kept, Sets, a_folder, known_format, load
from .screen import progress
from .telling import tell

Names = Annotated[list[str] | None, typer.Argument(metavar="VALUE...", help="Values to find, within their ranges.")]
To = Annotated[
    Path | None,
    typer.Option("--to", metavar="FILE", help="What was measured: Touchstone, or CSV with or without phase."),
]
Feed = Annotated[
    list[str] | None,
    typer.Option(
        "--feed", metavar="PART=BEGIN", help="Find this too: capacitance='1 pF' across the feed, inductance='2 nH' in "
        "series, cable='2 m' by its electrical length, loss='0.3 dB' of it; repeat.",
    ),
]  # fmt: skip
Out = Annotated[
    Path | None,
    typer.Option("--out", "-o", metavar="FOLDER", callback=a_folder, help="Write the design, the curves and a figure."),
]


def fit(
    path: DesignPath,
    names: Names = None,
    to: To = None,
    feed: Feed = None,
    port: Annotated[str | None, typer.Option("--port", metavar="NAME", help="Which port was measured.")] = None,
    points: Annotated[int, typer.Option("--points", help="Frequencies of the measurement used, at most.")] = 21,
    most: Annotated[int, typer.Option("--most", help="Solves, at most.")] = 20,
    store: Kept = None,
    out: Out = None,
    ending: Format = "png",
    sets: Sets = None,
    json: Json = False,
) -> None:
    """Find the values of a design that explain what was measured, with the limits within which they are known.

    Limits hold in 19 of 20 cases, if the model is right and the noise is alike everywhere. Values that the measurement
    cannot tell apart are said.
    """
    known_format(ending)
    if to is None:
        raise UsageError("fit: say what was measured, with --to FILE")
    parts = {}
    for text in feed or []:
        name, sign, begin = (piece.strip() for piece in text.partition("="))
        if not sign or not begin:
            raise UsageError(f"--feed '{text}': write it like capacitance='1 pF'")
        parts[name] = begin
    file = load(path, sets)
    with progress():
        found = fitted(file, names or [], to, feed=parts, port=port, points=points, most=most, store=store)
    tell(found, out=out, ending=ending, json=json)
