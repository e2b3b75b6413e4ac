"""The best there is within goals: from where a design is, over whole ranges, or the front between two wishes."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from .. import units
from ..arraytypes import Floats
from ..errors import EarshotError, UsageError, unknown
from ..files.design_file import DesignFile
from ..files.design_text import AnyDesign, as_file
from ..files.editing import changed
from .aims import Aims, aims_of, refuse_unknown, unit_measured
from .asking import Needs, asked_of, names_of, needs_of
from .climbing import climb
from .crew import Crew
from .goals import Goal, Wish
from .store import Store, open_store
from .trials import Trials, Try, ranges, values_between, written

_notes = logging.getLogger("earshot")
METHODS = ("local", "global")
_MOST = {"local": 40, "global": 400}
_POLISH, _PER_VALUE, _LEAST = 12, 5, 10
_FRONT = 7
_FULL = 0.99
"""How much of what is looked at is all of it."""
_ENDS = 1e-3
"""What the other wish counts at the ends of a front."""


@dataclass(frozen=True, slots=True)
class Optimised:
    """What a search came to. file: the design with its best values; met: whether all goals are.

    values: per value before and after, SI. goals: per goal, wish and frequency before and after, with the unit of what
    is no figure. tries: every try in order: its values, what every goal and wish came to (the worst of a band), its
    cost, the least so far, and whether it met all goals. solves: how many there were; seconds: what it took.
    """

    file: DesignFile
    met: bool
    values: pd.DataFrame
    goals: pd.DataFrame
    tries: pd.DataFrame
    solves: int
    seconds: float
    before: DesignFile
    names: tuple[str, ...]

    @property
    def effort(self) -> str:
        """What it took, in words."""
        return f"{self.solves} solve{'s' * (self.solves != 1)}, {self.seconds:.0f} s"

    def try_file(self, number: int) -> DesignFile:
        """The design with the values of a try, by its number; raises UsageError for one there was not."""
        if number not in self.tries.index:
            raise UsageError(f"{unknown('try', str(number), [str(n) for n in self.tries.index[:3]])} up to "
                             f"{self.tries.index[-1]}")  # fmt: skip
        return changed(self.before, {name: str(self.tries.at[number, name]) for name in self.names})


@dataclass
class _Log:
    """Every try as a row."""

    aims: Aims
    rows: list[dict[str, Any]] = field(default_factory=list)

    def keep(self, one: Try) -> None:
        """A try that was solved here."""
        self.enter(one.texts, one.asked.file, one.figures, self.aims.cost_of(one))

    def enter(
        self, texts: dict[str, Any], file: DesignFile, figures: dict[float, dict[str, float]], cost: float
    ) -> None:
        """A try."""
        least = min([cost, *(row["least"] for row in self.rows[-1:])])
        told = self.aims.told(figures, file)
        self.rows.append({**texts, **told, "cost": cost, "least": least, "met": self.aims.met(figures)})

    def table(self) -> pd.DataFrame:
        """All of them."""
        return pd.DataFrame(self.rows, index=pd.RangeIndex(1, len(self.rows) + 1, name="try"))


def optimise(
    file: AnyDesign,
    names: Sequence[str],
    wishes: Sequence[str | Wish],
    goals: Sequence[str | Goal] = (),
    *,
    case: str | None = None,
    method: str = "local",
    most: int | None = None,
    starts: int = 1,
    seed: int = 0,
    processes: int = 1,
    cluster: str | None = None,
    store: str | Path | None = None,
) -> Optimised:
    """Change values of a design file until wishes are granted as far as goals allow.

    names: of the values to change, within their ranges. wishes: words as for `wish`, with weights. goals: words as for
    `goal`. method: "local" from where the design is, by exact slopes, and from `starts` - 1 other places of the ranges;
    "global" over all ranges, by differential evolution (Storn and Price 1997), then local from the best. most: tries at
    most, 40 or 400 unless given. processes, cluster: who does a global search. store: a folder that keeps solves.
    Raises UsageError for values, figures and cases there are not and for a global search without ranges, and as `solve`
    does for the design as it is.
    """
    file = as_file(file)
    began = time.perf_counter()
    if method not in METHODS:
        raise UsageError(f"optimise: {unknown('method', method, METHODS)}")
    if not names or not (wishes or goals):
        raise UsageError("optimise: name at least one value to change and one wish, such as 'most gain'")
    count = _MOST[method] if most is None else units.count(most, "optimise, most tries", 1, 100_000)
    units.count(starts, "optimise, starts", 1, 100)
    crew = Crew(processes, cluster)
    if method != "global" and not crew.alone:
        raise UsageError("optimise: tries of a local search follow from one another: processes are for method 'global'")
    trials, aims, first = begun(file, names, wishes, goals, case, count, store)
    log = _Log(aims)
    log.keep(first)
    low, high = ranges(file, trials.names)
    if method == "global" or starts > 1:
        endless = [n for n, a, b in zip(trials.names, low, high, strict=True) if not np.isfinite(b - a)]
        if endless:
            raise UsageError(f"optimise: '{endless[0]}' has no range: give it from and to in [values]")
    if method == "global":
        best = _widely(trials, aims, log, first, count, seed, crew)
    else:
        best = climb(trials, aims, first.values, count - 1, log.keep, first)
        for start in _starts(low, high, starts - 1, seed):
            other = _climbed(trials, aims, start, count - trials.count, log)
            if other is not None and aims.cost_of(other) < aims.cost_of(best):
                best = other
    return _told(trials, aims, log, first, best, time.perf_counter() - began)


def begun(
    file: DesignFile, names: Sequence[str], wishes: Sequence[str | Wish], goals: Sequence[str | Goal],
    case: str | None, most: int, store: str | Path | None,
) -> tuple[Trials, Aims, Try]:  # fmt: skip
    """The tries there will be, what for, and the first, the design as it is."""
    known, asked = names_of(file, list(names)), asked_of(file, None, case)
    kept = None if store is None else open_store(store)
    aims = aims_of(asked, known, goals, wishes, complex(file.antenna.ports[0].reference))
    trials = Trials(known, aims.asked, aims.frequencies, needs_of(aims.figures), kept, most)
    first = trials.at(np.array([file.design.values.quantities[name].si for name in known]))
    refuse_unknown(aims, first.figures)
    return trials, aims, first


def _climbed(trials: Trials, aims: Aims, start: Floats, most: int, log: _Log) -> Try | None:
    """The best from another start, if anything can be solved there."""
    if most < 1:
        return None
    try:
        return climb(trials, aims, start, most, log.keep)
    except EarshotError:
        return None


def _starts(low: Floats, high: Floats, count: int, seed: int) -> Iterable[Floats]:
    from scipy.stats import qmc

    if count < 1:
        return []
    shares = qmc.LatinHypercube(len(low), rng=np.random.default_rng(seed)).random(count)
    return list(low + shares * (high - low))


Job = tuple[Any, dict[str, Any], list[float], Needs, Store | None]


def _tried(job: Job) -> dict[float, dict[str, float]] | None:
    """Figures of a try, or nothing where it cannot be solved."""
    asked, texts, places, needs, store = job
    return _or_nothing(Trials(list(texts), asked, places, needs, store), texts)


def _or_nothing(trials: Trials, texts: dict[str, Any]) -> dict[float, dict[str, float]] | None:
    try:
        return trials.figures(texts)
    except EarshotError:
        return None


def _widely(trials: Trials, aims: Aims, log: _Log, first: Try, most: int, seed: int, crew: Crew) -> Try:
    """Over the whole ranges, a generation at a time, and from the best of it on."""
    from scipy.optimize import differential_evolution

    low, high = ranges(trials.file, trials.names)
    crowd = int(np.clip(_PER_VALUE * len(low), _LEAST, max(most // 4, _LEAST)))
    best, best_cost = first.values, aims.cost_of(first)

    def costs(_: Callable[..., Any], members: Iterable[Floats]) -> Iterator[float]:
        nonlocal best, best_cost
        rows = list(members)[: max(most - _POLISH - len(log.rows), 0)]
        texts = [
            {n: written(trials.file, n, v) for n, v in zip(trials.names, row.tolist(), strict=True)} for row in rows
        ]
        jobs = [(aims.asked, told, trials.places, trials.needs, trials.store) for told in texts]
        # Here what was solved last is at hand, and may do for what only drives it otherwise.
        what = f"tries {len(log.rows) + 1} to {len(log.rows) + len(jobs)}:"
        results = (_or_nothing(trials, told) for told in texts) if crew.alone else crew.each(_tried, jobs, what)
        trials.solves += 0 if crew.alone else len(jobs)
        found = []
        for row, told, figures in zip(rows, texts, results, strict=True):
            cost = np.inf
            if figures is not None:
                seen = aims.seen(figures)
                cost = aims.cost(seen, row) if np.isfinite(seen).all() else np.inf
                log.enter(told, trials.file.with_(**told), figures, cost)
            if cost < best_cost:
                best, best_cost = row, cost
            found.append(cost if np.isfinite(cost) else _WORST)
        return iter(found + [_WORST] * (crowd - len(found)))

    differential_evolution(
        lambda _: 0.0, list(zip(low, high, strict=True)), workers=costs, updating="deferred", polish=False, rng=seed,
        maxiter=max(most // crowd, 1), popsize=1, init=_crowd(low, high, crowd, seed), tol=1e-3, x0=None,
        callback=lambda *_, **__: len(log.rows) >= most - _POLISH,
    )  # fmt: skip
    left = max(most - len(log.rows), 1)
    return climb(trials, aims, best, left, log.keep)


_WORST = 1e6


def _crowd(low: Floats, high: Floats, count: int, seed: int) -> Floats:
    return np.array(list(_starts(low, high, count, seed)))


def _told(trials: Trials, aims: Aims, log: _Log, first: Try, best: Try, seconds: float) -> Optimised:
    rows = []
    told = [aims.told(one.figures, one.asked.file) for one in (first, best)]
    for one in aims.looked:
        if isinstance(one, Wish) and one.vswr is not None:
            rows.append(_as_told(one.text, told, "%"))
            low, high = (one.frequencies[end] / 1e6 for end in (0, -1))
            if told[1][one.text] > _FULL * 200.0 * (high - low) / (high + low):
                _notes.warning("'%s' reaches all that was looked at, %g to %g MHz: ask for a band that is wider",
                             one.text, low, high)  # fmt: skip
            continue
        for f in aims.at(one):
            met = one.met(best.figures[f]) if isinstance(one, Goal) else None
            rows.append({"aim": one.text, "frequency_Hz": f, "before": first.figures[f][one.figure],
                         "after": best.figures[f][one.figure], "met": met, "unit": ""})  # fmt: skip
    for wanted in (aims.wishes[number] for number in aims.units_of):
        rows.append(_as_told(wanted.text, told, unit_measured(trials.file, wanted.figure)))
    before = trials.file
    file = changed(before, {name: str(text) for name, text in best.texts.items()})
    return Optimised(
        file, aims.met(best.figures), values_between(before, first, best), pd.DataFrame(rows), log.table(),
        trials.solves, seconds, before, tuple(trials.names),
    )  # fmt: skip


def _as_told(text: str, told: Sequence[Mapping[str, float]], unit: str) -> dict[str, Any]:
    """A row of what is no figure at a frequency."""
    before, after = (one[text] for one in told)
    return {"aim": text, "frequency_Hz": np.nan, "before": before, "after": after, "met": None, "unit": unit}


@dataclass(frozen=True, slots=True)
class Front:
    """What two wishes can be had together: points in order, a row each with its values and what the wishes come to.

    units: of the two wishes. files: the design at each point. tries: all that was tried. solves, seconds: what it took.
    """

    title: str
    wishes: tuple[str, str]
    units: tuple[str, str]
    points: pd.DataFrame
    files: tuple[DesignFile, ...]
    tries: pd.DataFrame
    solves: int
    seconds: float


def front(
    file: AnyDesign,
    names: Sequence[str],
    wishes: Sequence[str | Wish],
    goals: Sequence[str | Goal] = (),
    *,
    case: str | None = None,
    count: int = _FRONT,
    most: int = 150,
    store: str | Path | None = None,
) -> Front:
    """The front between two wishes: the most of one for as much of the other, from end to end (Haimes et al. 1971).

    Both ends are searched for first; between them the second wish is held at even steps while the first is granted.
    Arguments as for `optimise`. Points that another beats are left out. Raises UsageError unless there are two wishes.
    """
    file = as_file(file)
    began = time.perf_counter()
    if len(wishes) != 2:
        raise UsageError(f"front: {len(wishes)} wishes; it lies between two, such as 'most gain' and 'least boom'")
    units.count(count, "front, points", 2, 100)
    units.count(most, "front, most tries", 2 * count, 100_000)
    trials, aims, first = begun(file, names, wishes, goals, case, most, store)
    log = _Log(aims)
    log.keep(first)

    def searched(own: Aims, start: Try, share: int) -> Try:
        return climb(trials, own, start.values, min(max(share, 2), most - trials.count), log.keep, start)

    def only(chosen: int) -> Aims:
        own = tuple(replace(w, weight=1.0 if n == chosen else _ENDS) for n, w in enumerate(aims.wishes))
        return replace(aims, wishes=own)

    # Both ends matter to every point between them, which begin close by.
    ends = [searched(only(n), first, most // 3) for n in (0, 1)]
    levels = [float(aims.scores(aims.seen(one.figures), one.values)[1]) for one in ends]
    found, last = [ends[0]], ends[0]
    for level in np.linspace(levels[0], levels[1], count)[1:-1].tolist():
        if trials.count >= most:
            break
        last = searched(replace(only(0), floors={1: level}), last, (most - trials.count) // (count - len(found)))
        found.append(last)
    found.append(ends[1])
    met = [one for one in found if aims.met(one.figures)]
    kept = _undominated(aims, met)
    rows = [{**one.texts, **aims.told(one.figures, one.asked.file)} for one in kept]
    files = tuple(changed(trials.file, {n: str(t) for n, t in one.texts.items()}) for one in kept)
    return Front(
        file.title, (aims.wishes[0].text, aims.wishes[1].text), (_unit(aims, first, 0), _unit(aims, first, 1)),
        pd.DataFrame(rows), files, log.table(), trials.solves, time.perf_counter() - began,
    )  # fmt: skip


def _unit(aims: Aims, first: Try, number: int) -> str:
    """Of what a wish comes to."""
    one = aims.wishes[number]
    if number in aims.units_of:
        return unit_measured(first.asked.file, one.figure)
    if one.vswr is not None:
        return "%"
    table = replace(first.asked, hertz=aims.at(one)[0]).table(first.solution)
    return str(table.at[one.figure, "unit"])


def _undominated(aims: Aims, tries: Sequence[Try]) -> list[Try]:
    """Those that no other beats in both wishes, by the first."""
    scores = [aims.scores(aims.seen(one.figures), one.values) for one in tries]
    kept = [
        (s[0], n) for n, s in enumerate(scores)
        if not any((o >= s).all() and ((o > s).any() or m < n) for m, o in enumerate(scores) if m != n)
    ]  # fmt: skip
    return [tries[n] for _, n in sorted(kept)]
