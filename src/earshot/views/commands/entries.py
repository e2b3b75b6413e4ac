"""Models that a command takes several of: design files, variants of the first, results files and measured curves."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Annotated

import typer

from ...errors import UsageError
from ...files.curves import read_network
from ...files.design_file import DesignFile
from ...files.editing import changed, changes_of, edited
from ...files.results import is_results
from ...network.network import Network
from ...network.trace import Trace
from ...runs.run import Run
from .options import load
from .runs import opened, run
from .screen import complain

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


@dataclass(frozen=True, slots=True)
class Entry:
    """One of what is compared: a run, or a measured curve."""

    label: str
    run: Run | None
    network: Network | Trace


def entries(
    paths: list[Path], variants: list[str] | None, media: list[str] | None, frequencies: list[str] | None
) -> list[Entry]:
    """Every model by a name of its own: files in their order, variants of the first one after it."""
    found: list[Entry] = []
    # What is wrong with a variant is told before anything is solved.
    others = variants_of(paths[0], variants, media, frequencies)
    for i, (path, name) in enumerate(zip(paths, names_of(paths), strict=True)):
        if path.suffix.lower() == ".toml" or is_results(path):
            result = opened(path, None, frequencies)
            found.append(Entry(name, result, result.solution.network))
            if i == 0:
                for text, words, file in others:
                    complain(f"solving {file.title} {words}")
                    varied = run(file, own_frequencies=not frequencies)
                    found.append(Entry(text, varied, varied.solution.network))
        else:
            network = read_network(path)
            found.append(Entry(name, None, network))
    labels = [e.label for e in found]
    return [replace(e, label=f"{e.label} ({i + 1})") if labels.count(e.label) > 1 else e for i, e in enumerate(found)]


def names_of(paths: list[Path]) -> list[str]:
    """What files are called: results, and others of one name, by their folders."""
    stems = ["results", *(path.stem for path in paths)]
    return [path.resolve().parent.name if stems.count(path.stem) > 1 else path.stem for path in paths]


def variants_of(
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
