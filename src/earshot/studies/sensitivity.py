"""How every figure changes with every value, for the price of a fill and a few substitutions each."""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np
import pandas as pd

from ..answers.comparing import match_at
from ..answers.solution import Solution
from ..answers.solve import solve
from ..constants import SPEED_OF_LIGHT
from ..files.design_text import AnyDesign, as_file
from ..moments.basis import Basis
from ..running import report
from .asking import STEP, Asked, Needs, asked_of, names_of
from .nearby import alike, basis_like, nearby, nearby_all, settled

_log = logging.getLogger("earshot")
_COARSE = 1e-2
"""The step where the mesh does not go along, so that both sides are meshed and solved."""
RESONANCE = "resonance"
Figures = Callable[[Solution, Asked], dict[str, float]]


def sensitivities(
    file: AnyDesign,
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
    file = as_file(file)
    asked = asked_of(file, frequency, case)
    chosen = names_of(file, list(names))
    solution = solve(file.design, [asked.hertz], errors=False)
    return derivatives(asked, solution, chosen, "every" if every else "beam")


def derivatives(asked: Asked, solution: Solution, names: Sequence[str], needs: Needs) -> pd.DataFrame:
    """The same of a solution that is there."""
    table = slopes_at([asked.hertz], asked, solution, names, needs)[asked.hertz]
    if "X" in table:
        step = STEP * asked.hertz
        aside = nearby(solution, solution.antenna, asked.hertz, asked.hertz + step)
        if aside is not None:
            x, before = (match_at(one.network, asked.hertz)["X"] for one in (aside, settled(solution, asked.hertz)))
            table[RESONANCE] = -table["X"] / ((x - before) / step) / 1e6
    quantities = asked.file.design.values.quantities
    table.insert(0, "now", [quantities[name].si for name in names])
    table.insert(0, "kind", [quantities[name].kind for name in names])
    return table


def slopes_at(
    places: Sequence[float], asked: Asked, solution: Solution, names: Sequence[str], needs: Needs
) -> dict[float, pd.DataFrame]:
    """By frequency, Hz, derivatives of figures: a row per value. Solved at all of them."""
    there = {hertz: replace(asked, hertz=hertz) for hertz in places}
    told = {hertz: _figures(one, solution, needs) for hertz, one in there.items()}
    # Both ends of a small difference start from the same currents, to their last digit.
    firm = {hertz: settled(solution, hertz) for hertz in places}
    base = {hertz: told[hertz](firm[hertz], one) for hertz, one in there.items()}
    rows: dict[float, dict[str, dict[str, float]]] = {hertz: {} for hertz in places}
    asides = _aside(asked, solution, names, firm)
    for name in names:
        report(f"what follows from {name}")
        step, sides = asides.get(name) or _two_meshes(asked, solution, name, places)
        for hertz in places:
            seen = [told[hertz](one, replace(by, hertz=hertz)) for one, by in sides[hertz]]
            high, low = seen if len(seen) == 2 else (seen[0], base[hertz])
            rows[hertz][name] = {f: (high[f] - low[f]) / step for f in high.keys() & low.keys()}
    return {
        hertz: pd.DataFrame(found).T.reindex(columns=[f for f in base[hertz] if f in next(iter(found.values()))])
        .rename_axis("value")
        for hertz, found in rows.items()
    }  # fmt: skip


def _figures(asked: Asked, solution: Solution, needs: Needs) -> Figures:
    """What is told of solutions, in directions that stay unless it is every figure."""
    if needs == "ports":
        return lambda one, by: by.least(one)
    if needs == "every":
        return lambda one, by: by.figures(one)
    aim = asked.aim(solution)
    return lambda one, by: by.towards(one, aim)


Sides = tuple[float, dict[float, list[tuple[Solution, Asked]]]]
"""A step of a value, and by frequency the model to one side of it, or to both."""


def _aside(asked: Asked, solution: Solution, names: Sequence[str], firm: Mapping[float, Solution]) -> dict[str, Sides]:
    """The model a little to one side by each value, on the mesh carried along, where it goes to either side.

    firm: by frequency, as `settled` gives it.
    """
    found: dict[str, Sides] = {}
    for sign in (1.0, -1.0):
        bases: dict[str, tuple[float, Asked, Basis]] = {}
        for name in names:
            if name in found:
                continue
            step = sign * STEP * _size(asked, name)
            moved = asked.moved({name: asked.file.design.values.quantities[name].si + step})
            same = alike(solution, moved.file.antenna)
            if same is not None:
                found[name] = step, {hertz: [(same, moved)] for hertz in firm}
                continue
            basis = basis_like(solution, moved.file.antenna)
            if basis is not None:
                bases[name] = step, moved, basis
        changes = [(moved.file.antenna, basis) for _, moved, basis in bases.values()]
        solved = {hertz: nearby_all(one, changes, hertz, hertz) for hertz, one in firm.items()} if changes else {}
        for number, (name, (step, moved, _)) in enumerate(bases.items()):
            own = {hertz: [(one, moved)] for hertz in firm if (one := solved[hertz][number]) is not None}
            if len(own) == len(firm):
                found[name] = step, own
    return found


def _two_meshes(asked: Asked, solution: Solution, name: str, places: Sequence[float]) -> Sides:
    """The model to both sides, each meshed and solved by itself."""
    _log.warning("'%s' changes how the mesh is joined: its figures are compared between two meshes", name)
    value, step = asked.file.design.values.quantities[name].si, _COARSE * _size(asked, name)
    both = [asked.moved({name: value + sign * step}) for sign in (1.0, -1.0)]
    solved = [(solve(one.file.antenna, list(places), rule=solution.rule, errors=False), one) for one in both]
    return 2.0 * step, dict.fromkeys(places, solved)


def _size(asked: Asked, name: str) -> float:
    """What a value is measured by."""
    return abs(asked.file.design.values.quantities[name].si) or _unit(asked, name)


def _unit(asked: Asked, name: str) -> float:
    """What a value that is zero is measured by."""
    kind = asked.file.design.values.quantities[name].kind
    return SPEED_OF_LIGHT / asked.hertz if kind == "length" else 1.0 if kind != "angle" else float(np.pi / 2)
