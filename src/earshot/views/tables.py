"""Results as terminal tables. Functions return what rich can print; printing happens once, in the commands."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from typing import TYPE_CHECKING, Any

from rich.console import Group
from rich.table import Table
from rich.text import Text

from ..fields.polarisation import LINEAR
from ..fields.words import BURIED
from ..units import engineering, ohms

if TYPE_CHECKING:
    import pandas as pd

    from ..answers.driven import Driven
    from ..answers.evidence import Evidence
    from ..answers.prepare import Estimate
    from ..answers.solution import Solution
    from ..arrays.trials import Trials
    from ..checks.findings import Findings
    from ..fields.far import FarField
    from ..network.network import Network
    from ..terms import Term

_MOST_ROWS = 13
_NOTHING_DB, _LEAST = -100.0, 1e-9
_COLOURS = {"stop": "bold red", "warn": "yellow", "note": "cyan"}


def plain_table(columns: Iterable[tuple[str, bool]]) -> Table:
    """An empty table of columns, each by name and whether it holds numbers."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    for name, number in columns:
        table.add_column(name, justify="right" if number else "left", header_style="dim")
    return table


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'' if number == 1 else 's'}"


def titled(title: str, table: Table) -> Group:
    """A table under its title."""
    return Group(Text(title, style="bold"), table)


def findings_table(findings: Findings, name: str) -> Group | Text:
    """Findings, worst first, each with its remedy."""
    doubtful = [f for f in findings if f.level != "note"]
    if not findings:
        return Text(f"{name}: nothing found, ready to solve", style="green")
    table = plain_table([("", False), ("", False)])
    table.show_header = False
    for finding in findings:
        table.add_row(Text(finding.level, style=_COLOURS[finding.level]), Text(f"{finding.says}: {finding.remedy}"))
    if not doubtful:
        return Group(Text(f"{name}: nothing to worry about, ready to solve", style="green"), table)
    return titled(f"{name}: {_count(len(findings), 'finding')}", table)


def estimate_line(takes: Estimate) -> Text:
    """What a solve will take."""
    return Text(takes.words, style="dim")


def quality_table(quality: pd.DataFrame) -> Group:
    """How the sheets are meshed; those that are alike share a row."""
    names = ["sheet", "triangles", "area, m2", "edges, mm", "least angle, deg", "worst shape"]
    table = plain_table([(n, n != "sheet") for n in names])
    alike: dict[tuple[str, ...], list[str]] = {}
    for name, row in quality.iterrows():
        edges = f"{1e3 * row['shortest_m']:.3g} to {1e3 * row['longest_m']:.3g}"
        told = (f"{row['triangles']:.0f}", f"{row['area_m2']:.4g}", edges, f"{row['least_angle_deg']:.1f}",
                f"{row['worst_shape']:.2f}")  # fmt: skip
        alike.setdefault(told, []).append(str(name))
    for figures, own in alike.items():
        more = len(own) - 1
        table.add_row(own[0] + (f" and {more} alike" if more else ""), *figures)
    return titled("mesh of the sheets (worst shape: 1 is a triangle of equal sides, 0 a sliver)", table)


def network_tables(network: Network) -> list[Group]:
    """One table per port; long bands are thinned, keeping the ends and the best match, and say so."""
    tables = []
    for port, reference in zip(network.ports, network.references, strict=True):
        frame = network.to_frame(port)
        keep = _thinned(len(frame), int(frame["VSWR"].to_numpy().argmin()))
        alone = [int(some[0]) for some in network.stretches if len(some) == 1]
        keep = sorted({*keep, *(alone if len(alone) <= _MOST_ROWS else [])})
        shown = "" if len(keep) == len(frame) else f", {len(keep)} of {len(frame)} frequencies (best marked *)"
        others = ", others closed by their references" if len(network.ports) > 1 else ""
        title = f"port {port}, {ohms(reference)}{others}{shown}"
        names = ["frequency", "R, ohm", "X, ohm", "VSWR", "return loss, dB"]
        table = plain_table([(n, True) for n in names])
        best = int(frame["VSWR"].to_numpy().argmin())
        for i in keep:
            row = frame.iloc[i]
            mark = "*" if i == best and len(frame) > 1 else " "
            table.add_row(
                f"{engineering(float(frame.index[i]), 'Hz', 6)}{mark}",
                f"{row['R_ohm']:.2f}",
                f"{row['X_ohm']:+.2f}",
                f"{row['VSWR']:.3f}" if row["VSWR"] < 1000 else f"{row['VSWR']:.3g}",
                f"{row['return_loss_dB']:.2f}",
            )
        tables.append(titled(title, table))
    return tables


