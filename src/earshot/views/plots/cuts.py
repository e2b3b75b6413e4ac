"""Cuts through a far field, on polar and on straight axes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.figure import Figure
from matplotlib.projections.polar import PolarAxes

from ...errors import UsageError
from ...fields.far import FarField
from ...units import engineering
from .style import FAINT, LINES, clear_below, heading, look, sheet

if TYPE_CHECKING:
    import xarray as xr

_QUANTITIES = {"gain": "gain", "directivity": "directivity", "realized_gain": "realized gain"}


def _cuts(
    field: FarField, planes: Sequence[str], elevation: str | float | None, azimuth: str | float | None
) -> list[tuple[str, xr.Dataset]]:
    cuts = [(f"{plane}-plane", field.cut(plane)) for plane in planes]
    if elevation is not None:
        cut = field.cut(elevation=elevation)
        cuts.append((str(cut.attrs["cut"]), cut))
    if azimuth is not None:
        cut = field.cut(azimuth=azimuth)
        cuts.append((str(cut.attrs["cut"]), cut))
    return cuts or [(f"{plane}-plane", field.cut(plane)) for plane in ("E", "H")]


def _known(quantity: str) -> str:
    if quantity not in _QUANTITIES:
        raise UsageError(f"quantity '{quantity}' is not one of {', '.join(_QUANTITIES)}")
    return _QUANTITIES[quantity]


def _foot(field: FarField, cuts: Sequence[tuple[str, xr.Dataset]]) -> str:
    angles = dict.fromkeys(f"{label}: angle is the {cut.attrs['angle']}" for label, cut in cuts)
    plane = "; perfect plane at z = 0" if field.half_space else ""
    return "; ".join(
        "E-, H-plane: angle from the peak" if "peak" in a and len(cuts) > 1 else a for a in dict.fromkeys(
            "E-, H-plane: angle from the peak" if "peak" in a else a for a in angles
        )
    ) + f" (elevation from the horizon, azimuth from +x towards +y){plane}"


def polar(
    field: FarField,
    *planes: str,
    elevation: str | float | None = None,
    azimuth: str | float | None = None,
    quantity: str = "gain",
    span: float = 30.0,
) -> Figure:
    """Cuts on polar axes in dBi: planes "E", "H" (both unless something is named), an elevation, an azimuth.

    quantity: "gain", "directivity" or "realized_gain". span: decibels from the rim to the centre.
    """
    name = _known(quantity)
    cuts = _cuts(field, planes, elevation, azimuth)
    with look():
        figure = sheet()
        rim = np.ceil(max(float(cut[quantity].max()) for _, cut in cuts) / 3.0 + 1e-9) * 3.0
        for i, (label, cut) in enumerate(cuts):
            axes = figure.add_subplot(1, len(cuts), i + 1, projection="polar")
            assert isinstance(axes, PolarAxes)
            angle = np.radians(cut.angle.values)
            values = np.where(_above(field, cut), cut[quantity].values, np.nan)
            axes.plot(angle, np.maximum(values, rim - span), color=LINES[i % len(LINES)], linestyle="-")
            axes.fill(angle, np.nan_to_num(np.maximum(values, rim - span), nan=rim - span), alpha=0.12, color=LINES[i])
            axes.set_rlim(rim - span, rim)
            axes.set_rticks(np.arange(rim - span + 6.0, rim + 0.1, 6.0))
            axes.set_rlabel_position(100.0)
            axes.tick_params(axis="y", labelsize=8, labelcolor=FAINT)
            axes.set_thetagrids(range(0, 360, 30))
            axes.set_xticklabels([f"{a if a <= 180 or 'azimuth' == cut.attrs['angle'] else a - 360}°" for a in range(0, 360, 30)])
            axes.spines["polar"].set_color(FAINT)
            axes.set_title(f"{label}, most {float(np.nanmax(values)):.2f} dBi", fontsize=12, loc="center", pad=14)
        heading(figure, _title(field, name), _foot(field, cuts))
        clear_below(figure)
    return figure


def _above(field: FarField, cut: xr.Dataset) -> np.ndarray:
    return np.asarray(cut.theta.values <= 90.0 + 1e-9) if field.half_space else np.ones(cut.angle.size, bool)


def _title(field: FarField, name: str) -> str:
    return f"{field.label}: {name} at {engineering(field.frequency, 'Hz')}"


def cartesian(
    field: FarField,
    *planes: str,
    elevation: str | float | None = None,
    azimuth: str | float | None = None,
    quantity: str = "gain",
    span: float = 40.0,
) -> Figure:
    """The same cuts on straight axes: level in dBi over angle, one curve per cut."""
    name = _known(quantity)
    cuts = _cuts(field, planes, elevation, azimuth)
    with look():
        figure = sheet()
        axes = figure.add_subplot()
        for label, cut in cuts:
            axes.plot(cut.angle, np.where(_above(field, cut), cut[quantity].values, np.nan), label=label)
        rim = np.ceil(max(float(cut[quantity].max()) for _, cut in cuts) / 3.0 + 1e-9) * 3.0
        axes.set_ylim(rim - span, rim)
        low, high = min(float(c.angle.min()) for _, c in cuts), max(float(c.angle.max()) for _, c in cuts)
        axes.set_xlim(low, high)
        axes.set_xticks(np.arange(np.ceil(low / 30.0) * 30.0, high + 1.0, 30.0))
        axes.set_xlabel("angle, degrees")
        axes.set_ylabel(f"{name}, dBi")
        axes.legend(loc="upper right")
        heading(figure, _title(field, name), _foot(field, cuts))
        clear_below(figure)
    return figure
