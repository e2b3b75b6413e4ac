"""What differs between two designs: values and parts."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

from .antenna import Antenna

if TYPE_CHECKING:
    import pandas as pd


def value_changes(before: pd.DataFrame, after: pd.DataFrame) -> pd.DataFrame:
    """Values that differ between two tables as `Design.table` gives them.

    Columns: before and after as written, change in percent of the value in SI (missing where there is none).
    """
    import pandas as pd

    rows = []
    for name in dict.fromkeys([*before.index, *after.index]):
        one, two = (t.loc[name] if name in t.index else None for t in (before, after))
        if one is not None and two is not None:
            if math.isclose(one["value"], two["value"], rel_tol=1e-12) and one["kind"] == two["kind"]:
                continue
            share = 100.0 * (two["value"] / one["value"] - 1.0) if one["value"] else math.nan
            rows.append((name, str(one["written"]), str(two["written"]), share))
        else:
            rows.append((name, *("" if x is None else str(x["written"]) for x in (one, two)), math.nan))
    return pd.DataFrame(rows, columns=["value", "before", "after", "change_percent"]).set_index("value")


def part_changes(before: Antenna, after: Antenna) -> pd.DataFrame:
    """Parts that were added, taken out or changed. Columns: kind, part, and what happened to it."""
    import pandas as pd

    rows: list[tuple[str, str, str]] = []
    for kind in ("wires", "sheets", "ports", "loads", "terminals", "lines"):
        old, new = ({p.name: p for p in getattr(a, kind)} for a in (before, after))
        for name in dict.fromkeys([*old, *new]):
            if name not in new:
                rows.append((kind[:-1], name, "taken out"))
            elif name not in old:
                rows.append((kind[:-1], name, "added"))
            elif old[name] != new[name]:
                rows.append((kind[:-1], name, _changed(old[name], new[name])))
    if before.medium != after.medium:
        rows.append(("medium", "", f"{before.medium} -> {after.medium}"))
    return pd.DataFrame(rows, columns=["kind", "part", "what"])


def _changed(old: Any, new: Any) -> str:
    if type(old) is not type(new):
        return f"now a {type(new).__name__.lower()}"
    keys = [k for k in old.__dataclass_fields__ if getattr(old, k) != getattr(new, k)]
    words = [f"length {old.length:.5g} -> {new.length:.5g} m" if k == "points" else k for k in keys]
    moved = "points" in keys and math.isclose(old.length, new.length, rel_tol=1e-9)
    return ", ".join("moved" if moved and w.startswith("length") else w for w in words)
