"""Rays among flat faces over level ground: mirror images, edges in sight, and paths that hold to places.

Faces are given as a `Faces`, edges as an `Edges`; the ground is the face of number len(offsets), z = 0. A path is
events from its start to its end: mirrored by a face, bent round an edge, or through a face.
"""

import math
from typing import NamedTuple

import numpy as np
from numba import njit

MIRRORED, BENT, THROUGH = 0, 1, 2
_NEAR = 1e-6
"""m within which a place is on a face."""
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
_FAR = 1e3


class Faces(NamedTuple):
    """Of n faces of o objects: normals (n, 3), offsets (n,), a place on each, its axes u and v, all (n, 3); box (n, 4)
    of u and v; sides (m, 4) of outlines as u, v at both ends, those of face f from first[f] to first[f + 1]; open (n,):
    it has two outsides; faces of object i from own[i] to own[i + 1]; boxes (o, 6), least x, y, z, then most.
    """

    normals: np.ndarray
    offsets: np.ndarray
    places: np.ndarray
    u: np.ndarray
    v: np.ndarray
    box: np.ndarray
    sides: np.ndarray
    first: np.ndarray
    open: np.ndarray
    own: np.ndarray
    boxes: np.ndarray


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


@njit(inline="always")
def _dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(nogil=True, cache=True, error_model="numpy")
def _inside(faces, f, x, y, z):
    """Whether a place in a face's plane is within its outline."""
    dx, dy, dz = x - faces.places[f, 0], y - faces.places[f, 1], z - faces.places[f, 2]
    u = dx * faces.u[f, 0] + dy * faces.u[f, 1] + dz * faces.u[f, 2]
    if u < faces.box[f, 0] or u > faces.box[f, 1]:
        return False
    v = dx * faces.v[f, 0] + dy * faces.v[f, 1] + dz * faces.v[f, 2]
    if v < faces.box[f, 2] or v > faces.box[f, 3]:
        return False
    odd = False
    for n in range(faces.first[f], faces.first[f + 1]):
        u1, v1, u2, v2 = faces.sides[n, 0], faces.sides[n, 1], faces.sides[n, 2], faces.sides[n, 3]
        if (v1 > v) != (v2 > v) and u < u1 + (v - v1) / (v2 - v1) * (u2 - u1):
            odd = not odd
    return odd


@njit(nogil=True, cache=True, error_model="numpy")
def crossed(faces, a, b, skip, most, found):
    """How many faces a straight way from a to b goes through, and which into found (most,); more than most: blocked.

    skip (4,): faces that do not count.
    """
    count = 0
    dx, dy, dz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    for i in range(len(faces.boxes)):
        low, high = 0.0, 1.0
        for n in range(3):
            d, p = b[n] - a[n], a[n]
            least, most_ = faces.boxes[i, n] - _NEAR, faces.boxes[i, n + 3] + _NEAR
            if abs(d) < 1e-12:
                if p < least or p > most_:
                    high = -1.0
                continue
            one, two = (least - p) / d, (most_ - p) / d
            low, high = max(low, min(one, two)), min(high, max(one, two))
            if low > high:
                break
        if low > high:
            continue
        for f in range(faces.own[i], faces.own[i + 1]):
            if f == skip[0] or f == skip[1] or f == skip[2] or f == skip[3]:
                continue
            one, two = _above(faces, f, a), _above(faces, f, b)
            if one * two >= 0.0 or abs(one) < _NEAR or abs(two) < _NEAR:
                continue
            t = one / (one - two)
            if _inside(faces, f, a[0] + t * dx, a[1] + t * dy, a[2] + t * dz):
                if count < most:
                    found[count] = f
                count += 1
                if count > most:
                    return count
    if count > 1:
        # In the order they are met.
        for i in range(1, count):
            for j in range(i, 0, -1):
                f, g = found[j], found[j - 1]
                if _share(faces, f, a, b) < _share(faces, g, a, b):
                    found[j], found[j - 1] = g, f
    return count


