"""Solving an antenna or a design."""

from __future__ import annotations

import logging
from dataclasses import replace

import numpy as np

from ..description.antenna import Antenna
from ..description.design import Design, model_of
from ..errors import ModelError, RunError, UsageError
from ..meshing.mesh import MeshRule
from ..network.sources import watts
from ..running import Record, report
from .evidence import evidence as gather
from .frequencies import Frequencies, wanted
from .prepare import estimate, prepare
from .solution import Solution, solved

_log = logging.getLogger("earshot")
_LARGE = 2000
"""Unknowns from which it is told beforehand what a solve will take."""


def solve(
    model: Design | Antenna,
    frequencies: Frequencies | None = None,
    *,
    rule: MeshRule | None = None,
    evidence: bool = False,
    errors: bool = True,
    method: str = "auto",
) -> Solution:
    """Solve an antenna at one frequency, several, or over bands.

    frequencies: text or Hz, a `band(...)`, or a list of any of them; a design's own frequency unless given. Single ones
    are solved; a band is solved where it needs to be and interpolated between. One mesh, made for the highest of them,
    serves all. rule: how finely wires are divided. evidence: gather it too, at the solved frequency nearest the middle,
    with the first port driven and any others closed by their references. errors: keep at single frequencies what
    `mesh_errors` asks, for some tenth of a solve. method: "dense" makes all of the matrix and factorises it; "fast"
    holds what is far in less room and iterates; "auto" takes the faster of them, and dense where iterations fail.
    Raises ModelError with its findings when `check` says the model cannot be solved, UsageError without a frequency or
    a port, RunError when the solve fails.
    """
    model = model_of(model, "solve")
    if frequencies is None:
        if not isinstance(model, Design) or model.frequency is None:
            name = model.antenna.name if isinstance(model, Design) else model.name
            raise UsageError(f"solve: no frequency was given for '{name}': name one, such as '150.1 MHz'")
        frequencies = model.frequency
    asked, record = wanted(frequencies), Record()
    rule = rule or MeshRule()
    ready = prepare(model, float(asked.every[-1]), rule, record, method)
    if isinstance(ready.problem, RunError):
        raise ready.problem
    if ready.basis is None:
        raise ModelError("\n".join(str(f) for f in ready.findings.stops), ready.findings)
    for finding in ready.findings:
        if finding.level == "warn":
            _log.warning("%s", finding)
    if ready.basis.size > _LARGE:
        takes = estimate(ready, frequencies)
        report(f"solving {ready.antenna.name}: {takes.words}")
    answer = solved(ready.antenna, ready.basis, asked, rule, record, errors=errors, method=method)
    if not evidence:
        return answer
    middle = float(answer.solved[np.argmin(np.abs(answer.solved - answer.solved.mean()))])
    return replace(answer, evidence=gather(answer, {ready.antenna.ports[0].name: watts(1.0)}, middle))
