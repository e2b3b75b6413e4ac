"""The Smith chart."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from ...answers.solution import Solution
from ...errors import UsageError
from ...network.network import Network
from ...network.trace import Trace
from ...units import engineering, ohms
from .bands import At, PortCurve, draw_stretches, lines_of, wanted_of
from .placing import Room
from .style import FAINT, GRID, INK, heading, look, sheet
from .subjects import Curve, curves_of

_RESISTANCES = (0.2, 0.5, 1.0, 2.0, 5.0)
_REACTANCES = (0.2, 0.5, 1.0, 2.0, 5.0)
_CROWDED = 5


def smith(*networks: Curve | Solution, labels: Sequence[str] | None = None, at: At = (), within: float = 2.0) -> Figure:
    """Reflection coefficients on a Smith chart, with the circle of a VSWR, band ends and what is read off.

    Each port is normalised to its own reference, which stands in the middle. at: frequencies to read off; unless named,
    the ends of the band and the best match. Raises UsageError for a trace, which has no phase.
    """
    curves = curves_of(networks)
    for network in curves:
        if isinstance(network, Trace):
            raise UsageError(f"'{network.label}' was measured without phase: it cannot be drawn on a Smith chart")
    lines = lines_of(curves, labels)
    with look():
        figure = sheet()
        axes = figure.add_axes((0.02, 0.075, 0.62, 0.83))
        _grid(axes)
        turn = np.linspace(0.0, 2.0 * np.pi, 361)
        radius = (within - 1.0) / (within + 1.0)
        axes.plot(radius * np.cos(turn), radius * np.sin(turn), color=INK, linewidth=1.4, linestyle=(0, (4, 2)))
        rows = []
        for line in lines:
            assert isinstance(line.source, Network)
            gamma = line.source.reflection().values[:, line.port]
            places = line.source.frequencies
            draw_stretches(axes, line, gamma.real, gamma.imag, line.label, line.dash)
            # Which way the frequency rises.
            longest = max(line.source.stretches, key=len)
            if len(longest) > 4:
                i = int(longest[len(longest) // 2])
                axes.annotate(
                    "", (gamma[i + 1].real, gamma[i + 1].imag), (gamma[i - 1].real, gamma[i - 1].imag),
                    arrowprops={"arrowstyle": "-|>", "color": line.colour, "lw": 2, "mutation_scale": 18},
                )  # fmt: skip
            best = float(places[np.abs(gamma).argmin()])
            # Of many curves only the best place of each is read off, unless readouts are asked for.
            ends = [float(places[0]), best, float(places[-1])] if len(places) > 2 else places.tolist()
            ends = ends if len(lines) <= _CROWDED else [best]
            rows.append((line, list(wanted_of(at, [line])) if at else list(dict.fromkeys(ends))))
        remark = "; ".join(filter(None, [f"dashed: VSWR {within:g}", _readouts(figure, axes, rows)]))
        reference = ", ".join(dict.fromkeys(ohms(x.source.references[x.port]) for x in lines))
        names = list(dict.fromkeys(x.source.label for x in lines if x.source.label))
        title = f"{names[0]}: Smith chart" if len(names) == 1 else "Smith chart"
        heading(
            figure,
            title,
            "; ".join(
                filter(
                    None,
                    [
                        f"middle: {reference}; arrows: rising frequency; rings: resistance, arcs: reactance, "
                        "normalised",
                        remark,
                    ],
                )
            ),
        )
    return figure


def _grid(axes: Axes) -> None:
    turn = np.linspace(0.0, 2.0 * np.pi, 361)
    axes.plot(np.cos(turn), np.sin(turn), color=FAINT, linewidth=1.4, linestyle="-")
    axes.plot((-1, 1), (0, 0), color=FAINT, linewidth=0.9, linestyle="-")
    for r in _RESISTANCES:
        centre, radius = r / (1 + r), 1 / (1 + r)
        axes.plot(centre + radius * np.cos(turn), radius * np.sin(turn), color=GRID, linewidth=0.9, linestyle="-")
        axes.text(centre - radius + 0.012, 0.012, f"{r:g}", fontsize=8, color=FAINT)
    for x in _REACTANCES:
        along = np.concatenate([np.linspace(0, 10, 300), np.geomspace(10, 1e4, 60)])
        for sign in (1, -1):
            arc = (along + sign * 1j * x - 1) / (along + sign * 1j * x + 1)
            axes.plot(arc.real, arc.imag, color=GRID, linewidth=0.9, linestyle="-")
            rim = 1.05 * arc[0]
            text = f"{'+' if sign > 0 else '−'}j{x:g}"
            axes.text(rim.real, rim.imag, text, fontsize=8, color=FAINT, ha="center", va="center")
    for place, word, side in ((-1.03, "short", "right"), (1.03, "open", "left")):
        axes.text(place, 0.0, word, fontsize=8, color=FAINT, ha=side, va="center")
    axes.set_aspect("equal")
    axes.set_xlim(-1.16, 1.16)
    axes.set_ylim(-1.1, 1.1)
    axes.axis("off")


def _readouts(figure: Figure, axes: Axes, rows: Sequence[tuple[PortCurve, list[float]]]) -> str:
    """Numbered points on the curves, and beside the chart what they are; returns a remark when some have no room.

    Where each curve has one, name and readout share a line.
    """
    single = len(rows) > _CROWDED and all(len(places) == 1 for _, places in rows)
    needed = sum(0.036 if single else 0.055 + 0.032 * len(places) for _, places in rows)
    size = max(0.5, min(1.0, 0.8 / needed))
    narrow = min(1.0, 16 / max(len(line.label) for line, _ in rows))
    y, number = 0.86, 0
    numbers: list[tuple[str, tuple[float, float], str]] = []
    remark = ""
    for n, (line, places) in enumerate(rows):
        if y < 0.07:
            remark = f"readouts of {len(rows) - n} more curves have no room: name fewer"
            break
        if not single:
            figure.text(0.66, y, line.label, color=line.colour, fontsize=11 * size, fontweight="bold")
            y -= 0.035 * size
        source = line.source
        assert isinstance(source, Network)
        for hertz in places:
            number += 1
            gamma, z = (
                complex(np.interp(hertz, source.frequencies, values.values[:, line.port]))
                for values in (source.reflection(), source.impedance())
            )
            axes.plot(gamma.real, gamma.imag, "o", color=line.colour, markersize=6)
            numbers.append((str(number), (gamma.real, gamma.imag), line.colour))
            ratio = (1 + abs(gamma)) / max(1 - abs(gamma), 1e-12)
            text = f"{engineering(hertz, 'Hz', 5)}: {z.real:.3g} {z.imag:+.3g}j ohm, VSWR {ratio:.3g}"
            if single:
                figure.text(0.66, y, f"{number}  {line.label}", color=line.colour, fontsize=8 * min(size, narrow),
                            fontweight="bold")  # fmt: skip
                figure.text(0.995, y, text.replace(" ohm", ""), fontsize=7.5 * size, ha="right")
            else:
                figure.text(0.67, y, f"{number}  {text}", fontsize=9 * size)
            y -= (0.036 if single else 0.032) * size
        y -= 0.0 if single else 0.02 * size
    room = Room(axes)
    for text, at, colour in numbers:
        room.put(text, at, color=colour, fontweight="bold")
    return remark
