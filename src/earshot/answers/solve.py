"""Solving an antenna or a design."""

from __future__ import annotations

import logging
from dataclasses import replace

import numpy as np

from ..errors import ModelError, UsageError
from ..geometry.antenna import Antenna
from ..geometry.design import Design
from ..geometry.mesh import MeshRule
from ..network.sources import watts
from ..running import Record
from .evidence import evidence as gather
from .frequencies import Frequencies, wanted
from .solution import Solution, basis_for, solved

_log = logging.getLogger("earshot")


def solve(
    model: Design | Antenna,
    frequencies: Frequencies | None = None,
    *,
    rule: MeshRule | None = None,
    evidence: bool = False,
) -> Solution:
    """Solve an antenna at one frequency, several, or over bands.

    frequencies: text or Hz, a `band(...)`, or a list of any of them; a design's own frequency unless given. Single ones
    are solved; a band is solved where it needs to be and interpolated between. One mesh, made for the highest of them,
    serves all. rule: how finely wires are divided. evidence: gather it too, at the solved frequency nearest the middle,
    with the first port driven and any others closed by their references. Raises ModelError with its findings when
    `check` says the model cannot be solved, UsageError without a frequency or a port, RunError when the solve fails.
    """
    antenna = model.antenna if isinstance(model, Design) else model
    if frequencies is None:
        if not isinstance(model, Design) or model.frequency is None:
            raise UsageError(f"solve: no frequency was given for '{antenna.name}': name one, such as '150.1 MHz'")
        frequencies = model.frequency
    asked = wanted(frequencies)
    highest = float(asked.every[-1])
    rule = rule or MeshRule()
    findings = model.check(highest, rule)
    if findings.stops:
        raise ModelError("\n".join(str(f) for f in findings.stops), findings)
    for finding in findings:
        if finding.level == "warn":
            _log.warning("%s", finding)
    record = Record()
    with record.stage("mesh"):
        basis = basis_for(antenna, highest, rule)
    answer = solved(antenna, basis, asked, rule, record)
    if not evidence:
        return answer
    middle = float(answer.solved[np.argmin(np.abs(answer.solved - answer.solved.mean()))])
    return replace(answer, evidence=gather(answer, {antenna.ports[0].name: watts(1.0)}, middle))
