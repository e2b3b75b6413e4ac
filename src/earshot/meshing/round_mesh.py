"""Triangles on surfaces of revolution: rings of stations along the profile, with more sectors where it is wide."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Floats, Ints
from ..description.shapes import Stretch
from ..description.surfaces import Surface
from .grading import marked_cuts

_FEWEST = 6
_GROWTH = 0.6
_BY_FEET = 0.35
_BESIDE = 0.3


def sectors(radius: Floats, chord: float, most: int) -> Ints:
    """Chords round circles of given radii: 6, 12, 24 ... up to `most`, none much longer than `chord` allows."""
    wanted = 2.0 * math.pi * radius / (1.4 * np.minimum(chord, 0.8 * radius) + 1e-300)
    doublings = np.ceil(np.log2(np.maximum(wanted / _FEWEST, 1.0)) - 1e-9)
    return np.asarray(np.minimum(_FEWEST * 2.0**doublings, most), np.int64)


@dataclass(frozen=True, slots=True)
class RoundRule:
    """How finely a round surface is divided.

    most: greatest length of an edge. around: least chords of the widest circle. edge: length at a free rim, over the
    usual one. foot: size at the first and last end on the axis, where a wire stands. planes: heights local z that rings
    must lie at, with the size there. radii: of rings that there must be; turn: angle of a vertex of each. rims: least
    chords of the first and the last ring, where another part has as many.
    """

    most: float
    around: int
    edge: float
    foot: tuple[float | None, float | None] = (None, None)
    planes: tuple[tuple[float, float], ...] = ()
    rims: tuple[int, int] = (0, 0)
    radii: tuple[float, ...] = ()
    turn: float = 0.0


@dataclass(frozen=True, slots=True)
class Rim:
    """A ring at an end of a round surface: its middle in space, direction of the axis, radius and chords."""

    middle: Floats
    axis: Floats
    radius: float
    chords: int


def _spacing(parts: Sequence[Stretch], rule: RoundRule) -> tuple[float, float, int]:
    """The widest radius, the length of a chord there, and how many there are."""
    widest = max(float(p.at(np.linspace(0.0, p.length, 33))[:, 0].max()) for p in parts)
    wanted = max(rule.around, 2.0 * math.pi * widest / (1.4 * rule.most))
    top = _FEWEST * 2 ** math.ceil(math.log2(wanted / _FEWEST) - 1e-9)
    return widest, min(rule.most, 2.0 * math.pi * widest / top), top


def rims(surface: Surface, rule: RoundRule) -> list[Rim | None]:
    """The rings at the first and the last end; None where an end is on the axis."""
    parts = surface.shape.profile
    widest, chord, top = _spacing(parts, rule)
    found: list[Rim | None] = []
    for part, at in ((parts[0], 0.0), (parts[-1], parts[-1].length)):
        rho, z = part.at(np.array([at]))[0]
        if rho < 1e-9 * widest:
            found.append(None)
            continue
        middle = surface.to_space(np.array([0.0, 0.0, z]))
        found.append(Rim(middle, surface.axes[:, 2], float(rho), int(sectors(np.array([rho]), chord, top)[0])))
    return found


def round_mesh(surface: Surface, rule: RoundRule) -> tuple[Floats, Ints]:
    """Vertices (n, 3) in space and triangles (m, 3)."""
    parts = surface.shape.profile
    widest, chord, top = _spacing(parts, rule)
    stations: list[Floats] = []
    for n, part in enumerate(parts):
        # Along a tube, cells may be longer than the chords round it.
        steady = np.ptp(part.at(np.linspace(0.0, part.length, 3))[:, 0]) < 1e-9 * widest
        usual = min(rule.most, 4.0 * chord) if steady else min(0.7 * rule.most, 1.3 * chord)
        ends = []
        for last, at in ((False, 0.0), (True, part.length)):
            rho = part.at(np.array([at]))[0, 0]
            outer = n == (len(parts) - 1 if last else 0)
            if rho < 1e-9 * widest:
                ends.append(rule.foot[1 if last else 0] or usual if outer else usual)
            else:
                ends.append(min((rule.edge if outer else max(rule.edge, 0.4)) * usual, 0.8 * rho))
        marks = [(s, size) for z, size in rule.planes for s in _crossings(part, 1, z)]
        marks += [(s, usual) for rho in rule.radii for s in _crossings(part, 0, rho)]
        growth = _BY_FEET if (n == 0 and rule.foot[0]) or (n == len(parts) - 1 and rule.foot[1]) else _GROWTH
        places = part.at(marked_cuts(part.length, ends[0], ends[1], min(usual, part.length / 4.0), marks, growth))
        places[np.abs(places[:, 0]) < 1e-9 * widest, 0] = 0.0
        stations += list(places[1:] if stations else places)
    rings = np.array(stations)
    counts = sectors(rings[:, 0], chord, top)
    counts[0], counts[-1] = max(counts[0], rule.rims[0]), max(counts[-1], rule.rims[1])
    # Away from a ring of more chords there are half as many, and half of those; not so near that chords would cross.
    steps = np.linalg.norm(np.diff(rings, axis=0), axis=1)
    for order in (range(1, len(counts)), range(len(counts) - 2, -1, -1)):
        for i in order:
            before = i - order.step
            near = steps[min(i, before)] < _BESIDE * 2.0 * math.pi * rings[before, 0] / counts[before]
            counts[i] = max(counts[i], counts[before] if near and rings[i, 0] > 0.0 else counts[before] // 2, _FEWEST)
    vertices, triangles = _rings(list(zip(rings, counts.tolist(), strict=True)))
    if rule.turn:
        c, s = math.cos(rule.turn), math.sin(rule.turn)
        vertices = vertices @ np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])
    return surface.to_space(vertices), triangles


def _crossings(part: Stretch, axis: int, at: float) -> list[float]:
    """Where a stretch of the profile passes a radius (axis 0) or a height (axis 1)."""
    s = np.linspace(0.0, part.length, 257)
    off = part.at(s)[:, axis] - at
    rise = np.flatnonzero(off[:-1] * off[1:] < 0.0)
    found = [float(s[i] - off[i] * (s[i + 1] - s[i]) / (off[i + 1] - off[i])) for i in rise]
    return found + [float(x) for x in s[1:-1][off[1:-1] == 0.0]]


def _rings(rings: Sequence[tuple[Floats, int]]) -> tuple[Floats, Ints]:
    vertices: list[Floats] = []
    numbers: list[Ints] = []
    count = 0
    for (rho, z), n in rings:
        if rho == 0.0:
            vertices.append(np.array([[0.0, 0.0, z]]))
            n = 1
        else:
            turn = 2.0 * math.pi / n * np.arange(n)
            vertices.append(np.stack([rho * np.cos(turn), rho * np.sin(turn), np.full(n, z)], axis=1))
        numbers.append(count + np.arange(n))
        count += n
    faces = [_strip(a, b) for a, b in itertools.pairwise(numbers)]
    return np.concatenate(vertices), np.array([f for strip in faces for f in strip], np.int64)


def _strip(one: Ints, two: Ints) -> list[tuple[int, int, int]]:
    """Triangles between two rings that both begin at angle 0; a ring of one vertex is a point on the axis."""
    if len(one) == 1:
        return [(int(one[0]), int(two[i]), int(two[(i + 1) % len(two)])) for i in range(len(two))]
    if len(two) == 1:
        return [(int(two[0]), int(one[(i + 1) % len(one)]), int(one[i])) for i in range(len(one))]
    few, many, turned = (one, two, False) if len(one) <= len(two) else (two, one, True)
    ratio = len(many) // len(few)
    faces = []
    for s in range(len(few)):
        here, after = int(few[s]), int(few[(s + 1) % len(few)])
        outer = [int(many[(ratio * s + q) % len(many)]) for q in range(ratio + 1)]
        # The middle of the longer ring's stretch changes hands; with one chord each, diagonals alternate.
        half = ratio // 2 if ratio > 1 else s % 2
        for q in range(ratio):
            faces.append((here if q < half else after, outer[q], outer[q + 1]))
        faces.append((here, outer[half], after))
    return [(a, c, b) for a, b, c in faces] if turned else faces
