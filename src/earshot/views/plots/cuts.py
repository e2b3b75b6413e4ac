"""Cuts through far fields, on polar and on straight axes."""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Rectangle
from matplotlib.projections.polar import PolarAxes

from ...answers.driven import Driven
from ...arraytypes import Floats
from ...errors import UsageError
from ...fields.far import FarField
from ...units import engineering
from .aside import FEW, Entry, list_aside, make_room
from .style import FAINT, LINES, SOFT, flat_axes, heading, legend_above, look, pen, sheet
from .subjects import fields_of

if TYPE_CHECKING:
    import xarray as xr

QUANTITIES = {
    "gain": "gain",
    "directivity": "directivity",
    "realized_gain": "realized gain",
    "gain_theta": "gain, vertical polarisation (θ)",
    "gain_phi": "gain, horizontal polarisation (φ)",
    "gain_rhcp": "gain, right-hand circular",
    "gain_lhcp": "gain, left-hand circular",
    "gain_co": "gain, co-polar",
    "gain_cross": "gain, cross-polar",
    "eirp": "EIRP",
}
"""What may be drawn, and what it is called."""


@dataclass(frozen=True, slots=True)
class _Curve:
    """One cut, ready to draw: angles in degrees, levels in dBi (NaN below a plane), what the angle is, and whose it is.

    whose: empty of a lone field. cut: what it is of it, where several fields are cut alike. unit: of levels.
    """

    label: str
    angle: Floats
    level: Floats
    kind: str
    colour: str
    dash: object
    whose: str = ""
    cut: str = ""
    unit: str = "dBi"


MOST_SMALL = 12
"""How many small pictures `multiples` draws."""

Fields = FarField | Driven | Sequence[FarField | Driven]
Angles = str | float | Sequence[str | float] | None


def _several(angles: Angles) -> Sequence[str | float]:
    return () if angles is None else (angles,) if isinstance(angles, str | int | float) else angles


def _cuts(field: FarField, planes: Sequence[str], elevation: Angles, azimuth: Angles) -> list[tuple[str, xr.Dataset]]:
    if not (planes or _several(elevation) or _several(azimuth)):
        planes = ("E", "H")
    # So fine that the tips of lobes are round.
    step = max(min(float(np.degrees(field.step)), 1.0) / 4.0, 0.05)
    cuts = [(f"{plane}-plane", field.cut(plane, step=step)) for plane in planes]
    others = [field.cut(elevation=e, step=step) for e in _several(elevation)]
    others += [field.cut(azimuth=a, step=step) for a in _several(azimuth)]
    return cuts + [(str(cut.attrs["cut"]), cut) for cut in others]


def _curves(
    fields: Sequence[FarField],
    planes: Sequence[str],
    elevation: Angles,
    azimuth: Angles,
    quantities: Sequence[str],
    labels: Sequence[str] | None,
) -> list[_Curve]:
    for quantity in quantities:
        if quantity not in QUANTITIES:
            raise UsageError(f"quantity '{quantity}' is not one of {', '.join(QUANTITIES)}")
    if "eirp" in quantities and len(set(quantities)) > 1:
        raise UsageError("quantity 'eirp' is in dBW, others in dBi: draw it by itself")
    if labels is not None and len(labels) != len(fields):
        raise UsageError(f"{len(fields)} far fields but {len(labels)} labels: give one each")
    found: list[_Curve] = []
    for n, field in enumerate(fields):
        whose = [labels[n]] if labels else [_name(field, fields)] if len(fields) > 1 else []
        for label, cut in _cuts(field, planes, elevation, azimuth):
            for quantity in quantities:
                level = cut[quantity].values
                if field.half_space:
                    level = np.where(cut.theta.values <= 90.0 + 1e-9, level, np.nan)
                what = [QUANTITIES[quantity].removeprefix("gain, ")] if len(quantities) > 1 else []
                angle, kind = _upward(cut) if field.half_space else (cut.angle.values, str(cut.attrs["angle"]))
                words = ", ".join([*whose, label, *what])
                order = np.argsort(angle, kind="stable")
                own = _Curve(words, angle[order], level[order], kind, *pen(len(found)), ", ".join(whose))
                found.append(replace(own, unit=str(cut[quantity].attrs["units"])))
    return _by_field(found) if len(fields) > 1 else found


