"""The check before a run: what would stop a solve, and what would make its answer doubtful."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator

import numpy as np

from .. import units
from ..constants import wavelength
from ..description.antenna import Antenna
from ..description.design import Design, model_of
from ..description.parts import Gap, Wire
from ..errors import EarshotError, unknown
from ..meshing.mesh import MeshRule
from . import printed_check, sheet_check, sides_check, trapped
from .closeness import closeness, duplicates
from .earth_check import low_for, over_earth
from .findings import Finding, Findings
from .pieces import Pieces, as_place, clear_of_feet, straight_pieces, words_for

_SHARP = math.radians(30.0)
_BENT = math.radians(15.0)
_WIDEST_GAP = 0.05
_COARSEST = 20.0
_THICKEST = 0.05
_SMALLEST = 5e-4
_FAR_TOO_SMALL = 1e-6
_THINNEST = 1e-13


def check(
    model: Design | Antenna, frequency: str | float | None = None, rule: MeshRule | None = None, *, fed: bool = True
) -> Findings:
    """Look at a model before it is solved: findings, worst first; an empty list is good news.

    frequency: where sizes and the mesh that `rule` makes are looked at too, text or Hz; of a design its own unless
    given, and of that also values which nothing uses. fed: whether it must have a port. Raises UsageError
    and UnitError.
    """
    model = model_of(model, "check")
    hertz = None if frequency is None else units.frequency(frequency)
    if isinstance(model, Antenna):
        return Findings(_looked_at(model, hertz, rule or MeshRule(), fed))
    values = model.values
    # Built here whether it was before or not: which values are used is seen as it is.
    antenna = model.build(values)
    driving: frozenset[str] = getattr(model.build, "drives", frozenset())
    unused = [name for name, _ in model.given if name not in values.quantities.used | driving]
    return Findings(
        [
            *_looked_at(antenna, model.frequency if hertz is None else hertz, rule or MeshRule(), fed),
            *(Finding("warn", n, f"value '{n}' is used by nothing", "take it out or use it") for n in unused),
        ]
    )


def _looked_at(antenna: Antenna, frequency: float | None, rule: MeshRule, fed: bool) -> list[Finding]:
    findings = list(_plain_ports(antenna, fed))
    if antenna.wires:
        findings += _of_wires(antenna)
    if antenna.sheets:
        findings += sheet_check.described(antenna)
    if antenna.medium.sides:
        findings += sides_check.across_plane(antenna)
    for board in sides_check.boards_of(antenna):
        findings += printed_check.described(board)
        if frequency is not None:
            findings += printed_check.sized(board, frequency)
            findings += [*trapped.trapped(board, frequency), *trapped.leaking(board, frequency)]
    # A mesh is made only of what can be meshed.
    if antenna.sheets and frequency is not None and not any(f.level == "stop" for f in findings):
        findings += sheet_check.meshed(antenna, frequency, rule)
    if antenna.medium.over_matter and frequency is not None:
        findings += low_for(antenna, frequency)
    if frequency is not None:
        findings += _sizes(antenna, frequency, rule)
    return findings


def _of_wires(antenna: Antenna) -> list[Finding]:
    pieces = straight_pieces(antenna)
    findings = [
        *_ports(antenna, pieces),
        *_lines(antenna),
        *_overlaps(antenna),
        *_shapes(antenna, pieces),
        *_joints(antenna, pieces),
    ]
    if antenna.medium.over_matter:
        findings += over_earth(antenna)
    elif antenna.medium.one_sided:
        findings += _plane(antenna)
    twins = duplicates(antenna)
    if not antenna.medium.holds(antenna.extent[1][2] * (1.0 - 1e-6)):
        findings += closeness(antenna, pieces)
    # What lies on its twin touches it everywhere: said once.
    doubled = [f"'{f.part}'" for f in twins]
    findings = [f for f in findings if not any(name in f.says for name in doubled)] + twins
    return [*findings, *_isolated(antenna, pieces)]


def _plain_ports(antenna: Antenna, fed: bool) -> Iterator[Finding]:
    if fed and not antenna.ports:
        yield Finding("stop", antenna.name, f"antenna '{antenna.name}' has no port", "mark where it is fed")
    names = [part.name for part in antenna.metal]
    for gap in antenna.gaps:
        if gap.on not in names:
            kind = "wire" if not antenna.sheets else "wire or sheet"
            yield Finding("stop", gap.name, f"{gap.what}: {unknown(kind, gap.on, names)}", "name one of them")


def _ports(antenna: Antenna, pieces: Pieces) -> Iterator[Finding]:
    wires = {w.name: w for w in antenna.wires}
    arms = np.bincount(pieces.joint.ravel())
    for port in antenna.gaps:
        if port.on not in wires:
            continue
        wire = wires[port.on]
        grounded = antenna.grounded(wire)
        try:
            low, high = port.span(wire, grounded)
        except EarshotError as problem:
            says, _, remedy = str(problem).rpartition(": ")
            yield Finding("stop", port.name, says, remedy)
            continue
        yield from _bent(port, wire, low, high)
        own = pieces.joint[pieces.wire == antenna.wires.index(wire)]
        for end, joint, foot, edge in (
            (0.0, own[0, 0], grounded[0], low),
            (wire.length, own[-1, 1], grounded[1], high),
        ):
            if arms[joint] == 1 and not foot and abs(edge - end) < 1e-9 * wire.length:
                yield Finding(
                    "warn",
                    port.name,
                    f"{port.what} reaches the open end of wire '{wire.name}' at {words_for(wire.at(end))}, where "
                    "hardly any current flows",
                    "move it along the wire, or join a second wire there",
                    as_place(wire.at(end)),
                )


def _bent(gap: Gap, wire: Wire, low: float, high: float) -> Iterator[Finding]:
    """A gap across a bend: the field in it is taken as uniform along a straight piece."""
    steps = np.diff(wire.corners, axis=0)
    for corner, (one, two) in zip(wire.arc[1:-1], itertools.pairwise(steps), strict=True):
        lengths = float(np.linalg.norm(one) * np.linalg.norm(two))
        if low * (1 + 1e-9) < corner < high * (1 - 1e-9) and lengths > 0.0:
            bend = math.acos(float(np.clip(one @ two / lengths, -1.0, 1.0)))
            if bend > _BENT:
                place = wire.at(float(corner))
                yield Finding(
                    "warn",
                    gap.name,
                    f"{gap.what} lies across a bend of {math.degrees(bend):.0f} deg in wire '{wire.name}' at "
                    f"{words_for(place)}; its gap is taken as straight",
                    "move it off the bend, or put a short straight piece there",
                    as_place(place),
                )


def _isolated(antenna: Antenna, pieces: Pieces) -> Iterator[Finding]:
    """Metal that is not joined to any port, directly or by a line: parasitic, or a joint that was meant."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    # All sheets are taken as one piece: which of them meet is seen in the mesh.
    sheets = int(pieces.joint.max()) + 1
    count = sheets + 1
    wires = {w.name: int(pieces.joint[pieces.wire == i][0, 0]) for i, w in enumerate(antenna.wires)}
    gaps = {g.name: wires.get(g.on, sheets) for g in antenna.gaps}
    links = [*pieces.joint.tolist()]
    links += [[wires[w.name], sheets] for w in antenna.wires if antenna.sheets and any(antenna.standing(w))]
    # A line, and the plane, carry power from one piece to another.
    for line in antenna.lines:
        ends = [gaps[p] for p in line.places if p in gaps]
        links += [ends] if len(ends) == 2 else []
    rows = np.array(links)
    label = connected_components(coo_array((np.ones(len(rows)), rows.T), shape=(count, count)), directed=False)[1]
    fed = {int(label[gaps[p.name]]) for p in antenna.ports if p.name in gaps}
    free = [name for name, joint in wires.items() if int(label[joint]) not in fed]
    if free and fed:
        listed = ", ".join(free[:8]) + (f" and {len(free) - 8} more" if len(free) > 8 else "")
        yield Finding(
            "note",
            free[0],
            f"{'these wires are' if len(free) > 1 else 'this wire is'} joined to no port: {listed}",
            "nothing to do if they are parasitic; else join them at a shared point",
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
                    f"the gaps of {one.what} and {two.what} overlap on wire '{wire.name}' at {words_for(wire.at(low))}",
                    "move one or give it a smaller gap",
                    as_place(wire.at(low)),
                )


