"""Curves over frequency: VSWR, return loss, |S|, resistance and reactance, with what is read off them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

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
from .style import FAINT, SOFT, flat_axes, heading, legend_above, look, pen, sheet
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
            style = pen(len(found))
            found.append(PortCurve(network, p, ", ".join(words), *style))
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
    others = "; other ports closed by theirs" if max(len(n.ports) for n in networks) > 1 else ""
    return "reference impedance: " + ", ".join(f"{p} {r}" for p, r in sorted(ports)) + others


def _band_figure(
    title: str, networks: Sequence[Curve], lines: Sequence[PortCurve], draw: Callable[[Axes, float, str], str]
) -> Figure:
    """A sheet with a frequency axis; draw puts the curves on it and may give a remark for the foot."""
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        scale, unit = _frequency_axis(axes, networks)
        remark = draw(axes, scale, unit)
        legend_above(axes)
        names = list(dict.fromkeys(line.source.label for line in lines if line.source.label))
        foot = "; ".join(filter(None, [_foot(networks), remark]))
        heading(figure, ": ".join([*names[:1], title] if len(names) == 1 else [title]), foot)
    return figure


def _draw(axes: Axes, line: PortCurve, scale: float, values: Floats) -> None:
    draw_stretches(axes, line, line.source.frequencies / scale, values, line.label, line.dash)


def draw_stretches(axes: Axes, line: PortCurve, x: Floats, y: Floats, label: str, dash: object) -> None:
    """A curve through each band; a frequency that stands alone is a point, joined to nothing."""
    for i, some in enumerate(line.source.stretches):
        axes.plot(
            x[some],
            y[some],
            label=None if i else label,
            color=line.colour,
            linestyle=dash if len(some) > 1 else "none",
            marker="o" if len(some) == 1 else None,
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
) -> None:
    """A hairline at every chosen frequency, with what each curve says there, at the top in its colour."""
    low, high = axes.get_xlim()
    for hertz in wanted_of(at, lines):
        x = hertz / scale
        axes.axvline(x, color=FAINT, linewidth=0.8, linestyle="-")
        left = x < 0.5 * (low + high)
        rows = [(engineering(hertz, "Hz", 6), FAINT)]
        rows += [(read(line, hertz), line.colour) for line in lines if reaches(line, hertz)]
        for i, (text, colour) in enumerate(rows):
            axes.annotate(
                text,
                (x, 1.0),
                xycoords=("data", "axes fraction"),
                xytext=(5 if left else -5, -12 - 14 * i),
                textcoords="offset points",
                ha="left" if left else "right",
                color=colour,
                fontsize=9,
                fontweight="bold" if i else "normal",
                bbox=SOFT,
            )


def reaches(line: PortCurve, hertz: float) -> bool:
    """Whether a curve can be read at a frequency: it is in one of its stretches."""
    ends = (line.source.frequencies[some[[0, -1]]] for some in line.source.stretches)
    return any(low * (1.0 - 1e-9) <= hertz <= high * (1.0 + 1e-9) for low, high in ends)


def _between(line: PortCurve, hertz: float, values: Floats) -> float:
    return float(np.interp(hertz, line.source.frequencies, values))


def _mark_bandwidth(axes: Axes, lines: Sequence[PortCurve], scale: float, unit: str, limit: dict[str, float]) -> None:
    """A bar over every stretch within the limit, with its edges and width, and a foot at every resonance."""
    ((name, level),) = limit.items()
    words = f"VSWR ≤ {level:g}" if name == "vswr" else f"{level:g} dB or better"
    low, high = axes.get_xlim()
    row = 0
    for line in lines:
        source, shown = line.source, 0
        found = source.bandwidth(**limit) if isinstance(source, Trace) else source.bandwidth(line.name, **limit)
        for _, band in found.iterrows():
            ends = band["from_Hz"] / scale, band["to_Hz"] / scale
            # Bars of several curves lie under one another, not over.
            aside = offset_copy(axes.transData, axes.get_figure(root=True), y=-5.0 * lines.index(line), units="points")
            bar = {"linewidth": 4.0, "linestyle": "-", "alpha": 0.5, "solid_capstyle": "butt", "transform": aside}
            axes.plot(ends, (level, level), color=line.colour, **bar)  # type: ignore[arg-type]
            if shown < 2 and row < 5:
                beyond = ", goes on" if band["cut_off"] else ""
                text = f"{words}: {ends[0]:.5g} to {ends[1]:.5g} {unit}, {band['width_percent']:.3g} %{beyond}"
                share = (sum(ends) / 2 - low) / (high - low)
                side = "left" if share < 0.3 else "right" if share > 0.7 else "center"
                x = ends[0] if side == "left" else ends[1] if side == "right" else sum(ends) / 2
                axes.annotate(
                    text, (x, level), xytext=(0, 6 + 13 * row), textcoords="offset points", ha=side, fontsize=9,
                    color=line.colour, bbox=SOFT,
                )  # fmt: skip
                row, shown = row + 1, shown + 1
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

    def draw(axes: Axes, scale: float, unit: str) -> str:
        highest, lowest = 1.0, np.inf
        for line in lines:
            values = line.source.vswr().values[:, line.port]
            _draw(axes, line, scale, values)
            highest, lowest = max(highest, float(values.max())), min(lowest, float(values.min()))
        ceiling = top or min(max(np.ceil(highest), 3.0), 10.0 if lowest < 5.0 else float(np.ceil(2 * lowest)))
        axes.set_ylim(1.0, ceiling)
        axes.set_ylabel("VSWR")
        axes.axhline(within, color=FAINT, linewidth=1.0, linestyle=":")
        _mark_bandwidth(axes, lines, scale, unit, {"vswr": within})
        _read_off(axes, lines, scale, at, lambda x, f: f"{_between(x, f, x.source.vswr().values[:, x.port]):.2f}")
        return _FEET if _any_resonance(lines) else ""

    return _band_figure("VSWR", curves, lines, draw)


def return_loss(
    *networks: Curve | Solution, labels: Sequence[str] | None = None, at: At = (), within: float = 10.0
) -> Figure:
    """Return loss over frequency in dB, greater is better and drawn downwards, one curve per port.

    at: frequencies to read off. within: the return loss whose bandwidth is marked.
    """
    curves = curves_of(networks)
    lines = lines_of(curves, labels)

    def draw(axes: Axes, scale: float, unit: str) -> str:
        most = 20.0
        for line in lines:
            values = line.source.return_loss().values[:, line.port]
            _draw(axes, line, scale, values)
            most = max(most, min(float(values.max()) * 1.05, 60.0))
        axes.set_ylim(most, 0.0)
        axes.set_ylabel("return loss, dB")
        axes.axhline(within, color=FAINT, linewidth=1.0, linestyle=":")
        _mark_bandwidth(axes, lines, scale, unit, {"return_loss": within})
        read = lambda x, f: f"{_between(x, f, x.source.return_loss().values[:, x.port]):.1f} dB"  # noqa: E731
        _read_off(axes, lines, scale, at, read)
        return _FEET if _any_resonance(lines) else ""

    return _band_figure("return loss", curves, lines, draw)


def scattering(
    given: Network | Solution, *pairs: tuple[str, str], label: str = "", floor: float | None = None, at: At = ()
) -> Figure:
    """|S| over frequency in dB: reflections and couplings, one curve per pair of ports (to, from).

    pairs: all of them unless named; S is reciprocal, so each coupling is drawn once. floor: where the axis ends, dB.
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
    lines = []
    for i, (to, source) in enumerate(chosen):
        text = f"reflection at {to}" if to == source else f"{source} to {to}"
        lines.append(PortCurve(network, ports.index(to), text, *pen(i)))
    levels = [20 * np.log10(np.maximum(np.abs(matrix.sel({"to": to, "from": f}).values), 1e-10)) for to, f in chosen]

    def draw(axes: Axes, scale: float, _unit: str) -> str:
        for line, level in zip(lines, levels, strict=True):
            _draw(axes, line, scale, level)
        low = floor if floor is not None else max(min(float(x.min()) for x in levels) - 2.0, -60.0)
        axes.set_ylim(min(low, -20.0), max(0.0, max(float(x.max()) for x in levels)))
        axes.set_ylabel("|S|, dB")
        by_line = dict(zip(map(id, lines), levels, strict=True))
        _read_off(axes, lines, scale, at, lambda x, f: f"{_between(x, f, by_line[id(x)]):.1f} dB")
        return ""

    return _band_figure(f"{label}: |S|" if label else "|S|", [network], lines, draw)


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
    lines = lines_of(curves, labels)

    def draw(axes: Axes, scale: float, unit: str) -> str:
        rows, cut = 0, False
        most = top or 10.0 * float(max(abs(r) for n in curves for r in n.references))
        lowest, highest = 0.0, 0.0
        for line in lines:
            x, z = line.source.frequencies / scale, _impedance(line)
            draw_stretches(axes, line, x, z.real, f"R, {line.label}", "-")
            draw_stretches(axes, line, x, z.imag, f"X, {line.label}", "--")
            lowest, highest = min(lowest, float(z.imag.min())), max(highest, float(z.real.max()), float(z.imag.max()))
            rows = _mark_resonances(axes, line, scale, unit, rows)
        cut = highest > most or lowest < -most
        margin = 0.06 * (min(highest, most) - max(lowest, -most))
        axes.set_ylim(max(lowest - margin, -most), min(highest + margin, most))
        axes.axhline(0.0, color=FAINT, linewidth=1.0)
        axes.set_ylabel("ohm")

        def read(line: PortCurve, hertz: float) -> str:
            z = _impedance(line)
            return f"{_between(line, hertz, z.real):.4g} {_between(line, hertz, z.imag):+.4g}j ohm"

        _read_off(axes, lines, scale, at, read)
        return f"cut off at ±{most:g} ohm" if cut else ""

    return _band_figure("input impedance", curves, lines, draw)


def _impedance(line: PortCurve) -> Complexes:
    assert isinstance(line.source, Network)
    return np.asarray(line.source.impedance().values[:, line.port])


def _mark_resonances(axes: Axes, line: PortCurve, scale: float, unit: str, row: int) -> int:
    assert isinstance(line.source, Network)
    low, high = axes.get_xlim()
    for _, found in line.source.resonances(line.name).iterrows():
        x = found["frequency_Hz"] / scale
        axes.plot(x, 0.0, "o", markersize=9, markerfacecolor="none", color=line.colour)
        text = f"{found['kind']} resonance, {x:.5g} {unit}: R = {found['R_ohm']:.3g} ohm, Q = {found['Q']:.3g}"
        side = "left" if (x - low) / (high - low) < 0.6 else "right"
        place = (9 if side == "left" else -9, -16 - 13 * row)
        axes.annotate(
            text, (x, 0.0), xytext=place, textcoords="offset points", ha=side, color=line.colour, fontsize=9, bbox=SOFT
        )
        row = (row + 1) % 4
    return row
