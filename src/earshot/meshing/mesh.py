"""From wires to straight segments.

Segments follow a wanted length h that never exceeds a share of the wavelength, is small at free ends (where the
current falls like a square root over a radius or so) and at the edges of a port's gap, and grows from there by a fixed
amount per unit of distance along the metal. Joints and splits do not change it, so a wire cut in two at a node
gives the same mesh.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

import numpy as np

from .. import units
from ..arraytypes import Bools, Floats, Ints
from ..description.antenna import Antenna
from ..description.parts import Wire
from ..errors import ModelError, RunError, UsageError
from ..kernels.rows import LENGTH, SX, SZ, TX, TZ
from .grading import graded_cuts
from .pin_pieces import pin_heights

_MOST_SEGMENTS = 1e6


@dataclass(frozen=True, slots=True)
class MeshRule:
    """How finely wires are divided.

    per_wavelength: segments per wavelength where nothing asks for more. growth: how much longer segments may get per
    unit of distance from a free end or port; None gives a uniform mesh that ignores both. finest: length at free
    ends in radii. port_share: segments across a port's gap. least: segments a connected piece has at least.

    Of sheets: sheets_per_wavelength: edges of triangles per wavelength where nothing asks for more. edge: length of an
    edge across a rim, over the usual one. density: how much finer sheets are than they are by all that. around: chords
    of a round sheet, at least. foot: size of the triangles where a wire stands, in its radii.

    Raises UsageError for values that make no mesh.
    """

    per_wavelength: float = 80.0
    growth: float | None = 0.5
    finest: float = 0.02
    port_share: float = 4.0
    least: float = 16.0
    sheets_per_wavelength: float = 10.0
    edge: float = 0.1
    density: float = 1.0
    around: int = 24
    foot: float = 2.0

    def __post_init__(self) -> None:
        for name in set(self.__dataclass_fields__) - {"growth"}:
            if units.number(getattr(self, name), f"mesh rule, {name}") <= 0.0:
                raise UsageError(f"mesh rule: {name} = {getattr(self, name)} is not above zero")
        if self.growth is not None and not 0.0 < units.number(self.growth, "mesh rule, growth") < 10.0:
            raise UsageError(f"mesh rule: growth = {self.growth} is outside 0 to 10; leave it out for 0.5")


@dataclass(frozen=True)
class WireMesh:
    """Straight segments with nodes at their ends.

    nodes (m, 3): places, metres. ends (n, 2): first and last node of each segment. radii (n,). wire (n,): index of the
    wire. arc (n, 2): distance along the wire at both ends. grounded (m,): whether a node stands on a plane or a sheet.
    """

    nodes: Floats
    ends: Ints
    radii: Floats
    wire: Ints
    arc: Floats
    grounded: Bools
    wavelength: float
    _columns: Floats = field(init=False, repr=False)

    def __post_init__(self) -> None:
        start, stop = self.nodes[self.ends[:, 0]], self.nodes[self.ends[:, 1]]
        steps = stop - start
        lengths = np.linalg.norm(steps, axis=1)
        columns = np.concatenate([start.T, (steps / lengths[:, None]).T, lengths[None], self.radii[None]])
        object.__setattr__(self, "_columns", np.ascontiguousarray(columns))

    def __len__(self) -> int:
        return len(self.ends)

    @property
    def columns(self) -> Floats:
        """Segments as the kernels want them, (8, n); see `kernels.rows`."""
        return self._columns

    @property
    def starts(self) -> Floats:
        """Where the segments start (n, 3), metres."""
        return np.asarray(self._columns[SX : SZ + 1].T)

    @property
    def lengths(self) -> Floats:
        """Segment lengths (n,), metres."""
        return np.asarray(self._columns[LENGTH])

    @property
    def tangents(self) -> Floats:
        """Unit tangents (n, 3)."""
        return np.asarray(self._columns[TX : TZ + 1].T)

    @property
    def centres(self) -> Floats:
        """Middles of the segments (n, 3), metres."""
        return (self.nodes[self.ends[:, 0]] + self.nodes[self.ends[:, 1]]) / 2

    @property
    def mirrored(self) -> WireMesh:
        """Its image in the plane z = 0; what is numbered keeps its numbers."""
        return replace(self, nodes=self.nodes * np.array([1.0, 1.0, -1.0]))

    def halved(self, kept: Bools) -> WireMesh:
        """The mesh with every segment cut in two but for those kept (segments,)."""
        n, cut = len(self), np.flatnonzero(~kept)
        middle = np.full(n, -1)
        middle[cut] = len(self.nodes) + np.arange(len(cut))
        twice = np.repeat(np.arange(n), np.where(kept, 1, 2))
        second = np.flatnonzero(np.diff(twice) == 0) + 1
        ends, arc = self.ends[twice].copy(), self.arc[twice].copy()
        for column, rows in ((1, second - 1), (0, second)):
            ends[rows, column], arc[rows, column] = middle[twice[rows]], self.arc.mean(axis=1)[twice[rows]]
        return replace(
            self,
            nodes=np.concatenate([self.nodes, self.centres[cut]]),
            ends=ends,
            radii=self.radii[twice],
            wire=self.wire[twice],
            arc=arc,
            grounded=np.concatenate([self.grounded, np.zeros(len(cut), bool)]),
        )

    def only(self, chosen: Bools) -> WireMesh:
        """The segments chosen (segments,), with all nodes."""
        return replace(
            self, ends=self.ends[chosen], radii=self.radii[chosen], wire=self.wire[chosen], arc=self.arc[chosen]
        )

    def raised(self, height: float) -> WireMesh:
        """The mesh moved up, metres."""
        return replace(self, nodes=lifted(self.nodes, height))


def lifted(places: Floats, height: float) -> Floats:
    """Places (..., 3) moved up, m; what comes within a millionth of z = 0 is there, lest it be under it."""
    found = np.asarray(places + np.array([0.0, 0.0, height]))
    found[..., 2][np.abs(found[..., 2]) < 1e-6 * abs(height)] = 0.0
    return found


@dataclass(frozen=True, slots=True)
class _Spans:
    """Straight pieces between places where a node must be: (wire, arc, places, nodes) of both ends.

    gap: which are under a gap; through: which pass layers, where they are not divided.
    """

    wire: Ints
    arc: Floats
    ends: Ints
    places: Floats
    gap: Bools
    through: Bools


def joined_points(points: Floats, reach: float) -> Ints:
    """Give points closer than reach the same number, counted in order of first appearance: (n,)."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    pairs = cKDTree(points).query_pairs(reach, output_type="ndarray")
    links = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(points), len(points)))
    label = connected_components(links, directed=False)[1]
    _, first, inverse = np.unique(label, return_index=True, return_inverse=True)
    order = np.argsort(np.argsort(first))
    return np.asarray(order[inverse], dtype=np.int64)


