"""Values, media and whatever else of a design file varied over ranges: a table of figures for all variants.

A change is words such as "driven = 0.90 m to 0.98 m in 9", "height = 3 m; 6 m; 12 m", "medium = meadow; sea",
"driven += -4 cm to 4 cm in 5"; several make a grid, or a sample (Latin hypercube: McKay, Beckman and Conover 1979).
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from .. import units
from ..answers.cases import Cut
from ..answers.solution import Solution
from ..answers.solve import solve
from ..errors import EarshotError, UsageError
from ..fields.far import FarField
from ..files.design_file import DesignFile
from ..files.design_text import AnyDesign, as_file
from ..files.editing import changed
from .asking import asked_of
from .crew import Crew
from .store import Store, open_store
from .towards import is_towards

_RANGE = re.compile(r"(?P<low>.+?)\s+to\s+(?P<high>.+?)(?:\s+in\s+(?P<count>\d{1,6})|\s+by\s+(?P<step>.+))?")
_MOST = 100_000
_USUAL = 11
_FIELDS = 60


@dataclass(frozen=True, slots=True)
class Study:
    """What came of a study: a row per variant, its changes first and its figures after. units: of the figures.

    changes: names of the columns that say what was changed. present: what the design has of them. failed: what those
    that could not be solved were told. fields: the far field of every row, if that was asked for; None where it failed.
    cuts: those of the case that was driven.
    """

    title: str
    table: pd.DataFrame
    changes: tuple[str, ...]
    units: dict[str, str]
    failed: dict[str, str]
    present: dict[str, str]
    fields: tuple[FarField | None, ...] = ()
    cuts: tuple[Cut, ...] = ()

    @property
    def labels(self) -> list[str]:
        """What every variant is called, such as "height 6 m"."""
        rows = self.table[list(self.changes)].astype(str).to_numpy().tolist()
        return [", ".join(f"{name} {text}" for name, text in zip(self.changes, row, strict=True)) for row in rows]


def steps_of(text: str, what: str) -> list[str]:
    """The texts that a range or a list says.

    "A to B in N" are N of them evenly, "A to B by D" with D between, "A to B" eleven; "A; B; C" are those. Raises
    UsageError for ranges that are empty, and UnitError for what is no quantity.

    >>> steps_of("1 m to 2 m in 3", "long")
    ['1.0 m', '1.5 m', '2.0 m']
    """
    match = _RANGE.fullmatch(text.strip())
    if match is None:
        found = [piece.strip() for piece in text.split(";")]
        if not all(found):
            raise UsageError(f"{what}: '{text}' has an empty place: write values with ; between, or 'A to B in N'")
        return found
    low, high = (units.evaluate(match[key], wavelength=None, what=what) for key in ("low", "high"))
    if low.kind != high.kind:
        raise UsageError(f"{what}: '{text}' has a {low.kind} at one end and none at the other")
    if match["step"]:
        step = units.evaluate(match["step"], what=what)
        if step.kind != low.kind or step.si == 0.0 or (high.si - low.si) / step.si < 0.0:
            raise UsageError(f"{what}: '{text}' gets nowhere: give a step of its own kind that leads there")
        count = int((high.si - low.si) / step.si * (1.0 + 1e-12)) + 1
        places = low.si + step.si * np.arange(min(count, _MOST + 1))
    else:
        count = int(match["count"] or _USUAL)
        places = np.linspace(low.si, high.si, count)
    if not 1 <= count <= _MOST:
        raise UsageError(f"{what}: '{text}' is {count} values; give 1 to {_MOST:,}")
    unit = _unit_of(match["low"], match["high"], low.kind)
    size = units.read(f"1 {unit}", low.kind, what=what) if unit else 1.0
    return [f"{float(f'{place / size:.7g}')} {unit}".strip() for place in places.tolist()]


def _unit_of(low: str, high: str, kind: str) -> str:
    """The unit both ends are in, or the SI one."""
    ends = {end.strip().rpartition(" ")[2] for end in (low, high)}
    own = ends.pop()
    return own if not ends and not own[-1:].isdigit() else units.KINDS[kind]


def vary(
    file: AnyDesign,
    changes: Sequence[str],
    *,
    sample: int | None = None,
    seed: int = 0,
    frequency: str | float | None = None,
    case: str | None = None,
    processes: int = 1,
    cluster: str | None = None,
    also: Sequence[str] = (),
    fields: bool = False,
    store: str | Path | None = None,
) -> Study:
    """Solve a design file for every combination of changes, or for a sample of them, and tell every figure.

    changes: "NAME = RANGE" as in the head of this module, names as `--set` takes them. sample: how many, spread over
    the ranges; else a grid. frequency, case: of the first case unless given. processes: how many solve at
    once; cluster: or the address of a scheduler. also: figures of directions among these, such as "gain
    towards NE 20 deg". fields: keep the far field of every variant, to lay cuts over one another; of 60 at most. store:
    a folder that keeps every solve; what is there is not solved again. Variants that cannot be solved are missing
    figures and a word. Raises UsageError for changes there cannot be.
    """
    file = as_file(file)
    split = [_named(text) for text in changes]
    if not split:
        raise UsageError("vary: say what, such as 'driven = 0.90 m to 0.98 m in 9'")
    names = [name for name, _ in split]
    told = [steps_of(text, name) for name, text in split]
    rows = list(itertools.product(*told)) if sample is None else _sampled(told, sample, seed)
    if len(rows) > _MOST:
        raise UsageError(f"vary: {len(rows):,} variants; give at most {_MOST:,}")
    # What is wrong with a name or a first value is told before anything is solved.
    first = dict(zip(names, rows[0], strict=True))
    asked = asked_of(changed(file, first), frequency, case)
    if fields and len(rows) > _FIELDS:
        raise UsageError(f"vary: cuts of {len(rows)} variants; draw {_FIELDS} at most")
    place = None if store is None else open_store(store).place
    directions = tuple(name for name in also if is_towards(name))
    jobs = [(file, dict(zip(names, row, strict=True)), frequency, case, place, directions, fields) for row in rows]
    crew = Crew(processes, cluster)
    labels = [name.rstrip("+-* ") for name in names]
    figures: list[dict[str, float]] = []
    beams: list[FarField | None] = []
    unit: dict[str, str] = {}
    failed = {}
    for row, found in zip(rows, crew.each(_answer, jobs, "variant"), strict=True):
        if isinstance(found, str):
            failed[", ".join(f"{n} {t}" for n, t in zip(names, row, strict=True))] = found
            figures.append({})
            beams.append(None)
        else:
            figures.append(found[0])
            unit |= found[1]
            beams.append(found[2])
    table = pd.DataFrame(rows, columns=labels).join(pd.DataFrame(figures))
    given = dict(file.design.given)
    # What is changed by so much has nothing before it.
    present = {n: "" if n != o else given[n].text if n in given else "" for n, o in zip(labels, names, strict=True)}
    kept = tuple(beams) if fields else ()
    return Study(file.title, table, tuple(labels), unit, failed, present, kept, asked.case.cuts)


def _named(text: str) -> tuple[str, str]:
    name, sign, told = (piece.strip() for piece in text.partition("="))
    if not sign or not name or not told:
        raise UsageError(f"vary: '{text}' is not NAME=RANGE; write it like 'driven = 0.90 m to 0.98 m in 9'")
    return name, told


def _sampled(told: Sequence[Sequence[str]], count: int, seed: int) -> list[tuple[str, ...]]:
    """A Latin hypercube over the steps: each range is cut into so many strata, each met once."""
    from scipy.stats import qmc

    units.count(count, "vary, sample", 1, _MOST)
    places = qmc.LatinHypercube(len(told), rng=np.random.default_rng(seed)).random(count)
    return [
        tuple(steps[min(int(share * len(steps)), len(steps) - 1)] for share, steps in zip(row, told, strict=True))
        for row in places.tolist()
    ]


Job = tuple[DesignFile, dict[str, str], Any, str | None, Path | None, tuple[str, ...], bool]
Answer = tuple[dict[str, float], dict[str, str], FarField | None]


def _solved(file: DesignFile, hertz: float, place: Path | None) -> Solution:
    return solve(file.design, [hertz], errors=False) if place is None else Store(place).solution(file.design, [hertz])


def _answer(job: Job) -> Answer | str:
    file, changes, frequency, case, place, also, fields = job
    try:
        asked = replace(asked_of(changed(file, changes), frequency, case), also=also)
        solution = _solved(asked.file, asked.hertz, place)
        table = asked.table(solution)
        field = asked.field(solution) if fields else None
    except EarshotError as problem:
        return str(problem).partition("\n")[0]
    figures = {str(name): float(value) for name, value in table["value"].items()}
    return figures, {str(name): str(unit) for name, unit in table["unit"].items()}, field
