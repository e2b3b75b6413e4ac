"""How far to trust a solution: refinement, boundary residual, power balance.

Power balance sees only the real part of the matrix, and reciprocity of a mirrored matrix is an identity, so neither is
enough: what a refinement says of the error, and the field left on the metal between the tested places come with them.

A figure whose error goes with the p-th power of the pieces' size moves by 1 - 2⁻ᵖ of its error when they are halved.
Wires, graded to their ends and gaps, are of second order (errors fall to a quarter or a fifth); sheets of first, as the
charge at their rims grows without bound. What is stated is half as much again (Roache 1994, J. Fluids Eng. 116, calls
it a safety factor), and no figure counts as better settled than those it belongs with: R and X move along the change of
Z, levels with those of the whole main beam. It says nothing of what the model leaves out.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Complexes
from ..errors import needs
from ..fields.far import FarField
from ..moments.basis import Basis
from ..moments.ports import gap_vectors
from ..moments.response import impedance_matrix
from ..network.elements import Impedance
from ..network.sources import Source
from ..running import report
from .solution import Solution

if TYPE_CHECKING:
    import pandas as pd


Drive = dict[str, Source] | Source | None
Terminations = Mapping[str, Impedance | complex] | None


_SAFETY = 1.5
_ORDER_OF_WIRES, _ORDER_OF_SHEETS = 2.0, 1.0
_MAIN = 10.0
"""Decibels below the peak to which the main beam is looked at."""


@dataclass(frozen=True, slots=True)
class Figure:
    """One figure, how far it moved when the mesh was refined, and the error that this is a sign of."""

    name: str
    value: float
    change: float
    error: float
    unit: str


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

    ends, cut = basis.segment_currents(coefficients), ~basis.wires.through
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
    matrix = impedance_matrix(solution.antenna, finer, float(one.solved[0]))
    applied = gap_vectors(solution.antenna, finer)
    old = len(solution.mesh.nodes)
    node = finer.mesh.ends.ravel()[finer.wires.halves[0]]
    # The function at the middle of the segment cut s-th is the one that owns node old + s.
    segments = np.flatnonzero(~basis.wires.through)
    middle = np.empty(len(segments), np.int64)
    middle[node[node >= old] - old] = np.flatnonzero(node >= old)
    left = np.array(
        [
            np.abs(applied[:, port] - matrix @ _in_finer(basis, finer, coefficients))[middle]
            for port, coefficients in enumerate(one.response.coefficients[0])
        ]
    )
    segment = int(segments[left.max(axis=0).argmax()])
    wire = solution.antenna.wires[solution.mesh.wire[segment]]
    along = float(solution.mesh.arc[segment].mean())
    return float(left.max()), f"{along:.4g} m along wire '{wire.name}', {wire.length:.4g} m long"


def _figures(solution: Solution, refined: Solution, drive: Drive, terminations: Terminations) -> list[Figure]:
    """Every printed figure with its change under refinement and what that says of its error."""
    order = _ORDER_OF_SHEETS if solution.antenna.sheets else _ORDER_OF_WIRES
    share = _SAFETY / (1.0 - 2.0**-order)
    figures = []

    def add(name: str, unit: str, value: float, fine: float, with_others: float = 0.0) -> None:
        """with_others: how far the figure might have moved as others beside it did."""
        change = abs(fine - value)
        figures.append(Figure(name, value, change, share * max(change, 0.5 * with_others), unit))

    networks = [s.network for s in (solution, refined)]
    for p, port in enumerate(solution.antenna.ports):
        z, fine = (complex(n.impedance().values[0, p]) for n in networks)
        moved = abs(fine - z)
        add(f"R at {port.name}", "ohm", z.real, fine.real, moved * abs(z.real) / max(abs(z), 1e-300))
        add(f"X at {port.name}", "ohm", z.imag, fine.imag, moved)
        vswr, finer = (float(n.vswr().values[0, p]) for n in networks)
        # VSWR = (1 + |Γ|)/(1 - |Γ|), and |Γ| moves at most as far as Γ.
        one, two = ((x - port.reference.conjugate()) / (x + port.reference) for x in (z, fine))
        add(f"VSWR at {port.name}", "1", vswr, finer, 0.5 * abs(two - one) * (vswr + 1.0) ** 2)
    beams = [s.drive(drive, terminations=terminations).far_field() for s in (solution, refined)]
    along = _change_of_beam(*beams)
    tables = [beam.summary() for beam in beams]
    values, fine_values = (t["value"].astype(float).to_numpy() for t in tables)
    for name, unit, value, fine_value in zip(tables[0].index, tables[0]["unit"], values, fine_values, strict=True):
        if np.isfinite([value, fine_value]).all():
            add(str(name), str(unit), float(value), float(fine_value), along if str(unit) in ("dB", "dBi") else 0.0)
    return figures


def _change_of_beam(one: FarField, two: FarField) -> float:
    """How far levels moved where they are strong: rms, dB."""
    theta, phi = np.meshgrid(np.radians(np.arange(2.5, 180.0, 5.0)), np.radians(np.arange(0.0, 360.0, 10.0)))
    levels = [10.0 * np.log10(np.maximum(beam.directivity(theta.ravel(), phi.ravel()), 1e-30)) for beam in (one, two)]
    strong = levels[0] > levels[0].max() - _MAIN
    return float(np.sqrt(np.mean((levels[1] - levels[0])[strong] ** 2)))


def evidence(
    solution: Solution,
    sources: Drive = None,
    frequency: str | float | None = None,
    *,
    terminations: Terminations = None,
) -> Evidence:
    """Gather evidence at one frequency by solving once more with every segment and every triangle's sides halved.

    What has a size of its own stays: triangles where a wire stands, the one current of a probe through layers.

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
        figures=tuple(_figures(solution, refined, sources, terminations)),
        residual=residual,
        residual_place=place,
        balance=None if driven.lossy_below else driven.balance,
        passivity=float(least / np.linalg.norm(impedance, 2)),
    )
