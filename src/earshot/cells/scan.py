"""An array without end, solved at any scan: every element driven as the one before it, a phase behind."""

from __future__ import annotations

import itertools
import logging
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..answers.circuits import circuit_of, closed_admittance
from ..answers.driven import currents_of
from ..arraytypes import Bools, Complexes, Floats
from ..constants import WAVE_IMPEDANCE, wavelength, wavenumber
from ..errors import RunError, UsageError
from ..lettering import Told
from ..meshing.mesh import MeshRule
from ..moments.cell_basis import CellBasis
from ..moments.endless import EndlessMatrix
from ..moments.ports import gap_vectors
from ..network.network import scattering
from ..network.rational import sweep
from ..running import report
from .cell import Cell, basis_for
from .directions import angles, clear_of_onset, crossings, onsets, towards
from .guides import guided_by
from .waves import Fed

if TYPE_CHECKING:
    import pandas as pd

_log = logging.getLogger("earshot")
_TOLERANCE = 1e-3
_STEPS = 401
_ALL_BELOW = 7
"""Places of a stretch that are all solved."""


@dataclass(frozen=True, eq=False, repr=False)
class CellScan(Told):
    """What a cell answers at points (n,), each a frequency and a scan.

    frequencies (n,), Hz. uv (n, 2). coefficients (n, gaps, functions) for 1 V at one gap of every cell, the others
    shorted, and admittance (n, gaps, gaps), siemens. solved (n,): which points were solved; the others lie on a
    rational fit through them, whose greatest miss in S, tried on samples, is `error`.
    """

    cell: Cell
    basis: CellBasis
    frequencies: Floats
    uv: Floats
    coefficients: Complexes
    admittance: Complexes
    solved: Bools
    rule: MeshRule
    error: float = 0.0

    def _in_words(self) -> str:
        return f"{self.cell}: {len(self)} scans, {int(self.solved.sum())} of them solved"

    def _as_table(self) -> pd.DataFrame | None:
        return self.table() if len(self.cell.antenna.ports) == 1 else None

    def __len__(self) -> int:
        return len(self.frequencies)

    @property
    def ports(self) -> tuple[str, ...]:
        """Names of the ports of a cell."""
        return tuple(p.name for p in self.cell.antenna.ports)

    @cached_property
    def references(self) -> Complexes:
        """Reference impedances of the ports (ports,), ohm."""
        return np.array([p.reference for p in self.cell.antenna.ports], complex)

    def closed(self, frequencies: Floats, admittance: Complexes) -> Complexes:
        """Admittances between the ports (n, ports, ports) from those between all gaps (n, gaps, gaps), siemens."""
        return closed_admittance(circuit_of(self.cell.antenna), frequencies, admittance)

    @cached_property
    def port_admittance(self) -> Complexes:
        """Between the ports, with loads and lines in place (n, ports, ports), siemens."""
        return self.closed(self.frequencies, self.admittance)

    @cached_property
    def scattering(self) -> Complexes:
        """Active scattering matrices (n, ports, ports): what comes back of waves that all cells are sent in step."""
        return scattering(self.port_admittance, self.references)

    def weights(self, given: Mapping[str, complex] | None = None) -> Complexes:
        """Waves (ports,), √W, by name of port; the lone port gets 1 W unless told. Raises UsageError."""
        if given is None:
            if len(self.ports) != 1:
                raise UsageError(
                    f"cell of '{self.cell.antenna.name}' has {len(self.ports)} ports ({', '.join(self.ports)}): say "
                    f"which are fed, such as {{'{self.ports[0]}': 1}}"
                )
            return np.ones(1, complex)
        for name in given:
            self.cell.antenna.port(name)
        found = np.array([complex(given.get(name, 0.0)) for name in self.ports])
        if not found.any():
            raise UsageError("cell: no port is fed: give one a wave above zero")
        return found

    def fed(self, point: int, weights: Mapping[str, complex] | None = None) -> Fed:
        """A point with every cell fed alike, waves in √W by port; what is not fed is closed by its reference."""
        units.count(point, "cell scan: point", 0, len(self) - 1)
        waves, hertz = self.weights(weights), float(self.frequencies[point])
        antenna, circuit = self.cell.antenna, circuit_of(self.cell.antenna)
        # V + Z I = √(8 Re Z) a.
        known = np.sqrt(8.0 * self.references.real) * waves
        own = self.port_admittance[point]
        voltages = np.linalg.solve(np.eye(len(waves)) + self.references[:, None] * own, known)
        nodes = circuit.spread(self.admittance[point], hertz) @ voltages
        amounts = np.asarray(nodes[: circuit.gaps] @ self.coefficients[point], np.complex128)
        return Fed(
            self.cell, self.basis, currents_of(antenna, self.basis.own, amounts, hertz), amounts, self.uv[point],
            waves, np.asarray(voltages, np.complex128), np.asarray(own @ voltages, np.complex128), nodes,
        )  # fmt: skip

    def table(self, weights: Mapping[str, complex] | None = None) -> pd.DataFrame:
        """A row per point and fed port: where; active impedance (ohm), reflection, VSWR; gain of the element (dBi).

        Gain is that of one cell's port fed, the others all closed by their references, towards the scan, and the scan
        loss how far it is below that of the cell's area; both are missing beyond what is seen, as θ is. lobes: waves
        that leave on one side.
        """
        import pandas as pd

        waves = self.weights(weights)
        back = np.einsum("nij,j->ni", self.scattering, waves)
        theta, phi = angles(self.uv)
        gains, loss = self.gains(weights), self.scan_loss(weights)
        k = wavenumber(1.0) * self.frequencies
        lobes = [len(self.cell.lattice.waves(x * uv, float(x))[0]) for x, uv in zip(k, self.uv, strict=True)]
        frames = []
        for port in np.flatnonzero(waves):
            gamma = back[:, port] / waves[port]
            size, z = np.abs(gamma), self.references[port]
            with np.errstate(divide="ignore", invalid="ignore"):
                impedance = np.where(gamma == 1.0, complex(np.inf), (z.conjugate() + z * gamma) / (1.0 - gamma))
                standing = np.where(size < 1.0, (1.0 + size) / (1.0 - size), np.inf)
            frames.append(
                pd.DataFrame(
                    {
                        "frequency_Hz": self.frequencies,
                        "theta_deg": theta,
                        "phi_deg": phi,
                        "u": self.uv[:, 0],
                        "v": self.uv[:, 1],
                        "port": self.ports[port],
                        "active_impedance_ohm": impedance,
                        "active_reflection": gamma,
                        "reflection_dB": 20.0 * np.log10(np.maximum(size, 1e-10)),
                        "vswr": standing,
                        "element_gain_dBi": gains,
                        "scan_loss_dB": loss,
                        "lobes": lobes,
                        "solved": self.solved,
                    }
                )
            )
        return pd.concat(frames, ignore_index=True)

    @cached_property
    def patterns(self) -> Complexes:
        """(E_θ, E_φ) times distance (n, ports, 2), volts peak, of one cell's port sent 1 W, the others all closed.

        Towards the scan itself, where all cells together say what one of them sends; missing beyond what is seen.
        """
        found = np.full((len(self), len(self.ports), 2), np.nan + 0j)
        for n in np.flatnonzero(np.linalg.norm(self.uv, axis=1) <= 1.0):
            for port, name in enumerate(self.ports):
                found[n, port] = self.fed(int(n), {name: 1.0}).towards_scan
        return found

    def gains(self, weights: Mapping[str, complex] | None = None) -> Floats:
        """Realized gain of one cell among its likes towards the scan (n,), dBi."""
        waves = self.weights(weights)
        fields = np.einsum("npc,p->nc", self.patterns, waves / np.linalg.norm(waves))
        power = (np.abs(fields) ** 2).sum(axis=1) / (2.0 * WAVE_IMPEDANCE)
        return np.asarray(10.0 * np.log10(np.maximum(4.0 * np.pi * power, 1e-10)))

    def scan_loss(self, weights: Mapping[str, complex] | None = None) -> Floats:
        """Gain below that of the whole cell's area, 4πA cos θ/λ², (n,), dB: match, loss and grating lobes together."""
        waves = np.array([wavelength(f) for f in self.frequencies])
        cosine = np.sqrt(np.maximum(1.0 - (self.uv**2).sum(axis=1), 1e-12))
        most = 10.0 * np.log10(4.0 * np.pi * self.cell.lattice.area * cosine / waves**2)
        return np.asarray(most - self.gains(weights))

    def where(self, chosen: ArrayLike) -> CellScan:
        """Some of the points, by number or as true and false."""
        some = np.arange(len(self))[np.asarray(chosen)]
        return replace(
            self, frequencies=self.frequencies[some], uv=self.uv[some], coefficients=self.coefficients[some],
            admittance=self.admittance[some], solved=self.solved[some],
        )  # fmt: skip


