"""Studies as terminal tables: variants, what follows from values, and what tuning came to."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from rich.text import Text

from ..fields.words import unsigned
from ..units import engineering
from .side_by_side import told_as
from .tables import plain_table, titled

if TYPE_CHECKING:
    import pandas as pd

    from ..files.study_schema import StudyTable
    from ..studies import Study, Toleranced, Tuned

FIRST = ("R", "X", "VSWR", "gain", "realized gain", "elevation of peak", "front-to-back ratio")
"""Figures that are read first."""
_STEPS = {"length": ((1e-3, "1 mm"), (1e-4, "0.1 mm")), "angle": ((math.pi / 180.0, "1 deg"),) * 2}
_SMALL = 0.1
_EFFECTS = {
    "R": ("R, ohm", 2), "X": ("X, ohm", 2), "resonance": ("resonance, MHz", 3), "VSWR": ("VSWR", 3),
    "gain": ("gain, dB", 3), "realized gain": ("realized, dB", 3), "front-to-back ratio": ("F/B, dB", 2),
}  # fmt: skip


def variants_table(study: Study, figures: Sequence[str]) -> Iterator[Any]:
    """A row per variant, its changes first; those that could not be solved with what they were told."""
    known = [name for name in figures if name in study.units]
    heads = [f"{n}, {study.units[n]}" if study.units[n] != "1" else n for n in known]
    table = plain_table([*((name, False) for name in study.changes), *((head, True) for head in heads)])
    for _, row in study.table.iterrows():
        table.add_row(*(str(row[c]) for c in study.changes), *(told_as(n, float(row[n])) for n in known))
    yield titled(f"{study.title}: {len(study.table)} variants", table)
    for what, why in list(study.failed.items())[:5]:
        yield Text(f"not solved, {what}: {why}", style="yellow")


def effects_table(table: pd.DataFrame, title: str) -> Any:
    """What a workshop's step of every value does, the greatest effect on the match first."""
    known = [name for name in _EFFECTS if name in table]
    shown = plain_table([("step", False), *((_EFFECTS[name][0], True) for name in known)])
    steps = {str(value): _step(str(row["kind"]), float(row["now"])) for value, row in table.iterrows()}
    by = known[1] if "X" in known else known[0]
    order = sorted(steps, key=lambda value: -abs(_at(table, value, by) * steps[value][0]))
    for value in order:
        size, words = steps[value]
        effects = [_at(table, value, name) * size for name in known]
        told = [
            f"{unsigned(e, digits):+.{digits}f}" if e == e else "-"
            for e, (_, digits) in zip(effects, (_EFFECTS[name] for name in known), strict=True)
        ]
        shown.add_row(f"{words} of {value}", *told)
    return titled(f"{title}: what a step of a value does", shown)


def _at(table: pd.DataFrame, value: str, name: str) -> float:
    return float(table[name][value])


def _step(kind: str, now: float) -> tuple[float, str]:
    """A step that a workshop can make: a millimetre, a tenth of one for what is small, a degree, else a hundredth."""
    if kind in _STEPS:
        return _STEPS[kind][abs(now) < _SMALL]
    return 0.01 * (abs(now) or 1.0), "1 %"


def tuned_tables(tuned: Tuned) -> Iterator[Any]:
    """What to change and by how much, and how far goals are met."""
    state, count = "tuned" if tuned.met else "as near as it came", len(tuned.tries)
    yield titled(f"{tuned.file.title}: {state} in {count} solve{'s' * (count > 1)}", values_table(tuned.values))
    goals = plain_table([("goal", False), ("at", True), ("before", True), ("after", True), ("", False)])
    for _, row in tuned.goals.iterrows():
        hertz = engineering(float(row["frequency_Hz"]), "Hz", 6)
        told = ("met", "green") if row["met"] else ("not met", "yellow")
        goals.add_row(row["goal"], hertz, f"{row['before']:.3f}", f"{row['after']:.3f}", Text(told[0], style=told[1]))
    yield titled("goals", goals)


def values_table(values: pd.DataFrame) -> Any:
    """Values before and after, and what to change them by in the workshop's unit."""
    table = plain_table([("value", False), ("before", True), ("after", True), ("change", True)])
    for value, row in values.iterrows():
        table.add_row(str(value), row["before"], row["after"], _change(str(row["kind"]), float(row["change"])))
    return table


