"""earshot compare: designs, variants, results and measured curves laid over one another."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Annotated, Any

import typer

from ...answers.comparing import compare as side_by_side
from ...errors import UsageError
from ...files.atomic import folder as make_folder
from ...files.curves import read_network
from ...files.design_file import DesignFile
from ...files.editing import changed, changes_of, edited
from ...files.formats import write
from ...files.results import is_results
from ...files.tables import records
from ...network.network import Network
from ...network.trace import Trace
from ...runs.run import Run
from ...units import engineering
from ..figures import over_one_another
from ..side_by_side import compared
from ..tables import comparison_table
from .options import Everything, Format, Frequencies, Json, Readouts, known_format, load, readable
from .plot import save_figures
from .runs import joined, opened, run
from .screen import complain, paragraphs, show, show_json

Paths = Annotated[
    list[Path],
    typer.Argument(
        metavar="MODEL...",
        help="Design files (.toml), results files (.nc), measured curves (.s1p, .ts, .csv).",
        show_default=False,
    ),
]
Variants = Annotated[
    list[str] | None,
    typer.Option(
        "--set",
        metavar="NAME=VALUE,...",
        help="Add a variant of the first design with these values, such as driven='0.93 m'; may be repeated.",
    ),
]
Media = Annotated[
    list[str] | None,
    typer.Option(
        "--over",
        metavar="MEDIUM",
        help="Add the first design over another medium, such as sea, meadow, 'free space'; may be repeated.",
    ),
]
Out = Annotated[Path, typer.Option("--out", "-o", metavar="FOLDER", help="Where the table and figures go.")]


@dataclass(frozen=True, slots=True)
class _Entry:
    """One of what is compared: a run, or a measured curve."""

    label: str
    run: Run | None
    network: Network | Trace


def _entries(
    paths: list[Path], variants: list[str] | None, media: list[str] | None, frequencies: list[str] | None
) -> list[_Entry]:
    found: list[_Entry] = []
    # What is wrong with a variant is told before anything is solved.
    others = _variants(paths[0], variants, media, frequencies)
    for i, (path, name) in enumerate(zip(paths, _names(paths), strict=True)):
        if path.suffix.lower() == ".toml" or is_results(path):
            result = opened(path, None, frequencies)
            found.append(_Entry(name, result, result.solution.network))
            if i == 0:
                for text, words, file in others:
                    complain(f"solving {file.title} {words}")
                    varied = run(file, own_frequencies=not frequencies)
                    found.append(_Entry(text, varied, varied.solution.network))
        else:
            network = read_network(path)
            found.append(_Entry(name, None, network))
    labels = [e.label for e in found]
    return [replace(e, label=f"{e.label} ({i + 1})") if labels.count(e.label) > 1 else e for i, e in enumerate(found)]


def _names(paths: list[Path]) -> list[str]:
    """What files are called: results, and others of one name, by their folders."""
    stems = ["results", *(path.stem for path in paths)]
    return [path.resolve().parent.name if stems.count(path.stem) > 1 else path.stem for path in paths]


def _variants(
    path: Path, variants: list[str] | None, media: list[str] | None, frequencies: list[str] | None
) -> list[tuple[str, str, DesignFile]]:
    """Variants of a design: what each is called, in what words it is solved, and its file."""
    if (variants or media) and is_results(path):
        option = "--set" if variants else "--over"
        raise UsageError(
            f"{option} makes variants of a design; '{path.name}' holds results: give its design file first"
        )
    files = []
    for text, medium in [*((v, None) for v in variants or []), *((f"over {m}", m) for m in media or [])]:
        plain = load(path, None, frequencies)
        file = changed(plain, changes_of([text])) if medium is None else edited(plain, {"medium": medium})
        files.append((text, text if medium else f"with {text}", file))
    return files


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
    entries = _entries(paths, variants, over, frequency)
    first = next((e.run for e in entries if e.run is not None), None)
    hertz = first.cases[0].driven.frequency if first is not None else float(entries[0].network.frequencies[0])
    table = _table(entries, hertz)
    written = [write(table, out / "comparison.csv"), *_draw(entries, out, ending, at or [])]
    title = f"{first.file.title if first else entries[0].label} at {engineering(hertz, 'Hz', 6)}"
    if json:
        show_json({"frequency_Hz": hertz, "figures": records(table), "files": [str(p) for p in written]})
    else:
        show(*([comparison_table(table, title)] if everything else paragraphs(compared(table, title))))
        complain(f"{len(written)} files written to {out}")


def _table(entries: list[_Entry], hertz: float) -> Any:
    """Every model driven as its own first case says, side by side."""
    columns = []
    for e in entries:
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


def _draw(entries: list[_Entry], out: Path, ending: str, at: list[str]) -> list[Path]:
    from .. import plots

    labels, networks = [e.label for e in entries], [e.network for e in entries]
    phased = [(e.label, e.network) for e in entries if isinstance(e.network, Network)]
    figures: dict[str, Any] = {
        "vswr": lambda: plots.vswr(*networks, labels=labels, at=at),
        "return-loss": lambda: plots.return_loss(*networks, labels=labels, at=at),
    }
    if phased:
        names, known = [n for n, _ in phased], [x for _, x in phased]
        figures["impedance"] = lambda: plots.impedance(*known, labels=names, at=at)
        figures["smith"] = lambda: plots.smith(*known, labels=names, at=at)
    runs = [(e.label, e.run) for e in entries if e.run is not None]
    if runs:
        first = runs[0][1].cases[0].case
        figures |= over_one_another([r.cases[0].field for _, r in runs], [n for n, _ in runs], first.cuts)
    return save_figures(figures, out, ending)