@dataclass(eq=False)
class Solver:
    """Solves a cell point by point; the matrix of a frequency is kept while that is asked for."""

    cell: Cell
    basis: CellBasis
    vectors: Floats
    rule: MeshRule
    _matrix: EndlessMatrix | None = None

    def matrix(self, hertz: float) -> EndlessMatrix:
        """That of all scans at a frequency, Hz."""
        if self._matrix is None or self._matrix.frequency != hertz:
            self._matrix = EndlessMatrix(self.cell.antenna, self.basis, hertz)
        return self._matrix

    def solved(self, hertz: float, uv: Floats, vectors: Complexes) -> tuple[Complexes, Floats]:
        """Coefficients (functions, columns) for tested fields, and the scan, which may have been moved a little.

        Raises RunError where nothing solves.
        """
        from scipy.linalg import LinAlgError, lu_factor, lu_solve

        scan, wave = clear_of_onset(uv, self.cell.lattice, hertz)
        if wave is not None:
            _log.warning(
                "at u = %.6g, v = %.6g the wave (%d, %d) leaves along the array, where no sum converges: solved at "
                "u = %.6g, v = %.6g", *uv, *wave, *scan,
            )  # fmt: skip
        report(f"solving the cell at {units.engineering(hertz, 'Hz', 6)}, u = {uv[0]:.3f}, v = {uv[1]:.3f}")
        matrix = self.matrix(hertz).at(wavenumber(hertz) * scan)
        try:
            found = lu_solve(lu_factor(matrix, overwrite_a=True, check_finite=True), vectors)
        except (LinAlgError, ValueError):
            found = np.full(vectors.shape, np.nan)
        if not np.isfinite(found).all():
            raise RunError(
                f"cell of '{self.cell.antenna.name}': the matrix at {hertz:g} Hz, u = {uv[0]:g}, v = {uv[1]:g} cannot "
                "be solved; run check: metal that overlaps is the usual cause"
            )
        return np.asarray(found), scan

    def answer(self, hertz: float, uv: Floats) -> tuple[Complexes, Complexes]:
        """Coefficients (gaps, functions) and admittance (gaps, gaps) at a point."""
        found, _ = self.solved(hertz, uv, self.vectors.astype(complex))
        return np.ascontiguousarray(found.T), self.vectors.T @ found


