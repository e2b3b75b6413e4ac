"""Two networks beside one another: levels of both, and by how much their phases are apart."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from matplotlib.figure import Figure

from ...network.differences import differences
from ...network.network import Network
from .bands import scale_of
from .style import LINES, heading, legend_above, look, sheet

_FLOOR = -60.0


def beside(
    one: Network, other: Network, *pairs: tuple[str, str], labels: Sequence[str] = ("one", "other"), title: str = ""
) -> Figure:
    """|S| of two networks in dB, the first full, the second dashed, and below how far the first is ahead in phase.

    pairs: (to, from) of the first's ports, all in one direction unless named. Raises UsageError as `differences` does.
    """
    table = differences(one, other)
    ports = one.ports
    chosen = list(pairs) or [(a, b) for i, a in enumerate(ports) for b in ports[: i + 1]]
    places = np.unique(table.index.get_level_values("frequency_Hz").to_numpy(float))
    scale, unit = scale_of(places)
    with look():
        figure = sheet()
        upper = figure.add_axes((0.085, 0.44, 0.885, 0.44))
        lower = figure.add_axes((0.085, 0.145, 0.885, 0.25), sharex=upper)
        for n, (to, by) in enumerate(chosen):
            rows = table.xs((to, by), level=("to", "from"))
            colour, x = LINES[n % len(LINES)], rows.index.to_numpy(float) / scale
            name = f"{by} to {to}" if to != by else f"reflection at {to}"
            for column, dash, of in (("first_dB", "-", labels[0]), ("second_dB", (0, (5, 2)), labels[1])):
                upper.plot(x, np.maximum(rows[column], _FLOOR), color=colour, linestyle=dash, label=f"{name}, {of}",
                           marker="o", markersize=4)  # fmt: skip
            # Of what is hardly there the phase is noise.
            there = np.minimum(rows["first_dB"], rows["second_dB"]) > _FLOOR
            seen = rows["ahead_deg"].where(there)
            lower.plot(x, seen, color=colour, linestyle="-", marker="o", markersize=4)
        upper.set_ylabel("|S|, dB")
        upper.tick_params(labelbottom=False)
        lower.set_ylabel("phase ahead, deg", fontsize=10)
        lower.set_xlabel(f"frequency, {unit}")
        legend_above(upper)
        heading(figure, title or f"{labels[0]} beside {labels[1]}",
                f"phase: {labels[0]} against {labels[1]}; references {one.references[0].real:g} ohm")  # fmt: skip
    return figure
