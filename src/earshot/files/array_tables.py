"""Layouts, weights and patterns of arrays from tables (CSV), with the row and column named that is at fault."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..arrays.elements import Element, tabulated
from ..arrays.layouts import Layout, facing_turns
from ..arrays.weights import Weights
from ..errors import UsageError

if TYPE_CHECKING:
    import pandas as pd


def read_layout(path: str | Path) -> Layout:
    """A layout from a table (CSV) as `Layout.to_frame` gives it: x_m, y_m and, if there, z_m, angles and group.

    Raises UsageError naming the row and column that is at fault.
    """
    table = _table(path, "layout")
    known = ["x_m", "y_m", "z_m", "azimuth_deg", "elevation_deg", "roll_deg", "group"]
    for name in ("x_m", "y_m"):
        if name not in table:
            raise UsageError(f"layout {path}: it has no column {name}; there are: {', '.join(map(str, table.columns))}")
    numbers = _numbers(table, known, path, "layout")
    count = len(table)
    positions = np.stack([numbers.get(n, np.zeros(count)) for n in known[:3]], axis=1)
    turned = any(name in numbers for name in known[3:6])
    azimuth, elevation, roll = (
        numbers.get(n, np.full(count, x)) for n, x in zip(known[3:6], (0.0, 90.0, 180.0), strict=True)
    )
    turns = facing_turns(azimuth, elevation, roll) if turned else None
    groups = numbers["group"].astype(np.int64) if "group" in numbers else None
    return Layout(positions, turns, groups)


def read_weights(path: str | Path) -> Weights:
    """Weights from a table (CSV) with columns amplitude or amplitude_dB, phase_deg and, if there, delay_s.

    Raises UsageError naming the row and column that is at fault.
    """
    table = _table(path, "weights")
    if not {"amplitude", "amplitude_dB", "phase_deg"} & set(table.columns):
        raise UsageError(f"weights {path}: it has neither amplitude, amplitude_dB nor phase_deg")
    columns = _numbers(table, ("amplitude", "amplitude_dB", "phase_deg", "delay_s"), path, "weights")
    size = columns.get("amplitude", 10.0 ** (columns.get("amplitude_dB", np.zeros(len(table))) / 20.0))
    phase = columns.get("phase_deg", np.zeros(len(table)))
    return Weights(size * np.exp(1j * np.radians(phase)), columns.get("delay_s"))


def read_pattern(path: str | Path, name: str = "") -> Element:
    """An element's pattern from a table (CSV): theta_deg, phi_deg and either e_theta_re, e_theta_im, e_phi_re, e_phi_im
    or gain_dBi alone, which is taken to be polarised along θ and without phase; see `arrays.tabulated`.

    Raises UsageError for a table that is not complete and for a grid with gaps.
    """  # fmt: skip
    import xarray as xr

    table = _table(path, "pattern")
    whole = ["e_theta_re", "e_theta_im", "e_phi_re", "e_phi_im"]
    names = ["theta_deg", "phi_deg", *(whole if whole[0] in table else ["gain_dBi"])]
    missing = [n for n in names if n not in table]
    if missing:
        raise UsageError(f"pattern {path}: it has no column {missing[0]}; there are: {', '.join(table.columns)}")
    if table[names].isna().to_numpy().any():
        row = int(np.flatnonzero(table[names].isna().any(axis=1))[0])
        raise UsageError(f"pattern {path}: row {row + 1} is not complete: fill it or take it out")
    square = table.pivot_table(index="theta_deg", columns="phi_deg", values=names[2:], aggfunc="first")
    if square.isna().to_numpy().any():
        lines, columns = np.nonzero(square[names[2]].isna().to_numpy())
        at = square.index[lines[0]], square[names[2]].columns[columns[0]]
        raise UsageError(f"pattern {path}: there is nothing at θ = {at[0]:g}, φ = {at[1]:g} deg: the grid has gaps")
    if len(names) == 3:
        e_theta = 10.0 ** (square["gain_dBi"].to_numpy(float) / 20.0) + 0j
        e_phi = np.zeros_like(e_theta)
    else:
        parts = [square[n].to_numpy(float) for n in whole]
        e_theta, e_phi = parts[0] + 1j * parts[1], parts[2] + 1j * parts[3]
    axes = {"theta": square.index.to_numpy(float), "phi": square[names[2]].columns.to_numpy(float)}
    fields = {"e_theta": (("theta", "phi"), e_theta), "e_phi": (("theta", "phi"), e_phi)}
    return tabulated(xr.Dataset(fields, axes), name or Path(path).name)


def _table(path: str | Path, what: str) -> pd.DataFrame:
    """A table as it stands; raises UsageError when it cannot be read."""
    import pandas as pd

    try:
        return pd.read_csv(path, skipinitialspace=True)
    except (OSError, ValueError) as problem:
        raise UsageError(f"{what} {path}: cannot be read: {problem}") from None


def _numbers(table: pd.DataFrame, names: Sequence[str], path: str | Path, what: str) -> dict[str, NDArray[np.float64]]:
    """Those of the columns that are there; raises UsageError for a cell that is not a number."""
    import pandas as pd

    found = {}
    for name in names:
        if name in table:
            column = pd.to_numeric(table[name], errors="coerce").to_numpy(float)
            if not np.isfinite(column).all():
                row = int(np.flatnonzero(~np.isfinite(column))[0])
                raise UsageError(f"{what} {path}: row {row + 1}, {name}: '{table[name][row]}' is not a number")
            found[name] = column
    return found
