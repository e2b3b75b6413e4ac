"""How every figure changes with every value, for the price of a fill and a few substitutions each."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence

import numpy as np
import pandas as pd

from ..answers.solution import Solution
from ..answers.solve import solve
from ..files.design_file import DesignFile
from ..running import report
from .asking import STEP, Asked, asked_of, names_of
from .nearby import alike, nearby

_log = logging.getLogger("earshot")
_COARSE = 1e-2
"""The step where the mesh does not go along, so that both sides are meshed and solved."""
RESONANCE = "resonance"


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
    aim, quantities = asked.aim(solution), asked.file.design.values.quantities

    def figures(one: Solution, by: Asked, at: float | None = None) -> pd.Series[float]:
        return by.figures(one, at) if every else by.towards(one, aim, at)

    base = figures(solution, asked)
    rows = {}
    for name in names:
        report(f"what follows from {name}")
        rows[name] = _slope(asked, solution, figures, base, name)
    table = pd.DataFrame(rows).T
    if "X" in base:
        step = STEP * asked.hertz
        aside = nearby(solution, solution.antenna, asked.hertz, asked.hertz + step)
        if aside is not None:
            slope = (figures(aside, asked, asked.hertz + step)["X"] - base["X"]) / step
            table[RESONANCE] = -table["X"] / slope / 1e6
    table.insert(0, "now", [quantities[name].si for name in names])
    table.insert(0, "kind", [quantities[name].kind for name in names])
    return table.rename_axis("value")


def _slope(
    asked: Asked,
    solution: Solution,
    figures: Callable[[Solution, Asked], pd.Series[float]],
    base: pd.Series[float],
    name: str,
) -> pd.Series[float]:
    """By one value: to one side or the other, where the mesh goes along; else between two meshes of their own."""
    value = asked.file.design.values.quantities[name].si
    size = STEP * (abs(value) or _unit(asked, name))
    for step in (size, -size):
        moved = asked.moved({name: value + step})
        aside = alike(solution, moved.file.antenna)
        if aside is None:
            aside = nearby(solution, moved.file.antenna, asked.hertz, asked.hertz)
        if aside is not None:
            return (figures(aside, moved) - base) / step
    _log.warning("'%s' changes how the mesh is joined: its figures are compared between two meshes", name)
    step = _COARSE / STEP * size

    sides = [asked.moved({name: value + sign * step}) for sign in (1.0, -1.0)]
    high, low = (figures(solve(one.file.antenna, [asked.hertz], rule=solution.rule), one) for one in sides)
    return (high - low) / (2.0 * step)


def _unit(asked: Asked, name: str) -> float:
    """What a value that is zero is measured by."""
    kind = asked.file.design.values.quantities[name].kind
    return 299792458.0 / asked.hertz if kind == "length" else 1.0 if kind != "angle" else float(np.pi / 2)
