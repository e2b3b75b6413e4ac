"""What the workshop's spreads make of figures: percentiles, yield against limits, and which value is to blame.

Draws go through a model of first order in every value: of resistance and reactance, from which the match follows, and
of every other figure. Some draws are solved as well, and where model and solves differ it is said.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import pandas as pd

from .. import units
from ..answers.solve import solve
from ..arraytypes import Bools, Floats
from ..errors import EarshotError, UsageError, needs
from ..files.design_text import AnyDesign, as_file
from ..running import report
from .asking import Asked, asked_of, names_of
from .goals import Goal, goal, known_in
from .sensitivity import RESONANCE, derivatives

_SPREAD = re.compile(r"(?P<sign>±|\+-|\+/-)?\s*(?P<amount>.+?)(?P<rms>\s+rms)?(?P<batch>\s+together)?")
_FIGURES = ("R", "X", "VSWR", "return loss", "gain", "realized gain", "front-to-back ratio", "axial ratio at the peak")
_SHARES = (5.0, 50.0, 95.0)
_MATCHED = ("VSWR", "return loss", "realized gain", "mismatch loss")
_ROUNDS = 40
_LARGEST = 64.0
_STILL = 1e-9


@dataclass(frozen=True, slots=True)
class Spread:
    """How far a value strays: `amount` (SI) either way evenly, or its rms; together: as all others of the batch do."""

    name: str
    amount: float
    normal: bool = False
    together: bool = False


@dataclass(frozen=True, slots=True)
class Toleranced:
    """What spreads make of a design.

    percentiles: per figure what it is without them, its 5, 50 and 95 % and rms. yields: per limit the share of draws
    that keep to it, and "all" of them. shares: of every figure's variance, by value. allowed: per value how far it
    alone may stray, SI, and for "all at once" how many times as much, for 95 % to keep to all limits. disagreement:
    the greatest difference between model and solved draws, over the rms of the figure.
    """

    title: str
    percentiles: pd.DataFrame
    yields: pd.Series[float]
    shares: pd.DataFrame
    allowed: pd.Series[float]
    disagreement: pd.Series[float]
    spreads: tuple[Spread, ...]
    kinds: dict[str, str]


@dataclass(frozen=True, slots=True)
class _Model:
    """Figures at one frequency to first order: now, and slopes (values,) of each."""

    now: dict[str, float]
    slopes: dict[str, Floats]
    reference: complex

    def figures(self, offsets: Floats) -> dict[str, Floats]:
        """Of draws (n, values), SI offsets."""
        found = {name: value + offsets @ self.slopes[name] for name, value in self.now.items()}
        if "R" not in found:
            return found
        z = np.maximum(found["R"], 1e-9) + 1j * found["X"]
        back = np.minimum(np.abs((z - np.conj(self.reference)) / (z + self.reference)), 1.0 - 1e-12)
        found["VSWR"] = (1.0 + back) / (1.0 - back)
        found["return loss"] = -20.0 * np.log10(np.maximum(back, 1e-12))
        found["mismatch loss"] = -10.0 * np.log10(1.0 - back**2)
        if "gain" in found:
            found["realized gain"] = found["gain"] - found["mismatch loss"]
        return found


def spread_of(file: AnyDesign, text: str) -> Spread:
    """A spread from its words: "driven = ±0.5 mm", "rod = 1 % rms", "... together" for what strays as one batch.

    Raises UsageError for words that are none and values there are not, UnitError for amounts of another kind.
    """
    file = as_file(file)
    needs(text, str, "spread", "words such as 'driven = ±0.5 mm'")
    name, sign, told = (piece.strip() for piece in text.partition("="))
    match = _SPREAD.fullmatch(told)
    if not sign or match is None:
        raise UsageError(f"spread '{text}': write it like 'driven = ±0.5 mm' or 'rod = 0.05 mm rms'")
    (known,) = names_of(file, [name])
    now = file.design.values.quantities[known]
    share = match["amount"].rstrip().removesuffix("%") if match["amount"].rstrip().endswith("%") else None
    if share is not None:
        amount = 0.01 * units.read(share, "number", what=f"spread of '{name}'") * abs(now.si)
    else:
        amount = file.design.measured(match["amount"], now.kind)
    if not amount > 0.0:
        raise UsageError(f"spread '{text}': {match['amount']} is not above zero")
    return Spread(known, amount, match["rms"] is not None, match["batch"] is not None)


def tolerate(
    file: AnyDesign,
    spreads: Sequence[str | Spread],
    limits: Sequence[str | Goal] = (),
    *,
    case: str | None = None,
    count: int = 20_000,
    seed: int = 0,
    checked: int = 6,
) -> Toleranced:
    """Figures of a design whose values stray, and how often they keep to limits.

    spreads: words as for `spread_of`. limits: words as for `goal`, such as "VSWR <= 1.5 from 149 MHz to 151 MHz".
    count: draws. checked: so many of them are solved as well. Raises UsageError for spreads, values and figures there
    are not.
    """
    file = as_file(file)
    own = tuple(s if isinstance(s, Spread) else spread_of(file, s) for s in spreads)
    wanted = [g if isinstance(g, Goal) else goal(g) for g in limits]
    if not own:
        raise UsageError("tolerate: say what strays, such as 'driven = ±0.5 mm'")
    units.count(count, "tolerate, draws", 100, 10_000_000)
    units.count(checked, "tolerate, checked", 0, 1000)
    asked, names = asked_of(file, None, case), [s.name for s in own]
    places = sorted({asked.hertz, *(f for g in wanted for f in g.frequencies)})
    models = _models(asked, names, places)
    for one in wanted:
        known_in(one, models[(one.frequencies or (asked.hertz,))[0]].now)
    offsets = _draws(own, count, np.random.default_rng(seed))
    here = models[asked.hertz]
    figures = here.figures(offsets)
    shown = [name for name in _FIGURES if name in figures and np.isfinite(figures[name]).all()]
    # What does not move, such as the axial ratio of what is linear, is nothing to tell.
    shown = [name for name in shown if np.std(figures[name]) > _STILL]
    rows = {n: [here.now[n], *np.percentile(figures[n], _SHARES), float(np.std(figures[n]))] for n in shown}
    percentiles = pd.DataFrame(rows, index=["without", *(f"{share:g} %" for share in _SHARES), "rms"]).T

    def kept(scaled: Floats) -> Bools:
        """Which draws keep to which limits, (limits, draws)."""
        seen = {f: model.figures(scaled) for f, model in models.items()}
        return np.array(
            [np.all([_within(g, seen[f]) for f in g.frequencies or (asked.hertz,)], axis=0) for g in wanted]
        )

    yields, allowed = pd.Series(dtype=float), pd.Series(dtype=float)
    if wanted:
        held = kept(offsets)
        yields = pd.Series({g.text: float(row.mean()) for g, row in zip(wanted, held, strict=True)} |
                           {"all": float(held.all(axis=0).mean())})  # fmt: skip
        allowed = _allowed(own, offsets, lambda scaled: float(kept(scaled).all(axis=0).mean()))
    return Toleranced(
        file.title, percentiles, yields, _shares(here, own, offsets, shown), allowed,
        _disagreement(asked, own, here, offsets[:checked], percentiles), own,
        {name: file.design.values.quantities[name].kind for name in names},
    )  # fmt: skip


def _models(asked: Asked, names: Sequence[str], places: Sequence[float]) -> dict[float, _Model]:
    solution = solve(asked.file.design, list(places), errors=False)
    found = {}
    for hertz in places:
        one = replace(asked, hertz=hertz)
        table = (
            derivatives(one, solution, names, "beam")
            .drop(columns=["kind", "now", RESONANCE], errors="ignore")
            .astype(float)
        )
        now = {name: v for name, v in one.figures(solution).items() if name in table and np.isfinite(v)}
        slopes = {name: table[name].to_numpy() for name in now}
        kept = {name: v for name, v in now.items() if np.isfinite(slopes[name]).all() or name in _MATCHED}
        found[hertz] = _Model(
            kept, {name: np.nan_to_num(slopes[name]) for name in kept}, complex(solution.antenna.ports[0].reference)
        )
    return found


def _draws(spreads: Sequence[Spread], count: int, random: np.random.Generator) -> Floats:
    """Offsets (count, values); those that stray together by one number a draw."""
    even, normal = random.uniform(-1.0, 1.0, (count, len(spreads))), random.standard_normal((count, len(spreads)))
    batch = random.uniform(-1.0, 1.0, count), random.standard_normal(count)
    columns = [
        s.amount * (batch[s.normal] if s.together else normal[:, i] if s.normal else even[:, i])
        for i, s in enumerate(spreads)
    ]
    return np.stack(columns, axis=1)


def _within(limit: Goal, figures: Mapping[str, Floats]) -> Bools:
    value = figures[limit.figure]
    if limit.sign == "=":
        raise UsageError(f"limit '{limit.text}': nothing that strays stays equal; write <= or >=")
    return value <= limit.value if limit.sign == "<=" else value >= limit.value


def _shares(model: _Model, spreads: Sequence[Spread], offsets: Floats, shown: Sequence[str]) -> pd.DataFrame:
    """Of every figure's variance, what each value alone makes, over what all of them make alone together."""
    rows = {}
    for i, one in enumerate(spreads):
        alone = np.zeros_like(offsets)
        alone[:, i] = offsets[:, i]
        found = model.figures(alone)
        rows[one.name] = {name: float(np.var(found[name])) for name in shown}
    table = pd.DataFrame(rows).T
    return table / table.sum().where(table.sum() > 0.0)


