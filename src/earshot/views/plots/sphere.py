"""A map of the whole sphere of directions."""

from __future__ import annotations

import math

import numpy as np
from matplotlib.colors import Normalize
from matplotlib.figure import Figure

from ...answers.driven import Driven
from ...errors import UsageError
from ...fields.far import FarField
from ...fields.gains import decibels
from ...units import engineering
from .cuts import QUANTITIES
from .style import INK, PAPER, SHORE, flat_axes, heading, look, sheet
from .subjects import fields_of


def sphere(given: FarField | Driven, *, quantity: str = "gain", span: float = 30.0, step: str | None = None) -> Figure:
    """Every direction at once: azimuth across, elevation up, level as colour, the peak marked, contours 3 dB apart.

    quantity: as for `polar`. span: decibels from the peak to the darkest colour. step: 2 deg, or as fine as the lobes
    need, down to a half. Raises UsageError for a quantity there is not.
    """
    if quantity not in QUANTITIES:
        raise UsageError(f"quantity '{quantity}' is not one of {', '.join(QUANTITIES)}")
    field = fields_of(given)[0]
    samples = field.sphere(min(2.0, max(0.5, math.degrees(field.step))) if step is None else step)
    azimuth = samples.phi.values
    elevation = 90.0 - samples.theta.values
    level = samples[quantity].values
    # Azimuth from -180 to 180, so that the direction called 0° is in the middle.
    half = int(np.searchsorted(azimuth, 180.0))
    azimuth = np.concatenate([azimuth[half:-1] - 360.0, azimuth[: half + 1]])
    level = np.concatenate([level[:, half:-1], level[:, : half + 1]], axis=1)
    row, column = np.unravel_index(int(level.argmax()), level.shape)
    x, y, top = float(azimuth[column]), float(elevation[row]), float(level.max())
    whole = {"gain": field.gain, "directivity": field.directivity, "realized_gain": field.realized_gain}
    if quantity in whole:
        # Between the samples.
        theta, phi = field.peak
        x, y = (math.degrees(phi) + 180.0) % 360.0 - 180.0, 90.0 - math.degrees(theta)
        top = float(decibels(whole[quantity](theta, phi)))
    with look():
        figure = sheet()
        axes = flat_axes(figure)
        axes.set_position((0.1, 0.155, 0.87, 0.735))
        axes.grid(visible=False)
        scale = Normalize(top - span, top)
        picture = axes.pcolormesh(
            azimuth,
            elevation,
            np.maximum(level, top - span),
            cmap=SHORE,
            norm=scale,
            shading="gouraud",
            rasterized=True,
        )
        rings = [top - d for d in (12.0, 9.0, 6.0, 3.0)]
        lines = axes.contour(azimuth, elevation, level, levels=rings, colors=INK, linewidths=0.9, linestyles="-")
        axes.clabel(lines, fmt={r: f"−{top - r:.0f} dB" for r in rings}, fontsize=8)
        axes.plot(x, y, "o", markersize=9, markerfacecolor="none", markeredgecolor=INK, markeredgewidth=2)
        side = "left" if x < 90.0 else "right"
        axes.annotate(
            f"peak {top:.2f} dBi", (x, y), xytext=(12 if side == "left" else -12, 10 if y < 80 else -16), ha=side,
            textcoords="offset points", fontsize=10, fontweight="bold", color=INK,
            bbox={"facecolor": PAPER, "edgecolor": "none", "alpha": 0.75, "pad": 1.5},
        )  # fmt: skip
        bar = figure.colorbar(picture, ax=axes, shrink=0.85, pad=0.02)
        bar.set_label(f"{QUANTITIES[quantity]}, dBi")
        bar.outline.set_visible(False)
        axes.set_xticks(range(-180, 181, 30), [_azimuth(a) for a in range(-180, 181, 30)])
        rows = range(0 if field.half_space else -90, 91, 15 if field.half_space else 30)
        axes.set_yticks(
            rows, [{90: "zenith", 0: "horizon", -90: "nadir"}.get(e, f"{e}°".replace("-", "−")) for e in rows]
        )
        axes.set_xlabel("azimuth, from +x towards +y")
        axes.set_ylabel("elevation")
        title = f"{field.label}: {QUANTITIES[quantity]} at {engineering(field.frequency, 'Hz', 6)}, every direction"
        heading(
            figure,
            title,
            "contours: 3, 6, 9, 12 dB below the peak" + (f"; {field.below}" if field.half_space else ""),
        )
    return figure


def _azimuth(angle: int) -> str:
    return {0: "0°\n+x", 90: "90°\n+y", -90: "−90°\n−y", 180: "180°\n−x", -180: "−180°\n−x"}.get(
        angle, f"{angle}°".replace("-", "−")
    )
