"""earshot cell: a design's antenna in an array without end."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import pandas as pd
import typer

from ... import units
from ...answers.solve import solve
from ...arrays.solved import SolvedArray
from ...cells import (
    Beside,
    Cell,
    CellScan,
    Surface,
    beside,
    blind,
    check_cell,
    disk,
    illuminate,
    lobes,
    planes,
    scan,
    scan_band,
    scan_cut,
    towards,
)
from ...errors import UsageError
from ...files.atomic import folder as make_folder
from ...files.atomic import stem_of
from ...files.design_file import DesignFile, alone
from ...files.formats import write
from ...files.lattice_keys import cell_of, layout_of
from ...studies import vary_cell, vary_surface
from ...units import engineering
from ..study_tables import variants_table
from ..tables import frame_table
from .options import DesignPath, Format, Json, Sets, a_folder, known_format, load
from .plot import save_figures
from .screen import complain, progress, show, show_json

At = Annotated[
    list[str] | None, typer.Option("--frequency", "-f", metavar="F", help="Here; of waves it may be repeated.")
]
Planes = Annotated[
    list[str] | None,
    typer.Option("--plane", metavar="E|H|D|PHI", help="Scan in this plane; may be repeated. E, H and D unless given."),
]
To = Annotated[str, typer.Option("--to", metavar="THETA", help="As far as this.")]
Fed = Annotated[
    str | None, typer.Option("--port", metavar="NAME", help="The port that is fed, the others closed; the first.")
]
Mapped = Annotated[bool, typer.Option("--map", help="Over all directions as well: a map of u and v.")]
Swept = Annotated[
    bool, typer.Option("--band", help="Over the file's band instead: broadside, and scanned to --to in each plane.")
]
Laid = Annotated[
    bool, typer.Option("--beside", help="Solve the file's array too, and one alone, and lay them over the cell.")
]
Lit = Annotated[bool, typer.Option("--waves", help="Plane waves on it instead, as on any cell without a port.")]
Theta = Annotated[
    list[str] | None, typer.Option("--theta", metavar="A", help="Of waves: from where; may be repeated. 0 and 30 deg.")
]
Phi = Annotated[list[str] | None, typer.Option("--phi", metavar="A", help="Of waves: the same. 0 deg.")]
Varied = Annotated[
    list[str] | None,
    typer.Option("--vary", metavar="NAME=RANGE", help="For every one, such as pitch='26 mm to 34 mm in 9', or "
                 "frequency=...; may be repeated."),
]  # fmt: skip
Out = Annotated[
    Path | None,
    typer.Option("--out", "-o", metavar="FOLDER", callback=a_folder, help="Write the tables, and draw the figures."),
]

_SHOWN = (0.0, 15.0, 30.0, 45.0, 60.0, 75.0)
_RINGS = 12
"""Of directions on a map."""
_POINTS = 41
"""Frequencies of waves over a band."""


def cell(
    path: DesignPath,
    sets: Sets = None,
    frequency: At = None,
    plane: Planes = None,
    to: To = "75 deg",
    port: Fed = None,
    mapped: Mapped = False,
    over_band: Swept = False,
    laid: Laid = False,
    waves: Lit = False,
    theta: Theta = None,
    phi: Phi = None,
    vary: Varied = None,
    out: Out = None,
    ending: Format = "png",
    json: Json = False,
) -> None:
    """Repeat a design's antenna without end on its lattice, and scan it: match, blindness, lobes, an element's gain.

    The lattice is the file's, or that of its array's grid. A cell without a port is a screen or a reflector: what it
    sends back of plane waves, and lets through.
    """
    known_format(ending)
    file = load(path, sets)
    own = cell_of(file)
    lit = waves or not own.antenna.ports
    spare = {"--plane": plane, "--port": port, "--map": mapped, "--band": over_band, "--beside": laid} if lit else {
        "--theta": theta, "--phi": phi}  # fmt: skip
    for name, value in spare.items():
        if value:
            raise UsageError(f"cell: {name} is {'of cells that are fed' if lit else 'of plane waves: say --waves'}")
    if vary:
        others = {"--frequency": frequency, "--plane": plane, "--map": mapped, "--band": over_band, "--beside": laid}
        for name, told in others.items():
            if told:
                raise UsageError(f"cell: {name} does not go with --vary, which solves at the design's frequency")
        _varied(file, vary, port, [theta or ["0 deg"], phi or ["0 deg"]] if lit else None, out, ending, json)
        return
    if lit:
        _lit(own, file, frequency or [], theta or ["0 deg", "30 deg"], phi or ["0 deg"], out, ending, json)
        return
    hertz = _one(file, frequency or [])
    name = port or own.antenna.ports[0].name
    own.antenna.port(name)
    for finding in check_cell(own, hertz):
        if finding.level == "warn":
            complain(f"warning: {finding}")
    if over_band:
        if mapped or laid:
            raise UsageError("cell: --band is by itself: leave --map and --beside out")
        _over_band(own, file, name, plane, to, out, ending, json)
        return
    with progress():
        ways = _planes(own, hertz, plane, name)
        scans = {words: scan_cut(own, math.degrees(way), hertz, to=to) for words, way in ways.items()}
        blinded = {words: blind(one, {name: 1.0}) for words, one in scans.items()}
        whole = scan(own, disk(_RINGS), hertz) if mapped else None
        panel = _beside(file, next(iter(scans.values())), hertz) if laid else None
    if out is not None:
        _written(file.title, scans, blinded, whole, panel, name, out, ending)
    if json:
        show_json(_as_json(own, hertz, scans, blinded, panel, name))
        return
    show(*_screen(own, hertz, scans, blinded, panel, name))


def _one(file: DesignFile, given: list[str]) -> float:
    if len(given) > 1:
        raise UsageError("cell: it is scanned at one frequency; --band goes through the file's band")
    if given:
        return units.frequency(given[0])
    return float(file.design.frequency or file.asked.every[0])


def _planes(own: Cell, hertz: float, wanted: list[str] | None, port: str) -> dict[str, float]:
    """By words: φ of every plane, rad."""
    found = {}
    known: dict[str, float] | None = None
    for text in wanted or ["E", "H", "D"]:
        if text.strip().upper() in ("E", "H", "D"):
            known = known or planes(own, hertz, {port: 1.0})
            way = known[text.strip().upper()]
            found[f"{text.strip().upper()}, φ {math.degrees(way):.0f}°"] = way
        else:
            way = units.angle(text, "--plane")
            found[f"φ {math.degrees(way):g}°"] = way
    return found


def _beside(file: DesignFile, scanned: CellScan, hertz: float) -> Beside:
    layout = layout_of(file)
    panel = SolvedArray(solve(file.antenna, hertz), layout, hertz)
    single = solve(alone(file.design).antenna, hertz)
    return beside(scanned, panel, single)


def _at_angles(one: CellScan, port: str) -> pd.DataFrame:
    """The table of a cut at the angles that are read, both ways where these differ."""
    table = one.table({port: 1.0})
    way = one.uv[-1] - one.uv[0]
    ahead = one.uv @ way >= -1e-12
    rows = []
    for sign in (1.0, -1.0):
        side = np.flatnonzero(ahead if sign > 0.0 else ~ahead)
        angles = table["theta_deg"].to_numpy()[side]
        for angle in _SHOWN if sign > 0.0 else _SHOWN[1:]:
            if len(side) and angle <= float(angles.max()) + 1e-6:
                rows.append(int(side[np.abs(angles - angle).argmin()]))
    found = table.iloc[rows].copy()
    senses = np.where(ahead[rows], 1.0, -1.0)
    found.insert(0, "scan", np.round(senses * found["theta_deg"].to_numpy(), 1) + 0.0)
    both = found[found["scan"] < 0.0]
    mirror = found[found["scan"] > 0.0]
    if len(both) and np.allclose(_read(both), _read(mirror), atol=2e-3):
        return found[found["scan"] >= 0.0]
    return found.sort_values("scan")


def _read(rows: pd.DataFrame) -> Any:
    """What two sides of a cut are compared by."""
    gains = 10.0 ** (rows["element_gain_dBi"].to_numpy(float) / 20.0)
    return np.stack([np.abs(rows["active_reflection"].to_numpy()), gains])


def _screen(
    own: Cell, hertz: float, scans: dict[str, CellScan], blinded: dict[str, pd.DataFrame], panel: Beside | None,
    port: str,
) -> Iterator[Any]:  # fmt: skip
    rows = []
    for words, one in scans.items():
        for row in _at_angles(one, port).itertuples():
            impedance: complex = row.active_impedance_ohm  # type: ignore[assignment]
            rows.append(
                {"plane": words, "scan, deg": f"{row.scan:g}", "R, ohm": impedance.real, "X, ohm": impedance.imag,
                 "VSWR": row.vswr, "reflection, dB": row.reflection_dB, "gain, dBi": row.element_gain_dBi,
                 "lobes": str(row.lobes)}
            )  # fmt: skip
    solved = sum(int(s.solved.sum()) for s in scans.values())
    title = (
        f"{own.antenna.name} by steps of {own.lattice.words} without end, at {engineering(hertz, 'Hz', 6)}: "
        f"port '{port}', "
        f"{next(iter(scans.values())).basis.size} unknowns, {solved} solves for "
        f"{sum(len(s) for s in scans.values())} scans"
    )
    yield frame_table(pd.DataFrame(rows), title)
    causes = [
        {"plane": words, "blind at, deg": f"{_signed(scans[words], row):.2f}",
         "taken": f"{max(float(row['accepted']), 0.0):.2g}", "because of": row["cause"],
         "by itself at, deg": row["cause_theta_deg"]}
        for words, table in blinded.items() for row in table.to_dict("records")
    ]  # fmt: skip
    if causes:
        yield frame_table(pd.DataFrame(causes), "Blind scans: hardly anything goes in")
    marks = [
        {"plane": words, "scan, deg": f"{_signed(one, row):.2f}", "what": row["what"]}
        for words, one in scans.items() for row in lobes(one).to_dict("records") if np.isfinite(row["theta_deg"])
    ]  # fmt: skip
    if marks:
        yield frame_table(pd.DataFrame(marks), "Where waves come and go")
    fed = next(iter(scans.values()))
    middle = int(np.linalg.norm(fed.uv, axis=1).argmin())
    budget = fed.fed(middle, {port: 1.0}).budget().reset_index()
    # Layers with loss are given what is left.
    off = f"; all together off by {abs(fed.fed(middle, {port: 1.0}).balance):.1e}"
    yield frame_table(budget, f"Broadside, of 1 W sent{'' if own.antenna.medium.takers else off}")
    if panel is not None:
        yield frame_table(
            _beside_rows(panel), f"Beside the solved panel of {len(panel.panel)}: size of active reflection"
        )


def _signed(one: CellScan, row: dict[Any, Any]) -> float:
    """The angle from broadside of a place along a cut, degrees, below zero where the cut begins."""
    ahead = np.dot([row["u"], row["v"]], one.uv[-1] - one.uv[0]) >= 0.0
    return float(row["theta_deg"]) * (1.0 if ahead else -1.0)


def _beside_rows(panel: Beside) -> pd.DataFrame:
    table = panel.table()
    way = panel.scan.uv[-1] - panel.scan.uv[0]
    ahead = np.flatnonzero(panel.scan.uv @ way >= -1e-12)
    angles = table["theta_deg"].to_numpy()[ahead]
    some = [int(ahead[np.abs(angles - a).argmin()]) for a in _SHOWN if a <= float(angles.max()) + 1e-6]
    own = table.iloc[some]
    shown = {"scan, deg": [f"{x:.1f}" for x in own["theta_deg"]]}
    names = {"without end": "cell", "middle": "central", "middle, foretold": "central_foretold", "corner": "outermost",
             "corner, foretold": "outermost_foretold", "mean": "mean", "mean, foretold": "mean_foretold"}  # fmt: skip
    columns: dict[str, Any] = {**shown, **{words: np.abs(own[key].to_numpy()) for words, key in names.items()}}
    columns["one alone"] = abs(panel.alone)
    columns["foretold off by"] = own["error"].to_numpy()
    return pd.DataFrame(columns)


def _written(
    title: str, scans: dict[str, CellScan], blinded: dict[str, pd.DataFrame], whole: CellScan | None,
    panel: Beside | None, port: str, out: Path, ending: str,
) -> None:  # fmt: skip
    from ..plots import cell_beside, cell_map, cell_scan

    make_folder(out)
    stem = stem_of(title)
    every = pd.concat([s.table({port: 1.0}).assign(plane=words) for words, s in scans.items()], ignore_index=True)
    files = [write(every, out / f"{stem}-cell.csv")]
    drawn: dict[str, Callable[[], Any]] = {
        f"{stem}-cell": lambda: cell_scan(
            *scans.values(), labels=list(scans), blind=list(blinded.values()), title=title, port=port
        )
    }
    if whole is not None:
        files.append(write(whole.table({port: 1.0}), out / f"{stem}-cell-map.csv"))
        drawn[f"{stem}-cell-map"] = lambda: cell_map(whole, title=title, port=port)
    if panel is not None:
        files.append(write(panel.table(), out / f"{stem}-cell-beside.csv"))
        drawn[f"{stem}-cell-beside"] = lambda: cell_beside(panel, title=title)
    files += save_figures(drawn, out, ending)
    complain(f"{len(files)} files written to {out}")


def _as_json(
    own: Cell, hertz: float, scans: dict[str, CellScan], blinded: dict[str, pd.DataFrame], panel: Beside | None,
    port: str,
) -> dict[str, Any]:  # fmt: skip
    found: dict[str, Any] = {
        "title": own.antenna.name,
        "lattice_m": own.lattice.steps.tolist(),
        "frequency_Hz": hertz,
        "port": port,
        "scans": {words: s.table({port: 1.0}).to_dict("records") for words, s in scans.items()},
        "blind": {words: table.to_dict("records") for words, table in blinded.items()},
        "marks": {words: lobes(s).to_dict("records") for words, s in scans.items()},
    }
    if panel is not None:
        found["beside"] = panel.table().to_dict("records")
    return found


def _over_band(
    own: Cell, file: DesignFile, port: str, wanted: list[str] | None, to: str, out: Path | None, ending: str, json: bool
) -> None:
    bands = file.asked.bands
    if not bands:
        raise UsageError(f"cell: design '{file.title}' has no band: add one, or leave --band out")
    hertz = bands[0].frequencies
    steered = math.degrees(units.angle(to, "--to"))
    with progress():
        ways = _planes(own, float(hertz[len(hertz) // 2]), wanted, port)
        found = {"broadside": scan_band(own, [0.0, 0.0], hertz.tolist())}
        for words, way in ways.items():
            found[f"{steered:g}° in {words}"] = scan_band(own, towards(steered, math.degrees(way)), hertz.tolist())
    tables = pd.concat([s.table({port: 1.0}).assign(scan=words) for words, s in found.items()], ignore_index=True)
    if out is not None:
        from ..plots import cell_band

        make_folder(out)
        stem = stem_of(file.title)
        files = [write(tables, out / f"{stem}-cell-band.csv")]
        files += save_figures({f"{stem}-cell-band": lambda: cell_band(found, title=file.title, port=port)}, out, ending)
        complain(f"{len(files)} files written to {out}")
    if json:
        scans = {words: s.table({port: 1.0}).to_dict("records") for words, s in found.items()}
        show_json({"title": own.antenna.name, "lattice_m": own.lattice.steps.tolist(), "port": port, "scans": scans})
        return
    rows = []
    for words, one in found.items():
        table = one.table({port: 1.0})
        best = int(table["reflection_dB"].to_numpy().argmin())
        good = table["frequency_Hz"].to_numpy()[table["vswr"].to_numpy() <= 2.0]
        width = (
            f"{engineering(float(good.min()), 'Hz', 5)} to {engineering(float(good.max()), 'Hz', 5)}"
            if len(good)
            else "none"
        )
        rows.append({"scan": words, "best at": engineering(float(table["frequency_Hz"][best]), "Hz", 5),
                     "VSWR there": float(table["vswr"][best]), "VSWR up to 2": width,
                     "solves": str(int(one.solved.sum()))})  # fmt: skip
    show(
        frame_table(
            pd.DataFrame(rows), f"{own.antenna.name} by steps of {own.lattice.words} without end: port '{port}'"
        )
    )


def _varied(
    file: DesignFile, vary: list[str], port: str | None, ways: list[list[str]] | None, out: Path | None, ending: str,
    json: bool,
) -> None:  # fmt: skip
    with progress():
        if ways is None:
            study = vary_cell(file, vary, port=port or "")
            shown = ["VSWR broadside", "VSWR 45° E", "VSWR 45° H", "VSWR 45° D", "gain broadside"]
        else:
            polar, around = ([math.degrees(units.angle(x, "direction")) for x in texts] for texts in ways)
            study = vary_surface(file, vary, polar, around)
            shown = [name for name in study.units if name.startswith("phase")][:6]
    if out is not None:
        from ..plots import against

        make_folder(out)
        stem = stem_of(file.title)
        files = [write(study.table, out / f"{stem}-variants.csv")]
        if len(study.changes) == 1:
            files += save_figures({f"{stem}-against": lambda: against(study, *shown[:4])}, out, ending)
        complain(f"{len(files)} files written to {out}")
    if json:
        show_json({"title": study.title, "variants": study.table.to_dict("records"), "failed": study.failed})
        return
    show(*variants_table(study, shown))


def _lit(
    own: Cell, file: DesignFile, given: list[str], theta: list[str], phi: list[str], out: Path | None, ending: str,
    json: bool,
) -> None:  # fmt: skip
    if given:
        hertz = [units.frequency(f) for f in given]
    elif file.asked.bands:
        band = file.asked.bands[0].frequencies
        hertz = np.linspace(band[0], band[-1], min(len(band), _POINTS)).tolist()
    else:
        hertz = file.asked.every.tolist()
    polar = [math.degrees(units.angle(text, "--theta")) for text in theta]
    around = [math.degrees(units.angle(text, "--phi")) for text in phi]
    t, p = np.meshgrid(polar, around, indexing="ij")
    with progress():
        found = illuminate(own, t, p, hertz)
    table = found.table()
    if out is not None:
        from ..plots import cell_surface

        make_folder(out)
        stem = stem_of(file.title)
        files = [write(table, out / f"{stem}-waves.csv")]
        if len(hertz) > 1:
            files += save_figures({f"{stem}-waves": lambda: cell_surface(found, title=file.title)}, out, ending)
        complain(f"{len(files)} files written to {out}")
    if json:
        show_json({"title": own.antenna.name, "lattice_m": own.lattice.steps.tolist(), "height_m": found.height,
                   "waves": table.to_dict("records")})  # fmt: skip
        return
    show(
        frame_table(
            _wave_rows(found), f"{own.antenna.name} by steps of {own.lattice.words} without end: plane waves on it"
        )
    )


def _wave_rows(found: Surface) -> pd.DataFrame:
    table = found.table()
    some = np.unique(np.linspace(0, len(set(found.frequencies)) - 1, 7).round().astype(int))
    chosen = np.array(sorted(set(found.frequencies)))[some]
    own = table[table["frequency_Hz"].isin(chosen)]
    return pd.DataFrame(
        {
            "frequency": [engineering(x, "Hz", 6) for x in own["frequency_Hz"]],
            "from θ, φ": [f"{t:g}, {p:g}" for t, p in zip(own["theta_deg"], own["phi_deg"], strict=True)],
            "kind": own["polarisation"].to_numpy(),
            "|R|": own["reflection"].to_numpy(),
            "phase, deg": own["reflection_phase_deg"].to_numpy(),
            "crossed R": np.round(own["crossed_reflection"].to_numpy(), 6),
            "|T|": np.round(own["transmission"].to_numpy(), 6),
            "T phase, deg": np.where(own["transmission"] > 1e-6, own["transmission_phase_deg"], np.nan),
            "elsewhere": own["elsewhere"].to_numpy(),
            "lost": np.round(own["lost"].to_numpy(), 6) + 0.0,
        }
    )
