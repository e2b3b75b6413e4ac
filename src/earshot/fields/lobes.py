"""Lobes: finding the peak on the sphere, tracks across it, and what is read off along them."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arraytypes import Complexes, Floats
from .directions import angles_of, phi_vectors, theta_vectors, unit_vectors

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


HALF_POWER = -10.0 * math.log10(2.0)
"""dB."""
EQUAL = 0.05
"""dB within which lobes are as strong as the main one."""
_DEEPEST = 60.0
_MOST, _EXACT, _RIDGES = 600, 12, 24
_STEEP = np.radians([0.05, 0.1, 0.2, 0.35, 0.6, 1.0, 1.5, 2.2, 3.2, 4.5])
"""Elevations looked at besides, where the field may change within degrees of the horizon."""


@dataclass(frozen=True, slots=True)
class Lobe:
    """A maximum of the intensity (W/sr) over all directions, and where it is (θ, φ), radians."""

    level: float
    theta: float
    phi: float


def find_lobes(
    intensity: Callable[[Floats, Floats], Floats], along: float, around: float, half_space: bool, steep: bool = False
) -> list[Lobe]:
    """Every lobe, the strongest first; of several alike, that of least θ, and then nearest to the x axis.

    along, around: steps of θ, and of φ at the horizon, radians, four to the shortest period of the intensity at most.
    Every maximum of the grid that may be a lobe within 60 dB of the strongest is followed to its top; maxima of one
    ring, as round an upright antenna, are one.
    """
    top = math.pi / 2 if half_space else math.pi
    theta = np.linspace(0.0, top, 2 * math.ceil(top / along / 2) + 1)
    if steep:
        near = np.concatenate([math.pi / 2 - _STEEP, [] if half_space else math.pi / 2 + _STEEP])
        theta = np.union1d(theta, near)
    phi = np.linspace(0.0, 2.0 * math.pi, 4 * math.ceil(math.pi / 2 / around), endpoint=False)
    level = intensity(theta[:, None], phi)
    # The poles are one direction each.
    level[0] = level[0, 0]
    if not half_space:
        level[-1] = level[-1, 0]
    rows, columns = _candidates(level, half_space)
    at, level = _climbed(intensity, unit_vectors(theta[rows], phi[columns]), (along, around), half_space, 5)
    _go_on_uphill(intensity, at, level, along / 2.0, half_space)
    # The strongest to the last digit; of the rest the level is known to 1e-3 dB.
    best = np.argsort(-level, kind="stable")[:_EXACT]
    steps = along / 2**4, around / 2**4
    at[best], level[best] = _polished(intensity, at[best], steps, half_space)
    return _distinct(at, level, intensity, along)


def _candidates(level: Floats, half_space: bool) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Rows and columns of the grid's maxima, the strongest first, one for each ring."""
    padded = np.pad(level, ((1, 1), (1, 1)), mode="wrap")
    # Beyond a pole is the other side; below the horizon of a half space there is nothing.
    half = level.shape[1] // 2
    padded[0, 1:-1] = np.roll(level[1], half)
    padded[-1, 1:-1] = -math.inf if half_space else np.roll(level[-2], half)
    for row in (0, -1):
        padded[row, 0], padded[row, -1] = padded[row, -2], padded[row, 1]
    slack = 1.0 - 1e-9
    greatest = np.ones(level.shape, bool)
    for i in range(3):
        for j in range(3):
            if (i, j) != (1, 1):
                beside = padded[i : i + level.shape[0], j : j + level.shape[1]]
                greatest &= level >= slack * beside
    greatest &= level > 10.0 ** (-_DEEPEST / 10.0) * level.max()
    # Cells side by side that are equal are one place of a ring.
    digits = np.round(np.log(np.maximum(level, 1e-300)), 8)
    follows = greatest & np.roll(greatest, 1, axis=1) & (digits == np.roll(digits, 1, axis=1))
    whole = follows.all(axis=1)
    follows[whole, 0] = False
    rows, columns = np.nonzero(greatest & ~follows)
    strongest = np.argsort(-level[rows, columns], kind="stable")[:_MOST]
    return rows[strongest], columns[strongest]


