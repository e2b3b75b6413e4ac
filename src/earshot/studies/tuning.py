"""Values changed until goals are met, in few solves: every solve tells how its figures change with every value."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
import pandas as pd

from .. import units
from ..answers.solution import Solution
from ..answers.solve import solve
from ..arraytypes import Floats
from ..description.design import Value
from ..errors import ModelError, UsageError
from ..files.design_file import DesignFile
from ..files.editing import changed
from ..running import report
from .asking import QUICK, Asked, asked_of, names_of, plain
from .goals import Goal, goal, known_in
from .sensitivity import derivatives
from .store import Store, open_store

_FIRST, _LONGEST, _SHORTEST = 0.15, 0.5, 1e-6
"""Steps, as shares of what a value is: the first at most, any at most, and those too short to matter."""
_CALM = 1e-6
_DIGITS = 7


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


@dataclass(frozen=True, slots=True)
class _Try:
    """Values (texts), the model solved there, what is lacking and the figures by frequency."""

    texts: dict[str, str | float]
    values: Floats
    solution: Solution
    figures: dict[float, dict[str, float]]
    short: Floats

    @property
    def cost(self) -> float:
        """The square of what is lacking."""
        return float(self.short @ self.short)


@dataclass
class _Tuner:
    """The search: a damped Gauss-Newton walk within ranges (Nocedal and Wright 2006, ch. 10)."""

    file: DesignFile
    names: list[str]
    goals: list[Goal]
    asked: Asked
    store: Store | None
    tried: list[_Try] = field(default_factory=list)

    @property
    def places(self) -> list[float]:
        """Every frequency of every goal."""
        return sorted({f for g in self.goals for f in self.at(g)})

    @property
    def every(self) -> bool:
        """Whether a goal is of a figure that is not had in fixed directions."""
        ports = ("R", "X", "VSWR", "return loss")
        return any(not g.figure.startswith(ports) and g.figure not in QUICK for g in self.goals)

    def at(self, one: Goal) -> tuple[float, ...]:
        """Where a goal is looked at."""
        return one.frequencies or (self.asked.hertz,)

    def trial(self, values: Floats) -> _Try:
        """The model solved at values, as they will be written."""
        texts = {name: _written(self.file, name, v) for name, v in zip(self.names, values.tolist(), strict=True)}
        design = self.file.design.with_(**{name: Value(text) for name, text in texts.items()})
        report(f"try {len(self.tried) + 1}: {', '.join(f'{n} = {t}' for n, t in texts.items())}")
        solution = solve(design, self.places) if self.store is None else self.store.solution(design, self.places)
        figures = {f: plain(self.asked.figures(solution, f)) for f in self.places}
        for one in self.goals:
            known_in(one, figures[self.at(one)[0]])
        found = _Try(texts, np.array([design.values.quantities[n].si for n in self.names]), solution, figures,
                     self.short(figures, solution))  # fmt: skip
        self.tried.append(found)
        return found

    def short(self, figures: dict[float, dict[str, float]], solution: Solution) -> Floats:
        """What all goals lack."""
        reference = complex(solution.antenna.ports[0].reference)
        return np.concatenate([one.short(figures[f], reference) for one in self.goals for f in self.at(one)])

    def slopes(self, now: _Try) -> Floats:
        """How what is lacking changes with every value, (goals, values)."""
        file = replace(self.file, design=self.file.design.with_(**{n: Value(t) for n, t in now.texts.items()}))
        tables = {
            f: derivatives(replace(self.asked, file=file, hertz=f), now.solution, self.names, every=self.every)
            for f in self.places
        }
        columns = []
        for name, value in zip(self.names, now.values.tolist(), strict=True):
            step = _CALM * (abs(value) or 1.0)
            rates = {f: table.loc[name].to_dict() for f, table in tables.items()}
            aside = {f: {k: v + step * rates[f].get(k, 0.0) for k, v in own.items()} for f, own in now.figures.items()}
            columns.append((self.short(aside, now.solution) - now.short) / step)
        return np.stack(columns, axis=1)


def tune(
    file: DesignFile,
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
    wanted = [goal(g) if isinstance(g, str) else g for g in goals]
    if not names or not wanted:
        raise UsageError("tune: name at least one value to change and one goal, such as 'X = 0 at 868 MHz'")
    units.count(most, "tune, most solves", 1, 1000)
    kept = None if store is None else open_store(store)
    tuner = _Tuner(file, names_of(file, list(names)), wanted, asked_of(file, None, case), kept)
    quantities = file.design.values.quantities
    start = np.array([quantities[name].si for name in tuner.names])
    low, high = _ranges(file, tuner.names)
    best, reach = tuner.trial(start), _FIRST
    first = best
    while len(tuner.tried) < most and not _met(tuner, best):
        size = np.where(best.values == 0.0, (high - low) * np.isfinite(high - low) + 1e-3, np.abs(best.values))
        slopes = tuner.slopes(best) * size
        step = None
        while len(tuner.tried) < most:
            step = _step(slopes, best, low, high, size, reach)
            if np.abs(step).max() < _SHORTEST:
                step = None
                break
            try:
                tried: _Try | None = tuner.trial(best.values + step * size)
            except ModelError:
                tried = None
            if tried is not None and tried.cost < best.cost:
                # A step that was cut short may be longer next time.
                reach = min(2.0 * reach, _LONGEST) if np.abs(step).max() > 0.9 * reach else reach
                best = tried
                break
            reach = 0.3 * float(np.abs(step).max())
        if step is None:
            break
    return _told(tuner, first, best)


def _step(slopes: Floats, best: _Try, low: Floats, high: Floats, size: Floats, reach: float) -> Floats:
    """The shortest step, as shares, that would make good what is lacking, within ranges and reach."""
    from scipy.optimize import lsq_linear

    count = slopes.shape[1]
    calm = _CALM * max(float(np.linalg.norm(slopes)), 1e-12)
    rows = np.concatenate([slopes, calm * np.eye(count)])
    least = np.maximum((low - best.values) / size, -reach) - 1e-12
    most = np.minimum((high - best.values) / size, reach) + 1e-12
    return np.asarray(lsq_linear(rows, np.concatenate([-best.short, np.zeros(count)]), (least, most)).x)


def _ranges(file: DesignFile, names: Sequence[str]) -> tuple[Floats, Floats]:
    """Least and greatest of values, SI; endless where the file does not say."""
    given, known = dict(file.design.given), file.design.values.quantities
    ends = []
    for name in names:
        pair = []
        for text, endless in ((given[name].from_, -np.inf), (given[name].to, np.inf)):
            pair.append(endless if text is None else file.design.measured(text, known[name].kind))
        ends.append(pair)
    low, high = np.array(ends, float).T
    return low, high


def _written(file: DesignFile, name: str, value: float) -> str | float:
    """A value as it is written: in the unit its text has, or mm, degrees, ... to seven digits."""
    kind = file.design.values.quantities[name].kind
    if kind == "number":
        return float(f"{value:.{_DIGITS}g}")
    text = str(dict(file.design.given)[name].is_)
    own = text.rpartition(" ")[2]
    usual = {"length": "mm", "angle": "deg"}.get(kind, units.KINDS[kind])
    plain = text.count(" ") == 1 and own != "lambda"
    unit = own if plain else usual
    return f"{value / units.read(f'1 {unit}', kind, what=name):.{_DIGITS}g} {unit}"


def _met(tuner: _Tuner, one: _Try) -> bool:
    return all(g.met(one.figures[f]) for g in tuner.goals for f in tuner.at(g))


def _told(tuner: _Tuner, first: _Try, best: _Try) -> Tuned:
    values = pd.DataFrame(
        {"before": [str(dict(tuner.file.design.given)[n].text) for n in tuner.names],
         "after": [str(best.texts[n]) for n in tuner.names], "change": best.values - first.values,
         "kind": [tuner.file.design.values.quantities[n].kind for n in tuner.names]},
        index=pd.Index(tuner.names, name="value"),
    )  # fmt: skip
    rows = [
        {"goal": g.text, "frequency_Hz": f, "before": first.figures[f][g.figure], "after": best.figures[f][g.figure],
         "met": g.met(best.figures[f])}
        for g in tuner.goals for f in tuner.at(g)
    ]  # fmt: skip
    tries = pd.DataFrame([{**t.texts, "lacking": float(np.sqrt(t.cost)), "best": t is best} for t in tuner.tried],
                         index=pd.RangeIndex(1, len(tuner.tried) + 1, name="try"))  # fmt: skip
    file = changed(tuner.file, {name: str(text) for name, text in best.texts.items()})
    return Tuned(file, _met(tuner, best), values, pd.DataFrame(rows), tries)
