"""earshot beams: the beams of an array without coupling, at once."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import pandas as pd
import typer

from ... import units
from ...answers.cases import Cut
from ...arrays.measures import grating_lobes
from ...arrays.trials import Trials
from ...fields.directions import unit_vectors
from ...files.atomic import folder as make_folder
from ...files.atomic import stem_of
from ...files.formats import write
from ...files.ideal_array import IdealArray, IdealBeam, ideal_array
from ...files.tables import records
from ...units import engineering
from ..beam_screen import beam_screen
from ..figures import planes_of
from ..tables import beam_table, link_table, lobe_table, trial_table
from .options import DesignPath, Everything, Format, Json, Sets, a_folder, known_format, load
from .plot import save_figures
from .screen import complain, paragraphs, progress, show, show_json

Out = Annotated[
    Path | None,
    typer.Option(
        "--out",
        "-o",
        metavar="FOLDER",
        callback=a_folder,
        help="Draw the beams there, and write the elements' weights.",
    ),
]
At = Annotated[
    list[str] | None,
    typer.Option(
        "--frequency", "-f", metavar="F",
        help="Look at the beams here instead, with the weights they have; may be repeated.",
    ),
]  # fmt: skip


def beams(
    path: DesignPath,
    sets: Sets = None,
    frequency: At = None,
    out: Out = None,
    ending: Format = "png",
    everything: Everything = False,
    json: Json = False,
) -> None:
    """Show the beams of a design's array without coupling: where they point, how good they are, what errors and
    amplifiers make of them.

    Elements send what one of them does alone, so nothing of the array is solved: solve and plot take coupling in, and
    plot's figure "ideal" lays one over the other.
    """
    known_format(ending)
    file = load(path, sets)
    with progress():
        array = ideal_array(file, *(units.frequency(f) for f in dict.fromkeys(frequency or [])))
        tried = {b.name: array.trials(b) for b in array.beams}
        link = array.link(array.beams[0])
    if out is not None:
        make_folder(out)
        written = [*save_figures(dict(_figures(array, tried, link)), out, ending), *_weights(array, out)]
        complain(f"{len(written)} files written to {out}")
    if json:
        show_json(_as_json(array, tried, link))
    else:
        show(*paragraphs((_tables if everything else beam_screen)(array, tried, link)))


def _lobes(beam: IdealBeam) -> pd.DataFrame | None:
    """Where grating lobes are; None where the elements are on no flat lattice."""
    lattice = beam.array.layout.lattice
    if lattice is None or abs(lattice.steps[:, 2]).max() > 1e-12 or len(beam.array) < 2:
        return None
    theta, phi = beam.field.peak
    return grating_lobes(beam.array, unit_vectors(np.array(theta), np.array(phi)), beam.frequency)


def _tables(array: IdealArray, tried: dict[str, Trials | None], link: pd.DataFrame | None) -> Iterator[Any]:
    first = array.beams[0].array
    apart = f", {engineering(first.layout.closest, 'm', 4)} apart" if len(first) > 1 else ""
    yield f"{array.title}   {len(first)} elements without coupling{apart}; each: {first.elements[0].name}"
    by_place: dict[float, list[IdealBeam]] = {}
    for beam in array.beams:
        by_place.setdefault(beam.frequency, []).append(beam)
    for hertz, some in by_place.items():
        yield beam_table(pd.DataFrame({b.name: b.figures for b in some}), f"beams at {engineering(hertz, 'Hz', 6)}")
    for beam in array.beams:
        lobes = _lobes(beam)
        if lobes is not None and len(lobes):
            yield lobe_table(lobes, f"grating lobes of {beam.name}")
        many = tried[beam.name]
        if many is not None:
            yield trial_table(many, f"{beam.name} with errors, {len(many.table)} trials")
    if link is not None:
        yield link_table(link, f"{array.beams[0].name} with its amplifiers, steered")


def _as_json(array: IdealArray, tried: dict[str, Trials | None], link: pd.DataFrame | None) -> dict[str, Any]:
    found: dict[str, Any] = {"array": array.title, "elements": len(array.beams[0].array), "beams": {}}
    for beam in array.beams:
        one: dict[str, Any] = {"frequency_Hz": beam.frequency, "figures": beam.figures.to_dict()}
        lobes, many = _lobes(beam), tried[beam.name]
        if lobes is not None:
            one["grating_lobes"] = records(lobes)
        if many is not None:
            one["trials"] = records(many.percentiles().rename_axis("figure").reset_index())
        one["weights"] = records(beam.weights.to_frame())
        found["beams"][beam.name] = one
    if link is not None:
        found["link"] = records(link.reset_index())
    return found


def _figures(
    array: IdealArray, tried: dict[str, Trials | None], link: pd.DataFrame | None
) -> Iterator[tuple[str, Callable[[], Any]]]:
    from .. import plots

    planes, angles = _planes(array)
    fields = [beam.field for beam in array.beams]
    for name, draw in (("polar", plots.polar), ("cartesian", plots.cartesian)):
        yield name, partial(draw, fields, *planes, **angles)
    for beam in array.beams:
        stem = stem_of(beam.name)
        yield f"layout-{stem}", partial(plots.layout, beam.array, beam.weights, label=beam.name)
        yield f"beam-map-{stem}", partial(plots.beam_map, beam.field, lobes=_lobes(beam))
        yield f"pattern-{stem}", partial(plots.pattern, beam.field)
        many = tried[beam.name]
        if many is not None:
            yield f"envelope-{stem}", partial(plots.envelope, many)
    if link is not None:
        yield "link", partial(plots.link, link, title=array.title)


def _planes(array: IdealArray) -> tuple[list[str], dict[str, Any]]:
    """The cuts that the beams want; else the planes of a lone beam, or what several share: a cone, or half circles."""
    wanted = [cut for beam in array.beams for cut in beam.cuts]
    if not wanted and len(array.beams) > 1:
        theta, phi = np.degrees(np.transpose([beam.field.peak for beam in array.beams]))
        # A half circle over the zenith serves the azimuths at both its ends.
        aside = sorted(set((np.round(phi) % 180.0)[theta > 1.0].tolist())) or [0.0]
        wanted = [Cut(azimuth=a) for a in aside]
        if np.abs(theta - 90.0).max() < 30.0:
            wanted = [Cut(elevation=0.0)]
    return planes_of(wanted)


def _weights(array: IdealArray, folder: Path) -> list[Path]:
    return [write(beam.weights.to_frame(), folder / f"weights-{stem_of(beam.name)}.csv") for beam in array.beams]
