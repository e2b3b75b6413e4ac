"""Results as tables of plain columns, and as plain values."""

from __future__ import annotations

import json
import math
from itertools import product
from typing import TYPE_CHECKING, Any

import numpy as np

from ..errors import UsageError
from ..network.network import Network

if TYPE_CHECKING:
    import pandas as pd


_UNITS = {"S": "", "Y": "_S", "Z": "_ohm"}


def network_table(network: Network, parameters: str = "S", form: str = "RI") -> pd.DataFrame:
    """Every port over frequency, one below the other; of several ports, or of "Y" or "Z", the whole matrix with it.

    A row has what comes out of its port from each port, such as S_from_feed, in two columns: real and imaginary part
    (form "RI"), or size, in dB for "DB", and phase in degrees ("MA", "DB"). Raises UsageError for other words.
    """
    import pandas as pd

    for what, given, known in (("parameters", parameters, _UNITS), ("form", form, ("RI", "MA", "DB"))):
        if given not in known:
            raise UsageError(f"network table: {what} '{given}' is not one of {', '.join(known)}")
    frames = {port: network.to_frame(port) for port in network.ports}
    matrix = {"S": network.s, "Y": network.y, "Z": network.z}[parameters]().values
    if len(network.ports) > 1 or parameters != "S":
        for (i, frame), (j, source) in product(enumerate(frames.values()), enumerate(network.ports)):
            values, name = matrix[:, i, j], f"{parameters}_from_{source}"
            size, unit = np.abs(values), _UNITS[parameters]
            if form == "RI":
                frame[f"{name}_re{unit}"], frame[f"{name}_im{unit}"] = values.real, values.imag
            else:
                level = 20.0 * np.log10(np.maximum(size, 1e-300))
                frame[f"{name}_dB" if form == "DB" else f"{name}_size{unit}"] = level if form == "DB" else size
                frame[f"{name}_deg"] = np.degrees(np.angle(values))
    return pd.concat(frames, names=["port"]).reset_index()


def flat(table: Any) -> pd.DataFrame:
    """A pandas table or labelled samples as plain columns; complex ones become two, _re and _im."""
    import pandas as pd

    frame = table.to_dataframe().reset_index() if hasattr(table, "to_dataframe") else table
    frame = frame if isinstance(frame.index, pd.RangeIndex) else frame.reset_index()
    columns: dict[str, Any] = {}
    for name in frame.columns:
        values = frame[name].to_numpy()
        if np.iscomplexobj(values):
            columns[f"{name}_re"], columns[f"{name}_im"] = values.real, values.imag
        else:
            columns[str(name)] = values
    return pd.DataFrame(columns)


def plain(value: Any) -> Any:
    """Anything we report as what JSON can hold: complex as [re, im], missing as null."""
    if isinstance(value, dict):
        return {str(k): plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple | np.ndarray):
        return [plain(v) for v in value]
    if isinstance(value, complex | np.complexfloating):
        return [float(value.real), float(value.imag)]
    if isinstance(value, float | np.floating):
        return float(value) if math.isfinite(value) else None
    if isinstance(value, np.integer | np.bool_):
        return value.item()
    return value


def records(table: Any) -> list[dict[str, Any]]:
    """A table's rows as dictionaries of plain values."""
    return [plain({str(k): v for k, v in row.items()}) for row in flat(table).to_dict("records")]


def json_text(content: Any) -> str:
    """Indented JSON."""
    return json.dumps(plain(content), indent=2, ensure_ascii=False) + "\n"