def _alike(curves: Sequence[_Curve]) -> list[_Curve]:
    """Curves of several fields without what all of them are: that is told once."""
    cuts = {c.label.removeprefix(f"{c.whose}, ") for c in curves}
    if len(cuts) > 1 or not all(c.whose for c in curves):
        return list(curves)
    return [replace(c, label=c.whose, cut=next(iter(cuts))) for c in curves]


def _by_field(curves: Sequence[_Curve]) -> list[_Curve]:
    """Curves of several fields that have one cut of each kind: one pen for each field, whatever the kind."""
    if len({(c.whose, c.kind) for c in curves}) < len(curves):
        return list(curves)
    names, curves = list(dict.fromkeys(c.whose for c in curves)), _alike(curves)
    pens = [pen(names.index(c.whose)) for c in curves]
    return [replace(c, colour=colour, dash=dash) for c, (colour, dash) in zip(curves, pens, strict=True)]


def _listed(curves: Sequence[_Curve]) -> list[Entry]:
    """Curves by their greatest level, those of one pen together."""
    ranked = sorted(curves, key=lambda c: -float(np.nanmax(c.level)))
    entries: dict[tuple[str, str], list[_Curve]] = {}
    for one in ranked:
        entries.setdefault((one.colour, str(one.dash)), []).append(one)
    return [
        Entry(one.colour, one.dash, f"{one.label}, {np.nanmax(one.level):.2f} {one.unit}")
        if len(own) == 1
        else Entry(one.colour, one.dash, one.whose,
                   [f"{c.label.removeprefix(c.whose + ', ')}: {np.nanmax(c.level):.2f} {c.unit}" for c in own])
        for own in entries.values() for one in own[:1]
    ]  # fmt: skip


def _upward(cut: xr.Dataset) -> tuple[Floats, str]:
    """Angles of a cut over a plane, and what they are: those from the peak become angles from where the cut is highest.

    So broadside of a board, or the zenith, is up; a beam steered within the cut leans over.
    """
    angle, kind = cut.angle.values, str(cut.attrs["angle"])
    if kind != "angle from the peak":
        return angle, kind
    height = np.cos(np.radians(cut.theta.values))
    here, aside = (float(np.interp(at, angle, height)) for at in (0.0, 90.0))
    turned = np.mod(angle - np.degrees(np.arctan2(aside, here)) + 180.0, 360.0) - 180.0
    return turned, _TOP


def _name(field: FarField, fields: Sequence[FarField]) -> str:
    """What tells a field from the others: its label, or else its frequency."""
    alike = len({f.label for f in fields}) < len(fields)
    return engineering(field.frequency, "Hz", 6) if alike else field.label


def _rim(curves: Sequence[_Curve]) -> float:
    """The next multiple of 3 dB above everything drawn."""
    return float(np.ceil(max(np.nanmax(c.level) for c in curves) / 3.0 + 1e-9) * 3.0)


_TOP = "angle from the top of the cut"
_HALF = (_TOP, "elevation")
"""Kinds of cuts of which half a circle is to be seen over a plane."""
_MEANINGS = {
    "angle from the peak": "E-, H-plane: angle from the peak",
    _TOP: "E-, H-plane: angle from where the cut is highest, which is straight up where it passes there",
    "elevation": "elevation: above the horizon, past 90° on the far side",
    "azimuth": "azimuth: from +x towards +y",
}
_COMPASS = {
    "angle from the peak": {0: "0°\npeak", 180: "180°\nback"},
    _TOP: {0: "90°", 90: "0° top", 180: "−90°"},
    "elevation": {0: "0°\nhorizon", 90: "90° zenith", 180: "180°\nhorizon", 270: "−90° nadir"},
    "azimuth": {0: "0°\n+x", 90: "90° +y", 180: "180°\n−x", 270: "270° −y"},
}


