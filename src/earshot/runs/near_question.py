"""The question of near fields: along a line or over a plane, and where a limit is passed."""

from __future__ import annotations

import math

import numpy as np
import pandas as pd

from .. import units
from ..arraytypes import Floats
from ..errors import UsageError
from ..fields.near import NearField, line_of_points, plane_of_points
from .asking import Asked, chosen_cases, question, stacked
from .run import Run

_MOST_POINTS = 100_000


@question("near", "E or H along a line or over an area, and where a limit is: --line, --area, --field, --limit, --rms")
def _near(run: Run, asked: Asked) -> pd.DataFrame:
    if (asked.line is None) == (asked.area is None):
        raise UsageError(
            "ask near: say where, once: along --line '0,0,2 m' '0,0,30 m' 200, or over --area '0,0,2 m' '5,0,2 m' "
            "'0,5,2 m' 50"
        )
    points = _along(asked.line) if asked.line is not None else _over(asked.area)
    what = f"{asked.which}_{'V_per_m' if asked.which == 'E' else 'A_per_m'}"
    tables = []
    for label, one in chosen_cases(run, asked.cases):
        field = one.driven.near_field(points, in_metal="zero")
        table = _told(field, asked, what) if points.ndim == 2 or asked.limit is None else _edge(field, asked, what)
        table["from_metal_m"] = run.solution.antenna.distances(table[["x_m", "y_m", "z_m"]].to_numpy(float))
        tables.append((label, table))
    return stacked(iter(tables))


def _along(line: tuple[str, str, int]) -> Floats:
    start, stop, count = line
    if not 2 <= count <= _MOST_POINTS:
        raise UsageError(f"ask near: {count} points; give 2 to {_MOST_POINTS}")
    return line_of_points(_place(start), _place(stop), count)


def _over(area: tuple[str, str, str, int] | None) -> Floats:
    """A plane of points about as close along both sides."""
    assert area is not None
    corner, first, second = (np.array(_place(text)) for text in area[:3])
    sides = first - corner, second - corner
    lengths = [float(np.linalg.norm(side)) for side in sides]
    if min(lengths) == 0.0:
        raise UsageError("ask near: --area has a side of no length: give a corner and the two next to it")
    other = max(round((area[3] - 1) * lengths[1] / lengths[0]) + 1, 2)
    if area[3] < 2 or area[3] * other > _MOST_POINTS:
        raise UsageError(f"ask near: {area[3]} by {other} points; give 2 along a side to {_MOST_POINTS} in all")
    return plane_of_points(corner.tolist(), sides[0].tolist(), sides[1].tolist(), (area[3], other))


def _told(field: NearField, asked: Asked, what: str) -> pd.DataFrame:
    """The field at every point, or along a line where it passes the limit."""
    points, size = field.points.reshape(-1, 3), field.magnitude(asked.which, rms=asked.rms).ravel()
    along = {} if field.points.ndim == 3 else {"along_m": np.linalg.norm(points - points[0], axis=1)}
    table = pd.DataFrame({**along, **{f"{axis}_m": points[:, i] for i, axis in enumerate("xyz")}, what: size})
    return table if asked.limit is None else _crossings(table, what, asked.limit)


def _edge(field: NearField, asked: Asked, what: str) -> pd.DataFrame:
    """Points along the lines where a field over a plane is at the limit."""
    assert asked.limit is not None
    lines = field.contour(asked.limit, asked.which, rms=asked.rms)
    points = np.concatenate([np.zeros((0, 3)), *lines])
    which = np.repeat(np.arange(1, len(lines) + 1), [len(line) for line in lines])
    places = {f"{axis}_m": points[:, i] for i, axis in enumerate("xyz")}
    return pd.DataFrame({"edge": which, **places, what: asked.limit})


def _crossings(table: pd.DataFrame, what: str, limit: float) -> pd.DataFrame:
    """Where the field passes a limit along the line; between samples its logarithm is straight."""
    size, away = np.log(np.maximum(table[what].to_numpy(), 1e-300)), table["along_m"].to_numpy()
    off = size - math.log(limit)
    at = np.flatnonzero(off[:-1] * off[1:] < 0.0)
    share = off[at] / (off[at] - off[at + 1])
    places = {c: table[c].to_numpy()[at] + share * np.diff(table[c].to_numpy())[at] for c in ("x_m", "y_m", "z_m")}
    return pd.DataFrame(
        {"along_m": away[at] + share * np.diff(away)[at], **places, what: limit, "falls": off[at] > 0.0}
    )


def _place(text: str) -> list[float]:
    parts = text.split(",")
    if len(parts) != 3:
        raise UsageError(f"ask near: '{text}' is no place; give x, y, z such as '0, 0, 2 m'")
    unit = parts[2].strip().lstrip("+-0123456789.eE ")
    return [units.length(p if p.strip()[-1:].isalpha() else f"{p} {unit or 'm'}", "--line") for p in parts]
