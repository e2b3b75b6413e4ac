"""Options that several commands share, and how a design file is read with them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from ...answers.frequencies import wanted
from ...errors import UsageError
from ...files.design_file import DesignFile, read_design

DesignPath = Annotated[Path, typer.Argument(metavar="DESIGN", help="Design file (TOML).", show_default=False)]
Json = Annotated[bool, typer.Option("--json", help="Print JSON instead of tables.")]
Sets = Annotated[
    list[str] | None,
    typer.Option("--set", metavar="NAME=VALUE", help="Change a value of the design, such as driven='0.96 m'."),
]
Frequencies = Annotated[
    list[str] | None,
    typer.Option("--frequency", "-f", metavar="F", help="Solve here instead, such as '150.1 MHz'; may be repeated."),
]


def load(path: Path, sets: list[str] | None, frequencies: list[str] | None = None) -> DesignFile:
    """Read a design file, with values changed and frequencies replaced as the options say."""
    file = read_design(path)
    changes = {}
    for text in sets or []:
        name, sign, value = (part.strip() for part in text.partition("="))
        if not sign or not name or not value:
            raise UsageError(f"--set '{text}' is not NAME=VALUE; write it like --set driven='0.96 m'")
        changes[name] = value
    if changes:
        design = file.design.with_(**changes)
        design.antenna  # noqa: B018 - a value that makes no antenna is told now
        file = replace(file, design=design)
    return replace(file, frequencies=tuple(wanted(frequencies).single.tolist())) if frequencies else file