def _head(
    figure: Figure, fields: Sequence[FarField], quantities: Sequence[str], curves: Sequence[_Curve], remark: str = "",
    title: str = "",
) -> None:  # fmt: skip
    notes = [_MEANINGS[kind] for kind in dict.fromkeys(c.kind for c in curves)]
    notes = [*(cut for cut in {c.cut: None for c in curves} if cut), *notes]
    notes += list(dict.fromkeys(f.below for f in fields if f.half_space))[:2]
    notes += [remark] if remark else []
    what = QUANTITIES[quantities[0]] if len(quantities) == 1 else "gain by polarisation"
    frequencies = sorted({f.frequency for f in fields})
    places = [engineering(f, "Hz", 6) for f in frequencies]
    where = f" at {places[0]}" if len(places) == 1 else f", {places[0]} to {places[-1]}"
    names = list(dict.fromkeys(f.label for f in fields))
    title = title or (names[0] if len(names) == 1 else "")
    heading(figure, (f"{title}: " if title else "") + what + where, "; ".join(notes))


def _harmonic(below: Floats) -> Floats:
    """The compressed radial scale: 1/(1 + dB/12). Half way to the middle is 12 dB down, a third is left at 24 dB."""
    return np.asarray(1.0 / (1.0 + np.maximum(below, 0.0) / 12.0))


_RINGS = (0.0, 3.0, 6.0, 12.0, 24.0, 48.0)


def polar(
    field: Fields,
    *planes: str,
    elevation: Angles = None,
    azimuth: Angles = None,
    quantity: str | Sequence[str] = "gain",
    scale: str = "dB",
    span: float = 30.0,
    labels: Sequence[str] | None = None,
) -> Figure:
    """Cuts on polar axes: planes "E", "H" (both unless something is named), elevations, azimuths.

    field: one, or several to lie over one another. Cuts that share an angle share a circle. quantity: "gain",
    "directivity", "realized_gain", or gain by polarisation ("gain_co", "gain_cross", "gain_rhcp", ...), or several.
    scale: "dB", with span decibels from rim to middle, or "compressed", which draws a level L dB below the rim at 1/(1
    + L/12) of the radius, so that nothing is cut off and the main lobe stays large. Raises UsageError for a quantity,
    scale or plane there is not.
    """
    fields, quantities = fields_of(field), [quantity] if isinstance(quantity, str) else list(quantity)
    if scale not in ("dB", "compressed"):
        raise UsageError(f"polar: scale '{scale}' is not 'dB' or 'compressed'")
    curves = _curves(fields, planes, elevation, azimuth, quantities, labels)
    rim, unit = _rim(curves), curves[0].unit
    radius: Callable[[Floats], Floats]
    if scale == "compressed":
        rim = max(float(np.nanmax(c.level)) for c in curves)
        rings = {float(_harmonic(np.array(r))): f"{-r:g} dB" if r else f"{rim:.1f} {unit}" for r in _RINGS}
        radius, remark = lambda level: _harmonic(rim - level), "radius 1/(1 + L/12) for L dB below the rim"
    else:
        rings = {1.0 - (rim - r) / span: f"{r:g} {unit}" for r in np.arange(rim - span + 6.0, rim + 0.1, 6.0)}
        radius, remark = lambda level: np.maximum(1.0 - (rim - level) / span, 0.0), ""
    kinds = list(dict.fromkeys(c.kind for c in curves))
    with look():
        figure = sheet()
        many = _crowded(curves)
        for i, kind in enumerate(kinds):
            width = (_ROOM if many else 1.0) / len(kinds)
            own = [c for c in curves if c.kind == kind]
            half = kind in _HALF and all(f.half_space for f in fields)
            place = (i * width + 0.13 * width, 0.1, 0.70 * width, 0.68 - 0.035 * max(len(own) - 2, 0))
            if many:
                share = 0.68 if len(kinds) == 1 else 0.6
                place = ((i + 0.5 - 0.5 * share) * width, 0.12, share * width, 0.74)
            if half and len(kinds) == 1:
                # Only the middle half of the square is used: it may be as wide as the sheet.
                wide = 0.54 if many else 0.76
                place = (width / 2.0 - wide / 2.0, 0.13 - 0.4 * wide, wide, 1.6 * wide)
            axes = figure.add_axes(place, projection="polar")
            assert isinstance(axes, PolarAxes)
            _circle(axes, own, radius, rings, named=not many, half=half)
            if half:
                _upper_half(axes, rings)
        if many:
            list_aside(figure, _listed(curves))
        _head(figure, fields, quantities, curves, remark)
    return figure


