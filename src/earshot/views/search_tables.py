"""Searches as terminal tables: what was best, fronts, and fits."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from rich.text import Text

from ..units import engineering
from .study_tables import values_table
from .tables import plain_table, titled

if TYPE_CHECKING:
    from ..studies import Fitted, Front, Optimised

_SHOWN = 6


def optimised_tables(found: Optimised) -> Iterator[Any]:
    """What to change and by how much, what wishes and goals came to, and what it took."""
    state = "best" if found.met else "as near as it came"
    yield titled(
        f"{found.file.title}: {state} of {len(found.tries)} tries, {found.effort}",
        values_table(found.values),
    )
    table = plain_table([("aim", False), ("at", True), ("before", True), ("after", True), ("", False)])
    for aim, rows in found.goals.groupby("aim", sort=False):
        # Of a band, the worst of it.
        wish = rows["met"].isna().all()
        least = str(aim).split("x ")[-1].startswith("least") if wish else "<=" in str(aim)
        row = rows.iloc[int(rows["after"].argmax() if least else rows["after"].argmin())]
        told = ("", "") if wish else ("met", "green") if rows["met"].all() else ("not met", "yellow")
        hertz = float(row["frequency_Hz"])
        place = engineering(hertz, "Hz", 6) if math.isfinite(hertz) else ""
        ends = (f"{row[when]:.4g} {row['unit']}".strip() for when in ("before", "after"))
        table.add_row(str(aim), place, *ends, Text(told[0], style=told[1]))
    yield titled("wishes and goals; of a band, where it is worst", table)


def front_tables(found: Front) -> Iterator[Any]:
    """A row per point: what both wishes come to, and the values."""
    one, other = found.wishes
    names = [name for name in found.points if name not in (one, other)][:_SHOWN] if len(found.points) else []
    table = plain_table([("point", True), (one, True), (other, True), *((str(n), True) for n in names)])
    for number, (_, row) in enumerate(found.points.iterrows(), 1):
        cells = [
            cell if isinstance(cell, str) else f"{cell:.4g}"
            for cell in (found.points[n].iloc[number - 1] for n in names)
        ]
        table.add_row(str(number), f"{row[one]:.4g}", f"{row[other]:.4g}", *cells)
    yield titled(f"{found.title}: front, {len(found.tries)} tries, {found.seconds:.0f} s", table)
    if not len(found.points):
        yield Text("no try met the goals: ease one, or give more tries with --most", style="yellow")


def fitted_tables(found: Fitted) -> Iterator[Any]:
    """Values with their limits, what is left over, and what cannot be told apart."""
    from .plots.searches import told_amount

    table = plain_table([("value", False), ("before", True), ("fitted", True), ("± (19 of 20)", True)])
    for name, row in found.values.iterrows():
        kind = str(row["kind"])
        table.add_row(str(name), *(told_amount(float(row[c]), kind, str(name)) for c in ("before", "after", "limit")))
    yield titled(f"{found.file.title}: fitted in {len(found.tries)} solves", table)
    left = f"{found.left:.2g} of reflection" if found.phased else f"{found.left:.3g} dB of return loss"
    yield Text(f"left over: {left}, root mean square")
    for one, other, alike in found.alike:
        yield Text(f"'{one}' and '{other}' cannot be told apart by this measurement (correlation {alike:+.3f}): "
                   "fix one, or measure more", style="yellow")  # fmt: skip
