"""What errors do to a beam: many arrays like the one wanted, each a little wrong, and the statistics of them.

On a lattice all patterns of a batch come from one FFT, four samples to a lobe; off
one, from the waves of every element at directions as close.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from .. import units
from ..arraytypes import Complexes, Floats, Ints
from ..constants import WAVE_IMPEDANCE, wavenumber
from ..errors import RunError, UsageError
from ..fields.directions import angles_of
from ..running import announce, in_shares, report, thread_count
from .array import Array
from .plain_power import PlainPower
from .scanning import axes_of
from .sums import array_factor
from .weights import Weights

if TYPE_CHECKING:
    import pandas as pd
    import xarray as xr

_FINE = 4
_BATCH = 4_000_000
_MOST = 2_000_000_000
FIGURES = ("gain_dBi", "side_lobe_dB", "pointing_deg", "beamwidth_x_deg", "beamwidth_y_deg")


@dataclass(frozen=True, slots=True)
class Errors:
    """Errors of elements, independent of one another: rms of amplitude, dB, and of phase; share of dead elements.

    kind: "normal", or "uniform" between ±√3 of the rms. Raises UsageError for what is out of range.
    """

    amplitude: float = 0.0
    phase: str | float = "0 deg"
    failed: float = 0.0
    kind: str = "normal"

    def __post_init__(self) -> None:
        if not (math.isfinite(self.amplitude) and self.amplitude >= 0.0):
            raise UsageError(f"errors: amplitude {self.amplitude} dB is below zero: give its rms")
        if units.angle(self.phase, "errors, phase") < 0.0:
            raise UsageError(f"errors: phase {self.phase} is below zero: give its rms")
        if not 0.0 <= self.failed < 1.0:
            raise UsageError(f"errors: a share of {self.failed} dead elements is outside 0 to 1")
        if self.kind not in ("normal", "uniform"):
            raise UsageError(f"errors: kind '{self.kind}' is not normal or uniform")

    def factors(self, count: int, elements: int, random: np.random.Generator) -> NDArray[np.complex64]:
        """What each of so many arrays has its weights multiplied by: (count, elements)."""

        shape = count, elements

        def drawn(rms: float) -> NDArray[np.float32]:
            # Single precision: these are errors.
            if self.kind == "normal":
                return np.float32(rms) * random.standard_normal(shape, np.float32)
            return np.float32(2.0 * math.sqrt(3.0) * rms) * (random.random(shape, np.float32) - np.float32(0.5))

        found = np.ones(shape, np.complex64)
        if self.amplitude > 0.0:
            found *= np.exp(drawn(self.amplitude * math.log(10.0) / 20.0))
        if units.angle(self.phase) > 0.0:
            turn = drawn(units.angle(self.phase))
            found *= np.cos(turn) + np.complex64(1j) * np.sin(turn)
        if self.failed > 0.0:
            found[random.random(shape, np.float32) < self.failed] = 0.0
        return found


@dataclass(frozen=True, eq=False)
class Trials:
    """Arrays with errors: their weights (trials, elements), and figures of each, a row, beside those without errors.

    axes: the columns (3, 3) all is looked at in, see `trials`. towards: where the beam without errors is, in them (3,).
    """

    array: Array
    axes: Floats
    towards: Floats
    frequency: float
    nominal: Complexes
    weights: NDArray[np.complex64]
    table: pd.DataFrame
    wanted: pd.Series

    def percentiles(self, *levels: float) -> pd.DataFrame:
        """Figures without errors, and below what they are in so many percent of trials: 5, 50 and 95 unless given."""
        import pandas as pd

        own = levels or (5.0, 50.0, 95.0)
        columns = {"without errors": self.wanted, "mean": self.table.mean(), "rms spread": self.table.std()}
        return pd.DataFrame(columns | {f"{p:g} %": self.table.quantile(p / 100.0) for p in own})

    def convergence(self, figure: str = "gain_dBi", level: float = 50.0) -> pd.DataFrame:
        """A percentile of the first 10, 20, 50, ... trials, and by how much it may still move (95 % by resampling)."""
        import pandas as pd

        if figure not in self.table:
            raise UsageError(f"convergence: there is no figure '{figure}'; there are: {', '.join(self.table.columns)}")
        values = self.table[figure].to_numpy()
        counts = [n for n in (10, 20, 50, 100, 200, 500, 1000, 2000, 5000) if n < len(values)] + [len(values)]
        random, rows = np.random.default_rng(0), []
        for n in counts:
            again = np.percentile(random.choice(values[:n], (200, n)), level, axis=1)
            rows.append((n, np.percentile(values[:n], level), 0.5 * np.ptp(np.percentile(again, (2.5, 97.5)))))
        return pd.DataFrame(rows, columns=["trials", figure, "may_move"]).set_index("trials")

    def envelope(self, phi: str | float | None = None, *, levels: tuple[float, ...] = (5.0, 50.0, 95.0)) -> xr.Dataset:
        """Gain, dBi, along a half circle, labelled by angle from where the array faces: percentiles and mean.

        phi: about where it faces, from the first axis; through the beam unless given, or, where that is what it faces,
        along the axis that the elements are spread over more.
        The mean is of powers; `nominal` is without errors.
        """
        import xarray as xr

        angle = np.radians(np.arange(-90.0, 90.25, 0.25))
        seen = self.array.in_axes(self.axes)
        turn = self._through if phi is None else units.angle(phi, "envelope, phi")
        ways = np.stack([np.sin(angle) * math.cos(turn), np.sin(angle) * math.sin(turn), np.cos(angle)], axis=1)
        waves = _waves(seen, self.frequency, ways)
        power = np.abs(self.weights @ waves) ** 2
        own, unit = PlainPower(seen, self.frequency), _unit(ways, seen, self.frequency)
        unit = unit * seen.elements[0].efficiency
        gain = power * unit / own(self.weights)[:, None]
        alone = np.abs(self.nominal @ waves) ** 2 * unit / own(self.nominal[None])
        names = {f"p{p:g}": np.percentile(gain, p, axis=0) for p in levels} | {"mean": gain.mean(axis=0)}
        names["nominal"] = alone
        data = {n: ("angle", 10.0 * np.log10(np.maximum(v, 1e-20)), {"units": "dBi"}) for n, v in names.items()}
        return xr.Dataset(data, {"angle": ("angle", np.degrees(angle), {"units": "deg"})},
                          {"trials": len(self.weights), "phi_deg": math.degrees(turn), "facing": self.axes[:, 2],
                           "along": self.axes[:, :2] @ [math.cos(turn), math.sin(turn)]})  # fmt: skip

    @property
    def _through(self) -> float:
        """The half circle through the beam, rad, over -90 to 90 deg, to a tenth."""
        u, v = self.towards[:2]
        if math.hypot(u, v) > 0.02:
            degrees = round(math.degrees(math.atan2(v, u)), 1)
            return math.radians(90.0 - (90.0 - degrees) % 180.0)
        spread = np.ptp(self.array.in_axes(self.axes).layout.positions[:, :2], axis=0)
        return 0.5 * math.pi * bool(spread[1] > spread[0] * (1.0 + 1e-9))


def trials(
    array: Array, weights: Weights, errors: Errors, *, frequency: str | float, count: int = 1000, seed: int = 0
) -> Trials:
    """So many arrays with errors: gain (dBi), side lobes (dB below the beam), pointing and beamwidths.

    All is seen over the hemisphere that the array faces, see `axes_of`: beamwidth_x and _y are half-power widths
    through the beam along u and v there; of a line, only the plane of the two is seen. Elements are to be of one kind,
    turned alike. Raises UsageError otherwise, RunError when it would not fit into memory.
    """
    import pandas as pd

    if isinstance(array.element, tuple) or np.abs(array.layout.turns - array.layout.turns[0]).max() > 1e-12:
        raise UsageError(f"trials: the elements of '{array.label}' are not all alike and turned alike")
    units.count(count, "trials, count", 1, 100_000)
    if 8 * count * len(array) > _MOST:
        raise UsageError(
            f"trials: {count} of {len(array)} elements would need {8e-9 * count * len(array):.1f} GB: try fewer"
        )
    hertz = units.frequency(frequency)
    base = array.fitting(weights).at(hertz)
    random = np.random.default_rng(seed)
    own = base.astype(np.complex64) * errors.factors(count, len(array), random)
    dead = ~own.any(axis=1)
    if dead.any():
        raise UsageError(f"trials: in {int(dead.sum())} of {count} trials every element is dead: fail fewer")
    beam = array.beam(hertz, weights)
    # Where it sends is enough, not to the last degree.
    axes = axes_of(array.layout, beam.peak)
    field = _Map(array.in_axes(axes), hertz, base)
    step = max(1, _BATCH // field.size)
    parts = [field.figures(base[None].astype(np.complex64))]
    for first in range(0, count, step):
        report(f"trial {first + 1} of {count}")
        parts.append(field.figures(own[first : first + step]))
    table = pd.DataFrame(np.concatenate(parts[1:]), columns=list(FIGURES))
    return Trials(array, axes, field.middle, hertz, base, own, table, pd.Series(parts[0][0], index=list(FIGURES)))


def _waves(array: Array, hertz: float, ways: Floats) -> Complexes:
    return np.asarray(np.exp(1j * wavenumber(hertz) * array.layout.positions @ ways.T))


def _unit(ways: Floats, array: Array, hertz: float) -> Floats:
    """4πU of one element of one watt, alone."""
    theta, phi = angles_of(ways @ array.layout.turns[0])
    e_theta, e_phi = array.elements[0].field(theta, phi, hertz)
    return np.asarray(2.0 * math.pi * (np.abs(e_theta) ** 2 + np.abs(e_phi) ** 2) / WAVE_IMPEDANCE)


class _Map:
    """Patterns over the hemisphere on a grid of phases, or of u and v, and what is read off them and off the beam."""

    def __init__(self, array: Array, hertz: float, nominal: Complexes) -> None:
        k, lattice = wavenumber(hertz), array.layout.lattice
        self.modes = None
        if lattice is not None and np.abs(np.ptp(array.layout.positions[:, 2])) < 1e-12:
            low = lattice.places.min(axis=0)
            self.modes = tuple((lattice.places - low).T)
            counts = np.ptp(lattice.places, axis=0) + 1
            self.shape, self.places, uv, self.moves = _visible(k * lattice.steps[:, :2], counts)
            # From one sample to the next, as a share of a lobe.
            self.turns = [2.0 * math.pi * n / m for n, m in zip(counts.tolist(), self.shape, strict=True)]
        else:
            self.shape, self.places, uv, self.moves, whole = _square(
                k * float(np.ptp(array.layout.positions, axis=0).max())
            )
            if (needed := 8 * len(array) * len(whole)) > _MOST:
                raise RunError(
                    f"trials: {len(array)} elements off a lattice, over {len(whole)} directions, would need "
                    f"{needed / 1e9:.1f} GB: take fewer elements, closer, or a lattice"
                )
            self.waves = _waves(array, hertz, _above(whole)).astype(np.complex64)
            self.turns = [2.0 * math.pi / _FINE] * 2
        self.size = int(np.prod(self.shape))
        self.efficiency = array.elements[0].efficiency
        unit = _unit(_above(uv), array, hertz)
        sent = np.abs(self._factors(nominal[None].astype(np.complex64))[0]) ** 2
        best = int((sent[self.places] * unit).argmax())
        middle, reach = self._beam(array, hertz, nominal, uv[best])
        aside = (((uv - middle) / reach) ** 2).sum(axis=1) > 1.0
        # Of all directions that have one place on the grid, that where an element radiates most: it is set last.
        order = np.flatnonzero(aside)[np.argsort(unit[aside], kind="stable")]
        self.unit, self.uv = np.zeros(self.size, np.float32), np.zeros((self.size, 2))
        self.unit[self.places[order]], self.uv[self.places[order]] = unit[order], uv[order]
        self.alone: Callable[[Floats], Floats] = lambda ways: _unit(ways, array, hertz)
        # Two lines through the beam, out to its nulls or the horizon.
        self.lines = []
        spread = np.ptp(array.layout.positions, axis=0)
        for axis in (0, 1) if spread[:2].min() > 1e-9 * spread.max() else (int(spread[:2].argmax()),):
            side = np.zeros(2)
            side[axis] = min(reach[axis], 0.999)
            ends = [math.sqrt(max(1.0 - middle[1 - axis] ** 2, 0.0)) * x for x in (-1.0, 1.0)]
            low_, high = max(middle[axis] - side[axis], ends[0]), min(middle[axis] + side[axis], ends[1])
            line = np.tile(middle, (61, 1))
            line[:, axis] = np.linspace(low_, high, 61)
            ways = _above(line)
            self.lines.append((axis, _waves(array, hertz, ways).astype(np.complex64), _unit(ways, array, hertz), ways))
        self.middle = _above(middle[None])[0]
        self.power = PlainPower(array, hertz, self.shape if self.modes is not None else None)

    @staticmethod
    def _beam(array: Array, hertz: float, nominal: Complexes, start: Floats) -> tuple[Floats, Floats]:
        """Where the beam is in u and v, and how far off its first minimum is along each: infinite without one."""
        middle, reach = start.copy(), np.full(2, np.inf)
        for _ in range(3):
            for axis in (0, 1):
                line = np.tile(middle, (801, 1))
                span = math.sqrt(max(1.0 - middle[1 - axis] ** 2, 0.0))
                line[:, axis] = np.linspace(-span, span, 801)
                ways = _above(line)
                factor = array_factor(array.layout.positions, nominal, ways, wavenumber(hertz), array.layout.lattice)
                level = np.abs(factor) ** 2 * _unit(ways, array, hertz)
                near = np.abs(line[:, axis] - middle[axis]) <= 2.5 * (line[1, axis] - line[0, axis]) + 0.02
                top = int(np.where(near, level, -1.0).argmax())
                if np.ptp(level) < 1e-6 * level.max():
                    continue
                shift = _vertex(np.log(np.maximum(level[max(top - 1, 0) : top + 2], 1e-300))) if 0 < top < 800 else 0.0
                middle[axis] = line[top, axis] + shift * (line[1, axis] - line[0, axis])
                rising = [np.flatnonzero(np.diff(level[top:]) > 0.0), np.flatnonzero(np.diff(level[top::-1]) > 0.0)]
                first = [int(r[0]) for r in rising if r.size]
                reach[axis] = max(min(first), 2) * (line[1, axis] - line[0, axis]) if first else np.inf
        return middle, reach

    def _factors(self, weights: NDArray[np.complex64]) -> NDArray[np.complex64]:
        """The array factor (trials, size) on the whole grid."""
        if self.modes is None:
            return np.asarray(weights @ self.waves)
        from scipy.fft import ifft

        rows, columns = self.modes
        sheet = np.zeros((len(weights), self.shape[0], int(columns.max()) + 1), np.complex64)
        sheet[:, rows, columns] = weights
        # Columns first: only those with elements.
        found = ifft(sheet, axis=1, norm="forward", workers=thread_count(), overwrite_x=True)
        found = ifft(found, self.shape[1], axis=2, norm="forward", workers=thread_count())
        return np.asarray(found.reshape(len(weights), -1))

    def figures(self, weights: NDArray[np.complex64]) -> Floats:
        """A row of `FIGURES` for each trial."""
        count = len(weights)
        factors = self._factors(weights)
        chosen, radiated = self._strongest(factors)
        # Off a lattice there is no sum over phases: pair by pair.
        total = radiated if self.power.spectrum is not None else self.power(weights)
        tops, places = [], [np.tile(self.middle, (count, 1))] * 2
        widths = [np.full(count, np.nan)] * 2
        for axis, waves, unit, ways in self.lines:
            found = weights @ waves
            top, places[axis], widths[axis] = _along((found.real**2 + found.imag**2) * unit, ways)
            tops.append(top)
        # The two lines cross at the beam without errors: what each moves off it adds up.
        towards = places[0] + places[1] - self.middle
        towards /= np.linalg.norm(towards, axis=1)[:, None]
        off = np.arccos(np.clip(towards @ self.middle, -1.0, 1.0))
        beam = np.max(tops, axis=0)
        side = self._side_lobes(factors, chosen) / beam if self.unit.any() else np.full(count, np.nan)
        columns = [
            10.0 * np.log10(self.efficiency * beam / total), 10.0 * np.log10(np.maximum(side, 1e-20)), np.degrees(off),
            np.degrees(widths[0]), np.degrees(widths[1]),
        ]  # fmt: skip
        return np.stack(columns, axis=1)

    def _side_lobes(self, factors: NDArray[np.complex64], chosen: Ints) -> Floats:
        """The strongest outside the beam, 4πU: from the samples round the greatest, along each axis.

        The array's power goes from lobe to lobe as a + b cos x + c sin x, the element's by a parabola of its logarithm.
        """
        at = np.unravel_index(chosen, self.shape)
        own = np.arange(len(factors))
        here, unit = np.abs(factors[own, chosen]).astype(float) ** 2, self.unit[chosen].astype(float)
        gain, x = np.ones(len(factors)), np.linspace(-1.0, 1.0, 41)
        for axis, count in enumerate(self.shape):
            if count < 3:
                continue
            levels, units_ = [], []
            for step in (-1, 1):
                beside = [(at[i] + step) % n if i == axis else at[i] for i, n in enumerate(self.shape)]
                place = np.ravel_multi_index(beside, self.shape)
                levels.append(np.abs(factors[own, place]).astype(float) ** 2)
                uv = self.uv[chosen] + step * self.moves[axis]
                # Beyond the horizon there is nothing to follow.
                seen = np.maximum(self.alone(_above(uv)), 1e-12 * unit)
                units_.append(np.where(np.hypot(*uv.T) <= 1.0, seen, unit))
            (before, after), turn = levels, self.turns[axis]
            b = (here - 0.5 * (before + after)) / (1.0 - math.cos(turn))
            c = 0.5 * (after - before) / math.sin(turn)
            low, high = (np.log(u / unit) for u in units_)
            factor = here[:, None] + b[:, None] * (np.cos(turn * x) - 1.0) + c[:, None] * np.sin(turn * x)
            share = np.exp(0.5 * (high - low)[:, None] * x + 0.5 * (high + low)[:, None] * x**2)
            top = (here * unit >= before * units_[0]) & (here * unit >= after * units_[1])
            gain *= np.where(top, (factor * share).max(axis=1) / here, 1.0)
        return np.asarray(here * gain * unit)

    def _strongest(self, factors: NDArray[np.complex64]) -> tuple[Ints, Floats]:
        """Where most is sent outside the beam (trials,), by number on the grid; and on a lattice what is radiated."""
        from ..kernels.array_sum import strongest

        announce(strongest)
        found, sums = np.empty(len(factors), np.int64), np.empty(len(factors))
        parts = self.power.spectrum
        own = np.zeros(self.size, np.float32) if parts is None else parts.astype(np.float32)
        in_shares(lambda share: strongest(factors[share], self.unit, own, found[share], sums[share]), len(factors))
        return found, sums


def _above(uv: Floats) -> Floats:
    """Directions (n, 3) over the plane, of u and v (n, 2)."""
    return np.column_stack([uv, np.sqrt(np.maximum(1.0 - (uv**2).sum(axis=1), 0.0))])


def _visible(steps: Floats, counts: Ints) -> tuple[tuple[int, int], Ints, Floats, Floats]:
    """Shape of the grid of phases, of every direction above that has one its number there and u and v, and by how much
    these move from one sample to the next along each axis (2, 2).

    steps (2, 2): phase by u and v of both steps. A line has only the directions in its own plane.
    """
    from scipy.fft import next_fast_len

    shape = tuple(next_fast_len(_FINE * int(n)) if n > 1 else 1 for n in counts)
    phases = [2.0 * math.pi * np.fft.fftfreq(n) for n in shape]
    x, y = (p.ravel() for p in np.meshgrid(*phases, indexing="ij"))
    whole = [math.ceil(np.linalg.norm(s) / (2.0 * math.pi) + 0.5) if n > 1 else 0
             for s, n in zip(steps, counts, strict=True)]  # fmt: skip
    # A line's other step does not matter: one square to it that no phase comes of.
    axes = steps.copy()
    for own in (0, 1):
        if counts[own] == 1:
            axes[own] = [-axes[1 - own, 1], axes[1 - own, 0]]
    back = np.linalg.inv(axes)
    numbers, found = [], []
    for a in range(-whole[0], whole[0] + 1):
        for b in range(-whole[1], whole[1] + 1):
            uv = np.stack([x + 2.0 * math.pi * a, y + 2.0 * math.pi * b], axis=1) @ back.T
            inside = np.hypot(*uv.T) <= 1.0
            numbers.append(np.flatnonzero(inside))
            found.append(uv[inside])
    moves = 2.0 * math.pi * back.T / np.array(shape)[:, None]
    return (shape[0], shape[1]), np.concatenate(numbers), np.concatenate(found), moves


def _square(size: float) -> tuple[tuple[int, int], Ints, Floats, Floats, Floats]:
    """A grid of u and v for elements spread over so many radians: as `_visible`, and all of it."""
    count = 2 * math.ceil(_FINE * max(size, 1.0) / (2.0 * math.pi)) + 9
    axis = np.linspace(-1.0, 1.0, count)
    u, v = (x.ravel() for x in np.meshgrid(axis, axis, indexing="ij"))
    whole = np.stack([u, v], axis=1)
    inside = np.flatnonzero(np.hypot(u, v) <= 1.0)
    return (count, count), inside, whole[inside], (axis[1] - axis[0]) * np.eye(2), whole


def _vertex(three: Floats) -> float:
    """Where the parabola through three samples is highest, from the middle one."""
    before, here, after = three
    bend = before - 2.0 * here + after
    return float(0.5 * (before - after) / bend) if bend < 0.0 else 0.0


def _along(level: Floats, ways: Floats) -> tuple[Floats, Floats, Floats]:
    """Of levels (trials, n) along directions (n, 3): the greatest, where (trials, 3), and the half-power width, rad.

    The width is NaN when the line ends before the level has fallen that far.
    """
    own, count = np.arange(len(level)), level.shape[1]
    top = np.clip(level.argmax(axis=1), 1, count - 2)
    before, here, after = (np.log(np.maximum(level[own, top + s], 1e-300)) for s in (-1, 0, 1))
    bend = np.minimum(before - 2.0 * here + after, -1e-300)
    shift = np.clip(0.5 * (before - after) / bend, -1.0, 1.0)
    greatest = np.exp(here - 0.25 * (before - after) * shift)
    place = _between(ways, top + shift)
    ends = []
    for side in (-1, 1):
        steps = np.arange(count)
        beyond = (steps >= top[:, None]) if side > 0 else (steps <= top[:, None])
        low = beyond & (level < 0.5 * greatest[:, None])
        some = low.any(axis=1)
        first = np.where(some, low.argmax(axis=1) if side > 0 else count - 1 - low[:, ::-1].argmax(axis=1), top)
        inner = first - side
        outer_level, inner_level = level[own, first], level[own, np.clip(inner, 0, count - 1)]
        span = np.where(inner_level > outer_level, inner_level - outer_level, 1.0)
        share = np.where(some, (inner_level - 0.5 * greatest) / span, np.nan)
        ends.append(_between(ways, np.where(some, inner + side * share, np.nan)))
    width = np.arccos(np.clip(np.einsum("ij,ij->i", *ends), -1.0, 1.0))
    return greatest, place, width


def _between(ways: Floats, at: Floats) -> Floats:
    """Directions at places among others; NaN where the place is."""
    below = np.clip(np.nan_to_num(at).astype(int), 0, len(ways) - 2)
    share = (at - below)[:, None]
    found = (1.0 - share) * ways[below] + share * ways[below + 1]
    return np.asarray(found / np.linalg.norm(found, axis=1)[:, None])
