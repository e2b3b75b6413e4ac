"""Values found from a measurement: lengths, earth, what is at the feed, with the limits within which they are known.

Least squares by exact slopes (Levenberg-Marquardt within ranges: Nocedal and Wright 2006, ch. 10); limits from the
spread of what is left over (Seber and Wild 2003, sec. 5.1).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from pathlib import Path

import numpy as np
import pandas as pd

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import SPEED_OF_LIGHT, wavenumber
from ..errors import ModelError, UsageError, unknown
from ..files.curves import read_network
from ..files.design_file import DesignFile
from ..files.design_text import AnyDesign, as_file
from ..files.editing import changed
from ..network.network import Network
from ..network.trace import Trace
from .asking import asked_of, names_of
from .store import open_store
from .trials import Trials, Try, ranges, sizes
from .tuning import shortest_step

FEED = {"capacitance": "capacitance", "inductance": "inductance", "cable": "length", "loss": "number"}
"""What may be at the feed, and of what kind: a capacitance across it, an inductance in series behind that, and a cable
of the measurement's reference, by its electrical length and its loss, dB one way in the middle of the band, which grows
as the root of the frequency, as copper's does (Pozar 2012, eq. 2.85)."""
_SMALL = {"capacitance": 1e-13, "inductance": 1e-10, "cable": 1e-3, "loss": 1e-2}
"""What steps of them are measured by where they are nought."""
_NOISE, _FLOOR = 0.2 * np.log(10.0) / 20.0, 1e-3
"""Of magnitudes without phase: 0.2 dB, and what is added to a reflection all the same."""
_ALIKE = 0.98
_SHARE = 0.95
_FIRST, _LONGEST, _SHORTEST, _ENOUGH = 0.2, 0.5, 1e-7, 1e-4
_CABLES = 2001


@dataclass(frozen=True, slots=True)
class Fitted:
    """What a measurement says of values. file: the design with them.

    values: per value, and per part at the feed, what it was and is (SI), the limits either way that hold it in 19 of 20
    cases, and its kind. curve: per frequency the return loss (dB) measured, of the fit and before, what is left over,
    and reflections by their two parts. left: the rms of what is, of reflection or, without phase, dB. alike: pairs of
    values that cannot be told apart and their correlation. tries: every solve.
    """

    file: DesignFile
    values: pd.DataFrame
    curve: pd.DataFrame
    left: float
    phased: bool
    alike: tuple[tuple[str, str, float], ...]
    tries: pd.DataFrame
    reference: float


@dataclass
class _Fit:
    """A measurement and the model of it: values of the design, then parts at the feed."""

    trials: Trials
    feed: tuple[str, ...]
    hertz: Floats
    measured: Complexes | Floats
    reference: float
    whose: str
    rows: list[dict[str, float | str]] = field(default_factory=list)

    @property
    def phased(self) -> bool:
        return np.iscomplexobj(self.measured)

    def at_port(self, one: Try) -> Complexes:
        """Impedance of the antenna's port (frequencies,)."""
        return np.array([complex(one.figures[f][f"R{self.whose}"], one.figures[f][f"X{self.whose}"])
                         for f in self.trials.places])  # fmt: skip

    def reflected(self, impedance: Complexes, parts: Floats) -> Complexes:
        """The reflection coefficient that is measured, through what is at the feed."""
        known = dict(zip(self.feed, parts.tolist(), strict=True))
        omega = 2.0 * np.pi * self.hertz
        admittance = 1.0 / impedance + 1j * omega * known.get("capacitance", 0.0)
        z = 1.0 / admittance + 1j * omega * known.get("inductance", 0.0)
        back = (z - self.reference) / (z + self.reference)
        middle = 0.5 * (self.hertz[0] + self.hertz[-1])
        loss = 10.0 ** (-known.get("loss", 0.0) * np.sqrt(self.hertz / middle) / 10.0)
        waves = np.array([wavenumber(f) for f in self.hertz])
        return np.asarray(back * loss * np.exp(-2j * waves * known.get("cable", 0.0)))

    def off(self, reflected: Complexes) -> Floats:
        """What the model is off, over the noise of its kind."""
        if self.phased:
            gap = reflected - self.measured
            return np.concatenate([gap.real, gap.imag])
        size = np.abs(self.measured)
        return np.asarray((np.abs(reflected) - size) / np.hypot(_NOISE * size, _FLOOR))


