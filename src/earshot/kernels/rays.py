"""Rays among flat faces over level ground: mirror images, what is in the way, and paths that hold to places.

Faces are given as a `Faces`; the ground is the face of number len(offsets), z = 0. A path is
events from its start to its end: mirrored by a face, bent round an edge, or through a face.
"""

from typing import NamedTuple

import numpy as np
from numba import njit

MIRRORED, BENT, THROUGH = 0, 1, 2
NEAR = 1e-6
"""m within which a place is on a face."""
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


@njit(nogil=True, cache=True, error_model="numpy")
def within(faces, f, x, y, z):
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
def crossed(faces, a, b, skip, found):
    """How many faces a straight way from a to b goes through, which into found; more than there is room for: blocked.

    skip (4,): faces that do not count.
    """
    count = 0
    dx, dy, dz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    for i in range(len(faces.boxes)):
        low, high = 0.0, 1.0
        for n in range(3):
            d, p = b[n] - a[n], a[n]
            least, most = faces.boxes[i, n] - NEAR, faces.boxes[i, n + 3] + NEAR
            if abs(d) < 1e-12:
                if p < least or p > most:
                    high = -1.0
                continue
            one, two = (least - p) / d, (most - p) / d
            low, high = max(low, min(one, two)), min(high, max(one, two))
            if low > high:
                break
        if low > high:
            continue
        for f in range(faces.own[i], faces.own[i + 1]):
            if f == skip[0] or f == skip[1] or f == skip[2] or f == skip[3]:
                continue
            one, two = outwards(faces, f, a), outwards(faces, f, b)
            if one * two >= 0.0 or abs(one) < NEAR or abs(two) < NEAR:
                continue
            t = one / (one - two)
            if within(faces, f, a[0] + t * dx, a[1] + t * dy, a[2] + t * dz):
                if count < len(found):
                    found[count] = f
                count += 1
                if count > len(found):
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
    one, two = outwards(faces, f, a), outwards(faces, f, b)
    return one / (one - two)


@njit(inline="always")
def outwards(faces, f, p):
    """How far a place is outside a face, m."""
    if f == len(faces.offsets):
        return p[2]
    normals = faces.normals
    return normals[f, 0] * p[0] + normals[f, 1] * p[1] + normals[f, 2] * p[2] - faces.offsets[f]


@njit(nogil=True, cache=True, error_model="numpy")
def mirrored(faces, f, p, out):
    """A place as a face mirrors it."""
    off = 2.0 * outwards(faces, f, p)
    if f == len(faces.offsets):
        out[0], out[1], out[2] = p[0], p[1], p[2] - off
    else:
        for n in range(3):
            out[n] = p[n] - off * faces.normals[f, n]


@njit(nogil=True, cache=True, error_model="numpy")
def corner(faces, f, n, out):
    """A corner of the box round a face."""
    box = faces.box[f]
    u, v = box[0 if n == 0 or n == 3 else 1], box[2 if n < 2 else 3]
    for m in range(3):
        out[m] = faces.places[f, m] + u * faces.u[f, m] + v * faces.v[f, m]


