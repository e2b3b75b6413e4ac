"""What figures are drawn of: from what was handed over to the network, far field or antenna in it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ...answers.driven import Driven
from ...answers.solution import Solution
from ...description.antenna import Antenna
from ...description.design import Design
from ...errors import UsageError
from ...fields.far import FarField
from ...files.design_file import DesignFile
from ...network.network import Network
from ...network.trace import Trace

Curve = Network | Trace


def curves_of(given: Sequence[Any]) -> list[Curve]:
    """Networks and traces; a solution gives its network. Raises UsageError for anything else, and for nothing."""
    if not given:
        raise UsageError("nothing to draw: give at least one network")
    found = [g.network if isinstance(g, Solution) else g for g in given]
    for one in found:
        if not isinstance(one, Network | Trace):
            raise UsageError(f"a {type(one).__name__} has no curve over frequency: give solution.network, one by one")
    return found


def fields_of(given: Any) -> list[FarField]:
    """Far fields, of one or of several; a drive gives its own. Raises UsageError for anything else, and for nothing."""
    several = list(given) if isinstance(given, list | tuple) else [given]
    if not several:
        raise UsageError("nothing to draw: give at least one far field")
    found = [g.far_field() if isinstance(g, Driven) else g for g in several]
    for one in found:
        if not isinstance(one, FarField):
            raise UsageError(f"a {type(one).__name__} is no far field: use solution.drive(...).far_field()")
    return found


def antenna_of(given: Any) -> Antenna:
    """The antenna of a design, a solution or a drive; raises UsageError for anything else."""
    found = given.antenna if isinstance(given, Design | DesignFile | Solution | Driven) else given
    if not isinstance(found, Antenna):
        raise UsageError(f"a {type(found).__name__} has no geometry: give an Antenna or a Design")
    return found
