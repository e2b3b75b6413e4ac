"""Plane waves on an array without end: what it sends back and lets through, as 2x2 matrices of TM and TE."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..answers.circuits import circuit_of
from ..answers.driven import currents_of
from ..arraytypes import Complexes, Floats
from ..constants import wavenumber
from ..errors import UsageError
from ..lettering import Told
from ..meshing.mesh import MeshRule
from ..moments.formulation import formulation
from ..moments.incident import PlaneWave
from ..network.elements import Impedance, impedance
from .cell import Cell
from .directions import towards
from .scan import Solver, frequencies_of, solver_of
from .waves import leaving

if TYPE_CHECKING:
    import pandas as pd

POLARISATIONS = ("TM", "TE")
"""E in the plane of incidence, and square to it; at θ = 0 that plane is the one of φ."""


@dataclass(frozen=True, eq=False, repr=False)
class Surface(Told):
    """What a cell without end does to plane waves (n,) from above.

    frequencies, theta, phi (n,): Hz and degrees, where each comes from. reflection, transmission (n, 2, 2): of the wave
    that goes on as from a mirror, and as through nothing: what arrives as TM or TE is a column, what leaves a row. Both
    are ratios of E along the surface at the height `height`, m, and of roots of powers where they change the
    polarisation. elsewhere (n, 2): share of the power that leaves in other directions; lost (n, 2): that stays.
    """

    cell: Cell
    frequencies: Floats
    theta: Floats
    phi: Floats
    reflection: Complexes
    transmission: Complexes
    elsewhere: Floats
    lost: Floats
    height: float

    def _in_words(self) -> str:
        return f"{self.cell}: {len(self)} plane waves"

    def _as_table(self) -> pd.DataFrame:
        return self.table()

    def __len__(self) -> int:
        return len(self.frequencies)

    def table(self) -> pd.DataFrame:
        """A row per wave and polarisation: what comes back, what goes through, alike and crossed, with phases (deg)."""
        import pandas as pd

        frames = []
        for column, name in enumerate(POLARISATIONS):
            back, on = self.reflection[:, column, column], self.transmission[:, column, column]
            frames.append(
                pd.DataFrame(
                    {
                        "frequency_Hz": self.frequencies,
                        "theta_deg": self.theta,
                        "phi_deg": self.phi,
                        "polarisation": name,
                        "reflection": np.abs(back),
                        "reflection_phase_deg": np.degrees(np.angle(back)),
                        "crossed_reflection": np.abs(self.reflection[:, 1 - column, column]),
                        "transmission": np.abs(on),
                        "transmission_phase_deg": np.degrees(np.angle(on)),
                        "crossed_transmission": np.abs(self.transmission[:, 1 - column, column]),
                        "elsewhere": self.elsewhere[:, column],
                        "lost": self.lost[:, column],
                    }
                )
            )
        return pd.concat(frames, ignore_index=True).sort_values(["frequency_Hz", "theta_deg", "phi_deg"], kind="stable")


def illuminate(
    cell: Cell,
    theta: ArrayLike,
    phi: ArrayLike,
    frequencies: str | float | Sequence[str | float],
    *,
    height: str | float | None = None,
    terminations: Mapping[str, Impedance | complex] | None = None,
    rule: MeshRule | None = None,
) -> Surface:
    """Plane waves from directions θ, φ (degrees, that go together) at every frequency.

    height: where phases are counted, the highest metal unless given. terminations: what closes ports, if there are any;
    their references unless named. Raises ModelError for a cell that cannot be solved, UsageError for waves from below.
    """
    angles = np.broadcast_arrays(np.asarray(theta, float), np.asarray(phi, float))
    polar, around = (x.ravel() for x in angles)
    if not polar.size or not (np.isfinite(polar).all() and np.isfinite(around).all()):
        raise UsageError("illuminate: give at least one direction θ, φ in degrees, and only numbers")
    if not ((polar >= 0.0) & (polar < 90.0)).all():
        raise UsageError(
            f"illuminate: θ = {polar[(polar < 0.0) | (polar >= 90.0)][0]:g} deg is not from 0 to below 90 deg"
        )
    hertz = frequencies_of(frequencies)
    solver = solver_of(cell, float(hertz.max()), rule, fed=False)
    own = cell.antenna
    for name in terminations or {}:
        own.port(name)
    tops = [max(z for *_, z in w.corners) for w in own.wires] + [
        float(s.surface.bounds[:, 2].max()) for s in own.sheets
    ]
    level = max(tops) if height is None else units.length(height, "illuminate, height")
    ends, ways = terminations or {}, list(zip(polar.tolist(), around.tolist(), strict=True))
    found = [_one(solver, float(f), t, p, level, ends) for f in hertz for t, p in ways]
    back, on, elsewhere, lost = (np.array([x[i] for x in found]) for i in range(4))
    return Surface(
        cell, np.repeat(hertz, len(ways)), np.tile(polar, len(hertz)), np.tile(around, len(hertz)), back, on,
        elsewhere, lost, level,
    )  # fmt: skip


def _one(
    solver: Solver, hertz: float, theta: float, phi: float, level: float,
    terminations: Mapping[str, Impedance | complex],
) -> tuple[Complexes, Complexes, Floats, Floats]:  # fmt: skip
    """Reflection and transmission (2, 2), and shares of power elsewhere and lost (2,) of waves from one direction."""
    cell = solver.cell
    antenna, medium = cell.antenna, cell.antenna.medium
    polar, around, k = math.radians(theta), math.radians(phi), wavenumber(hertz)
    cosine = math.cos(polar)
    waves = [PlaneWave(polar, around, 1.0, 0.0), PlaneWave(polar, around, 0.0, 1.0)]
    tested = np.stack([formulation(medium).tested(solver.basis.own, wave, hertz) for wave in waves], axis=1)
    columns, uv = solver.solved(hertz, -towards(theta, phi), np.concatenate([tested, solver.vectors], axis=1))
    shorted, driven = columns[:, :2], columns[:, 2:]
    induced = shorted + driven @ _voltages(solver, hertz, shorted, driven, terminations)
    up, down = _without_metal(cell, hertz, polar)
    turn, through = np.exp(-2j * k * cosine * level), np.exp(2j * k * cosine * medium.thickness)
    back, on = np.diag(up) * turn * through, np.diag(down * np.sqrt(through))
    out = np.zeros(2)
    for column in (0, 1):
        flow = currents_of(antenna, solver.basis.own, induced[:, column], hertz)
        numbers, _, directions, _, fields = leaving(cell, flow, uv, around + math.pi)
        straight = ~numbers.any(axis=1)
        above = directions < 0.5 * math.pi
        # Along the surface: E_θ of what goes up points back along the way the wave came, E_φ likewise.
        back[:, column] += -fields[straight & above][0] * turn
        if not medium.has_plane:
            on[:, column] += fields[straight & ~above][0] * np.array([1.0, -1.0])
        powers = (np.abs(fields[~straight]) ** 2).sum(axis=1) * np.abs(np.cos(directions[~straight])) / cosine
        out[column] = float(powers.sum())
    kept = (np.abs(back) ** 2).sum(axis=0) + (np.abs(on) ** 2).sum(axis=0)
    return back, on, out, np.asarray(1.0 - kept - out)


def _without_metal(cell: Cell, hertz: float, theta: float) -> tuple[Complexes, Complexes]:
    """What the medium alone sends back (2,), at its face, and lets through, from face to face."""
    medium = cell.antenna.medium
    on = np.ones(2, complex)
    tm, te = medium.reflected(np.array([theta]), hertz)
    back = np.array([-tm[0], te[0]])
    stack = medium.stack
    if medium.has_plane:
        on = np.zeros(2, complex)
    elif stack is not None:
        on = np.array([x[0] for x in stack.at(hertz).transmitted(np.array([theta]))])
    return back, on


def _voltages(
    solver: Solver, hertz: float, shorted: Complexes, driven: Complexes, terminations: Mapping[str, Impedance | complex]
) -> Complexes:
    """At all gaps (gaps, 2), from the currents of each polarisation with the gaps shorted, and those of 1 V at each."""
    antenna = solver.cell.antenna
    gaps = len(antenna.gaps)
    if not gaps:
        return np.zeros((0, 2), complex)
    circuit = circuit_of(antenna)
    ends = [terminations.get(port.name, port.reference) for port in antenna.ports]
    closings = [x if isinstance(x, Impedance) else impedance(x) for x in ends]
    closed = replace(circuit, ports=0, closings=(*closings, *circuit.closings))
    injected, admittance = solver.vectors.T @ shorted, solver.vectors.T @ driven
    found = np.stack([closed.excited(admittance, hertz, injected[:, n]) for n in (0, 1)], axis=1)[:gaps]
    if not np.isfinite(found).all():
        raise UsageError(f"cell of '{antenna.name}': its terminations leave no finite answer; change one a little")
    return np.asarray(found)