def _shapes(antenna: Antenna, pieces: Pieces) -> Iterator[Finding]:
    lengths = pieces.lengths
    for index, wire in enumerate(antenna.wires):
        own = pieces.wire == index
        for n in np.flatnonzero(own & (pieces.joint[:, 0] == pieces.joint[:, 1])):
            yield Finding(
                "stop",
                wire.name,
                f"wire '{wire.name}' has a piece of no length at {words_for(pieces.start[n])}",
                "take out one of the two points",
                as_place(pieces.start[n]),
            )
        if wire.radius < _THINNEST * wire.length:
            yield Finding(
                "stop",
                wire.name,
                f"wire '{wire.name}' has a radius of {wire.radius:.3g} m over a length of {wire.length:.3g} m: below "
                f"{_THINNEST:g} of it nothing is left of it but rounding",
                "check the unit of the radius",
            )
            continue
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
                f"{lengths[least]:g} m at {words_for(pieces.start[least])}",
                "use fewer corners or a thinner wire: bends so close are beyond the kernel",
                as_place(pieces.start[least]),
            )


def _joints(antenna: Antenna, pieces: Pieces) -> Iterator[Finding]:
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
                names = f"pieces of wire '{one.name}'" if one is two else f"wires '{one.name}' and '{two.name}'"
                if piece[a] == piece[b]:
                    continue
                if angle < 1e-6:
                    says = f"{names} lie on one another from {words_for(place)} onward"
                    yield Finding("stop", one.name, says, "take out what is double, or move one", as_place(place))
                elif angle < _SHARP:
                    yield Finding(
                        "warn",
                        one.name,
                        f"{names} meet at {math.degrees(angle):.0f} deg at {words_for(place)}; below 30 deg the tubes "
                        "overlap beyond what the kernel describes",
                        "open the angle or look at the evidence",
                        as_place(place),
                    )
                steps = sorted((one.radius, two.radius))
                if steps[1] > 3.0 * steps[0]:
                    yield Finding(
                        "warn",
                        one.name,
                        f"{names} step in radius by {steps[1] / steps[0]:.1f}:1 at {words_for(place)}; beyond 3:1 the "
                        "ring between the tubes is left out",
                        "step in stages or look at the evidence",
                        as_place(place),
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
                f"wire '{wire.name}' goes through the plane: it is {-lowest[2]:g} m below it at {words_for(lowest)}",
                "raise it or end it at z = 0",
                as_place(lowest),
            )
            continue
        inner = np.flatnonzero(heights[1:-1] <= foot) + 1
        standing = heights <= foot
        ends = np.concatenate(clear_of_feet(wire, standing.tolist()))
        nearest = ends[int(np.argmin(ends[:, 2]))] if len(ends) else None
        # Pieces that leave the plane from a foot are low there, however they go on.
        free = wire.corners[np.flatnonzero(standing[:-1] == standing[1:])[:, None] + [0, 1]].reshape(-1, 3)
        if inner.size or (len(free) and free[:, 2].min() < wire.radius):
            place = wire.corners[int(inner[0])] if inner.size else free[int(np.argmin(free[:, 2]))]
            yield Finding(
                "stop",
                wire.name,
                f"wire '{wire.name}' touches the plane along its way at {words_for(place)}",
                "only its ends may stand on the plane: raise it or split it there",
                as_place(place),
            )
        elif nearest is not None and nearest[2] < 2.0 * wire.radius:
            yield Finding(
                "warn",
                wire.name,
                f"wire '{wire.name}' is {nearest[2]:.3g} m above the plane at {words_for(nearest)}, with a radius of "
                f"{wire.radius:g} m; so close, current crowds to one side, which the kernel leaves out",
                "raise it or look at the evidence",
                as_place(nearest),
            )


