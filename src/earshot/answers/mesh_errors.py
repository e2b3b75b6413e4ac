"""The ± of figures that a mesh leaves, for a fraction of a solve.

The solve's own matrix is asked once more, for currents of pieces twice as large (`moments.fewer`), and figures are told
of both. A figure whose error goes with the p-th power of the pieces' size moves by 2^p - 1 of its error when they are
doubled, by 1 - 2⁻ᵖ of it when they are halved (as `evidence` does, in full). Wires, graded to their ends and gaps, are
of second order; sheets of first, as the charge at their rims grows without bound; what they miss adds up. Stated is
half as much again (Roache 1994, J. Fluids Eng. 116, calls it a safety factor), and no figure counts as better settled
than those it belongs with: R and X move along the change of Z, levels with those of the whole main beam.

It says nothing of what stays as it is: triangles where a wire stands, facets, the one current of a short probe, the
model.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..errors import needs
from ..fields.far import FarField
from ..fields.gains import decibels
from ..network.elements import Impedance
from ..network.figures import vswr_of
from ..network.network import Network
from .cases import Drive
from .driven import Driven
from .solution import Solution

if TYPE_CHECKING:
    import pandas as pd

Terminations = Mapping[str, Impedance | complex] | None

_SAFETY = 1.5
_ORDER_OF_WIRES, _ORDER_DOUBLED, _ORDER_OF_SHEETS = 2.0, 1.5, 1.0
"""Doubled pieces of wires keep the grading to ends and gaps, which holds the order back."""
_MAIN = 10.0
"""Decibels below the peak to which the main beam is looked at."""


@dataclass(frozen=True, slots=True)
class Figure:
    """One figure, how far it moved on the other mesh, and the error that this is a sign of."""

    name: str
    value: float
    change: float
    error: float
    unit: str


@dataclass(frozen=True, slots=True)
class Signs:
    """What to tell errors by: networks with the error that a change of theirs is a sign of, over it; they add.

    fields, share: a solution, and the same of figures of its far field.
    """

    networks: tuple[tuple[Network, float], ...]
    fields: Solution
    share: float


def from_doubled(one: Solution) -> Signs:
    """What pieces twice as large say."""
    rough, wires, sheets = one.rougher
    by_wires, by_sheets = (_SAFETY / (2.0**order - 1.0) for order in (_ORDER_DOUBLED, _ORDER_OF_SHEETS))
    return Signs(((wires, by_wires), (sheets, by_sheets)), rough, by_sheets if one.antenna.sheets else by_wires)


def from_halved(one: Solution, finer: Solution) -> Signs:
    """What halved pieces say."""
    share = _SAFETY / (1.0 - 2.0 ** -(_ORDER_OF_SHEETS if one.antenna.sheets else _ORDER_OF_WIRES))
    return Signs(((finer.network, share),), finer, share)


def mesh_errors(
    solution: Solution,
    sources: Drive = None,
    frequency: str | float | None = None,
    *,
    terminations: Terminations = None,
    every: bool = False,
) -> pd.DataFrame:
    """Figures with the estimated error of the mesh: a row per figure, with value, ± and unit.

    R, X and VSWR of every port, and gains towards the peak; every: of all figures of merit there are. sources,
    terminations: the drive, as for `Solution.drive`. Cheap at the single frequencies of a solve; at others the matrix
    is made again. Raises UsageError as `drive` does.
    """
    import pandas as pd

    needs(solution, Solution, "mesh_errors", "a Solution, as solve returns it")
    one = solution.at(frequency)
    driven = one.drive(sources, terminations=terminations)
    found = errors_of(one, from_doubled(one), driven, sources, terminations, every=every)
    rows = [(figure.name, figure.value, figure.error, figure.unit) for figure in found]
    return pd.DataFrame(rows, columns=["figure", "value", "±", "unit"]).set_index("figure")


def errors_of(
    one: Solution, signs: Signs, driven: Driven, sources: Drive, terminations: Terminations, *, every: bool
) -> list[Figure]:
    """Figures of a solution at one frequency, driven, and what others say of their errors."""
    figures = []
    (ohms, standing), *others = (
        (n.impedances[0].tolist(), vswr_of(n.magnitudes[0]).tolist())
        for n in (one.network, *(n for n, _ in signs.networks))
    )
    for p, port in enumerate(one.antenna.ports):
        z, vswr = ohms[p], standing[p]
        moved: dict[str, list[tuple[float, float]]] = {"R": [], "X": [], "VSWR": []}
        for (all_ohms, all_standing), (_, share) in zip(others, signs.networks, strict=True):
            second, changed = all_ohms[p], all_standing[p]
            step = second - z
            # VSWR = (1 + |Γ|)/(1 - |Γ|), and |Γ| moves at most as far as Γ.
            before, after = ((x - port.reference.conjugate()) / (x + port.reference) for x in (z, second))
            for name, change, with_others in (
                ("R", abs(step.real), abs(step) * abs(z.real) / max(abs(z), 1e-300)),
                ("X", abs(step.imag), abs(step)),
                ("VSWR", abs(changed - vswr), 0.5 * abs(after - before) * (vswr + 1.0) ** 2),
            ):
                moved[name].append((change, share * max(change, 0.5 * with_others)))
        for name, value in (("R", z.real), ("X", z.imag), ("VSWR", vswr)):
            change, error = (sum(parts) for parts in zip(*moved[name], strict=True))
            figures.append(Figure(f"{name} at {port.name}", value, change, error, "1" if name == "VSWR" else "ohm"))
    beams = driven.far_field(), signs.fields.drive(sources, terminations=terminations).far_field()
    along = _change_of_beam(*beams)

    def add(name: str, unit: str, value: float, changed: float, with_others: float = 0.0) -> None:
        """with_others: how far the figure might have moved as others beside it did."""
        change = abs(changed - value)
        # From one side of north to the other is no way round.
        change = min(change % 360.0, -change % 360.0) if unit == "deg" else change
        figures.append(Figure(name, value, change, signs.share * max(change, 0.5 * with_others), unit))

    if not every:
        peak = beams[0].peak
        for name, unit, levels in (
            ("directivity", "dBi", [beam.directivity(*peak) for beam in beams]),
            ("gain", "dBi", [beam.gain(*peak) for beam in beams]),
            ("realized gain", "dBi", [beam.realized_gain(*peak) for beam in beams]),
        ):
            value, changed = (float(decibels(level)) for level in levels)
            add(name, unit, value, changed, along)
        return figures
    tables = [beam.summary() for beam in beams]
    values, moves = (t["value"].astype(float).to_numpy() for t in tables)
    kinds = tables[0]["unit"].astype(str)
    for name, unit, own, fresh in zip(tables[0].index, kinds, values.tolist(), moves.tolist(), strict=True):
        if np.isfinite([own, fresh]).all():
            add(str(name), unit, own, fresh, along if unit in ("dB", "dBi") else 0.0)
    return figures


def _change_of_beam(one: FarField, two: FarField) -> float:
    """How far levels moved where they are strong: rms, dB."""
    theta, phi = np.meshgrid(np.radians(np.arange(2.5, 180.0, 5.0)), np.radians(np.arange(0.0, 360.0, 10.0)))
    levels = [10.0 * np.log10(np.maximum(beam.directivity(theta.ravel(), phi.ravel()), 1e-30)) for beam in (one, two)]
    strong = levels[0] > levels[0].max() - _MAIN
    return float(np.sqrt(np.mean((levels[1] - levels[0])[strong] ** 2)))
