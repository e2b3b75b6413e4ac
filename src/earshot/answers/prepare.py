"""Before a solve: look at the model, make its basis, and tell what the solve will take."""

from __future__ import annotations

import math
import time
from dataclasses import dataclass
from functools import cache

import numpy as np

from ..checks.check import check
from ..checks.findings import Finding, Findings
from ..constants import SPEED_OF_LIGHT
from ..description.antenna import Antenna
from ..description.design import Design
from ..errors import EarshotError, RunError
from ..meshing.mesh import MeshRule
from ..moments.basis import Basis
from ..moments.formulation import antenna_basis
from ..moments.ports import gap_vectors
from ..moments.response import bytes_for, refuse_if_too_large
from ..running import Record, report
from .frequencies import Frequencies, wanted

_BAND_SOLVES = 10
"""Solves that a band takes, more or less."""
_ENTRY, _LONG_ENTRY, _TABLE = 2e-8, 1.2e-7, 0.15
"""Seconds, on a machine that does 5e10 operations a second, for an entry of the matrix of wires in closed form, for one
of sheets or of kernels from tables, and for a table.
"""


@dataclass(frozen=True, slots=True)
class Estimate:
    """What a solve will take, more or less: unknowns, bytes, how often it solves, seconds in all."""

    unknowns: int
    bytes: int
    solves: int
    seconds: float


@dataclass(frozen=True, slots=True)
class Prepared:
    """A model looked at: what was found and, unless something stops it, its basis. problem: what stopped the basis."""

    antenna: Antenna
    findings: Findings
    basis: Basis | None
    problem: EarshotError | None


def prepare(
    model: Design | Antenna, highest: float, rule: MeshRule | None = None, record: Record | None = None
) -> Prepared:
    """Check a model for frequencies up to `highest`, Hz, and make its basis; whatever would stop a solve is a finding.

    rule: how finely it is divided. record: takes the time of the mesh.
    """
    rule, record = rule or MeshRule(), record or Record()
    antenna = model.antenna if isinstance(model, Design) else model
    report(f"looking at {antenna.name}")
    findings = check(model, highest, rule)
    if findings.stops:
        return Prepared(antenna, findings, None, None)
    report(f"dividing {antenna.name}")
    try:
        with record.stage("mesh"):
            basis = antenna_basis(antenna, SPEED_OF_LIGHT / highest, rule)
        gap_vectors(antenna, basis)
        refuse_if_too_large(antenna, basis)
    except EarshotError as problem:
        says, _, remedy = str(problem).rpartition(": ")
        stop = Finding("stop", antenna.name, says, remedy)
        return Prepared(antenna, Findings([*findings, stop]), None, problem)
    return Prepared(antenna, findings, basis, None)


def estimate(prepared: Prepared, frequencies: Frequencies) -> Estimate:
    """What a solve at frequencies will take, from the unknowns and how fast this machine multiplies.

    Raises RunError when the model cannot be solved.
    """
    if prepared.basis is None:
        raise RunError(f"antenna '{prepared.antenna.name}' cannot be solved: see what check found")
    asked, n = wanted(frequencies), prepared.basis.size
    solves = len(asked.single) + sum(min(len(b), _BAND_SOLVES) if b.tolerance else len(b) for b in asked.bands)
    tabled = prepared.antenna.medium.tabled
    entry = _LONG_ENTRY if tabled or prepared.antenna.sheets else _ENTRY
    one = 5e10 / _speed() * (8.0 / 3.0 * n**3 / 5e10 + entry * n**2 + _TABLE * tabled) + 0.03
    room = bytes_for(prepared.antenna, prepared.basis, solves)
    return Estimate(n, room, solves, solves * one)


@cache
def _speed() -> float:
    """Operations a second of a product of complex matrices here."""
    n = 400
    square = np.ones((n, n), np.complex128)
    best = math.inf
    for _ in range(3):
        start = time.perf_counter()
        square @ square
        best = min(best, time.perf_counter() - start)
    return 8.0 * n**3 / best
