"""Options of commands about places."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

PlacePath = Annotated[Path, typer.Argument(metavar="PLACE", help="Place file (TOML).", show_default=False)]
At = Annotated[str | None, typer.Option("--frequency", "-f", metavar="F", help="There, instead of the place's own.")]
Against = Annotated[
    list[str] | None,
    typer.Option("--against", metavar="STATION.KEY=VALUE", help="Map what is gained over the same place with this "
                 "changed; may be repeated."),
]  # fmt: skip
Changes = Annotated[
    list[str] | None,
    typer.Option("--set", metavar="STATION.KEY=VALUE", help="Change a station, such as shore.height='12 m', or "
                 "terrain.earth=sea; may be repeated."),
]  # fmt: skip
