"""Curves over frequency: VSWR, resistance and reactance, return loss."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from numpy.typing import NDArray

from ...errors import UsageError
from ...network.network import Network
from ...units import ohms
from .style import FAINT, LINES, flat_axes, heading, legend_above, look, mark, sheet

Floats = NDArray[np.float64]
_PREFIX = ((1e9, "GHz"), (1e6, "MHz"), (1e3, "kHz"), (1.0, "Hz"))


def _scale(hertz: Floats) -> tuple[float, str]:
    return next((s, unit) for s, unit in _PREFIX if hertz.max() >= s or s == 1.0)


def _curves(networks: Sequence[Network], labels: Sequence[str] | None) -> Iterator[tuple[Network, int, str]]:
    """Every port of every network, with what to call it."""
    if not networks:
        raise UsageError("nothing to draw: give at least one network")
    if labels is not None and len(labels) != len(networks):
        raise UsageError(f"{len(networks)} networks but {len(labels)} labels: give one each")
    for n, network in enumerate(networks):
        for p, port in enumerate(network.ports):
            words = ([labels[n]] if labels else []) + ([port] if len(network.ports) > 1 or not labels else [])
            yield network, p, ", ".join(words)


def _frequency_axis(axes: Axes, networks: Sequence[Network]) -> float:
    every = np.concatenate([n.frequencies for n in networks])
    scale, unit = _scale(every)
    axes.set_xlabel(f"frequency, {unit}")
    if np.ptp(every) > 0:
        axes.set_xlim(every.min() / scale, every.max() / scale)
    return scale


def _line(axes: Axes, x: Floats, y: Floats, label: str, **style: object) -> str:
    # One frequency is a point, not an empty axis.
    drawn = axes.plot(x, y, label=label, marker="o" if len(x) == 1 else None, **style)[0]  # type: ignore[arg-type]
    return str(drawn.get_color())


def _foot(networks: Sequence[Network]) -> str:
    ports = {(p, ohms(r)) for n in networks for p, r in zip(n.ports, n.references, strict=True)}
    others = "; other ports closed by theirs" if max(len(n.ports) for n in networks) > 1 else ""
    return "reference impedance: " + ", ".join(f"{p} {r}" for p, r in sorted(ports)) + others


def _band_figure(
    title: str,
    networks: Sequence[Network],
    labels: Sequence[str] | None,
    draw: Callable[[Axes, Network, int, str, float], None],
    finish: Callable[[Axes], None],
) -> Figure:
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        scale = _frequency_axis(axes, networks) if networks else 1.0
        for network, port, label in _curves(networks, labels):
            draw(axes, network, port, label, scale)
        finish(axes)
        curves = len(axes.get_legend_handles_labels()[0])
        if curves > 1:
            legend_above(axes, min(curves, 6))
        names = list(dict.fromkeys(n.label for n in networks if n.label))
        heading(figure, ": ".join([*names[:1], title] if len(names) == 1 else [title]), _foot(networks))
    return figure


def vswr(*networks: Network, labels: Sequence[str] | None = None, top: float | None = None) -> Figure:
    """VSWR over frequency, one curve per port; several networks lie over one another.

    top: where the axis ends; unless given, between 3 and 10 as the curves need.
    """

    def draw(axes: Axes, network: Network, port: int, label: str, scale: float) -> None:
        values = network.vswr().values[:, port]
        colour = _line(axes, network.frequencies / scale, values, label)
        best = int(values.argmin())
        axes.plot(network.frequencies[best] / scale, values[best], "o", color=colour)
        text = f"{values[best]:.2f} at {network.frequencies[best] / scale:.6g}"
        mark(axes, float(network.frequencies[best] / scale), float(values[best]), text, colour)

    def finish(axes: Axes) -> None:
        axes.axhline(2.0, color=FAINT, linewidth=1.0, linestyle=":")
        highest = max(float(n.vswr().max()) for n in networks)
        axes.set_ylim(1.0, top or min(max(np.ceil(highest), 3.0), 10.0))
        axes.set_ylabel("VSWR")

    return _band_figure("VSWR", networks, labels, draw, finish)


def return_loss(*networks: Network, labels: Sequence[str] | None = None) -> Figure:
    """Return loss over frequency in dB, greater is better and drawn downwards, one curve per port."""

    def draw(axes: Axes, network: Network, port: int, label: str, scale: float) -> None:
        _line(axes, network.frequencies / scale, network.return_loss().values[:, port], label)

    def finish(axes: Axes) -> None:
        axes.axhline(10.0, color=FAINT, linewidth=1.0, linestyle=":")
        axes.set_ylim(max(axes.get_ylim()[1], 20.0), 0.0)
        axes.set_ylabel("return loss, dB")

    return _band_figure("return loss", networks, labels, draw, finish)


def impedance(*networks: Network, labels: Sequence[str] | None = None) -> Figure:
    """Input resistance (solid) and reactance (dashed) over frequency; a ring marks where the reactance is zero."""
    count = [0]

    def draw(axes: Axes, network: Network, port: int, label: str, scale: float) -> None:
        colour = LINES[count[0] % len(LINES)]
        count[0] += 1
        x, z = network.frequencies / scale, network.impedance().values[:, port]
        _line(axes, x, z.real, f"R, {label}", color=colour, linestyle="-")
        _line(axes, x, z.imag, f"X, {label}", color=colour, linestyle="--")
        for i in np.flatnonzero(np.diff(np.sign(z.imag)) != 0):
            share = z.imag[i] / (z.imag[i] - z.imag[i + 1])
            zero, resistance = x[i] + share * (x[i + 1] - x[i]), z.real[i] + share * (z.real[i + 1] - z.real[i])
            axes.plot(zero, 0.0, "o", markersize=9, markerfacecolor="none", color=colour)
            mark(axes, float(zero), 0.0, f"X = 0 at {zero:.6g}, R = {resistance:.3g} ohm", colour, above=False)

    def finish(axes: Axes) -> None:
        axes.axhline(0.0, color=FAINT, linewidth=1.0)
        axes.set_ylabel("ohm")

    return _band_figure("input impedance", networks, labels, draw, finish)
