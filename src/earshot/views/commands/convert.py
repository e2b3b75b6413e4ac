"""earshot convert: frequency, wavelength, and lengths between units."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from ... import units
from ...constants import SPEED_OF_LIGHT, wavelength
from ...errors import UsageError
from ..tables import conversion_table
from .options import Json
from .screen import show, show_json

Text = Annotated[str, typer.Argument(metavar="QUANTITY", help="A frequency or a length, such as '150.1 MHz', '12 ft'.")]
Frequency = Annotated[
    str | None, typer.Option("--frequency", "-f", metavar="F", help="Where lambda is measured, such as '150.1 MHz'.")
]
To = Annotated[list[str] | None, typer.Option("--to", metavar="UNIT", help="Only this unit; may be repeated.")]
Velocity = Annotated[float, typer.Option("--velocity", help="Velocity as a share of light's, as on a line.")]

_LENGTHS = ("m", "cm", "mm", "ft", "in", "mil")
_FREQUENCIES = ("Hz", "kHz", "MHz", "GHz")


def convert(
    text: Text, frequency: Frequency = None, to: To = None, velocity: Velocity = 1.0, json: Json = False
) -> None:
    """Turn a frequency into its wavelength and a length into other units, wavelengths and its frequency."""
    if not 0.0 < velocity <= 1.0:
        raise UsageError(f"--velocity {velocity} is outside 0 to 1; it is a share of the velocity of light")
    hertz = None if frequency is None else units.frequency(frequency)
    long = None if hertz is None else wavelength(hertz) * velocity
    found = units.evaluate(text, wavelength=long, what="convert")
    if found.kind == "frequency":
        if found.si <= 0.0:
            raise UsageError(f"convert: {text} is not above zero")
        rows = _of_frequency(found.si, velocity, to)
    elif found.kind == "length":
        rows = _of_length(found.si, velocity, long, to)
    else:
        raise UsageError(
            f"convert: '{text}' is a {found.kind}; give a frequency or a length, such as '150.1 MHz', '12 ft'"
        )
    if json:
        show_json(rows)
    else:
        show(conversion_table(rows))


def _in(value: float, kind: str, unit: str) -> float:
    return value / units.read(f"1 {unit}", kind, what="--to")


def _row(what: str, value: float, unit: str) -> dict[str, Any]:
    return {"what": what, "value": value, "unit": unit}


def _of_frequency(hertz: float, velocity: float, to: list[str] | None) -> list[dict[str, Any]]:
    full = SPEED_OF_LIGHT * velocity / hertz
    if to:
        kinds = {unit: units.evaluate(f"1 {unit}", what="--to").kind for unit in to}
        return [
            _row("frequency", _in(hertz, "frequency", u), u)
            if k == "frequency"
            else _row("wavelength", _in(full, "length", u), u)
            for u, k in kinds.items()
        ]
    rows = [_row("frequency", _in(hertz, "frequency", u), u) for u in _FREQUENCIES[2:]]
    for name, share in (("wavelength", 1.0), ("half a wavelength", 0.5), ("quarter wavelength", 0.25)):
        rows += [_row(name, _in(share * full, "length", u), u) for u in ("m", "mm", "ft", "in")]
    return rows


def _of_length(metres: float, velocity: float, long: float | None, to: list[str] | None) -> list[dict[str, Any]]:
    rows = [_row("length", _in(metres, "length", u), u) for u in to or _LENGTHS]
    if long is not None and not to:
        rows.append(_row("length", metres / long, "lambda"))
        rows.append(_row("electrical length", 360.0 * metres / long, "deg"))
    if metres > 0.0 and not to:
        for name, share in (("one wavelength at", 1.0), ("half a wavelength at", 0.5), ("a quarter at", 0.25)):
            rows.append(_row(name, share * SPEED_OF_LIGHT * velocity / metres / 1e6, "MHz"))
    return rows
