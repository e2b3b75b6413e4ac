"""Curves over frequency: VSWR, return loss, |S|, resistance and reactance, with what is read off them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.transforms import offset_copy

from ... import units
from ...answers.solution import Solution
from ...arraytypes import Complexes, Floats
from ...errors import UsageError
from ...network.network import Network
from ...network.trace import Trace
from ...units import engineering, ohms
from .aside import FEW, Entry, list_aside, make_room
from .placing import Room
from .style import FAINT, flat_axes, heading, legend_above, look, mark, pen, sheet
from .subjects import Curve, curves_of

At = str | float | Sequence[str | float]
_PREFIX = ((1e9, "GHz"), (1e6, "MHz"), (1e3, "kHz"), (1.0, "Hz"))


@dataclass(frozen=True, slots=True)
class PortCurve:
    """One curve: a port of a network, what to call it and how to draw it."""

    source: Curve
    port: int
    label: str
    colour: str
    dash: object
    marker: str = ""

    @property
    def name(self) -> str:
        """Of the port."""
        return self.source.ports[self.port]


def lines_of(networks: Sequence[Curve], labels: Sequence[str] | None) -> list[PortCurve]:
    """Every port of every network."""
    if labels is not None and len(labels) != len(networks):
        raise UsageError(f"{len(networks)} networks but {len(labels)} labels: give one each")
    found: list[PortCurve] = []
    for n, network in enumerate(networks):
        for p, port in enumerate(network.ports):
            named = [labels[n]] if labels else [network.label] if len(networks) > 1 and network.label else []
            words = named + ([port] if len(network.ports) > 1 or not named else [])
            number = len(found)
            found.append(PortCurve(network, p, ", ".join(words), *pen(number), mark(number)))
    return found


def scale_of(hertz: Floats) -> tuple[float, str]:
    """What to divide frequencies by on an axis, and the unit that makes."""
    return next((s, unit) for s, unit in _PREFIX if hertz.max() >= s or s == 1.0)


def _frequency_axis(axes: Axes, networks: Sequence[Curve]) -> tuple[float, str]:
    every = np.concatenate([n.frequencies for n in networks])
    scale, unit = scale_of(every)
    axes.set_xlabel(f"frequency, {unit}")
    if np.ptp(every) > 0:
        axes.set_xlim(every.min() / scale, every.max() / scale)
    return scale, unit


def _foot(networks: Sequence[Curve]) -> str:
    ports = {(p, ohms(r)) for n in networks for p, r in zip(n.ports, n.references, strict=True)}
    alike = {r for _, r in ports}
    told = ", ".join(alike if len(alike) == 1 and len(ports) > 1 else (f"{p} {r}" for p, r in sorted(ports)))
    others = "; other ports closed by theirs" if max(len(n.ports) for n in networks) > 1 else ""
    return f"reference impedance: {told}{others}"


@dataclass(frozen=True, slots=True)
class _Note:
    """Something read off a curve: where it belongs (data; height as a share of the axes where `of_axes`) and the words.

    line: none for what belongs to all of them. listed: the words where it stands in a list beside the drawing.
    """

    line: PortCurve | None
    at: tuple[float, float]
    text: str
    listed: str = ""
    of_axes: bool = False


def _band_figure(
    title: str,
    networks: Sequence[Curve],
    lines: Sequence[PortCurve],
    draw: Callable[[Axes, float, str], tuple[str, list[_Note]]],
    ranks: Sequence[float] | None = None,
) -> Figure:
    """A sheet with a frequency axis; draw puts the curves on it and gives a remark for the foot and what is read off.

    Few curves are named above and read off where they are, many in a list beside them, by their ranks, least first.
    """
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        scale, unit = _frequency_axis(axes, networks)
        remark, notes = draw(axes, scale, unit)
        if len(lines) <= FEW:
            legend_above(axes)
        else:
            make_room([axes])
            order = range(len(lines)) if ranks is None else np.argsort(ranks, kind="stable")
            list_aside(figure, [_entry(lines[i], notes) for i in order])
        _write(axes, notes if len(lines) <= FEW else [n for n in notes if n.line is None])
        names = list(dict.fromkeys(line.source.label for line in lines if line.source.label))
        foot = "; ".join(filter(None, [_foot(networks), remark]))
        heading(figure, ": ".join([*names[:1], title] if len(names) == 1 else [title]), foot)
    return figure


def _entry(line: PortCurve, notes: Sequence[_Note]) -> Entry:
    return Entry(line.colour, line.dash, line.label, [n.listed or n.text for n in notes if n.line is line], line.marker)


def _write(axes: Axes, notes: Sequence[_Note]) -> None:
    """Notes near where they belong; what stands at the top of a hairline first."""
    room = Room(axes)
    low, high = axes.get_xlim()
    for note in sorted(notes, key=lambda n: not n.of_axes):
        at = ((note.at[0] - low) / (high - low), note.at[1]) if note.of_axes else note.at
        colour, weight = (FAINT, "normal") if note.line is None else (note.line.colour, "bold")
        room.put(note.text, at, of_axes=note.of_axes, color=colour, fontweight=weight if note.of_axes else "normal")


def _draw(axes: Axes, line: PortCurve, scale: float, values: Floats) -> None:
    draw_stretches(axes, line, line.source.frequencies / scale, values, line.label, line.dash)


def draw_stretches(
    axes: Axes, line: PortCurve, x: Floats, y: Floats, label: str, dash: object, marker: str = ""
) -> None:
    """A curve through each band; a frequency that stands alone is a point, joined to nothing."""
    for i, some in enumerate(line.source.stretches):
        axes.plot(
            x[some],
            y[some],
            label=None if i else label,
            color=line.colour,
            linestyle=dash if len(some) > 1 else "none",
            marker="o" if len(some) == 1 else marker or None,
            markevery=max(len(some) // 9, 1),
            fillstyle="none" if dash == "--" else "full",
        )


def wanted_of(at: At, lines: Sequence[PortCurve]) -> Iterator[float]:
    """Frequencies to read off at, Hz; raises UsageError for one that no curve reaches."""
    low = min(line.source.frequencies[0] for line in lines)
    high = max(line.source.frequencies[-1] for line in lines)
    for text in [at] if isinstance(at, str | int | float) else at:
        hertz = units.frequency(text, "readout")
        if not any(reaches(line, hertz) for line in lines):
            raise UsageError(
                f"readout at {engineering(hertz, 'Hz')}: the curves run from {engineering(float(low), 'Hz')} to "
                f"{engineering(float(high), 'Hz')}; choose a frequency between, and in a band that was solved"
            )
        yield hertz


def _read_off(
    axes: Axes, lines: Sequence[PortCurve], scale: float, at: At, read: Callable[[PortCurve, float], str]
) -> Iterator[_Note]:
    """A hairline at every chosen frequency, and what each curve says there."""
    for hertz in wanted_of(at, lines):
        x, place = hertz / scale, engineering(hertz, "Hz", 6)
        axes.axvline(x, color=FAINT, linewidth=0.8, linestyle="-")
        yield _Note(None, (x, 1.0), place, of_axes=True)
        for line in lines:
            if reaches(line, hertz):
                yield _Note(line, (x, 1.0), read(line, hertz), f"{place}: {read(line, hertz)}", of_axes=True)


def reaches(line: PortCurve, hertz: float) -> bool:
    """Whether a curve can be read at a frequency: it is in one of its stretches."""
    ends = (line.source.frequencies[some[[0, -1]]] for some in line.source.stretches)
    return any(low * (1.0 - 1e-9) <= hertz <= high * (1.0 + 1e-9) for low, high in ends)


def _between(line: PortCurve, hertz: float, values: Floats) -> float:
    return float(np.interp(hertz, line.source.frequencies, values))


def _mark_bandwidth(
    axes: Axes, lines: Sequence[PortCurve], scale: float, unit: str, limit: dict[str, float]
) -> Iterator[_Note]:
    """A bar over every stretch within the limit, and a foot at every resonance; edges and width of the widest two."""
    ((name, level),) = limit.items()
    words = f"VSWR ≤ {level:g}" if name == "vswr" else f"{level:g} dB or better"
    for n, line in enumerate(lines):
        source = line.source
        found = source.bandwidth(**limit) if isinstance(source, Trace) else source.bandwidth(line.name, **limit)
        widest = set(found["width_Hz"].astype(float).nlargest(2).index)
        for which, band in found.iterrows():
            ends = band["from_Hz"] / scale, band["to_Hz"] / scale
            # Bars of several curves lie under one another, not over.
            aside = offset_copy(axes.transData, axes.get_figure(root=True), y=-5.0 * n, units="points")
            bar = {"linewidth": 4.0, "linestyle": "-", "alpha": 0.5, "solid_capstyle": "butt", "transform": aside}
            axes.plot(ends, (level, level), color=line.colour, **bar)  # type: ignore[arg-type]
            if which in widest:
                beyond = ", goes on" if band["cut_off"] else ""
                text = f"{words}: {ends[0]:.5g} to {ends[1]:.5g} {unit}, {band['width_percent']:.3g} %{beyond}"
                yield _Note(line, (sum(ends) / 2, level), text)
        if isinstance(source, Network):
            for place in source.resonances(line.name)["frequency_Hz"]:
                axes.plot(place / scale, 0.0, "^", color=line.colour, markersize=8, clip_on=False,
                          transform=axes.get_xaxis_transform())  # fmt: skip


_FEET = "triangles on the axis: resonances"


def _any_resonance(lines: Sequence[PortCurve]) -> bool:
    return any(isinstance(x.source, Network) and len(x.source.resonances(x.name)) for x in lines)


def vswr(
    *networks: Curve | Solution,
    labels: Sequence[str] | None = None,
    top: float | None = None,
    at: At = (),
    within: float = 2.0,
) -> Figure:
    """VSWR over frequency, one curve per port; several networks and measured traces lie over one another.

    top: where the axis ends; unless given, between 3 and 10 as the curves need. at: frequencies to read off. within:
    the VSWR whose bandwidth is marked. Raises UsageError for frequencies the curves do not reach.
    """
    curves = curves_of(networks)
    lines = lines_of(curves, labels)

    def draw(axes: Axes, scale: float, unit: str) -> tuple[str, list[_Note]]:
        highest, lowest = 1.0, np.inf
        for line in lines:
            values = line.source.vswr().values[:, line.port]
            _draw(axes, line, scale, values)
            highest, lowest = max(highest, float(values.max())), min(lowest, float(values.min()))
        ceiling = top or min(max(np.ceil(highest), 3.0), 10.0 if lowest < 5.0 else float(np.ceil(2 * lowest)))
        axes.set_ylim(1.0, ceiling)
        axes.set_ylabel("VSWR")
        axes.axhline(within, color=FAINT, linewidth=1.0, linestyle=":")
        read = lambda x, f: f"{_between(x, f, x.source.vswr().values[:, x.port]):.2f}"  # noqa: E731
        notes = [*_mark_bandwidth(axes, lines, scale, unit, {"vswr": within}), *_read_off(axes, lines, scale, at, read)]
        return _FEET if _any_resonance(lines) else "", notes

    ranks = [float(line.source.vswr().values[:, line.port].min()) for line in lines]
    return _band_figure("VSWR", curves, lines, draw, ranks)


def return_loss(
    *networks: Curve | Solution, labels: Sequence[str] | None = None, at: At = (), within: float = 10.0
) -> Figure:
    """Return loss over frequency in dB, greater is better and drawn downwards, one curve per port.

    at: frequencies to read off. within: the return loss whose bandwidth is marked.
    """
    curves = curves_of(networks)
    lines = lines_of(curves, labels)

    def draw(axes: Axes, scale: float, unit: str) -> tuple[str, list[_Note]]:
        most = 20.0
        for line in lines:
            values = line.source.return_loss().values[:, line.port]
            _draw(axes, line, scale, values)
            most = max(most, min(float(values.max()) * 1.05, 60.0))
        axes.set_ylim(most, 0.0)
        axes.set_ylabel("return loss, dB")
        axes.axhline(within, color=FAINT, linewidth=1.0, linestyle=":")
        read = lambda x, f: f"{_between(x, f, x.source.return_loss().values[:, x.port]):.1f} dB"  # noqa: E731
        bars = _mark_bandwidth(axes, lines, scale, unit, {"return_loss": within})
        return _FEET if _any_resonance(lines) else "", [*bars, *_read_off(axes, lines, scale, at, read)]

    ranks = [-float(line.source.return_loss().values[:, line.port].max()) for line in lines]
    return _band_figure("return loss", curves, lines, draw, ranks)


_MOST_PAIRS = 20


def scattering(
    given: Network | Solution, *pairs: tuple[str, str], label: str = "", floor: float | None = None, at: At = ()
) -> Figure:
    """|S| over frequency in dB: reflections and couplings, one curve per pair of ports (to, from).

    pairs: all of them unless named, or the strongest where there are many; S is reciprocal, so each coupling is drawn
    once. floor: where the axis ends, dB.
    Raises UsageError for a port there is not.
    """
    network = curves_of([given])[0]
    if isinstance(network, Trace):
        raise UsageError(f"'{network.label}' was measured without phase: it has no S-parameters")
    ports = network.ports
    for name in {name for pair in pairs for name in pair} - set(ports):
        network.to_frame(name)
    chosen = list(pairs) or [(a, b) for i, a in enumerate(ports) for b in ports[: i + 1]]
    matrix = network.s()
    left = 0 if pairs else max(len(chosen) - _MOST_PAIRS, 0)
    if left:
        strongest = {pair: float(np.abs(matrix.sel({"to": pair[0], "from": pair[1]}).values).max()) for pair in chosen}
        chosen = sorted(chosen, key=lambda pair: -strongest[pair])[:_MOST_PAIRS]
    lines = []
    for i, (to, source) in enumerate(chosen):
        text = f"reflection at {to}" if to == source else f"{source} to {to}"
        if len(network.frequencies) == 1:
            level = 20.0 * np.log10(abs(complex(matrix.sel({"to": to, "from": source}).values[0])))
            text += f", {level:.1f} dB"
        lines.append(PortCurve(network, ports.index(to), text, *pen(i)))
    levels = [20 * np.log10(np.maximum(np.abs(matrix.sel({"to": to, "from": f}).values), 1e-10)) for to, f in chosen]

    def draw(axes: Axes, scale: float, _unit: str) -> tuple[str, list[_Note]]:
        for line, level in zip(lines, levels, strict=True):
            _draw(axes, line, scale, level)
        low = floor if floor is not None else max(min(float(x.min()) for x in levels) - 2.0, -60.0)
        axes.set_ylim(min(low, -20.0), max(0.0, max(float(x.max()) for x in levels)))
        axes.set_ylabel("|S|, dB")
        by_line = dict(zip(map(id, lines), levels, strict=True))
        read = lambda x, f: f"{_between(x, f, by_line[id(x)]):.1f} dB"  # noqa: E731
        remark = f"the strongest {len(chosen)} of {left + len(chosen)} pairs" if left else ""
        return remark, list(_read_off(axes, lines, scale, at, read))

    return _band_figure(f"{label}: |S|" if label else "|S|", [network], lines, draw, [-float(x.max()) for x in levels])


def impedance(
    *networks: Curve | Solution, labels: Sequence[str] | None = None, at: At = (), top: float | None = None
) -> Figure:
    """Input resistance (solid) and reactance (dashed) over frequency; a ring marks and names every resonance.

    at: frequencies to read off. top: where the axis ends, ohm, both ways; unless given, ten times the reference at
    most, so that one anti-resonance does not flatten the rest. Raises UsageError for a trace, which has no impedance.
    """
    curves = curves_of(networks)
    for network in curves:
        if isinstance(network, Trace):
            raise UsageError(f"'{network.label}' was measured without phase: it has a VSWR but no impedance")
    lines = [replace(line, dash="-") for line in lines_of(curves, labels)]

    def draw(axes: Axes, scale: float, unit: str) -> tuple[str, list[_Note]]:
        notes: list[_Note] = []
        most = top or 10.0 * float(max(abs(r) for n in curves for r in n.references))
        lowest, highest = 0.0, 0.0
        for line in lines:
            x, z = line.source.frequencies / scale, _impedance(line)
            draw_stretches(axes, line, x, z.real, f"R, {line.label}", "-", line.marker)
            draw_stretches(axes, line, x, z.imag, f"X, {line.label}", "--", line.marker)
            lowest, highest = min(lowest, float(z.imag.min())), max(highest, float(z.real.max()), float(z.imag.max()))
            notes += _mark_resonances(axes, line, scale, unit)
        cut = highest > most or lowest < -most
        margin = 0.06 * (min(highest, most) - max(lowest, -most))
        axes.set_ylim(max(lowest - margin, -most), min(highest + margin, most))
        axes.axhline(0.0, color=FAINT, linewidth=1.0)
        axes.set_ylabel("ohm")

        def read(line: PortCurve, hertz: float) -> str:
            z = _impedance(line)
            return f"{_between(line, hertz, z.real):.4g} {_between(line, hertz, z.imag):+.4g}j ohm"

        notes += _read_off(axes, lines, scale, at, read)
        which = "" if len(lines) <= FEW else "R solid, X dashed"
        return "; ".join(filter(None, [which, f"cut off at ±{most:g} ohm" if cut else ""])), notes

    return _band_figure("input impedance", curves, lines, draw)


def _impedance(line: PortCurve) -> Complexes:
    assert isinstance(line.source, Network)
    return np.asarray(line.source.impedance().values[:, line.port])


def _mark_resonances(axes: Axes, line: PortCurve, scale: float, unit: str) -> Iterator[_Note]:
    """A ring at every resonance."""
    assert isinstance(line.source, Network)
    for _, found in line.source.resonances(line.name).iterrows():
        x = found["frequency_Hz"] / scale
        axes.plot(x, 0.0, "o", markersize=9, markerfacecolor="none", color=line.colour)
        told = f"{x:.5g} {unit}: R = {found['R_ohm']:.3g} ohm, Q = {found['Q']:.3g}"
        yield _Note(line, (x, 0.0), f"{found['kind']} resonance, {told}", f"{found['kind']}, {told}")
