"""earshot solve: solve a design and say what comes out."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...files.atomic import folder as make_folder
from ...network.figures import limit_of
from .options import DesignPath, Everything, Frequencies, Json, Limit, Sets, a_folder, load
from .runs import run, tables
from .screen import complain, paragraphs, show, show_json

Out = Annotated[
    Path | None,
    typer.Option(
        "--out",
        "-o",
        metavar="FOLDER",
        callback=a_folder,
        help="Write results (.nc), network, currents and cuts there.",
    ),
]
Nearness = Annotated[
    list[str] | None,
    typer.Option("--within", metavar="ERROR", help="Refine the mesh until '1 %' of the impedance, or '0.1 dB' of the "
                 "gain, is sure; repeat. Exit status 1 where it cannot be."),
]  # fmt: skip
Method = Annotated[
    str,
    typer.Option("--method", metavar="auto|dense|fast", help="How the matrix is solved: all of it made and factorised, "
                 "or what is far in less room, and iterated; the quicker of them unless given."),
]  # fmt: skip
WithEvidence = Annotated[bool, typer.Option("--evidence", help="Solve once more, finer, and show how far to trust it.")]


def solve(
    path: DesignPath,
    sets: Sets = None,
    frequency: Frequencies = None,
    out: Out = None,
    with_evidence: WithEvidence = False,
    within: Nearness = None,
    method: Method = "auto",
    everything: Everything = False,
    vswr: Limit = 2.0,
    json: Json = False,
) -> None:
    """Solve a design over its frequencies and drive its cases: match, gain, beam, on one screen; all of it by --all."""
    limit_of(vswr, None)
    file = load(path, sets, frequency)
    if out is not None:
        make_folder(out)
    result = run(file, own_frequencies=not frequency, with_evidence=with_evidence, within=within or [], method=method)
    # First the files: whoever reads the tables may stop reading.
    if out is not None:
        written = result.write(out)
        complain(f"{len(written)} files written to {out}")
    if json:
        show_json(result.to_dict())
    else:
        show(*paragraphs(tables(result, everything=everything, vswr=vswr)))
    if result.within is not None and not result.within.met:
        raise typer.Exit(1)
