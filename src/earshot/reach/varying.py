"""A path again and again, with a station's height, place, bearing or whatever else changed."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import pandas as pd

from ..errors import EarshotError, UsageError
from ..running import report
from ..studies.varying import Study, steps_of
from .place import Place

_MOST = 10_000
_FIGURES = (
    "margin", "path loss", "received", "antenna gains", "ground", "terrain", "by P.526 alone", "clearance", "distance"
)  # fmt: skip


def vary_path(place: Place, one: str, two: str, changes: Sequence[str], frequency: str | float | None = None) -> Study:
    """The path between two stations for every combination of changes: a row each, margin and losses by name.

    changes: "STATION.KEY = RANGE", ranges as `studies.vary` takes them: "shore.height = 3 m to 30 m in 28". A place
    that is in the way is missing figures and a word. Raises UsageError for changes there cannot be.
    """
    names, told = [], []
    for text in changes:
        name, sign, steps = (piece.strip() for piece in text.partition("="))
        if not sign or not name or not steps:
            raise UsageError(
                f"vary: '{text}' is not STATION.KEY=RANGE; write it like 'shore.height = 3 m to 30 m in 28'"
            )
        names.append(name)
        told.append(steps_of(steps, name))
    rows = list(itertools.product(*told))
    if not changes or len(rows) > _MOST:
        raise UsageError(f"vary: {len(rows):,} variants; give 1 to {_MOST:,}")
    place.with_(*(f"{name}={step}" for name, step in zip(names, rows[0], strict=True)))
    figures: list[dict[str, float]] = []
    failed: dict[str, str] = {}
    units: dict[str, str] = {}
    for number, row in enumerate(rows):
        report(f"variant {number + 1} of {len(rows)}")
        try:
            own = place.with_(*(f"{name}={step}" for name, step in zip(names, row, strict=True)))
            table = own.path(one, two, frequency).table()
        except EarshotError as problem:
            failed[", ".join(f"{n} {t}" for n, t in zip(names, row, strict=True))] = str(problem)
            figures.append({})
            continue
        figures.append({name: round(float(table["value"][name]), 9) for name in _FIGURES})
        units = {name: str(table["unit"][name]) for name in _FIGURES}
    whole = pd.DataFrame(rows, columns=names).join(pd.DataFrame(figures))
    present = {name: _present(place, name) for name in names}
    return Study(f"{place.title}, {one} to {two}", whole, tuple(names), units, failed, present)


def _present(place: Place, name: str) -> str:
    """What the place has of a value, as it is written."""
    station, _, key = name.rpartition(".")
    table = place.stations.get(station)
    found = getattr(table, key, None) if table is not None else None
    return found if isinstance(found, str) else ""
