"""Rays round edges among flat faces: which are in sight, where ways are shortest, and paths that hold to places.

Faces, the ground and paths are those of `rays`.
"""

import math
from typing import NamedTuple

import numpy as np
from numba import njit

from .rays import BENT, MIRRORED, NEAR, crossed, in_beam, mirrored, on_face, outwards, put, within

_REACH = 3.0
"""Square root of half the phase, from an edge's end on, up to which its bent ray is looked for."""
_TO_END = 1e-3
"""m that places on an edge keep from its ends."""
_GRAZING = 1e-7
"""Radians within which a way goes along a face."""
_WIDE, _ROUNDS, _STEPS = 8.0, 6, 60
"""Of finding the shortest way round two edges: lengths off them that are nowhere near, rounds of one edge after the
other, steps with both at once."""
_LEVEL, _FLAT = 1e-13, 1e-9
"""Slopes of a way's length at its shortest: where it is settled, and what is none."""


class Edges(NamedTuple):
    """Of n edges: start, along (unit), both (n, 3); length (n,); faces (n, 2) or -1 where there is no second; axes of
    the first face: away from the edge in it, and its normal, (n, 3); angle (n,) of the air between both, radians.
    """  # fmt: skip

    start: np.ndarray
    along: np.ndarray
    length: np.ndarray
    faces: np.ndarray
    away: np.ndarray
    normal: np.ndarray
    angle: np.ndarray


@njit(nogil=True, cache=True, error_model="numpy")
def _outside(edges, e, p):
    """Whether a place is in the air between an edge's faces."""
    x, y, z = p[0] - edges.start[e, 0], p[1] - edges.start[e, 1], p[2] - edges.start[e, 2]
    up = x * edges.normal[e, 0] + y * edges.normal[e, 1] + z * edges.normal[e, 2]
    angle = math.atan2(up, x * edges.away[e, 0] + y * edges.away[e, 1] + z * edges.away[e, 2])
    if angle < -_GRAZING:
        angle += 2.0 * math.pi
    return angle < edges.angle[e] + _GRAZING


@njit(nogil=True, cache=True, error_model="numpy")
def _on_edge(edges, e, share, out):
    """A place on an edge, a little off its ends."""
    gap = min(_TO_END, 0.1 * edges.length[e])
    t = min(max(share * edges.length[e], gap), edges.length[e] - gap)
    for n in range(3):
        out[n] = edges.start[e, n] + t * edges.along[e, n]


@njit(nogil=True, cache=True, error_model="numpy")
def seen_from(faces, edges, apex, mirror, source, samples, sights, seen):
    """Which edges are in sight of a source by way of the face that made its image, or straight, into seen (n,).

    Of a wall: those in its beam that it has in sight (edges, faces + 1); of the source itself and by the ground samples
    of each edge are looked at.
    """
    found, skip, turn = np.empty(1, np.int64), np.full(4, -1), np.empty(3)
    at, corners = np.empty(3), np.empty((2, 3))
    for e in range(len(edges.length)):
        seen[e] = False
        if 0 <= mirror < len(faces.offsets):
            _on_edge(edges, e, 0.0, corners[0])
            _on_edge(edges, e, 1.0, corners[1])
            seen[e] = sights[e, mirror] and in_beam(faces, mirror, apex, corners)
            continue
        for s in range(samples + 1):
            # Its ends among them: rays that are bent a little beyond these are looked for there.
            _on_edge(edges, e, s / samples, at)
            skip[2], skip[3] = edges.faces[e, 0], edges.faces[e, 1]
            if mirror < 0:
                skip[0] = -1
                good = _outside(edges, e, source) and crossed(faces, source, at, skip, found[:0]) == 0
            else:
                good = _by(faces, edges, e, apex, mirror, source, at, skip, found, turn)
            if good:
                seen[e] = True
                break


@njit(nogil=True, cache=True, error_model="numpy")
def _by(faces, edges, e, apex, mirror, source, at, skip, found, turn):
    """Whether a place on an edge and another see one another by one mirror, whose image of the other is the apex."""
    one, two = outwards(faces, mirror, apex), outwards(faces, mirror, at)
    if one * two >= 0.0 or abs(two) < NEAR:
        return False
    t = one / (one - two)
    for n in range(3):
        turn[n] = apex[n] + t * (at[n] - apex[n])
    if mirror < len(faces.offsets) and not within(faces, mirror, turn[0], turn[1], turn[2]):
        return False
    if not _outside(edges, e, turn):
        return False
    skip[0] = mirror
    if crossed(faces, turn, at, skip, found[:0]):
        return False
    one_, two_ = skip[2], skip[3]
    skip[2], skip[3] = -1, -1
    clear = crossed(faces, source, turn, skip, found[:0]) == 0
    skip[2], skip[3] = one_, two_
    return clear


