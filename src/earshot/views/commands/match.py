"""earshot match: circuits that bring a port to a wished impedance."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import pandas as pd
import typer
from rich.text import Text

from ... import units
from ...errors import UsageError
from ...files.atomic import folder as make_folder
from ...files.formats import write
from ...files.results import is_results
from ...files.tables import records
from ...network.matching import RANGES, Match, Stock, matches
from ..tables import plain_table, titled
from .options import Format, Frequencies, Json, Readouts, Sets, a_folder, known_format, load
from .plot import save_figures
from .runs import opened, run
from .screen import complain, paragraphs, show, show_json

Model = Annotated[Path, typer.Argument(metavar="MODEL", help="Design file (.toml) or results file (.nc).")]
Wished = Annotated[str, typer.Option("--to", metavar="OHMS", help="What is to be seen: '50 ohm', '75', '30+20j'.")]
Bought = Annotated[str | None, typer.Option("--values", metavar="RANGE", help=f"Preferred: {', '.join(RANGES)}.")]
Out = Annotated[
    Path | None,
    typer.Option(
        "--out", "-o", metavar="FOLDER", callback=a_folder, help="Write each way's curve there, and draw them."
    ),
]


def match(
    path: Model,
    to: Wished = "50",
    port: Annotated[str | None, typer.Option("--port", metavar="NAME", help="Which port, of several.")] = None,
    frequency: Frequencies = None,
    sets: Sets = None,
    values: Bought = None,
    coil_q: Annotated[float, typer.Option("--coil-q", help="Q of coils.")] = float("inf"),
    capacitor_q: Annotated[float, typer.Option("--capacitor-q", help="Q of capacitors.")] = float("inf"),
    q: Annotated[float | None, typer.Option("--q", help="Three parts too, of this Q.")] = None,
    sections: Annotated[int, typer.Option("--sections", help="Quarter waves in a row.")] = 1,
    velocity: Annotated[float, typer.Option("--velocity", help="Of lines, as a share of light's.")] = 1.0,
    attenuation: Annotated[float, typer.Option("--attenuation", help="Of lines, dB/m.")] = 0.0,
    at: Readouts = None,
    out: Out = None,
    ending: Format = "png",
    json: Json = False,
) -> None:
    """Find circuits that match a port at a frequency: two or three parts, line and stub, quarter waves.

    Each is told from the input to the antenna, with the return loss that parts with these Q, in these values, leave,
    the band within VSWR 2, and what the circuit takes. Other ports are closed by their references.
    """
    known_format(ending)
    if frequency and len(frequency) > 1:
        raise UsageError("match: one frequency at a time; the band is the design's own")
    stock = Stock(values, coil_q, capacitor_q, velocity, attenuation)
    if frequency and not is_results(path):
        # Besides the band, which tells how wide a match is.
        file = load(path, sets)
        complain(f"solving {file.title}: {path}")
        result = run(replace(file, frequencies=(*file.frequencies, units.frequency(frequency[0]))))
    else:
        result = opened(path, sets)
    hertz = units.frequency(frequency[0]) if frequency else result.cases[0].driven.frequency
    network = result.solution.network
    found = matches(network, hertz, _ohms(to), port=port, q=q, sections=sections, stock=stock)
    if not found:
        raise UsageError(f"match: nothing matches this to {to}")
    rows = [_told(one) for one in found]
    if out is not None:
        make_folder(out)
        own = network.ports.index(port) if port else 0
        before = type(network)(network.frequencies, 1.0 / network.impedances[:, own, None, None], ("in",),
                               found[0].network.references, "without", network.spans)  # fmt: skip
        # Of each kind the best.
        best = {one.kind: (n, one.network) for n, one in reversed(list(enumerate(found, 1)))}
        drawn = [before, *(own for _, own in best.values())]
        labels = ["without", *(f"{n}: {kind}" for kind, (n, _) in best.items())]
        files = [write(one.network, out / f"match-{n}.s1p") for n, one in enumerate(found, 1)]
        files += save_figures({"vswr": lambda: _drawing(drawn, labels, at)}, out, ending)
        complain(f"{len(files)} files written to {out}")
    if json:
        show_json({"frequency_Hz": hertz, "ways": records(pd.DataFrame(rows))})
    else:
        place = f"port {port or network.ports[0]} at {units.engineering(hertz, 'Hz', 6)} to {to}"
        show(*paragraphs([_table(rows, f"{place}, from the input on")]))


def _ohms(text: str) -> complex:
    try:
        return complex(text.replace(" ", "").removesuffix("ohm"))
    except ValueError:
        raise UsageError(f"--to '{text}': write it like '50 ohm', '75' or '30+20j'") from None


def _told(one: Match) -> dict[str, Any]:
    """A row of the table."""
    within = one.network.bandwidth(vswr=2.0)
    here = within[(within["from_Hz"] <= one.frequency) & (within["to_Hz"] >= one.frequency)]
    loss = -20.0 * np.log10(max(abs(one.reflection), 1e-6))
    return {
        "way": one.kind, "parts": "; ".join(one.parts), "return_loss_dB": float(loss), "loss_dB": one.loss,
        "within_VSWR_2_percent": float(here["width_percent"].iloc[0]) if len(here) else None,
        "cut_off": bool(here["cut_off"].iloc[0]) if len(here) else None,
    }  # fmt: skip


def _table(rows: list[dict[str, Any]], title: str) -> Any:
    table = plain_table(
        [("", True), ("parts", False), ("return loss, dB", True), ("VSWR 2, %", True), ("loss, dB", True)]
    )
    for number, row in enumerate(rows, 1):
        wide = row["within_VSWR_2_percent"]
        back = row["return_loss_dB"]
        table.add_row(
            str(number),
            Text(f"{row['parts']}"),
            "> 60" if back > 60.0 else f"{back:.1f}",
            "-" if wide is None else f"{wide:.2g}{'+' if row['cut_off'] else ''}",
            f"{row['loss_dB']:.2f}",
        )
    return titled(title, table)


def _drawing(networks: list[Any], labels: list[str], at: list[str] | None) -> Any:
    from .. import plots

    return plots.vswr(*networks, labels=labels, at=at or ())
