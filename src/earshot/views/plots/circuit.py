"""A circuit from its inputs on the left to the antenna on the right: levels at every node, or where the power goes."""

from __future__ import annotations

import cmath
import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.colors import Normalize
from matplotlib.figure import Figure
from matplotlib.patches import FancyBboxPatch, PathPatch, Polygon
from matplotlib.path import Path

from ...arraytypes import Floats
from ...network.amplifier import Amplifier
from ...network.components import EndPart, LinePart, Part, SeriesPart
from ...network.feed import ANTENNA
from ...network.flow import Flow
from ...units import engineering
from .style import FAINT, GRID, INK, LINES, PAPER, PORT, PORT_COLOUR, SHORE, SOFT, heading, look, sheet

_ROUNDS = 8
_WIDE, _TALL = 0.5, 0.62
"""Of a part, over the distance to the next beside and below it."""
_MOST_POINTS, _LEAST_POINTS = 9.0, 4.5
_LEAST_SHARE = 0.003
_MOST_ROWS = 40
_SPAN = 30.0
"""Decibels that colours tell apart."""

End = tuple[str, str]


@dataclass
class _Plan:
    """Where parts are: rank from the left and height by name; sides: for every end -1 left or 1 right.

    joined: nodes with the ends they join. ends: place (x, y) of every end; inputs among them as ("", name).
    """

    rank: dict[str, int]
    height: dict[str, float] = field(default_factory=dict)
    joined: dict[str, list[End]] = field(default_factory=dict)
    ends: dict[End, tuple[float, float]] = field(default_factory=dict)

    @property
    def depth(self) -> int:
        return max(self.rank.values())


@dataclass(frozen=True)
class _Box:
    """A part, or a circuit of one's own with all that is in it; waves into and out of it at its nodes, √W."""

    parts: tuple[Part, ...]
    waves: dict[str, tuple[complex, complex]]

    @property
    def part(self) -> Part | None:
        """The part, if it is one alone."""
        return self.parts[0] if len(self.parts) == 1 else None


def _boxes(flow: Flow) -> dict[str, _Box]:
    """By name; what lies between two parts of one box is left out."""
    levels, scale = flow.levels(), math.sqrt(2.0 * flow.reference)
    owner = {name: name.partition("/")[0] for name in flow.circuit.parts}
    at: dict[str, set[str]] = {node: {""} for node in flow.circuit.ports}
    for name, placed in flow.circuit.parts.items():
        for node in placed.nodes:
            at.setdefault(node, set()).add(owner[name])
    volts: dict[tuple[str, str], complex] = {}
    amperes: dict[tuple[str, str], complex] = {}
    for node, (name, _), v, i in zip(levels["node"], flow.circuit.wiring().ends, levels["voltage_V"],
                                     levels["current_A"], strict=True):  # fmt: skip
        if len(at[node]) > 1:
            end = (owner[name], node)
            volts[end], amperes[end] = complex(v), amperes.get(end, 0j) + complex(i)
    found = {box: _Box(tuple(p.part for n, p in flow.circuit.parts.items() if owner[n] == box), {})
             for box in dict.fromkeys(owner.values())}  # fmt: skip
    for (box, node), v in volts.items():
        i = flow.reference * amperes[box, node]
        found[box].waves[node] = (v + i) / (2.0 * scale), (v - i) / (2.0 * scale)
    return found


def _planned(flow: Flow, boxes: dict[str, _Box]) -> _Plan:
    joined: dict[str, list[End]] = {node: [("", node)] for node in flow.circuit.ports}
    for name, box in boxes.items():
        for node in box.waves:
            joined.setdefault(node, []).append((name, node))
    plan = _Plan(_ranked(flow.circuit.ports, joined), joined=joined)
    beside: dict[str, set[str]] = {name: set() for name in plan.rank}
    for ends in joined.values():
        for one, _ in ends:
            beside[one] |= {other for other, _ in ends} - {one}
    order = list(boxes[ANTENNA].waves) if ANTENNA in boxes else []
    _stacked(plan, beside, order)
    _with_ends(plan, boxes)
    return plan