def solver_of(cell: Cell, highest: float, rule: MeshRule | None, *, fed: bool = True) -> Solver:
    """For frequencies up to the highest, Hz; raises ModelError for a cell that cannot be solved."""
    rule = rule or MeshRule()
    basis = basis_for(cell, highest, rule, fed)
    return Solver(cell, basis, gap_vectors(cell.antenna, basis.own), rule)


def same_line(scan: CellScan) -> tuple[float, Floats, Floats]:
    """The one frequency, Hz, and both ends of the straight way that a scan is along, in equal steps.

    Raises UsageError for any other.
    """
    if len(scan) < 3 or np.ptp(scan.frequencies) > 0.0:
        raise UsageError("cell scan: it is along no line at one frequency: give what scan_cut or scan_line returns")
    even = scan.uv[0] + np.linspace(0.0, 1.0, len(scan))[:, None] * (scan.uv[-1] - scan.uv[0])
    if not np.abs(even - scan.uv).max() < 1e-9:
        raise UsageError("cell scan: its directions lie on no line: give what scan_cut or scan_line returns")
    return float(scan.frequencies[0]), scan.uv[0], scan.uv[-1]


def frequencies_of(frequencies: str | float | Sequence[str | float]) -> Floats:
    """Hz (n,), of one or several; raises UsageError for none."""
    several = [frequencies] if isinstance(frequencies, str | int | float) else list(frequencies)
    if not several:
        raise UsageError("scan: no frequency was given")
    return np.array([units.frequency(f, "scan, frequency") for f in several])


def scan(
    cell: Cell, directions: ArrayLike, frequencies: str | float | Sequence[str | float], *, rule: MeshRule | None = None
) -> CellScan:
    """Solve a cell at every direction, u and v (n, 2), at every frequency.

    `towards` makes directions of θ and φ, `disk` a grid. Raises ModelError for a cell that cannot be solved, UsageError
    for directions that are none.
    """
    uv, hertz = _directions(directions), frequencies_of(frequencies)
    solver = solver_of(cell, float(hertz.max()), rule)
    found = [solver.solved(float(f), x, solver.vectors.astype(complex)) for f in hertz for x in uv]
    # Where a scan was moved off an onset, its waves are those of where it went.
    coefficients, places = np.array([x.T for x, _ in found]), np.array([x for _, x in found])
    admittance = np.array([solver.vectors.T @ x for x, _ in found], np.complex128)
    return CellScan(
        cell, solver.basis, np.repeat(hertz, len(uv)), places, coefficients, admittance,
        np.ones(len(found), bool), solver.rule,
    )  # fmt: skip


