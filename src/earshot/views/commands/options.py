"""Options that several commands share, and how a design file is read with them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from ... import units
from ...answers.frequencies import wanted
from ...errors import UsageError
from ...files.design_file import DesignFile, read_design
from ...files.editing import changed, changes_of
from ...files.results import is_results
from ...files.touchstone import is_touchstone

DesignPath = Annotated[Path, typer.Argument(metavar="DESIGN", help="Design file (TOML).", show_default=False)]
ModelPath = Annotated[
    Path, typer.Argument(metavar="MODEL", help="Design file (.toml), or results file (.nc).", show_default=False)
]
Json = Annotated[bool, typer.Option("--json", help="Print JSON instead of tables.")]
Sets = Annotated[
    list[str] | None,
    typer.Option(
        "--set",
        metavar="NAME=VALUE",
        help="Change a value, such as driven='0.96 m' or driven+='4 cm'; or medium, board, height, scale, "
        "azimuth, tilt, roll, metal, without=PART, only=PART, others='50 ohm', band='140 MHz to 160 MHz'.",
    ),
]
Frequencies = Annotated[
    list[str] | None,
    typer.Option("--frequency", "-f", metavar="F", help="Solve here instead, such as '150.1 MHz'; may be repeated."),
]
Everything = Annotated[
    bool, typer.Option("--all", help="Print everything: every port over the band, every figure, where each watt goes.")
]
Kept = Annotated[
    Path | None,
    typer.Option("--store", metavar="FOLDER", help="Keep every solve there; what is there is not solved again."),
]
Processes = Annotated[int, typer.Option("--processes", help="How many solve at once.")]
Cluster = Annotated[
    str | None,
    typer.Option("--cluster", metavar="ADDRESS", help="Or by a dask.distributed scheduler, as tcp://127.0.0.1:8786."),
]
Limit = Annotated[float, typer.Option("--vswr", metavar="N", help="Limit of the bandwidth that is told.")]
Cases = Annotated[list[str] | None, typer.Option("--case", metavar="NAME", help="Of this case; may be repeated.")]
Planes = Annotated[list[str] | None, typer.Option("--plane", metavar="E|H", help="The cut through the peak.")]
Elevations = Annotated[
    list[str] | None, typer.Option("--elevation", metavar="A", help="Cut or directions there; may be repeated.")
]
Azimuths = Annotated[
    list[str] | None, typer.Option("--azimuth", metavar="A", help="The same; of directions also N, NE, E, ...")
]
Quantity = Annotated[
    list[str] | None, typer.Option("--quantity", metavar="Q", help="Of patterns: gain, gain_rhcp, realized_gain, ...")
]
Readouts = Annotated[
    list[str] | None,
    typer.Option("--at", metavar="F", help="Read curves off at this frequency; may be repeated."),
]
Format = Annotated[str, typer.Option("--format", help="png, svg or pdf.")]


def known_format(ending: str, said: str | None = None) -> None:
    """Raise UsageError, repeating what was said, for a format that figures are not written in."""
    if ending not in ("png", "svg", "pdf"):
        raise UsageError(f"{said or f'--format {ending}'}: figures are written as one of png, svg, pdf")


FIGURE_ENDINGS = (".png", ".svg", ".pdf")
_FILE_ENDINGS = (*FIGURE_ENDINGS, ".csv", ".json", ".nc", ".toml", ".html", ".gif", ".vtu", ".zip")


def a_folder(out: Path | None) -> Path | None:
    """What --out names, where that is a folder; raises UsageError for what is called like a file."""
    if out is not None and out.suffix.lower() in _FILE_ENDINGS and not out.is_dir():
        told = "what is written goes into a folder, each file by its own name"
        raise UsageError(f"--out {out}: {told}: give a folder's, such as --out {out.stem}")
    return out


def readable(at: list[str] | None) -> None:
    """Raise UnitError, before anything is solved, for a readout that is no frequency."""
    for text in at or []:
        units.frequency(text, "--at")


def load(path: Path, sets: list[str] | None, frequencies: list[str] | None = None) -> DesignFile:
    """Read a design file, with values changed and frequencies replaced as the options say."""
    if is_results(path):
        raise UsageError(f"'{path.name}' holds results; give its design file, or see earshot show")
    if is_touchstone(path) or path.suffix.lower() == ".csv":
        raise UsageError(f"'{path.name}' is a curve, not a design; earshot compare lays it over a design")
    file = changed(read_design(path), changes_of(sets))
    return replace(file, frequencies=tuple(wanted(frequencies).single.tolist())) if frequencies else file
