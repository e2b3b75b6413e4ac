"""Wires that cross, touch, lie on one another, or nearly do."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..arraytypes import Floats, Ints
from ..description.antenna import Antenna
from ..meshing.mesh import joined_points, joint_reach
from .findings import Finding
from .pieces import Pieces, as_place, words_for


def nearest_points(p: Floats, q: Floats, r: Floats, s: Floats) -> tuple[Floats, Floats]:
    """Shares along p..q and r..s of the nearest points of pairs of straight pieces, each (n,).

    Ericson (2005), Real-Time Collision Detection, sec. 5.1.9.
    """
    d1, d2, gap = q - p, s - r, p - r
    a, e, f = (np.einsum("ij,ij->i", x, y) for x, y in ((d1, d1), (d2, d2), (d2, gap)))
    b, c = (np.einsum("ij,ij->i", d1, y) for y in (d2, gap))
    a, e = np.maximum(a, 1e-300), np.maximum(e, 1e-300)
    spread = a * e - b * b
    skew = spread > 1e-14 * a * e
    u = np.where(skew, np.clip((b * f - c * e) / np.where(skew, spread, 1.0), 0.0, 1.0), 0.0)
    v = np.clip((b * u + f) / e, 0.0, 1.0)
    return np.clip((b * v - c) / a, 0.0, 1.0), v


def closeness(antenna: Antenna, pieces: Pieces) -> Iterator[Finding]:
    """Pieces that cross, touch or nearly touch without sharing a joint."""
    total = len(pieces.wire)
    seen: set[tuple[int, int]] = set()
    for i in range(total - 1):
        others = np.arange(i + 1, total)
        shared = (pieces.joint[others, :, None] == pieces.joint[i]).any(axis=(1, 2))
        others = others[~shared]
        if not others.size:
            continue
        p, q = (np.broadcast_to(x[i], (len(others), 3)) for x in (pieces.start, pieces.stop))
        u, v = nearest_points(p, q, pieces.start[others], pieces.stop[others])
        here = p + u[:, None] * (q - p)
        there = pieces.start[others] + v[:, None] * (pieces.stop[others] - pieces.start[others])
        distance = np.linalg.norm(here - there, axis=1)
        # Neighbours but one on a wire that are nearest at the piece between them are so because that is short, which
        # `_shapes` tells; anywhere else they are close as any others.
        between = (pieces.wire[others] == pieces.wire[i]) & (others - i == 2) & (u == 1.0) & (v == 0.0)
        distance[between] = np.inf
        metal = pieces.radius[i] + pieces.radius[others]
        yield from _short_of(antenna, pieces, i, others, distance, metal, (u, v))
        for k in np.flatnonzero(distance < 1.5 * metal):
            pair = (int(pieces.wire[i]), int(pieces.wire[others[k]]))
            if pair in seen:
                continue
            seen.add(pair)
            at_end = u[k] in (0.0, 1.0), v[k] in (0.0, 1.0)
            place = 0.5 * (here[k] + there[k])
            if distance[k] < 1e-3 * metal[k] and _overlap(pieces, i, int(others[k])):
                yield _doubled(antenna, pair, place)
            else:
                yield _close_pair(antenna, pair, at_end, place, float(distance[k]), float(metal[k]))


def duplicates(antenna: Antenna) -> list[Finding]:
    """Wires through the very same points as an earlier one, in the same order or the other way."""
    seen: dict[tuple[int, ...], str] = {}
    found = []
    ends = np.cumsum([0, *(len(w.corners) for w in antenna.wires)])
    numbers = joined_points(np.concatenate([w.corners for w in antenna.wires]), joint_reach(antenna))
    for wire, start, stop in zip(antenna.wires, ends[:-1], ends[1:], strict=True):
        way = tuple(numbers[start:stop].tolist())
        first = seen.setdefault(min(way, way[::-1]), wire.name)
        if first != wire.name:
            says = f"wire '{wire.name}' runs through the same points as '{first}'"
            found.append(Finding("stop", wire.name, says, "take one out", as_place(wire.at(wire.length / 2))))
    return found


def _overlap(pieces: Pieces, i: int, k: int) -> bool:
    """Whether two pieces lie along one line, over one another."""
    along = pieces.stop[i] - pieces.start[i]
    length = float(np.linalg.norm(along))
    along = along / length
    other = pieces.stop[k] - pieces.start[k]
    if np.linalg.norm(np.cross(along, other)) > 1e-6 * np.linalg.norm(other):
        return False
    shares = sorted(float((p - pieces.start[i]) @ along) for p in (pieces.start[k], pieces.stop[k]))
    return min(shares[1], length) - max(shares[0], 0.0) > 1e-6 * length


def _doubled(antenna: Antenna, pair: tuple[int, int], place: Floats) -> Finding:
    one, two = (antenna.wires[w].name for w in pair)
    says = f"wires '{one}' and '{two}' lie on one another at {words_for(place)}"
    return Finding("stop", one, says, "take out what is double, or end one where the other begins", as_place(place))


def _short_of(
    antenna: Antenna,
    pieces: Pieces,
    i: int,
    others: Ints,
    distance: Floats,
    metal: Floats,
    shares: tuple[Floats, Floats],
) -> Iterator[Finding]:
    """Open ends that stop a little short of other metal, as when a joint was meant."""
    arms = np.bincount(pieces.joint.ravel())
    near = (distance >= 1.5 * metal) & (distance < 5.0 * metal)
    for k in np.flatnonzero(near):
        other = int(others[k])
        for piece, on, share in ((i, other, float(shares[0][k])), (other, i, float(shares[1][k]))):
            if share in (0.0, 1.0) and arms[pieces.joint[piece, int(share)]] == 1:
                if not _heads_for(pieces, piece, share, on):
                    continue
                ends, metal_near = (antenna.wires[int(pieces.wire[x])].name for x in (piece, on))
                place = (pieces.start, pieces.stop)[int(share)][piece]
                yield Finding(
                    "note",
                    ends,
                    f"wire '{ends}' ends {distance[k]:.3g} m short of '{metal_near}' at {words_for(place)}",
                    "nothing to do if a gap is meant; else join them at a shared point",
                    as_place(place),
                )
                break


def _heads_for(pieces: Pieces, piece: int, share: float, on: int) -> bool:
    """Whether a piece, carried on beyond its end, goes towards another: a rod beside a rod does not."""
    start, stop = (pieces.start, pieces.stop) if share == 1.0 else (pieces.stop, pieces.start)
    end, out = stop[piece], stop[piece] - start[piece]
    base, along = pieces.start[on], pieces.stop[on] - pieces.start[on]
    nearest = base + np.clip((end - base) @ along / max(along @ along, 1e-300), 0.0, 1.0) * along
    towards = nearest - end
    return bool(out @ towards > 0.5 * np.linalg.norm(out) * np.linalg.norm(towards))


def _close_pair(
    antenna: Antenna, pair: tuple[int, int], at_end: tuple[bool, bool], place: Floats, distance: float, metal: float
) -> Finding:
    one, two = (antenna.wires[w].name for w in pair)
    if distance >= metal:
        return Finding(
            "warn",
            one,
            f"wires '{one}' and '{two}' are {distance:g} m apart at {words_for(place)}, with radii adding up to "
            f"{metal:g} m; so close, current crowds to one side, which the kernel leaves out",
            "move them apart or look at the evidence",
            as_place(place),
        )
    itself = "itself" if one == two else f"'{two}'"
    if distance > 1e-3 * metal:
        says, remedy = f"touches {itself}", "move one, or join them at a shared point"
    elif any(at_end) and one != two:
        ends, on = (one, two) if at_end[0] else (two, one)
        return Finding(
            "stop",
            ends,
            f"wire '{ends}' ends on '{on}' at {words_for(place)} without a junction",
            f"give '{on}' a point there, or move one",
            as_place(place),
        )
    else:
        says, remedy = f"crosses {itself}", "split them there or move one"
    return Finding(
        "stop", one, f"wire '{one}' {says} at {words_for(place)} without a junction", remedy, as_place(place)
    )