def _sizes(antenna: Antenna, frequency: float, rule: MeshRule) -> Iterator[Finding]:
    wave = wavelength(frequency)
    if rule.per_wavelength < _COARSEST:
        yield Finding(
            "warn",
            antenna.name,
            f"the mesh is too coarse: {rule.per_wavelength:g} segments per wavelength at {frequency / 1e6:g} MHz",
            f"use at least {_COARSEST:g}; {MeshRule().per_wavelength:g} unless given",
        )
    if antenna.size < _FAR_TOO_SMALL * wave:
        yield Finding(
            "stop",
            antenna.name,
            f"the antenna is {antenna.size:.3g} m across, {antenna.size / wave:.1g} wavelengths at {frequency:.4g} Hz: "
            f"below {_FAR_TOO_SMALL:g} nothing of it radiates that could be told from rounding",
            "check the frequency's unit: MHz are millions, mHz thousandths",
        )
    elif antenna.size < _SMALLEST * wave:
        yield Finding(
            "warn",
            antenna.name,
            f"the antenna is tiny: {antenna.size / wave:.2g} wavelengths across at {frequency / 1e6:g} MHz, below "
            f"{_SMALLEST:g}, where radiation resistance drowns in the rounding of the reactance",
            "trust its reactance, not its resistance or gain, or use a higher frequency",
        )
    for gap in antenna.gaps:
        width = gap.gap or 0.0
        if width > _WIDEST_GAP * wave:
            yield Finding(
                "warn",
                gap.name,
                f"the gap of {gap.what} is {width:g} m wide, {width / wave:.3f} wavelengths at {frequency / 1e6:g} "
                f"MHz; beyond {_WIDEST_GAP:g} its field is no longer uniform",
                "give it a smaller gap",
            )
    for wire in antenna.wires:
        if wire.radius > _THICKEST * wave:
            yield Finding(
                "warn",
                wire.name,
                f"wire '{wire.name}' is thick: its radius is {wire.radius / wave:.3g} wavelengths at "
                f"{frequency / 1e6:g} MHz, beyond {_THICKEST:g}, where current round the wire is no longer uniform",
                "use a thinner wire or a lower frequency",
            )