_OFFSETS = np.linspace(-1.0, 1.0, 5)
_U, _V = (x.ravel() for x in np.meshgrid(_OFFSETS, _OFFSETS))
_ORDER = np.argsort(np.hypot(_U, _V), kind="stable")
_U, _V = _U[_ORDER], _V[_ORDER]
"""A patch of 25 places, the nearest to its middle first."""
_FIT = np.linalg.pinv(np.stack([np.ones(25), _U, _V, _U**2 / 2.0, _U * _V, _V**2 / 2.0], axis=1))
_FIT_ALONG = np.linalg.pinv(np.stack([np.ones(5), _OFFSETS, _OFFSETS**2 / 2.0], axis=1))
"""What gives the coefficients of the parabola that fits such a patch, or five places along a track, best."""
_ROUNDS, _FINER, _ROUND = 3, 8.0, 1e-7
_CLOSER = 3
"""Times that a crossing is looked for sixteen times as closely, before it is taken to lie on a straight line."""
_LONGEST, _FLAT = 60, 1e-5
"""Steps uphill at most, and a rise over a patch that is none."""


def _moved(at: Floats, u: Floats, v: Floats, half_space: bool) -> Floats:
    """Directions (n, m, 3) that lie u and v (n, m), radians, along θ and φ from others (n, 3)."""
    t, p = angles_of(at)
    one, two = theta_vectors(t, p), phi_vectors(p)
    patch = at[:, None] + u[..., None] * one[:, None] + v[..., None] * two[:, None]
    if half_space:
        patch[..., 2] = np.maximum(patch[..., 2], 0.0)
    return np.asarray(patch / np.linalg.norm(patch, axis=2)[..., None])


def _climbed(
    intensity: Callable[[Floats, Floats], Floats],
    at: Floats,
    steps: tuple[float, float],
    half_space: bool,
    times: int,
) -> tuple[Floats, Floats]:
    """Directions (n, 3) at the tops of the lobes that others belong to, and the intensity there (n,).

    The best of a patch, then of ever finer ones round it, halved so many times.
    """
    level, (along, around) = np.zeros(len(at)), steps
    for _ in range(times):
        patch = _moved(at, np.tile(along * _U, (len(at), 1)), np.tile(around * _V, (len(at), 1)), half_space)
        found = _over(intensity, patch)
        # Of values equal to rounding the one in the middle, so that nothing wanders along a ring.
        best = (found >= found.max(axis=1, keepdims=True) * (1.0 - 1e-11)).argmax(axis=1)
        rows = np.arange(len(at))
        at, level = patch[rows, best], found[rows, best]
        along, around = along / 2.0, around / 2.0
    return at, level


