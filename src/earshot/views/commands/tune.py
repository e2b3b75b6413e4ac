"""earshot tune: values of a design changed until goals are met."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...errors import UsageError
from ...files.formats import write
from ...studies import tune as tuned
from .options import DesignPath, Json, Kept, Sets, load
from .screen import complain, progress
from .telling import tell

Names = Annotated[list[str], typer.Argument(metavar="VALUE...", help="Values to change, within their ranges.")]
Goals = Annotated[
    list[str] | None,
    typer.Option("--goal", metavar="GOAL", help="'X = 0 at 868 MHz', 'return loss >= 25 at 5.2 GHz'; may be repeated."),
]
Out = Annotated[Path | None, typer.Option("--out", "-o", metavar="FILE", help="Write the tuned design (.toml).")]


def tune(
    path: DesignPath,
    names: Names,
    goal: Goals = None,
    case: Annotated[str | None, typer.Option("--case", metavar="NAME", help="Driven as in this case.")] = None,
    most: Annotated[int, typer.Option("--most", help="Solves, at most.")] = 12,
    store: Kept = None,
    out: Out = None,
    sets: Sets = None,
    json: Json = False,
) -> None:
    """Change values of a design until goals are met, in few solves; tell how near it came where they cannot be.

    A goal is a figure, =, <= or >=, a number, and "at F" or "from F to F"; or "resonance = F", or "bandwidth >= 4 % at
    F". Exit status 1 when goals are not met.
    """
    if not goal:
        raise UsageError("tune: say what for, such as --goal 'X = 0 at 868 MHz'")
    if out is not None and out.suffix.lower() != ".toml":
        raise UsageError(f"'{out.name}': a tuned design is written as .toml")
    file = load(path, sets)
    with progress():
        found = tuned(file, names, goal, case=case, most=most, store=store)
    if out is not None:
        complain(f"{write(found.file, out)} written")
    tell(found, out=None, ending="png", json=json)
