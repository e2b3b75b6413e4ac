"""Figures of a direction, named by it: "gain towards NE 20 deg", by azimuth or the compass, and elevation."""

from __future__ import annotations

import math
import re

from ..errors import EarshotError, UsageError, unknown
from ..fields.far import FarField
from ..runs.asking import bearing, degrees

_TOWARDS = re.compile(r"(?P<quantity>[a-z][a-z_ ]*?) towards (?P<azimuth>\S+) (?P<elevation>\S.*)")
UNITS = {"axial_ratio": "dB", "tilt": "deg"}
"""Of what is not dBi."""


def is_towards(figure: str) -> bool:
    """Whether a figure is of a direction."""
    return _TOWARDS.fullmatch(figure) is not None


def unit_of(figure: str) -> str:
    """The unit of a figure of a direction."""
    match = _TOWARDS.fullmatch(figure)
    return UNITS.get(match["quantity"].replace(" ", "_"), "dBi") if match else "1"


def gain_towards(field: FarField, figure: str) -> float:
    """A figure of a direction; raises UsageError for one there is not, and below a plane."""
    match = _TOWARDS.fullmatch(figure)
    assert match is not None
    try:
        up, turn = (math.radians(f) for f in (degrees(match["elevation"], "elevation"), bearing(match["azimuth"])))
    except EarshotError as problem:
        raise UsageError(f"'{figure}': {problem}; write it like 'gain towards NE 20 deg'") from None
    found = field.towards((math.cos(up) * math.cos(turn), math.cos(up) * math.sin(turn), math.sin(up)))
    quantity = match["quantity"].replace(" ", "_")
    if quantity not in found:
        raise UsageError(f"'{figure}': {unknown('quantity', quantity, found)}")
    return found[quantity]
