"""Impedances, lines and fixtures; networks of ports."""

from .network.elements import (
    Impedance,
    LineType,
    coaxial,
    impedance,
    open_circuit,
    parallel,
    series,
    short_circuit,
    trap,
    two_wire,
)
from .network.fixtures import Fixture, line_fixture
from .network.network import Network
from .network.trace import Trace

__all__ = [
    "Fixture",
    "Impedance",
    "LineType",
    "Network",
    "Trace",
    "coaxial",
    "impedance",
    "line_fixture",
    "open_circuit",
    "parallel",
    "series",
    "short_circuit",
    "trap",
    "two_wire",
]
