"""Turns as matrices (3, 3): about an axis, and how an antenna is held."""

from __future__ import annotations

import math

import numpy as np

from ..arraytypes import Floats

_EXACT = 1e-15
"""What a quarter turn leaves of a sine."""


def turn_about(direction: Floats, angle: float) -> Floats:
    """A right-handed turn by an angle (radians) about a direction (3,) (Rodrigues 1840)."""
    x, y, z = direction / np.linalg.norm(direction)
    cross = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    matrix: Floats = np.eye(3) + math.sin(angle) * cross + (1.0 - math.cos(angle)) * (cross @ cross)
    matrix[np.abs(matrix) < _EXACT] = 0.0
    return matrix


def held(roll: float, tilt: float, azimuth: float) -> Floats:
    """How something drawn towards +x is held (radians): rolled about x from y towards z, x tilted up, then turned."""
    x, y, z = np.eye(3)
    turns: Floats = turn_about(z, azimuth) @ turn_about(-y, tilt) @ turn_about(x, roll)
    return turns
