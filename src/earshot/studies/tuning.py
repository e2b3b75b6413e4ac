"""Values changed until goals are met, in few solves: every solve tells how its figures change with every value."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
import pandas as pd

from .. import units
from ..arraytypes import Floats
from ..errors import ModelError, UsageError
from ..files.design_file import DesignFile
from ..files.design_text import AnyDesign, as_file
from ..files.editing import changed
from .asking import asked_of, names_of, needs_of
from .goals import Goal, goal, known_in
from .store import open_store
from .towards import is_towards
from .trials import Trials, Try, ranges, sizes, values_between

_FIRST, _LONGEST, _SHORTEST = 0.15, 0.5, 1e-6
"""Steps, as shares of what a value is: the first at most, any at most, and those too short to matter."""
_CALM = 1e-6


@dataclass(frozen=True, slots=True)
class Tuned:
    """What tuning came to. file: the design with its values; met: whether all goals are.

    values: per value before and after, SI. goals: per goal and frequency what is wanted, what was and what is. tries:
    every solve in order, its values, how much was lacking, and whether it was better.
    """

    file: DesignFile
    met: bool
    values: pd.DataFrame
    goals: pd.DataFrame
    tries: pd.DataFrame


@dataclass
class _Tuner:
    """The search: a damped Gauss-Newton walk within ranges (Nocedal and Wright 2006, ch. 10)."""

    trials: Trials
    goals: list[Goal]
    tried: list[Try] = field(default_factory=list)

    def at(self, one: Goal) -> tuple[float, ...]:
        """Where a goal is looked at."""
        return one.frequencies or (self.trials.asked.hertz,)

    def trial(self, values: Floats) -> Try:
        """The model solved at values."""
        found = self.trials.at(values)
        for one in self.goals:
            known_in(one, found.figures[self.at(one)[0]])
        self.tried.append(found)
        return found

    def short(self, now: Try, figures: dict[float, dict[str, float]] | None = None) -> Floats:
        """What all goals lack, of a try or with figures a little off."""
        reference, seen = complex(now.solution.antenna.ports[0].reference), figures or now.figures
        return np.concatenate([one.short(seen[f], reference) for one in self.goals for f in self.at(one)])

    def cost(self, now: Try) -> float:
        """The square of what is lacking."""
        short = self.short(now)
        return float(short @ short)

    def slopes(self, now: Try) -> Floats:
        """How what is lacking changes with every value, (goals, values)."""
        tables, short = self.trials.rates(now), self.short(now)
        columns = []
        for name, value in zip(self.trials.names, now.values.tolist(), strict=True):
            step = _CALM * (abs(value) or 1.0)
            rates = {f: table.loc[name].to_dict() for f, table in tables.items()}
            aside = {f: {k: v + step * rates[f].get(k, 0.0) for k, v in own.items()} for f, own in now.figures.items()}
            columns.append((self.short(now, aside) - short) / step)
        return np.stack(columns, axis=1)


def tune(
    file: AnyDesign,
    names: Sequence[str],
    goals: Sequence[str | Goal],
    *,
    case: str | None = None,
    most: int = 12,
    store: str | Path | None = None,
) -> Tuned:
    """Change values of a design file until goals are met; what comes nearest when they cannot be.

    names: of the values to change, within their ranges. goals: words or `Goal`. case: how it is driven, the first
    unless given. most: solves, at most; each is at all frequencies the goals name. store: a folder that keeps them.
    Raises UsageError for values, figures and cases there are not, and as `solve` does for the design as it is.
    """
    file = as_file(file)
    wanted = [g if isinstance(g, Goal) else goal(g) for g in goals]
    if not names or not wanted:
        raise UsageError("tune: name at least one value to change and one goal, such as 'X = 0 at 868 MHz'")
    units.count(most, "tune, most solves", 1, 1000)
    kept = None if store is None else open_store(store)
    asked = asked_of(file, None, case)
    also = tuple(dict.fromkeys(g.figure for g in wanted if is_towards(g.figure)))
    needs = needs_of(g.figure for g in wanted)
    places = sorted({f for g in wanted for f in g.frequencies or (asked.hertz,)})
    tuner = _Tuner(Trials(names_of(file, list(names)), replace(asked, also=also), places, needs, kept, most), wanted)
    quantities = file.design.values.quantities
    start = np.array([quantities[name].si for name in tuner.trials.names])
    low, high = ranges(file, tuner.trials.names)
    best, reach = tuner.trial(start), _FIRST
    first = best
    while len(tuner.tried) < most and not _met(tuner, best):
        size = sizes(best.values, low, high)
        slopes = tuner.slopes(best) * size
        step = None
        while len(tuner.tried) < most:
            step = shortest_step(slopes, best.values, tuner.short(best), low, high, size, reach)
            if np.abs(step).max() < _SHORTEST:
                step = None
                break
            try:
                tried: Try | None = tuner.trial(best.values + step * size)
            except ModelError:
                tried = None
            if tried is not None and tuner.cost(tried) < tuner.cost(best):
                # A step that was cut short may be longer next time.
                reach = min(2.0 * reach, _LONGEST) if np.abs(step).max() > 0.9 * reach else reach
                best = tried
                break
            reach = 0.3 * float(np.abs(step).max())
        if step is None:
            break
    return _told(tuner, first, best)


def shortest_step(
    slopes: Floats, values: Floats, short: Floats, low: Floats, high: Floats, size: Floats, reach: float
) -> Floats:
    """The shortest step, as shares, that would make good what is lacking, within ranges and reach."""
    from scipy.optimize import lsq_linear

    count = slopes.shape[1]
    calm = _CALM * max(float(np.linalg.norm(slopes)), 1e-12)
    rows = np.concatenate([slopes, calm * np.eye(count)])
    least = np.maximum((low - values) / size, -reach) - 1e-12
    most = np.minimum((high - values) / size, reach) + 1e-12
    return np.asarray(lsq_linear(rows, np.concatenate([-short, np.zeros(count)]), (least, most)).x)


def _met(tuner: _Tuner, one: Try) -> bool:
    return all(g.met(one.figures[f]) for g in tuner.goals for f in tuner.at(g))


def _told(tuner: _Tuner, first: Try, best: Try) -> Tuned:
    before = tuner.trials.file
    rows = [
        {"goal": g.text, "frequency_Hz": f, "before": first.figures[f][g.figure], "after": best.figures[f][g.figure],
         "met": g.met(best.figures[f])}
        for g in tuner.goals for f in tuner.at(g)
    ]  # fmt: skip
    told = [{**t.texts, "lacking": float(np.sqrt(tuner.cost(t))), "best": t is best} for t in tuner.tried]
    tries = pd.DataFrame(told,
                         index=pd.RangeIndex(1, len(tuner.tried) + 1, name="try"))  # fmt: skip
    file = changed(before, {name: str(text) for name, text in best.texts.items()})
    return Tuned(file, _met(tuner, best), values_between(before, first, best), pd.DataFrame(rows), tries)
