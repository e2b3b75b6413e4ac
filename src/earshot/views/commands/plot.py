"""earshot plot: solve a design and draw it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from ...errors import UsageError, unknown
from ...files.atomic import folder as make_folder
from ...files.atomic import write_atomically
from .options import DesignPath, Frequencies, Json, Sets, load
from .runs import CaseRun, Run, run
from .screen import complain, show, show_json

Kinds = Annotated[list[str] | None, typer.Argument(metavar="[FIGURE]...", help="Which figures; all unless named.")]
Out = Annotated[Path, typer.Option("--out", "-o", metavar="FOLDER", help="Where the figures go.")]
Format = Annotated[str, typer.Option("--format", help="png, svg or pdf.")]


def _cuts(case: CaseRun) -> dict[str, Any]:
    """The cuts of a case as the plotting functions take them; E and H when the case names none."""
    planes = tuple(c.plane for c in case.case.cuts if c.plane)
    words: dict[str, Any] = {}
    for cut in case.case.cuts:
        if cut.elevation is not None:
            words["elevation"] = cut.elevation
        if cut.azimuth is not None:
            words["azimuth"] = cut.azimuth
    return {"planes": planes, "words": words}


def figures() -> dict[str, Callable[[Run], Any]]:
    """Every figure by name; plotting is loaded here, when the first one is wanted."""
    from .. import plots

    def with_cuts(draw: Callable[..., Any], result: Run) -> Any:
        chosen = _cuts(result.cases[0])
        return draw(result.cases[0].field, *chosen["planes"], **chosen["words"])

    return {
        "vswr": lambda r: plots.vswr(r.solution.network),
        "impedance": lambda r: plots.impedance(r.solution.network),
        "return-loss": lambda r: plots.return_loss(r.solution.network),
        "polar": lambda r: with_cuts(plots.polar, r),
        "cartesian": lambda r: with_cuts(plots.cartesian, r),
        "pattern": lambda r: plots.pattern(r.cases[0].field, r.solution.antenna),
        "currents": lambda r: plots.currents(r.cases[0].driven),
    }


def draw(result: Run, names: list[str], folder: Path, ending: str) -> list[Path]:
    """Draw figures into a folder; returns what was written."""
    known = figures()
    return [
        write_atomically(folder / f"{name}.{ending}", lambda place, n=name: known[n](result).savefig(place))  # type: ignore[misc]
        for name in names
    ]


def plot(
    path: DesignPath,
    kinds: Kinds = None,
    out: Out = Path("figures"),
    ending: Format = "png",
    sets: Sets = None,
    frequency: Frequencies = None,
    json: Json = False,
) -> None:
    """Solve a design and draw figures: vswr, impedance, return-loss, polar, cartesian, pattern, currents.

    Patterns and currents are those of the first case.
    """
    names = kinds or list(figures())
    for name in names:
        if name not in figures():
            raise UsageError(unknown("figure", name, figures()))
    if ending not in ("png", "svg", "pdf"):
        raise UsageError(f"--format {ending} is not one of png, svg, pdf")
    file = load(path, sets, frequency)
    make_folder(out)
    complain(f"solving {file.title} at {len(file.asked.every)} frequencies")
    written = draw(run(file, own_frequencies=not frequency), names, out, ending)
    if json:
        show_json({"figures": [str(p) for p in written]})
    else:
        show(*(str(p) for p in written))