def _ranked(inputs: tuple[str, ...], joined: dict[str, list[End]]) -> dict[str, int]:
    """How many parts from the inputs each is; the antenna and what closes its ports come last."""
    of = {name: [node for node, ends in joined.items() if any(n == name for n, _ in ends)]
          for ends in joined.values() for name, _ in ends}  # fmt: skip
    rank, front = {"": 0}, list(inputs)
    seen, depth = set(front), 0
    while front:
        depth += 1
        new = sorted({name for node in front for name, _ in joined[node]} - set(rank))
        rank |= dict.fromkeys(new, depth)
        front = [node for name in new if name != ANTENNA for node in of[name] if node not in seen]
        seen |= set(front)
    last = max((r for name, r in rank.items() if name != ANTENNA), default=0) + 1
    rank |= {name: last for name in of if name == ANTENNA or name not in rank}
    return rank


def _stacked(plan: _Plan, beside: dict[str, set[str]], order: list[str]) -> None:
    """Heights: in each rank one below the other, each as near as it may be to the middle of what it is joined to."""
    columns = {
        r: sorted((n for n in plan.rank if plan.rank[n] == r and n), key=_natural) for r in range(plan.depth + 1)
    }
    tallest = max(
        [len(c) for c in columns.values()] + [len(order), sum(1 for e in plan.joined.values() if e[0][0] == "")]
    )
    for names in columns.values():
        gap = tallest / max(len(names), 1)
        plan.height |= {name: -(n + 0.5) * gap for n, name in enumerate(names)}
    ports = {("port", node): -(n + 0.5) * tallest / max(len(order), 1) for n, node in enumerate(order)}

    def seen(name: str) -> float:
        """The middle of what a part is joined to."""
        heights = [plan.height[o] for o in beside[name] if o not in ("", ANTENNA)]
        if ANTENNA in beside[name]:
            heights += [ports["port", node] for node, ends in plan.joined.items()
                        if ("port", node) in ports and any(n == name for n, _ in ends)]  # fmt: skip
        return float(np.mean(heights)) if heights else plan.height[name]

    for sweep in range(_ROUNDS):
        for r in range(plan.depth, 0, -1) if sweep % 2 == 0 else range(1, plan.depth + 1):
            names = [n for n in columns[r] if n != ANTENNA]
            wanted = {name: seen(name) for name in names}
            names.sort(key=lambda n: -wanted[n])
            plan.height |= dict(zip(names, _apart([wanted[n] for n in names]), strict=True))
    if ANTENNA in plan.rank:
        plan.height[ANTENNA] = -0.5 * tallest


def _natural(name: str) -> tuple[object, ...]:
    """Numbers in names by their size."""
    words = "".join(c if c.isdigit() else " " for c in name).split()
    return ("".join(c for c in name if not c.isdigit()), *(int(w) for w in words))


def _apart(wanted: list[float]) -> list[float]:
    """The nearest heights, falling by one at least (pool adjacent violators, Ayer et al. 1955)."""
    level = [h + n for n, h in enumerate(wanted)]
    pools: list[tuple[float, int]] = []
    for value in level:
        pools.append((value, 1))
        while len(pools) > 1 and pools[-2][0] < pools[-1][0]:
            (b, m), (a, n) = pools.pop(), pools.pop()
            pools.append(((a * n + b * m) / (n + m), n + m))
    flat = [value for value, count in pools for _ in range(count)]
    return [value - n for n, value in enumerate(flat)]


def _with_ends(plan: _Plan, boxes: dict[str, _Box]) -> None:
    """Places of ends: on the side of a part that faces what it is joined to, in the order of that."""
    if ANTENNA in boxes:
        tall = max(plan.height.values()) - min(plan.height.values()) + 1.0
        nodes = list(boxes[ANTENNA].waves)
        for n, node in enumerate(nodes):
            at = plan.height[ANTENNA] + 0.5 * tall - (n + 0.5) * tall / len(nodes)
            plan.ends[ANTENNA, node] = (plan.rank[ANTENNA] - 0.5 * _WIDE, at)
    for name, box in boxes.items():
        if name == ANTENNA:
            continue
        sides: dict[int, list[tuple[float, End]]] = {-1: [], 1: []}
        for node in box.waves:
            end = (name, node)
            others = [o for o in plan.joined[node] if o != end]
            ranks = [plan.rank[o[0]] for o in others]
            right = bool(ranks) and np.mean(ranks) > plan.rank[name]
            heights = [plan.ends[o][1] if o[0] == ANTENNA else plan.height[o[0]] for o in others if o[0]]
            sides[1 if right else -1].append((float(np.mean(heights)) if heights else 0.0, end))
        for side, ends in sides.items():
            ordered = sorted(ends, key=lambda e: (-e[0], e[1]))
            for n, (_, end) in enumerate(ordered):
                up = (0.5 * (len(ordered) - 1) - n) * _TALL / max(len(ordered), 1)
                plan.ends[end] = plan.rank[name] + 0.5 * side * _WIDE, plan.height[name] + up
    inputs = [end for ends in plan.joined.values() for end in ends if not end[0]]
    wanted = [float(np.mean([plan.ends[e][1] for e in plan.joined[i[1]] if e[0]])) for i in inputs]
    order = np.argsort(-np.array(wanted), kind="stable")
    for n, at in zip(order.tolist(), _apart([wanted[i] for i in order]), strict=True):
        plan.ends[inputs[n]] = (0.35, at)


