"""earshot optimise: values of a design changed until wishes are granted as far as goals allow."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...errors import UsageError
from ...studies import Front, Optimised, front
from ...studies import optimise as optimised
from ...studies.crew import Crew
from .options import Cluster, DesignPath, Format, Json, Kept, Processes, Sets, a_folder, known_format, load
from .screen import progress
from .telling import tell

Names = Annotated[list[str], typer.Argument(metavar="VALUE...", help="Values to change, within their ranges.")]
Wishes = Annotated[
    list[str] | None,
    typer.Option("--wish", metavar="WISH", help="'most gain', 'least VSWR from 144 MHz to 146 MHz', "
                 "'most bandwidth at 145 MHz', '2 x least boom'; repeat."),
]  # fmt: skip
Goals = Annotated[
    list[str] | None,
    typer.Option("--goal", metavar="GOAL", help="'VSWR <= 1.5 from 149 MHz to 151 MHz', 'F/B >= 20'; repeat."),
]
Out = Annotated[
    Path | None,
    typer.Option(
        "--out", "-o", metavar="FOLDER", callback=a_folder, help="Write the best design, every try, and figures."
    ),
]


def optimise(
    path: DesignPath,
    names: Names,
    wish: Wishes = None,
    goal: Goals = None,
    case: Annotated[str | None, typer.Option("--case", metavar="NAME", help="Driven as in this case.")] = None,
    method: Annotated[
        str, typer.Option("--method", help="local: from where it is, by slopes; global: over all ranges first.")
    ] = "local",
    points: Annotated[
        int | None, typer.Option("--front", metavar="N", help="The front between two wishes, in so many points.")
    ] = None,
    most: Annotated[int | None, typer.Option("--most", help="Tries, at most.")] = None,
    starts: Annotated[int, typer.Option("--starts", help="Places to search from, the design's own first.")] = 1,
    seed: Annotated[int, typer.Option("--seed", help="Where chance begins.")] = 0,
    pick: Annotated[
        list[int] | None, typer.Option("--pick", metavar="TRY", help="Write the design of this try too; repeat.")
    ] = None,
    processes: Processes = 1,
    cluster: Cluster = None,
    store: Kept = None,
    out: Out = None,
    ending: Format = "png",
    sets: Sets = None,
    json: Json = False,
) -> None:
    """Change values of a design until wishes are granted as far as goals allow; keep every try.

    A wish is most or least of a figure or of values, perhaps with a weight; ten dB, 50 ohm, a tenth of bandwidth, or
    as much as the value is now, count as one. Values that only drive or close ports are changed without another
    solve. Exit status 1 when goals are not met.
    """
    known_format(ending)
    if pick and out is None:
        raise UsageError("--pick writes designs: say where to with --out FOLDER")
    if points is not None and not Crew(processes, cluster).alone:
        raise UsageError("--front: its tries follow from one another: leave --processes and --cluster out")
    file = load(path, sets)
    with progress():
        if points is not None:
            found: Front | Optimised = front(file, names, wish or [], goal or [], case=case, count=points,
                                             most=most or 150, store=store)  # fmt: skip
        else:
            found = optimised(
                file, names, wish or [], goal or [], case=case, method=method, most=most, starts=starts, seed=seed,
                processes=processes, cluster=cluster, store=store,
            )  # fmt: skip
    tell(found, out=out, ending=ending, json=json, pick=pick or [])
