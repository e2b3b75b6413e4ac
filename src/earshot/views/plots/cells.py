"""Figures of arrays without end."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Circle

from ...arraytypes import Floats
from ...cells.guides import guided_by
from ...cells.panel import Beside
from ...cells.scan import CellScan
from ...cells.surface import POLARISATIONS, Surface
from ...constants import wavelength, wavenumber
from ...units import engineering
from .bands import scale_of
from .beams import over_directions
from .style import DASHES, FAINT, INK, LINES, SHORE, heading, legend_above, look, pen, sheet

_DEEPEST = -40.0


def _signed(scan: CellScan) -> Floats:
    """θ along a line through broadside, degrees, below zero before it; else from its start."""
    theta, _ = _angles(scan)
    way = scan.uv[-1] - scan.uv[0]
    sense = np.sign(scan.uv @ way)
    return np.where(sense < 0.0, -theta, theta)


def _angles(scan: CellScan) -> tuple[Floats, Floats]:
    from ...cells.directions import angles

    return angles(scan.uv)


def _two_axes(figure: Figure) -> tuple[Axes, Axes]:
    upper = figure.add_axes((0.085, 0.53, 0.885, 0.35))
    return upper, figure.add_axes((0.085, 0.125, 0.885, 0.35), sharex=upper)


def cell_scan(
    *scans: CellScan, labels: Sequence[str] = (), blind: Sequence[pd.DataFrame] = (), title: str = "", port: str = ""
) -> Figure:
    """Active reflection and an element's gain against the scan's angle, a curve for each cut through broadside.

    labels: of the cuts. blind: of each, as `cells.blind` gives it; marked. port: the one that is fed.
    """
    name = port or scans[0].ports[0]
    with look():
        figure = sheet()
        upper, lower = _two_axes(figure)
        for n, scan in enumerate(scans):
            fed = {name: 1.0 + 0j}
            table, angle = scan.table(fed), _signed(scan)
            colour, dash = pen(n)
            label = labels[n] if labels else f"cut {n + 1}"
            upper.plot(angle, np.maximum(table["reflection_dB"], _DEEPEST), color=colour, linestyle=dash, label=label)
            lower.plot(angle, table["element_gain_dBi"], color=colour, linestyle=dash)
            for u, v, theta in [] if n >= len(blind) else blind[n][["u", "v", "theta_deg"]].to_numpy(float):
                sign = 1.0 if np.dot([u, v], scan.uv[-1] - scan.uv[0]) >= 0.0 else -1.0
                upper.plot([sign * theta], [0.0], marker="v", color=colour, markersize=9, clip_on=False,
                           linestyle="none", zorder=5)  # fmt: skip
        widest = max(float(np.nanmax(np.abs(_signed(s)))) for s in scans)
        first = min(float(np.nanmin(_signed(s))) for s in scans)
        angle = np.linspace(first, widest, 181)
        hertz, area = float(scans[0].frequencies[0]), scans[0].cell.lattice.area
        most = 4.0 * math.pi * area * np.cos(np.radians(angle)) / wavelength(hertz) ** 2
        lower.plot(angle, 10.0 * np.log10(np.maximum(most, 1e-6)), color=FAINT, linestyle=DASHES[2], linewidth=1.4,
                   label="4πA cos θ/λ²")  # fmt: skip
        upper.axhline(-9.5424, color=FAINT, linewidth=0.9, linestyle=DASHES[2])
        upper.annotate("VSWR 2", (0.5, -9.5424), xycoords=("axes fraction", "data"), xytext=(0, 3),
                       textcoords="offset points", ha="center", fontsize=9, color=FAINT)  # fmt: skip
        lowest = min(float(np.nanmin(s.table({name: 1.0 + 0j})["reflection_dB"])) for s in scans)
        upper.set_ylim(max(5.0 * math.floor(lowest / 5.0), _DEEPEST), 1.0)
        top = float(10.0 * np.log10(most.max()))
        least = min(float(np.nanmin(s.gains({name: 1.0 + 0j}))) for s in scans)
        lower.set_ylim(max(least - 1.5, top - 30.0), top + 2.0)
        upper.set_xlim(first, widest)
        upper.tick_params(labelbottom=False)
        upper.set_ylabel("active reflection, dB")
        lower.set_ylabel("gain of an element, dBi")
        lower.set_xlabel("scan from broadside, degrees")
        lower.legend(loc="lower center")
        legend_above(upper)
        marked = sum(len(b) for b in blind)
        words = f"triangles: blind there ({marked}); " if marked else ""
        heading(
            figure, f"{title or scans[0].cell.antenna.name}: one of an array without end",
            f"{engineering(hertz, 'Hz', 6)}; {words}{sum(int(s.solved.sum()) for s in scans)} solves for "
            f"{sum(len(s) for s in scans)} scans; gain of one port sent 1 W, all others closed by their references",
        )  # fmt: skip
    return figure


def cell_band(scans: dict[str, CellScan], *, title: str = "", port: str = "") -> Figure:
    """Active VSWR, R and X of a cell over frequency, a curve for each scan by its name."""
    first = next(iter(scans.values()))
    name = port or first.ports[0]
    scale, unit = scale_of(first.frequencies)
    with look():
        figure = sheet()
        upper, lower = _two_axes(figure)
        for n, (words, one) in enumerate(scans.items()):
            colour, dash = pen(n)
            table, x = one.table({name: 1.0 + 0j}), one.frequencies / scale
            ohms = table["active_impedance_ohm"].to_numpy()
            upper.plot(x, np.minimum(table["vswr"], 100.0), color=colour, linestyle=dash, label=words)
            lower.plot(x, ohms.real, color=colour, linestyle=dash)
            lower.plot(x, ohms.imag, color=colour, linestyle=dash, alpha=0.5, linewidth=1.4)
        upper.axhline(2.0, color=FAINT, linewidth=0.9, linestyle=DASHES[2])
        upper.set_ylim(1.0, 6.0)
        upper.set_xlim(float(first.frequencies[0] / scale), float(first.frequencies[-1] / scale))
        upper.tick_params(labelbottom=False)
        upper.set_ylabel("active VSWR")
        lower.set_ylabel("R, and fainter X, ohm")
        lower.set_xlabel(f"frequency, {unit}")
        legend_above(upper)
        solved = sum(int(s.solved.sum()) for s in scans.values())
        heading(figure, f"{title or first.cell.antenna.name}: one of an array without end over frequency",
                f"port '{name}'; {solved} solves for {sum(len(s) for s in scans.values())} points")  # fmt: skip
    return figure


def cell_map(scan: CellScan, *, title: str = "", port: str = "") -> Figure:
    """Active reflection over all scans that are seen, as a map of u and v.

    Arcs show where a lobe begins to leave, and where a surface wave of the layers is in step with the array.
    """
    name = port or scan.ports[0]
    back = np.maximum(scan.table({name: 1.0 + 0j})["reflection_dB"].to_numpy(float), _DEEPEST)
    hertz, lattice = float(scan.frequencies[0]), scan.cell.lattice
    k = wavenumber(hertz)
    with look():
        figure = sheet()
        axes = figure.add_axes((0.06, 0.15, 0.78, 0.75))
        axes.grid(visible=False)
        low = max(5.0 * math.floor(float(back.min()) / 5.0), -30.0)
        picture = axes.tricontourf(scan.uv[:, 0], scan.uv[:, 1], back, levels=np.linspace(low, 0.0, 31), cmap=SHORE,
                                   extend="min")  # fmt: skip
        if back.min() < -9.5424 < back.max():
            axes.tricontour(scan.uv[:, 0], scan.uv[:, 1], back, levels=[-9.5424], colors=[INK], linewidths=1.2,
                            linestyles=["-"])  # fmt: skip
        rim = Circle((0, 0), 1.0, transform=axes.transData)
        circles = [(1.0, LINES[4], "-")] + [(g.index.real, LINES[2], DASHES[1]) for g in guided_by(
            scan.cell.antenna.medium, hertz)]  # fmt: skip
        drawn = [0, 0]
        for number in lattice.within(3.0 * k, reciprocal=True):
            centre = -(number @ lattice.reciprocal) / k
            for radius, colour, dash in circles:
                if not number.any() or not np.linalg.norm(centre) < 1.0 + radius:
                    continue
                arc = Circle(tuple(centre), radius, fill=False, edgecolor=colour, linestyle=dash, linewidth=1.4)
                axes.add_patch(arc)
                arc.set_clip_path(rim)
                drawn[int(radius > 1.0)] += 1
        bar = over_directions(figure, axes, picture)
        bar.set_label("active reflection, dB")
        bar.set_ticks(np.arange(low, 1.0, 5.0).tolist())
        told = ["rings: angle from broadside", "dark line: VSWR 2"]
        told += ["red arcs: beyond them a lobe leaves"] if drawn[0] else []
        told += ["dashed arcs: a surface wave is in step"] if drawn[1] else []
        heading(figure, f"{title or scan.cell.antenna.name}: active reflection at {engineering(hertz, 'Hz', 6)}",
                "; ".join(told) + f"; {len(scan)} scans")  # fmt: skip
    return figure


def cell_surface(surface: Surface, *, title: str = "") -> Figure:
    """What a cell does to plane waves over frequency: size and phase of what comes back, a curve a direction and kind.

    Where something goes through, its size is drawn fainter.
    """
    scale, unit = scale_of(surface.frequencies)
    with look():
        figure = sheet()
        upper, lower = _two_axes(figure)
        keys = sorted(set(zip(surface.theta.tolist(), surface.phi.tolist(), strict=True)))
        through, n = bool(np.abs(surface.transmission).max() > 1e-6), 0
        for theta, phi in keys:
            own = np.flatnonzero((surface.theta == theta) & (surface.phi == phi))
            own = own[np.argsort(surface.frequencies[own])]
            for column, kind in enumerate(POLARISATIONS):
                colour, dash = pen(n)
                x, back = surface.frequencies[own] / scale, surface.reflection[own, column, column]
                words = f"{kind} from θ {theta:g}°, φ {phi:g}°"
                upper.plot(x, np.abs(back), color=colour, linestyle=dash, label=words)
                lower.plot(x, np.degrees(np.unwrap(np.angle(back))), color=colour, linestyle=dash)
                if through:
                    upper.plot(x, np.abs(surface.transmission[own, column, column]), color=colour, linestyle=dash,
                               alpha=0.45, linewidth=1.4)  # fmt: skip
                n += 1
        upper.set_ylim(0.0, 1.05)
        upper.set_xlim(float(surface.frequencies.min() / scale), float(surface.frequencies.max() / scale))
        upper.tick_params(labelbottom=False)
        upper.set_ylabel("|R|, and fainter |T|" if through else "|R|")
        lower.set_ylabel("phase of R, degrees")
        lower.set_xlabel(f"frequency, {unit}")
        legend_above(upper)
        heading(figure, f"{title or surface.cell.antenna.name}: plane waves on it",
                f"R: E along the surface sent back over what arrives, at z = {engineering(surface.height, 'm', 4)}; "
                "TM: E in the plane of incidence")  # fmt: skip
    return figure


def cell_beside(beside: Beside, *, title: str = "") -> Figure:
    """The infinite array, the solved panel and one element alone, on top of one another: match and elements' gains."""
    table, scan = beside.table(), beside.scan
    angle = _signed(scan)
    curves = (
        ("without end", "cell", "cell_gain_dBi", 0),
        ("middle of the panel", "central", "central_gain_dBi", 1),
        ("its corner", "outermost", "outermost_gain_dBi", 2),
    )
    with look():
        figure = sheet()
        upper, lower = _two_axes(figure)

        def level(values: Floats) -> Floats:
            return np.asarray(20.0 * np.log10(np.maximum(np.abs(values), 1e-2)))

        for words, column, gain, n in curves:
            colour, dash = pen(n)
            upper.plot(angle, level(table[column].to_numpy()), color=colour, linestyle=dash, label=words)
            lower.plot(angle, table[gain], color=colour, linestyle=dash)
            if column != "cell":
                upper.plot(angle, level(table[f"{column}_foretold"].to_numpy()), color=colour, linewidth=1.0,
                           linestyle=":", label=f"{words}, foretold")  # fmt: skip
        upper.axhline(float(level(np.array(beside.alone))), color=FAINT, linewidth=1.4, linestyle=DASHES[4],
                      label="one alone")  # fmt: skip
        lower.plot(angle, table["alone_gain_dBi"], color=FAINT, linewidth=1.4, linestyle=DASHES[4])
        lows = [float(level(table[c].to_numpy()).min()) for _, c, _, _ in curves]
        upper.set_ylim(max(5.0 * math.floor(min(lows) / 5.0), -35.0), 1.0)
        top = float(np.nanmax(table[[g for _, _, g, _ in curves]].to_numpy()))
        lower.set_ylim(top - 20.0, top + 1.5)
        upper.set_xlim(float(np.nanmin(angle)), float(np.nanmax(angle)))
        upper.tick_params(labelbottom=False)
        upper.set_ylabel("active reflection, dB")
        lower.set_ylabel("gain of an element, dBi")
        lower.set_xlabel("scan from broadside, degrees")
        legend_above(upper)
        heading(
            figure, f"{title or scan.cell.antenna.name}: without end, and {len(beside.panel)} of it",
            f"{engineering(float(scan.frequencies[0]), 'Hz', 6)}; foretold: by couplings of the cell over the panel's "
            f"window, off by {table['error'].max():.3f} at most; gains with all other ports closed",
        )  # fmt: skip
    return figure
