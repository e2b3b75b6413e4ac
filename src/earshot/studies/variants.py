"""The same question of every combination of changes, whatever is changed and asked."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence

import pandas as pd

from ..errors import EarshotError, UsageError
from ..running import report
from .varying import Study, steps_of

_MOST = 10_000


def each_variant(
    title: str, changes: Sequence[str], form: tuple[str, str], ask: Callable[[list[str]], pd.DataFrame],
    made: Callable[[list[str]], object], present: Callable[[str], str],
) -> Study:  # fmt: skip
    """A row for each combination of "NAME = RANGE", as `steps_of` reads ranges.

    ask: from texts "name=step" to figures, by name their "value" and "unit". made: looks at the first such texts, so
    that what can never be changed is told at once; what goes wrong later is a row without figures, and a word. present:
    what there is of a name now. form: of a change, and an example, for complaints. Raises UsageError for changes that
    are none.
    """
    names, told = [], []
    for text in changes:
        name, sign, steps = (piece.strip() for piece in text.partition("="))
        if not sign or not name or not steps:
            raise UsageError(f"vary: '{text}' is not {form[0]}; write it like '{form[1]}'")
        names.append(name)
        told.append(steps_of(steps, name))
    rows = list(itertools.product(*told))
    if not changes or len(rows) > _MOST:
        raise UsageError(f"vary: {len(rows):,} variants; give 1 to {_MOST:,}")
    made([f"{name}={step}" for name, step in zip(names, rows[0], strict=True)])
    figures: list[dict[str, float]] = []
    failed: dict[str, str] = {}
    units: dict[str, str] = {}
    for number, row in enumerate(rows):
        report(f"variant {number + 1} of {len(rows)}")
        try:
            table = ask([f"{name}={step}" for name, step in zip(names, row, strict=True)])
        except EarshotError as problem:
            failed[", ".join(f"{n} {t}" for n, t in zip(names, row, strict=True))] = str(problem)
            figures.append({})
            continue
        figures.append({str(name): round(float(value), 9) for name, value in table["value"].items()})
        units |= {str(name): str(unit) for name, unit in table["unit"].items()}
    whole = pd.DataFrame(rows, columns=names).join(pd.DataFrame(figures))
    return Study(title, whole, tuple(names), units, failed, {name: present(name) for name in names})