def circuit(flow: Flow, *, title: str = "") -> Figure:
    """Parts and how they are joined; at every node the level of the wave that goes on, dBm, and its phase.

    Lines are coloured by that level. Circuits of one's own are boxes. What saturates says by how much it is held back.
    """
    with look():
        drawn = _begun(flow, title or "circuit", "level and phase of the wave towards the antenna")
        axes, plan, points = drawn.axes, drawn.plan, drawn.points
        levels = _onward(flow, drawn)
        strongest = max((level for level, _ in levels.values()), default=0.0)
        tint = Normalize(strongest - _SPAN, strongest)
        for node, ends in plan.joined.items():
            best = max((levels[e] for e in ends if e in levels), default=None)
            colour = FAINT if best is None else SHORE(0.85 * (1.0 - float(np.clip(tint(best[0]), 0.0, 1.0))))
            _lines(axes, plan, node, ends, colour, 1.6)
        for name, box in drawn.boxes.items():
            if name != ANTENNA:
                _box(drawn, name, box)
        _antenna(drawn, {})
        _input_names(drawn)
        for end, (level, turn) in levels.items() if drawn.rows <= _MOST_ROWS else ():
            # At the far end of a line, where what fans out has room.
            others = [o for o in plan.joined[end[1]] if o != end]
            far = len(others) == 1 and plan.ends[others[0]][0] > plan.ends[end][0]
            x, y = plan.ends[others[0]] if far else plan.ends[end]
            x += -0.06 if far else 0.03
            for said, up, va in ((f"{level:.1f} dBm", 0.03, "bottom"), (f"{turn:.0f}°", -0.03, "top")):
                axes.text(x, y + up, said, fontsize=0.9 * points, color=INK, ha="right" if far else "left", va=va,
                          bbox=SOFT, zorder=1.5)  # fmt: skip
    return drawn.figure


def power(flow: Flow, *, title: str = "") -> Figure:
    """Where the power goes: lines as wide as what they carry; at parts what they keep or give."""
    with look():
        drawn = _begun(flow, title or "power", "widths of lines: power that goes on, orange: that comes back")
        axes, plan, points = drawn.axes, drawn.plan, drawn.points
        carried = {(name, node): abs(a) ** 2 - abs(b) ** 2
                   for name, box in drawn.boxes.items() for node, (a, b) in box.waves.items()}  # fmt: skip
        most = max([abs(p) for p in carried.values()] + [1e-300])
        thick = min(26.0, 200.0 / drawn.tall)
        for node, ends in plan.joined.items():
            # Of two that are joined the left one's power is drawn, of more everyone's.
            own = [e for e in ends if e[0] and e in carried]
            for end in own[:1] if len(ends) == 2 else own:
                onward = carried[end] > 0.0 if plan.ends[end][0] < plan.rank[end[0]] else carried[end] < 0.0
                colour = LINES[0] if onward else LINES[1]
                _lines(axes, plan, node, ends, colour, max(0.5, thick * abs(carried[end]) / most), only=end)
        sent, budget = flow.power_sent, flow.budget()
        kept = budget.groupby([str(name).partition("/")[0] for name in budget.index], sort=False).sum()
        told = _share_of(sent) if float(kept.max()) <= 1.01 * sent else _watts
        for name, box in drawn.boxes.items():
            if name == ANTENNA:
                continue
            x, y, tall = plan.rank[name], plan.height[name], _height(box)
            _rounded(axes, x, y, tall, 0.04, {"facecolor": GRID, "edgecolor": "none", "zorder": 2})
            _named(drawn, x, y, name)
            own_share = float(kept[name]) / sent
            if abs(own_share) > _LEAST_SHARE:
                colour = LINES[4] if own_share > 0 else LINES[3]
                low, wide = y - 0.5 * tall, min(0.28, 0.3 * math.sqrt(abs(own_share)))
                drop = Polygon([(x - 0.5 * wide, low), (x + 0.5 * wide, low), (x, low - 0.16)], closed=True,
                               color=colour, linewidth=0, zorder=3)  # fmt: skip
                axes.add_patch(drop)
                said = f"{'keeps' if own_share > 0 else 'gives'} {told(abs(float(kept[name])))}"
                axes.text(x + 0.03 + (0.5 * wide if wide < 0.2 else 0.1), low - 0.1, said, fontsize=0.9 * points,
                          color=colour, ha="left", va="center", zorder=5)  # fmt: skip
        _antenna(drawn, {node: told(carried[ANTENNA, node]) for node in _nodes(drawn)})
        _input_names(drawn)
        back = float((np.abs(flow.returned) ** 2).sum())
        out = f"{told(back)} out of the inputs" if back > 1e-6 * sent else "nothing out of the inputs"
        total = sum(carried[ANTENNA, node] for node in _nodes(drawn))
        said = f"sent {engineering(sent, 'W', 4)}: {out}, {told(total)} into the antenna"
        axes.set_title(said, fontsize=11, fontweight="normal", color=FAINT, loc="right")
    return drawn.figure


