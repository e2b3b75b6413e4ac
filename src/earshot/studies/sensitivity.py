"""How every figure changes with every value, for the price of a fill and a few substitutions each."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
import pandas as pd

from ..answers.solution import Solution
from ..answers.solve import solve
from ..constants import SPEED_OF_LIGHT
from ..files.design_file import DesignFile
from ..running import report
from .asking import STEP, Asked, asked_of, names_of
from .nearby import alike, basis_like, nearby

_log = logging.getLogger("earshot")
_COARSE = 1e-2
"""The step where the mesh does not go along, so that both sides are meshed and solved."""
RESONANCE = "resonance"
Figures = Callable[[Solution, Asked], dict[str, float]]


def sensitivities(
    file: DesignFile,
    names: Sequence[str] = (),
    frequency: str | float | None = None,
    *,
    case: str | None = None,
    every: bool = False,
) -> pd.DataFrame:
    """Derivatives of figures by every value: a row per value, with its SI unit's kind and what it is now.

    file: a design file. names: of values, all unless given. frequency, case: those of the first case unless given.
    every: of every figure there is, beamwidths and sectors too; else of ports, gains, front-to-back, side lobe and
    axial ratio. Of a lone port also of its resonance, MHz: -(∂X/∂v)/(∂X/∂f). Raises UsageError for values and cases
    there are not, and as `solve` does.
    """
    asked = asked_of(file, frequency, case)
    chosen = names_of(file, list(names))
    solution = solve(file.design, [asked.hertz])
    return derivatives(asked, solution, chosen, every=every)


def derivatives(asked: Asked, solution: Solution, names: Sequence[str], *, every: bool) -> pd.DataFrame:
    """The same of a solution that is there."""
    table = slopes_at([asked.hertz], asked, solution, names, every=every)[asked.hertz]
    if "X" in table:
        figures, step = _figures(asked, solution, every), STEP * asked.hertz
        aside = nearby(solution, solution.antenna, asked.hertz, asked.hertz + step)
        if aside is not None:
            moved = replace(asked, hertz=asked.hertz + step)
            slope = (figures(aside, moved)["X"] - figures(solution, asked)["X"]) / step
            table[RESONANCE] = -table["X"] / slope / 1e6
    quantities = asked.file.design.values.quantities
    table.insert(0, "now", [quantities[name].si for name in names])
    table.insert(0, "kind", [quantities[name].kind for name in names])
    return table


def slopes_at(
    places: Sequence[float], asked: Asked, solution: Solution, names: Sequence[str], *, every: bool
) -> dict[float, pd.DataFrame]:
    """By frequency, Hz, derivatives of figures: a row per value. Solved at all of them."""
    there = {hertz: replace(asked, hertz=hertz) for hertz in places}
    told = {hertz: _figures(one, solution, every) for hertz, one in there.items()}
    base = {hertz: told[hertz](solution, one) for hertz, one in there.items()}
    rows: dict[float, dict[str, dict[str, float]]] = {hertz: {} for hertz in places}
    for name in names:
        report(f"what follows from {name}")
        step, sides = _sides(asked, solution, name, places)
        for hertz in places:
            seen = [told[hertz](one, replace(by, hertz=hertz)) for one, by in sides[hertz]]
            high, low = seen if len(seen) == 2 else (seen[0], base[hertz])
            rows[hertz][name] = {f: (high[f] - low[f]) / step for f in high.keys() & low.keys()}
    return {
        hertz: pd.DataFrame(found).T.reindex(columns=[f for f in base[hertz] if f in next(iter(found.values()))])
        .rename_axis("value")
        for hertz, found in rows.items()
    }  # fmt: skip


def _figures(asked: Asked, solution: Solution, every: bool) -> Figures:
    """What is told of solutions: every figure, or those in directions that stay."""
    if every:
        return lambda one, by: by.figures(one)
    aim = asked.aim(solution)
    return lambda one, by: by.towards(one, aim)


def _sides(
    asked: Asked, solution: Solution, name: str, places: Sequence[float]
) -> tuple[float, dict[float, list[tuple[Solution, Asked]]]]:
    """A step of a value, and by frequency the model aside: to one side or the other where the mesh goes along, else to
    both, each meshed and solved by itself.
    """
    value = asked.file.design.values.quantities[name].si
    size = STEP * (abs(value) or _unit(asked, name))
    for step in (size, -size):
        moved = asked.moved({name: value + step})
        same = alike(solution, moved.file.antenna)
        if same is not None:
            return step, {hertz: [(same, moved)] for hertz in places}
        basis = basis_like(solution, moved.file.antenna)
        if basis is None:
            continue
        asides = {hertz: nearby(solution, moved.file.antenna, hertz, hertz, basis) for hertz in places}
        found = {hertz: [(one, moved)] for hertz, one in asides.items() if one is not None}
        if len(found) == len(asides):
            return step, found
    _log.warning("'%s' changes how the mesh is joined: its figures are compared between two meshes", name)
    step = _COARSE / STEP * size
    both = [asked.moved({name: value + sign * step}) for sign in (1.0, -1.0)]
    solved = [(solve(one.file.antenna, list(places), rule=solution.rule), one) for one in both]
    return 2.0 * step, dict.fromkeys(places, solved)


def _unit(asked: Asked, name: str) -> float:
    """What a value that is zero is measured by."""
    kind = asked.file.design.values.quantities[name].kind
    return SPEED_OF_LIGHT / asked.hertz if kind == "length" else 1.0 if kind != "angle" else float(np.pi / 2)