def joint_reach(antenna: Antenna) -> float:
    """How close two corners must be to be one joint: a thousandth of the thinnest radius, metres."""
    return 1e-3 * min(w.radius for w in antenna.wires)


def _spans(antenna: Antenna, rule: MeshRule, wavelength: float) -> _Spans:
    wire, arc, places, gap, through = [], [], [], [], []
    board, heights = antenna.medium.thickness, pin_heights(antenna, wavelength, rule)
    for index, part in enumerate(antenna.wires):
        marks = list(part.arc)
        gaps = [p.span(part, antenna.grounded(part)) for p in antenna.gaps if p.on == part.name]
        if rule.growth is not None:
            # A gap edge that falls on a corner is that corner.
            edges = {e for g in gaps for e in g}
            marks += [e for e in edges if min(abs(e - m) for m in part.arc) > 1e-9 * part.length]
        # The middle of a gap is a node, as the foot of a port on a plane is: a monopole is half its dipole.
        middles = [0.5 * (low + high) for low, high in gaps if not _at_foot(part, low, high, antenna.grounded(part))]
        if rule.growth is not None or any(low == high for low, high in gaps):
            marks += [m for m in middles if min(abs(m - x) for x in marks) > 1e-9 * part.length]
        if board > 0.0:
            marks = _around_layers(part, marks, board) + _where(part, heights.get(part.name, []))
        stops = sorted(set(marks))
        for s0, s1 in itertools.pairwise(stops):
            wire.append(index)
            arc.append((s0, s1))
            places += [part.at(s0), part.at(s1)]
            gap.append(any(low < 0.5 * (s0 + s1) < high for low, high in gaps))
            through.append(bool(antenna.medium.holds(part.at(0.5 * (s0 + s1))[2])))
    every = np.array(places)
    labels = joined_points(every, joint_reach(antenna))
    _, first = np.unique(labels, return_index=True)
    return _Spans(np.array(wire), np.array(arc), labels.reshape(-1, 2), every[first], np.array(gap), np.array(through))


