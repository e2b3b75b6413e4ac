"""Layouts, weights and patterns of arrays from tables (CSV), with the row and column named that is at fault."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ..arrays.elements import Element, tabulated
from ..arrays.layouts import Layout, facing_turns
from ..arrays.weights import Weights
from ..arraytypes import Floats, Ints
from ..errors import UsageError
from .reading import MOST_ROWS, KeptText, name_of, need, numbers, read_table


def read_layout(path: str | Path | KeptText) -> Layout:
    """A layout from a table (CSV) as `Layout.to_frame` gives it: x_m, y_m and, if there, z_m, angles and group.

    Raises UsageError naming the row and column that is at fault.
    """
    table, name = read_table(path), name_of(path)
    known = ["x_m", "y_m", "z_m", "azimuth_deg", "elevation_deg", "roll_deg", "group"]
    need(table, ("x_m", "y_m"), name)
    found = numbers(table, known, name)
    count = len(table)
    positions = np.stack([found.get(n, np.zeros(count)) for n in known[:3]], axis=1)
    turned = any(column in found for column in known[3:6])
    azimuth, elevation, roll = (
        found.get(n, np.full(count, x)) for n, x in zip(known[3:6], (0.0, 90.0, 180.0), strict=True)
    )
    turns = facing_turns(azimuth, elevation, roll) if turned else None
    groups = _groups(found["group"], name) if "group" in found else None
    return Layout(positions, turns, groups)


def _groups(column: Floats, name: str) -> Ints:
    """Numbers of feeds."""
    whole = (column == np.round(column)) & (column >= 0.0) & (column <= MOST_ROWS)
    if not whole.all():
        row = int(np.flatnonzero(~whole)[0]) + 1
        raise UsageError(f"'{name}', row {row}, group: {column[row - 1]:g} is not the number of a feed: 0, 1, 2, ...")
    return column.astype(np.int64)


def read_weights(path: str | Path | KeptText) -> Weights:
    """Weights from a table (CSV) with columns amplitude or amplitude_dB, phase_deg and, if there, delay_s.

    Raises UsageError naming the row and column that is at fault.
    """
    table, name = read_table(path), name_of(path)
    if not {"amplitude", "amplitude_dB", "phase_deg"} & set(table.columns):
        raise UsageError(f"'{name}' has neither amplitude, amplitude_dB nor phase_deg")
    need(table, (), name)
    columns = numbers(table, ("amplitude", "amplitude_dB", "phase_deg", "delay_s"), name)
    level = columns.get("amplitude_dB", np.zeros(len(table)))
    if (np.abs(level) > 300.0).any():
        raise UsageError(f"'{name}', row {int(np.abs(level).argmax()) + 1}, amplitude_dB: beyond 300 dB either way")
    size = columns.get("amplitude", 10.0 ** (level / 20.0))
    phase = columns.get("phase_deg", np.zeros(len(table)))
    return Weights(size * np.exp(1j * np.radians(phase)), columns.get("delay_s"))


def read_pattern(path: str | Path | KeptText, name: str = "") -> Element:
    """An element's pattern from a table (CSV): theta_deg, phi_deg and either e_theta_re, e_theta_im, e_phi_re, e_phi_im
    or gain_dBi alone, which is taken to be polarised along θ and without phase; see `arrays.tabulated`.

    Raises UsageError for a table that is not complete and for a grid with gaps.
    """  # fmt: skip
    import xarray as xr

    table, file = read_table(path), name_of(path)
    whole = ("e_theta_re", "e_theta_im", "e_phi_re", "e_phi_im")
    own = whole if whole[0] in table else ("gain_dBi",)
    need(table, ("theta_deg", "phi_deg", *own), file)
    found = numbers(table, ("theta_deg", "phi_deg", *own), file)
    if own == ("gain_dBi",) and (np.abs(found["gain_dBi"]) > 300.0).any():
        raise UsageError(f"'{file}', row {int(np.abs(found['gain_dBi']).argmax()) + 1}, gain_dBi: beyond 300 dBi")
    theta, line = np.unique(found["theta_deg"], return_inverse=True)
    phi, column = np.unique(found["phi_deg"], return_inverse=True)
    if len(theta) * len(phi) > MOST_ROWS:
        raise UsageError(f"'{file}': {len(theta)} values of θ and {len(phi)} of φ are no grid: give every pair once")
    rows = np.full((len(theta), len(phi)), -1)
    rows[line, column] = np.arange(len(line))
    if (rows < 0).any():
        i, j = np.argwhere(rows < 0)[0]
        raise UsageError(f"'{file}': there is nothing at θ = {theta[i]:g}, φ = {phi[j]:g} deg: the grid has gaps")
    if min(rows.shape) < 4:
        raise UsageError(f"'{file}': {len(theta)} values of θ and {len(phi)} of φ are too few: four of each at least")
    if own == whole:
        parts = [found[n][rows] for n in whole]
        e_theta, e_phi = parts[0] + 1j * parts[1], parts[2] + 1j * parts[3]
    else:
        e_theta = 10.0 ** (found["gain_dBi"][rows] / 20.0) + 0j
        e_phi = np.zeros_like(e_theta)
    fields = {"e_theta": (("theta", "phi"), e_theta), "e_phi": (("theta", "phi"), e_phi)}
    return tabulated(xr.Dataset(fields, {"theta": theta, "phi": phi}), name or file)