def _go_on_uphill(
    intensity: Callable[[Floats, Floats], Floats], at: Floats, level: Floats, widest: float, half_space: bool
) -> None:
    """Take places (n, 3) that are on a slope still to its top, such as where a ridge lies aslant in the grid.

    Steps to the tops of parabolas, along each of their axes as far as a patch goes at most; where that does not lead
    up, the patch is halved.
    """
    width = np.full(len(at), widest)
    going = np.flatnonzero(at[:, 2] > 2.0 * widest) if half_space else np.arange(len(at))
    for _ in range(_LONGEST):
        if not len(going):
            return
        size = width[going, None]
        patch = _moved(at[going], size * _U, size * _V, half_space)
        _, u, v, uu, uv, vv = _FIT @ np.log(np.maximum(_over(intensity, patch), 1e-300)).T
        turn = 0.5 * np.arctan2(2.0 * uv, uu - vv)
        axes = np.stack([np.cos(turn), np.sin(turn)]), np.stack([-np.sin(turn), np.cos(turn)])
        along, slope = np.zeros((2, len(going))), np.zeros(len(going))
        inside = np.ones(len(going), bool)
        for a, b in axes:
            rise, bend = a * u + b * v, a * a * uu + 2.0 * a * b * uv + b * b * vv
            step = np.where(bend < 0.0, rise / np.maximum(-bend, 1e-300), np.copysign(np.inf, rise))
            along += np.clip(np.nan_to_num(step), -1.0, 1.0) * np.stack([a, b])
            inside &= np.abs(step) <= 1.0
            slope += np.abs(rise)
        x, y = along * size.T
        there = _moved(at[going], x[:, None], y[:, None], half_space)
        found = _over(intensity, there)[:, 0]
        # Along a ring, nothing wanders.
        up = (found > level[going]) & (slope > _FLAT)
        at[going[up]], level[going[up]] = there[up, 0], found[up]
        width[going[~up]] /= 2.0
        going = going[~(inside | (slope < _FLAT)) & (width[going] > widest / 2**6)]


def _over(intensity: Callable[[Floats, Floats], Floats], places: Floats) -> Floats:
    """The intensity at directions (n, m, 3): (n, m)."""
    return intensity(*(x.ravel() for x in angles_of(places))).reshape(places.shape[:2])


def _polished(
    intensity: Callable[[Floats, Floats], Floats], at: Floats, steps: tuple[float, float], half_space: bool
) -> tuple[Floats, Floats]:
    """The same to the last digit, from places within a step of the tops: those of parabolas through ever finer patches.

    Where there is none, as along a ring, or at the horizon of a half space, they are climbed to.
    """
    start, (along, around), smooth = at, steps, np.ones(len(at), bool)
    for _ in range(_ROUNDS):
        patch = _moved(at, np.tile(along * _U, (len(at), 1)), np.tile(around * _V, (len(at), 1)), half_space)
        found = _over(intensity, patch)
        _, u, v, uu, uv, vv = _FIT @ np.log(np.maximum(found, 1e-300)).T
        round_ = uu * vv - uv**2
        smooth &= (uu < 0.0) & (round_ > _ROUND * (uu + vv) ** 2)
        round_ = np.where(smooth, round_, 1.0)
        to_u, to_v = (uv * v - vv * u) / round_, (uv * u - uu * v) / round_
        smooth &= np.maximum(np.abs(to_u), np.abs(to_v)) <= 1.0
        smooth &= (at[:, 2] > 2.0 * along) | (not half_space)
        step_u, step_v = (np.where(smooth, x, 0.0)[:, None] for x in (to_u * along, to_v * around))
        at = _moved(at, step_u, step_v, half_space)[:, 0]
        along, around = along / _FINER, around / _FINER
    level = intensity(*angles_of(at))
    if not smooth.all():
        at[~smooth], level[~smooth] = _climbed(intensity, start[~smooth], steps, half_space, 22)
    return at, level


def _distinct(at: Floats, level: Floats, intensity: Callable[[Floats, Floats], Floats], step: float) -> list[Lobe]:
    """Lobes, the strongest first, each once: tops that lie together, or along a ridge between which it hardly falls."""
    theta, phi = angles_of(at)
    aside = np.minimum(phi, 2.0 * math.pi - phi)
    # Those equal to rounding by least θ, then nearest to the x axis.
    order = np.lexsort((phi, np.round(aside, 6), np.round(theta, 6), -np.round(np.log(level), 8)))
    kept: list[int] = []
    places, close = np.empty_like(at), math.cos(min(step, 0.1))
    for i in order.tolist():
        if not (places[: len(kept)] @ at[i] > close).any():
            places[len(kept)] = at[i]
            kept.append(i)
    # A ring has as many tops as there are samples round it, some joined to the first by way of others alone.
    alike = int((level[kept] > level[kept[0]] * 10.0 ** (-EQUAL / 10.0)).sum())
    others, beyond, ridge = np.array(kept[1 : max(alike, _RIDGES)], int), kept[max(alike, _RIDGES) :], kept[:1]
    while ridge and len(others):
        joined = _one_ridge(at[ridge.pop()], at[others], level[others], intensity)
        ridge += [i for i in others[joined].tolist() if level[i] > level[kept[0]] * 10.0 ** (-EQUAL / 10.0)]
        others = others[~joined]
    kept = [kept[0], *others.tolist(), *beyond]
    return [Lobe(float(level[i]), float(theta[i]), float(phi[i])) for i in kept]


