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
from ..moments.ways import chosen, cost, refuse_if_too_large
from ..running import Record, report
from .frequencies import Frequencies, wanted

_BAND_SOLVES = 10
"""Solves that a band takes, more or less."""


@dataclass(frozen=True, slots=True)
class Estimate:
    """What a solve will take, more or less: unknowns, bytes, how often it solves, seconds in all, and by which way."""

    unknowns: int
    bytes: int
    solves: int
    seconds: float
    way: str

    @property
    def words(self) -> str:
        """All of it."""
        memory = f"{self.bytes / 1e9:.2g} GB" if self.bytes >= 1e9 else f"{max(self.bytes / 1e6, 1.0):.0f} MB"
        long = f"{self.seconds / 60:.0f} min" if self.seconds >= 90 else f"{max(self.seconds, 1.0):.0f} s"
        unknowns, solves = (
            f"{n} {what}{'s' * (n != 1)}" for n, what in ((self.unknowns, "unknown"), (self.solves, "solve"))
        )
        return f"{unknowns}, {self.way}: {memory} of memory; {solves} in about {long}"


@dataclass(frozen=True, slots=True)
class Prepared:
    """A model looked at: what was found and, unless something stops it, its basis. problem: what stopped the basis.

    way: how it will be solved, "dense" or "fast". highest: frequency, Hz.
    """

    antenna: Antenna
    findings: Findings
    basis: Basis | None
    problem: EarshotError | None
    way: str
    highest: float


def prepare(
    model: Design | Antenna, highest: float, rule: MeshRule | None = None, record: Record | None = None,
    method: str = "auto",
) -> Prepared:  # fmt: skip
    """Check a model for frequencies up to `highest`, Hz, and make its basis; whatever would stop a solve is a finding.

    rule: how finely it is divided. record: takes the time of the mesh. method: see `solve`. Raises
    UsageError for a method that is none.
    """
    rule, record = rule or MeshRule(), record or Record()
    antenna = model.antenna if isinstance(model, Design) else model
    report(f"looking at {antenna.name}")
    findings = check(model, highest, rule)
    if findings.stops:
        return Prepared(antenna, findings, None, None, method, highest)
    report(f"dividing {antenna.name}")

    def stopped(problem: EarshotError) -> Prepared:
        says, _, remedy = str(problem).rpartition(": ")
        stop = Finding("stop", antenna.name, says, remedy)
        return Prepared(antenna, Findings([*findings, stop]), None, problem, method, highest)

    try:
        with record.stage("mesh"):
            basis = antenna_basis(antenna, SPEED_OF_LIGHT / highest, rule)
        gap_vectors(antenna, basis)
    except EarshotError as problem:
        return stopped(problem)
    way = chosen(antenna, basis, method)
    try:
        refuse_if_too_large(antenna, basis, way, highest)
    except RunError as problem:
        return stopped(problem)
    return Prepared(antenna, findings, basis, None, way, highest)


def estimate(prepared: Prepared, frequencies: Frequencies) -> Estimate:
    """What a solve at frequencies will take, from the unknowns and how fast this machine multiplies.

    Raises RunError when the model cannot be solved.
    """
    if prepared.basis is None:
        raise RunError(f"antenna '{prepared.antenna.name}' cannot be solved: see what check found")
    asked, n = wanted(frequencies), prepared.basis.size
    solves = len(asked.single) + sum(min(len(b), _BAND_SOLVES) if b.tolerance else len(b) for b in asked.bands)
    columns = len(prepared.antenna.gaps) * solves
    one = cost(prepared.antenna, prepared.basis, prepared.way, prepared.highest, columns)
    return Estimate(n, one.bytes, solves, solves * 5e10 / _speed() * one.seconds, prepared.way)


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
