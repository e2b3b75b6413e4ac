"""Several answers side by side."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np

from .. import units
from ..errors import UsageError, needs
from ..network.elements import Impedance
from ..network.feed import inputs_of
from ..network.figures import return_loss_of, vswr_of
from ..network.flow import Flow
from ..network.network import Network
from ..network.trace import Trace
from .cases import Drive
from .driven import Driven
from .solution import Solution

if TYPE_CHECKING:
    import pandas as pd

Model = Solution | Network | Trace


def compare(
    models: Mapping[str, Model],
    sources: Drive = None,
    frequency: str | float | None = None,
    *,
    terminations: Mapping[str, Impedance | complex] | None = None,
    sectors: Mapping[str, tuple[Sequence[float], str | float]] | None = None,
) -> pd.DataFrame:
    """Every figure of several solutions, networks or measured traces, a row per figure and a column per model.

    sources, terminations: the drive, as for `Solution.drive`. frequency: where; may be left out when every solution has
    but one. sectors: a direction and a half angle, by name, in which gain is told. What a model does not have is
    missing. The first column is the unit. Raises UsageError for no models, and as `Solution.drive` does.
    """
    import pandas as pd

    if not isinstance(models, Mapping) or not models:
        raise UsageError("compare: nothing to compare: give at least one model by name, as {'as built': solution}")
    for label, model in models.items():
        needs(model, Solution | Network | Trace, f"compare '{label}'", "a Solution, a Network or a Trace")
    hertz = _frequency(models, frequency)
    columns: dict[str, dict[str, float]] = {}
    unit: dict[str, str] = {}
    for label, model in models.items():
        columns[label] = {}
        network = model.network if isinstance(model, Solution) else model
        for name, value, of in _port_figures(network, hertz):
            columns[label][name], unit[name] = value, of
        if isinstance(model, Solution):
            driven = model.drive(sources, hertz, terminations=terminations)
            field = driven.far_field()
            summary = field.summary()
            for figure, row in summary.iterrows():
                columns[label][str(figure)] = math.nan if row["value"] is None else float(row["value"])
                unit[str(figure)] = str(row["unit"])
            own = columns[label]
            own["mismatch loss"], unit["mismatch loss"] = own["gain"] - own["realized gain"], "dB"
            own["total efficiency"], unit["total efficiency"] = own["power radiated"] / driven.incident, "1"
            if driven.heard is not None:
                level = own["gain"] + 10.0 * math.log10(driven.accepted)
                own["noise"], unit["noise"] = driven.heard.noise, "K"
                own["G/T"], unit["G/T"] = level - 10.0 * math.log10(driven.heard.noise), "dB/K"
            if driven.feed is not None:
                for name, value, of in _fed_figures(driven, own["gain"]):
                    own[name], unit[name] = value, of
            for name, sector in (sectors or {}).items():
                for which, gain in field.sector(*sector).items():
                    own[f"sector {name}, {which}"], unit[f"sector {name}, {which}"] = gain, "dBi"
    table = pd.DataFrame(columns, index=list(unit))
    table.insert(0, "unit", pd.Series(unit))
    return table.rename_axis("figure")


def match_of_inputs(flow: Flow) -> Iterator[tuple[str, float, str]]:
    """R, X, VSWR and return loss of every input of a circuit that is driven, with all others driven as they are."""
    for name, row in inputs_of(flow).iterrows():
        z, back = complex(row["impedance_ohm"]), row["returned_W"].real / row["sent_W"].real
        yield f"R at {name}", z.real, "ohm"
        yield f"X at {name}", z.imag, "ohm"
        yield f"VSWR at {name}", row["vswr"].real, "1"
        yield f"return loss at {name}", -10.0 * math.log10(max(back, 1e-30)), "dB"


def _fed_figures(driven: Driven, gain: float) -> Iterator[tuple[str, float, str]]:
    """Of an antenna fed through a circuit: the match of every input as it is driven, and what is sent at most."""
    assert driven.feed is not None
    yield from match_of_inputs(driven.feed)
    eirp = gain + 10.0 * math.log10(driven.accepted)
    yield "EIRP", eirp, "dBW"
    yield "EIRP over power sent", eirp - 10.0 * math.log10(driven.feed.power_sent), "dB"


def _frequency(models: Mapping[str, Model], frequency: str | float | None) -> float:
    if frequency is not None:
        return units.frequency(frequency)
    several = {f for m in models.values() for f in m.frequencies.tolist()}
    if len(several) > 1:
        raise UsageError("compare: the models have several frequencies: say which one, such as frequency='150.1 MHz'")
    return float(several.pop())


def match_at(network: Network, hertz: float) -> dict[str, float]:
    """R, X, VSWR and return loss of every port at a frequency that was solved."""
    found: dict[str, float] = {}
    n = int(np.abs(network.frequencies - hertz).argmin())
    for port, z, z0 in zip(network.ports, network.impedances[n].tolist(), network.references.tolist(), strict=True):
        whose = f" at {port}" if len(network.ports) > 1 else ""
        back = abs((z - z0.conjugate()) / (z + z0))
        found |= {f"R{whose}": z.real, f"X{whose}": z.imag,
                  f"VSWR{whose}": (1.0 + back) / max(1.0 - back, 1e-12),
                  f"return loss{whose}": -20.0 * math.log10(max(back, 1e-15))}  # fmt: skip
    return found


def _port_figures(network: Network | Trace, hertz: float) -> list[tuple[str, float, str]]:
    """Impedance and match of every port at a frequency, and over the band its resonance and bandwidth nearest to it."""
    rows = []
    for p, port in enumerate(network.ports):
        # A lone port needs no name; a trace's is only what it was measured with.
        whose = f" at {port}" if len(network.ports) > 1 else ""
        if isinstance(network, Network):
            z = _between(network, network.impedances[:, p], hertz)
            rows += [(f"R{whose}", z.real, "ohm"), (f"X{whose}", z.imag, "ohm")]
        back = network.magnitudes[:, p]
        rows.append((f"VSWR{whose}", _between(network, vswr_of(back), hertz).real, "1"))
        rows.append((f"return loss{whose}", _between(network, return_loss_of(back), hertz).real, "dB"))
        if isinstance(network, Network):
            places = network.resonances(port)["frequency_Hz"].to_numpy(float)
            if len(places):
                nearest = float(places[np.abs(places - hertz).argmin()])
                rows.append((f"nearest resonance{whose}", nearest / 1e6, "MHz"))
                q = network.resonances(port)["Q"].to_numpy(float)
                rows.append((f"Q{whose}", float(q[np.abs(places - hertz).argmin()]), "1"))
        bands = network.bandwidth(vswr=2.0) if isinstance(network, Trace) else network.bandwidth(port, vswr=2.0)
        if len(bands):
            middles = 0.5 * (bands["from_Hz"] + bands["to_Hz"]).to_numpy(float)
            band = bands.iloc[int(np.abs(middles - hertz).argmin())]
            rows.append((f"VSWR within 2 from{whose}", band["from_Hz"] / 1e6, "MHz"))
            rows.append((f"VSWR within 2 to{whose}", band["to_Hz"] / 1e6, "MHz"))
            rows.append((f"bandwidth{whose}", band["width_percent"], "%"))
    return rows


def _between(network: Network | Trace, values: np.ndarray, hertz: float) -> complex:
    """A value between the samples of a band, by a cubic spline where there are enough; missing anywhere else."""
    places = network.frequencies
    nearest = int(np.abs(places - hertz).argmin())
    if abs(places[nearest] - hertz) <= 1e-9 * hertz:
        return complex(values[nearest])
    within = (s for s in network.stretches if places[s[0]] <= hertz <= places[s[-1]])
    some = next(within, None)
    if some is None:
        return complex(math.nan, math.nan)
    places, values = places[some], values[some]
    if len(places) < 4:
        return complex(np.interp(hertz, places, values))
    from scipy.interpolate import CubicSpline

    return complex(CubicSpline(places, values)(hertz))