def _one_ridge(
    main: Floats, others: Floats, levels: Floats, intensity: Callable[[Floats, Floats], Floats]
) -> NDArray[np.bool_]:
    """Whether the field between a lobe and others (n, 3) of levels (n,) hardly falls, by one way or another: (n,)."""
    ways = [(number, way) for number, other in enumerate(others) for way in _ways(main, other)]
    joined = np.zeros(len(others), bool)
    if ways:
        number, places = np.array([n for n, _ in ways]), np.stack([way for _, way in ways])
        seen = _over(intensity, places)
        joined[number[seen.min(axis=1) > levels[number] * 10.0 ** (-0.001)]] = True
    return joined


def _ways(main: Floats, other: Floats) -> Iterator[Floats]:
    """Directions (31, 3) from one to another, by the shorter way round or by the cones round an axis."""
    share = np.linspace(0.0, 1.0, 33)[1:-1]
    angle = math.acos(float(np.clip(main @ other, -1.0, 1.0)))
    if 1e-6 < angle < math.pi - 1e-6:
        yield (np.sin((1 - share) * angle)[:, None] * main + np.sin(share * angle)[:, None] * other) / math.sin(angle)
    for axis in range(3):
        # Round an axis, when both are at one angle from it.
        if abs(main[axis] - other[axis]) < 1e-4:
            one, two = ((axis + 1) % 3, (axis + 2) % 3)
            radius = math.hypot(main[one], main[two])
            begin, end = (math.atan2(x[two], x[one]) for x in (main, other))
            turn = (end - begin + math.pi) % (2.0 * math.pi) - math.pi
            along = begin + turn * share
            cone = np.zeros((len(share), 3))
            cone[:, axis] = main[axis]
            cone[:, one], cone[:, two] = radius * np.cos(along), radius * np.sin(along)
            yield cone


def _crossings(level: Level, inside: Floats, outside: Floats, value: float) -> Floats:
    """Where the level falls through a value between pairs of places along a track."""
    share, rows = np.linspace(0.0, 1.0, 17), np.arange(len(inside))
    for _ in range(_CLOSER):
        places = inside[:, None] + (outside - inside)[:, None] * share
        found = level(places.ravel()).reshape(places.shape)
        # The last of them is where it has fallen, but for its rounding.
        fallen = 1 + np.append(~(found[:, 1:-1] > value), np.ones((len(rows), 1), bool), axis=1).argmax(axis=1)
        inside, outside = places[rows, fallen - 1], places[rows, fallen]
        above, below = found[rows, fallen - 1], found[rows, fallen]
    return np.asarray(inside + (above - value) / (above - below) * (outside - inside))


def beamwidth(level: Level, step: float, value: float) -> float | None:
    """Width in degrees of the lobe at angle 0, at a level below it; None when it does not end."""
    along = np.array([[1.0], [-1.0]]) * np.arange(0.0, math.pi + step / 4, step / 2)
    samples = level(along.ravel()).reshape(along.shape)
    fallen = ~(samples > value)
    first, rows = fallen.argmax(axis=1), np.arange(2)
    if not (fallen.any(axis=1) & (first > 0)).all() or np.isnan(samples[rows, first]).any():
        return None
    edges = _crossings(level, along[rows, first - 1], along[rows, first], value)
    return math.degrees(edges[0] - edges[1])