def _allowed(
    spreads: Sequence[Spread], offsets: Floats, kept: Callable[[Floats], float], share: float = 0.95
) -> pd.Series[float]:
    """How far values may stray, each alone and all at once, for a share of draws to keep to all limits."""

    def largest(scaled: Callable[[float], Floats]) -> float:
        low, high = 0.0, 1.0
        if kept(scaled(0.0)) < share:
            return 0.0
        while kept(scaled(high)) >= share:
            if high >= _LARGEST:
                return np.inf
            low, high = high, 2.0 * high
        for _ in range(_ROUNDS):
            middle = 0.5 * (low + high)
            low, high = (middle, high) if kept(scaled(middle)) >= share else (low, middle)
        return low

    found = {}
    for i, one in enumerate(spreads):
        mask = np.arange(len(spreads)) == i
        found[one.name] = one.amount * largest(lambda factor, mask=mask: factor * offsets * mask)  # type: ignore[misc]
    found["all at once"] = largest(lambda factor: factor * offsets)
    return pd.Series(found)


def _disagreement(
    asked: Asked, spreads: Sequence[Spread], model: _Model, offsets: Floats, percentiles: pd.DataFrame
) -> pd.Series[float]:
    """How far solved draws are from the model, over the rms of every figure; those that cannot be solved are left."""
    worst = dict.fromkeys(percentiles.index, 0.0)
    before = asked.file.design.values.quantities
    for number, draw in enumerate(offsets, 1):
        report(f"draw {number} of {len(offsets)}, solved")
        changes = {s.name: before[s.name].si + float(x) for s, x in zip(spreads, draw, strict=True)}
        try:
            moved = asked.moved(changes)
            solved = moved.figures(solve(moved.file.antenna, [asked.hertz], errors=False))
        except EarshotError:
            continue
        modelled = model.figures(draw[None])
        for name in worst:
            rms = max(float(percentiles["rms"][name]), 1e-12)
            worst[name] = max(worst[name], abs(float(solved[name]) - float(modelled[name][0])) / rms)
    return pd.Series(worst)
