"""The check before a run: what would stop a solve, and what would make its answer doubtful."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..constants import wavelength
from ..errors import EarshotError, unknown
from .antenna import Antenna
from .findings import Finding, Findings
from .mesh import MeshRule, joined_points, joint_reach

Floats = NDArray[np.float64]
_SHARP = math.radians(30.0)
_COARSEST = 20.0
_THICKEST = 0.05
_SMALLEST = 5e-4


@dataclass(frozen=True, slots=True)
class _Pieces:
    """Every straight piece of every wire: index of its wire, number on it, both ends, joints at them, radius."""

    wire: NDArray[np.int64]
    number: NDArray[np.int64]
    start: Floats
    stop: Floats
    joint: NDArray[np.int64]
    radius: Floats

    @property
    def lengths(self) -> Floats:
        return np.asarray(np.linalg.norm(self.stop - self.start, axis=1))


def _pieces(antenna: Antenna) -> _Pieces:
    ends = [(w.corners[:-1], w.corners[1:]) for w in antenna.wires]
    counts = [len(first) for first, _ in ends]
    start, stop = (np.concatenate(side) for side in zip(*ends, strict=True))
    joints = joined_points(np.concatenate([start, stop]), joint_reach(antenna)).reshape(2, -1).T
    wire = np.repeat(np.arange(len(counts)), counts)
    number = np.concatenate([np.arange(c) for c in counts])
    return _Pieces(wire, number, start, stop, joints, np.array([w.radius for w in antenna.wires])[wire])


def check(antenna: Antenna, frequency: float | None = None, rule: MeshRule | None = None) -> Findings:
    """Look at an antenna before it is solved, at a frequency in Hz if one is given."""
    pieces = _pieces(antenna)
    findings = [
        *_ports(antenna, pieces),
        *_lines(antenna),
        *_overlaps(antenna),
        *_shapes(antenna, pieces),
        *_joints(antenna, pieces),
    ]
    findings += _plane(antenna) if antenna.medium.has_plane else []
    findings += _closeness(antenna, pieces)
    if frequency is not None:
        findings += _sizes(antenna, frequency, rule or MeshRule())
    return Findings(findings)


def _at(place: Floats) -> str:
    return "(" + ", ".join(f"{0.0 if abs(x) < 1e-12 else x:.6g}" for x in place) + ") m"


def _place(place: Floats) -> tuple[float, float, float]:
    return float(place[0]), float(place[1]), float(place[2])


def _ports(antenna: Antenna, pieces: _Pieces) -> Iterator[Finding]:
    if not antenna.ports:
        yield Finding("stop", antenna.name, f"antenna '{antenna.name}' has no port", "mark where it is fed")
    wires = {w.name: w for w in antenna.wires}
    arms = np.bincount(pieces.joint.ravel())
    for port in antenna.gaps:
        if port.on not in wires:
            yield Finding("stop", port.name, f"{port.what}: {unknown('wire', port.on, wires)}", "name one of them")
            continue
        wire = wires[port.on]
        grounded = antenna.grounded(wire)
        try:
            low, high = port.span(wire, grounded)
        except EarshotError as problem:
            says, _, remedy = str(problem).rpartition(": ")
            yield Finding("stop", port.name, says, remedy)
            continue
        own = pieces.joint[pieces.wire == antenna.wires.index(wire)]
        for end, joint, foot, edge in (
            (0.0, own[0, 0], grounded[0], low),
            (wire.length, own[-1, 1], grounded[1], high),
        ):
            if arms[joint] == 1 and not foot and abs(edge - end) < 1e-9 * wire.length:
                yield Finding(
                    "warn",
                    port.name,
                    f"{port.what} reaches the open end of wire '{wire.name}' at {_at(wire.at(end))}, where "
                    "hardly any current flows",
                    "move it along the wire, or join a second wire there",
                    _place(wire.at(end)),
                )


def _lines(antenna: Antenna) -> Iterator[Finding]:
    gaps = {g.name for g in antenna.gaps}
    for line in antenna.lines:
        for place in line.places:
            if place not in gaps:
                kind = type(line).__name__.lower()
                says = f"{kind} '{line.name}': {unknown('port, load or terminal', place, gaps)}"
                yield Finding("stop", line.name, says, "name one of them")


def _overlaps(antenna: Antenna) -> Iterator[Finding]:
    """Gaps that lie over one another on a wire."""
    for wire in antenna.wires:
        spans = []
        for gap in antenna.gaps:
            if gap.on == wire.name:
                try:
                    spans.append((*gap.span(wire, antenna.grounded(wire)), gap))
                except EarshotError:
                    continue
        spans.sort(key=lambda s: s[:2])
        for (_, high, one), (low, _, two) in itertools.pairwise(spans):
            if low < high - 1e-9 * wire.length:
                yield Finding(
                    "stop",
                    two.name,
                    f"the gaps of {one.what} and {two.what} overlap on wire '{wire.name}' at {_at(wire.at(low))}",
                    "move one or give it a smaller gap",
                    _place(wire.at(low)),
                )


def _shapes(antenna: Antenna, pieces: _Pieces) -> Iterator[Finding]:
    lengths = pieces.lengths
    for index, wire in enumerate(antenna.wires):
        own = pieces.wire == index
        for n in np.flatnonzero(own & (pieces.joint[:, 0] == pieces.joint[:, 1])):
            yield Finding(
                "stop",
                wire.name,
                f"wire '{wire.name}' has a piece of no length at {_at(pieces.start[n])}",
                "take out one of the two points",
                _place(pieces.start[n]),
            )
        if wire.radius >= wire.length > 0.0:
            yield Finding(
                "stop",
                wire.name,
                f"wire '{wire.name}' has a radius of {wire.radius:g} m but is only {wire.length:g} m long",
                "check the unit of the radius",
            )
            continue
        short = own & (lengths < 4.0 * wire.radius) & (lengths > 0.0)
        if short.any() and own.sum() > 1:
            least = int(np.flatnonzero(short)[np.argmin(lengths[short])])
            yield Finding(
                "warn",
                wire.name,
                f"wire '{wire.name}' has {short.sum()} pieces shorter than four radii, the shortest "
                f"{lengths[least]:g} m at {_at(pieces.start[least])}",
                "use fewer corners or a thinner wire: bends so close are beyond the kernel",
                _place(pieces.start[least]),
            )


def _joints(antenna: Antenna, pieces: _Pieces) -> Iterator[Finding]:
    """Sharp bends and steps of radius where pieces meet."""
    lengths = np.maximum(pieces.lengths, 1e-300)
    away = (pieces.stop - pieces.start) / lengths[:, None]
    joint, piece = pieces.joint.ravel(), np.repeat(np.arange(len(lengths)), 2)
    out = np.stack([away, -away], axis=1).reshape(-1, 3)
    order = np.argsort(joint, kind="stable")
    bounds = np.searchsorted(joint[order], np.arange(joint.max() + 2))
    for first, last in itertools.pairwise(bounds):
        arms = order[first:last]
        for i, a in enumerate(arms):
            for b in arms[i + 1 :]:
                one, two = (antenna.wires[pieces.wire[piece[x]]] for x in (a, b))
                place = (pieces.start if a % 2 == 0 else pieces.stop)[piece[a]]
                angle = math.acos(float(np.clip(out[a] @ out[b], -1.0, 1.0)))
                names = f"wire '{one.name}'" if one is two else f"wires '{one.name}' and '{two.name}'"
                if piece[a] == piece[b]:
                    continue
                if angle < 1e-6:
                    yield Finding(
                        "stop", one.name, f"{names} fold back on themselves at {_at(place)}", "move one", _place(place)
                    )
                elif angle < _SHARP:
                    yield Finding(
                        "warn",
                        one.name,
                        f"{names} meet at {math.degrees(angle):.0f} deg at {_at(place)}; below 30 deg the tubes "
                        "overlap beyond what the kernel describes",
                        "open the angle or look at the evidence",
                        _place(place),
                    )
                steps = sorted((one.radius, two.radius))
                if steps[1] > 3.0 * steps[0]:
                    yield Finding(
                        "warn",
                        one.name,
                        f"{names} step in radius by {steps[1] / steps[0]:.1f}:1 at {_at(place)}; beyond 3:1 the ring "
                        "between the tubes is left out",
                        "step in stages or look at the evidence",
                        _place(place),
                    )


def _plane(antenna: Antenna) -> Iterator[Finding]:
    for wire in antenna.wires:
        heights = wire.corners[:, 2]
        lowest = wire.corners[int(np.argmin(heights))]
        foot = 1e-3 * wire.radius
        if lowest[2] < -foot:
            yield Finding(
                "stop",
                wire.name,
                f"wire '{wire.name}' goes through the plane: it is {-lowest[2]:g} m below it at {_at(lowest)}",
                "raise it or end it at z = 0",
                _place(lowest),
            )
            continue
        low = (heights[:-1] < wire.radius) & (heights[1:] < wire.radius)
        inner = np.flatnonzero(heights[1:-1] <= foot) + 1
        if low.any() or inner.size:
            place = wire.corners[int(inner[0]) if inner.size else int(np.argmax(low))]
            yield Finding(
                "stop",
                wire.name,
                f"wire '{wire.name}' touches the plane along its way at {_at(place)}",
                "only its ends may stand on the plane: raise it or split it there",
                _place(place),
            )


def _nearest_points(p: Floats, q: Floats, r: Floats, s: Floats) -> tuple[Floats, Floats]:
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


def _closeness(antenna: Antenna, pieces: _Pieces) -> Iterator[Finding]:
    """Pieces that cross, touch or nearly touch without sharing a joint."""
    total = len(pieces.wire)
    seen: set[tuple[int, int]] = set()
    for i in range(total - 1):
        others = np.arange(i + 1, total)
        shared = (pieces.joint[others, :, None] == pieces.joint[i]).any(axis=(1, 2))
        # Neighbours but one on the same wire are near because the piece between them is short: `_shapes` says so.
        same = (pieces.wire[others] == pieces.wire[i]) & (others - i <= 2)
        others = others[~shared & ~same]
        if not others.size:
            continue
        p, q = (np.broadcast_to(x[i], (len(others), 3)) for x in (pieces.start, pieces.stop))
        u, v = _nearest_points(p, q, pieces.start[others], pieces.stop[others])
        here = p + u[:, None] * (q - p)
        there = pieces.start[others] + v[:, None] * (pieces.stop[others] - pieces.start[others])
        distance = np.linalg.norm(here - there, axis=1)
        metal = pieces.radius[i] + pieces.radius[others]
        for k in np.flatnonzero(distance < 1.5 * metal):
            pair = (int(pieces.wire[i]), int(pieces.wire[others[k]]))
            if pair in seen:
                continue
            seen.add(pair)
            at_end = u[k] in (0.0, 1.0), v[k] in (0.0, 1.0)
            yield _close_pair(antenna, pair, at_end, 0.5 * (here[k] + there[k]), float(distance[k]), float(metal[k]))


def _close_pair(
    antenna: Antenna, pair: tuple[int, int], at_end: tuple[bool, bool], place: Floats, distance: float, metal: float
) -> Finding:
    one, two = (antenna.wires[w].name for w in pair)
    if distance >= metal:
        return Finding(
            "warn",
            one,
            f"wires '{one}' and '{two}' are {distance:g} m apart at {_at(place)}, with radii adding up to {metal:g} m; "
            "so close, current crowds to one side, which the kernel leaves out",
            "move them apart or look at the evidence",
            _place(place),
        )
    itself = "itself" if one == two else f"'{two}'"
    if distance > 1e-3 * metal:
        says, remedy = f"touches {itself}", "move one, or join them at a shared point"
    elif any(at_end) and one != two:
        ends, on = (one, two) if at_end[0] else (two, one)
        return Finding(
            "stop",
            ends,
            f"wire '{ends}' ends on '{on}' at {_at(place)} without a junction",
            f"give '{on}' a point there, or move one",
            _place(place),
        )
    else:
        says, remedy = f"crosses {itself}", "split them there or move one"
    return Finding("stop", one, f"wire '{one}' {says} at {_at(place)} without a junction", remedy, _place(place))


def _sizes(antenna: Antenna, frequency: float, rule: MeshRule) -> Iterator[Finding]:
    wave = wavelength(frequency)
    if rule.per_wavelength < _COARSEST:
        yield Finding(
            "warn",
            antenna.name,
            f"the mesh is too coarse: {rule.per_wavelength:g} segments per wavelength at {frequency / 1e6:g} MHz",
            f"use at least {_COARSEST:g}; {MeshRule().per_wavelength:g} unless given",
        )
    if antenna.size < _SMALLEST * wave:
        yield Finding(
            "warn",
            antenna.name,
            f"the antenna is tiny: {antenna.size / wave:.2g} wavelengths across at {frequency / 1e6:g} MHz, below "
            f"{_SMALLEST:g}, where radiation resistance drowns in the rounding of the reactance",
            "trust its reactance, not its resistance or gain, or use a higher frequency",
        )
    for wire in antenna.wires:
        if wire.radius > _THICKEST * wave:
            yield Finding(
                "warn",
                wire.name,
                f"wire '{wire.name}' is thick: its radius is {wire.radius / wave:.3f} wavelengths at "
                f"{frequency / 1e6:g} MHz, beyond {_THICKEST:g}, where current round the wire is no longer uniform",
                "use a thinner wire or a lower frequency",
            )