@njit(nogil=True, cache=True, error_model="numpy")
def faces_seen(faces, edges, samples, start, stop, seen):
    """Which faces (and the ground, last) the edges from start to stop have in sight, into seen (edges, faces + 1)."""
    found, skip = np.empty(1, np.int64), np.full(4, -1)
    at, there, total = np.empty(3), np.empty(3), len(faces.offsets)
    for e in range(start, stop):
        for f in range(total):
            seen[e, f] = False
            if f == edges.faces[e, 0] or f == edges.faces[e, 1]:
                continue
            skip[0], skip[2], skip[3] = f, edges.faces[e, 0], edges.faces[e, 1]
            for s in range(samples * samples * samples):
                _on_edge(edges, e, (s // samples**2 + 0.5) / samples, at)
                if not faces.open[f] and outwards(faces, f, at) < NEAR:
                    continue
                on_face(faces, f, s % samples, s // samples % samples, samples, there)
                if _outside(edges, e, there) and crossed(faces, at, there, skip, found[:0]) == 0:
                    seen[e, f] = True
                    break
        seen[e, total] = True


@njit(nogil=True, cache=True, error_model="numpy")
def edges_seen(faces, edges, samples, start, stop, seen):
    """Which edges those from start to stop have in sight, into seen (edges, edges), by samples of both."""
    found, skip = np.empty(1, np.int64), np.empty(4, np.int64)
    at, there = np.empty(3), np.empty(3)
    for e in range(start, stop):
        for d in range(len(edges.length)):
            seen[e, d] = False
            if d == e:
                continue
            skip[0], skip[1] = edges.faces[e, 0], edges.faces[e, 1]
            skip[2], skip[3] = edges.faces[d, 0], edges.faces[d, 1]
            for s in range(samples * samples):
                _on_edge(edges, e, (s % samples + 0.5) / samples, at)
                _on_edge(edges, d, (s // samples + 0.5) / samples, there)
                if (
                    _outside(edges, e, there)
                    and _outside(edges, d, at)
                    and crossed(faces, at, there, skip, found[:0]) == 0
                ):
                    seen[e, d] = True
                    break


@njit(inline="always")
def _root(x, y):
    return math.sqrt(x * x + y * y)


@njit(inline="always")
def _along(edges, e, p):
    """Where a place is along an edge, and how far from its line."""
    x, y, z = p[0] - edges.start[e, 0], p[1] - edges.start[e, 1], p[2] - edges.start[e, 2]
    t = x * edges.along[e, 0] + y * edges.along[e, 1] + z * edges.along[e, 2]
    return t, math.sqrt(max(x * x + y * y + z * z - t * t, 0.0))


@njit(inline="always")
def _middle(square, wx, wy, cosine, t, u):
    """Length of the way between two places on two lines."""
    return math.sqrt(max(square + t * t + u * u + 2.0 * (u * wy - t * wx - t * u * cosine), 0.0))


@njit(nogil=True, cache=True, error_model="numpy")
def shortest(edges, e, d, one, two):
    """Where along two edges the way from one place round both to another is shortest, and the lengths of its parts; not
    a number where both meet.
    """  # fmt: skip
    at1, far1 = _along(edges, e, one)
    at2, far2 = _along(edges, d, two)
    cosine, wx, wy, square = 0.0, 0.0, 0.0, 0.0
    for n in range(3):
        w, x, y = edges.start[d, n] - edges.start[e, n], edges.along[e, n], edges.along[d, n]
        cosine, wx, wy, square = cosine + x * y, wx + w * x, wy + w * y, square + w * w
    t, u = 0.5 * edges.length[e], 0.5 * edges.length[d]
    for _ in range(_ROUNDS):
        # One edge at a time: both ends seen at one angle to it.
        at = wx + u * cosine
        off = max(_middle(square, wx, wy, cosine, at, u), 1e-12)
        t = (at1 * off + at * far1) / (off + far1)
        at = t * cosine - wy
        off = max(_middle(square, wx, wy, cosine, t, at), 1e-12)
        u = (at * far2 + at2 * off) / (off + far2)
    la, lb, lm = _root(t - at1, far1), _root(u - at2, far2), _middle(square, wx, wy, cosine, t, u)
    one_, two_ = edges.length[e], edges.length[d]
    if t < -_WIDE * one_ or t > (1.0 + _WIDE) * one_ or u < -_WIDE * two_ or u > (1.0 + _WIDE) * two_:
        # Nowhere near.
        return math.nan, math.nan, la, lm, lb
    for _ in range(_STEPS):
        if la < NEAR or lm < _TO_END or lb < NEAR:
            return math.nan, math.nan, la, lm, lb
        ax, by = (t - at1) / la, (u - at2) / lb
        mx, my = (t - wx - u * cosine) / lm, (u + wy - t * cosine) / lm
        g, h = ax + mx, my + by
        if abs(g) + abs(h) < _LEVEL:
            break
        # The length is a convex function: Newton's step, shortened until it is one down.
        tt = (1.0 - ax * ax) / la + (1.0 - mx * mx) / lm
        uu = (1.0 - my * my) / lm + (1.0 - by * by) / lb
        tu = -(mx * my + cosine) / lm
        det = tt * uu - tu * tu
        if not det > 1e-14 * tt * uu:
            break
        dt, du = (uu * g - tu * h) / det, (tt * h - tu * g) / det
        size, whole = 1.0, la + lm + lb
        for _ in range(12):
            p, q = t - size * dt, u - size * du
            la, lb, lm = _root(p - at1, far1), _root(q - at2, far2), _middle(square, wx, wy, cosine, p, q)
            if la + lm + lb <= whole * (1.0 + 1e-15):
                break
            size *= 0.5
        t, u = p, q
    ax, by = (t - at1) / la, (u - at2) / lb
    mx, my = (t - wx - u * cosine) / lm, (u + wy - t * cosine) / lm
    if lm < _TO_END or abs(ax + mx) + abs(my + by) > _FLAT:
        return math.nan, math.nan, la, lm, lb
    return t, u, la, lm, lb


@njit(nogil=True, cache=True, error_model="numpy")
def ways_round(edges, first, last, one, two, places):
    """Where ways (n,) bend from places one to places two, both (n, 3), along their edges, into places (n, 2).

    last: the second edge of each, -1 where there is none; both are at the first then.
    """
    for n in range(len(first)):
        if last[n] < 0:
            t1, far1 = _along(edges, first[n], one[n])
            t2, far2 = _along(edges, first[n], two[n])
            places[n, 0] = places[n, 1] = (t1 * far2 + t2 * far1) / (far1 + far2)
        else:
            t, u, _, _, _ = shortest(edges, first[n], last[n], one[n], two[n])
            places[n, 0], places[n, 1] = t, u


@njit(inline="always")
def _beyond(edges, e, t, sine, near, far, wave):
    """Whether a place is so far off an edge's end that nothing is bent there."""
    off = max(-t, t - edges.length[e])
    return off > 0.0 and off * sine * math.sqrt(math.pi / wave * (1.0 / near + 1.0 / far)) > _REACH


@njit(nogil=True, cache=True, error_model="numpy")
def bent_paths(faces, edges, wave, source, places, mirrors, tries, ends, to, kinds, numbers, points):
    """Paths round one edge to ends (n, 3): tries (m, 3) of an image (0 or one of the first order), an edge, and a face
    that mirrors afterwards or -1. What is found is told as `mirrored_paths` tells it.
    """  # fmt: skip
    room = len(kinds)
    count = 0
    found, skip = np.empty(1, np.int64), np.full(4, -1)
    at, end, turn, after = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    near = np.empty((len(tries), 2))
    for m in range(len(tries)):
        near[m, 0], near[m, 1] = _along(edges, tries[m, 1], places[tries[m, 0]])
    total = len(faces.offsets)
    # The end as every face mirrors it, the ground next to last, and itself.
    lit, beyond = np.ones(total + 2, np.bool_), np.empty((total + 2, 3))
    for r in range(len(ends)):
        for f in range(total + 1):
            high = outwards(faces, f, ends[r])
            lit[f] = high > NEAR or (f < total and faces.open[f] and high < -NEAR)
            mirrored(faces, f, ends[r], beyond[f])
        beyond[total + 1] = ends[r]
        for m in range(len(tries)):
            image, e, g = tries[m, 0], tries[m, 1], tries[m, 2]
            which = g if g >= 0 else total + 1
            if not lit[which]:
                continue
            end[0], end[1], end[2] = beyond[which, 0], beyond[which, 1], beyond[which, 2]
            # Where the way is shortest: both seen from the edge at one angle to it.
            t1, far1 = near[m, 0], near[m, 1]
            t2, far2 = _along(edges, e, end)
            if far1 < NEAR or far2 < NEAR:
                continue
            t = (t1 * far2 + t2 * far1) / (far1 + far2)
            # A little beyond an end it still counts, as long as phases differ little.
            s1, s2 = _root(far1, t1 - t), _root(far2, t2 - t)
            if _beyond(edges, e, t, far1 / s1, s1, s2, wave):
                continue
            _on_edge(edges, e, t / edges.length[e], at)
            skip[2], skip[3] = edges.faces[e, 0], edges.faces[e, 1]
            if g >= 0:
                if not _by(faces, edges, e, end, g, ends[r], at, skip, found, after):
                    continue
            else:
                skip[0] = -1
                if not _outside(edges, e, end) or crossed(faces, at, end, skip, found[:0]):
                    continue
            if image:
                if not _by(faces, edges, e, places[image], mirrors[image], source, at, skip, found, turn):
                    continue
            else:
                skip[0] = -1
                if not _outside(edges, e, source) or crossed(faces, source, at, skip, found[:0]):
                    continue
            if count < room:
                to[count] = r
                n = 0
                kinds[count] = -1
                if image:
                    n = put(kinds[count], numbers[count], points[count], n, MIRRORED, mirrors[image], turn)
                n = put(kinds[count], numbers[count], points[count], n, BENT, e, at)
                if g >= 0:
                    n = put(kinds[count], numbers[count], points[count], n, MIRRORED, g, after)
            count += 1
    return count


@njit(nogil=True, cache=True, error_model="numpy")
def twice_bent_paths(faces, edges, wave, source, tries, ends, to, kinds, numbers, points):
    """Paths round two edges to ends (n, 3): tries (m, 4) of both, and whether the ground mirrors before and after.

    Along a face with air on both sides there are two; the first edge of that behind it has the number of edges added.
    What is found is told as `mirrored_paths` tells it.
    """
    room, ground, count = len(kinds), len(faces.offsets), 0
    found, skip, none = np.empty(1, np.int64), np.empty(4, np.int64), np.full(4, -1)
    at, there, apex, end, turn, after = (np.empty(3), np.empty(3), np.empty(3), np.empty(3), np.empty(3), np.empty(3))
    for r in range(len(ends)):
        for m in range(len(tries)):
            e, d, before, behind = tries[m, 0], tries[m, 1], tries[m, 2], tries[m, 3]
            apex[:], end[:] = source, ends[r]
            if before:
                apex[2] = -apex[2]
            if behind:
                end[2] = -end[2]
            # What the last edge does not see is not looked for.
            _on_edge(edges, d, 0.5, there)
            if not behind and not _outside(edges, d, end):
                continue
            t, u, la, lc, lb = shortest(edges, e, d, apex, end)
            # Nearer to one another, as where both meet at a corner, they are not two edges.
            if math.isnan(t) or lc < 0.5 * wave:
                continue
            one, two = _along(edges, e, apex)[1] / la, _along(edges, d, end)[1] / lb
            if _beyond(edges, e, t, one, la, lc + lb, wave) or _beyond(edges, d, u, two, la + lc, lb, wave):
                continue
            _on_edge(edges, e, t / edges.length[e], at)
            _on_edge(edges, d, u / edges.length[d], there)
            if not (_outside(edges, e, there) and _outside(edges, d, at)):
                continue
            skip[0], skip[1] = edges.faces[e, 0], edges.faces[e, 1]
            skip[2], skip[3] = edges.faces[d, 0], edges.faces[d, 1]
            if crossed(faces, at, there, skip, found[:0]):
                continue
            none[2], none[3] = skip[2], skip[3]
            none[0] = -1
            if behind:
                if not _by(faces, edges, d, end, ground, ends[r], there, none, found, after):
                    continue
            elif crossed(faces, there, end, none, found[:0]):
                continue
            none[0] = -1
            none[2], none[3] = skip[0], skip[1]
            if before:
                if not _by(faces, edges, e, apex, ground, source, at, none, found, turn):
                    continue
            elif not _outside(edges, e, source) or crossed(faces, source, at, none, found[:0]):
                continue
            thin = faces.open[skip[0]] and (
                skip[0] == skip[2]
                or skip[0] == skip[3]
                or (skip[1] >= 0 and (skip[1] == skip[2] or skip[1] == skip[3]))
            )
            for side in range(2 if thin else 1):
                if count < room:
                    to[count] = r
                    n = 0
                    kinds[count] = -1
                    if before:
                        n = put(kinds[count], numbers[count], points[count], n, MIRRORED, ground, turn)
                    first = e + side * len(edges.length)
                    n = put(kinds[count], numbers[count], points[count], n, BENT, first, at)
                    n = put(kinds[count], numbers[count], points[count], n, BENT, d, there)
                    if behind:
                        n = put(kinds[count], numbers[count], points[count], n, MIRRORED, ground, after)
                count += 1
    return count
