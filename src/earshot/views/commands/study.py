"""earshot study: the studies that a design file asks for itself."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...studies import planned, studies_of
from ...studies.plans import kind_of
from ..study_tables import studies_table
from .options import Cluster, DesignPath, Format, Json, Kept, Processes, Sets, a_folder, known_format, load
from .screen import progress, show, show_json
from .telling import tell

Name = Annotated[str | None, typer.Argument(metavar="[STUDY]", help="Which; all are listed unless given.")]
Out = Annotated[
    Path | None,
    typer.Option("--out", "-o", metavar="FOLDER", callback=a_folder, help="Write what came of it, and figures."),
]


def study(
    path: DesignPath,
    name: Name = None,
    processes: Processes = 1,
    cluster: Cluster = None,
    store: Kept = None,
    out: Out = None,
    ending: Format = "png",
    sets: Sets = None,
    json: Json = False,
) -> None:
    """Answer a study of a design file, [study.NAME]: as vary, tune, optimise, tolerate or fit would; or list them."""
    known_format(ending)
    file = load(path, sets)
    there = studies_of(file)
    if name is None:
        kinds = {word: kind_of(word, one) for word, one in there.items()}
        if json:
            show_json([{"study": word, "kind": kind, "note": there[word].note} for word, kind in kinds.items()])
        else:
            show(studies_table(file.title, there, kinds))
        return
    with progress():
        found = planned(file, name, store=store, processes=processes, cluster=cluster)
    tell(found, out=out, ending=ending, json=json, **({"figures": there[name].figures} if there[name].vary else {}))
