"""earshot path: from one station of a place to another."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...files.atomic import folder as make_folder
from ...files.atomic import stem_of
from ...files.formats import write
from ...reach import read_place, vary_path
from ...studies import Study
from ...units import engineering
from ..study_tables import variants_table
from ..tables import frame_table
from .options import Format, Json, a_folder, known_format
from .place_options import At, Changes, PlacePath
from .plot import save_figures
from .screen import complain, progress, show, show_json

One = Annotated[str, typer.Argument(metavar="FROM", help="The station that sends.", show_default=False)]
Two = Annotated[str, typer.Argument(metavar="TO", help="The one that receives.", show_default=False)]
Varied = Annotated[
    list[str] | None,
    typer.Option(
        "--vary",
        metavar="STATION.KEY=RANGE",
        help="For every one, such as shore.height='3 m to 30 m in 28'; may be repeated.",
    ),
]
Out = Annotated[
    Path | None,
    typer.Option("--out", "-o", metavar="FOLDER", callback=a_folder, help="Write the table, and draw the profile."),
]

_SHOWN = ("margin", "path loss", "antenna gains", "ground", "terrain", "clearance")


def path(
    place: PlacePath,
    one: One,
    two: Two,
    frequency: At = None,
    sets: Changes = None,
    vary: Varied = None,
    out: Out = None,
    ending: Format = "png",
    json: Json = False,
) -> None:
    """Tell what arrives from one station at another, and why: gains, free space, ground, terrain, margin.

    The way back is the same. Gases, rain and ducts are left out.
    """
    known_format(ending)
    own = read_place(place, sets or [])
    if vary:
        with progress():
            study = vary_path(own, one, two, vary, frequency)
        _varied(study, out, ending, json)
        return
    with progress():
        found = own.path(one, two, frequency)
    table = found.table()
    if out is not None:
        from ..plots import profile

        make_folder(out)
        stem = f"{stem_of(one)}-to-{stem_of(two)}"
        files = [write(table.reset_index(), out / f"{stem}.csv")]
        files += save_figures({stem: lambda: profile(found)}, out, ending)
        complain(f"{len(files)} files written to {out}")
    if json:
        show_json({"place": own.title, "from": one, "to": two, "frequency_Hz": found.frequency,
                   "figures": table.reset_index().to_dict("records")})  # fmt: skip
        return
    show(frame_table(table.reset_index(), f"{own.title}: {one} to {two} at {engineering(found.frequency, 'Hz', 6)}"))


def _varied(study: Study, out: Path | None, ending: str, json: bool) -> None:
    if out is not None:
        from ..plots import against

        make_folder(out)
        files = [write(study.table, out / "variants.csv")]
        files += save_figures({"against": lambda: against(study, "margin", "ground", "terrain")}, out, ending)
        complain(f"{len(files)} files written to {out}")
    if json:
        show_json({"title": study.title, "variants": study.table.to_dict("records"), "failed": study.failed})
        return
    show(*variants_table(study, _SHOWN))
