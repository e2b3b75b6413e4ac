"""Profiles of round surfaces, and how far places are from surfaces."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..arraytypes import Bools, Floats
from .refine import distances
from .surfaces import BOX_FACES, ROUND, Surface


@dataclass(frozen=True, slots=True)
class Stretch:
    """One smooth part of a profile: from distance s along it, 0 to length, to (ρ, z) (n, 2)."""

    at: Callable[[Floats], Floats]
    length: float


def _straight(one: Sequence[float], two: Sequence[float]) -> Stretch:
    a, b = np.array(one, float), np.array(two, float)
    length = float(np.linalg.norm(b - a))
    return Stretch(lambda s: a + (s / length)[:, None] * (b - a), length)


def profile(surface: Surface) -> list[Stretch]:
    """The profile of a round surface in its local ρ and z, from its first end to its last."""
    s = surface.sizes
    half = s[0] / 2.0
    if surface.kind == "disk":
        return [_straight((0.0, 0.0), (half, 0.0))]
    if surface.kind == "annulus":
        return [_straight((s[1] / 2.0, 0.0), (half, 0.0))]
    if surface.kind == "cone":
        return [_straight((half, 0.0), (s[1] / 2.0, s[2]))]
    if surface.kind == "cylinder":
        corners = [(half, 0.0), (half, s[1])]
        corners = [(0.0, 0.0), *corners] if surface.ends in ("closed", "first") else corners
        corners = [*corners, (0.0, s[1])] if surface.ends in ("closed", "last") else corners
        return [_straight(a, b) for a, b in itertools.pairwise(corners)]
    if surface.kind == "sphere":
        return [Stretch(lambda x: half * np.stack([np.sin(x / half), -np.cos(x / half)], axis=1), math.pi * half)]
    focal = s[1]
    rho = np.linspace(0.0, half, 2001)
    slope = rho / (2.0 * focal)
    # The length of a parabola's arc in closed form.
    arc = focal * (slope * np.sqrt(1.0 + slope**2) + np.arcsinh(slope))

    def parabola(x: Floats) -> Floats:
        r = np.interp(x, arc, rho)
        return np.stack([r, r**2 / (4.0 * focal)], axis=1)

    return [Stretch(parabola, float(arc[-1]))]


def box_faces(surface: Surface) -> list[tuple[Floats, float, float]]:
    """The faces of a box: a frame (3, 4) of two sides, normal and middle in space, and their lengths."""
    faces = []
    for name, (axis, side) in BOX_FACES.items():
        if name not in surface.ends.split():
            one, two = [i for i in range(3) if i != axis]
            middle = np.zeros(3)
            middle[axis] = side * surface.sizes[axis] / 2.0
            columns = [surface.axes[:, i] for i in (one, two, axis)]
            faces.append(
                (np.stack([*columns, surface.to_space(middle)], axis=1), surface.sizes[one], surface.sizes[two])
            )
    return faces


def distance(surface: Surface, points: Floats) -> Floats:
    """Distance (n,) of points (n, 3) from a surface, metres."""
    local = surface.to_local(points)
    if surface.kind == "triangles":
        return distances(surface.corners[np.array(surface.triangles)], points)
    if surface.kind == "box":
        off = []
        for frame, width, depth in box_faces(surface):
            here = (points - frame[:, 3]) @ frame[:, :3]
            beside = np.maximum(np.abs(here[:, :2]) - np.array([width, depth]) / 2.0, 0.0)
            off.append(np.hypot(np.linalg.norm(beside, axis=1), here[:, 2]))
        return np.asarray(np.min(off, axis=0))
    if surface.kind in ROUND:
        rho = np.hypot(local[:, 0], local[:, 1])
        off = [_from_profile(part, np.stack([rho, local[:, 2]], axis=1)) for part in profile(surface)]
        return np.asarray(np.min(off, axis=0))
    import shapely

    beside = shapely.distance(surface.outline, shapely.points(local[:, :2]))
    return np.asarray(np.hypot(beside, local[:, 2]))


@lru_cache(maxsize=4096)
def _box_round(surface: Surface) -> tuple[Floats, Floats]:
    bounds = surface.bounds
    low, high = bounds.min(axis=0), bounds.max(axis=0)
    # Circles are bounded by points on them, a little inside of what they reach.
    slack = 0.01 * float(np.linalg.norm(high - low))
    return low - slack, high + slack


def touches(surface: Surface, points: Floats, reach: float) -> Bools:
    """Which points (n, 3) are within reach of a surface; only those near the box round it are measured."""
    low, high = _box_round(surface)
    on = np.asarray(((points >= low - reach) & (points <= high + reach)).all(axis=1))
    if on.any():
        on[on] = distance(surface, points[on]) <= reach
    return on


def _from_profile(part: Stretch, places: Floats) -> Floats:
    """Distance of (ρ, z) from a stretch: from its chords, then corrected by one Newton step along it."""
    s = np.linspace(0.0, part.length, 2049)
    line = part.at(s)
    found = np.empty(len(places))
    for i, place in enumerate(places):
        nearest = int(np.argmin(np.linalg.norm(line - place, axis=1)))
        low, high = s[max(nearest - 1, 0)], s[min(nearest + 1, len(s) - 1)]
        fine = part.at(np.linspace(low, high, 65))
        along = np.diff(fine, axis=0)
        share = np.clip(((place - fine[:-1]) * along).sum(axis=1) / (along**2).sum(axis=1), 0.0, 1.0)
        found[i] = np.linalg.norm(fine[:-1] + share[:, None] * along - place, axis=1).min()
    return found