def studies_table(title: str, studies: Mapping[str, StudyTable], kinds: Mapping[str, str]) -> Any:
    """The studies a design file asks for: what each changes, and what for."""
    table = plain_table([("study", False), ("kind", False), ("of", False), ("for", False)])
    for name, one in studies.items():
        words = [*one.wishes, *one.goals, *one.figures, *([f"measured in {one.to}"] if one.to else [])]
        table.add_row(name, kinds[name], "; ".join(getattr(one, kinds[name])), one.note or "; ".join(words))
    return titled(f"{title}: {len(studies) or 'no'} studies; one is answered by its name", table)


def _change(kind: str, change: float) -> str:
    if kind == "length":
        return f"{1e3 * change:+.3f} mm"
    return f"{math.degrees(change):+.3f} deg" if kind == "angle" else f"{change:+.4g}"


def store_table(table: pd.DataFrame, title: str) -> Any:
    """Solves that are kept; those of one antenna in a row."""
    shown = plain_table([("antenna", False), ("solves", True), ("unknowns", True), ("s", True), ("MB", True)])
    for name, own in table.groupby("antenna", sort=False):
        many = sorted({int(u) for u in own["unknowns"]})
        span = f"{many[0]}" if len(many) == 1 else f"{many[0]} to {many[-1]}"
        shown.add_row(str(name), str(len(own)), span, f"{own['seconds'].sum():.3g}", f"{own['bytes'].sum() / 1e6:.3g}")
    return titled(f"{title}: {len(table)} solves, {table['bytes'].sum() / 1e6:.3g} MB", shown)


def toleranced_tables(found: Toleranced) -> Iterator[Any]:
    """Percentiles, what is to blame, how often limits are kept to, and how far values may stray."""
    table = plain_table([("figure", False), *((str(head), True) for head in found.percentiles.columns)])
    for figure, row in found.percentiles.iterrows():
        table.add_row(str(figure), *(told_as(str(figure), float(v)) for v in row[:-1]), f"{row.iloc[-1]:.3g}")
    yield titled(f"{found.title}: figures with its values astray", table)
    blamed = [f for f in ("R", "X", "VSWR", "gain") if f in found.shares]
    shares = plain_table([("value", False), ("strays", True), *((f"{f}, %", True) for f in blamed),
                          *([("may stray", True)] if len(found.allowed) else [])])  # fmt: skip
    kinds = {s.name: s for s in found.spreads}
    for name, row in found.shares.iterrows():
        one = kinds[str(name)]
        parts = [f"{100.0 * float(row[f]):.0f}" if row[f] == row[f] else "-" for f in blamed]
        may = [_amount(str(name), float(found.allowed[str(name)]), found)] if len(found.allowed) else []
        shares.add_row(str(name), _amount(str(name), one.amount, found) + (" rms" if one.normal else ""), *parts, *may)
    yield titled("what is to blame, and how far each alone may stray for 19 in 20 to keep the limits", shares)
    for limit, share in found.yields.items():
        yield Text(f"{limit}: kept by {100.0 * share:.1f} %")
    if len(found.allowed):
        factor = float(found.allowed["all at once"])
        told = f"{factor:.2f} times" if factor < _EVER else "many times"
        yield Text(f"all may stray {told} as far at once for 19 in 20 to keep all limits" if factor > 0.0
                   else "the limits are not kept even without any straying")  # fmt: skip
    doubt = found.disagreement[found.disagreement > _DOUBTFUL]
    if len(doubt):
        worst = ", ".join(f"{name} by {value:.1f} of its rms" for name, value in doubt.items())
        yield Text(f"solved draws differ from the model of first order: {worst}", style="yellow")


_EVER, _DOUBTFUL = 60.0, 0.5


def _amount(name: str, amount: float, found: Toleranced) -> str:
    """In the workshop's unit."""
    kind = found.kinds[name]
    if amount == math.inf:
        return "far"
    if kind == "length":
        return f"{1e3 * amount:.3g} mm"
    return f"{math.degrees(amount):.3g} deg" if kind == "angle" else f"{amount:.3g}"