def side_lobes(level: Level, step: float) -> list[tuple[float, float]]:
    """Every maximum beside the lobe at angle 0: (dB, degrees), highest first."""
    along, samples = _round(level, step)
    # A rise of 0.01 dB over the neighbourhood's least makes a lobe; less is the rounding of an omnidirectional cut.
    known = np.nan_to_num(samples, nan=-math.inf)
    maxima = np.flatnonzero((known >= np.roll(known, 1)) & (known > np.roll(known, -1)) & (known > -math.inf))
    middle = len(along) // 2
    # The least between each place and the middle.
    before = np.minimum.accumulate(known[middle::-1])[::-1]
    between = np.concatenate([before[:-1], np.minimum.accumulate(known[middle:])])
    chosen = maxima[between[maxima] < known[maxima] - 0.01]
    places, levels = _tops(level, along[chosen], float(along[1] - along[0]), 1.0)
    return sorted(zip(levels.tolist(), np.degrees(places).tolist(), strict=True), reverse=True)


def nulls(level: Level, step: float, depth: float) -> list[tuple[float, float]]:
    """Minima at least `depth` dB below the peak: (degrees, dB), nearest first."""
    along, samples = _round(level, step)
    known = np.nan_to_num(samples, nan=math.inf)
    minima = np.flatnonzero((known <= np.roll(known, 1)) & (known < np.roll(known, -1)))
    places, levels = _tops(level, along[minima], float(along[1] - along[0]), -1.0)
    found = zip(np.degrees(places).tolist(), levels.tolist(), strict=True)
    return sorted((one for one in found if one[1] <= -depth), key=lambda null: abs(null[0]))


def _round(level: Level, step: float) -> tuple[Floats, Floats]:
    """Angles all round, and the level there."""
    along = np.linspace(-math.pi, math.pi, 4 * math.ceil(math.pi / step), endpoint=False)
    return along, level(along)


def _tops(level: Level, places: Floats, step: float, sign: float) -> tuple[Floats, Floats]:
    """Where the level is greatest (sign 1) or least (-1) within a step of each place, and what it is there.

    By parabolas through five ever closer places; where there is none, as at an edge, by ever finer search.
    """
    if not len(places):
        return places, places
    start, near, smooth = places, step, np.ones(len(places), bool)
    for _ in range(_ROUNDS + 1):
        around = places[:, None] + near * _OFFSETS
        found = sign * level(around.ravel()).reshape(around.shape)
        smooth &= np.isfinite(found).all(axis=1) & (found.max(axis=1) > found[:, [0, -1]].max(axis=1))
        _, slope, bend = _FIT_ALONG @ np.where(smooth[:, None], found, 0.0).T
        smooth &= bend < 0.0
        move = np.where(smooth, -slope / np.where(bend < 0.0, bend, -1.0), 0.0)
        smooth &= np.abs(move) <= 1.0
        places = places + near * np.where(smooth, move, 0.0)
        near /= _FINER
    levels = level(places)
    if not smooth.all():
        places[~smooth], levels[~smooth] = _searched(level, start[~smooth], step, sign)
    return places, levels


def _searched(level: Level, places: Floats, step: float, sign: float) -> tuple[Floats, Floats]:
    """The same by halving steps."""
    offsets = np.array([0.0, -0.5, 0.5, -1.0, 1.0])
    levels = np.zeros(len(places))
    for _ in range(26):
        around = places[:, None] + step * offsets
        found = sign * level(around.ravel()).reshape(around.shape)
        best = np.nan_to_num(found, nan=-math.inf).argmax(axis=1)
        rows = np.arange(len(places))
        places, levels = around[rows, best], sign * found[rows, best]
        step /= 2.0
    return places, levels


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
