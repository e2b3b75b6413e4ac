"""Ports of lines at reference planes: the waves that run along a strip either way, from its solved currents.

What feeds a line, a pin or a gap, is no part of the line. Well away from both, its whole current is
a e^{-γx} - b e^{γx}; a and b of as many drives as there are ports are what scattering parameters are made of, S = B A⁻¹
(Pozar 2012, sec. 4.3), whatever the feeds do.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from scipy.sparse import csr_array, lil_array

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import wavenumber
from ..description.antenna import Antenna
from ..description.parts import Length, Port
from ..description.sheets import Sheet
from ..description.strips import StripType, strip
from ..description.traces import Strip
from ..errors import UsageError
from ..media.stack import Stack
from ..meshing.sheet_mesh import SheetMesh
from ..network.network import Network, admittance_of, scattering
from ..network.rational import fit
from ..network.sources import volts

if TYPE_CHECKING:
    import pandas as pd

    from .driven import Driven
    from .solution import Solution

_SAMPLES = 48
_LEAST, _QUARTER = math.radians(12.0), math.radians(90.0)
_SHARES = (1.0, 0.8, 0.65, 0.5, 0.4, 0.3)
_GOOD, _BAD, _FEW = 0.01, 0.05, 4
"""Misfits of two waves that are as good as the mesh, and no answer; samples of a band that one may be left out of."""
_ANY = 50.0
"""Ohm, at ports that stay: S as it is there tells their admittances whatever it is."""
_NODES, _ACROSS = 4, 8
_NEAR = 1.5
"""Widths within which a port is at the end of a strip."""
_STRETCH = 0.03
"""How far the mesh's wave may be from that of the cross-section, as a share."""


@dataclass(frozen=True)
class _Run:
    """A straight run of a strip from a port on: its end, which way it goes, what of it is far from both its ends.

    end (3,), ahead (3,), aside (3,): metres and unit vectors; first, last, plane: distances from the end, m.
    """

    port: str
    number: int
    sheet: Sheet
    end: Floats
    ahead: Floats
    aside: Floats
    width: float
    first: float
    last: float
    plane: float
    line: StripType
    stack: Stack
    mesh: SheetMesh

    @property
    def samples(self) -> Floats:
        """Distances from the end at which the current is taken."""
        return np.linspace(self.first, self.last, _SAMPLES)

    def along(self, drives: list[Driven]) -> Complexes:
        """The whole current along it at these, by drive (samples, drives), A."""
        flows = [d.flow.sheets for d in drives if d.flow.sheets is not None]
        number = self._widths @ np.array([flow.number for flow in flows]).T
        # Of J = number r - vector, across lines of constant distance.
        places = (self.samples + self.end @ self.ahead)[:, None]
        return np.asarray(places * number - self._widths @ np.array([flow.vector @ self.ahead for flow in flows]).T)

    @cached_property
    def _widths(self) -> csr_array:
        """How wide its triangles are at these (samples, triangles), m; none of another strip beside or under it."""
        corners = self.mesh.corners - self.end
        middles = corners.mean(axis=1)
        beside, level = np.abs(middles @ self.aside) < 0.5 * self.width, np.abs(corners[..., 2]).max(axis=1)
        own = np.flatnonzero(beside & (level < 1e-6 * self.width))
        along, aside = corners[own] @ self.ahead, corners[own] @ self.aside
        found = lil_array((_SAMPLES, len(corners)))
        for n, x in enumerate(self.samples):
            hit = (along.min(axis=1) < x) & (along.max(axis=1) >= x)
            found[n, own[hit]] = _chords(along[hit], aside[hit], x)
        return found.tocsr()


def _chords(along: Floats, aside: Floats, x: float) -> Floats:
    """How wide triangles (n, 3) are where they are so far along."""
    ends = []
    for a, b in ((0, 1), (1, 2), (2, 0)):
        share = np.full(len(along), np.nan)
        np.divide(x - along[:, a], along[:, b] - along[:, a], out=share, where=along[:, a] != along[:, b])
        place = aside[:, a] + share * (aside[:, b] - aside[:, a])
        ends.append(np.where((share >= 0.0) & (share <= 1.0), place, np.nan))
    return np.asarray(np.nanmax(ends, axis=0) - np.nanmin(ends, axis=0))


