"""earshot report: models as one page of HTML that answers back."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ...errors import UsageError, unknown
from ...files.atomic import folder as make_folder
from ...studies import planned, studies_of
from ...studies.varying import steps_of
from .entries import Media, Paths, Variants, entries
from .options import Frequencies, Json, load
from .screen import complain, progress, show, show_json

Out = Annotated[
    Path | None,
    typer.Option("--out", "-o", metavar="FILE.html", help="The page; the first model's name unless given."),
]
Title = Annotated[str, typer.Option("--title", metavar="TEXT", help="What it is called; the first model unless given.")]
Vary = Annotated[
    list[str] | None,
    typer.Option("--vary", metavar="NAME=RANGE", help="Add a variant of the first design for each of 'A to B in N', or "
                 "of 'A; B; C'; may be repeated."),
]  # fmt: skip


Studies = Annotated[
    list[str] | None,
    typer.Option("--study", metavar="NAME", help="Answer this study of the first design, [study.NAME], and put what "
                 "came of it beside; may be repeated."),
]  # fmt: skip


def report(
    paths: Paths,
    variants: Variants = None,
    vary: Vary = None,
    study: Studies = None,
    over: Media = None,
    frequency: Frequencies = None,
    title: Title = "",
    out: Out = None,
    json: Json = False,
) -> None:
    """Write models as one page of HTML that turns, slides, steers and re-terminates, without a network.

    Results files are not solved again. Measured curves lie over those of the models. The page holds the design files.
    """
    from ..page.report import report as write_report
    from ..page.subject import Reportable

    target = out or Path(f"{paths[0].stem or 'report'}.html")
    if target.suffix.lower() not in (".html", ".htm"):
        raise UsageError(f"--out {target}: a report is a page: let its name end in .html")
    make_folder(target.parent)
    file = load(paths[0], None, frequency) if study else None
    there = {} if file is None else studies_of(file)
    for name in study or []:
        if name not in there:
            raise UsageError(f"--study: {unknown('study', name, there)}")
    models = entries(paths, [*(variants or []), *_varied(vary)], over, frequency)
    with progress():
        named = title or next((e.run.file.title for e in models if e.run is not None), "")
        shown: dict[str, Reportable] = {e.label: e.run or e.network for e in models}
        if file is not None:
            shown |= {name: planned(file, name) for name in study or []}
        written = write_report(shown, target, title=named)
    size = written.stat().st_size
    if json:
        show_json({"file": str(written), "bytes": size, "models": [e.label for e in models]})
    else:
        show(str(written))
        complain(f"{size / 1e6:.1f} MB; open it in a browser")


def _varied(texts: list[str] | None) -> list[str]:
    """Variants for every value of ranges."""
    found = []
    for text in texts or []:
        name, equals, span = text.partition("=")
        if not equals:
            raise UsageError(f"--vary '{text}': write NAME=RANGE, such as height='3 m; 6 m; 12 m'")
        found += [f"{name.strip()}={step}" for step in steps_of(span, f"--vary {name.strip()}")]
    return found
