"""earshot plot: draw a design, solving it first, or a results file."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer

from ... import units
from ...answers.cases import Cut
from ...arrays.scanning import facing_of, in_words
from ...arrays.solved import SolvedArray, port_places
from ...arrays.weights import Weights
from ...constants import wavelength
from ...errors import UsageError, unknown
from ...fields.near import NearField, plane_of_points
from ...files.atomic import folder as make_folder
from ...files.atomic import write_atomically
from ...files.design_file import FileBuild
from ...files.ideal_array import ideal_array
from ...media.stack import Stack
from ...running import report
from .options import Format, Frequencies, Json, ModelPath, Readouts, Sets, known_format, readable
from .runs import Run, opened
from .screen import progress, show, show_json

FIGURES = (
    "geometry",
    "vswr",
    "impedance",
    "return-loss",
    "scattering",
    "smith",
    "polar",
    "cartesian",
    "sphere",
    "pattern",
    "currents",
    "charge",
    "surface",
    "animation",
    "near",
    "along-ground",
    "layout",
    "beam-map",
    "coupling",
    "scan",
    "ideal",
    "link",
    "figures",
)


def _like(start: str) -> list[str]:
    return [name for name in FIGURES if name.startswith(start)]


Kinds = Annotated[
    list[str] | None,
    typer.Argument(metavar="[FIGURE]...", help="Which figures; all unless named.", autocompletion=_like),
]
Out = Annotated[Path, typer.Option("--out", "-o", metavar="FOLDER", help="Where the figures go.")]
Scale = Annotated[str, typer.Option("--scale", help="Radial scale of polar cuts: dB or compressed.")]
Reach = Annotated[
    str | None,
    typer.Option("--reach", metavar="LENGTH", help="Draw the antenna in its pattern to scale, the peak so far out."),
]


@dataclass(frozen=True, slots=True)
class Wishes:
    """How figures are to be drawn: frequencies to read off, the radial scale of polar cuts, how far out a peak is."""

    at: Sequence[str] = ()
    scale: str = "dB"
    reach: str | None = None


def near_map(result: Run) -> NearField:
    """Near field over an upright plane through the middle of the antenna, half a wavelength round it."""
    antenna, driven = result.solution.antenna, result.cases[0].driven
    low, high = antenna.extent
    reach = 0.5 * wavelength(driven.frequency)
    middle = 0.5 * (low + high)
    across = 0 if high[0] - low[0] >= high[1] - low[1] else 1
    medium = antenna.medium
    floor = medium.height if isinstance(medium, Stack) else 0.0 if medium.has_plane else low[2] - reach
    # Off the axes of the wires by two of the thickest radii.
    thickest = max((w.radius for w in antenna.wires), default=1e-3 * antenna.size)
    aside = middle + 2.5 * thickest * np.eye(3)[1 - across]
    corner = np.where(np.arange(3) == across, low[across] - reach, aside)
    corner[2] = floor
    side = (high[across] - low[across] + 2 * reach) * np.eye(3)[across]
    rise = (high[2] + reach - floor) * np.eye(3)[2]
    points = plane_of_points(corner.tolist(), side.tolist(), rise.tolist(), (121, 91))
    # A wire that crosses the plane is a dark spot on the map.
    return driven.near_field(points, in_metal="zero")


def ground_lines(result: Run) -> list[NearField]:
    """Near field from one to a hundred wavelengths off, on the ground and a tenth of a wavelength over it.

    Towards the azimuth of the peak, or x where that is straight up. Raises UsageError where there is no ground.
    """
    medium = result.solution.antenna.medium
    if isinstance(medium, Stack) or not medium.has_plane:
        raise UsageError(
            f"along-ground: there is no ground below '{result.solution.antenna.name}': it is over {medium}"
        )
    driven, field = result.cases[0].driven, result.cases[0].field
    wave = wavelength(driven.frequency)
    theta, phi = field.peak
    towards = phi if theta > 0.02 else 0.0
    off = wave * np.geomspace(1.0, 100.0, 121)
    flat = np.stack([off * np.cos(towards), off * np.sin(towards)], axis=1)
    return [driven.near_field(np.column_stack([flat, np.full(len(off), z)])) for z in (0.0, 0.1 * wave)]


def solved_array(result: Run) -> SolvedArray:
    """The ports of a solution as an array, where the first case is; raises UsageError when there is one port alone."""
    antenna = result.solution.antenna
    if len(antenna.ports) < 2:
        raise UsageError(f"antenna '{antenna.name}' has one port: an array has more")
    return SolvedArray(result.solution, port_places(antenna), result.cases[0].driven.frequency)


def waves_of(result: Run) -> Weights:
    """What the first case sends towards every port, √W: none where it drives nothing."""
    driven = result.cases[0].driven
    references = np.array([p.reference for p in driven.antenna.ports])
    waves = (driven.voltages + references * driven.currents) / np.sqrt(8.0 * references.real)
    return Weights(np.where([p.name in driven.driven for p in driven.antenna.ports], waves, 0.0))


def scan_figure(result: Run, plots: Any) -> Any:
    """The match against scan, from the beam of the first case towards the axis the elements are spread over most."""
    of = solved_array(result)
    if (np.abs(waves_of(result).values) > 0.0).sum() < 2:
        raise UsageError(
            f"scan: case '{result.cases[0].case.name}' drives one port alone, and one is not scanned: drive the others "
            "too, in a case of their own"
        )
    facing, along = facing_of(of.layout, result.cases[0].field.peak)
    table = of.scan(Weights(np.abs(waves_of(result).values)), facing=facing, along=along)
    return plots.scan(
        table, title=result.solution.antenna.name, towards=f"from {in_words(facing)} towards {in_words(along)}"
    )


def ideal_figure(result: Run, plots: Any) -> Any:
    """The first case's beam as solved, over the same without coupling; raises UsageError where it is none of an array.

    In the cuts it names.
    """
    case, driven = result.cases[0].case, result.cases[0].driven
    beam = ideal_array(result.file, driven.frequency).beam(case.name)
    solved = replace(result.cases[0].field, label=f"{case.name}, with coupling")
    planes, angles = planes_of(case.cuts)
    return plots.cartesian([solved, replace(beam.field, label=f"{case.name}, without")], *planes, **angles,
                           quantity="realized_gain", title=result.solution.antenna.name)  # fmt: skip


def link_figure(result: Run, plots: Any) -> Any:
    """EIRP and G/T of the first case's beam against scan, by the file's amplifiers, with coupling and without."""
    case, driven = result.cases[0].case, result.cases[0].driven
    ideal = ideal_array(result.file, driven.frequency)
    beam = ideal.beam(case.name)
    without = ideal.link(beam)
    solved = ideal.link(beam, solved_array(result))
    if without is None or solved is None:
        raise UsageError(f"link: '{result.file.title}' names no amplifiers: add the key array.chain to its file")
    return plots.link(solved, without, labels=("with coupling", "without"), title=result.solution.antenna.name)


def figures_over_frequency(result: Run, plots: Any) -> Any:
    """Figures of merit of the first case, joined in bands where currents are known between solved frequencies."""
    case, solution = result.cases[0].case, result.solution
    table = solution.smooth_figures(dict(case.sources) or None, terminations=case.terminations)
    known = None if set(table.index) <= set(solution.solved.tolist()) else solution.currents_error
    return plots.figures(table, label=solution.antenna.name, between=known)


def planes_of(cuts: Iterable[Cut]) -> tuple[list[str], dict[str, Any]]:
    """Cuts as figures take them: planes, and elevations and azimuths."""
    cuts = list(dict.fromkeys(cuts))
    return [c.plane for c in cuts if c.plane is not None], {
        "elevation": [c.elevation for c in cuts if c.elevation is not None],
        "azimuth": [c.azimuth for c in cuts if c.azimuth is not None],
    }


def drawings(wishes: Wishes) -> dict[str, Callable[[Run], Any]]:
    """How each of `FIGURES` is drawn; plotting is loaded here, when the first one is wanted."""
    from .. import plots

    def with_cuts(draw: Callable[..., Any], result: Run, **more: Any) -> Any:
        planes, angles = planes_of(result.cases[0].case.cuts)
        return draw(result.cases[0].field, *planes, **angles, **more)

    at = wishes.at
    return {
        "geometry": lambda r: plots.geometry(r.file.design, mesh=r.solution.sheet_mesh),
        "vswr": lambda r: plots.vswr(r.solution.network, at=at),
        "impedance": lambda r: plots.impedance(r.solution.network, at=at),
        "return-loss": lambda r: plots.return_loss(r.solution.network, at=at),
        "scattering": lambda r: plots.scattering(r.solution.network, at=at),
        "smith": lambda r: plots.smith(r.solution.network, at=at),
        "polar": lambda r: with_cuts(plots.polar, r, scale=wishes.scale),
        "cartesian": lambda r: with_cuts(plots.cartesian, r),
        "sphere": lambda r: plots.sphere(r.cases[0].field),
        "pattern": lambda r: plots.pattern(r.cases[0].field, r.solution.antenna, reach=wishes.reach),
        "currents": lambda r: plots.currents(r.cases[0].driven),
        "charge": lambda r: plots.currents(r.cases[0].driven, which="charge"),
        "surface": lambda r: plots.surface_currents(r.cases[0].driven),
        "animation": lambda r: partial(plots.write_animation, r.cases[0].driven),
        "near": lambda r: plots.near(near_map(r), r.solution.antenna, rms=True),
        "along-ground": lambda r: plots.along(
            *ground_lines(r), rms=True, title=f"{r.solution.antenna.name}: field along the ground"
        ),
        "layout": lambda r: plots.layout(port_places(r.solution.antenna), waves_of(r), label=r.solution.antenna.name),
        "beam-map": lambda r: plots.beam_map(r.cases[0].field),
        "coupling": lambda r: plots.coupling(
            solved_array(r).coupling(), title=r.solution.antenna.name, frequency=r.cases[0].driven.frequency
        ),
        "scan": lambda r: scan_figure(r, plots),
        "link": lambda r: link_figure(r, plots),
        "ideal": lambda r: ideal_figure(r, plots),
        "figures": lambda r: figures_over_frequency(r, plots),
    }


def figures_for(result: Run) -> list[str]:
    """The figures there are of a solution: along wires for wires, of surface currents for sheets, beams for arrays."""
    antenna, build = result.solution.antenna, result.file.design.build
    printed = isinstance(antenna.medium, Stack)
    # Along a probe the current is of one strength.
    missing = {"currents", "charge"} if printed or not antenna.wires else set()
    missing |= set() if antenna.sheets else {"surface", "animation"}
    missing |= set() if antenna.medium.has_plane and not printed else {"along-ground"}
    missing |= set() if len(antenna.ports) > 1 else {"layout", "beam-map", "coupling", "scan"}
    missing |= set() if len(result.cases[0].driven.driven) > 1 else {"scan"}
    own = build.table.array if isinstance(build, FileBuild) else None
    of_beams = own is not None and result.cases[0].case.name in own.beam
    missing |= set() if of_beams else {"ideal"}
    missing |= set() if of_beams and own is not None and own.chain is not None else {"link"}
    return [name for name in FIGURES if name not in missing]


def draw(result: Run, names: Sequence[str], folder: Path, ending: str, wishes: Wishes | None = None) -> list[Path]:
    """Draw figures into a folder; returns what was written."""
    known = drawings(wishes or Wishes())
    return save_figures({name: partial(known[name], result) for name in names}, folder, ending)


def save_figures(figures: Mapping[str, Callable[[], Any]], folder: Path, ending: str) -> list[Path]:
    """Make figures and write each by its name into a folder, animations as .gif; returns what was written."""
    written = []
    with progress():
        for name, make in figures.items():
            report(f"drawing {name}")
            made = make()
            if hasattr(made, "savefig"):
                written.append(write_atomically(folder / f"{name}.{ending}", made.savefig))
            else:
                written.append(made(folder / f"{name}.gif"))
    return written


def plot(
    path: ModelPath,
    kinds: Kinds = None,
    out: Out = Path("figures"),
    ending: Format = "png",
    at: Readouts = None,
    scale: Scale = "dB",
    reach: Reach = None,
    sets: Sets = None,
    frequency: Frequencies = None,
    json: Json = False,
) -> None:
    """Draw a design, which is solved first, or a results file, which is not.

    Figures: geometry, vswr, impedance, return-loss, scattering, smith, polar, cartesian, sphere, pattern, currents and
    charge (of wires), surface and animation (of currents on sheets), near, along-ground (over a plane or earth),
    layout, beam-map, coupling and scan (of several ports), ideal and link (a file's array, with coupling and without),
    figures. Patterns, currents and near fields are the first case's.
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
    make_folder(out)
    result = opened(path, sets, frequency)
    written = draw(result, kinds or figures_for(result), out, ending, Wishes(at or (), scale, reach))
    if json:
        show_json({"figures": [str(p) for p in written]})
    else:
        show(*(str(p) for p in written))