_ROOM = 0.72
"""Of the width, beside a list."""


def _crowded(curves: Sequence[_Curve]) -> bool:
    """Whether a list beside the drawing names them better than legends would."""
    by_kind = [sum(c.kind == kind for c in curves) for kind in {c.kind for c in curves}]
    return max(by_kind) > FEW or (len(by_kind) > 1 and max(len(c.label) for c in curves) > _LONGEST)


_LONGEST = 24
"""Letters of a name that a legend over one of two drawings has room for."""


def _circle(
    axes: PolarAxes, curves: Sequence[_Curve], radius: Callable[[Floats], Floats], rings: dict[float, str],
    *, named: bool, half: bool,
) -> None:  # fmt: skip
    for curve in curves:
        turn = np.radians(90.0 - curve.angle if curve.kind == _TOP else curve.angle)
        reach = radius(curve.level)
        label = f"{curve.label}, most {np.nanmax(curve.level):.2f} {curve.unit}"
        axes.plot(turn, reach, color=curve.colour, linestyle=curve.dash, label=label)
        if len(curves) < 4:
            axes.fill(turn, np.nan_to_num(reach, nan=0.0), alpha=0.10, color=curve.colour)
    axes.set_rlim(0.0, 1.0)
    axes.set_rgrids(list(rings), list(rings.values()), angle=105.0, fontsize=8, color=FAINT)
    for text in axes.get_yticklabels():
        text.set_bbox(SOFT)
    kind = curves[0].kind
    words = _COMPASS[kind]
    turns = range(0, 181 if half else 360, 30)
    signed = [90 - a if kind == _TOP else a if a <= 180 or kind == "azimuth" else a - 360 for a in turns]
    axes.set_thetagrids(turns, [words.get(a, f"{s}°".replace("-", "−")) for a, s in zip(turns, signed, strict=True)])
    axes.tick_params(axis="x", pad=5)
    for degrees, text in zip(turns, axes.get_xticklabels(), strict=True):
        # Outwards from the rim, whatever their width.
        across = float(np.cos(np.radians(degrees)))
        text.set_horizontalalignment("left" if across > 0.1 else "right" if across < -0.1 else "center")
    axes.spines["polar"].set_color(FAINT)
    if named:
        axes.legend(loc="lower center", bbox_to_anchor=(0.5, 1.11), fontsize=10)


def _upper_half(axes: PolarAxes, rings: dict[float, str]) -> None:
    """Half a circle, its rings named inside, and what lies below as a hatched strip."""
    axes.set_thetamin(0.0)
    axes.set_thetamax(180.0)
    axes.set_yticklabels([])
    for place, words in rings.items():
        axes.text(np.radians(105.0), place, words, fontsize=8, color=FAINT, ha="center", va="center", bbox=SOFT)
    # Half a circle stands in the middle of the square the whole would take.
    strip = Rectangle(
        (0.0, 0.2), 1.0, 0.05, transform=axes.transAxes, clip_on=False, facecolor="none", edgecolor=FAINT,
        hatch="////", linewidth=0.0,
    )  # fmt: skip
    axes.add_patch(strip)
    if axes.get_legend() is not None:
        count = len(axes.get_legend_handles_labels()[1])
        columns = 1 if count < 3 else 2 if count < 5 else 3
        axes.legend(loc="lower center", bbox_to_anchor=(0.5, 0.825), ncols=columns, fontsize=10)


