"""earshot scene: rays among what is built at a place."""

from __future__ import annotations

import json as json_
from pathlib import Path
from typing import Annotated

import numpy as np
import typer

from ...errors import UsageError
from ...files.atomic import folder as make_folder
from ...files.atomic import stem_of, write_bytes
from ...files.formats import write
from ...reach import Coverage, Place, read_place, vary_rays
from ...units import engineering
from ..study_tables import variants_table
from ..tables import frame_table
from .coverage import MARGINS, changed, shares, tables
from .options import Format, Json, a_folder, known_format
from .place_options import Against, At, Changes, PlacePath
from .plot import save_figures
from .screen import complain, progress, show, show_json

Names = Annotated[
    list[str] | None,
    typer.Argument(metavar="STATION...", help="From one to another; with --over who sends, several if wanted."),
]
Over = Annotated[str | None, typer.Option("--over", metavar="AREA", help="Map an area of the place file instead.")]
Carried = Annotated[
    str | None,
    typer.Option("--carry", metavar="NAME", help="What is carried over it; the one without a place unless given."),
]
Average = Annotated[
    bool, typer.Option("--average", help="Of that map: powers of rays without their phases, the average round about.")
]
Sends = Annotated[bool, typer.Option("--back", help="Of that map: what is carried sends, and the stations listen.")]
Pattern = Annotated[
    float | None,
    typer.Option("--pattern", metavar="DEG", help="The gain that the scene leaves of a station, so far up, all round."),
]
Varied = Annotated[
    list[str] | None,
    typer.Option("--vary", metavar="STATION.KEY=RANGE", help="For every one, such as pole.height='3 m to 12 m in 19', "
                 "or frequency='5.7 GHz to 5.9 GHz in 41'; may be repeated."),
]  # fmt: skip
Out = Annotated[
    Path | None,
    typer.Option("--out", "-o", metavar="FOLDER", callback=a_folder, help="Write the tables, and draw the figures."),
]

_SHOWN = ("margin", "path loss", "mean path loss", "rays", "delay spread")
_RAYS = 12
"""Of the table, that are shown."""
_UNEVEN = 1.0
"""m of ground that is told."""
_ROUND = 0.5
"""Degrees from direction to direction of a pattern."""


def scene(
    place: PlacePath,
    names: Names = None,
    over: Over = None,
    carry: Carried = None,
    average: Average = False,
    back: Sends = False,
    pattern: Pattern = None,
    frequency: At = None,
    sets: Changes = None,
    against: Against = None,
    vary: Varied = None,
    out: Out = None,
    ending: Format = "png",
    json: Json = False,
) -> None:
    """Follow rays among buildings: off walls and the ground, round edges, through walls, with their phases.

    From one station to another: every ray, what they make together, when they arrive. Over an area: a map.
    """
    known_format(ending)
    own, given = read_place(place, sets or []), names or []
    if own.unevenness > _UNEVEN:
        complain(
            f"note: the ground under what is built rises and falls by {own.unevenness:.1f} m; rays take it as level"
        )
    if over is not None:
        if pattern is not None or vary:
            raise UsageError("scene: --over makes a map: give --pattern and --vary by themselves")
        _mapped(own, given, over, carry, average, back, frequency, against, out, ending, json)
        return
    if carry is not None or average or back or against:
        raise UsageError("scene: --carry, --average, --back and --against are of maps: say which area with --over")
    if pattern is not None:
        if len(given) != 1 or vary:
            raise UsageError("scene: --pattern is of one station, nothing varied")
        _around(own, given[0], pattern, frequency, out, ending, json)
        return
    if len(given) != 2:
        raise UsageError(f"scene: from one station to another makes two names, {len(given)} are given")
    one, two = given
    if vary:
        with progress():
            study = vary_rays(own, one, two, vary, frequency)
        if out is not None:
            from ..plots import against as drawn

            make_folder(out)
            files = [write(study.table, out / "variants.csv")]
            files += save_figures({"against": lambda: drawn(study, "margin", "mean path loss")}, out, ending)
            complain(f"{len(files)} files written to {out}")
        if json:
            show_json({"title": study.title, "variants": study.table.to_dict("records"), "failed": study.failed})
            return
        show(*variants_table(study, _SHOWN))
        return
    _between(own, one, two, frequency, out, ending, json)