@njit(inline="always")
def _share(faces, f, a, b):
    one, two = _above(faces, f, a), _above(faces, f, b)
    return one / (one - two)


@njit(inline="always")
def _above(faces, f, p):
    """How far a place is outside a face, m."""
    if f == len(faces.offsets):
        return p[2]
    normals = faces.normals
    return normals[f, 0] * p[0] + normals[f, 1] * p[1] + normals[f, 2] * p[2] - faces.offsets[f]


@njit(nogil=True, cache=True, error_model="numpy")
def _mirror(faces, f, p, out):
    off = 2.0 * _above(faces, f, p)
    if f == len(faces.offsets):
        out[0], out[1], out[2] = p[0], p[1], p[2] - off
    else:
        for n in range(3):
            out[n] = p[n] - off * faces.normals[f, n]


@njit(nogil=True, cache=True, error_model="numpy")
def _corner(faces, f, n, out):
    """A corner of the box round a face."""
    box = faces.box[f]
    u, v = box[0 if n == 0 or n == 3 else 1], box[2 if n < 2 else 3]
    for m in range(3):
        out[m] = faces.places[f, m] + u * faces.u[f, m] + v * faces.v[f, m]


@njit(nogil=True, cache=True, error_model="numpy")
def _in_beam(faces, f, apex, corners):
    """Whether what has these corners (n, 3) may be seen from a mirror image through the face that made it."""
    count = len(corners)
    behind = True
    side = _above(faces, f, apex)
    for n in range(count):
        if _above(faces, f, corners[n]) * side < 0.0:
            behind = False
    if behind:
        return False
    if f == len(faces.offsets):
        return True
    own = np.empty((4, 3))
    for n in range(4):
        _corner(faces, f, n, own[n])
    middle = 0.25 * (own[0] + own[1] + own[2] + own[3]) - apex
    for n in range(4):
        one, two = own[n] - apex, own[(n + 1) % 4] - apex
        x = one[1] * two[2] - one[2] * two[1]
        y = one[2] * two[0] - one[0] * two[2]
        z = one[0] * two[1] - one[1] * two[0]
        sign = 1.0 if x * middle[0] + y * middle[1] + z * middle[2] > 0.0 else -1.0
        outside = True
        for m in range(count):
            d = corners[m] - apex
            if sign * (x * d[0] + y * d[1] + z * d[2]) > -_NEAR:
                outside = False
                break
        if outside:
            return False
    return True


@njit(nogil=True, cache=True, error_model="numpy")
def images(faces, places, mirrors, last, sights, start, stop):
    """Mirror images of those from start to stop: places, faces and parents of what is new, and its last wall or -1.

    The image of number 0 is the source itself, its face -1. From wall to wall there must be a sight (faces, faces + 1),
    the source's own last.
    """
    total = len(faces.offsets)
    count = 0
    room = 1024
    new = np.empty((room, 3))
    by, of, wall = np.empty(room, np.int64), np.empty(room, np.int64), np.empty(room, np.int64)
    corners = np.empty((4, 3))
    for i in range(start, stop):
        apex, f = places[i], mirrors[i]
        for g in range(total + 1):
            before = last[i]
            if g == f or (g < total and before >= 0 and not (sights[before, g] and sights[before, total])):
                continue
            high = _above(faces, g, apex)
            if high < _NEAR and not (g < total and faces.open[g] and high < -_NEAR):
                continue
            if f >= 0:
                if g == total:
                    down = f < total and apex[2] > 0.0
                    if down:
                        down = False
                        for n in range(4):
                            _corner(faces, f, n, corners[n])
                            if corners[n, 2] < apex[2]:
                                down = True
                    if not down:
                        continue
                else:
                    for n in range(4):
                        _corner(faces, g, n, corners[n])
                    if not _in_beam(faces, f, apex, corners):
                        continue
            if count == room:
                room *= 2
                more = np.empty((room, 3))
                more[:count] = new
                new = more
                bys, ofs, walls = np.empty(room, np.int64), np.empty(room, np.int64), np.empty(room, np.int64)
                bys[:count], ofs[:count], walls[:count] = by, of, wall
                by, of, wall = bys, ofs, walls
            _mirror(faces, g, apex, new[count])
            by[count], of[count], wall[count] = g, i, before if g == total else g
            count += 1
    return new[:count], by[:count], of[:count], wall[:count]


