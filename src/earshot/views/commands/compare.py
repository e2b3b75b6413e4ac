"""earshot compare: designs, variants, results and measured curves laid over one another."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from ...answers.comparing import compare as side_by_side
from ...errors import UsageError
from ...files.atomic import folder as make_folder
from ...files.formats import write
from ...files.tables import records
from ...network.network import Network
from ...units import engineering
from ..figures import over_one_another
from ..side_by_side import compared
from ..tables import comparison_table
from .entries import Entry, Media, Paths, Variants, entries
from .options import Everything, Format, Frequencies, Json, Readouts, a_folder, known_format, readable
from .plot import save_figures
from .runs import joined
from .screen import complain, paragraphs, show, show_json

Out = Annotated[
    Path, typer.Option("--out", "-o", metavar="FOLDER", callback=a_folder, help="Where the table and figures go.")
]


def compare(
    paths: Paths,
    variants: Variants = None,
    over: Media = None,
    frequency: Frequencies = None,
    at: Readouts = None,
    out: Out = Path("comparison"),
    ending: Format = "png",
    everything: Everything = False,
    json: Json = False,
) -> None:
    """Lay designs, variants of the first one, results files and measured curves over one another.

    Prints match and beam side by side at the frequency of the first model's first case, every figure with --all, and
    draws VSWR, return loss, impedance, a Smith chart and the first case's cuts into a folder, with every figure as CSV.
    Results files are not solved again.
    """
    known_format(ending)
    if len(paths) + len(variants or []) + len(over or []) < 2:
        raise UsageError("compare: one model alone; name another, or a variant with --set NAME=VALUE or --over MEDIUM")
    readable(at)
    make_folder(out)
    models = entries(paths, variants, over, frequency)
    first = next((e.run for e in models if e.run is not None), None)
    hertz = first.cases[0].driven.frequency if first is not None else float(models[0].network.frequencies[0])
    table = _table(models, hertz)
    written = [write(table, out / "comparison.csv"), *_draw(models, out, ending, at or [])]
    title = f"{first.file.title if first else models[0].label} at {engineering(hertz, 'Hz', 6)}"
    if json:
        show_json({"frequency_Hz": hertz, "figures": records(table), "files": [str(p) for p in written]})
    else:
        show(*([comparison_table(table, title)] if everything else paragraphs(compared(table, title))))
        complain(f"{len(written)} files written to {out}")


def _table(models: list[Entry], hertz: float) -> Any:
    """Every model driven as its own first case says, side by side."""
    columns = []
    for e in models:
        if e.run is not None and abs(e.run.solution.solved / hertz - 1.0).min() < 1e-9:
            columns.append(e.run.figures_at(hertz, e.label))
            continue
        if e.run is not None:
            at = engineering(hertz, "Hz", 6)
            complain(
                f"note: {e.label} was not solved at {at}: its beam is not compared, its match if its band goes there"
            )
        columns.append(side_by_side({e.label: e.network}, frequency=hertz))
    return joined(columns)


def _draw(models: list[Entry], out: Path, ending: str, at: list[str]) -> list[Path]:
    from .. import plots

    labels, networks = [e.label for e in models], [e.network for e in models]
    phased = [(e.label, e.network) for e in models if isinstance(e.network, Network)]
    figures: dict[str, Any] = {
        "vswr": lambda: plots.vswr(*networks, labels=labels, at=at),
        "return-loss": lambda: plots.return_loss(*networks, labels=labels, at=at),
    }
    if phased:
        names, known = [n for n, _ in phased], [x for _, x in phased]
        figures["impedance"] = lambda: plots.impedance(*known, labels=names, at=at)
        figures["smith"] = lambda: plots.smith(*known, labels=names, at=at)
    runs = [(e.label, e.run) for e in models if e.run is not None]
    if runs:
        first = runs[0][1].cases[0].case
        figures |= over_one_another([r.cases[0].field for _, r in runs], [n for n, _ in runs], first.cuts)
    return save_figures(figures, out, ending)