def _share_of(sent: float) -> Callable[[float], str]:
    return lambda power: f"{100.0 * power / sent:.3g} %"


def _watts(power: float) -> str:
    return engineering(power, "W", 3)


@dataclass(frozen=True)
class _Drawn:
    """A figure that is being drawn: what is where, how large letters are, and over how many rows it goes."""

    figure: Figure
    axes: Axes
    boxes: dict[str, _Box]
    plan: _Plan
    points: float
    tall: float
    rows: int


def _begun(flow: Flow, title: str, about: str) -> _Drawn:
    boxes = _boxes(flow)
    plan = _planned(flow, boxes)
    figure = sheet()
    axes = figure.add_axes((0.02, 0.07, 0.96, 0.8))
    axes.axis("off")
    axes.set(xticks=[], yticks=[])
    heights = [y for _, y in plan.ends.values()] + list(plan.height.values())
    axes.set_xlim(-0.15, plan.depth + 0.6)
    axes.set_ylim(min(heights) - 0.75, max(heights) + 0.75)
    tall, wide = max(heights) - min(heights) + 1.5, plan.depth + 0.75
    # As large as words between parts, and beside one another, have room for.
    points = float(np.clip(min(330.0 / tall * 0.42, 690.0 / wide * 0.075), _LEAST_POINTS, _MOST_POINTS))
    foot = f"{engineering(flow.frequency, 'Hz', 6)}; {about}; waves at {flow.reference:g} ohm"
    held = {name: -dB for name, dB in flow.compressed.items() if dB < -0.05}
    if held:
        worst = max(held, key=lambda n: held[n])
        foot += f"; amplifier '{worst}' is held back by {held[worst]:.1f} dB"
    heading(figure, title, foot)
    ranks = list(plan.rank.values())
    rows = max(*(ranks.count(rank) for rank in ranks), len(_nodes_of(boxes)))
    return _Drawn(figure, axes, boxes, plan, points, tall, rows)


def _nodes_of(boxes: dict[str, _Box]) -> list[str]:
    """The antenna's ports that are joined to something."""
    return list(boxes[ANTENNA].waves) if ANTENNA in boxes else []


def _nodes(drawn: _Drawn) -> list[str]:
    return _nodes_of(drawn.boxes)


def _onward(flow: Flow, drawn: _Drawn) -> dict[End, tuple[float, float]]:
    """Of every end on the right of a part, and of the inputs, the wave out of it: dBm and degrees."""
    plan, waves = drawn.plan, {("", name): complex(wave) for name, wave in flow.sent.items()}
    for name, box in drawn.boxes.items():
        for node, (_, out) in box.waves.items():
            if name != ANTENNA and plan.ends[name, node][0] > plan.rank[name]:
                waves[name, node] = out
    return {end: (20.0 * math.log10(abs(wave)) + 30.0, math.degrees(cmath.phase(wave)))
            for end, wave in waves.items() if abs(wave) > 1e-10}  # fmt: skip


def _lines(
    axes: Axes, plan: _Plan, node: str, ends: list[End], colour: object, width: float, only: End | None = None
) -> None:
    """A node: two ends are joined by a curve, more meet at a dot."""
    places: list[Floats] = [np.array(plan.ends[e]) for e in ends]
    if len(ends) == 2:
        _curve(axes, places[0], places[1], colour, width)
        return
    middle = np.mean(places, axis=0)
    if len(ends) > 2:
        axes.plot(*middle, "o", color=INK, markersize=3.0, zorder=3)
    for end, place in zip(ends, places, strict=True):
        if only is None or end in (only, ("", node)):
            _curve(axes, place, middle, colour, width)


