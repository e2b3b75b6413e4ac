"""Goals in words, such as "X = 0 at 868 MHz", "return loss >= 20 dB from 144 MHz to 146 MHz", "gain >= 7"."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from .. import units
from ..arraytypes import Floats
from ..errors import UsageError, unknown

_GOAL = re.compile(
    r"\s*(?P<figure>[A-Za-z][\w /,-]*?)\s*(?P<sign><=|>=|=|<|>)\s*(?P<value>[-+]?[\d.]+(?:e[-+]?\d+)?)\s*"
    r"(?P<unit>ohm|dBi|dB|deg)?"
    r"(?:\s+(?:at\s+(?P<at>\S.*?)|from\s+(?P<low>\S.*?)\s+to\s+(?P<high>\S.*?)))?\s*"
)
_RESONANCE = re.compile(r"\s*resonance\s*=\s*(?P<at>\S.*?)\s*")
_ALSO = {"F/B": "front-to-back ratio", "front-to-back": "front-to-back ratio", "axial ratio": "axial ratio at the peak",
         "side lobes": "side lobe level", "efficiency": "radiation efficiency"}  # fmt: skip
_ACROSS = 5
"""Frequencies of a band at which a goal is looked at."""
_SCALES = {"R": 50.0, "X": 50.0, "VSWR": 1.0, "return loss": 10.0}
_CLOSE = 4e-4
"""How near, over its scale, a figure is to the number it should be: 0.02 ohm, 0.004 dB."""
_DB = 10.0
_SPARE = 0.005
"""How far within a limit is aimed, over the scale of its figure."""


@dataclass(frozen=True, slots=True)
class Goal:
    """A figure, how it should compare (=, <= or >=) with a number, and where, Hz; nowhere: where the model is asked."""

    text: str
    figure: str
    sign: str
    value: float
    frequencies: tuple[float, ...] = ()

    def short(self, figures: Mapping[str, float], reference: complex) -> Floats:
        """What is lacking of it, over the scale of its figure: zeros where it is met, with a little to spare.

        Of a match, the reflection coefficient beyond the limit, by its two parts: it goes to nought straight on.
        """
        if self.figure in ("VSWR", "return loss") and self.sign != "=" and "R" in figures:
            z = complex(figures["R"], figures["X"])
            back = (z - np.conj(reference)) / (z + reference)
            most = (self.value - 1.0) / (self.value + 1.0) if self.figure == "VSWR" else 10.0 ** (-self.value / 20.0)
            beyond = max(1.0 - (1.0 - _SPARE) * most / abs(back), 0.0) if abs(back) > 0.0 else 0.0
            return np.array([back.real, back.imag]) * beyond
        lacking = (figures[self.figure] - self.value) / _SCALES.get(self.figure, _DB)
        if self.sign == "<=":
            lacking = max(lacking + _SPARE, 0.0)
        if self.sign == ">=":
            lacking = min(lacking - _SPARE, 0.0)
        return np.array([lacking])

    def met(self, figures: Mapping[str, float]) -> bool:
        """Whether it is."""
        value = figures[self.figure]
        if self.sign == "=":
            return abs(value - self.value) <= _CLOSE * _SCALES.get(self.figure, _DB)
        return value <= self.value if self.sign == "<=" else value >= self.value


def goal(text: str) -> Goal:
    """A goal from its words: a figure of `compare`, a sign, a number, and "at F" or "from F to F".

    Also "resonance = F". Raises UsageError for words that are none, UnitError for frequencies.

    >>> goal("X = 0 at 868 MHz")
    Goal(text='X = 0 at 868 MHz', figure='X', sign='=', value=0.0, frequencies=(868000000.0,))
    """
    whole = _RESONANCE.fullmatch(text)
    if whole is not None:
        return Goal(text, "X", "=", 0.0, (units.frequency(whole["at"], f"goal '{text}'"),))
    match = _GOAL.fullmatch(text)
    if match is None:
        raise UsageError(
            f"goal '{text}': write it like 'X = 0 at 868 MHz', 'return loss >= 20 from 144 MHz to 146 MHz', "
            "'gain >= 7' or 'resonance = 150.1 MHz'"
        )
    places: tuple[float, ...] = ()
    if match["at"]:
        places = (units.frequency(match["at"], f"goal '{text}'"),)
    if match["low"]:
        low, high = (units.frequency(match[key], f"goal '{text}'") for key in ("low", "high"))
        if not low < high:
            raise UsageError(f"goal '{text}': the band is empty; give the lower frequency first")
        places = tuple(np.linspace(low, high, _ACROSS).tolist())
    value = float(match["value"])
    figure = _ALSO.get(match["figure"], match["figure"])
    if figure == "VSWR" and value < 1.0:
        raise UsageError(f"goal '{text}': a VSWR is never below 1")
    return Goal(text, figure, {"<": "<=", ">": ">="}.get(match["sign"], match["sign"]), value, places)


def known_in(goal: Goal, figures: Mapping[str, float]) -> None:
    """Raise UsageError for a goal of a figure that a model has not."""
    if goal.figure not in figures or np.isnan(figures[goal.figure]):
        there = [name for name, value in figures.items() if value == value]
        raise UsageError(f"goal '{goal.text}': {unknown('figure', goal.figure, there)}")
