"""Goals and wishes in words: "X = 0 at 868 MHz", "VSWR <= 2 from 144 MHz to 146 MHz", "most gain", "least boom"."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..errors import UsageError, needs, unknown
from .passband import stretch

_PLACE = r"(?:\s+(?:at\s+(?P<at>\S.*?)|from\s+(?P<low>\S.*?)\s+to\s+(?P<high>\S.*?)))?"
_GOAL = re.compile(
    r"\s*(?P<figure>[A-Za-z][\w /,.-]*?)\s*(?P<sign><=|>=|=|<|>)\s*(?P<value>[-+]?[\d.]+(?:e[-+]?\d+)?)\s*"
    rf"(?P<unit>ohm|dBi|dB|deg)?{_PLACE}\s*"
)
_WISH = re.compile(rf"\s*(?:(?P<weight>[\d.]+)\s*x\s+)?(?P<sense>most|least)\s+(?P<figure>\S.*?){_PLACE}\s*")
_RESONANCE = re.compile(r"\s*resonance\s*=\s*(?P<at>\S.*?)\s*")
_BANDWIDTH = re.compile(
    r"\s*bandwidth\s*>=?\s*(?P<value>[\d.]+)\s*(?P<unit>%|[kMG]?Hz)(?:\s+of\s+VSWR\s+(?P<vswr>[\d.]+))?\s+at\s+"
    r"(?P<at>\S.*?)\s*"
)
_WIDEST = re.compile(
    rf"\s*(?:(?P<weight>[\d.]+)\s*x\s+)?most\s+(?P<figure>bandwidth)(?:\s+of\s+VSWR\s+(?P<vswr>[\d.]+))?{_PLACE}\s*"
)
_ALSO = {
    "F/B": "front-to-back ratio", "front-to-back": "front-to-back ratio", "axial ratio": "axial ratio at the peak",
    "side lobes": "side lobe level", "efficiency": "radiation efficiency", "take-off": "elevation of peak",
}  # fmt: skip
_ACROSS = 5
"""Frequencies of a band at which a goal is looked at."""
_ABOUT, _IN_BAND, _WIDE = 0.1, 9, 0.1
"""Of a bandwidth: how far about a frequency it is looked for, at how many, and how much of it counts as one."""
_SCALES = {"R": 50.0, "X": 50.0, "VSWR": 1.0, "return loss": 10.0, "radiation efficiency": 0.2, "total efficiency": 0.2}
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
        if self.matches and "R" in figures:
            back, most = reflection(figures, reference), self.reflected
            beyond = max(1.0 - (1.0 - _SPARE) * most / abs(back), 0.0) if abs(back) > 0.0 else 0.0
            return np.array([back.real, back.imag]) * beyond
        lacking = (figures[self.figure] - self.value) / self.scale
        if self.sign == "<=":
            lacking = max(lacking + _SPARE, 0.0)
        if self.sign == ">=":
            lacking = min(lacking - _SPARE, 0.0)
        return np.array([lacking])

    def worst(self, seen: Sequence[float]) -> float:
        """The figure that is farthest from the goal."""
        if self.sign == "=":
            return max(seen, key=lambda value: abs(value - self.value))
        return max(seen) if self.sign == "<=" else min(seen)

    @property
    def scale(self) -> float:
        """What of the figure counts as one."""
        return _SCALES.get(self.figure, _DB)

    @property
    def matches(self) -> bool:
        """Whether it limits a match, which goes by the reflection coefficient."""
        return self.figure in ("VSWR", "return loss") and self.sign == ("<=" if self.figure == "VSWR" else ">=")

    @property
    def reflected(self) -> float:
        """The greatest reflection coefficient that a match may have."""
        return (self.value - 1.0) / (self.value + 1.0) if self.figure == "VSWR" else 10.0 ** (-self.value / 20.0)

    def met(self, figures: Mapping[str, float]) -> bool:
        """Whether it is."""
        value = figures[self.figure]
        if self.sign == "=":
            return abs(value - self.value) <= _CLOSE * self.scale
        return value <= self.value if self.sign == "<=" else value >= self.value


def reflection(figures: Mapping[str, float], reference: complex) -> complex:
    """The reflection coefficient of a port whose R and X are among figures (Kurokawa 1965, eq. 5)."""
    z = complex(figures["R"], figures["X"])
    return complex((z - np.conj(reference)) / (z + reference))


def goal(text: str) -> Goal:
    """A goal from its words: a figure of `compare`, a sign, a number, and "at F" or "from F to F".

    Also "resonance = F", and "bandwidth >= 4 % at F", or ">= 30 MHz of VSWR 1.5 at F": that VSWR, 2 unless given, all
    over a band about F. Raises UsageError for words that are none, UnitError for frequencies.

    >>> goal("X = 0 at 868 MHz")
    Goal(text='X = 0 at 868 MHz', figure='X', sign='=', value=0.0, frequencies=(868000000.0,))
    """
    needs(text, str, "goal", "words such as 'X = 0 at 868 MHz'")
    whole = _RESONANCE.fullmatch(text)
    if whole is not None:
        return Goal(text, "X", "=", 0.0, (units.frequency(whole["at"], f"goal '{text}'"),))
    wide = _BANDWIDTH.fullmatch(text)
    if wide is not None:
        return _over_a_band(text, wide)
    match = _GOAL.fullmatch(text)
    if match is None:
        raise UsageError(
            f"goal '{text}': write it like 'X = 0 at 868 MHz', 'return loss >= 20 from 144 MHz to 146 MHz', "
            "'gain >= 7', 'resonance = 150.1 MHz' or 'bandwidth >= 4 % at 5.8 GHz'"
        )
    places = _places(match, f"goal '{text}'")
    value = float(match["value"])
    figure = named(match["figure"])
    if figure == "VSWR" and value < 1.0:
        raise UsageError(f"goal '{text}': a VSWR is never below 1")
    return Goal(text, figure, {"<": "<=", ">": ">="}.get(match["sign"], match["sign"]), value, places)


def _over_a_band(text: str, match: re.Match[str]) -> Goal:
    """A bandwidth as a VSWR wherever it reaches."""
    middle, most = units.frequency(match["at"], f"goal '{text}'"), float(match["vswr"] or 2.0)
    value = match["value"]
    share = float(value) / 100.0 if match["unit"] == "%" else units.frequency(f"{value} {match['unit']}") / middle
    if not (0.0 < share < 2.0 and most > 1.0):
        raise UsageError(f"goal '{text}': a bandwidth lies between nothing and twice its middle, a VSWR above 1")
    band = middle * np.linspace(1.0 - 0.5 * share, 1.0 + 0.5 * share, _ACROSS)
    return Goal(text, "VSWR", "<=", most, tuple(band.tolist()))


def _places(match: re.Match[str], what: str, count: int = _ACROSS) -> tuple[float, ...]:
    """Where a goal or a wish is looked at, Hz."""
    if match["at"]:
        return (units.frequency(match["at"], what),)
    if not match["low"]:
        return ()
    low, high = (units.frequency(match[key], what) for key in ("low", "high"))
    if not low < high:
        raise UsageError(f"{what}: the band is empty; give the lower frequency first")
    return tuple(np.linspace(low, high, count).tolist())


def named(figure: str) -> str:
    """The name in tables of a figure that people call otherwise."""
    return _ALSO.get(figure, figure)


@dataclass(frozen=True, slots=True)
class Wish:
    """A figure to be as great (sense 1) or as small (-1) as can be: over a band, the worst of it.

    A wish may be of values instead, such as "least behind + ahead". Ten dB, 50 ohm, or as much as the value is when the
    search begins, count as one, times the weight. vswr: of a wish for bandwidth, of which a tenth counts as one, what
    is within it; about: the frequency it has to have in it, if any.
    """

    text: str
    figure: str
    sense: int
    weight: float
    frequencies: tuple[float, ...] = ()
    vswr: float | None = None
    about: float | None = None

    @property
    def scale(self) -> float:
        """What of the figure counts as one."""
        return _WIDE if self.vswr is not None else _SCALES.get(self.figure, _DB)

    def width(self, back: Complexes) -> tuple[float, Floats]:
        """Of a wish for bandwidth what it comes to, of the middle frequency, from the reflection coefficients where it
        is looked at (n,), and how that changes with their real and imaginary parts (2, n)."""
        assert self.vswr is not None
        return stretch(self.frequencies, back, (self.vswr - 1.0) / (self.vswr + 1.0), self.about)


def wish(text: str) -> Wish:
    """A wish from its words: "most gain", "least side lobes at 150 MHz", "0.5 x least boom".

    Also "most bandwidth at F", a tenth to either side at most, or "most bandwidth of VSWR 1.5 from F to F": the widest
    stretch within that VSWR, 2 unless given. Raises UsageError for words that are none, UnitError for frequencies.
    """
    needs(text, str, "wish", "words such as 'most gain'")
    wide = _WIDEST.fullmatch(text)
    match = wide or _WISH.fullmatch(text)
    if match is None:
        raise UsageError(
            f"wish '{text}': write it like 'most gain', 'least VSWR from 144 MHz to 146 MHz' or '2 x least boom'"
        )
    try:
        weight = float(match["weight"] or 1.0)
    except ValueError:
        weight = 0.0
    if not weight > 0.0:
        raise UsageError(f"wish '{text}': its weight is not above zero")
    if match["figure"].startswith("bandwidth"):
        return _for_bandwidth(text, wide, weight)
    return Wish(text, named(match["figure"]), 1 if match["sense"] == "most" else -1, weight,
                _places(match, f"wish '{text}'"))  # fmt: skip


def _for_bandwidth(text: str, match: re.Match[str] | None, weight: float) -> Wish:
    what = f"wish '{text}'"
    ends = () if match is None else _places(match, what, 2)
    if match is None or not ends:
        raise UsageError(
            f"{what}: write it like 'most bandwidth at 5.8 GHz' or 'most bandwidth of VSWR 1.5 from 5.5 GHz to 6.1 GHz'"
        )
    try:
        vswr = float(match["vswr"] or 2.0)
    except ValueError:
        vswr = 0.0
    if not vswr > 1.0:
        raise UsageError(f"{what}: a bandwidth is within a VSWR above 1")
    about = ends[0] if len(ends) == 1 else None
    low, high = ends if about is None else (about * (1.0 - _ABOUT), about * (1.0 + _ABOUT))
    return Wish(text, "VSWR", 1, weight, tuple(np.linspace(low, high, _IN_BAND).tolist()), vswr, about)


def known_in(goal: Goal, figures: Mapping[str, float]) -> None:
    """Raise UsageError for a goal of a figure that a model has not."""
    if goal.figure not in figures or np.isnan(figures[goal.figure]):
        there = [name for name, value in figures.items() if value == value]
        raise UsageError(f"goal '{goal.text}': {unknown('figure', goal.figure, there)}")
