"""earshot optimise: values of a design changed until wishes are granted as far as goals allow."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...errors import UsageError
from ...files.atomic import folder as make_folder
from ...files.formats import write
from ...files.tables import records
from ...studies import Front, Optimised, front
from ...studies import optimise as optimised
from ..search_tables import front_tables, optimised_tables
from .options import Cluster, DesignPath, Format, Json, Kept, Processes, Sets, known_format, load
from .plot import save_figures
from .screen import complain, paragraphs, progress, show, show_json

Names = Annotated[list[str], typer.Argument(metavar="VALUE...", help="Values to change, within their ranges.")]
Wishes = Annotated[
    list[str] | None,
    typer.Option("--wish", metavar="WISH", help="'most gain', 'least VSWR from 144 MHz to 146 MHz', '2 x least boom'; "
                 "repeat."),
]  # fmt: skip
Goals = Annotated[
    list[str] | None,
    typer.Option("--goal", metavar="GOAL", help="'VSWR <= 1.5 from 149 MHz to 151 MHz', 'F/B >= 20'; repeat."),
]
Out = Annotated[
    Path | None, typer.Option("--out", "-o", metavar="FOLDER", help="Write the best design, every try, and figures.")
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

    A wish is most or least of a figure or of values, perhaps with a weight; ten dB, 50 ohm, or as much as the value is
    now, count as one. Values that only drive or close ports are changed without another solve. Exit status 1 when
    goals are not met.
    """
    known_format(ending)
    if pick and out is None:
        raise UsageError("--pick writes designs: say where to with --out FOLDER")
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
    if out is not None:
        _write(found, out, ending, pick or [])
    if isinstance(found, Front):
        if json:
            show_json({"points": records(found.points), "tries": records(found.tries), "solves": found.solves})
        else:
            show(*paragraphs(front_tables(found)))
        return
    if json:
        show_json({"met": found.met, "values": records(found.values), "aims": records(found.goals),
                   "tries": records(found.tries), "solves": found.solves, "seconds": found.seconds})  # fmt: skip
    else:
        show(*paragraphs(optimised_tables(found)))
    if not found.met:
        raise typer.Exit(1)


def _write(found: Front | Optimised, out: Path, ending: str, pick: list[int]) -> None:
    from .. import plots

    make_folder(out)
    if isinstance(found, Front):
        if pick:
            raise UsageError("--pick goes with a single search; every point of a front is written")
        written = [write(file, out / f"point-{n}.toml") for n, file in enumerate(found.files, 1)]
        written.append(write(found.points, out / "front.csv"))
        drawn = {"front": lambda: plots.front(found)}
    else:
        picked = {number: found.try_file(number) for number in pick}
        written = [write(found.file, out / "best.toml")]
        written += [write(file, out / f"try-{number}.toml") for number, file in picked.items()]
        drawn = {"history": lambda: plots.history(found)}
    written.append(write(found.tries.reset_index(), out / "tries.csv"))
    written += save_figures(drawn, out, ending)
    complain(f"{len(written)} files written to {out}")
