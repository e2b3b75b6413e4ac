"""Measured curves in: Touchstone, or CSV with a heading that says what its columns are."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import numpy as np

from ..arraytypes import Floats
from ..errors import UsageError
from ..network.network import Network
from ..network.trace import Trace
from .reading import number_column, read_table
from .touchstone import is_touchstone, read_touchstone

_UNITS = {"hz": 1.0, "khz": 1e3, "mhz": 1e6, "ghz": 1e9}
_NAMES = {"swr": "vswr", "rho": "s11", "reflection": "s11", "gamma": "s11", "real": "re", "imag": "im", "phase": "deg"}


def read_network(path: str | Path, *, reference: float = 50.0) -> Network | Trace:
    """Read what was measured, or another program wrote: .s1p, .s2p, ..., .ts, or .csv.

    A CSV file has one heading line: a frequency with its unit ("frequency_Hz", "f (MHz)"), and R and X in ohm, or S11
    as re and im, as dB and deg, or VSWR, return loss or S11 in dB alone, which give a `Trace` without phase. reference:
    ohm that reflections in a CSV file are measured against; Touchstone says it itself. Raises UsageError for any other
    file.
    """
    place = Path(path)
    if is_touchstone(place):
        return read_touchstone(place)
    if place.suffix.lower() != ".csv":
        raise UsageError(f"'{place.name}': curves are read from .s1p, .s2p, ..., .ts and .csv; not '{place.suffix}'")
    frame = read_table(place)
    columns = {_column(str(name)): frame[name] for name in frame.columns}
    if "port" in columns and columns["port"].nunique() > 1:
        raise UsageError(f"'{place.name}' holds {columns['port'].nunique()} ports: keep one, or use Touchstone")
    unit = next((unit for unit in _UNITS if f"f {unit}" in columns), None)
    if unit is None:
        raise UsageError(f"'{place.name}': no column is a frequency with a unit, such as 'frequency_Hz' or 'f (MHz)'")
    hertz, scale = columns[f"f {unit}"], _UNITS[unit]
    found = {name: number_column(column, place.name, name) for name, column in columns.items() if name in _WANTED}
    frequencies = scale * number_column(hertz, place.name, "frequency")
    if not len(frequencies) or (np.diff(frequencies) <= 0.0).any() or frequencies[0] <= 0.0:
        raise UsageError(f"'{place.name}': its frequencies do not rise from above zero; sort the file")
    return _curve(place, frequencies, found, reference)


_WANTED = ("ohm r", "ohm x", "im s11", "re s11", "db s11", "deg s11", "vswr", "db loss return")


def _curve(place: Path, hertz: Floats, found: dict[str, Floats], reference: float) -> Network | Trace:
    reflection: Any = None
    if {"ohm r", "ohm x"} <= found.keys():
        impedance = found["ohm r"] + 1j * found["ohm x"]
        return Network(
            hertz,
            1.0 / np.asarray(impedance, np.complex128)[:, None, None],
            ("feed",),
            np.array([reference + 0j]),
            place.stem,
        )
    if {"re s11", "im s11"} <= found.keys():
        reflection = found["re s11"] + 1j * found["im s11"]
    elif {"db s11", "deg s11"} <= found.keys():
        reflection = 10.0 ** (found["db s11"] / 20.0) * np.exp(1j * np.radians(found["deg s11"]))
    if reflection is not None:
        admittance = (1.0 - reflection) / (1.0 + reflection) / reference
        return Network(hertz, admittance[:, None, None], ("feed",), np.array([reference + 0j]), place.stem)
    if "vswr" in found:
        if (found["vswr"] < 1.0).any():
            raise UsageError(f"'{place.name}': a VSWR below 1 is impossible; is it another quantity?")
        return Trace(hertz, (found["vswr"] - 1.0) / (found["vswr"] + 1.0), reference, place.stem)
    level = found.get("db s11", -found["db loss return"] if "db loss return" in found else None)
    if level is None:
        raise UsageError(
            f"'{place.name}': no column is known; give R and X in ohm ('R_ohm', 'X_ohm'), S11 ('S11_re', 'S11_im', or "
            "'S11 (dB)' and 'S11 (deg)'), 'VSWR' or 'return_loss_dB'"
        )
    return Trace(hertz, 10.0 ** (level / 20.0), reference, place.stem)


def _column(name: str) -> str:
    """A heading as sorted words, so that 'S11 (dB)', 'dB(S11)' and 's11_db' are one."""
    words = [_NAMES.get(w, w) for w in re.findall(r"[a-z]+\d*|\d+", name.lower())]
    if words and words[0] in ("f", "freq", "frequency"):
        return f"f {words[-1]}"
    return " ".join(sorted(set(words) - {"s"}))
