"""Unit vectors and angles."""

from __future__ import annotations

import math

import numpy as np

from ..arraytypes import Floats


def unit_vectors(theta: Floats, phi: Floats) -> Floats:
    """Directions r̂ (..., 3) for angles of any shapes that go together."""
    sine = np.sin(theta)
    found = np.empty((*np.broadcast_shapes(np.shape(theta), np.shape(phi)), 3))
    found[..., 0], found[..., 1], found[..., 2] = sine * np.cos(phi), sine * np.sin(phi), np.cos(theta)
    return found


def theta_vectors(theta: Floats, phi: Floats) -> Floats:
    """Unit vectors of growing θ (n, 3)."""
    cosine = np.cos(theta)
    return np.stack([cosine * np.cos(phi), cosine * np.sin(phi), -np.sin(theta)], axis=-1)


def phi_vectors(phi: Floats) -> Floats:
    """Unit vectors of growing φ (n, 3)."""
    return np.stack([-np.sin(phi), np.cos(phi), np.zeros_like(phi)], axis=-1)


def angles_of(directions: Floats) -> tuple[Floats, Floats]:
    """θ in [0, π] and φ in [0, 2π) of vectors (..., 3)."""
    x, y, z = np.moveaxis(directions, -1, 0)
    theta = np.arctan2(np.hypot(x, y), z)
    phi = np.mod(np.arctan2(y, x), 2.0 * math.pi)
    return theta, np.where(phi > 2.0 * math.pi - 1e-12, 0.0, phi)