@njit(nogil=True, cache=True, error_model="numpy")
def _on_face(faces, f, i, j, samples, out):
    """A place on the box round a face, one of samples either way."""
    box = faces.box[f]
    u = box[0] + (i + 0.5) / samples * (box[1] - box[0])
    v = box[2] + (j + 0.5) / samples * (box[3] - box[2])
    for n in range(3):
        out[n] = faces.places[f, n] + u * faces.u[f, n] + v * faces.v[f, n]


@njit(nogil=True, cache=True, error_model="numpy")
def walls_seen(faces, samples, start, stop, seen):
    """Which faces those from start to stop have in sight, into seen (faces, faces), by samples of both."""
    found, skip = np.empty(1, np.int64), np.full(4, -1)
    at, there, total = np.empty(3), np.empty(3), len(faces.offsets)
    for f in range(start, stop):
        for g in range(total):
            seen[f, g] = False
            if f == g:
                continue
            skip[0], skip[1] = f, g
            for s in range(samples**4):
                _on_face(faces, f, s % samples, s // samples % samples, samples, at)
                if not faces.open[g] and _above(faces, g, at) < _NEAR:
                    continue
                _on_face(faces, g, s // samples**2 % samples, s // samples**3, samples, there)
                if not faces.open[f] and _above(faces, f, there) < _NEAR:
                    continue
                if crossed(faces, at, there, skip, 0, found) == 0:
                    seen[f, g] = True
                    break


@njit(nogil=True, cache=True, error_model="numpy")
def walls_from(faces, source, samples, seen):
    """Which faces a place has in sight, into seen (n,), by samples."""
    found, skip, at = np.empty(1, np.int64), np.full(4, -1), np.empty(3)
    for f in range(len(seen)):
        seen[f], skip[0] = False, f
        for s in range(samples * samples):
            _on_face(faces, f, s % samples, s // samples, samples, at)
            if crossed(faces, source, at, skip, 0, found) == 0:
                seen[f] = True
                break


@njit(nogil=True, cache=True, error_model="numpy")
def _back(faces, places, mirrors, parents, leaf, end, turns, by):
    """Where the way from an image to a place meets its mirrors, last one first; how many, or -1 where it misses one."""
    count, total = 0, len(faces.offsets)
    x, y, z = end[0], end[1], end[2]
    i = leaf
    while mirrors[i] >= 0:
        f, ax, ay, az = mirrors[i], places[i, 0], places[i, 1], places[i, 2]
        if f == total:
            one, two = az, z
        else:
            nx, ny, nz, off = faces.normals[f, 0], faces.normals[f, 1], faces.normals[f, 2], faces.offsets[f]
            two = nx * x + ny * y + nz * z - off
            if two < _NEAR and not faces.open[f]:
                return -1
            one = nx * ax + ny * ay + nz * az - off
        if one * two >= 0.0 or abs(two) < _NEAR:
            return -1
        t = one / (one - two)
        x, y, z = ax + t * (x - ax), ay + t * (y - ay), az + t * (z - az)
        if f < total and not _inside(faces, f, x, y, z):
            return -1
        turns[count, 0], turns[count, 1], turns[count, 2], by[count] = x, y, z, f
        count += 1
        i = parents[i]
    return count


@njit(nogil=True, cache=True, error_model="numpy")
def _put(kinds, numbers, points, n, kind, number, at):
    kinds[n], numbers[n] = kind, number
    points[n, 0], points[n, 1], points[n, 2] = at[0], at[1], at[2]
    return n + 1


@njit(nogil=True, cache=True, error_model="numpy")
def _leg(faces, a, b, skip, left, found, kinds, numbers, points, n):
    """The straight way from a to b as events; the number of events then, or -1 where too much is in the way."""
    count = crossed(faces, a, b, skip, left, found)
    if count > left:
        return -1
    for c in range(count):
        t = _share(faces, found[c], a, b)
        n = _put(kinds, numbers, points, n, THROUGH, found[c], a + t * (b - a))
    return n


@njit(nogil=True, cache=True, error_model="numpy")
def mirrored_paths(faces, places, mirrors, parents, order, walls, ends, to, kinds, numbers, points):
    """Paths without edges to ends (n, 3) that go through so many walls at most, and how many there are; those that are
    mirrored by two walls or more go through none.

    to (m,): the end of each; kinds, numbers (m, e) and points (m, e, 3) of its events, -1 beyond the last. What does
    not fit is only counted.
    """
    room, most = kinds.shape
    count = 0
    turns, by = np.empty((order + 1, 3)), np.empty(order + 1, np.int64)
    found, skip = np.empty(walls + 1, np.int64), np.full(4, -1)
    own_kinds, own_numbers, own = np.empty(most, np.int64), np.empty(most, np.int64), np.empty((most, 3))
    for e in range(len(ends)):
        end = ends[e]
        for leaf in range(len(places)):
            hops = _back(faces, places, mirrors, parents, leaf, end, turns, by)
            if hops < 0:
                continue
            # Off several walls nothing is followed through others: it would be weak, and there is so much of it.
            bounces = 0
            for h in range(hops):
                bounces += by[h] < len(faces.offsets)
            a, before, left, n = places[0], -1, walls if bounces < 2 else 0, 0
            for h in range(hops, -1, -1):
                b = turns[h - 1] if h else end
                after = by[h - 1] if h else -1
                skip[0], skip[1] = before, after
                was = n
                n = _leg(faces, a, b, skip, left, found, own_kinds, own_numbers, own, n)
                if n < 0:
                    break
                left -= n - was
                if h:
                    n = _put(own_kinds, own_numbers, own, n, MIRRORED, after, b)
                a, before = b, after
            if n < 0:
                continue
            if count < room:
                to[count] = e
                kinds[count, :n], numbers[count, :n], points[count, :n] = own_kinds[:n], own_numbers[:n], own[:n]
                kinds[count, n:] = -1
            count += 1
    return count


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
            seen[e] = sights[e, mirror] and _in_beam(faces, mirror, apex, corners)
            continue
        for s in range(samples + 1):
            # Its ends among them: rays that are bent a little beyond these are looked for there.
            _on_edge(edges, e, s / samples, at)
            skip[2], skip[3] = edges.faces[e, 0], edges.faces[e, 1]
            if mirror < 0:
                skip[0] = -1
                good = _outside(edges, e, source) and crossed(faces, source, at, skip, 0, found) == 0
            else:
                good = _by(faces, edges, e, apex, mirror, source, at, skip, found, turn)
            if good:
                seen[e] = True
                break


@njit(nogil=True, cache=True, error_model="numpy")
def _by(faces, edges, e, apex, mirror, source, at, skip, found, turn):
    """Whether a place on an edge and another see one another by one mirror, whose image of the other is the apex."""
    one, two = _above(faces, mirror, apex), _above(faces, mirror, at)
    if one * two >= 0.0 or abs(two) < _NEAR:
        return False
    t = one / (one - two)
    for n in range(3):
        turn[n] = apex[n] + t * (at[n] - apex[n])
    if mirror < len(faces.offsets) and not _inside(faces, mirror, turn[0], turn[1], turn[2]):
        return False
    if not _outside(edges, e, turn):
        return False
    skip[0] = mirror
    if crossed(faces, turn, at, skip, 0, found):
        return False
    one_, two_ = skip[2], skip[3]
    skip[2], skip[3] = -1, -1
    clear = crossed(faces, source, turn, skip, 0, found) == 0
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
                if not faces.open[f] and _above(faces, f, at) < _NEAR:
                    continue
                _on_face(faces, f, s % samples, s // samples % samples, samples, there)
                if _outside(edges, e, there) and crossed(faces, at, there, skip, 0, found) == 0:
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
                    and crossed(faces, at, there, skip, 0, found) == 0
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
        if la < _NEAR or lm < _TO_END or lb < _NEAR:
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
            high = _above(faces, f, ends[r])
            lit[f] = high > _NEAR or (f < total and faces.open[f] and high < -_NEAR)
            _mirror(faces, f, ends[r], beyond[f])
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
            if far1 < _NEAR or far2 < _NEAR:
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
                if not _outside(edges, e, end) or crossed(faces, at, end, skip, 0, found):
                    continue
            if image:
                if not _by(faces, edges, e, places[image], mirrors[image], source, at, skip, found, turn):
                    continue
            else:
                skip[0] = -1
                if not _outside(edges, e, source) or crossed(faces, source, at, skip, 0, found):
                    continue
            if count < room:
                to[count] = r
                n = 0
                kinds[count] = -1
                if image:
                    n = _put(kinds[count], numbers[count], points[count], n, MIRRORED, mirrors[image], turn)
                n = _put(kinds[count], numbers[count], points[count], n, BENT, e, at)
                if g >= 0:
                    n = _put(kinds[count], numbers[count], points[count], n, MIRRORED, g, after)
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
            if crossed(faces, at, there, skip, 0, found):
                continue
            none[2], none[3] = skip[2], skip[3]
            none[0] = -1
            if behind:
                if not _by(faces, edges, d, end, ground, ends[r], there, none, found, after):
                    continue
            elif crossed(faces, there, end, none, 0, found):
                continue
            none[0] = -1
            none[2], none[3] = skip[0], skip[1]
            if before:
                if not _by(faces, edges, e, apex, ground, source, at, none, found, turn):
                    continue
            elif not _outside(edges, e, source) or crossed(faces, source, at, none, 0, found):
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
                        n = _put(kinds[count], numbers[count], points[count], n, MIRRORED, ground, turn)
                    first = e + side * len(edges.length)
                    n = _put(kinds[count], numbers[count], points[count], n, BENT, first, at)
                    n = _put(kinds[count], numbers[count], points[count], n, BENT, d, there)
                    if behind:
                        n = _put(kinds[count], numbers[count], points[count], n, MIRRORED, ground, after)
                count += 1
    return count


@njit(nogil=True, cache=True, error_model="numpy")
def holders(faces, places, inside):
    """The object that holds each place (n, 3), or -1, into inside (n,); open objects hold nothing."""
    up = np.empty(3)
    for n in range(len(places)):
        inside[n] = -1
        p = places[n]
        # Slantwise: not along any wall.
        up[0], up[1], up[2] = p[0] + 0.0123 * _FAR, p[1] + 0.0377 * _FAR, p[2] + _FAR
        for i in range(len(faces.boxes)):
            box = faces.boxes[i]
            if faces.open[faces.own[i]] or not (
                box[0] <= p[0] <= box[3] and box[1] <= p[1] <= box[4] and box[2] - _NEAR <= p[2] <= box[5]
            ):
                continue
            odd = False
            for f in range(faces.own[i], faces.own[i + 1]):
                one, two = _above(faces, f, p), _above(faces, f, up)
                if one * two < 0.0:
                    t = one / (one - two)
                    at = p + t * (up - p)
                    if _inside(faces, f, at[0], at[1], at[2]):
                        odd = not odd
            if odd:
                inside[n] = i
                break