def _around_layers(wire: Wire, marks: list[float], top: float) -> list[float]:
    """Marks along a wire, less those inside layers, and where it leaves them."""
    close = 1e-9 * top
    kept = [m for m in marks if wire.at(m)[2] > top - close or m in (0.0, wire.length)]
    if wire.corners[:, 2].min() < top - close and wire.corners[:, 2].max() > top + close:
        kept += _where(wire, [top])
    return kept


def _where(wire: Wire, heights: list[float]) -> list[float]:
    """Where along a wire it is at heights."""
    found = []
    for one, two, start, end in zip(wire.corners[:-1], wire.corners[1:], wire.arc[:-1], wire.arc[1:], strict=True):
        low, high = sorted((one[2], two[2]))
        found += [start + (end - start) * (z - one[2]) / (two[2] - one[2]) for z in heights if low < z < high]
    return found


def _at_foot(wire: Wire, low: float, high: float, grounded: tuple[bool, bool]) -> bool:
    """Whether a gap stands on the plane."""
    return (grounded[0] and low == 0.0) or (grounded[1] and high == wire.length)


def _nearest(spans: _Spans, start: Floats, growth: float) -> Floats:
    """Wanted length at every node: the least of start + growth x distance along the metal over all nodes."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import dijkstra

    n = len(start)
    lengths = spans.arc[:, 1] - spans.arc[:, 0]
    # Node n is a source from which every node is reached at its own start value.
    rows = np.concatenate([spans.ends[:, 0], np.full(n, n)])
    columns = np.concatenate([spans.ends[:, 1], np.arange(n)])
    weights = np.concatenate([growth * lengths, start])
    finite = np.isfinite(weights)
    best: dict[tuple[int, int], float] = {}
    for r, c, w in zip(rows[finite], columns[finite], weights[finite], strict=True):
        key = (min(r, c), max(r, c))
        best[key] = min(w, best.get(key, math.inf))
    keys = np.array(list(best))
    graph = coo_array((list(best.values()), (keys[:, 0], keys[:, 1])), shape=(n + 1, n + 1)).tocsr()
    return np.asarray(dijkstra(graph, directed=False, indices=n)[:n])


def _pieces(spans: _Spans, nodes: int) -> tuple[Ints, Floats]:
    """Connected piece of every node, and the length of metal in each."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    links = coo_array((np.ones(len(spans.ends)), tuple(spans.ends.T)), shape=(nodes, nodes))
    count, label = connected_components(links, directed=False)
    lengths = np.bincount(label[spans.ends[:, 0]], spans.arc[:, 1] - spans.arc[:, 0], minlength=count)
    return np.asarray(label, np.int64), np.asarray(lengths, float)


