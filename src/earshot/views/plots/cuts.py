"""Cuts through a far field, on polar and on straight axes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.figure import Figure
from matplotlib.projections.polar import PolarAxes
from numpy.typing import NDArray

from ...errors import UsageError
from ...fields.far import FarField
from ...units import engineering
from .style import DASHES, FAINT, LINES, PAPER, flat_axes, heading, legend_above, look, sheet

if TYPE_CHECKING:
    import xarray as xr

Floats = NDArray[np.float64]
_QUANTITIES = {"gain": "gain", "directivity": "directivity", "realized_gain": "realized gain"}


@dataclass(frozen=True, slots=True)
class _Curve:
    """One cut, ready to draw: angles in degrees, levels in dBi (NaN below a plane), and what the angle is."""

    label: str
    angle: Floats
    level: Floats
    kind: str
    colour: str
    dash: object


def _curve(cut: xr.Dataset, label: str, quantity: str, field: FarField, number: int) -> _Curve:
    level = cut[quantity].values
    if field.half_space:
        level = np.where(cut.theta.values <= 90.0 + 1e-9, level, np.nan)
    colour, dash = LINES[number % len(LINES)], DASHES[number % len(DASHES)]
    return _Curve(label, cut.angle.values, level, str(cut.attrs["angle"]), colour, dash)


Angles = str | float | Sequence[str | float] | None


def _several(angles: Angles) -> Sequence[str | float]:
    return () if angles is None else (angles,) if isinstance(angles, str | int | float) else angles


def _curves(field: FarField, planes: Sequence[str], elevation: Angles, azimuth: Angles, quantity: str) -> list[_Curve]:
    if quantity not in _QUANTITIES:
        raise UsageError(f"quantity '{quantity}' is not one of {', '.join(_QUANTITIES)}")
    if not (planes or _several(elevation) or _several(azimuth)):
        planes = ("E", "H")
    cuts = [(f"{plane}-plane", field.cut(plane)) for plane in planes]
    others = [field.cut(elevation=e) for e in _several(elevation)] + [field.cut(azimuth=a) for a in _several(azimuth)]
    cuts += [(str(cut.attrs["cut"]), cut) for cut in others]
    return [_curve(cut, label, quantity, field, i) for i, (label, cut) in enumerate(cuts)]


def _rim(curves: Sequence[_Curve]) -> float:
    """The next multiple of 3 dB above everything drawn."""
    return float(np.ceil(max(np.nanmax(c.level) for c in curves) / 3.0 + 1e-9) * 3.0)


_MEANINGS = {
    "angle from the peak": "E-, H-plane: angle from the peak",
    "elevation": "elevation: angle above the horizon, past 90° on the far side",
    "azimuth": "azimuth: from +x towards +y",
}


def _head(figure: Figure, field: FarField, quantity: str, curves: Sequence[_Curve]) -> None:
    notes = [_MEANINGS[kind] for kind in dict.fromkeys(c.kind for c in curves)]
    notes += ["perfect plane at z = 0"] if field.half_space else []
    title = f"{field.label}: {_QUANTITIES[quantity]} at {engineering(field.frequency, 'Hz', 6)}"
    heading(figure, title, "; ".join(notes))


def polar(
    field: FarField,
    *planes: str,
    elevation: Angles = None,
    azimuth: Angles = None,
    quantity: str = "gain",
    span: float = 30.0,
) -> Figure:
    """Cuts on polar axes in dBi: planes "E", "H" (both unless something is named), elevations, azimuths.

    Cuts that share an angle share a circle. quantity: "gain", "directivity" or "realized_gain". span: decibels from the
    rim to the centre. Raises UsageError for a quantity or a plane there is not.
    """
    curves = _curves(field, planes, elevation, azimuth, quantity)
    rim = _rim(curves)
    kinds = list(dict.fromkeys(c.kind for c in curves))
    with look():
        figure = sheet()
        for i, kind in enumerate(kinds):
            width = 1.0 / len(kinds)
            place = (i * width + 0.1 * width, 0.12, 0.8 * width, 0.64)
            axes = figure.add_axes(place, projection="polar")
            assert isinstance(axes, PolarAxes)
            _circle(axes, [c for c in curves if c.kind == kind], rim, span, kind)
        _head(figure, field, quantity, curves)
    return figure


def _circle(axes: PolarAxes, curves: Sequence[_Curve], rim: float, span: float, kind: str) -> None:
    for curve in curves:
        level = np.maximum(curve.level, rim - span)
        label = f"{curve.label}, most {np.nanmax(curve.level):.2f} dBi"
        axes.plot(np.radians(curve.angle), level, color=curve.colour, linestyle=curve.dash, label=label)
        axes.fill(np.radians(curve.angle), np.nan_to_num(level, nan=rim - span), alpha=0.10, color=curve.colour)
    axes.set_rlim(rim - span, rim)
    axes.set_rgrids(np.arange(rim - span + 6.0, rim + 0.1, 6.0), angle=105.0, fontsize=8, color=FAINT)
    for text in axes.get_yticklabels():
        text.set_bbox({"facecolor": PAPER, "edgecolor": "none", "alpha": 0.7, "pad": 0.8})
    turns = range(0, 360, 30)
    axes.set_thetagrids(turns, [f"{a if a <= 180 or kind == 'azimuth' else a - 360}°" for a in turns])
    axes.spines["polar"].set_color(FAINT)
    axes.legend(loc="lower center", bbox_to_anchor=(0.5, 1.08), ncols=1)


def cartesian(
    field: FarField,
    *planes: str,
    elevation: Angles = None,
    azimuth: Angles = None,
    quantity: str = "gain",
    span: float = 40.0,
) -> Figure:
    """The same cuts on straight axes: level in dBi over angle, one curve per cut, span decibels high.

    Raises UsageError for a quantity or a plane there is not.
    """
    curves = _curves(field, planes, elevation, azimuth, quantity)
    rim = _rim(curves)
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        for curve in curves:
            # One axis for all: angles of an azimuth cut run from -180 to 180 like the others.
            angle = (curve.angle + 180.0) % 360.0 - 180.0
            order = np.argsort(angle, kind="stable")
            axes.plot(angle[order], curve.level[order], color=curve.colour, linestyle=curve.dash, label=curve.label)
        axes.set_ylim(rim - span, rim)
        axes.set_xlim(-180.0, 180.0)
        axes.set_xticks(range(-180, 181, 30))
        axes.set_xlabel("angle, degrees")
        axes.set_ylabel(f"{_QUANTITIES[quantity]}, dBi")
        legend_above(axes, len(curves))
        _head(figure, field, quantity, curves)
    return figure