def _curve(axes: Axes, one: Floats, other: Floats, colour: object, width: float) -> None:
    if one[0] > other[0]:
        one, other = other, one
    aside = np.array([max(0.45 * (other[0] - one[0]), 0.12), 0.0])
    path = Path([one, one + aside, other - aside, other], [Path.MOVETO] + [Path.CURVE4] * 3)
    axes.add_patch(PathPatch(path, facecolor="none", edgecolor=colour, linewidth=width, capstyle="butt", zorder=1,
                             alpha=1.0 if width < 3.0 else 0.75))  # fmt: skip


def _height(box: _Box) -> float:
    return _TALL * min(1.0, 0.55 + 0.12 * len(box.waves))


def _box(drawn: _Drawn, name: str, box: _Box) -> None:
    """A part by its kind: amplifiers point the way they amplify, lines are round, impedances tinted."""
    axes, x, y, part = drawn.axes, drawn.plan.rank[name], drawn.plan.height[name], box.part
    style: dict[str, Any] = {"facecolor": PAPER, "edgecolor": INK, "linewidth": 1.1, "zorder": 2}
    if isinstance(part, Amplifier):
        strong = max(box.waves.values(), key=lambda w: abs(w[1]))
        node = next(n for n, w in box.waves.items() if w is strong)
        way = 1.0 if drawn.plan.ends[name, node][0] > x else -1.0
        axes.add_patch(Polygon([(x - 0.5 * way * _WIDE, y - 0.5 * _TALL), (x + 0.5 * way * _WIDE, y),
                                (x - 0.5 * way * _WIDE, y + 0.5 * _TALL)], closed=True, **style))  # fmt: skip
        _named(drawn, x - 0.14 * way * _WIDE, y, name, 0.65)
    elif isinstance(part, LinePart):
        _rounded(axes, x, y, 0.16, 0.08, style | {"facecolor": GRID})
        _named(drawn, x, y - 0.21, name)
    elif isinstance(part, SeriesPart | EndPart):
        _rounded(axes, x, y, 0.3, 0.06, style | {"facecolor": LINES[1], "alpha": 0.35})
        _named(drawn, x, y, name)
    else:
        _rounded(axes, x, y, _height(box), 0.04, style | ({"linewidth": 2.0} if part is None else {}))
        _named(drawn, x, y, name)


def _named(drawn: _Drawn, x: float, y: float, name: str, share: float = 0.95) -> None:
    """A name, as large as fits a share of the width of a part."""
    room = share * _WIDE * 690.0 / (drawn.plan.depth + 0.75)
    size = min(drawn.points, max(room / (0.62 * len(name)), _LEAST_POINTS))
    drawn.axes.text(x, y, name, fontsize=size, color=INK, ha="center", va="center", zorder=5)


def _rounded(axes: Axes, x: float, y: float, tall: float, bend: float, style: dict[str, Any]) -> None:
    low = (x - 0.5 * _WIDE + bend, y - 0.5 * tall + bend)
    box = FancyBboxPatch(low, _WIDE - 2 * bend, max(tall - 2 * bend, 0.01), boxstyle=f"round,pad={bend}", **style)
    axes.add_patch(box)


def _antenna(drawn: _Drawn, more: dict[str, str]) -> None:
    """Its ports, with their names, and more of each."""
    for node in _nodes(drawn):
        x, y = drawn.plan.ends[ANTENNA, node]
        drawn.axes.plot([x], [y], marker=PORT, color=PORT_COLOUR, markersize=1.3 * drawn.points, linestyle="none",
                        zorder=4)  # fmt: skip
        said = f"{node}  {more[node]}" if node in more else node
        drawn.axes.text(x + 0.08, y, said, fontsize=drawn.points, color=INK, ha="left", va="center")


def _input_names(drawn: _Drawn) -> None:
    for name, node in drawn.plan.ends:
        if not name:
            x, y = drawn.plan.ends[name, node]
            drawn.axes.plot([x], [y], ">", color=INK, markersize=0.8 * drawn.points, zorder=4)
            drawn.axes.text(x - 0.06, y, node, fontsize=drawn.points + 1.0, color=INK, ha="right", va="center",
                            fontweight="bold")  # fmt: skip
