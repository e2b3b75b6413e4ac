"""A mesh fine enough: refined until what a halved mesh says of the error is below what is asked for."""

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
from ..running import report
from .evidence import Drive, Evidence, Terminations, evidence
from .solve import solve

_LIMIT = re.compile(r"\s*(?P<amount>[\d.]+(?:e-?\d+)?)\s*(?P<unit>%|dB)\s*")
_STEPS = 8
_LEAST, _MOST, _SPARE = 1.2, 2.0, 1.1
"""How much finer a mesh gets at once, and how far below the limit is aimed."""
_STUCK = 0.9
_LEVELS = ("gain", "realized gain")


@dataclass(frozen=True, slots=True)
class Within:
    """What refining came to. rule: the mesh; met: whether the estimated errors are within the limits.

    steps: per mesh its unknowns, segments and edges a wavelength, and the errors: of Z in % of it, of gain in dB.
    """

    rule: MeshRule
    met: bool
    steps: pd.DataFrame
    evidence: Evidence

    @property
    def words(self) -> str:
        """What was reached."""
        last = self.steps.iloc[-1]
        how = "within" if self.met else "no nearer than"
        return (
            f"mesh of {self.rule.per_wavelength:.0f} segments and {self.rule.sheets_per_wavelength:.0f} edges a "
            f"wavelength: {how} {last['impedance_percent']:.2g} % of the impedance and {last['gain_dB']:.2g} dB of gain"
        )


def limits_of(texts: Sequence[str]) -> dict[str, float]:
    """The least error asked for by unit, "%" of an impedance and "dB" of gain; raises UsageError for other words."""
    found: dict[str, float] = {}
    for text in texts:
        match = _LIMIT.fullmatch(text)
        amount = float(match["amount"]) if match and match["amount"].count(".") < 2 else 0.0
        if match is None or not amount > 0.0:
            raise UsageError(f"within '{text}': write it like '1 %', of the impedance, or '0.1 dB', of the gain")
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

    Each mesh is judged by `evidence`, and the next is as much finer as the order of its error says. Ends without being
    met when finer meshes do not help, or would not fit into memory. sources, terminations: the drive, as for
    `Solution.drive`. Raises UsageError for limits that are none, and as `solve` does.
    """
    limits, rule, rows = limits_of(within), rule or MeshRule(), []
    tried: list[MeshRule] = []
    if not limits:
        raise UsageError("within: say how near, such as '1 %'")
    last: Evidence | None = None
    before = math.inf
    for number in range(_STEPS):
        report(f"mesh {number + 1}: {rule.per_wavelength:.0f} segments a wavelength")
        try:
            solution = solve(model, [frequency], rule=rule)
            seen = evidence(solution, sources, frequency, terminations=terminations)
        except RunError:
            if last is None:
                raise
            break
        tried.append(rule)
        last, order = seen, 1.0 if solution.antenna.sheets else 2.0
        errors = _errors(seen)
        rows.append({"unknowns": solution.unknowns, "segments_per_wavelength": rule.per_wavelength,
                     "edges_per_wavelength": rule.sheets_per_wavelength, "impedance_percent": errors["%"],
                     "gain_dB": errors["dB"]})  # fmt: skip
        beyond = max(errors[unit] / limit for unit, limit in limits.items())
        if beyond <= 1.0 or beyond > _STUCK * before:
            break
        before = beyond
        rule = _finer(rule, float(np.clip((_SPARE * beyond) ** (1.0 / order), _LEAST, _MOST)))
    assert last is not None
    steps, errors = pd.DataFrame(rows).rename_axis("mesh"), _errors(last)
    return Within(tried[-1], all(errors[unit] <= limit for unit, limit in limits.items()), steps, last)


def _errors(seen: Evidence) -> dict[str, float]:
    """The greatest of any port, % of its impedance, and of gains, dB."""
    parts: dict[str, dict[str, tuple[float, float]]] = {}
    for one in seen.figures:
        kind, _, port = one.name.partition(" at ")
        if kind in ("R", "X") and port:
            parts.setdefault(port, {})[kind] = (one.value, one.error)
    shares = []
    for part in parts.values():
        (r, r_error), (x, x_error) = part["R"], part["X"]
        shares.append(100.0 * max(r_error, x_error) / max(math.hypot(r, x), 1e-300))
    return {"%": max(shares), "dB": max((one.error for one in seen.figures if one.name in _LEVELS), default=0.0)}


def _finer(rule: MeshRule, by: float) -> MeshRule:
    """A mesh with everything smaller by so much."""
    return replace(
        rule, per_wavelength=by * rule.per_wavelength, least=by * rule.least, port_share=by * rule.port_share,
        sheets_per_wavelength=by * rule.sheets_per_wavelength, around=math.ceil(by * rule.around),
    )  # fmt: skip
