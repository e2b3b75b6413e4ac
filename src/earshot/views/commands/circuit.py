"""earshot circuit: an antenna fed through the circuit of its file."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from ...errors import UsageError
from ...files.atomic import folder as make_folder
from ...files.formats import write
from ...files.tables import flat, records
from ...network.feed import Feed
from ...runs.questions import QUESTIONS, Asked
from ...runs.questions import ask as answer
from ...runs.run import Run
from ..circuit_tables import circuit_screen
from ..figures import FIGURES, Wishes, over_one_another
from ..tables import frame_table
from .options import Everything, Format, Frequencies, Json, ModelPath, Sets, a_folder, known_format
from .plot import save_figures
from .runs import opened
from .screen import complain, paragraphs, show, show_json

Out = Annotated[
    Path | None,
    typer.Option(
        "--out",
        "-o",
        metavar="FOLDER",
        callback=a_folder,
        help="Write tables there, and draw circuit, power and beams.",
    ),
]
_TABLES = ("beams", "inputs", "parts", "levels", "reception")


def circuit(
    path: ModelPath,
    sets: Sets = None,
    frequency: Frequencies = None,
    out: Out = None,
    ending: Format = "png",
    everything: Everything = False,
    json: Json = False,
) -> None:
    """Show what the circuit of a design makes of its antenna: a table of beams, inputs, where the power goes.

    The antenna is solved once; cases, their states and all parts of the circuit follow from that.
    """
    known_format(ending)
    run = opened(path, sets, frequency)
    fed = any(one.driven.feed is not None for one in run.cases)
    heard = any(one.driven.heard is not None for one in run.cases)
    if not (fed or heard):
        raise UsageError(
            f"circuit: no case of '{run.file.title}' drives an input of a circuit or listens at one: add [circuit] to "
            "its file, and a case with power = { INPUT = '1 W' } or receive = 'INPUT'"
        )
    there = [name for name in _TABLES if (heard if name == "reception" else fed)]
    if out is not None:
        make_folder(out)
        files = [write(flat(_asked(run, name)), out / f"{name}.csv") for name in there]
        files += [*_inputs(run, out), *save_figures(_figures(run), out, ending)]
        complain(f"{len(files)} files written to {out}")
    if json:
        show_json({name: records(_asked(run, name)) for name in there})
    elif everything:
        show(*paragraphs(circuit_screen(run)), *(frame_table(flat(_asked(run, name)), name) for name in there))
    else:
        show(*paragraphs(circuit_screen(run)))


def _asked(run: Run, name: str) -> Any:
    assert name in QUESTIONS
    return answer(run, name, Asked())


def _inputs(run: Run, out: Path) -> list[Path]:
    """What is seen at the inputs at every frequency, of the first case that drives them, as Touchstone."""
    for one in run.cases:
        if isinstance(one.case.feed, Feed):
            network = one.case.feed.network(run.solution.network, one.case.terminations)
            return [write(network, out / f"inputs.s{len(network.ports)}p")]
    return []


def _figures(run: Run) -> dict[str, Any]:
    """The circuit and its power, and every beam over the others; beside a beam that is held back what it would be."""
    drawn: dict[str, Any] = {
        name: (lambda kind=FIGURES[name]: kind.draw(run, Wishes()))
        for name in ("circuit", "power")
        if FIGURES[name].needs(run)
    }
    through = [one for one in run.cases if one.driven.feed is not None]
    if not through:
        heard = [one for one in run.cases if one.driven.heard is not None]
        return drawn | over_one_another([c.field for c in heard], [c.case.name for c in heard], heard[0].case.cuts)
    beams = [(one.field, one.case.name) for one in through]
    beams += [(field, f"{name}, never saturated") for name, field in run.unsaturated().items()]
    cuts = next((one.case.cuts for one in through if one.case.cuts), ())
    return drawn | over_one_another([f for f, _ in beams], [n for _, n in beams], cuts, "eirp")