def fit(
    file: AnyDesign,
    names: Sequence[str],
    measured: Network | Trace | str | Path,
    *,
    feed: Mapping[str, str | float] | None = None,
    port: str | None = None,
    points: int = 21,
    most: int = 20,
    store: str | Path | None = None,
) -> Fitted:
    """Find the values of a design that explain a measured reflection.

    names: of values, within their ranges. measured: one port, with phase or without (Touchstone, CSV). feed: parts of
    `FEED` to be found as well, and where each begins. port: which of the design's, the first unless given; the others
    are closed by their references. points: frequencies of the measurement that are used, at most, evenly. most: solves.
    Raises UsageError for values, parts and ports there are not, for measurements of several ports, and for fewer
    points than there are values to find.
    """
    file = as_file(file)
    curve = measured if isinstance(measured, Network | Trace) else read_network(measured)
    parts = dict(feed or {})
    for name in parts:
        if name not in FEED:
            raise UsageError(f"fit: {unknown('part at the feed', name, FEED)}")
    if not names and not parts:
        raise UsageError("fit: name at least one value to find")
    if len(curve.ports) != 1:
        raise UsageError(f"fit: the measurement has {len(curve.ports)} ports; give one with one port")
    ports = [p.name for p in file.antenna.ports]
    if port is not None and port not in ports:
        raise UsageError(f"fit: {unknown('port', port, ports)}")
    units.count(points, "fit, points", 2, 10_000)
    units.count(most, "fit, most solves", 1, 1000)
    known = names_of(file, list(names)) if names else []
    chosen = np.unique(np.linspace(0, len(curve.frequencies) - 1, min(points, len(curve.frequencies))).astype(int))
    wanted = len(known) + len(parts)
    given = len(chosen) * (2 if isinstance(curve, Network) else 1)
    if given <= wanted:
        raise UsageError(f"fit: {wanted} values from {given} numbers measured: give more points or fewer values")
    hertz = curve.frequencies[chosen]
    back = curve.reflection().values[chosen, 0] if isinstance(curve, Network) else curve.magnitude[chosen]
    asked = asked_of(file)
    trials = Trials(known, asked, hertz.tolist(), "ports", None if store is None else open_store(store), most)
    whose = f" at {port or ports[0]}" if len(ports) > 1 else ""
    model = _Fit(trials, tuple(parts), hertz, back, float(np.real(curve.references[0])), whose)
    begin = [_amount(name, told) for name, told in parts.items()]
    return _searched(model, np.array(begin, float), most)


def _amount(name: str, told: str | float) -> float:
    text = str(told).strip()
    found = units.read(text.removesuffix("dB").strip() if name == "loss" else told, FEED[name], what=f"feed, {name}",
                       bare=not isinstance(told, str) or name == "loss")  # fmt: skip
    if found < 0.0:
        raise UsageError(f"feed, {name}: {told} is below nought")
    return found


def _searched(model: _Fit, parts: Floats, most: int) -> Fitted:
    trials, file = model.trials, model.trials.file
    count = len(trials.names)
    low, high = ranges(file, trials.names)
    low, high = np.append(low, np.zeros(len(parts))), np.append(high, np.full(len(parts), np.inf))
    first = trials.at(np.array([file.design.values.quantities[n].si for n in trials.names]))
    parts = _cabled(model, first, parts)
    best, begun = first, parts
    off = model.off(model.reflected(model.at_port(best), parts))
    model.rows.append({**best.texts, **dict(zip(model.feed, parts.tolist(), strict=True)), "left": _rms(off)})
    reach, slopes = _FIRST, _slopes(model, best, parts)
    while trials.count < most:
        now = np.append(best.values, parts)
        size = np.append(sizes(best.values, low[:count], high[:count]),
                         [abs(x) or _SMALL[n] for n, x in zip(model.feed, parts.tolist(), strict=True)])  # fmt: skip
        step = shortest_step(slopes * size, now, off, low, high, size, reach) * size
        if np.abs(step / size).max(initial=0.0) < _SHORTEST:
            break
        try:
            tried = trials.at(best.values + step[:count]) if count else best
        except ModelError:
            reach *= 0.3
            continue
        if not count:
            trials.count += 1
        moved = parts + step[count:]
        left = model.off(model.reflected(model.at_port(tried), moved))
        model.rows.append({**tried.texts, **dict(zip(model.feed, moved.tolist(), strict=True)), "left": _rms(left)})
        gained = _rms(off) - _rms(left)
        if gained > 0.0:
            best, parts, off = tried, moved, left
            slopes = _slopes(model, best, parts)
            reach = min(2.0 * reach, _LONGEST) if np.abs(step / size).max() > 0.9 * reach else reach
            if gained < _ENOUGH * _rms(off):
                break
        else:
            reach = 0.3 * float(np.abs(step / size).max())
    return _told(model, first, best, begun, parts, off, slopes)