def band_tables(network: Network) -> list[Group]:
    """Resonances and the stretches within VSWR 2, per port; nothing for a few single frequencies."""
    groups = []
    for port in network.ports:
        resonant, within = network.resonances(port), network.bandwidth(port, vswr=2.0)
        if len(resonant):
            table = plain_table([("resonance", True), ("R, ohm", True), ("kind", False), ("Q", True)])
            for _, row in resonant.iterrows():
                place = engineering(float(row["frequency_Hz"]), "Hz", 6)
                table.add_row(place, f"{row['R_ohm']:.2f}", str(row["kind"]), f"{row['Q']:.1f}")
            groups.append(titled(f"resonances at {port}", table))
        if len(within):
            table = plain_table(
                [
                    ("from", True),
                    ("to", True),
                    ("width", True),
                    ("%", True),
                    ("best at", True),
                    ("VSWR", True),
                    ("", False),
                ]
            )
            for _, row in within.iterrows():
                places = [engineering(float(row[c]), "Hz", 6) for c in ("from_Hz", "to_Hz", "width_Hz")]
                best = float(row["best_reflection"])
                note = Text("goes on beyond the band" if row["cut_off"] else "", style="dim")
                table.add_row(
                    *places,
                    f"{row['width_percent']:.2f}",
                    engineering(float(row["best_Hz"]), "Hz", 6),
                    f"{(1 + best) / (1 - best):.3f}",
                    note,
                )
            groups.append(titled(f"VSWR within 2 at {port}", table))
    return groups


