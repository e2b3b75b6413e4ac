"""Options that several commands share, and how a design file is read with them."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from ... import units
from ...answers.frequencies import wanted
from ...description.design import Design
from ...errors import UsageError
from ...files.design_file import DesignFile, FileBuild, design_from_text, read_design
from ...files.design_text import design_text
from ...files.results import is_results
from ...files.touchstone import is_touchstone

DesignPath = Annotated[Path, typer.Argument(metavar="DESIGN", help="Design file (TOML).", show_default=False)]
ModelPath = Annotated[
    Path, typer.Argument(metavar="MODEL", help="Design file (.toml), or results file (.nc).", show_default=False)
]
Json = Annotated[bool, typer.Option("--json", help="Print JSON instead of tables.")]
Sets = Annotated[
    list[str] | None,
    typer.Option("--set", metavar="NAME=VALUE", help="Change a value of the design, such as driven='0.96 m'."),
]
Frequencies = Annotated[
    list[str] | None,
    typer.Option("--frequency", "-f", metavar="F", help="Solve here instead, such as '150.1 MHz'; may be repeated."),
]
Everything = Annotated[
    bool, typer.Option("--all", help="Print everything: every port over the band, every figure, where each watt goes.")
]
Limit = Annotated[float, typer.Option("--vswr", metavar="N", help="Limit of the bandwidth that is told.")]
Readouts = Annotated[
    list[str] | None,
    typer.Option("--at", metavar="F", help="Read curves off at this frequency; may be repeated."),
]
Format = Annotated[str, typer.Option("--format", help="png, svg or pdf.")]


def known_format(ending: str, said: str | None = None) -> None:
    """Raise UsageError, repeating what was said, for a format that figures are not written in."""
    if ending not in ("png", "svg", "pdf"):
        raise UsageError(f"{said or f'--format {ending}'}: figures are written as one of png, svg, pdf")


def readable(at: list[str] | None) -> None:
    """Raise UnitError, before anything is solved, for a readout that is no frequency."""
    for text in at or []:
        units.frequency(text, "--at")


def changes_of(texts: list[str] | None) -> dict[str, str]:
    """What --set says, by name: each "NAME=VALUE", or several of them with commas between."""
    changes = {}
    for text in texts or []:
        for part in re.split(r",(?=\s*\w+\s*=)", text):
            name, sign, value = (piece.strip() for piece in part.partition("="))
            if not sign or not name or not value:
                raise UsageError(f"--set '{text}' is not NAME=VALUE; write it like --set driven='0.96 m'")
            changes[name] = value
    return changes


def load(path: Path, sets: list[str] | None, frequencies: list[str] | None = None) -> DesignFile:
    """Read a design file, with values changed and frequencies replaced as the options say."""
    if is_results(path):
        raise UsageError(f"'{path.name}' holds results; give its design file, or see earshot show")
    if is_touchstone(path) or path.suffix.lower() == ".csv":
        raise UsageError(f"'{path.name}' is a curve, not a design; earshot compare lays it over a design")
    file = changed(read_design(path), changes_of(sets))
    return replace(file, frequencies=tuple(wanted(frequencies).single.tolist())) if frequencies else file


def elsewhere(file: DesignFile, medium: str) -> DesignFile:
    """The file with its antenna in another medium, by the word of a design file; a wrong one is told now."""
    build = file.design.build
    assert isinstance(build, FileBuild)
    table = build.table.model_copy(update={"medium": medium, "layer": []})
    design = Design(replace(build, table=table), frequency=file.design.frequency, **dict(file.design.given))
    design.antenna  # noqa: B018 - built for its complaints
    return replace(file, design=design)


def changed(file: DesignFile, changes: dict[str, str]) -> DesignFile:
    """The file with values changed; one that makes no antenna is told now."""
    if not changes:
        return file
    design = file.design.with_(**changes)
    build = design.build
    if isinstance(build, FileBuild) and build.table.array is not None:
        # Beams follow the layout.
        return replace(
            design_from_text(design_text(design), build.name, build.folder, dict(build.tables)),
            frequencies=file.frequencies,
        )
    design.antenna  # noqa: B018 - built for its complaints
    return replace(file, design=design)
