"""What searches came to: the history of tries, the front between two wishes, and a fit with what it leaves over."""

from __future__ import annotations

import numpy as np
import pandas as pd
from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator
from scipy.interpolate import CubicSpline

from ...arraytypes import Floats
from ...studies.fitting import Fitted
from ...studies.optimising import Front, Optimised
from ...units import engineering
from .bands import scale_of
from .style import FAINT, INK, LINES, flat_axes, heading, legend_above, look, sheet

_FLOOR = 1e-4
_FEW, _FINE, _ENDLESS = 3, 600, 1e12


def history(found: Optimised) -> Figure:
    """Every try in order: how far above the best its cost is, on a log axis, the least so far, and goals met or not."""
    tries = found.tries
    cost = tries["cost"].to_numpy(float)
    best = float(np.nanmin(cost))
    above = np.where(np.isfinite(cost), np.maximum(cost - best, _FLOOR), np.nan)
    number, met = tries.index.to_numpy(), tries["met"].to_numpy(bool)
    wishes = [str(a) for a in found.goals.loc[found.goals["met"].isna(), "aim"].unique()][:1]
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        if wishes:
            axes.set_position((0.085, 0.445, 0.885, 0.445))
        axes.step(number, np.fmin.accumulate(above), where="post", color=LINES[0], linestyle="-", label="least so far")
        for chosen, face, words in ((met, LINES[1], "goals met"), (~met, "none", "goals not met")):
            if chosen.any():
                axes.plot(number[chosen], above[chosen], "o", color=LINES[1], markerfacecolor=face, markersize=6,
                          linestyle="none", label=words)  # fmt: skip
        axes.set_yscale("log")
        axes.set_ylabel("cost above the best", fontsize=10)
        axes.set_xlim(number[0] - 0.5, number[-1] + 0.5)
        legend_above(axes)
        last = axes
        if wishes:
            axes.tick_params(labelbottom=False)
            last = figure.add_axes((0.085, 0.155, 0.885, 0.255), sharex=axes)
            last.plot(number, tries[wishes[0]], color=LINES[2], linestyle="-", marker="o", markersize=4)
            unit = str(found.goals.set_index("aim").loc[[wishes[0]], "unit"].iloc[0])
            last.set_ylabel(_short(wishes[0]) + (f", {unit}" if unit else ""), fontsize=9)
        last.xaxis.set_major_locator(MaxNLocator(integer=True))
        last.set_xlabel("try")
        where = int(tries.index[int(np.nanargmin(cost))])
        heading(figure, f"{found.before.title}: history of the search",
                f"best: try {where} of {len(tries)}; {found.effort}")  # fmt: skip
    return figure


def _short(text: str) -> str:
    """An aim's words in two lines where they are long."""
    return text.replace(" from ", "\nfrom ").replace(" at ", "\nat ")


def front(found: Front) -> Figure:
    """What one wish costs of the other: points of the front joined, and every other try that met the goals."""
    one, other = found.wishes
    tries = found.tries[found.tries["met"].to_numpy(bool)]
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        axes.plot(
            tries[other], tries[one], ".", color=FAINT, markersize=5, linestyle="none", label="tries that met goals"
        )
        axes.plot(found.points[other], found.points[one], "-o", color=LINES[0], markersize=8, label="front")
        for number, (x, y) in enumerate(zip(found.points[other], found.points[one], strict=True), 1):
            axes.annotate(
                str(number), (x, y), xytext=(-5, 8), ha="right", textcoords="offset points", fontsize=10, color=INK
            )
        axes.margins(0.08)
        up, along = (f"{w}, {u}" if u not in ("", "1") else w for w, u in zip(found.wishes, found.units, strict=True))
        axes.set_xlabel(along)
        axes.set_ylabel(up)
        legend_above(axes)
        heading(figure, f"{found.title}: front between two wishes",
                f"{len(found.points)} points; {len(found.tries)} tries, {found.seconds:.0f} s")  # fmt: skip
    return figure


def fitted(found: Fitted) -> Figure:
    """A measurement, the model fitted to it and as it was, as return loss; below, what is left over."""
    curve = found.curve
    scale, unit = scale_of(curve["frequency_Hz"].to_numpy(float))
    x = curve["frequency_Hz"].to_numpy(float) / scale
    fine = np.linspace(x[0], x[-1], _FINE)
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        axes.set_position((0.085, 0.405, 0.885, 0.485))
        for name, style, colour, words in (
            ("before", (0, (6, 2)), FAINT, "as it was"),
            ("fitted", "-", LINES[0], "fitted"),
        ):
            axes.plot(fine, _smooth(curve, name, x, fine), linestyle=style, color=colour, label=words)
        axes.plot(x, curve["measured_dB"], "o", color=LINES[1], markersize=6, label="measured")
        axes.invert_yaxis()
        axes.set_ylabel("return loss, dB")
        axes.set_xticklabels([])
        legend_above(axes)
        below = figure.add_axes((0.085, 0.155, 0.885, 0.22))
        left = curve["left"].to_numpy(float)
        below.axhline(0.0, color=FAINT, linewidth=1.0)
        below.vlines(x, 0.0, left, color=LINES[1], linewidth=1.5)
        below.plot(x, left, "o", color=LINES[1], markersize=5)
        below.set_xlim(axes.get_xlim())
        below.set_ylabel("left over,\n|reflection|" if found.phased else "left over, dB", fontsize=10)
        below.set_xlabel(f"frequency, {unit}")
        heading(figure, f"{found.file.title}: fitted to a measurement", _words(found))
    return figure


def _smooth(curve: pd.DataFrame, name: str, x: Floats, fine: Floats) -> Floats:
    """Return loss between the frequencies of a fit: the reflection itself bends less than its size does."""
    back = (curve[f"{name}_re"] + 1j * curve[f"{name}_im"]).to_numpy()
    between = CubicSpline(x, back)(fine) if len(x) > _FEW else np.interp(fine, x, back)
    return np.asarray(-20.0 * np.log10(np.maximum(np.abs(between), 1e-6)))


def _words(found: Fitted) -> str:
    told = []
    for name, row in found.values.iterrows():
        value, limit = (told_amount(float(row[c]), str(row["kind"]), str(name)) for c in ("after", "limit"))
        told.append(f"{name} {value} ± {limit}")
    return "; ".join(told)


def told_amount(value: float, kind: str, name: str = "") -> str:
    """A fitted value in the unit people use."""
    if not np.isfinite(value) or abs(value) > _ENDLESS:
        return "unknown"
    if kind == "length":
        return f"{1e3 * value:.4g} mm"
    if kind == "angle":
        return f"{np.degrees(value):.4g} deg"
    unit = {"capacitance": "F", "inductance": "H", "resistance": "ohm", "frequency": "Hz"}.get(kind, "")
    if unit:
        return engineering(value, unit, 4)
    return f"{value:.4g} dB" if name == "loss" else f"{value:.4g}"
