"""earshot plot: solve a design and draw it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer

from ...constants import wavelength
from ...errors import UsageError, unknown
from ...fields.near import NearField, plane_of_points
from ...files.atomic import folder as make_folder
from ...files.atomic import write_atomically
from .options import DesignPath, Frequencies, Json, Sets, load
from .runs import Run, run
from .screen import complain, show, show_json

Kinds = Annotated[list[str] | None, typer.Argument(metavar="[FIGURE]...", help="Which figures; all unless named.")]
Out = Annotated[Path, typer.Option("--out", "-o", metavar="FOLDER", help="Where the figures go.")]
Format = Annotated[str, typer.Option("--format", help="png, svg or pdf.")]


def near_map(result: Run) -> NearField:
    """Near field over an upright plane through the middle of the antenna, half a wavelength round it."""
    antenna, driven = result.solution.antenna, result.cases[0].driven
    low, high = antenna.extent
    reach = 0.5 * wavelength(driven.frequency)
    middle = 0.5 * (low + high)
    across = 0 if high[0] - low[0] >= high[1] - low[1] else 1
    floor = 0.0 if antenna.medium.has_plane else low[2] - reach
    # Off the axes of the wires by two of the thickest radii.
    aside = middle + 2.5 * max(w.radius for w in antenna.wires) * np.eye(3)[1 - across]
    corner = np.where(np.arange(3) == across, low[across] - reach, aside)
    corner[2] = floor
    side = (high[across] - low[across] + 2 * reach) * np.eye(3)[across]
    rise = (high[2] + reach - floor) * np.eye(3)[2]
    points = plane_of_points(corner.tolist(), side.tolist(), rise.tolist(), (121, 91))
    # A wire that crosses the plane is a dark spot on the map.
    return driven.near_field(points, in_metal="zero")


def figures_table(result: Run) -> Any:
    """Figures of merit of the first case at every solved frequency."""
    case = result.cases[0].case
    return result.solution.figures(dict(case.sources) or None, terminations=case.terminations)


def figures() -> dict[str, Callable[[Run], Any]]:
    """Every figure by name; plotting is loaded here, when the first one is wanted."""
    from .. import plots

    def with_cuts(draw: Callable[..., Any], result: Run) -> Any:
        # Every cut the case names; E and H when it names none.
        cuts = result.cases[0].case.cuts
        return draw(
            result.cases[0].field,
            *(c.plane for c in cuts if c.plane is not None),
            elevation=[c.elevation for c in cuts if c.elevation is not None],
            azimuth=[c.azimuth for c in cuts if c.azimuth is not None],
        )

    return {
        "vswr": lambda r: plots.vswr(r.solution.network),
        "impedance": lambda r: plots.impedance(r.solution.network),
        "return-loss": lambda r: plots.return_loss(r.solution.network),
        "polar": lambda r: with_cuts(plots.polar, r),
        "cartesian": lambda r: with_cuts(plots.cartesian, r),
        "pattern": lambda r: plots.pattern(r.cases[0].field, r.solution.antenna),
        "currents": lambda r: plots.currents(r.cases[0].driven),
        "near": lambda r: plots.near(near_map(r), r.solution.antenna, rms=True),
        "figures": lambda r: plots.figures(figures_table(r), label=r.solution.antenna.name),
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
    """Solve a design and draw it: patterns, currents and near fields are those of its first case.

    Figures: vswr, impedance, return-loss, polar, cartesian, pattern, currents, near, figures.
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
