"""The first screen of an array without coupling: its beams, what errors and amplifiers make of them, in a row each."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any

import numpy as np
from rich.text import Text

from ..fields.words import unsigned
from ..units import engineering
from .tables import plain_table, titled

if TYPE_CHECKING:
    import pandas as pd

    from ..arrays.trials import Trials
    from ..files.ideal_array import IdealArray

_SUMS_DIFFER = 0.5
"""dB between the plain sum and the elements' own power, from which coupling is worth a word."""
_HALF_POWER = 3.0


def beam_screen(array: IdealArray, tried: Mapping[str, Trials | None], link: pd.DataFrame | None) -> Iterator[Any]:
    """Tables of what is read first of an array's beams; what there is of errors and amplifiers."""
    first = array.beams[0].array
    apart = f", {engineering(first.layout.closest, 'm', 4)} apart" if len(first) > 1 else ""
    yield Text(f"{array.title}   {len(first)} elements without coupling{apart}; each: {first.elements[0].name}")
    yield _beams(array)
    some = {name: one for name, one in tried.items() if one is not None}
    if some:
        yield _with_errors(some)
    if link is not None:
        yield _amplified(link, array.beams[0].name)
    sums = [abs(beam.figures["plain_sum_dB"]) for beam in array.beams]
    if max(sums) > _SUMS_DIFFER:
        yield Text(
            f"The elements' fields together hold up to {max(sums):.1f} dB more or less than each alone:\n"
            "they disturb one another, and earshot solve takes that in.",
            style="dim",
        )


def _beams(array: IdealArray) -> Any:
    upright = array.beams[0].field.half_space
    peak = "peak off, az" if upright else "peak az, el"
    places = {beam.frequency for beam in array.beams}
    columns = ["beam", *(["frequency"] if len(places) > 1 else []), "gain", peak, "widths E, H", "side lobe"]
    columns += ["taper", "scan loss", "grating"]
    table = plain_table([(name, name != "beam") for name in columns])
    for beam in array.beams:
        told = beam.figures
        theta, phi = float(told["peak_theta_deg"]), float(told["peak_phi_deg"])
        place = [(theta, 1), (phi, 0)] if upright else [(phi, 0), (90.0 - theta, 1)]
        table.add_row(
            beam.name,
            *([engineering(beam.frequency, "Hz", 4)] if len(places) > 1 else []),
            f"{told['gain_dBi']:.2f}",
            "straight up" if theta < 0.05 else ", ".join(f"{unsigned(a, n):.{n}f}" for a, n in place),
            ", ".join("-" if math.isnan(told[f"beamwidth_{p}_deg"]) else f"{told[f'beamwidth_{p}_deg']:.1f}"
                      for p in "EH"),
            _level(told["side_lobe_dB"]),
            f"{100.0 * told['taper_efficiency']:.0f} %",
            f"{unsigned(told['scan_loss_dB']):.2f}",
            "-" if math.isnan(told["grating_lobes"]) else f"{told['grating_lobes']:.0f}",
        )  # fmt: skip
    at = f" at {engineering(array.beams[0].frequency, 'Hz', 6)}" if len(places) == 1 else ""
    return titled(f"beams{at}: dBi, deg, dB; side lobes in all directions", table)


def _level(decibel: float) -> str:
    return "none" if math.isnan(decibel) else f"{decibel:.1f}"


def _with_errors(tried: Mapping[str, Trials]) -> Any:
    columns = ["beam", "gain, dBi", "above", "side lobe, dB", "below", "off by, deg", "within"]
    table = plain_table([(name, name != "beam") for name in columns])
    for name, one in tried.items():
        found = one.percentiles()
        table.add_row(
            name, *(_one(found, "gain_dBi", share, 2) for share in ("50 %", "5 %")),
            *(_one(found, "side_lobe_dB", share, 1) for share in ("50 %", "95 %")),
            *(_one(found, "pointing_deg", share, 2) for share in ("50 %", "95 %")),
        )  # fmt: skip
    count = len(next(iter(tried.values())).table)
    return titled(f"with errors, {count} trials: the median, and what nineteen in twenty keep to", table)


def _one(found: pd.DataFrame, figure: str, share: str, digits: int) -> str:
    value = float(found[share].get(figure, math.nan))
    return "-" if math.isnan(value) else f"{unsigned(value, digits):.{digits}f}"


def _amplified(link: pd.DataFrame, name: str) -> Any:
    """EIRP and G/T where the array faces, and how far it is steered for half of that."""
    angles, eirp = link.index.to_numpy(float), link.iloc[:, 0].to_numpy(float)
    best = int(eirp.argmax())
    weak = np.flatnonzero(eirp < eirp[best] - _HALF_POWER)
    low = angles[weak[weak < best].max() + 1] if (weak < best).any() else angles[0]
    high = angles[weak[weak > best].min() - 1] if (weak > best).any() else angles[-1]
    row = link.iloc[best]
    table = plain_table([(head, True) for head in ("EIRP, dBW", "G/T, dB/K", "sent, W", "at, deg", "3 dB from", "to")])
    edges = [
        f"{low:g}" if low > angles[0] else f"beyond {low:g}",
        f"{high:g}" if high < angles[-1] else f"beyond {high:g}",
    ]
    table.add_row(f"{row.iloc[0]:.2f}", f"{row.iloc[1]:.2f}", f"{row['sent_W']:.4g}", f"{angles[best]:g}", *edges)
    return titled(f"{name} with its amplifiers, where EIRP is greatest, and how far it may be steered", table)
