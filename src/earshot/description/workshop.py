"""What the workshop asks: cutting a wire in two, and the list of what to cut."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from ..errors import UsageError
from .antenna import Antenna
from .parts import Wire, place_along

if TYPE_CHECKING:
    import pandas as pd


def split(antenna: Antenna, name: str, at: float | str) -> Antenna:
    """Cut a wire in two; see `Antenna.split`."""
    wire = antenna.wire(name)
    cut, total = place_along(wire, at, "split"), wire.length
    if not 1e-9 * total < cut < total * (1 - 1e-9):
        raise UsageError(f"split: {at} is an end of wire '{name}', {total:g} m long; give a place between its ends")
    arc, middle = wire.arc, tuple(wire.at(cut).tolist())
    before = [p for p, s in zip(wire.points, arc, strict=True) if s < cut * (1 - 1e-9)]
    after = [p for p, s in zip(wire.points, arc, strict=True) if s > cut * (1 + 1e-9)]
    first = replace(wire, name=f"{name} 1", points=(*before, middle))
    second = replace(wire, name=f"{name} 2", points=(middle, *after))

    def moved(gap: Any) -> Any:
        if gap.on != name:
            return gap
        low, high = gap.span(wire, antenna.grounded(wire))
        if low < cut * (1 - 1e-9) and high > cut * (1 + 1e-9):
            raise UsageError(f"split: {gap.what} spans the place {cut:g} m along wire '{name}': cut elsewhere")
        part, start = (first, 0.0) if high <= cut * (1 + 1e-9) else (second, cut)
        return replace(gap, on=part.name, at=min(max((gap.distance(wire) - start) / part.length, 0.0), 1.0))

    wires: list[Wire] = []
    for one in antenna.wires:
        wires += [first, second] if one.name == name else [one]
    return replace(
        antenna,
        wires=tuple(wires),
        ports=tuple(moved(p) for p in antenna.ports),
        loads=tuple(moved(x) for x in antenna.loads),
        terminals=tuple(moved(t) for t in antenna.terminals),
    )


def cut_list(antenna: Antenna, step: float | None = None) -> pd.DataFrame:
    """What to buy and cut: a row for all wires that are alike, longest first.

    Columns: wires (their names), pieces, length_m, diameter_m, wall_m, metal, bends, total_m; with a step (metres)
    also cut_m, the length rounded to it, and off_m, how much that differs.
    """
    import pandas as pd

    if not antenna.wires:
        raise UsageError(f"cut_list: antenna '{antenna.name}' has no wires to cut; its sheets are in .sheets")
    if step is not None and not step > 0.0:
        raise UsageError(f"cut_list: step {step:g} m is not above zero; give a length such as '1 mm'")
    alike: dict[tuple[Any, ...], list[str]] = {}
    for wire in antenna.wires:
        bends = len(wire.points) - 2
        key = (round(wire.length, 9), 2 * wire.radius, wire.wall, wire.metal.name if wire.metal else "any", bends)
        alike.setdefault(key, []).append(wire.name)
    rows = []
    for (length, diameter, wall, metal, bends), names in sorted(alike.items(), key=lambda item: -item[0][0]):
        row = {
            "wires": ", ".join(names),
            "pieces": len(names),
            "length_m": length,
            "diameter_m": diameter,
            "wall_m": np.nan if wall is None else wall,
            "metal": metal,
            "bends": bends,
            "total_m": length * len(names),
        }
        if step is not None:
            cut = round(length / step) * step
            row |= {"cut_m": cut, "off_m": cut - length}
        rows.append(row)
    return pd.DataFrame(rows)