def _thinned(count: int, best: int) -> list[int]:
    stride = -(-(count - 1) // (_MOST_ROWS - 2)) if count > _MOST_ROWS else 1
    return sorted({*range(0, count, stride), count - 1, best})


def _number(value: float | None, figure: str = "") -> str:
    """A figure to three places; what is noise is a word."""
    if value is None or math.isnan(value):
        return "-"
    if figure.startswith("axial ratio") and value > LINEAR:
        return "linear"
    if figure.startswith("front-to-") and abs(value) > BURIED:
        return f"> {BURIED:.0f}"
    if abs(value) < _LEAST:
        return "0.000"
    return f"{value:.4g}" if 0.0 < abs(value) < 1e-2 else f"{value:.3f}"


def field_table(field: FarField, title: str) -> Group:
    """The figures of merit of a far field."""
    table = plain_table([("figure", False), ("value", True), ("unit", False), ("", False)])
    for figure, row in field.summary().iterrows():
        unit = "" if row["unit"] == "1" else row["unit"]
        table.add_row(str(figure), _number(row["value"], str(figure)), unit, Text(row["remark"], style="dim"))
    return titled(title, table)


def drive_table(driven: Driven) -> Group:
    """What happens at each port of a drive."""
    names = ["port", "voltage, V", "current, A", "impedance, ohm", "VSWR", "power, W"]
    table = plain_table([(n, n != "port") for n in names])
    for port, row in driven.ports_table().iterrows():
        z = complex(row["active_impedance_ohm"])
        table.add_row(
            str(port),
            f"{abs(row['voltage_V']):.4g}",
            f"{abs(row['current_A']):.4g}",
            f"{z.real:.2f} {z.imag:+.2f}j" if math.isfinite(abs(z)) else "open",
            f"{row['active_vswr'].real:.3f}" if math.isfinite(row["active_vswr"].real) else "-",
            f"{row['power_W'].real:.4g}",
        )
    return titled("at the ports", table)


def budget_table(driven: Driven) -> Group:
    """Where every watt goes; what many wires or sheets take, together."""
    table = plain_table([("part", False), ("W", True), ("%", True)])
    parts = driven.budget()
    kinds = {kind: parts.index.str.startswith(f"metal of {kind} ") for kind in ("wire", "sheet")}
    together = {str(p): f"metal of {many.sum()} {kind}s" for kind, many in kinds.items() if many.sum() > _MOST_ROWS
                for p in parts.index[many]}  # fmt: skip
    for part, row in parts.groupby(lambda name: together.get(name, name), sort=False).sum().iterrows():
        table.add_row(str(part), f"{row['power_W']:.4g}", f"{100 * row['share']:.2f}")
    return titled("where the power goes", table)


def sector_table(sectors: Mapping[str, Mapping[str, float]]) -> Group:
    """Gain within named sectors."""
    table = plain_table([("sector", False), ("least, dBi", True), ("mean, dBi", True), ("greatest, dBi", True)])
    for name, gains in sectors.items():
        table.add_row(name, *(f"{gains[which]:.3f}" for which in ("least", "mean", "greatest")))
    return titled("gain within sectors", table)


def record_table(solution: Solution) -> Group:
    """What each stage of a run took."""
    table = plain_table([("stage", False), ("s", True), ("times", True), ("MB", True)])
    for stage, row in solution.run_record().iterrows():
        table.add_row(str(stage), f"{row['seconds']:.3f}", f"{row['times']:.0f}", f"{row['memory_MB']:.3g}")
    return titled(f"what it took, {solution.unknowns} unknowns", table)


def mesh_errors_table(errors: pd.DataFrame, title: str) -> Group:
    """Figures with what is estimated of the mesh's error."""
    table = plain_table([("figure", False), ("value", True), ("±", True), ("unit", False)])
    for figure, row in errors.iterrows():
        unit = "" if row["unit"] == "1" else str(row["unit"])
        table.add_row(str(figure), f"{row['value']:.5g}", f"{row['±']:.2g}", unit)
    return titled(f"estimated errors of the mesh, {title}", table)


def evidence_table(evidence: Evidence) -> Group:
    """How far to trust the figures."""
    title = (
        f"evidence at {engineering(evidence.frequency, 'Hz', 6)}: {evidence.unknowns} unknowns against "
        f"{evidence.refined_unknowns} with every piece of the mesh halved; ± estimates the mesh's error from that"
    )
    table = plain_table([("figure", False), ("value", True), ("±", True), ("unit", False), ("", False)])
    for figure, row in evidence.to_frame().iterrows():
        error: Any = row["±"]
        unit = "" if row["unit"] == "1" else row["unit"]
        table.add_row(
            str(figure),
            "-" if math.isnan(row["value"]) else f"{row['value']:.5g}",
            "" if math.isnan(error) else f"{error:.2g}",
            unit,
            Text(row["remark"], style="dim"),
        )
    return titled(title, table)


def comparison_table(table: pd.DataFrame, title: str) -> Group:
    """Figures side by side, with a column per model."""
    models = [c for c in table.columns if c != "unit"]
    shown = plain_table([("figure", False), *((m, True) for m in models), ("unit", False)])
    for figure, row in table.iterrows():
        unit = "" if row["unit"] == "1" else str(row["unit"])
        shown.add_row(str(figure), *(_number(row[m], str(figure)) for m in models), unit)
    return titled(title, shown)


def difference_tables(
    values: pd.DataFrame, parts: pd.DataFrame, figures: pd.DataFrame, note: str
) -> Iterator[Group | Text]:
    """Values and parts that changed, and how far figures moved."""
    if values.empty and parts.empty:
        yield Text("nothing changed: same values, same parts", style="green")
    if not values.empty:
        table = plain_table([("value", False), ("before", True), ("after", True), ("change, %", True)])
        for name, row in values.iterrows():
            share = row["change_percent"]
            change = "" if math.isnan(share) else f"{share:+.2f}"
            table.add_row(str(name), row["before"] or "-", row["after"] or "-", change)
        yield titled("values that changed", table)
    if not parts.empty:
        table = plain_table([("part", False), ("", False), ("what", False)])
        for _, row in parts.iterrows():
            table.add_row(row["kind"], row["part"], row["what"])
        yield titled("parts that changed", table)
    if figures.empty:
        yield Text(note, style="yellow")
        return
    moved = figures[(figures["change"].abs() > 5e-4) & figures["change"].notna()]
    if moved.empty:
        yield Text(f"no figure moved, {note}", style="green")
        return
    table = plain_table([("figure", False), ("before", True), ("after", True), ("change", True), ("unit", False)])
    for figure, row in moved.iterrows():
        unit = "" if row["unit"] == "1" else str(row["unit"])
        before, after = (_number(row[key], str(figure)) for key in ("before", "after"))
        table.add_row(str(figure), before, after, f"{row['change']:+.3f}", unit)
    yield titled(f"figures that moved, {note}", table)


def beam_table(figures: pd.DataFrame, title: str) -> Group:
    """Beams side by side: a row for each figure, as `arrays.beam_figures` names them, and what gain means here."""
    table = plain_table([("figure", False), *((str(name), True) for name in figures.columns), ("unit", False)])
    # Azimuth and elevation say the same as φ and θ.
    for name, row in figures.drop(["peak_theta_deg", "peak_phi_deg"], errors="ignore").iterrows():
        words, unit = _named(str(name))
        table.add_row(
            words,
            *(f"{v:.0f}" if name == "grating_lobes" and v == v else _number(round(v, 6) + 0.0) for v in row),
            unit,
        )
    note = (
        "gain is directivity times the elements' efficiency; a plain sum far from 0 dB says that elements disturb one "
        "another: earshot solve takes coupling in"
    )
    return Group(titled(title, table), Text(note, style="dim"))


def trial_table(trials: Trials, title: str) -> Group:
    """What errors leave of a beam, and by how much the median may still move with more trials."""
    found = trials.percentiles()
    found["50 % may move"] = [float(trials.convergence(str(name))["may_move"].iloc[-1]) for name in found.index]
    table = plain_table([("figure", False), *((str(name), True) for name in found.columns), ("unit", False)])
    # A line is seen in one plane only.
    for name, row in found.dropna(how="all").iterrows():
        words, unit = _named(str(name))
        table.add_row(words, *map(_number, row), unit)
    return titled(title, table)


def link_table(link: pd.DataFrame, title: str) -> Group:
    """What amplifiers make of a beam, against the angle it is steered to."""
    names = ["steered to, deg", "EIRP, dBW", "G/T, dB/K", "sent, W"]
    table = plain_table([(name, True) for name in names])
    # Every other is enough to read.
    for angle, row in link.iloc[:: 2 if len(link) > _MOST_ROWS else 1].iterrows():
        table.add_row(f"{angle:g}", *(f"{v:.2f}" for v in row.iloc[:2]), f"{row['sent_W']:.4g}")
    return titled(title, table)


def lobe_table(lobes: pd.DataFrame, title: str) -> Group:
    """Where grating lobes are."""
    table = plain_table([(name, True) for name in ("u", "v", "theta, deg", "phi, deg", "element there, dB")])
    for _, row in lobes.iterrows():
        places = [f"{row[key]:.{digits}f}" for key, digits in (("u", 3), ("v", 3), ("theta_deg", 1), ("phi_deg", 1))]
        table.add_row(*places, f"{row['level_dB']:.2f}")
    return titled(title, table)


_WORDS = {
    "beamwidth_E_deg": "half-power beamwidth, E-plane",
    "beamwidth_H_deg": "half-power beamwidth, H-plane",
    "side_lobe_E_dB": "side lobe level, E-plane",
    "side_lobe_H_dB": "side lobe level, H-plane",
    "side_lobe_dB": "side lobe level, all directions",
    "pointing_deg": "pointing error",
    "plain_sum_dB": "power of the plain sum over the elements' own",
    "beamwidth_x_deg": "half-power beamwidth along u",
    "beamwidth_y_deg": "half-power beamwidth along v",
}


def _named(figure: str) -> tuple[str, str]:
    """A column such as "gain_dBi" in words, and its unit."""
    words, _, unit = figure.rpartition("_")
    if unit not in ("deg", "dB", "dBi"):
        return figure.replace("_", " "), ""
    return _WORDS.get(figure, words.replace("_", " ")), unit


def frame_table(frame: pd.DataFrame, title: str) -> Group:
    """Any table as it is, numbers to as many digits as are read; words that open several rows alike are said once."""
    table = plain_table([(str(name), frame[name].dtype.kind in "fiu") for name in frame.columns])
    before: list[str] = [""] * len(frame.columns)
    for row in frame.itertuples(index=False):
        told = [_cell(str(name), value) for name, value in zip(frame.columns, row, strict=True)]
        alike = [isinstance(value, str) and t == b for value, t, b in zip(row, told, before, strict=True)]
        first = alike.index(False) if False in alike else len(alike)
        table.add_row(*[""] * first, *told[first:])
        before = told
    return titled(title, table)


def _cell(name: str, value: Any) -> str:
    if isinstance(value, bool | str):
        return str(value)
    if value != value:
        return "-"
    if name == "frequency_Hz":
        return engineering(float(value), "Hz", 8)
    if name.partition(",")[0].endswith(("dB", "dBi")) and value < _NOTHING_DB:
        return "none"
    return f"{value + 0.0:.3f}" if 0.01 <= abs(value) < 1e5 or value == 0.0 else f"{value:.6g}"


def cut_table(table: pd.DataFrame, title: str) -> Group:
    """What to buy and cut."""
    columns = ["wires", "pieces", "length, mm", "diameter, mm", "wall, mm", "metal", "bends", "in all, m"]
    shown = plain_table([(c, c not in ("wires", "metal")) for c in columns])
    for _, row in table.iterrows():
        wall = "solid" if math.isnan(row["wall_m"]) else f"{1e3 * row['wall_m']:.2f}"
        lengths = (f"{1e3 * row['length_m']:.1f}", f"{1e3 * row['diameter_m']:.2f}", wall)
        shown.add_row(
            row["wires"], str(row["pieces"]), *lengths, row["metal"], str(row["bends"]), f"{row['total_m']:.3f}"
        )
    return titled(f"{title}: {_count(int(table['pieces'].sum()), 'piece')}, {table['total_m'].sum():.2f} m", shown)


def kinds_table(rows: Iterable[Mapping[str, str]]) -> Table:
    """The ready-made antennas, each with what it is for."""
    table = plain_table([("kind", False), ("--count", False), ("what for", False)])
    for row in rows:
        table.add_row(row["kind"], row["count"], row["what for"])
    return table


def term_text(term: Term) -> Group:
    """A term: what it is, its formula, where that is from."""
    lines = [Text(term.name, style="bold"), Text(term.meaning), Text(f"   {term.formula}", style="cyan")]
    lines += [Text(f"source: {term.source}", style="dim")]
    lines += [Text(f"also: {', '.join(term.also)}", style="dim")] if term.also else []
    return Group(*lines)


def terms_table(terms: Iterable[Term]) -> Table:
    """Every term with its formula."""
    table = plain_table([("term", False), ("formula", False), ("also", False)])
    for term in terms:
        table.add_row(term.name, term.formula, Text(", ".join(term.also), style="dim"))
    return table


def conversion_table(rows: Iterable[Mapping[str, Any]]) -> Table:
    """Quantities in several units; what they are is said once."""
    table, before = plain_table([("", False), ("", True), ("", False)]), ""
    table.show_header = False
    for row in rows:
        table.add_row(row["what"] if row["what"] != before else "", f"{row['value']:.7g}", row["unit"])
        before = row["what"]
    return table
