"""A path again and again, with a station's height, place, bearing or whatever else changed."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence

import pandas as pd

from ..errors import EarshotError, UsageError
from ..running import report
from ..studies.varying import Study, steps_of
from .place import Place

_MOST = 10_000
_FIGURES = (
    "margin", "path loss", "received", "antenna gains", "ground", "terrain", "by P.526 alone", "clearance", "distance"
)  # fmt: skip
_OF_RAYS = ("margin", "path loss", "mean path loss", "received", "rays", "delay spread", "distance")


def vary_path(place: Place, one: str, two: str, changes: Sequence[str], frequency: str | float | None = None) -> Study:
    """The path between two stations for every combination of changes: a row each, margin and losses by name.

    changes: "STATION.KEY = RANGE", ranges as `studies.vary` takes them: "shore.height = 3 m to 30 m in 28"; frequency
    may be varied as well. A place that is in the way is missing figures and a word. Raises UsageError for changes there
    cannot be.
    """
    return _varied(place, one, two, changes, _FIGURES, lambda own: own.path(one, two, frequency).table())


def vary_rays(place: Place, one: str, two: str, changes: Sequence[str], frequency: str | float | None = None) -> Study:
    """The rays between two stations for every combination of changes, as `vary_path` does the path."""
    return _varied(place, one, two, changes, _OF_RAYS, lambda own: own.rays(one, two, frequency).summary())


def _varied(
    place: Place, one: str, two: str, changes: Sequence[str], wanted: Sequence[str],
    ask: Callable[[Place], pd.DataFrame],
) -> Study:  # fmt: skip
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
            table = ask(own)
        except EarshotError as problem:
            failed[", ".join(f"{n} {t}" for n, t in zip(names, row, strict=True))] = str(problem)
            figures.append({})
            continue
        known = [name for name in wanted if name in table.index]
        figures.append({name: round(float(table["value"][name]), 9) for name in known})
        units |= {name: str(table["unit"][name]) for name in known}
    whole = pd.DataFrame(rows, columns=names).join(pd.DataFrame(figures))
    present = {name: _present(place, name) for name in names}
    return Study(f"{place.title}, {one} to {two}", whole, tuple(names), units, failed, present)


def _present(place: Place, name: str) -> str:
    """What the place has of a value, as it is written."""
    station, _, key = name.rpartition(".")
    table = place.stations.get(station)
    found = getattr(table, key, None) if table is not None else None
    return found if isinstance(found, str) else ""
