"""earshot coverage: what stations of a place reach."""

from __future__ import annotations

import json as json_
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.console import RenderableType

from ...errors import UsageError
from ...files.atomic import folder as make_folder
from ...files.atomic import write_bytes
from ...reach import Coverage, read_place
from ..tables import plain_table, titled
from .options import Format, Json, a_folder, known_format
from .place_options import Against, At, Changes, PlacePath
from .plot import save_figures
from .screen import complain, progress, show, show_json

Names = Annotated[list[str] | None, typer.Argument(metavar="STATION...", help="Which; all that stand unless given.")]
Carried = Annotated[
    str | None,
    typer.Option("--carry", metavar="NAME", help="What is carried about; the one without a place unless given."),
]
Sends = Annotated[bool, typer.Option("--back", help="What is carried sends, and the stations listen.")]
Out = Annotated[
    Path | None,
    typer.Option(
        "--out",
        "-o",
        metavar="FOLDER",
        callback=a_folder,
        help="Draw the map; write it as GeoTIFF, outlines as GeoJSON.",
    ),
]
MARGINS = (0.0, 10.0, 20.0)
"""dB, that are outlined."""


def coverage(
    place: PlacePath,
    names: Names = None,
    carry: Carried = None,
    back: Sends = False,
    frequency: At = None,
    sets: Changes = None,
    against: Against = None,
    out: Out = None,
    ending: Format = "png",
    json: Json = False,
) -> None:
    """Map what stations bring to one that is carried about, or hear of it, and tell where that suffices.

    Every point's way is that of earshot path, from a profile of its own.
    """
    known_format(ending)
    own = read_place(place, sets or [])
    loose = [name for name in own.plain if name not in own.fixed]
    if carry is None and len(loose) != 1:
        raise UsageError(
            f"coverage: say what is carried about, with --carry NAME: {len(loose)} stations of '{own.title}' have no "
            "place"
        )
    carried = carry or loose[0]
    standing = names or [name for name in own.plain if name in own.fixed and name != carried]
    with progress():
        found = own.coverage(standing, carried, frequency, sends=back)
        before = own.with_(*against).coverage(standing, carried, frequency, sends=back) if against else None
    if out is not None:
        from ..plots import coverage as drawn

        make_folder(out)
        files = [found.write(out / "level.tif"), found.write(out / "margin.tif", "margin")]
        outlines = json_.dumps(found.geojson(MARGINS)).encode()
        files.append(write_bytes(out / "margins.geojson", outlines))
        files += save_figures({"coverage": lambda: drawn(found)}, out, ending)
        files += changed(found, before, against, out / "change.tif", ending)
        complain(f"{len(files)} files written to {out}")
    if json:
        show_json({"place": own.title, "carried": carried, "sends": back, "frequency_Hz": found.frequency,
                   "stations": shares(found), "before": shares(before) if before else None})  # fmt: skip
        return
    show(*tables(found, before, against, own.title, carried))


def tables(
    found: Coverage, before: Coverage | None, against: list[str] | None, title: str, carried: str
) -> list[RenderableType]:
    """Where it suffices, and where it did before."""
    told = [shares_table(found, title, carried)]
    if before is not None:
        told.append(shares_table(before, f"With {', '.join(against or ())}", carried))
    return told


def changed(found: Coverage, before: Coverage | None, against: list[str] | None, file: Path, ending: str) -> list[Path]:
    """What is gained over what was before, as GeoTIFF and as a figure beside it."""
    if before is None:
        return []
    from ..plots import coverage_change

    word = f"gained over {', '.join(against or ())}"
    figures = save_figures({file.stem: lambda: coverage_change(found, before, word)}, file.parent, ending)
    return [found.write(file, found.gain_over(before)), *figures]


def shares_table(found: Coverage, title: str, carried: str) -> RenderableType:
    """Of every station where it suffices, as a table."""
    table = plain_table([
        ("station", False), ("suffices on, %", True), ("best on, %", True), ("furthest, km", True),
        ("needed, dBm", True),
    ])  # fmt: skip
    for row in shares(found):
        far, needed = (f"{row[key]:.2f}" if row[key] is not None else "-" for key in ("furthest_km", "needed_dBm"))
        table.add_row(row["station"], f"{row['suffices_percent']:.1f}", f"{row['best_percent']:.1f}", far, needed)
    up = f"{found.carried.height:g} m up"
    return titled(f"{title}: " + (f"{carried} sends, {up}" if found.sends else f"heard by {carried}, {up}"), table)


def shares(found: Coverage) -> list[dict[str, Any]]:
    """For every station, and for all: where it suffices, where it is the best, and how far off it still suffices."""
    known = np.isfinite(found.margin)
    own = found.terrain
    x, y = own.west + own.step * np.arange(known.shape[1]), (own.south + own.step * np.arange(known.shape[0]))[:, None]
    rows = []
    for n, station in enumerate(found.stations):
        enough = found.margins[n] >= 0.0
        away = np.hypot(x - station.at[0], y - station.at[1])[enough]
        rows.append({
            "station": station.name, "suffices_percent": 100.0 * float(enough[known].mean()),
            "best_percent": 100.0 * float((found.server[known] == n).mean()),
            "furthest_km": 1e-3 * float(away.max()) if away.size else None, "needed_dBm": found.needed[n],
        })  # fmt: skip
    if len(rows) > 1:
        rows.append({"station": "all of them", "suffices_percent": 100.0 * found.share, "best_percent": 100.0,
                     "furthest_km": None, "needed_dBm": None})  # fmt: skip
    return rows
