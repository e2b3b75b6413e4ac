"""How far to trust a solution: refinement, boundary residual, power balance.

Power balance sees only the real part of the matrix, and reciprocity of a mirrored matrix is an identity, so neither is
enough: what a refinement says of the error, and the field left on the metal between the tested places come with them.

`mesh_errors` is the same for a fraction of a solve, from pieces twice as large, and says what is made of a change.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Complexes
from ..errors import needs
from ..moments.basis import Basis
from ..moments.ports import gap_vectors
from ..moments.response import impedance_operator
from ..running import report
from .cases import Drive
from .mesh_errors import Figure, Terminations, errors_of, from_halved
from .solution import Solution

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, slots=True)
class Evidence:
    """What speaks for, or against, a solution at one frequency.

    figures: every printed figure with the error that a refinement shows. residual: largest tangential field left on
    the metal between tested places, as the voltage over a segment per volt applied; None with sheets. balance:
    (radiated + lost)/accepted power - 1; None over layers with loss, whose share is what is left. passivity: least
    eigenvalue of Re(Z) over |Z|; not below zero.
    """

    frequency: float
    unknowns: int
    refined_unknowns: int
    figures: tuple[Figure, ...]
    residual: float | None
    residual_place: str
    balance: float | None
    passivity: float

    def to_frame(self) -> pd.DataFrame:
        """A pandas table: value, ± (estimated error of the mesh, where there is one), unit and remark."""
        import pandas as pd

        rows = [(f.name, f.value, f.error, f.unit, "") for f in self.figures] + [
            (
                "largest boundary residual",
                math.nan if self.residual is None else self.residual,
                math.nan,
                "V per V",
                self.residual_place,
            ),
            (
                "power balance",
                math.nan if self.balance is None else self.balance,
                math.nan,
                "1",
                "(radiated + lost) / accepted - 1" if self.balance is not None else "what is below takes the remainder",
            ),
            ("passivity", self.passivity, math.nan, "1", "least eigenvalue of Re Z over |Z|; not below zero"),
        ]
        return pd.DataFrame(rows, columns=["figure", "value", "±", "unit", "remark"]).set_index("figure")


def _in_finer(basis: Basis, finer: Basis, coefficients: Complexes) -> Complexes:
    """Coefficients of the same current on a mesh of halved segments: it is still piecewise linear there."""
    from scipy.sparse.linalg import spsolve

    ends, cut = basis.segment_currents(coefficients), ~basis.wires.even
    number = np.arange(len(ends)) + np.cumsum(cut) - cut
    middle = ends.mean(axis=1)
    halves = np.zeros((len(finer.mesh), 2), np.complex128)
    halves[number, 0], halves[number + cut, 1] = ends.T
    halves[number[cut], 1] = halves[number[cut] + 1, 0] = middle[cut]
    # More half functions than functions, but the current is among those they can make: least squares is exact.
    to_halves = finer.wires.ends
    return np.asarray(spsolve((to_halves.T @ to_halves).tocsc().astype(complex), to_halves.T @ halves.ravel()))


def boundary_residual(solution: Solution, frequency: float) -> tuple[float, str]:
    """Largest tangential field left between tested places, in volts over a segment per volt applied, and where it is.

    The current is tested with functions it was not solved with: the hats at the middles of its segments. For wires
    alone: what a foot sends into a sheet is another shape on a finer mesh.
    """
    basis = solution.response.basis
    finer = basis.halved
    one = solution.at(frequency)
    operator = impedance_operator(solution.antenna, finer, float(one.solved[0]), solution.response.method)
    applied = gap_vectors(solution.antenna, finer)
    old = len(solution.mesh.nodes)
    node = finer.mesh.ends.ravel()[finer.wires.halves[0]]
    # The function at the middle of the segment cut s-th is the one that owns node old + s.
    segments = np.flatnonzero(~basis.wires.even)
    middle = np.empty(len(segments), np.int64)
    middle[node[node >= old] - old] = np.flatnonzero(node >= old)
    left = np.array(
        [
            np.abs(applied[:, port] - operator.product(_in_finer(basis, finer, coefficients)[:, None])[:, 0])[middle]
            for port, coefficients in enumerate(one.response.coefficients[0])
        ]
    )
    segment = int(segments[left.max(axis=0).argmax()])
    wire = solution.antenna.wires[solution.mesh.wire[segment]]
    along = float(solution.mesh.arc[segment].mean())
    return float(left.max()), f"{along:.4g} m along wire '{wire.name}', {wire.length:.4g} m long"


def evidence(
    solution: Solution,
    sources: Drive = None,
    frequency: str | float | None = None,
    *,
    terminations: Terminations = None,
) -> Evidence:
    """Gather evidence at one frequency by solving once more with every segment and every triangle's sides halved.

    What has a size of its own stays: triangles where a wire stands, the one current of a short probe through layers.

    sources, terminations: the drive whose figures and power balance are looked at, as for `Solution.drive`. Raises
    UsageError as `drive` does.
    """
    needs(solution, Solution, "evidence", "a Solution, as solve returns it")
    solution = solution.at(frequency)
    driven = solution.drive(sources, terminations=terminations)
    beam = driven.far_field()
    hertz = beam.frequency
    report("gathering evidence: once more with every segment and every triangle's sides halved")
    refined = solution.resolved(solution.response.basis.halved)
    residual, place = None, "not worked out with sheets"
    if not solution.antenna.sheets:
        residual, place = boundary_residual(solution, hertz)
    impedance = solution.network.z().values[0]
    least = np.linalg.eigvalsh(impedance.real)[0]
    return Evidence(
        frequency=hertz,
        unknowns=solution.unknowns,
        refined_unknowns=refined.unknowns,
        figures=tuple(errors_of(solution, from_halved(solution, refined), driven, sources, terminations, every=True)),
        residual=residual,
        residual_place=place,
        balance=None if driven.lossy_below else driven.balance,
        passivity=float(least / np.linalg.norm(impedance, 2)),
    )
