"""What a search is for: goals as limits, wishes as well as can be, and how far a try is from both."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import pandas as pd

from .. import units
from ..arraytypes import Floats
from ..constants import wavelength
from ..errors import UnitError, UsageError, unknown
from ..files.design_file import DesignFile
from .asking import Asked
from .goals import Goal, Wish, goal, known_in, reflection, wish
from .towards import is_towards
from .trials import Try

BEYOND = 10.0
"""What a goal that is missed by its scale costs, against a wish that is granted by its own."""
_SPARE = 0.002
"""How far within limits is aimed, over the scale of figures."""
_LEAST_MATCH = 1e-3
_REAL, _IMAGINARY = "reflection, real", "reflection, imaginary"
Place = tuple[float, str]
"""A figure at a frequency, Hz."""
Near = dict[int, tuple[Floats, float, Floats]]
"""By wish: values, its score there, and how that changes with them."""


@dataclass(frozen=True, slots=True)
class Aims:
    """Goals and wishes of a model. floors: least scores of wishes, by number, that count as goals.

    units_of: what each wish of values is measured by, SI, by number.
    """

    asked: Asked
    goals: tuple[Goal, ...]
    wishes: tuple[Wish, ...]
    reference: complex
    units_of: Mapping[int, float]
    floors: Mapping[int, float]
    names: tuple[str, ...] = ()

    def at(self, one: Goal | Wish) -> tuple[float, ...]:
        """Where it is looked at, Hz."""
        return one.frequencies or (self.asked.hertz,)

    @property
    def frequencies(self) -> list[float]:
        """Every one there is, Hz."""
        return sorted({f for one in self.looked for f in self.at(one)}) or [self.asked.hertz]

    @property
    def looked(self) -> list[Goal | Wish]:
        """Goals, and wishes of figures."""
        return [*self.goals, *(one for number, one in enumerate(self.wishes) if number not in self.units_of)]

    @property
    def figures(self) -> list[str]:
        """Names of all that is looked at."""
        return list(dict.fromkeys(one.figure for one in self.looked))

    @property
    def places(self) -> list[Place]:
        """Figures that goals and wishes go by, of a match the two parts of its reflection."""
        found: list[Place] = []
        for one in self.looked:
            matches = one.matches if isinstance(one, Goal) else one.vswr is not None
            names = [_REAL, _IMAGINARY] if matches else [one.figure]
            found += [(f, name) for f in self.at(one) for name in names]
        return list(dict.fromkeys(found))

    def seen(self, figures: Mapping[float, Mapping[str, float]]) -> Floats:
        """Those figures (places,)."""
        found = []
        for hertz, name in self.places:
            if name in (_REAL, _IMAGINARY):
                back = reflection(figures[hertz], self.reference)
                found.append(back.real if name == _REAL else back.imag)
            else:
                found.append(figures[hertz][name])
        return np.array(found)

    def beyond(self, seen: Floats) -> tuple[Floats, Floats]:
        """How far goals are missed, over their scales, nought and below where they are met, (goals and places,); and
        how that changes with what is seen (goals and places, places)."""
        where = {place: i for i, place in enumerate(self.places)}
        rows, slopes = [], []
        for one in self.goals:
            for hertz in self.at(one):
                slope = np.zeros(len(seen))
                if one.matches:
                    i, j, most = where[hertz, _REAL], where[hertz, _IMAGINARY], max(one.reflected, _LEAST_MATCH)
                    slope[[i, j]] = 2.0 * seen[[i, j]] / most
                    rows.append((seen[i] ** 2 + seen[j] ** 2) / most - most * (1.0 - _SPARE) ** 2)
                    slopes.append(slope)
                    continue
                i, scale = where[hertz, one.figure], one.scale
                for sign in {"=": (1.0, -1.0), "<=": (1.0,), ">=": (-1.0,)}[one.sign]:
                    slope = np.zeros(len(seen))
                    slope[i] = sign / scale
                    rows.append(sign * (seen[i] - one.value) / scale + (_SPARE if one.sign != "=" else 0.0))
                    slopes.append(slope)
        return np.array(rows), np.array(slopes).reshape(len(rows), len(seen))

    def wanted(self, seen: Floats, values: Floats, near: Near | None = None) -> tuple[list[Floats], list[Floats]]:
        """Per wish what it comes to wherever it is looked at, greater being better, and how that changes with what is
        seen (places,); of values, how it changes with them.

        near: what wishes of values come to, as straight lines.
        """
        lines = near or self.near(values)
        where = {place: i for i, place in enumerate(self.places)}
        scores, slopes = [], []
        for number, one in enumerate(self.wishes):
            if number in self.units_of:
                place, level, slope = lines[number]
                scores.append(np.array([level + slope @ (values - place)]))
                slopes.append(slope[None])
                continue
            if one.vswr is not None:
                parts = np.array([[where[hertz, part] for hertz in one.frequencies] for part in (_REAL, _IMAGINARY)])
                width, slope = one.width(seen[parts[0]] + 1j * seen[parts[1]])
                scores.append(np.array([width / one.scale]))
                slopes.append(np.zeros((1, len(seen))))
                slopes[-1][0, parts] = slope / one.scale
                continue
            rows = [where[hertz, one.figure] for hertz in self.at(one)]
            scores.append(one.sense * seen[rows] / one.scale)
            slopes.append(one.sense / one.scale * np.eye(len(seen))[rows])
        return scores, slopes

    def near(self, values: Floats, slopes: bool = False) -> Near:
        """Wishes of values about values: there, the score, and how it changes."""
        found = {}
        for number, unit in self.units_of.items():
            one = self.wishes[number]

            def score(at: Floats, one: Wish = one, unit: float = unit) -> float:
                moved = self.asked.moved(dict(zip(self.names, at.tolist(), strict=True)))
                return one.sense / unit * measured(moved.file, one.figure)

            level, steps = score(values), 1e-6 * np.where(values == 0.0, 1.0, np.abs(values))
            aside = [score(values + step) for step in np.diag(steps)] if slopes else [level] * len(values)
            found[number] = values, level, (np.array(aside) - level) / steps
        return found

    def scores(self, seen: Floats, values: Floats, near: Near | None = None) -> Floats:
        """The worst of every wish."""
        return np.array([one.min() for one in self.wanted(seen, values, near)[0]])

    def cost(self, seen: Floats, values: Floats, near: Near | None = None) -> float:
        """What a search makes as small as can be."""
        scores = self.scores(seen, values, near)
        missed = np.maximum(self.beyond(seen)[0], 0.0).sum() + sum(
            max(level - scores[number], 0.0) for number, level in self.floors.items()
        )
        return float(BEYOND * missed - self.weights @ scores)

    @property
    def weights(self) -> Floats:
        """Of the wishes."""
        return np.array([one.weight for one in self.wishes])

    def cost_of(self, one: Try) -> float:
        """Of a try; endless where a figure is not there."""
        seen = self.seen(one.figures)
        return self.cost(seen, one.values) if np.isfinite(seen).all() else np.inf

    def met(self, figures: Mapping[float, Mapping[str, float]]) -> bool:
        """Whether all goals are."""
        return all(g.met(figures[f]) for g in self.goals for f in self.at(g))

    def told(self, figures: Mapping[float, Mapping[str, float]], file: DesignFile) -> dict[str, float]:
        """Per goal and wish its figure, the worst of a band; of bandwidths, per cent."""
        found = {}
        for one in self.goals:
            seen = [figures[f][one.figure] for f in self.at(one)]
            found[one.text] = one.worst(seen)
        for number, wanted in enumerate(self.wishes):
            if number in self.units_of:
                found[wanted.text] = measured(file, wanted.figure)
            elif wanted.vswr is not None:
                back = [reflection(figures[f], self.reference) for f in wanted.frequencies]
                found[wanted.text] = 100.0 * max(wanted.width(np.array(back))[0], 0.0)
            else:
                seen = [figures[f][wanted.figure] for f in self.at(wanted)]
                found[wanted.text] = min(seen) if wanted.sense > 0 else max(seen)
        return found


def measured(file: DesignFile, text: str) -> float:
    """What a wish of values comes to, SI."""
    return _quantity(file, text).si


def unit_measured(file: DesignFile, text: str) -> str:
    """The SI unit of that."""
    return units.KINDS[_quantity(file, text).kind]


def _quantity(file: DesignFile, text: str) -> units.Quantity:
    long = None if file.design.frequency is None else wavelength(file.design.frequency)
    return units.evaluate(text, file.design.values.quantities, wavelength=long, what="wish")


def aims_of(
    asked: Asked, names: Sequence[str], goals: Sequence[str | Goal], wishes: Sequence[str | Wish], reference: complex
) -> Aims:
    """Goals and wishes from words; raises UsageError for words that are none."""
    own = tuple(g if isinstance(g, Goal) else goal(g) for g in goals)
    wanted = tuple(w if isinstance(w, Wish) else wish(w) for w in wishes)
    values, of_values = set(asked.file.design.values.quantities), {}
    for number, one in enumerate(wanted):
        if set(units.words(one.figure)) & values:
            try:
                of_values[number] = abs(measured(asked.file, one.figure)) or 1.0
            except UnitError as problem:
                raise UsageError(f"wish '{one.text}': {problem}") from None
    looked = [g.figure for g in own] + [w.figure for n, w in enumerate(wanted) if n not in of_values]
    also = tuple(dict.fromkeys(f for f in looked if is_towards(f)))
    return Aims(replace(asked, also=also), own, wanted, reference, of_values, {}, tuple(names))


def refuse_unknown(aims: Aims, figures: Mapping[float, Mapping[str, float]]) -> None:
    """Raise UsageError for goals and wishes of figures a model has not."""
    for one in aims.looked:
        for there in (figures[f] for f in aims.at(one)):
            ports = [name.removeprefix("VSWR at ") for name in there if name.startswith("VSWR at ")]
            if ports and (one.vswr is not None if isinstance(one, Wish) else one.text.lstrip().startswith("bandwidth")):
                raise UsageError(f"'{one.text}': a bandwidth is that of a lone port; here are {', '.join(ports)}: "
                                 f"write it like 'VSWR at {ports[0]} <= 2 from 144 MHz to 146 MHz'")  # fmt: skip
            if isinstance(one, Goal):
                known_in(one, there)
            elif one.figure not in there or np.isnan(there[one.figure]):
                known = [name for name, value in there.items() if value == value]
                raise UsageError(f"wish '{one.text}': {unknown('figure', one.figure, known)}")


def slopes_seen(aims: Aims, rates: Mapping[float, pd.DataFrame], now: Try) -> Floats:
    """How what is seen changes with values (places, values), SI."""
    base, columns = aims.seen(now.figures), []
    for name, value in zip(aims.names, now.values.tolist(), strict=True):
        step = 1e-6 * (abs(value) or 1.0)
        rates_of = {f: table.loc[name].to_dict() for f, table in rates.items()}
        aside = {
            f: {k: v + step * rates_of[f].get(k, 0.0) for k, v in figures.items()} for f, figures in now.figures.items()
        }
        columns.append((aims.seen(aside) - base) / step)
    return np.stack(columns, axis=1)
