"""Tries of a model at values: solved once each, with figures where goals are, and what follows from every value."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import pandas as pd

from .. import units
from ..answers.solution import Solution
from ..answers.solve import solve
from ..arraytypes import Floats
from ..files.design_file import DesignFile
from ..running import report
from .asking import Asked, Needs
from .crew import time_left
from .nearby import alike
from .sensitivity import slopes_at
from .store import Store

_DIGITS, _ALL = 7, 15
_SHOWN = 4


@dataclass(frozen=True, slots=True)
class Try:
    """Values as they are written and in SI, the file with them, the model solved, and its figures by frequency."""

    texts: dict[str, str | float]
    values: Floats
    asked: Asked
    solution: Solution
    figures: dict[float, dict[str, float]]


@dataclass
class Trials:
    """A design file whose values are tried. places: frequencies, Hz. needs: what is told. most: tries there may be.

    solves, count: how many solves and tries there were.
    """

    names: list[str]
    asked: Asked
    places: list[float]
    needs: Needs
    store: Store | None = None
    most: int | None = None
    solves: int = 0
    count: int = 0
    _begun: float = field(default_factory=time.perf_counter)
    _last: list[Solution] = field(default_factory=list)

    @property
    def file(self) -> DesignFile:
        """As it was."""
        return self.asked.file

    def at(self, values: Floats) -> Try:
        """The model at values, as they will be written; what only drives or closes it otherwise is not solved again."""
        low, high = ranges(self.file, self.names)
        kept = np.clip(values, low, high).tolist()
        texts = {name: written(self.file, name, v) for name, v in zip(self.names, kept, strict=True)}
        self._tell(_told(texts))
        self.count += 1
        asked = self.asked.moved_to(self.file.with_(**texts))
        solution = self._solved(asked.file)
        figures = self._seen(asked, solution)
        known = asked.file.design.values.quantities
        return Try(texts, np.array([known[n].si for n in self.names]), asked, solution, figures)

    def figures(self, texts: dict[str, str | float]) -> dict[float, dict[str, float]]:
        """Figures by frequency with values as they are written."""
        self._tell(_told(texts))
        self.count += 1
        asked = self.asked.moved_to(self.file.with_(**texts))
        return self._seen(asked, self._solved(asked.file))

    def _seen(self, asked: Asked, solution: Solution) -> dict[float, dict[str, float]]:
        there = {f: replace(asked, hertz=f) for f in self.places}
        return {f: one.least(solution) if self.needs == "ports" else one.figures(solution) for f, one in there.items()}

    def _tell(self, words: str) -> None:
        """Which try begins, of how many at most and how long those may take, and with what."""
        told = f"try {self.count + 1}"
        if self.most is not None:
            told += f" of at most {self.most}"
            if self.count:
                pace = (time.perf_counter() - self._begun) / self.count
                told += f", {time_left(pace * (self.most - self.count))} left at most"
        report(f"{told}: {words}")

    def _solved(self, file: DesignFile) -> Solution:
        for last in self._last:
            same = alike(last, file.antenna)
            if same is not None:
                return same
        self.solves += 1
        found = (
            solve(file.design, self.places, errors=False)
            if self.store is None
            else self.store.solution(file.design, self.places)
        )
        self._last = [found]
        return found

    def rates(self, now: Try) -> dict[float, pd.DataFrame]:
        """By frequency, how figures change with every value."""
        return slopes_at(self.places, now.asked, now.solution, self.names, self.needs)


def _told(texts: dict[str, str | float]) -> str:
    """The first of the values, in words."""
    return ", ".join(f"{name} = {text}" for name, text in list(texts.items())[:_SHOWN])


def values_between(file: DesignFile, first: Try, best: Try) -> pd.DataFrame:
    """Values of two tries as they are written, how far they are apart, SI, and of what kind they are."""
    names, given = list(best.texts), dict(file.design.given)
    return pd.DataFrame(
        {"before": [str(given[n].text) for n in names], "after": [str(best.texts[n]) for n in names],
         "change": best.values - first.values,
         "kind": [file.design.values.quantities[n].kind for n in names]},
        index=pd.Index(names, name="value"),
    )  # fmt: skip


def ranges(file: DesignFile, names: Sequence[str]) -> tuple[Floats, Floats]:
    """Least and greatest of values, SI; endless where the file does not say."""
    given, known = dict(file.design.given), file.design.values.quantities
    ends = []
    for name in names:
        pair = []
        for text, endless in ((given[name].from_, -np.inf), (given[name].to, np.inf)):
            pair.append(endless if text is None else file.design.measured(text, known[name].kind))
        ends.append(pair)
    low, high = np.array(ends, float).reshape(-1, 2).T
    return low, high


def sizes(values: Floats, low: Floats, high: Floats) -> Floats:
    """What steps of values are measured by: what they are, or of those that are nought their ranges."""
    return np.where(values == 0.0, np.where(np.isfinite(high - low), high - low, 0.0) + 1e-3, np.abs(values))


def written(file: DesignFile, name: str, value: float) -> str | float:
    """A value as it is written: in the unit its text has, or mm, degrees, ... to seven digits."""
    kind = file.design.values.quantities[name].kind
    (low,), (high,) = ranges(file, [name])
    # What would be rounded out of its range is written whole.
    digits = _DIGITS if low <= float(f"{value:.{_DIGITS}g}") <= high else _ALL
    if kind == "number":
        return float(f"{value:.{digits}g}")
    text = str(dict(file.design.given)[name].is_)
    own = text.rpartition(" ")[2]
    usual = {"length": "mm", "angle": "deg"}.get(kind, units.KINDS[kind])
    bare = text.count(" ") == 1 and own != "lambda"
    unit = own if bare else usual
    return f"{value / units.read(f'1 {unit}', kind, what=name):.{digits}g} {unit}"