def multiples(
    field: Sequence[FarField | Driven],
    *planes: str,
    elevation: Angles = None,
    azimuth: Angles = None,
    quantity: str = "gain",
    span: float = 30.0,
    labels: Sequence[str] | None = None,
) -> Figure:
    """One cut of several fields, one small picture each, on the same rings: a study of heights, say.

    The upright cut through azimuth 0 unless one is named. Raises UsageError for several cuts, for a quantity there is
    not, and for more than twelve fields.
    """
    fields = fields_of(field)
    if not planes and elevation is None and azimuth is None:
        azimuth = "0 deg"
    if len(planes) + len(_several(elevation)) + len(_several(azimuth)) != 1:
        raise UsageError("multiples: name one cut")
    if len(fields) > MOST_SMALL:
        raise UsageError(f"multiples: {len(fields)} fields; a sheet has room for {MOST_SMALL}")
    curves = _curves(fields, planes, elevation, azimuth, [quantity], labels)
    rim = _rim(curves)
    rings = {1.0 - (rim - r) / span: f"{r:g}" for r in np.arange(rim - span + 12.0, rim + 0.1, 12.0)}
    across = min(len(curves), 3 if len(curves) < 10 else 4)
    down = -(-len(curves) // across)
    with look():
        figure = sheet()
        for n, (one, curve) in enumerate(zip(fields, curves, strict=True)):
            row, column = divmod(n, across)
            # Half a circle takes the middle half of its square.
            lower, tall = 0.09 + 0.80 * (down - 1 - row) / down, 0.80 / down
            height = tall * (1.24 if one.half_space else 0.62)
            foot = lower + 0.1 * tall - (0.25 * height if one.half_space else 0.0)
            axes = figure.add_axes((0.03 + 0.94 * column / across, foot, 0.94 / across, height), projection="polar")
            assert isinstance(axes, PolarAxes)
            turn, reach = np.radians(curve.angle), np.maximum(1.0 - (rim - curve.level) / span, 0.0)
            axes.plot(turn, reach, color=LINES[0], linestyle="-", linewidth=1.5)
            axes.fill(turn, np.nan_to_num(reach, nan=0.0), alpha=0.10, color=LINES[0])
            axes.set_rlim(0.0, 1.0)
            axes.set_rgrids(list(rings), [""] * len(rings))
            axes.set_thetagrids(range(0, 360, 30), [""] * 12)
            axes.spines["polar"].set_color(FAINT)
            if one.half_space:
                _upper_half(axes, rings)
            best = int(np.nanargmax(curve.level))
            name = textwrap.fill(curve.label, int(110 / across))
            words = f"{name}\n{curve.level[best]:.2f} {curve.unit} at {curve.angle[best]:.0f}°"
            figure.text(0.03 + 0.94 * (column + 0.5) / across, lower + 0.95 * tall, words, ha="center", va="top",
                        fontsize=10)  # fmt: skip
        remark = f"rings in {curves[0].unit}, outermost {rim:g}"
        _head(figure, fields, [quantity], curves, remark)
    return figure


def _within_half_turns(curve: _Curve) -> tuple[Floats, Floats]:
    """Angles from -180 to 180, on one axis with other cuts', and levels: a cut that goes beyond is cut open at 180."""
    beyond = curve.angle > 180.0 + 1e-9
    if not beyond.any():
        return curve.angle, curve.level
    # What stands where it is cut open belongs to both ends.
    seam = [float(np.interp(180.0, curve.angle, curve.level))]
    angle = np.concatenate([[-180.0], curve.angle[beyond] - 360.0, curve.angle[~beyond], [180.0]])
    level = np.concatenate([seam, curve.level[beyond], curve.level[~beyond], seam])
    # A whole turn has its first direction twice.
    once = np.concatenate([np.diff(angle) > 1e-9, [True]])
    return angle[once], level[once]


def cartesian(
    field: Fields,
    *planes: str,
    elevation: Angles = None,
    azimuth: Angles = None,
    quantity: str | Sequence[str] = "gain",
    span: float = 40.0,
    labels: Sequence[str] | None = None,
    title: str = "",
) -> Figure:
    """The same cuts on straight axes: level in dBi over angle, one curve per cut, span decibels high.

    title: what all are of, when they have several names.

    Raises UsageError for a quantity or a plane there is not.
    """
    fields, quantities = fields_of(field), [quantity] if isinstance(quantity, str) else list(quantity)
    curves = _curves(fields, planes, elevation, azimuth, quantities, labels)
    rim = _rim(curves)
    with look():
        figure = sheet()
        kinds, many, drawn = list(dict.fromkeys(c.kind for c in curves)), _crowded(curves), []
        close = _close_up(curves) if len(kinds) == 1 else None
        # What is drawn side by side: each kind of angle, or a sharp beam close up and then all round.
        views = [(kind, None) for kind in kinds] if close is None else [(kinds[0], close), (kinds[0], None)]
        over = all(f.half_space for f in fields)
        for i, (kind, window) in enumerate(views):
            axes = flat_axes(figure)
            whole, share = axes.get_position(), 1.0 / len(views)
            room = share * whole.width * (1.0 if i + 1 == len(views) else 0.88)
            axes.set_position((whole.x0 + i * share * whole.width, whole.y0, room, whole.height))
            for curve in (c for c in curves if c.kind == kind):
                angle, level = _within_half_turns(curve)
                axes.plot(angle, level, color=curve.colour, linestyle=curve.dash, label=curve.label)
            axes.set_ylim(rim - span, rim)
            least, most = (-90, 90) if kind == _TOP else (0 if kind == "elevation" and over else -180, 180)
            if window is None:
                axes.set_xlim(least, most)
                axes.set_xticks(range(least, most + 1, 30 if len(views) == 1 or most <= 90 else 90 if many else 60))
            else:
                axes.set_xlim(*window)
            axes.set_xlabel(f"{kind}, degrees")
            if i == 0:
                axes.set_ylabel(f"{QUANTITIES[quantities[0]] if len(quantities) == 1 else 'gain'}, {curves[0].unit}")
            else:
                axes.set_yticklabels([])
            drawn.append(axes)
            if not many and (window is None or len(views) == 1):
                legend_above(axes)
        if many:
            make_room(drawn)
            list_aside(figure, _listed(curves))
        else:
            _level_with(drawn)
        _head(figure, fields, quantities, curves, title=title)
    return figure


_SHARP, _FURTHEST = 12.0, 45.0
"""Degrees: beams as narrow as this are drawn close up too, where their tips are within so many of one another."""


def _close_up(curves: Sequence[_Curve]) -> tuple[float, float] | None:
    """From which angle to which sharp beams are seen close up; none where there are none."""
    places, widths = [], []
    for curve in curves:
        angle, level = _within_half_turns(curve)
        top = int(np.nanargmax(level))
        low = np.flatnonzero(~(level > level[top] - 3.0))
        left, right = low[low < top], low[low > top]
        widths.append(angle[right.min() if len(right) else -1] - angle[left.max() if len(left) else 0])
        places.append(float(angle[top]))
    if min(widths) > _SHARP or max(places) - min(places) > _FURTHEST:
        return None
    aside = 2.5 * float(np.median(widths))
    return min(places) - aside, max(places) + aside


def _level_with(axes: Sequence[Axes]) -> None:
    """Drawings side by side are as tall as the least of them, which made room for its legend."""
    least = min(a.get_position().height for a in axes)
    for one in axes:
        place = one.get_position()
        one.set_position((place.x0, place.y0, place.width, least))