def _directions(directions: ArrayLike) -> Floats:
    uv = np.asarray(directions, float).reshape(-1, 2) if np.size(directions) else np.zeros((0, 2))
    if not len(uv) or not np.isfinite(uv).all():
        raise UsageError("scan: directions are pairs of u and v; give at least one, and only numbers")
    return uv


def scan_cut(
    cell: Cell,
    phi: str | float,
    frequency: str | float,
    *,
    to: str | float = 85.0,
    start: str | float | None = None,
    steps: int = _STEPS,
    tolerance: float = _TOLERANCE,
    rule: MeshRule | None = None,
) -> CellScan:
    """Scan in a plane, φ, from θ = `start` to `to` (degrees; negative ones lie at φ + 180), in equal steps of sin θ.

    start: minus `to` unless given. Few of the steps are solved: a rational fit lies between, from the onset of one
    wave to that of the next, to `tolerance` in S; where a surface wave may make the array blind is always looked at.
    """
    plane, last = units.angle(phi, "scan, phi"), units.angle(to, "scan, to")
    first = -last if start is None else units.angle(start, "scan, start")
    for x in (last, first):
        if not abs(x) <= 0.5 * np.pi:
            raise UsageError(f"scan: θ = {np.degrees(x):g} deg is beyond 90 deg")
    one, two = (towards(np.degrees(x), np.degrees(plane)) for x in (first, last))
    return scan_line(cell, one, two, frequency, steps=steps, tolerance=tolerance, rule=rule)


def scan_line(
    cell: Cell,
    start: ArrayLike,
    end: ArrayLike,
    frequency: str | float,
    *,
    steps: int = _STEPS,
    tolerance: float = _TOLERANCE,
    rule: MeshRule | None = None,
) -> CellScan:
    """The same along a straight way in u and v, from start (2,) to end (2,), also beyond what is seen."""
    (one, two), hertz = (
        _directions(np.stack([np.asarray(start, float), np.asarray(end, float)])),
        units.frequency(frequency),
    )
    units.count(steps, "scan: steps", 2, 10_001)
    if not np.linalg.norm(two - one) > 1e-9:
        raise UsageError("scan: it starts where it ends")
    return along(cell, one, two, np.linspace(0.0, 1.0, steps), hertz, tolerance=tolerance, rule=rule)


def along(
    cell: Cell, one: Floats, two: Floats, shares: Floats, hertz: float, *, tolerance: float = _TOLERANCE,
    rule: MeshRule | None = None,
) -> CellScan:  # fmt: skip
    """The same at rising shares (n,) of the way."""
    uv = one + shares[:, None] * (two - one)
    solver = solver_of(cell, hertz, rule)
    waves, _ = cell.lattice.waves(wavenumber(hertz) * 0.5 * (one + two), 2.5 * wavenumber(hertz))
    blind = [
        at
        for guide in guided_by(cell.antenna.medium, hertz)
        for _, at in crossings(cell.lattice, hertz, one, two, waves, guide.index.real)
    ]
    breaks = [at for at, _ in onsets(cell.lattice, hertz, one, two)]

    def sample(share: float) -> tuple[Complexes, Complexes]:
        return solver.answer(hertz, one + share * (two - one))

    values, solved, error = _between_breaks(
        shares, sample, _measure(cell, hertz), tolerance, breaks, blind, mirror=False
    )
    return CellScan(
        cell, solver.basis, np.full(len(shares), hertz), uv, np.array([v[0] for v in values]),
        np.array([v[1] for v in values]), solved, solver.rule, error,
    )  # fmt: skip


