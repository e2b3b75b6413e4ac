"""Every question that may be asked of a run: its name, what it is about, and the table that answers it, side by side.

A question is a function with `@question`: the command line, its help and the tests go by this register alone.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import pandas as pd

from .. import units
from ..errors import UsageError, unknown
from .run import CaseRun, Run

BEARINGS = {name: 45.0 * n for n, name in enumerate(("E", "NE", "N", "NW", "W", "SW", "S", "SE"))}
"""Azimuths by the compass: +x is east, +y north."""
_SPACING = 1.0


@dataclass(frozen=True, slots=True)
class Asked:
    """What a question is about. cases: names, all unless given. plane, elevation, azimuth: of cuts and directions.

    step: degrees between samples. quantity: of cuts. parameters: "S", "Z" or "Y". line: where near fields are wanted,
    its two ends (x, y, z) as text, and how many points; or area: a corner, the two next to it, and how many along the
    first side. within: half the angle of a sector. limit: of E or H, whose place is told. rms: root mean square.
    """

    cases: Sequence[str] = ()
    plane: Sequence[str] = ()
    elevation: Sequence[str] = ()
    azimuth: Sequence[str] = ()
    step: float = _SPACING
    quantity: Sequence[str] = ("gain",)
    parameters: str = "S"
    line: tuple[str, str, int] | None = None
    area: tuple[str, str, str, int] | None = None
    within: str = "10 deg"
    which: str = "E"
    limit: float | None = None
    rms: bool = False


Answer = Callable[[Run, Asked], pd.DataFrame]


@dataclass(frozen=True, slots=True)
class Question:
    """A question: its name, what its table holds, and what answers it."""

    name: str
    about: str
    answer: Answer


QUESTIONS: dict[str, Question] = {}
"""By name."""


def question(name: str, about: str) -> Callable[[Answer], Answer]:
    """Enter a function in `QUESTIONS`."""

    def enter(answer: Answer) -> Answer:
        QUESTIONS[name] = Question(name, about, answer)
        return answer

    return enter


def ask(run: Run, name: str, asked: Asked | None = None) -> pd.DataFrame:
    """The table that answers a question; raises UsageError for one there is not, and for what it cannot be asked of."""
    if name not in QUESTIONS:
        raise UsageError(f"ask: {unknown('question', name, QUESTIONS)}")
    return QUESTIONS[name].answer(run, asked or Asked())


def chosen_cases(run: Run, wanted: Sequence[str]) -> Iterator[tuple[str, CaseRun]]:
    """The cases of those names, or all, each with what tells it from the others; raises UsageError for others."""
    names = list(dict.fromkeys(one.case.name for one in run.cases))
    for name in wanted:
        if name not in names:
            raise UsageError(f"--case: {unknown('case', name, names)}")
    for one in run.cases:
        if not wanted or one.case.name in wanted:
            yield f"{one.case.name}, {units.engineering(one.driven.frequency, 'Hz', 6)}", one


def degrees(text: str, what: str) -> float:
    """An angle in degrees, of text or a bare number of them; raises UsageError beyond two turns."""
    try:
        found = math.degrees(units.angle(float(text), what))
    except ValueError:
        found = math.degrees(units.angle(text, what))
    if abs(found) > 720.0:
        raise UsageError(f"{what}: {text} is beyond two whole turns")
    return found


def bearing(text: str) -> float:
    """An azimuth in degrees, or one by the compass; raises UsageError for what is neither."""
    return BEARINGS[text] if text in BEARINGS else degrees(text, "--azimuth")


def stacked(tables: Iterator[tuple[str, pd.DataFrame]]) -> pd.DataFrame:
    """Tables of cases under one another."""
    named = [table.assign(case=label) for label, table in tables]
    whole = pd.concat(named, ignore_index=True)
    return whole.set_index("case")
