"""earshot plot: draw a design, solving it first, or a results file."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Annotated, Any

import typer

from ... import units
from ...answers.cases import Cut
from ...errors import UsageError, unknown
from ...files.atomic import folder as make_folder
from ...files.atomic import write_atomically
from ...running import report
from ...runs.asking import chosen_cases, degrees
from ...runs.run import Run
from ..figures import FIGURES, Wishes, figures_for, figures_told
from .options import (
    FIGURE_ENDINGS,
    Azimuths,
    Cases,
    Elevations,
    Format,
    Frequencies,
    Json,
    ModelPath,
    Planes,
    Quantity,
    Readouts,
    Sets,
    a_folder,
    known_format,
    readable,
)
from .runs import opened
from .screen import progress, show, show_json


def _like(start: str) -> list[str]:
    return [name for name in FIGURES if name.startswith(start)]


Kinds = Annotated[
    list[str] | None,
    typer.Argument(metavar="[FIGURE]...", help="Which figures; all unless named.", autocompletion=_like),
]
Out = Annotated[
    Path, typer.Option("--out", "-o", metavar="FOLDER", help="Where figures go; of one, also a file: pattern.svg.")
]
Scale = Annotated[str, typer.Option("--scale", help="Radial scale of polar cuts: dB or compressed.")]
Reach = Annotated[
    str | None,
    typer.Option("--reach", metavar="LENGTH", help="Draw the antenna in its pattern to scale, the peak so far out."),
]

NearKind = Annotated[str, typer.Option("--field", metavar="E|H|S", help="Which near field is mapped.")]
Edge = Annotated[float | None, typer.Option("--limit", help="Of that field, rms: where it is at it, in red.")]


def draw(result: Run, names: Sequence[str], folder: Path, ending: str, wishes: Wishes | None = None) -> list[Path]:
    """Draw figures into a folder; returns what was written."""
    return save_figures(_makers(result, names, wishes or Wishes()), folder, ending)


def _makers(result: Run, names: Sequence[str], wishes: Wishes) -> dict[str, Callable[[], Any]]:
    return {name: partial(FIGURES[name].draw, result, wishes) for name in names}


def save_figures(figures: Mapping[str, Callable[[], Any]], folder: Path, ending: str) -> list[Path]:
    """Make figures and write each by its name into a folder, animations as .gif; returns what was written."""
    written: list[Path] = []
    with progress():
        for name, make in figures.items():
            report(f"drawing {name}")
            written.append(_saved(make(), folder / f"{name}.{ending}"))
    return written


def _saved(made: Any, target: Path) -> Path:
    """A figure in its file; what moves, as .gif."""
    if hasattr(made, "savefig"):
        return write_atomically(target, made.savefig)
    return made(target.with_suffix(".gif"))  # type: ignore[no-any-return]


def plot(
    path: ModelPath,
    kinds: Kinds = None,
    out: Out = Path("figures"),
    ending: Format = "png",
    at: Readouts = None,
    scale: Scale = "dB",
    reach: Reach = None,
    case: Cases = None,
    quantity: Quantity = None,
    plane: Planes = None,
    elevation: Elevations = None,
    azimuth: Azimuths = None,
    field: NearKind = "E",
    limit: Edge = None,
    sets: Sets = None,
    frequency: Frequencies = None,
    json: Json = False,
) -> None:
    """Draw a design, which is solved first, or a results file, which is not.

    Patterns, currents and near fields are the first case's, or the first's that --case names; cuts of several cases
    that it names lie over one another.
    """
    for name in kinds or []:
        if name not in FIGURES:
            raise UsageError(unknown("figure", name, FIGURES))
    if scale not in ("dB", "compressed"):
        raise UsageError(f"--scale {scale} is not dB or compressed")
    known_format(ending)
    readable(at)
    if reach is not None:
        units.read(reach, "length", what="--reach", wavelength=1.0)
    from ..plots.cuts import QUANTITIES

    for name in quantity or []:
        if name not in QUANTITIES:
            raise UsageError(f"--quantity: {unknown('quantity', name, QUANTITIES)}")
    if field not in ("E", "H", "S"):
        raise UsageError(f"--field {field} is not E, H or S")
    if limit is not None and not limit > 0.0:
        raise UsageError(f"--limit {limit:g} is not above zero")
    cuts = [Cut(plane=one) for one in plane or []]
    cuts += [Cut(elevation=degrees(e, "--elevation")) for e in elevation or []]
    cuts += [Cut(azimuth=degrees(a, "--azimuth")) for a in azimuth or []]
    for name in plane or []:
        if name not in ("E", "H"):
            raise UsageError(f"--plane {name} is not E or H")
    alone = out.suffix.lower() in FIGURE_ENDINGS and not out.is_dir()
    if alone and len(kinds or []) != 1:
        raise UsageError(f"--out {out}: a file holds one figure: name which, such as geometry, or give a folder")
    if not alone:
        a_folder(out)
    make_folder(out.parent if alone else out)
    result = opened(path, sets, frequency)
    if case:
        result = replace(result, cases=tuple(one for _, one in chosen_cases(result, case)))
    wishes = Wishes(at or (), scale, reach, bool(case), field, limit, quantity or (), cuts)
    makers = _makers(result, kinds or figures_for(result), wishes)
    if alone:
        with progress():
            written = [_saved(make(), out) for make in makers.values()]
    else:
        written = save_figures(makers, out, ending)
    if json:
        show_json({"figures": [str(p) for p in written]})
    else:
        show(*(str(p) for p in written))


plot.__doc__ = f"{plot.__doc__}\n\n    Figures: {figures_told()}.\n"