def scan_band(
    cell: Cell,
    direction: ArrayLike,
    frequencies: Sequence[str | float],
    *,
    tolerance: float = _TOLERANCE,
    rule: MeshRule | None = None,
) -> CellScan:
    """One direction, u and v, over rising frequencies, few of which are solved, as by `scan_line`."""
    uv, hertz = _directions(direction)[0], frequencies_of(frequencies)
    if not (np.diff(hertz) > 0.0).all():
        raise UsageError("scan: frequencies of a band rise; sort them")
    solver = solver_of(cell, float(hertz[-1]), rule)
    # A wave of reciprocal step G is at its onset where |k uv + G| = k.
    steps = cell.lattice.within(3.0 * wavenumber(float(hertz[-1])), reciprocal=True) @ cell.lattice.reciprocal
    a, b, c = 1.0 - uv @ uv, 2.0 * steps @ uv, (steps**2).sum(axis=1)
    breaks = []
    for b1, c1 in zip(b, c, strict=True):
        for k in np.roots([a, -b1, -c1]) if abs(a) > 1e-12 else ([-c1 / b1] if b1 else []):
            if abs(k.imag) < 1e-9 and k.real > 0.0:
                breaks.append(float(k.real / wavenumber(1.0)))

    def sample(x: float) -> tuple[Complexes, Complexes]:
        return solver.answer(x, uv)

    values, solved, error = _between_breaks(hertz, sample, _measure(cell), tolerance, breaks, [], mirror=True)
    return CellScan(
        cell, solver.basis, hertz, np.tile(uv, (len(hertz), 1)), np.array([v[0] for v in values]),
        np.array([v[1] for v in values]), solved, solver.rule, error,
    )  # fmt: skip


def planes(
    cell: Cell, frequency: str | float, weights: Mapping[str, complex] | None = None, *, rule: MeshRule | None = None
) -> dict[str, float]:
    """φ, radians, of the planes that broadside's E lies in ("E"), square to it ("H"), and half way ("D").

    Of a field that turns, the longer axis of its ellipse counts.
    """
    up = scan(cell, [[0.0, 0.0]], frequency, rule=rule)
    x, y = np.einsum("pc,p->c", up.patterns[0], up.weights(weights))
    along = 0.5 * math.atan2(2.0 * float((x * np.conj(y)).real), float(abs(x) ** 2 - abs(y) ** 2))
    # To a millionth of a degree, so that an axis is one.
    along = round(along % math.pi, 8)
    along = along if along < math.pi - 1e-6 else 0.0
    return {"E": along, "H": (along + 0.5 * math.pi) % math.pi, "D": (along + 0.25 * math.pi) % math.pi}


def _measure(cell: Cell, hertz: float | None = None) -> Any:
    """From entries, admittances first, at frequencies, or all at one, to what the tolerance is about: S."""
    circuit, count = circuit_of(cell.antenna), len(cell.antenna.gaps)
    references = np.array([p.reference for p in cell.antenna.ports], complex)

    def measure(x: Floats, entries: Complexes) -> Complexes:
        admittance = entries[:, : count**2].reshape(-1, count, count)
        places = x if hertz is None else np.full(len(x), hertz)
        ports = closed_admittance(circuit, places, admittance)
        return scattering(ports, references).reshape(len(x), -1)

    return measure


def _between_breaks(
    wanted: Floats, answer: Callable[[float], tuple[Complexes, Complexes]],
    measure: Callable[[Floats, Complexes], Complexes], tolerance: float, breaks: Sequence[float],
    besides: Sequence[float], *, mirror: bool,
) -> tuple[list[tuple[Complexes, Complexes]], Bools, float]:  # fmt: skip
    """Coefficients and admittances at every wanted place, few of them solved, by a rational fit from break to break."""
    found: dict[int, tuple[Complexes, Complexes]] = {}
    solved, error = np.zeros(len(wanted), bool), 0.0
    edges = [0, *np.searchsorted(wanted, sorted(breaks)).tolist(), len(wanted)]
    for first, last in itertools.pairwise(sorted(set(edges))):
        here = np.arange(first, last)
        known: dict[float, tuple[Complexes, Complexes]] = {}

        def sample(x: float, known: dict[float, tuple[Complexes, Complexes]] = known) -> Complexes:
            known[x] = answer(x)
            coefficients, admittance = known[x]
            return np.concatenate([admittance.ravel(), coefficients.ravel()])

        if len(here) <= _ALL_BELOW:
            for x in wanted[here]:
                sample(float(x))
        else:
            must = [int(np.argmin(np.abs(wanted[here] - x))) for x in besides if wanted[first] <= x <= wanted[last - 1]]
            swept = sweep(wanted[here], sample, measure, tolerance, mirror=mirror, besides=must)
            error = max(error, swept.error)
            shapes = [x.shape for x in next(iter(known.values()))]
            gaps = shapes[1][0] ** 2
            for n, entries in zip(here, swept.values, strict=True):
                found[int(n)] = entries[gaps:].reshape(shapes[0]), entries[:gaps].reshape(shapes[1])
        for n in here:
            if float(wanted[n]) in known:
                found[int(n)], solved[n] = known[float(wanted[n])], True
    return [found[n] for n in range(len(wanted))], solved, error
