"""Lobes: finding the peak on the sphere, tracks across it, and what is read off along them."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .currents import angles_of, phi_vectors, theta_vectors, unit_vectors

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]
Level = Callable[[Floats], Floats]
"""Level in dB relative to the peak, at angles along a track in radians; NaN where there is no field to speak of."""


@dataclass(frozen=True, slots=True)
class Track:
    """A way across the sphere: directions (n, 3) at angles from start to stop, in radians."""

    name: str
    angle: str
    start: float
    stop: float
    directions: Callable[[Floats], Floats]


def great_circle(axis: Floats, side: Floats) -> Track:
    """From the peak along axis towards side, all round."""

    def directions(along: Floats) -> Floats:
        return np.asarray(np.cos(along)[:, None] * axis + np.sin(along)[:, None] * side)

    return Track("plane through the peak", "angle from the peak", -math.pi, math.pi, directions)


def meridian(azimuth: float, half_space: bool) -> Track:
    """Through the zenith at an azimuth: elevation from the horizon up and over, and below when there is a below."""
    out = np.array([math.cos(azimuth), math.sin(azimuth), 0.0])

    def directions(along: Floats) -> Floats:
        return np.asarray(np.cos(along)[:, None] * out + np.sin(along)[:, None] * np.array([0.0, 0.0, 1.0]))

    start, stop = (0.0, math.pi) if half_space else (-math.pi, math.pi)
    return Track(f"azimuth {math.degrees(azimuth):g}°", "elevation", start, stop, directions)


def cone(elevation: float) -> Track:
    """All round the z axis at an elevation."""

    def directions(along: Floats) -> Floats:
        return unit_vectors(np.full_like(along, math.pi / 2 - elevation), along)

    return Track(f"elevation {math.degrees(elevation):g}°", "azimuth", 0.0, 2.0 * math.pi, directions)


def major_axis(e_theta: Complexes, e_phi: Complexes, theta: Floats, phi: Floats) -> Floats:
    """Unit vector (3,) along the long axis of the polarisation ellipse of one field.

    Turning the field's phase so that E·E is real and positive leaves its real part along that axis.
    """
    field = e_theta[:, None] * theta_vectors(theta, phi) + e_phi[:, None] * phi_vectors(phi)
    square = (field**2).sum()
    size = float(np.linalg.norm(field))
    if abs(square) < 1e-9 * size**2:
        # Circular: every direction across the ray is as good; take the one of growing θ.
        return np.asarray(theta_vectors(theta, phi)[0])
    real = (field[0] * np.exp(-0.5j * np.angle(square))).real
    return np.asarray(real / np.linalg.norm(real))


def _first_of_the_best(values: Floats) -> int:
    """Index of the greatest value; of several equal to rounding, the first, so that symmetric patterns are stable."""
    flat = values.ravel()
    return int(np.argmax(flat >= flat.max() * (1.0 - 1e-9)))


def find_peak(intensity: Callable[[Floats, Floats], Floats], step: float, half_space: bool) -> tuple[float, float]:
    """Direction (θ, φ) of the greatest intensity: the best of a grid, then of ever finer patches round it.

    Of several alike, that of least θ, and then nearest to the x axis.
    """
    top = math.pi / 2 if half_space else math.pi
    theta = np.linspace(0.0, top, 2 * math.ceil(top / step / 2) + 1)
    phi = np.linspace(0.0, 2.0 * math.pi, 4 * math.ceil(math.pi / 2 / step), endpoint=False)
    forward = np.argsort(np.minimum(phi, 2.0 * math.pi - phi), kind="stable")
    row, column = divmod(_first_of_the_best(intensity(theta[:, None], phi)[:, forward]), len(phi))
    at = unit_vectors(theta[row], phi[forward[column]])
    offsets = np.linspace(-1.0, 1.0, 5)
    u, v = (x.ravel() for x in np.meshgrid(offsets, offsets))
    order = np.argsort(np.hypot(u, v), kind="stable")
    while step > 1e-6:
        t, p = (np.atleast_1d(x) for x in angles_of(at))
        patch = at + step * (u[order, None] * theta_vectors(t, p) + v[order, None] * phi_vectors(p))
        if half_space:
            patch[:, 2] = np.maximum(patch[:, 2], 0.0)
        patch /= np.linalg.norm(patch, axis=1)[:, None]
        at = patch[_first_of_the_best(intensity(*angles_of(patch)))]
        step /= 2.0
    t, p = angles_of(at)
    return float(t), float(p)


def _crossing(level: Level, inside: float, outside: float, value: float) -> float:
    """Where the level falls through a value between two places along a track."""
    from scipy.optimize import brentq

    return float(brentq(lambda x: float(level(np.array([x]))[0]) - value, inside, outside, xtol=1e-9))


def beamwidth(level: Level, step: float, value: float) -> float | None:
    """Width in degrees of the lobe at angle 0, at a level below it; None when it does not end."""
    edges = []
    along = np.arange(0.0, math.pi + step / 4, step / 2)
    for side in (1.0, -1.0):
        samples = level(side * along)
        fallen = np.flatnonzero(~(samples > value))
        if not fallen.size or np.isnan(samples[fallen[0]]):
            return None
        edges.append(_crossing(level, side * along[fallen[0] - 1], side * along[fallen[0]], value))
    return math.degrees(edges[0] - edges[1])


def side_lobes(level: Level, step: float) -> list[tuple[float, float]]:
    """Every maximum beside the lobe at angle 0: (dB, degrees), highest first."""
    from scipy.optimize import minimize_scalar

    count = 4 * math.ceil(math.pi / step)
    along = np.linspace(-math.pi, math.pi, count, endpoint=False)
    samples = np.nan_to_num(level(along), nan=-math.inf)
    before, after = np.roll(samples, 1), np.roll(samples, -1)
    # A rise of 0.01 dB over the neighbourhood's least makes a lobe; less is the rounding of an omnidirectional cut.
    maxima = np.flatnonzero((samples >= before) & (samples > after) & (samples > -math.inf))
    middle = count // 2
    spacing = float(along[1] - along[0])
    lobes = []
    for i in maxima.tolist():
        between = samples[min(i, middle) : max(i, middle) + 1].min()
        if between < samples[i] - 0.01:
            best = minimize_scalar(
                lambda x: -float(np.nan_to_num(level(np.array([x]))[0], nan=-300.0)),
                bounds=(float(along[i]) - spacing, float(along[i]) + spacing),
                method="bounded",
            )
            lobes.append((-float(best.fun), math.degrees(best.x)))
    return sorted(lobes, reverse=True)


def nulls(level: Level, step: float, depth: float) -> list[tuple[float, float]]:
    """Minima at least `depth` dB below the peak: (degrees, dB), nearest first."""
    from scipy.optimize import minimize_scalar

    count = 4 * math.ceil(math.pi / step)
    along = np.linspace(-math.pi, math.pi, count, endpoint=False)
    samples = np.nan_to_num(level(along), nan=math.inf)
    spacing = float(along[1] - along[0])
    found = []
    for i in np.flatnonzero((samples <= np.roll(samples, 1)) & (samples < np.roll(samples, -1))).tolist():
        best = minimize_scalar(
            lambda x: float(np.nan_to_num(level(np.array([x]))[0], nan=300.0)),
            bounds=(float(along[i]) - spacing, float(along[i]) + spacing),
            method="bounded",
            options={"xatol": 1e-7},
        )
        if best.fun <= -depth:
            found.append((math.degrees(float(best.x)), float(best.fun)))
    return sorted(found, key=lambda null: abs(null[0]))


def cap(axis: Floats, half_angle: float, step: float) -> tuple[Floats, Floats]:
    """Directions (n, 3) over a cap round an axis, its rim included, and their shares of solid angle (n,)."""
    rings = max(4, math.ceil(half_angle / step))
    polar = half_angle * np.arange(rings + 1) / rings
    turns = max(12, math.ceil(2.0 * math.pi * math.sin(min(half_angle, math.pi / 2)) / step))
    theta, phi = np.meshgrid(polar, 2.0 * math.pi * np.arange(turns) / turns, indexing="ij")
    t, p = (np.atleast_1d(x) for x in angles_of(axis))
    side, other = theta_vectors(t, p)[0], phi_vectors(p)[0]
    local = unit_vectors(theta.ravel(), phi.ravel())
    directions = local @ np.stack([side, other, axis])
    edges = np.concatenate([[0.0], 0.5 * (polar[1:] + polar[:-1]), [half_angle]])
    return directions, np.repeat(-np.diff(np.cos(edges)) / turns, turns)
