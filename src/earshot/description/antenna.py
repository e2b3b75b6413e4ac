"""An antenna: metal, ports and the medium it stands in, frozen."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from .. import units
from ..arraytypes import Floats
from ..errors import UsageError, needs, unknown
from ..media.metals import Metal, metals
from ..media.surroundings import FreeSpace, Medium
from .circuit_parts import Line, Load, Stub, Terminal
from .distances import distances
from .parts import AXES, Gap, Length, Port, Wire, named
from .sheets import Sheet
from .turns import held, turn_about

if TYPE_CHECKING:
    import pandas as pd


Part = Wire | Sheet | Port | Terminal | Load | Line | Stub


def _refuse_twins(kind: str, names: Sequence[str], antenna: str) -> None:
    twins = sorted(name for name, times in Counter(names).items() if times > 1)
    if twins:
        raise UsageError(f"antenna '{antenna}' has two {kind}s named '{twins[0]}': rename one")


@dataclass(frozen=True, slots=True)
class Antenna:
    """Wires, sheets, what is joined to them, and a medium. Every change gives a new antenna.

    ports: where it is fed. sheets: thin metal in the shape of surfaces. loads: lumped impedances. terminals: gaps for
    lines alone. lines: `Line` and `Stub`. Raises UsageError for two parts of one name and for an antenna without metal;
    everything else is for `check`.

    >>> dipole = Antenna("dipole", [Wire("rod", [(0, 0, -0.5), (0, 0, 0.5)], radius="2 mm")], [Port("feed", on="rod")])
    >>> dipole.raised("3 m").wires[0].points[0]
    (0.0, 0.0, 2.5)
    """

    name: str
    wires: tuple[Wire, ...]
    ports: tuple[Port, ...]
    medium: Medium
    loads: tuple[Load, ...]
    terminals: tuple[Terminal, ...]
    lines: tuple[Line | Stub, ...]
    sheets: tuple[Sheet, ...]
    _boxes: Any = field(init=False, compare=False, repr=False)

    def __init__(
        self,
        name: str,
        wires: Iterable[Wire] = (),
        ports: Iterable[Port] = (),
        medium: Medium | None = None,
        *,
        sheets: Iterable[Sheet] = (),
        loads: Iterable[Load] = (),
        terminals: Iterable[Terminal] = (),
        lines: Iterable[Line | Stub] = (),
    ) -> None:
        object.__setattr__(self, "name", named(name, "antenna"))
        object.__setattr__(self, "_boxes", None)
        medium = FreeSpace() if medium is None else medium
        needs(medium, Medium, f"antenna '{name}', medium", "perfect_plane(), earth('meadow'), a Stack, or none")
        object.__setattr__(self, "medium", medium)
        for key, parts, kind in (
            ("wires", wires, Wire),
            ("ports", ports, Port),
            ("sheets", sheets, Sheet),
            ("loads", loads, Load),
            ("terminals", terminals, Terminal),
            ("lines", lines, Line | Stub),
        ):
            what, give = f"antenna '{name}', {key}", f"a list of {key}"
            needs(parts, Iterable, what, give)
            several = tuple(parts)
            for part in several:
                needs(part, kind, what, give)
            object.__setattr__(self, key, several)
        if not (self.wires or self.sheets):
            raise UsageError(f"antenna '{name}' has no wires or sheets: give it at least one")
        _refuse_twins("part", [x.name for x in self.metal], name)
        _refuse_twins("port", [p.name for p in self.ports], name)
        _refuse_twins("gap", [g.name for g in self.gaps], name)
        _refuse_twins("line", [x.name for x in self.lines], name)

    @property
    def gaps(self) -> tuple[Gap, ...]:
        """Every gap: ports, then loads, then terminals."""
        return (*self.ports, *self.loads, *self.terminals)

    def wire(self, name: str) -> Wire:
        """The wire of that name; raises UsageError naming the nearest one there is."""
        for wire in self.wires:
            if wire.name == name:
                return wire
        raise UsageError(f"antenna '{self.name}': {unknown('wire', name, [w.name for w in self.wires])}")

    def sheet(self, name: str) -> Sheet:
        """The sheet of that name; raises UsageError naming the nearest one there is."""
        for sheet in self.sheets:
            if sheet.name == name:
                return sheet
        raise UsageError(f"antenna '{self.name}': {unknown('sheet', name, [s.name for s in self.sheets])}")

    def port(self, name: str) -> Port:
        """The port of that name; raises UsageError naming the nearest one there is."""
        for port in self.ports:
            if port.name == name:
                return port
        raise UsageError(f"antenna '{self.name}': {unknown('port', name, [p.name for p in self.ports])}")

    @property
    def extent(self) -> tuple[Floats, Floats]:
        """Least and greatest corner of the box round all metal, each (3,), metres."""
        corners = np.concatenate([*(w.corners for w in self.wires), *(s.surface.bounds for s in self.sheets)])
        return corners.min(axis=0), corners.max(axis=0)

    @property
    def printed(self) -> bool:
        """Whether all its metal is on layers or in them."""
        return self.medium.layered and float(self.extent[1][2]) <= self.medium.thickness * (1.0 + 1e-6)

    @property
    def size(self) -> float:
        """Diagonal of that box, metres."""
        low, high = self.extent
        return float(np.linalg.norm(high - low))

    def standing(self, wire: Wire) -> tuple[bool, ...]:
        """Which corners of a wire stand on a plane or on a sheet: within a thousandth of its radius."""
        reach = 1e-3 * wire.radius
        on = (np.abs(wire.corners[:, 2:] - np.array(self.medium.planes)) <= reach).any(axis=1)
        for sheet in self.sheets_near(wire.corners, reach):
            on = on | sheet.surface.touches(wire.corners, reach)
        return tuple(on.tolist())

    def is_opening(self, sheet: Sheet) -> bool:
        """Whether a sheet lies in a plane that is seen from both sides, and so is an opening in it."""
        return bool(self.medium.sides) and bool((self.medium.level_at(sheet.surface.bounds[:, 2]) == 0).all())

    def off_sheets(self, place: Floats) -> float:
        """How far a place (3,) is from the nearest sheet, m; infinity where there is none."""
        boxes, best = self._box_of_each(), math.inf
        beside = np.linalg.norm(np.maximum(np.maximum(boxes[:, 0] - place, place - boxes[:, 1]), 0.0), axis=1)
        for n in np.argsort(beside):
            if beside[n] >= best:
                break
            best = min(best, float(self.sheets[n].surface.distances(place[None])[0]))
        return best

    def _box_of_each(self) -> Floats:
        """Boxes round sheets (sheets, 2, 3), m."""
        if self._boxes is None:
            object.__setattr__(self, "_boxes", np.array([s.surface.box for s in self.sheets]).reshape(-1, 2, 3))
        return np.asarray(self._boxes)

    def sheets_near(self, points: Floats, reach: float) -> list[Sheet]:
        """Sheets with points (n, 3) in the boxes round them, or within a reach of these, m."""
        boxes = self._box_of_each()
        low, high = boxes[:, 0, None] - reach, boxes[:, 1, None] + reach
        inside = np.all((points >= low) & (points <= high), axis=2)
        return [self.sheets[n] for n in np.flatnonzero(inside.sum(axis=1))]

    def grounded(self, wire: Wire) -> tuple[bool, bool]:
        """Whether the first and the last point of a wire stand on a plane or on a sheet."""
        on = self.standing(wire) if self.sheets or self.medium.has_plane else (False, False)
        return on[0], on[-1]

    def place_of(self, gap: Gap) -> Floats:
        """The middle of a gap (3,), metres."""
        if gap.place is not None:
            return np.array(gap.place)
        wire = self.wire(gap.on)
        return wire.at(sum(gap.span(wire, self.grounded(wire))) / 2)

    def distances(self, points: Floats) -> Floats:
        """How far places (n, 3) are from the nearest metal (n,), metres: from the skin of wires, and from sheets."""
        # A piece of wire is a triangle of no width.
        pieces = [(np.stack([w.corners[:-1], w.corners[1:], w.corners[1:]], axis=1), w.radius) for w in self.wires]
        found = [np.maximum(distances(corners, points) - radius, 0.0) for corners, radius in pieces]
        found += [sheet.surface.distances(points) for sheet in self.sheets]
        return np.asarray(np.min(found, axis=0))

    def _mapped(self, matrix: Floats, shift: Floats) -> Antenna:
        return self._every(lambda part: part.transformed(matrix, shift))

    def _every(self, change: Callable[[Any], Any]) -> Antenna:
        """The antenna with a change made to every wire, sheet and gap."""
        parts = ("wires", "sheets", "ports", "loads", "terminals")
        changed: dict[str, Any] = {kind: tuple(change(part) for part in getattr(self, kind)) for kind in parts}
        return replace(self, **changed)

    def moved(self, by: Sequence[Length]) -> Antenna:
        """The antenna moved by (x, y, z), metres or text."""
        return self._mapped(np.eye(3), np.array([units.length(c, "moved") for c in by]))

    def raised(self, height: Length) -> Antenna:
        """The antenna moved up by a height, metres or text."""
        return self.moved((0.0, 0.0, height))

    def rotated(
        self, angle: str | float, axis: str | Sequence[float] = "z", about: Sequence[Length] = (0.0, 0.0, 0.0)
    ) -> Antenna:
        """The antenna turned by an angle ("30 deg" or 30), right-handed about an axis through a point.

        axis: "x", "y", "z" or a direction (3,). Raises UsageError for an axis that is none of these.
        """
        if isinstance(axis, str) and axis not in AXES:
            raise UsageError(f"rotated: axis '{axis}' is not one of x, y, z; give one of them or a direction (x, y, z)")
        direction = np.array(AXES[axis] if isinstance(axis, str) else axis, dtype=float)
        norm = np.linalg.norm(direction)
        if direction.shape != (3,) or not np.isfinite(norm) or norm == 0.0:
            raise UsageError(f"rotated: axis {axis!r} is not a direction; give three numbers, not all zero")
        matrix = turn_about(direction, units.angle(angle, "rotated"))
        pivot = np.array([units.length(c, "rotated, about") for c in about])
        return self._mapped(matrix, pivot - matrix @ pivot)

    def held(self, *, roll: str | float = 0.0, tilt: str | float = 0.0, azimuth: str | float = 0.0) -> Antenna:
        """The antenna held another way than drawn, about the origin: text or degrees.

        roll: about its +x, from y towards z. tilt: how far +x is then tilted up. azimuth: where that then looks.
        """
        angles = {"roll": roll, "tilt": tilt, "azimuth": azimuth}
        return self._mapped(held(*(units.angle(a, f"held, {name}") for name, a in angles.items())), np.zeros(3))

    def mirrored(self, axis: str, at: Length = 0.0) -> Antenna:
        """The antenna mirrored in the plane square to axis "x", "y" or "z" that lies at a distance along it."""
        if axis not in AXES:
            raise UsageError(f"mirrored: axis '{axis}' is not one of x, y, z")
        direction = np.array(AXES[axis])
        shift = 2.0 * units.length(at, "mirrored, at") * direction
        return self._mapped(np.eye(3) - 2.0 * np.outer(direction, direction), shift)

    def __add__(self, other: Antenna) -> Antenna:
        """Both antennas as one; raises UsageError, listing them, for names both have, and for unlike media."""
        if not isinstance(other, Antenna):
            return NotImplemented
        twins = sorted(self._part_names & other._part_names)
        if twins:
            raise UsageError(
                f"antennas '{self.name}' and '{other.name}' both have parts named {', '.join(twins)}: "
                f"give one a prefix first, such as .prefixed('{other.name} ')"
            )
        if self.medium != other.medium:
            raise UsageError(
                f"antenna '{self.name}' is in {self.medium}, '{other.name}' in {other.medium}: move one with .over(...)"
            )
        return Antenna(
            f"{self.name} and {other.name}",
            self.wires + other.wires,
            self.ports + other.ports,
            self.medium,
            loads=self.loads + other.loads,
            terminals=self.terminals + other.terminals,
            lines=self.lines + other.lines,
            sheets=self.sheets + other.sheets,
        )

    def __radd__(self, other: object) -> Antenna:
        """So that `sum([one, two])`, which begins with 0, is one antenna."""
        return self if other == 0 else NotImplemented

    @property
    def metal(self) -> tuple[Wire | Sheet, ...]:
        """Every wire and every sheet."""
        return (*self.wires, *self.sheets)

    @property
    def _part_names(self) -> set[str]:
        return {part.name for part in (*self.metal, *self.gaps, *self.lines)}

    def prefixed(self, prefix: str) -> Antenna:
        """The antenna with a prefix before the name of every part, to be combined with another copy."""

        def line(part: Line | Stub) -> Line | Stub:
            ends = {key: prefix + getattr(part, key) for key in ("one", "two") if hasattr(part, key)}
            return replace(part, name=prefix + part.name, **ends)

        def gap(part: Any) -> Any:
            return replace(part, name=prefix + part.name, on=prefix + part.on)

        return replace(
            self,
            wires=tuple(replace(w, name=prefix + w.name) for w in self.wires),
            sheets=tuple(replace(s, name=prefix + s.name) for s in self.sheets),
            ports=tuple(gap(p) for p in self.ports),
            loads=tuple(gap(x) for x in self.loads),
            terminals=tuple(gap(t) for t in self.terminals),
            lines=tuple(line(x) for x in self.lines),
        )

    def split(self, wire: str, at: float | str) -> Antenna:
        """The antenna with a wire cut in two at a place, "NAME 1" and "NAME 2", still joined there.

        at: a fraction of its length or a distance with a unit. Gaps go with the part they are on. Raises UsageError for
        a place at an end of the wire or inside a gap.
        """
        from .workshop import split

        return split(self, wire, at)

    def cut_list(self, step: Length | None = None) -> pd.DataFrame:
        """What to buy and cut: a row for all wires that are alike; see `earshot.description.workshop.cut_list`."""
        from .workshop import cut_list

        return cut_list(self, None if step is None else units.length(step, "cut_list, step"))

    def scaled(self, factor: float) -> Antenna:
        """The antenna with every length, radius and gap multiplied by a factor > 0."""
        if not (math.isfinite(factor) and factor > 0.0):
            raise UsageError(f"scaled: factor {factor} is not above zero")

        def stretched(part: Any) -> Any:
            if isinstance(part, Gap) and part.place is None:
                wire = self.wire(part.on)
                part = replace(part, at=part.distance(wire) / wire.length)
            return part.transformed(np.eye(3) * factor, np.zeros(3), factor)

        medium = self.medium.scaled(factor)
        return replace(
            self._every(stretched), medium=medium, lines=tuple(replace(x, length=x.length * factor) for x in self.lines)
        )

    def without(self, *names: str) -> Antenna:
        """The antenna less the named parts; gaps on a wire that goes, go with it, and lines with their gaps."""
        known = self._part_names
        for name in names:
            if name not in known:
                raise UsageError(f"antenna '{self.name}': {unknown('part', name, known)}")
        wires = tuple(w for w in self.wires if w.name not in names)
        sheets = tuple(s for s in self.sheets if s.name not in names)
        metal = {w.name for w in wires} | {s.name for s in sheets}
        gaps = {g.name for g in self.gaps if g.name not in names and g.on in metal}
        return replace(
            self,
            wires=wires,
            sheets=sheets,
            ports=tuple(p for p in self.ports if p.name in gaps),
            loads=tuple(x for x in self.loads if x.name in gaps),
            terminals=tuple(t for t in self.terminals if t.name in gaps),
            lines=tuple(x for x in self.lines if x.name not in names and gaps.issuperset(x.places)),
        )

    def with_(self, *parts: Part) -> Antenna:
        """The antenna with more parts; a part of a name it already has takes that part's place."""

        def merged(old: Sequence[Part], *kinds: type) -> tuple[Any, ...]:
            return tuple(({x.name: x for x in old} | {x.name: x for x in parts if isinstance(x, kinds)}).values())

        return replace(
            self,
            wires=merged(self.wires, Wire),
            sheets=merged(self.sheets, Sheet),
            ports=merged(self.ports, Port),
            loads=merged(self.loads, Load),
            terminals=merged(self.terminals, Terminal),
            lines=merged(self.lines, Line, Stub),
        )

    def over(self, medium: Medium) -> Antenna:
        """The antenna in another medium, such as `perfect_plane()`."""
        return replace(self, medium=medium)

    def made_of(self, metal: Metal | str | None) -> Antenna:
        """The antenna with every wire and sheet of one metal, or of a perfect conductor (None)."""
        found = metals[metal] if isinstance(metal, str) else metal
        return replace(
            self,
            wires=tuple(replace(w, metal=found) for w in self.wires),
            sheets=tuple(replace(s, metal=found) for s in self.sheets),
        )

    def renamed(self, name: str) -> Antenna:
        """The antenna under another name."""
        return replace(self, name=name)