@njit(nogil=True, cache=True, error_model="numpy")
def in_beam(faces, f, apex, corners):
    """Whether what has these corners (n, 3) may be seen from a mirror image through the face that made it."""
    count = len(corners)
    behind = True
    side = outwards(faces, f, apex)
    for n in range(count):
        if outwards(faces, f, corners[n]) * side < 0.0:
            behind = False
    if behind:
        return False
    if f == len(faces.offsets):
        return True
    own = np.empty((4, 3))
    for n in range(4):
        corner(faces, f, n, own[n])
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
            if sign * (x * d[0] + y * d[1] + z * d[2]) > -NEAR:
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
            high = outwards(faces, g, apex)
            if high < NEAR and not (g < total and faces.open[g] and high < -NEAR):
                continue
            if f >= 0:
                if g == total:
                    down = f < total and apex[2] > 0.0
                    if down:
                        down = False
                        for n in range(4):
                            corner(faces, f, n, corners[n])
                            if corners[n, 2] < apex[2]:
                                down = True
                    if not down:
                        continue
                else:
                    for n in range(4):
                        corner(faces, g, n, corners[n])
                    if not in_beam(faces, f, apex, corners):
                        continue
            if count == room:
                room *= 2
                more = np.empty((room, 3))
                more[:count] = new
                new = more
                bys, ofs, walls = np.empty(room, np.int64), np.empty(room, np.int64), np.empty(room, np.int64)
                bys[:count], ofs[:count], walls[:count] = by, of, wall
                by, of, wall = bys, ofs, walls
            mirrored(faces, g, apex, new[count])
            by[count], of[count], wall[count] = g, i, before if g == total else g
            count += 1
    return new[:count], by[:count], of[:count], wall[:count]


@njit(nogil=True, cache=True, error_model="numpy")
def on_face(faces, f, i, j, samples, out):
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
                on_face(faces, f, s % samples, s // samples % samples, samples, at)
                if not faces.open[g] and outwards(faces, g, at) < NEAR:
                    continue
                on_face(faces, g, s // samples**2 % samples, s // samples**3, samples, there)
                if not faces.open[f] and outwards(faces, f, there) < NEAR:
                    continue
                if crossed(faces, at, there, skip, found[:0]) == 0:
                    seen[f, g] = True
                    break


@njit(nogil=True, cache=True, error_model="numpy")
def walls_from(faces, source, samples, seen):
    """Which faces a place has in sight, into seen (n,), by samples."""
    found, skip, at = np.empty(1, np.int64), np.full(4, -1), np.empty(3)
    for f in range(len(seen)):
        seen[f], skip[0] = False, f
        for s in range(samples * samples):
            on_face(faces, f, s % samples, s // samples, samples, at)
            if crossed(faces, source, at, skip, found[:0]) == 0:
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
            if two < NEAR and not faces.open[f]:
                return -1
            one = nx * ax + ny * ay + nz * az - off
        if one * two >= 0.0 or abs(two) < NEAR:
            return -1
        t = one / (one - two)
        x, y, z = ax + t * (x - ax), ay + t * (y - ay), az + t * (z - az)
        if f < total and not within(faces, f, x, y, z):
            return -1
        turns[count, 0], turns[count, 1], turns[count, 2], by[count] = x, y, z, f
        count += 1
        i = parents[i]
    return count


@njit(inline="always")
def put(kinds, numbers, points, n, kind, number, at):
    """An event added to a path of n; how many there are then."""
    kinds[n], numbers[n] = kind, number
    points[n, 0], points[n, 1], points[n, 2] = at[0], at[1], at[2]
    return n + 1


@njit(nogil=True, cache=True, error_model="numpy")
def _leg(faces, a, b, skip, left, found, kinds, numbers, points, n):
    """The straight way from a to b as events; the number of events then, or -1 where too much is in the way."""
    count = crossed(faces, a, b, skip, found[:left])
    if count > left:
        return -1
    for c in range(count):
        t = _share(faces, found[c], a, b)
        n = put(kinds, numbers, points, n, THROUGH, found[c], a + t * (b - a))
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
                    n = put(own_kinds, own_numbers, own, n, MIRRORED, after, b)
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
                box[0] <= p[0] <= box[3] and box[1] <= p[1] <= box[4] and box[2] - NEAR <= p[2] <= box[5]
            ):
                continue
            odd = False
            for f in range(faces.own[i], faces.own[i + 1]):
                one, two = outwards(faces, f, p), outwards(faces, f, up)
                if one * two < 0.0:
                    t = one / (one - two)
                    at = p + t * (up - p)
                    if within(faces, f, at[0], at[1], at[2]):
                        odd = not odd
            if odd:
                inside[n] = i
                break