def _between(own: Place, one: str, two: str, frequency: str | None, out: Path | None, ending: str, json: bool) -> None:
    with progress():
        found = own.rays(one, two, frequency)
    table, summary = found.table(), found.summary().reset_index()
    if out is not None:
        from ..plots import impulse, rays

        make_folder(out)
        stem = f"{stem_of(one)}-to-{stem_of(two)}"
        files = [write(table, out / f"{stem}-rays.csv"), write(summary, out / f"{stem}.csv")]
        drawn = {f"{stem}-rays": lambda: rays(found)}
        if len(table):
            drawn[f"{stem}-impulse"] = lambda: impulse(found)
        files += save_figures(drawn, out, ending)
        complain(f"{len(files)} files written to {out}")
    if json:
        show_json({"place": own.title, "from": one, "to": two, "frequency_Hz": found.frequency,
                   "figures": summary.to_dict("records"), "rays": table.to_dict("records")})  # fmt: skip
        return
    title = f"{own.title}: {one} to {two} at {engineering(found.frequency, 'Hz', 6)}"
    shown = table.head(_RAYS).round(1)[["way", "delay_ns", "level_dBm", "leaves_azimuth_deg", "leaves_elevation_deg",
                                        "arrives_azimuth_deg", "arrives_elevation_deg"]]  # fmt: skip
    shown.columns = ["way", "delay, ns", "level, dBm", "leaves, deg", "upwards, deg", "arrives, deg", "from above, deg"]
    left = f", the strongest {_RAYS} of {len(table)}" if len(table) > _RAYS else ""
    show(frame_table(summary, title), frame_table(shown, f"Rays{left}; azimuths by the compass"))


def _mapped(
    own: Place, given: list[str], over: str, carry: str | None, average: bool, back: bool, frequency: str | None,
    against: list[str] | None, out: Path | None, ending: str, json: bool,
) -> None:  # fmt: skip
    loose = [name for name in own.plain if name not in own.fixed]
    if carry is None and len(loose) != 1:
        raise UsageError(
            f"scene: say what is carried about, with --carry NAME: {len(loose)} stations of '{own.title}' have no place"
        )
    carried = carry or loose[0]
    if not given:
        raise UsageError("scene: say which station the map is of, or several")

    def mapped(there: Place) -> Coverage:
        return there.scene_coverage(given, carried, over, frequency, average=average, sends=back)

    with progress():
        found, before = mapped(own), mapped(own.with_(*against)) if against else None
    if out is not None:
        from ..plots import coverage as drawn

        make_folder(out)
        stem = stem_of(over)
        files = [found.write(out / f"{stem}-level.tif"), found.write(out / f"{stem}-margin.tif", "margin")]
        files.append(write_bytes(out / f"{stem}.geojson", json_.dumps(found.geojson(MARGINS)).encode()))
        files += save_figures({stem: lambda: drawn(found)}, out, ending)
        files += changed(found, before, against, out / f"{stem}-change.tif", ending)
        complain(f"{len(files)} files written to {out}")
    if json:
        show_json({"place": own.title, "area": over, "carried": carried, "sends": back, "average": average,
                   "frequency_Hz": found.frequency, "stations": shares(found),
                   "before": shares(before) if before else None})  # fmt: skip
        return
    show(*tables(found, before, against, f"{own.title}, {over}", carried))


def _around(
    own: Place, name: str, rise: float, frequency: str | None, out: Path | None, ending: str, json: bool
) -> None:
    azimuths = np.arange(0.0, 360.0 + 0.5 * _ROUND, _ROUND)
    with progress():
        table = own.gain_in_scene(name, azimuths, np.array([rise]), frequency)
    if out is not None:
        from ..plots import scene_pattern

        make_folder(out)
        stem = f"{stem_of(name)}-pattern"
        files = [write(table, out / f"{stem}.csv")]
        files += save_figures({stem: lambda: scene_pattern(table, name)}, out, ending)
        complain(f"{len(files)} files written to {out}")
    if json:
        show_json({"place": own.title, "station": name, "directions": table.to_dict("records")})
        return
    every = table[table["azimuth_deg"] % 15.0 == 0.0].round(1)
    shown = every[["azimuth_deg", "gain_dBi", "gain_vertical_dBi", "gain_horizontal_dBi", "gain_in_the_open_dBi"]]
    shown.columns = ["azimuth, deg", "gain, dBi", "vertical, dBi", "horizontal, dBi", "in the open, dBi"]
    show(frame_table(shown, f"{own.title}: {name}, {rise:g} deg up"))