def _cabled(model: _Fit, first: Try, parts: Floats) -> Floats:
    """The parts at the feed, with the length of cable that suits phases best: they repeat, so all are looked at."""
    if "cable" not in model.feed or not model.phased:
        return parts
    place, step = model.feed.index("cable"), float(np.diff(model.hertz).min())
    impedance, found = model.at_port(first), []
    # Beyond, phases from point to point repeat too.
    for length in np.linspace(0.0, SPEED_OF_LIGHT / (2.0 * step), _CABLES):
        tried = parts.copy()
        tried[place] = length
        found.append((_rms(model.off(model.reflected(impedance, tried))), length))
    parts = parts.copy()
    parts[place] = min(found)[1]
    return parts


def _rms(off: Floats) -> float:
    return float(np.sqrt(np.mean(off**2)))


def _loss(reflected: Complexes | Floats) -> Floats:
    """Return loss, dB."""
    return np.asarray(-20.0 * np.log10(np.maximum(np.abs(reflected), 1e-6)))


def _slopes(model: _Fit, now: Try, parts: Floats) -> Floats:
    """How what the model is off changes with values and parts, (numbers, unknowns)."""
    impedance, columns = model.at_port(now), []
    base = model.off(model.reflected(impedance, parts))
    rates = model.trials.rates(now) if len(now.values) else {}
    for name, value in zip(model.trials.names, now.values.tolist(), strict=True):
        step = 1e-6 * (abs(value) or 1.0)
        rate = np.array([rates[f][f"R{model.whose}"][name] + 1j * rates[f][f"X{model.whose}"][name]
                         for f in model.trials.places])  # fmt: skip
        columns.append((model.off(model.reflected(impedance + step * rate, parts)) - base) / step)
    for number, name in enumerate(model.feed):
        step = 1e-5 * max(abs(float(parts[number])), _SMALL[name])
        aside = parts.copy()
        aside[number] += step
        columns.append((model.off(model.reflected(impedance, aside)) - base) / step)
    return np.stack(columns, axis=1)


def _told(model: _Fit, first: Try, best: Try, begun: Floats, parts: Floats, off: Floats, slopes: Floats) -> Fitted:
    from scipy import stats

    file, names = model.trials.file, [*model.trials.names, *model.feed]
    before, after = np.append(first.values, begun), np.append(best.values, parts)
    free = len(off) - len(names)
    size = np.where(after == 0.0, 1.0, np.abs(after))
    values, turned = np.linalg.eigh((slopes * size).T @ (slopes * size))
    # What the measurement does not feel has no limits.
    inverse = turned / np.maximum(values, 1e-14 * values.max()) @ turned.T
    spread = np.sqrt(np.diag(inverse))
    sure = float(stats.t.ppf(0.5 + 0.5 * _SHARE, free)) * float(np.sqrt(off @ off / free))
    alike = inverse / np.outer(spread, spread)
    pairs = tuple(
        (names[i], names[j], float(alike[i, j]))
        for i, j in combinations(range(len(names)), 2)
        if abs(alike[i, j]) > _ALIKE
    )
    known = file.design.values.quantities
    kinds = [*(known[n].kind for n in model.trials.names), *(FEED[n] for n in model.feed)]
    table = pd.DataFrame(
        {"before": before, "after": after, "limit": sure * spread * size, "kind": kinds},
        index=pd.Index(names, name="value"),
    )
    was = model.reflected(model.at_port(first), begun)
    fitted = model.reflected(model.at_port(best), parts)
    gap = np.abs(fitted - model.measured) if model.phased else _loss(model.measured) - _loss(fitted)
    told = {"measured": model.measured, "fitted": fitted, "before": was}
    curve = pd.DataFrame({"frequency_Hz": model.hertz} | {f"{n}_dB": _loss(x) for n, x in told.items()} | {"left": gap})
    for name, reflected in told.items():
        if np.iscomplexobj(reflected):
            curve[f"{name}_re"], curve[f"{name}_im"] = reflected.real, reflected.imag
    made = changed(file, {name: str(text) for name, text in best.texts.items()}) if best.texts else file
    tries = pd.DataFrame(model.rows, index=pd.RangeIndex(1, len(model.rows) + 1, name="try"))
    return Fitted(made, table, curve, _rms(np.asarray(gap)), model.phased, pairs, tries, model.reference)
