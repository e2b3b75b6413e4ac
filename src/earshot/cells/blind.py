"""Where an array without end goes blind, and which wave does it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Floats, Ints
from ..constants import wavenumber
from .directions import angles, crossings, onsets
from .guides import guided_by
from .scan import CellScan, same_line, solver_of

if TYPE_CHECKING:
    import pandas as pd

_DIP, _BLIND = 0.5, 0.2
"""Shares of the power sent that are taken: below the one a dip is looked at closely, below the other it is told."""
_BESIDE = 0.08
"""How far in u and v a wave's own place may be from where the array is blind."""


def blind(scan: CellScan, weights: Mapping[str, complex] | None = None) -> pd.DataFrame:
    """Where along a scanned line a fifth at most goes in, found to 1e-4 in u and v by further solves: a row for each.

    accepted: share of the power sent that is taken there. cause: the surface wave or the lobe's onset nearest by, the
    number of its Floquet wave, and where it would be by itself; "the element's own match" where none is near. Raises
    UsageError for scans that lie on no line, or at several frequencies.
    """
    import pandas as pd
    from scipy.optimize import minimize_scalar

    hertz, start, end = same_line(scan)
    waves = scan.weights(weights)
    waves = waves / np.linalg.norm(waves)
    shares, length = np.linspace(0.0, 1.0, len(scan)), float(np.linalg.norm(end - start))
    taken = 1.0 - (np.abs(scan.scattering @ waves) ** 2).sum(axis=1)
    inner = np.flatnonzero((taken[1:-1] <= taken[:-2]) & (taken[1:-1] <= taken[2:]) & (taken[1:-1] < _DIP)) + 1
    seen = np.linalg.norm(scan.uv, axis=1) < 1.0
    solver = solver_of(scan.cell, hertz, scan.rule)
    rows = []

    def accepted(share: float) -> float:
        from ..network.network import scattering

        uv = start + share * (end - start)
        admittance = solver.answer(hertz, uv)[1]
        ports = scan.closed(np.array([hertz]), admittance[None])
        back = scattering(ports, scan.references)[0] @ waves
        return float(1.0 - (np.abs(back) ** 2).sum())

    for n in inner[seen[inner]]:
        low, high = float(shares[n - 1]), float(shares[n + 1])
        found = minimize_scalar(accepted, bounds=(low, high), method="bounded", options={"xatol": 1e-4 / length})
        if found.fun > _BLIND:
            continue
        uv = start + float(found.x) * (end - start)
        theta, phi = angles(uv)
        rows.append(
            {"theta_deg": float(theta), "phi_deg": float(phi), "u": uv[0], "v": uv[1], "accepted": float(found.fun),
             **_cause(scan, hertz, start, end, float(found.x))}
        )  # fmt: skip
    columns = ["theta_deg", "phi_deg", "u", "v", "accepted", "cause", "p", "q", "cause_theta_deg"]
    return pd.DataFrame(rows, columns=columns)


def _cause(scan: CellScan, hertz: float, start: Floats, end: Floats, share: float) -> dict[str, object]:
    """The wave whose place along the line is nearest, if it is near."""
    length = float(np.linalg.norm(end - start))
    near = [(abs(at - share) * length, at, words, number) for words, number, at in marks(scan, hertz, start, end)]
    if not near or min(near, key=lambda x: x[0])[0] > _BESIDE:
        return {"cause": "the element's own match", "p": None, "q": None, "cause_theta_deg": np.nan}
    _, at, words, number = min(near, key=lambda x: x[0])
    theta = float(angles(start + at * (end - start))[0])
    return {"cause": words, "p": number[0], "q": number[1], "cause_theta_deg": theta}


def marks(scan: CellScan, hertz: float, start: Floats, end: Floats) -> list[tuple[str, tuple[int, int], float]]:
    """Where along a line waves begin to leave, or surface waves are in step with the array: words, number, share."""
    k, lattice = wavenumber(hertz), scan.cell.lattice
    found = [(f"onset of the lobe ({p}, {q})", (p, q), at) for at, (p, q) in onsets(lattice, hertz, start, end)]
    reach = 1.0 + 0.5 * float(np.linalg.norm(end - start))
    for guide in guided_by(scan.cell.antenna.medium, hertz):
        numbers: Ints = lattice.waves(k * 0.5 * (start + end), k * (reach + guide.index.real))[0]
        for number, at in crossings(lattice, hertz, start, end, numbers, guide.index.real):
            p, q = int(number[0]), int(number[1])
            found.append((f"surface wave {guide.name} by ({p}, {q})", (p, q), at))
    return found


def lobes(scan: CellScan) -> pd.DataFrame:
    """Along a scanned line: where lobes begin or end, and where surface waves are in step with the array, by angle."""
    import pandas as pd

    hertz, start, end = same_line(scan)
    rows = []
    for words, (p, q), at in sorted(marks(scan, hertz, start, end), key=lambda x: x[2]):
        uv = start + at * (end - start)
        rows.append(
            {
                "what": words,
                "p": p,
                "q": q,
                "theta_deg": float(angles(uv)[0]),
                "phi_deg": float(angles(uv)[1]),
                "u": uv[0],
                "v": uv[1],
            }
        )
    return pd.DataFrame(rows, columns=["what", "p", "q", "theta_deg", "phi_deg", "u", "v"])