@dataclass(frozen=True)
class AtLines:
    """An antenna seen from reference planes on its lines.

    network: with those ports referred to the impedance of their lines at the middle frequency. lines: by port, the
    trace, where the plane is along it (m), its impedance in cross-section and on the mesh (ohm; the former again where
    there is no plane, or metal in the air), effective permittivity, and how far the two waves are from its currents, as
    a share. error: how far in S a solved frequency that is left out is from what the others say.
    """

    network: Network
    lines: pd.DataFrame
    error: float


def at_lines(solution: Solution, planes: Mapping[str, Length | None]) -> AtLines:
    """The network of a solution with ports at reference planes on the traces that its ports feed.

    planes: by port, how far the plane is from the end of its trace, metres or text; None for where its waves are clear
    of the port. Ports that are not named stay where they are. Within bands it is worked out where they were solved, and
    interpolated between as every network is. It is reciprocal: the geometric mean of what passes either way. Raises
    UsageError for a port that feeds no trace, a plane off its straight run, runs that are too short to tell waves by,
    and currents that are no two waves.
    """
    antenna, hertz = solution.antenna, solution.frequencies
    middle = float(hertz[len(hertz) // 2])
    if not isinstance(planes, Mapping) or not planes:
        raise UsageError(f"at lines: no port of '{antenna.name}' is named: give one, such as {{'feed': None}}")
    in_band = np.array([any(low <= f <= high for low, high in solution.spans) for f in hertz], bool)
    solved = np.union1d(solution.solved, hertz[~in_band])
    runs = [_run(solution, antenna.port(name), place, middle, float(solved[0])) for name, place in planes.items()]
    # The mesh's own wave is best told where it is shortest.
    every = [[solution.drive({port.name: volts(1.0)}, float(f)) for port in antenna.ports] for f in solved]
    fits = [_fit(run, every[-1]) for run in runs]
    admittance = np.empty((len(solved), len(antenna.ports), len(antenna.ports)), complex)
    references = np.array([p.reference for p in antenna.ports], complex)
    off = np.zeros(len(runs))
    for row, drives in enumerate(every):
        f = float(solved[row])
        voltages, currents = np.array([d.voltages for d in drives]).T, np.array([d.currents for d in drives]).T
        for number, (run, fit_of) in enumerate(zip(runs, fits, strict=True)):
            gamma = run.line.propagation(f) * fit_of.stretch
            waves, missed = _waves(run.along(drives)[: fit_of.count], run.samples[: fit_of.count], gamma)
            # By its power a wave on the mesh is one on the line.
            waves *= math.sqrt(fit_of.impedance)
            one, two = waves[0] * np.exp(-gamma * run.plane), waves[1] * np.exp(gamma * run.plane)
            at = run.number
            currents[at], voltages[at] = one - two, run.line.characteristic(f) * (one + two)
            off[number] = max(off[number], missed)
        own = np.full(len(references), _ANY)
        own[[run.number for run in runs]] = [run.line.characteristic(f) for run in runs]
        seen = scattering((currents @ np.linalg.inv(voltages))[None], own)
        admittance[row] = admittance_of(_reciprocal(seen), own)[0]
    for run in runs:
        references[run.number] = run.line.characteristic(middle)
    values, error = _between(solution, solved, admittance, references)
    network = Network(hertz, values, tuple(p.name for p in antenna.ports), references, antenna.name, solution.spans)
    return AtLines(network, _table(runs, fits, middle, off), error)


def _reciprocal(matrices: Complexes) -> Complexes:
    """With the geometric mean of either way: how strong a wave on the mesh is told to be is in both, one over other."""
    back = np.swapaxes(matrices, 1, 2)
    root = np.sqrt(matrices * back)
    return np.where((root.conj() * (matrices + back)).real < 0.0, -root, root)


def _between(
    solution: Solution, solved: Floats, admittance: Complexes, references: Complexes
) -> tuple[Complexes, float]:  # fmt: skip
    """Admittances at all frequencies wanted, and how far a solved one is off that is left out."""
    hertz, error = solution.frequencies, 0.0
    found = np.empty((len(hertz), *admittance.shape[1:]), complex)
    known = np.searchsorted(solved, hertz)
    for low, high in solution.spans:
        own = (solved >= low) & (solved <= high)
        rows = admittance[own].reshape(int(own.sum()), -1)
        here = (hertz >= low) & (hertz <= high)
        scale = 0.5 * (low + high)
        found[here] = fit(solved[own] / scale, rows)(hertz[here] / scale).reshape(-1, *admittance.shape[1:])
        out = len(rows) // 2
        if len(rows) > _FEW:
            kept = np.delete(np.arange(len(rows)), out)
            told = fit(solved[own][kept] / scale, rows[kept])(solved[own][[out]] / scale)
            both = np.concatenate([told, rows[[out]]]).reshape(2, *admittance.shape[1:])
            one, two = scattering(both, references)
            error = max(error, float(np.abs(one - two).max()))
    for row in np.flatnonzero(np.isin(hertz, solved)):
        found[row] = admittance[known[row]]
    return found, error


def _table(runs: list[_Run], fits: list[_Fit], middle: float, off: Floats) -> pd.DataFrame:
    import pandas as pd

    rows = []
    for run, own, missed in zip(runs, fits, off.tolist(), strict=True):
        slow = (run.line.propagation(middle) * own.stretch / (1j * wavenumber(middle))).real ** 2
        ohms = run.line.characteristic(middle)
        rows.append((run.port, run.sheet.name, run.plane, ohms, ohms * own.impedance, slow, missed))
    columns = ["port", "trace", "plane_m", "impedance_ohm", "on_mesh_ohm", "effective_permittivity", "misfit"]
    return pd.DataFrame(rows, columns=columns).set_index("port")


@dataclass(frozen=True)
class _Fit:
    """Of a run: how many of its samples are before whatever else there is; how much slower its wave is on the mesh than
    in cross-section, and of how much more impedance.
    """

    count: int
    stretch: float
    impedance: float = 1.0


def _fit(run: _Run, drives: list[Driven]) -> _Fit:
    """The longest part of a run, from the port on, whose currents are two waves; raises UsageError where none are."""
    flows, gamma = run.along(drives), run.line.propagation(drives[0].frequency)
    tried: list[tuple[float, _Fit]] = []
    for share in _SHARES:
        count = math.ceil(share * _SAMPLES)
        places = run.samples[:count]
        if tried and abs(gamma) * np.ptp(places) < _LEAST:
            break
        stretch = _stretch(flows[:count], places, gamma)
        missed = _waves(flows[:count], places, gamma * stretch)[1]
        tried.append((missed, _Fit(count, stretch)))
        if missed < _GOOD:
            break
    missed, best = min(tried, key=lambda one: one[0])
    if missed > _BAD:
        raise UsageError(
            f"port '{run.port}': the currents along trace '{run.sheet.name}' miss two waves by {missed:.0%}: something "
            "lies across it or close by; give it a longer clear run from the port"
        )
    return replace(best, impedance=_impedance(run, drives, best))


def _impedance(run: _Run, drives: list[Driven], own: _Fit) -> float:
    """Of the wave on the mesh over that of the line: voltages are ∫ E_z dz from the plane up, a mean over the strip.

    On few cells across, impedances are some per cent too high. Without a plane, and under metal in the air, whose field
    in layers is not known, it is taken to be that of the cross-section.
    """
    hertz = drives[0].frequency
    if not (run.stack.has_plane and drives[0].antenna.printed):
        return 1.0
    height = float(run.end[2])
    marks = [z for z in run.stack.faces if z <= abs(height) * (1.0 + 1e-9)]
    nodes, weights = _panels(np.array(marks) * math.copysign(1.0, height), _NODES)
    places = run.samples[np.linspace(0, own.count - 1, 5).astype(int)[1:-1]]
    beside, shares = _panels(np.array([-0.5, 0.5]) * run.width, _ACROSS)
    ground = (run.end + places[:, None] * run.ahead) * np.array([1.0, 1.0, 0.0])
    points = (
        ground[:, None, None] + beside[:, None, None] * run.aside + nodes[:, None] * np.array([0.0, 0.0, 1.0])
    )  # fmt: skip
    gamma = run.line.propagation(hertz) * own.stretch
    both = np.stack([np.exp(-gamma * places), np.exp(gamma * places)], axis=1)
    waves, _ = _waves(run.along(drives)[: own.count], run.samples[: own.count], gamma)
    # The port's own drive tells most.
    upright = drives[run.number].near_field(points, in_metal="zero").e[..., 2]
    told, through = -(upright @ weights) @ shares / run.width, both @ waves[:, run.number]
    return float((np.vdot(through, told) / np.vdot(through, through)).real / run.line.characteristic(hertz))


def _panels(edges: Floats, count: int) -> tuple[Floats, Floats]:
    """Gauss nodes and weights over all stretches between edges, which may fall."""
    x, w = np.polynomial.legendre.leggauss(count)
    half = np.diff(edges)[:, None] / 2.0
    return ((edges[1:] + edges[:-1])[:, None] / 2.0 + half * x).ravel(), (half * w).ravel()


def _waves(flows: Complexes, places: Floats, gamma: complex) -> tuple[Complexes, float]:
    """Amperes of the waves onward and back (2, drives) at the end of a strip, and how far they miss its currents."""
    both = np.stack([np.exp(-gamma * places), -np.exp(gamma * places)], axis=1)
    found, *_ = np.linalg.lstsq(both, flows, rcond=None)
    return np.asarray(found), float(np.linalg.norm(both @ found - flows) / np.linalg.norm(flows))


def _stretch(flows: Complexes, places: Floats, gamma: complex) -> float:
    """How much slower the mesh's wave is than that of the cross-section, where there is enough of it to tell."""
    from scipy.optimize import minimize_scalar

    if abs(gamma) * np.ptp(places) < _QUARTER:
        return 1.0
    found = minimize_scalar(
        lambda s: _waves(flows, places, gamma * s)[1], bounds=(1.0 - _STRETCH, 1.0 + _STRETCH), method="bounded"
    )
    return float(found.x)


def _run(solution: Solution, port: Port, plane: Length | None, hertz: float, lowest: float) -> _Run:
    """The run of the trace that a port feeds."""
    antenna, mesh = solution.antenna, solution.sheet_mesh
    place = antenna.place_of(port)
    near: list[tuple[float, Sheet, Strip, int]] = []
    for sheet in antenna.sheets:
        shape = sheet.surface.shape
        if isinstance(shape, Strip):
            local = sheet.surface.to_local(place)[:2]
            near += [
                (float(np.linalg.norm(np.array(shape.points[end]) - local)) / shape.widths[end], sheet, shape, end)
                for end in (0, -1)
            ]
    if mesh is None or not near or min(near, key=lambda one: one[0])[0] > _NEAR:
        raise UsageError(
            f"port '{port.name}' is at no end of a trace: a reference plane is on one, from the end that the port feeds"
        )
    _, sheet, shape, end = min(near, key=lambda one: one[0])
    points = np.array(shape.points)[:: -1 if end else 1]
    width, surface = shape.widths[end], sheet.surface
    start, after = (surface.to_space(np.append(p, 0.0)) for p in points[:2])
    length = float(np.linalg.norm(after - start))
    ahead = (after - start) / length
    stack, height = _stack_of(antenna, sheet, float(start[2]))
    line = strip(stack, width, hertz)
    clear = max(height, width)
    own = float(abs((place - start) @ ahead))
    first, last = own + clear, length - clear
    turn = abs(line.propagation(max(lowest, 0.55 * hertz))) * max(last - first, 0.0)
    if turn < _LEAST:
        raise UsageError(
            f"port '{port.name}': the straight run of trace '{sheet.name}', {units.engineering(length, 'm')} long, "
            f"leaves {math.degrees(turn):.0f} deg of a wave {units.engineering(clear, 'm')} off both its ends; "
            f"{math.degrees(_LEAST):.0f} are needed to tell waves apart: make it longer"
        )
    at = first if plane is None else units.length(plane, f"port '{port.name}', plane")
    if not 0.0 <= at <= length * (1.0 + 1e-9):
        raise UsageError(
            f"port '{port.name}': the plane, {units.engineering(at, 'm')} along trace '{sheet.name}', is off "
            f"its straight run of {units.engineering(length, 'm')}: take one on it"
        )
    aside = np.cross([0.0, 0.0, 1.0], ahead)
    number = [p.name for p in antenna.ports].index(port.name)
    return _Run(port.name, number, sheet, start, ahead, aside, width, first, last, at, line, stack, mesh)


def _stack_of(antenna: Antenna, sheet: Sheet, z: float) -> tuple[Stack, float]:
    """The layers that a strip is on, as if over a plane, with it as their metal, and how far it is from a plane."""
    medium = antenna.medium
    stack = medium.stack
    if medium.sides:
        stack = medium.sides[0 if z > 0.0 else 1]
    level = -1 if stack is None else int(stack.level_at(np.array(abs(z))))
    if stack is None or level < 0:
        raise UsageError(f"trace '{sheet.name}' is on no layers: what runs along it is no line's wave")
    stack = stack.on(level)
    heights = [abs(stack.level - other) for other in stack.planes] or [stack.thickness]
    return stack, min(heights)
