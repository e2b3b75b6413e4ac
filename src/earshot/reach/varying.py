"""A path again and again, with a station's height, place, bearing or whatever else changed."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import pandas as pd

from ..studies.variants import each_variant
from ..studies.varying import Study
from .place import Place

_FORM = "STATION.KEY=RANGE", "shore.height = 3 m to 30 m in 28"
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
    table: Callable[[Place], pd.DataFrame],
) -> Study:  # fmt: skip
    def ask(texts: list[str]) -> pd.DataFrame:
        found = table(place.with_(*texts))
        return found.loc[[name for name in wanted if name in found.index]]

    def made(texts: list[str]) -> object:
        return place.with_(*texts)

    title = f"{place.title}, {one} to {two}"
    return each_variant(title, changes, _FORM, ask, made, lambda name: _present(place, name))


def _present(place: Place, name: str) -> str:
    """What the place has of a value, as it is written."""
    station, _, key = name.rpartition(".")
    table = place.stations.get(station)
    found = getattr(table, key, None) if table is not None else None
    return found if isinstance(found, str) else ""
