"""earshot demo: the Ternholm tag receiver, from its design file to tables and figures."""

from __future__ import annotations

from importlib import resources
from pathlib import Path
from typing import Annotated

import typer

from ...checks.check import check
from ...files.atomic import folder as make_folder
from ...files.atomic import write_bytes
from ..figures import figures_for
from ..page.report import report as write_report
from ..tables import findings_table
from .options import Json, a_folder, load
from .plot import draw
from .runs import run, tables
from .screen import complain, paragraphs, show, show_json

Out = Annotated[
    Path,
    typer.Option("--out", "-o", metavar="FOLDER", callback=a_folder, help="Where the design, results and figures go."),
]


def demo(out: Out = Path("ternholm-demo"), json: Json = False) -> None:
    """Analyse the made-up tag receiver of the Ternholm bird observatory: tables here, files and figures in a folder."""
    make_folder(out)
    designs = resources.files("earshot.demo")
    for name in (
        "tag_receiver.toml",
        "buoy_monopole.toml",
        "uplink_turnstile.toml",
        "hut_roof.toml",
        "mainland_guide.toml",
        "mainland_patch.toml",
        "mainland_stack.toml",
        "mainland_panel.toml",
        "hill_mirror.toml",
        "uplink_patch.toml",
        "buoy_on_swell.toml",
        "shore_receiver.toml",
        "tag_line.toml",
        "tag_line_matrix.toml",
        "roof_meter.csv",
        "uplink_meter.s1p",
        "ternholm_place.toml",
        "hamlet_place.toml",
        "strait_place.toml",
        "hamlet.geojson",
        "chapel.obj",
        "ternholm.tif",
    ):
        write_bytes(out / name, (designs / name).read_bytes())
    file = load(out / "tag_receiver.toml", None)
    findings = check(file.design, file.highest)
    result = run(file, with_evidence=True)
    if json:
        show_json(result.to_dict())
    else:
        show(*paragraphs([findings_table(findings, file.title), *tables(result)]))
    page = write_report(result, out / "tag_receiver.html")
    written = [*result.write(out), *draw(result, figures_for(result), out, "png"), page]
    complain(f"{len(written)} files written to {out}: open {page.name} in a browser")
    complain(f"now try: earshot solve {out}/buoy_monopole.toml")
