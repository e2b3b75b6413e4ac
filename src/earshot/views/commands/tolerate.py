"""earshot tolerate: what the workshop's spreads make of a design's figures."""

from __future__ import annotations

from typing import Annotated

import typer

from ...studies import tolerate as toleranced
from .options import DesignPath, Json, Sets, load
from .screen import progress
from .telling import tell

Strays = Annotated[
    list[str],
    typer.Argument(
        metavar="NAME=SPREAD...",
        help="'driven=±0.5 mm' evenly, 'rod=1 % rms' normally, '... together' for what strays as one batch.",
    ),
]
Limits = Annotated[
    list[str] | None,
    typer.Option("--limit", metavar="LIMIT", help="'VSWR <= 1.5 from 149 MHz to 151 MHz', 'gain >= 7'; repeat."),
]


def tolerate(
    path: DesignPath,
    spreads: Strays,
    limit: Limits = None,
    case: Annotated[str | None, typer.Option("--case", metavar="NAME", help="Driven as in this case.")] = None,
    count: Annotated[int, typer.Option("--count", help="How many draws.")] = 20_000,
    seed: Annotated[int, typer.Option("--seed", help="Where chance begins.")] = 0,
    checked: Annotated[int, typer.Option("--checked", help="Draws that are solved too.")] = 6,
    sets: Sets = None,
    json: Json = False,
) -> None:
    """Say what spreads of values make of the figures, how often limits are kept to, and which value is to blame.

    One solve, a fill for every value, and some solves to check the model of first order.
    """
    file = load(path, sets)
    with progress():
        found = toleranced(file, spreads, limit or [], case=case, count=count, seed=seed, checked=checked)
    tell(found, out=None, ending="png", json=json)