def _cuts(antenna: Antenna, spans: _Spans, rule: MeshRule, wavelength: float, grounded: Bools) -> Iterable[Floats]:
    nodes = len(spans.places)
    piece, metal = _pieces(spans, nodes)
    lengths = spans.arc[:, 1] - spans.arc[:, 0]
    most = wavelength / rule.per_wavelength
    if rule.growth is None:
        return [np.linspace(0.0, x, max(1, math.ceil(x / most - 1e-6)) + 1) for x in lengths]
    radii = np.array([w.radius for w in antenna.wires])[spans.wire]
    wanted = np.full(nodes, math.inf)
    # Below that the two ends of a segment are one number.
    least = 1e-12 * float(np.abs(spans.places).max())
    arms = np.bincount(spans.ends.ravel(), minlength=nodes)
    for (i, j), radius, long, gap, through in zip(spans.ends, radii, lengths, spans.gap, spans.through, strict=True):
        for node in (i, j):
            if arms[node] == 1 and not grounded[node]:
                wanted[node] = min(wanted[node], max(rule.finest * radius, least))
            if gap or through:
                # This is half the gap; the other half lies beyond its middle, or is the image's.
                wanted[node] = min(wanted[node], 2.0 * long / rule.port_share)
    # What stands on a plane has its image as well, or nearly so on a sheet.
    doubled = np.where(np.bincount(piece[grounded], minlength=len(metal)) > 0, 2.0, 1.0)
    limits = np.minimum(most, doubled * metal / rule.least)[piece]
    near = np.minimum(_nearest(spans, wanted, rule.growth), limits)
    return [
        np.array([0.0, long]) if through else graded_cuts(long, near[i], near[j], limits[i], rule.growth)
        for (i, j), long, through in zip(spans.ends, lengths, spans.through, strict=True)
    ]


def mesh(antenna: Antenna, wavelength: float, rule: MeshRule | None = None) -> WireMesh:
    """Divide an antenna's wires into segments for wavelengths down to `wavelength`, in metres.

    Raises ModelError for pieces of no length, UsageError for ports on wires that are not there, and RunError for more
    segments than any memory holds.
    """
    rule = rule or MeshRule()
    long = sum(w.length for w in antenna.wires) / wavelength
    if not long * rule.per_wavelength < _MOST_SEGMENTS:
        raise RunError(
            f"antenna '{antenna.name}' is {long:.3g} wavelengths of wire and would need "
            f"{long * rule.per_wavelength:.3g} segments: is the frequency right? Use a lower one, or a coarser mesh"
        )
    for gap in antenna.gaps:
        if gap.across is None:
            antenna.wire(gap.on)
    if not antenna.wires:
        none = np.zeros((0, 2))
        numbers = none.astype(np.int64)
        return WireMesh(np.zeros((0, 3)), numbers, none[:, 0], numbers[:, 0], none, numbers[:, 0] > 0, wavelength)
    spans = _spans(antenna, rule, wavelength)
    if (spans.ends[:, 0] == spans.ends[:, 1]).any():
        bad = antenna.wires[int(spans.wire[(spans.ends[:, 0] == spans.ends[:, 1]).argmax()])]
        raise ModelError(f"wire '{bad.name}' has a piece of no length: two of its points coincide; take one out")
    reach = joint_reach(antenna)
    planes = np.array(antenna.medium.planes)
    on_plane = (np.abs(spans.places[:, 2:] - planes) <= reach).any(axis=1)
    for foot in (place for w in antenna.wires for place, on in zip(w.corners, antenna.standing(w), strict=True) if on):
        on_plane |= np.linalg.norm(spans.places - foot, axis=1) <= reach
    nodes = [spans.places]
    count = len(spans.places)
    ends, radii, wires, arcs = [], [], [], []
    for span, cuts in enumerate(_cuts(antenna, spans, rule, wavelength, on_plane)):
        i, j = spans.ends[span]
        fresh = len(cuts) - 2
        share = (cuts[1:-1] / cuts[-1])[:, None]
        nodes.append(spans.places[i] * (1 - share) + spans.places[j] * share)
        chain = np.concatenate([[i], count + np.arange(fresh), [j]])
        count += fresh
        ends.append(np.stack([chain[:-1], chain[1:]], axis=1))
        radii.append(np.full(fresh + 1, antenna.wires[spans.wire[span]].radius))
        wires.append(np.full(fresh + 1, spans.wire[span]))
        arcs.append(spans.arc[span, 0] + np.stack([cuts[:-1], cuts[1:]], axis=1))
    places = np.concatenate(nodes)
    return WireMesh(
        nodes=places,
        ends=np.concatenate(ends),
        radii=np.concatenate(radii),
        wire=np.concatenate(wires),
        arc=np.concatenate(arcs),
        grounded=np.concatenate([on_plane, np.zeros(len(places) - len(on_plane), bool)]),
        wavelength=wavelength,
    )
