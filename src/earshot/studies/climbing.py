"""A search from where a design is: quadratic models of every figure, with slopes that are exact, in a region of trust.

Slopes come with every solve; curvature is learnt from how they change (SR1: Conn, Gould and Toint 1991). The step is
the best of the models within the region, goals being limits that cost when they are missed (Fletcher 1987, sec. 14.3).
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Floats
from ..errors import ModelError
from .aims import BEYOND, Aims, Near, slopes_seen
from .trials import Trials, Try, ranges, sizes

_log = logging.getLogger("earshot")
_FIRST, _LONGEST, _SHORTEST = 0.05, 0.4, 1e-4
"""Steps, as shares of what values are: the first at most, any at most, those too short to matter."""
_CALM = 5e-4
"""What a step has to promise."""
_GOOD, _POOR = 0.6, 0.2
_DOUBT = 1e-8


@dataclass
class _Model:
    """What is seen near a try: values, slopes (places, n) and curvatures (places, n, n), in shares of values."""

    seen: Floats
    slopes: Floats
    bends: Floats

    def at(self, step: Floats) -> tuple[Floats, Floats]:
        """What is seen a step aside, and its slopes."""
        bent = self.bends @ step
        return self.seen + self.slopes @ step + 0.5 * bent @ step, self.slopes + bent

    def learn(self, step: Floats, slopes: Floats) -> None:
        """Curvature from slopes a step aside."""
        for place, gap in enumerate(slopes - self.slopes - self.bends @ step):
            along = float(gap @ step)
            if abs(along) > _DOUBT * float(np.linalg.norm(gap) * np.linalg.norm(step)):
                self.bends[place] += np.outer(gap, gap) / along


def climb(
    trials: Trials, aims: Aims, start: Floats, most: int, keep: Callable[[Try], None], first: Try | None = None
) -> Try:
    """The best try that is found from a start, in at most so many; keep is told of each.

    first: the try at the start, where it has been made.
    """
    low, high = ranges(trials.file, trials.names)
    best = first
    if best is None:
        best = trials.at(start)
        keep(best)
        most -= 1
    size, reach = sizes(best.values, low, high), _FIRST
    count, places = len(best.values), len(aims.places)
    model = _Model(aims.seen(best.figures), np.zeros((places, count)), np.zeros((places, count, count)))
    known, straight, step = False, False, np.zeros(count)
    while most > 0:
        if not known:
            try:
                slopes = slopes_seen(aims, trials.rates(best), best) * size
            except ModelError as problem:
                _log.warning("the search ends where nothing beside it can be solved: %s", problem)
                break
            if model.slopes.any():
                model.learn(step, slopes)
            model.seen, model.slopes, known = aims.seen(best.figures), slopes, True
        least, greatest = (np.clip((edge - best.values) / size, -reach, reach) for edge in (low, high))
        near = aims.near(best.values, slopes=True)
        step = _step(aims, model, near, best.values, size, least, greatest)
        before, after = (aims.cost(model.at(d)[0], best.values + d * size, near) for d in (0.0 * step, step))
        promised = before - after
        if promised < _CALM or np.abs(step).max() < _SHORTEST or reach < _SHORTEST:
            if straight:
                break
            # Curvature that was learnt where a figure has a crease, such as between two lobes, may be what stops it.
            model.bends[:], straight, reach = 0.0, True, 0.5 * _FIRST
            continue
        most -= 1
        try:
            tried: Try | None = trials.at(best.values + step * size)
        except ModelError:
            tried = None
        gained = -np.inf
        if tried is not None:
            keep(tried)
            gained = aims.cost_of(best) - aims.cost_of(tried)
        if gained > 0.0 and tried is not None:
            # The slopes are old until they are asked for; curvature is learnt from both.
            step = (tried.values - best.values) / size
            best, known, straight = tried, False, straight and gained < _CALM
        if gained < _POOR * promised:
            reach = 0.4 * float(np.abs(step).max())
        elif gained > _GOOD * promised and np.abs(step).max() > 0.9 * reach:
            reach = min(2.0 * reach, _LONGEST)
    return best


def _step(aims: Aims, model: _Model, near: Near, values: Floats, size: Floats, low: Floats, high: Floats) -> Floats:
    """The best step of a model within bounds: for what wishes come to at worst, t, less what goals are missed by, s."""
    from scipy.optimize import minimize

    n, wishes = len(size), len(aims.wishes)
    missed = np.maximum(aims.beyond(model.seen)[0], 0.0)
    scores = aims.scores(model.seen, values, near)
    short = np.array([max(level - scores[k], 0.0) for k, level in aims.floors.items()])
    start = np.concatenate([np.zeros(n), scores, missed, short])
    prices = np.concatenate([np.zeros(n), -aims.weights, np.full(len(missed) + len(short), BEYOND)])

    def limits(z: Floats) -> Floats:
        seen, _ = model.at(z[:n])
        scores = aims.wanted(seen, values + z[:n] * size, near)[0]
        beyond = aims.beyond(seen)[0]
        t, s, rest = np.split(z[n:], [wishes, wishes + len(missed)])
        floors = [t[k] - level + spare for (k, level), spare in zip(aims.floors.items(), rest, strict=True)]
        return np.concatenate([*(score - t[k] for k, score in enumerate(scores)), s - beyond, floors])

    def slopes(z: Floats) -> Floats:
        seen, by_step = model.at(z[:n])
        rows = []
        for k, slope in enumerate(aims.wanted(seen, values + z[:n] * size, near)[1]):
            along = slope * size if k in aims.units_of else slope @ by_step
            own = np.zeros((len(along), len(z)))
            own[:, :n], own[:, n + k] = along, -1.0
            rows.append(own)
        own = np.zeros((len(missed), len(z)))
        own[:, :n] = -aims.beyond(seen)[1] @ by_step
        own[:, n + wishes : n + wishes + len(missed)] = np.eye(len(missed))
        rows.append(own)
        own = np.zeros((len(short), len(z)))
        own[range(len(short)), [n + k for k in aims.floors]] = 1.0
        own[:, n + wishes + len(missed) :] = np.eye(len(short))
        return np.concatenate([*rows, own])

    bounds = [*zip(low, high, strict=True), *([(None, None)] * wishes), *([(0.0, None)] * (len(missed) + len(short)))]
    found = minimize(
        lambda z: float(prices @ z), start, jac=lambda _: prices, method="SLSQP", bounds=bounds,
        constraints={"type": "ineq", "fun": limits, "jac": slopes}, options={"maxiter": 200, "ftol": 1e-7},
    )  # fmt: skip
    return np.asarray(np.clip(np.nan_to_num(found.x[:n]), low, high))
