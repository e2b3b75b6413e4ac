"""A mesh fine enough: refined, where that matters, until its estimated errors are below what is asked for.

What the whole basis has more than the fewer functions of pieces twice as large, Y - Y' = (x - x')ᵀ Z (x - x'), is a sum
over functions: of wires, of what lies along the rims of sheets, and of the rest of them. Those parts that make up most
of it are made finer.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import pandas as pd

from ..description.antenna import Antenna
from ..description.design import Design
from ..errors import RunError, UsageError
from ..meshing.mesh import MeshRule
from ..moments.ports import gap_vectors
from ..moments.response import impedance_operator
from ..running import report
from .cases import Drive
from .mesh_errors import Terminations, mesh_errors
from .solution import Solution
from .solve import solve

_LIMIT = re.compile(r"\s*(?P<amount>[\d.]+(?:e-?\d+)?)\s*(?P<unit>%|dB)\s*")
_STEPS = 6
_FLOOR = {"%": 1e-3, "dB": 1e-5}
_LEAST, _MOST, _SPARE = 1.2, 2.0, 1.1
"""How much finer a mesh gets at once, and how far below the limit is aimed."""
_STUCK, _HEAVY = 0.9, 0.3
_COLUMNS = ("value", "±")
_LEVELS = ("gain", "realized gain")


@dataclass(frozen=True, slots=True)
class Within:
    """What refining came to. rule: the mesh; met: whether the estimated errors are within the limits.

    steps: per mesh its unknowns, segments a wavelength, how fine sheets and rims are, and the errors: of Z in % of it,
    of gain in dB. errors: what `mesh_errors` says of the last.
    """

    rule: MeshRule
    met: bool
    steps: pd.DataFrame
    errors: pd.DataFrame

    @property
    def words(self) -> str:
        """What was reached."""
        last = self.steps.iloc[-1]
        how = "within" if self.met else "no nearer than"
        return (
            f"mesh of {int(last['unknowns'])} unknowns ({self.rule.per_wavelength:.0f} segments a wavelength, sheets "
            f"{self.rule.density:.2g} as fine, rims {MeshRule().edge / self.rule.edge:.2g}): {how} "
            f"{last['impedance_percent']:.2g} % of the impedance and {last['gain_dB']:.2g} dB of gain"
        )


def limits_of(texts: Sequence[str]) -> dict[str, float]:
    """The least error asked for by unit, "%" of an impedance and "dB" of gain; raises UsageError for other words."""
    found: dict[str, float] = {}
    for text in texts:
        match = _LIMIT.fullmatch(text)
        amount = float(match["amount"]) if match and match["amount"].count(".") < 2 else 0.0
        if match is None or not amount > 0.0:
            raise UsageError(f"within '{text}': write it like '1 %', of the impedance, or '0.1 dB', of the gain")
        if amount < _FLOOR[match["unit"]]:
            raise UsageError(
                f"within '{text}': no mesh is surer than about {_FLOOR[match['unit']]:g} {match['unit']}, for which "
                "the integrals are good: ask for no less"
            )
        found[match["unit"]] = min(amount, found.get(match["unit"], math.inf))
    return found


def fine_enough(
    model: Design | Antenna,
    frequency: float,
    within: Sequence[str],
    sources: Drive = None,
    *,
    terminations: Terminations = None,
    rule: MeshRule | None = None,
) -> Within:
    """Refine a mesh until errors at a frequency, Hz, are within limits: "1 %" of the impedance, "0.1 dB" of the gain.

    Each mesh is judged by `mesh_errors`, and the next is finer in what weighs most, as much as the error's order says.
    Ends without being met when finer meshes do not help, or would not fit into memory. sources, terminations: the
    drive, as for `Solution.drive`. Raises UsageError for limits that are none, and as `solve` does.
    """
    limits, rule, rows = limits_of(within), rule or MeshRule(), []
    tried: list[MeshRule] = []
    if not limits:
        raise UsageError("within: say how near, such as '1 %'")
    last: pd.DataFrame | None = None
    before, whole = math.inf, False
    for number in range(_STEPS):
        report(f"mesh {number + 1}: {rule.per_wavelength:.0f} segments a wavelength, sheets {rule.density:.2g} as fine")
        try:
            solution = solve(model, [frequency], rule=rule)
        except RunError:
            if last is None:
                raise
            break
        last = mesh_errors(solution, sources, terminations=terminations)
        tried.append(rule)
        percent, decibels = _errors(last)
        rows.append({"unknowns": solution.unknowns, "segments_per_wavelength": rule.per_wavelength,
                     "sheets_as_fine": rule.density, "rims": rule.edge, "impedance_percent": percent,
                     "gain_dB": decibels})  # fmt: skip
        beyond = max({"%": percent, "dB": decibels}[unit] / limit for unit, limit in limits.items())
        stuck = beyond > _STUCK * before
        if beyond <= 1.0 or (stuck and whole):
            break
        # Where a part alone did not help, everything; where that does not either, nothing will.
        before, whole, weights = beyond, stuck, _weights(solution)
        rule = _finer(rule, dict.fromkeys(weights, 1.0) if whole else weights, beyond)
    assert last is not None
    steps, (percent, decibels) = pd.DataFrame(rows).rename_axis("mesh"), _errors(last)
    reached = {"%": percent, "dB": decibels}
    return Within(tried[-1], all(reached[unit] <= limit for unit, limit in limits.items()), steps, last)


def _weights(solution: Solution) -> dict[str, float]:
    """The share that each part has in what the fewer functions miss of the admittances."""
    basis, (rougher, *_) = solution.response.basis, solution.rougher
    vectors = gap_vectors(solution.antenna, basis)
    operator = impedance_operator(solution.antenna, basis, float(solution.solved[0]), solution.response.method)
    fine, rough = (one.response.coefficients[0].T for one in (solution, rougher))
    missed = ((fine - rough) * (vectors - operator.product(rough))).T
    first = basis.first_wire
    parts = {"wires": missed[:, first:]}
    if basis.sheets is not None:
        mesh = basis.sheets.mesh
        edges, many = mesh.edges
        beside = np.asarray(np.isin(mesh.triangles, edges[many == 1]).any(axis=1))
        at_rim = beside[basis.sheets.pairs].any(axis=0)
        parts |= {"rims": missed[:, :first][:, at_rim], "sheets": missed[:, :first][:, ~at_rim]}
    sizes = {name: float(np.abs(part.sum(axis=1)).max(initial=0.0)) for name, part in parts.items()}
    return {name: size / max(max(sizes.values()), 1e-300) for name, size in sizes.items()}


def _errors(seen: pd.DataFrame) -> tuple[float, float]:
    """The greatest of any port, % of its impedance, and of gains, dB."""
    value, error = (dict(zip(seen.index.astype(str), seen[c].to_numpy(float).tolist(), strict=True)) for c in _COLUMNS)
    shares = [
        100.0 * max(error[name], error[f"X{name[1:]}"]) / max(math.hypot(value[name], value[f"X{name[1:]}"]), 1e-300)
        for name in value
        if name.startswith("R at ")
    ]
    return max(shares), max(error[name] for name in _LEVELS)


def _finer(rule: MeshRule, weights: dict[str, float], beyond: float) -> MeshRule:
    """A mesh whose parts that weigh much are smaller: those of wires of second order, of sheets of first."""
    by = {
        name: float(np.clip((_SPARE * beyond) ** (0.5 if name == "wires" else 1.0), _LEAST, _MOST))
        for name, weight in weights.items()
        if weight >= _HEAVY
    }
    w, rims, sheets = (by.get(name, 1.0) for name in ("wires", "rims", "sheets"))
    return replace(
        rule, per_wavelength=w * rule.per_wavelength, least=w * rule.least, port_share=w * rule.port_share,
        growth=None if rule.growth is None else rule.growth / w, finest=rule.finest / w,
        density=sheets * rule.density, edge=rule.edge / rims, around=math.ceil(sheets * rule.around),
    )  # fmt: skip
