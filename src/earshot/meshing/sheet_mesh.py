"""From sheets to triangles that share vertices wherever metal meets.

Flat faces are cut along every line where another part touches them, so that both get the same vertices there; round
ones have rings of chords. Then what meets is joined, a vertex is put where every wire stands, and edges are halved near
wires and narrow gaps.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache

import numpy as np

from ..arraytypes import Bools, Floats, Ints
from ..description.antenna import Antenna
from ..description.shapes import Triangles as Given
from ..description.sheets import Sheet
from ..description.surfaces import Surface
from ..errors import ModelError, RunError
from ..kernels.rows import AREA, MX, MZ, NX, NZ, REACH
from .faces import Face, edges_of, faces_of, flat_triangles, slabs
from .mesh import MeshRule, joined_points, lifted
from .refine import Triangles
from .round_mesh import RoundRule, rims, round_mesh
from .rounding import halfway, pushed

MIRROR = np.array([1.0, 1.0, -1.0])
_MOST_TRIANGLES = 200_000
_FINE_RIM = 0.4
_PRINTED_OUTLINE = 0.25


@dataclass(frozen=True)
class SheetMesh:
    """Flat triangles: vertices (n, 3), metres, corners (m, 3), and the number of the sheet each is part of (m,).

    places (n, 3): where vertices are on their sheets; those of round `surfaces` (one per sheet) lie a little outside.
    """

    vertices: Floats
    triangles: Ints
    sheet: Ints
    places: Floats
    surfaces: tuple[Surface, ...] = ()
    _columns: Floats = field(init=False, repr=False)

    def __post_init__(self) -> None:
        corners = self.vertices[self.triangles]
        cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        double = np.linalg.norm(cross, axis=1)
        centre = corners.mean(axis=1)
        reach = np.linalg.norm(corners - centre[:, None], axis=2).max(axis=1)
        rows = [corners.reshape(-1, 9).T, (cross / double[:, None]).T, double[None] / 2, centre.T, reach[None]]
        object.__setattr__(self, "_columns", np.ascontiguousarray(np.concatenate(rows)))

    def __len__(self) -> int:
        return len(self.triangles)

    @property
    def columns(self) -> Floats:
        """As the kernels want them (17, m); see `kernels.rows`."""
        return self._columns

    @cached_property
    def corners(self) -> Floats:
        """Corner places (m, 3, 3)."""
        return np.asarray(self.vertices[self.triangles])

    @property
    def areas(self) -> Floats:
        """Of every triangle (m,), m²."""
        return np.asarray(self._columns[AREA])

    @property
    def normals(self) -> Floats:
        """Unit normals (m, 3)."""
        return np.asarray(self._columns[NX : NZ + 1].T)

    @property
    def reaches(self) -> Floats:
        """From each centroid to the corner farthest off (m,), metres."""
        return np.asarray(self._columns[REACH])

    @property
    def centres(self) -> Floats:
        """Centroids (m, 3)."""
        return np.asarray(self._columns[MX : MZ + 1].T)

    @property
    def edge_lengths(self) -> Floats:
        """The three sides of every triangle (m, 3), metres, each opposite its corner."""
        x = self.corners
        return np.stack([np.linalg.norm(x[:, (i + 1) % 3] - x[:, (i + 2) % 3], axis=1) for i in range(3)], axis=1)

    @cached_property
    def edges(self) -> tuple[Ints, Ints]:
        """Every edge once, as two vertices (e, 2), the lower first, and how many triangles are at each (e,)."""
        return np.unique(self.sides, axis=0, return_counts=True)

    @property
    def sides(self) -> Ints:
        """The sides of all triangles (3 m, 2), lower vertex first: the first sides of all, the second, the third."""
        t = self.triangles
        return np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)

    @cached_property
    def mirrored(self) -> SheetMesh:
        """Its image in the plane z = 0; what is numbered keeps its numbers."""
        return SheetMesh(self.vertices * MIRROR, self.triangles, self.sheet, self.places * MIRROR)

    def raised(self, height: float) -> SheetMesh:
        """The mesh moved up, metres; what is numbered keeps its numbers."""
        return SheetMesh(lifted(self.vertices, height), self.triangles, self.sheet, lifted(self.places, height))

    def only(self, chosen: Bools | Ints) -> SheetMesh:
        """The triangles chosen (m,), or in some order, with all vertices."""
        return SheetMesh(self.vertices, self.triangles[chosen], self.sheet[chosen], self.places, self.surfaces)

    @cached_property
    def on_plane(self) -> Bools:
        """Which vertices are in the plane z = 0 (n,)."""
        size = float(np.linalg.norm(np.ptp(self.vertices, axis=0)))
        return np.asarray(np.abs(self.vertices[:, 2]) <= 1e-9 * size)

    def halved(self, feet: Ints) -> SheetMesh:
        """The mesh with every triangle cut into four; vertices keep their numbers, new ones lie on round surfaces.

        feet (f,): vertices where wires stand. Triangles there are cut into two and stay as large: they are the model of
        how a wire's current goes over into a sheet, which has the wire's size and not the mesh's.
        """
        t = self.triangles
        unique, which = np.unique(self.sides, axis=0, return_inverse=True)
        which = which.ravel()
        ends = self.places[unique]
        middle = ends.mean(axis=1)
        for number, surface in enumerate(self.surfaces):
            own = np.unique(which[np.tile(self.sheet == number, 3)])
            on, moved = halfway(surface, ends[own, 0], ends[own, 1])
            middle[own[moved]] = on[moved]
        whole = np.isin(unique, feet).any(axis=1)
        fresh = np.cumsum(~whole) - 1 + len(self.vertices)
        # Sides that stay whole have no vertex: their number is never used.
        between = np.where(whole, -1, fresh)[which].reshape(3, -1).T
        kept = (between < 0).sum(axis=1)
        order, four = [], []
        (ab, bc, ca), (a, b, c) = between.T, t.T
        plain = kept == 0
        for part in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca)):
            four.append(np.stack(part, axis=1)[plain])
            order.append(np.flatnonzero(plain))
        for apex in range(3):
            one, two, far = t[:, apex], t[:, (apex + 1) % 3], t[:, (apex + 2) % 3]
            cut = (kept == 2) & (between[:, (apex + 1) % 3] >= 0)
            new = between[:, (apex + 1) % 3]
            for part in ((one, two, new), (one, new, far)):
                four.append(np.stack(part, axis=1)[cut])
                order.append(np.flatnonzero(cut))
        # Between two feet nothing is cut.
        four.append(t[kept == 3])
        order.append(np.flatnonzero(kept == 3))
        along = np.argsort(np.concatenate(order), kind="stable")
        triangles, sheet = np.concatenate(four)[along], self.sheet[np.concatenate(order)[along]]
        middle = middle[~whole]
        finer = np.concatenate([self.places, middle])
        # What was not pushed, as where wires stand, stays.
        pinned = np.concatenate([(self.vertices == self.places).all(axis=1), np.zeros(len(middle), bool)])
        return SheetMesh(pushed(finer, triangles, sheet, self.surfaces, pinned), triangles, sheet, finer, self.surfaces)


@lru_cache(maxsize=4)
def sheet_mesh(antenna: Antenna, wavelength: float, rule: MeshRule) -> SheetMesh:
    """Triangles for an antenna's sheets at wavelengths down to `wavelength`, metres, in the order of the longest side.

    The last few are kept: a check, its table of quality and the solve want the same one. Raises RunError for more
    triangles than any memory holds, ModelError where faces cannot be joined.
    """
    # Round parts are as fine at their rims everywhere: rings there cost little.
    rim, ring = 1.0, _FINE_RIM * rule.edge
    printed = [bool(antenna.medium.carries(sheet.surface.bounds[:, 2]).all()) for sheet in antenna.sheets]
    if any(printed):
        # Charge crowds at the rims of printed metal, and that decides where a patch resonates.
        rule, rim = replace(rule, edge=_FINE_RIM * rule.edge), _PRINTED_OUTLINE
    # The wave is slower under the metal.
    waves = [wavelength / (antenna.medium.slowest if on else 1.0) for on in printed]
    usual = [_most(sheet, wave, rule) for sheet, wave in zip(antenna.sheets, waves, strict=True)]
    _refuse_too_many(antenna, usual)
    cuts = slabs(antenna)
    pieces: list[tuple[Floats, Ints, int]] = []
    faces: list[Face] = []
    rounds: dict[int, RoundRule] = {}
    for index, (sheet, most) in enumerate(zip(antenna.sheets, usual, strict=True)):
        surface = sheet.surface
        own = [slab for slab in cuts if slab.sheet == index]
        if isinstance(surface.shape, Given):
            pieces.append((surface.bounds, np.array(surface.shape.faces), index))
        elif surface.shape.facets:
            faces += faces_of(surface, index, most, rim)
        else:
            planes = tuple(mark for slab in own for mark in slab.heights(surface))
            radii, turn = _feet_off_axis(antenna, sheet) if surface.shape.flat else ((), 0.0)
            on_axis = _feet_on_axis(antenna, sheet, rule)
            rounds[index] = RoundRule(most, rule.around, ring, on_axis, planes, radii=radii, turn=turn)
    for index, how in _matched(antenna, rounds).items():
        pieces.append((*round_mesh(antenna.sheets[index].surface, how), index))
    if faces:
        standing = np.array([place for place, _ in feet(antenna)]).reshape(-1, 3)
        fixed = np.concatenate([edges_of(v, t) for v, t, _ in pieces] or [np.zeros((0, 2, 3))])
        pieces += flat_triangles(faces, fixed, cuts, standing, rule.edge, antenna.size)
    return _joined(antenna, pieces, usual, rule)


def _most(sheet: Sheet, wavelength: float, rule: MeshRule) -> float:
    """Greatest length of an edge: a share of the wavelength, and of the sheet itself."""
    return min(wavelength / rule.sheets_per_wavelength, sheet.surface.shape.coarsest) / (sheet.density * rule.density)


def _matched(antenna: Antenna, rounds: dict[int, RoundRule]) -> dict[int, RoundRule]:
    """The same rules, with as many chords on both sides where rims of round parts meet."""
    ends = {index: rims(antenna.sheets[index].surface, how) for index, how in rounds.items()}
    close = 1e-6 * antenna.size
    matched = {}
    for index, how in rounds.items():
        counts = []
        for own in ends[index]:
            mates = [
                rim.chords
                for other in ends.values()
                for rim in other
                if own is not None
                and rim is not None
                and abs(rim.radius - own.radius) <= close
                and np.linalg.norm(rim.middle - own.middle) <= close
                and abs(abs(float(rim.axis @ own.axis)) - 1.0) < 1e-9
            ]
            counts.append(max(mates, default=0))
        matched[index] = replace(how, rims=(counts[0], counts[1]))
    return matched


def _refuse_too_many(antenna: Antenna, usual: Sequence[float]) -> None:
    count = 0.0
    for sheet, most in zip(antenna.sheets, usual, strict=True):
        extent = np.sort(np.ptp(sheet.surface.bounds, axis=0))
        count += 4.0 * float(extent[1] * extent[2]) / most**2
    if count > _MOST_TRIANGLES:
        raise RunError(
            f"antenna '{antenna.name}' would need about {count:.2g} triangles: is the frequency right? "
            "Use a lower one, a coarser mesh, or a lower density"
        )


def _feet_on_axis(antenna: Antenna, sheet: Sheet, rule: MeshRule) -> tuple[float | None, float | None]:
    """The size of triangles where a wire stands on the axis, at the first and the last end of a round sheet."""
    found: list[float | None] = [None, None]
    low, high = sheet.surface.shape.heights
    for wire in antenna.wires:
        local = sheet.surface.to_local(wire.corners)
        on = np.hypot(local[:, 0], local[:, 1]) < 1e-3 * wire.radius
        for end, height in enumerate((low, high)):
            if (on & (np.abs(local[:, 2] - height) < 1e-3 * wire.radius)).any():
                found[end] = min(found[end] or math.inf, rule.foot * wire.radius)
    return (found[0], None) if low == high else (found[0], found[1])


def _feet_off_axis(antenna: Antenna, sheet: Sheet) -> tuple[tuple[float, ...], float]:
    """Radii of the places on a disk where wires stand, and the angle of the first of them."""
    places = [place for place, reach in feet(antenna) if sheet.surface.touches(place[None], reach)[0]]
    local = sheet.surface.to_local(np.array(places).reshape(-1, 3))
    rho = np.hypot(local[:, 0], local[:, 1])
    size = sheet.surface.sizes[0]
    # A ring so near the rim, or round the middle, would be of slivers.
    off = local[(rho > 0.02 * size) & (rho < 0.48 * size)]
    if not len(off):
        return (), 0.0
    radii = np.sort(np.hypot(off[:, 0], off[:, 1]))
    radii = radii[np.concatenate([[True], np.diff(radii) > 1e-9 * size])]
    return tuple(radii.tolist()), math.atan2(off[0, 1], off[0, 0])


def _joined(
    antenna: Antenna, pieces: list[tuple[Floats, Ints, int]], usual: Sequence[float], rule: MeshRule
) -> SheetMesh:
    vertices = np.concatenate([p[0] for p in pieces])
    starts = np.cumsum([0, *(len(p[0]) for p in pieces[:-1])])
    corners = np.concatenate([t + start for (_, t, _), start in zip(pieces, starts, strict=True)])
    sheet = np.concatenate([np.full(len(t), index) for _, t, index in pieces])
    least = min(float(np.linalg.norm(v[t[:, 0]] - v[t[:, 1]], axis=1).min()) for v, t, _ in pieces)
    label = joined_points(vertices, max(1e-9 * antenna.size, 1e-3 * least))
    _, first = np.unique(label, return_index=True)
    corners = label[corners]
    whole = (corners[:, 0] != corners[:, 1]) & (corners[:, 1] != corners[:, 2]) & (corners[:, 2] != corners[:, 0])
    surfaces = tuple(s.surface for s in antenna.sheets)
    mesh = Triangles(vertices[first], corners[whole], sheet[whole], surfaces)
    fixed = _on_slabs(antenna, np.array(mesh.vertices))
    standing = [mesh.put(place, reach, fixed) for place, reach in feet(antenna)]
    mesh.divide(_wanted(antenna, usual, rule, mesh))
    v, t, s = mesh.arrays()
    used, numbers = np.unique(t, return_inverse=True)
    v, t = v[used], numbers.reshape(-1, 3)
    along = int(np.ptp(v, axis=0).argmax())
    order = np.argsort(v[t].mean(axis=1)[:, along], kind="stable")
    t, s = t[order], s[order]
    pinned = np.isin(used, standing)
    return SheetMesh(pushed(v, t, s, surfaces, pinned), t, s, v, surfaces)


def _on_slabs(antenna: Antenna, vertices: Floats) -> set[int]:
    """Vertices on the borders of gaps, which must stay there."""
    found: set[int] = set()
    for slab in slabs(antenna):
        off = np.abs(np.abs((vertices - slab.place) @ slab.normal) - slab.half)
        found |= set(np.flatnonzero(off < 1e-9 * antenna.size).tolist())
    return found


def feet(antenna: Antenna) -> list[tuple[Floats, float]]:
    """Every corner of a wire that stands on a sheet, once, and how close to it a vertex must be, metres."""
    found: list[tuple[Floats, float]] = []
    for wire in antenna.wires:
        reach = 1e-3 * wire.radius
        touching = [s.surface.touches(wire.corners, reach) for s in antenna.sheets_near(wire.corners, reach)]
        for place in wire.corners[np.any(touching, axis=0)] if touching else ():
            if all(math.dist(place, other) > reach for other, _ in found):
                found.append((place, reach))
    return found


def _wanted(
    antenna: Antenna, usual: Sequence[float], rule: MeshRule, mesh: Triangles
) -> Callable[[Floats, Ints], Floats]:
    """Longest edge wanted at places on sheets: short near wires and near other sheets, across narrow gaps."""
    from scipy.spatial import cKDTree

    lines = [(w.radius, pair) for w in antenna.wires for pair in itertools.pairwise(w.corners)]
    corners = np.array(mesh.vertices)[np.array(mesh.corners)]
    longest = float(np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max())
    # What is already there is as it should be, but for triangles taken from elsewhere.
    given = [most for s, most in zip(antenna.sheets, usual, strict=True) if isinstance(s.surface.shape, Given)]
    cap = 1.5 * min(given) if given else math.inf
    opposite = _opposite(antenna, usual, mesh)

    def wanted(places: Floats, sheet: Ints) -> Floats:
        size = np.full(len(places), cap)
        around = cKDTree(places)
        for radius, (start, stop) in lines:
            along = stop - start
            # Farther off no edge is as long as it might be there.
            far = 0.5 * float(np.linalg.norm(along)) + longest
            near = np.array(around.query_ball_point(0.5 * (start + stop), far), int)
            share = np.clip((places[near] - start) @ along / (along @ along), 0.0, 1.0)
            off = np.linalg.norm(start + share[:, None] * along - places[near], axis=1)
            size[near] = np.minimum(size[near], np.maximum(1.5 * rule.foot * radius, 1.2 * off))
        for one, other in opposite:
            own = sheet == one
            gap = 2.0 * antenna.sheets[other].surface.distances(places[own])
            size[own] = np.minimum(size[own], np.maximum(gap, usual[one] / 12.0))
        return size

    return wanted


def _opposite(antenna: Antenna, usual: Sequence[float], mesh: Triangles) -> list[tuple[int, int]]:
    """Pairs of sheets that are near but not joined: what is on the one changes over the gap to the other.

    Not so between faces of layers: there each is over the other as over a plane, where only rims want short edges.
    """
    corners, sheet = np.array(mesh.corners), np.array(mesh.sheet)
    vertices = [np.unique(corners[sheet == s]) for s in range(len(antenna.sheets))]
    places = np.array(mesh.vertices)
    low, high = (np.array([f(places[v], axis=0) for v in vertices]).reshape(-1, 3) for f in (np.min, np.max))
    level = antenna.medium.level_at(np.stack([low[:, 2], high[:, 2]]))
    printed = np.where(level[0] == level[1], level[0], -1)
    pairs = []
    for one, own in enumerate(vertices):
        near = 0.5 * usual[one]
        boxes = np.maximum(np.maximum(low - high[one], low[one] - high), 0.0)
        for other in np.flatnonzero(np.linalg.norm(boxes, axis=1) < near):
            if other == one or np.intersect1d(own, vertices[other]).size:
                continue
            if printed[one] >= 0 and printed[other] >= 0 and printed[one] != printed[other]:
                continue
            off = np.maximum(np.maximum(low[other] - places[own], places[own] - high[other]), 0.0)
            if np.linalg.norm(off, axis=1).min() < near:
                pairs.append((one, int(other)))
    return pairs


def quality(mesh: SheetMesh, antenna: Antenna) -> dict[str, dict[str, float]]:
    """Per sheet: triangles, area (m²), shortest and longest edge (m), least angle (deg), worst shape.

    Shape is 4√3 area over the sum of the squared sides: 1 for a triangle of equal sides, 0 for a sliver.
    """
    sides = mesh.edge_lengths
    a, b, c = np.sort(sides, axis=1).T
    angle = np.degrees(np.arccos(np.clip((b**2 + c**2 - a**2) / (2 * b * c), -1.0, 1.0)))
    shape = 4.0 * math.sqrt(3.0) * mesh.areas / (sides**2).sum(axis=1)
    table = {}
    for index, sheet in enumerate(antenna.sheets):
        own = mesh.sheet == index
        if not own.any():
            raise ModelError(f"sheet '{sheet.name}' has no triangles: is it smaller than rounding?")
        table[sheet.name] = {
            "triangles": float(own.sum()),
            "area_m2": float(mesh.areas[own].sum()),
            "shortest_m": float(sides[own].min()),
            "longest_m": float(sides[own].max()),
            "least_angle_deg": float(angle[own].min()),
            "worst_shape": float(shape[own].min()),
        }
    return table
