"""What a study asks of a model: one case of a design file, its figures at one frequency, and its values as numbers."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import pandas as pd

from .. import units
from ..answers.cases import Case
from ..answers.comparing import compare, match_at, match_of_inputs
from ..answers.solution import Solution
from ..description.design import Value
from ..errors import UsageError, unknown
from ..fields import polarisation
from ..fields.far import FarField
from ..fields.gains import decibels
from ..files.design_file import DesignFile
from ..network.feed import Feed
from ..runs.run import lone_case
from .towards import gain_towards, is_towards, unit_of

STEP = 3e-5
"""By how much a value is moved to see what follows, as a share of it."""


QUICK = ("gain", "realized gain", "mismatch loss", "front-to-back ratio", "side lobe level", "axial ratio at the peak")
"""Figures of a beam that are had in fixed directions; those of ports besides."""


Needs = Literal["ports", "beam", "every"]
"""What of a model is told: its match, and gains in named directions; the beam in others besides; or every figure."""
_PORTS = re.compile(r"(?:R|X|VSWR|return loss)(?: at .+)?")


def needs_of(figures: Iterable[str]) -> Needs:
    """The least that tells figures."""
    beam = [name for name in figures if _PORTS.fullmatch(name) is None and not is_towards(name)]
    if not beam:
        return "ports"
    return "beam" if all(name in QUICK for name in beam) else "every"


@dataclass(frozen=True, slots=True)
class Aim:
    """Directions (θ, φ), radians: of the peak, behind it, and of the strongest side lobe; none where there is none."""

    peak: tuple[float, float]
    behind: tuple[float, float] | None
    lobe: tuple[float, float] | None


@dataclass(frozen=True, slots=True)
class Asked:
    """A design file, the case that is asked about, and where, Hz; and figures of directions that are asked as well."""

    file: DesignFile
    case: Case
    hertz: float
    also: tuple[str, ...] = ()

    def field(self, solution: Solution) -> FarField:
        """The far field of a solution, driven as the case says."""
        sources = self.case.drive
        return solution.drive(sources, self.hertz, terminations=self.case.terminations).far_field()

    def figures(self, solution: Solution) -> dict[str, float]:
        """Every figure of a solution, driven as the case says."""
        return {str(name): float(value) for name, value in self.table(solution)["value"].items()}

    def table(self, solution: Solution) -> pd.DataFrame:
        """The same with their units."""
        sources = self.case.drive
        found = compare(
            {"value": solution}, sources, self.hertz, terminations=self.case.terminations, sectors=self.case.sectors
        )
        if self.also:
            field = self.field(solution)
            more = {name: {"unit": unit_of(name), "value": gain_towards(field, name)} for name in self.also}
            found = pd.concat([found, pd.DataFrame(more).T])
        return found

    def towards(self, solution: Solution, aim: Aim) -> dict[str, float]:
        """`QUICK` figures, of the beam in fixed directions: no lobe is looked for.

        To first order a peak that moves is as strong as where it was.
        """
        field = self.field(solution)
        theta, phi = np.array([place or (0.0, 0.0) for place in (aim.peak, aim.behind, aim.lobe)]).T
        gain = decibels(field.gain(theta, phi))
        found = self._match(solution)
        found["gain"], found["realized gain"] = float(gain[0]), float(decibels(field.realized_gain(*aim.peak)))
        found["mismatch loss"] = found["gain"] - found["realized gain"]
        if aim.behind is not None:
            found["front-to-back ratio"] = float(gain[0] - gain[1])
        if aim.lobe is not None:
            found["side lobe level"] = float(gain[2] - gain[0])
        found["axial ratio at the peak"] = float(polarisation.axial_ratio(*field.field(*aim.peak)))
        for name in self.also:
            found[name] = gain_towards(field, name)
        return found

    def least(self, solution: Solution) -> dict[str, float]:
        """The match, and figures of named directions."""
        found = self._match(solution)
        if self.also:
            field = self.field(solution)
            found |= {name: gain_towards(field, name) for name in self.also}
        return found

    def _match(self, solution: Solution) -> dict[str, float]:
        found = match_at(solution.network, self.hertz)
        if isinstance(self.case.feed, Feed):
            flow = solution.drive(self.case.feed, self.hertz, terminations=self.case.terminations).feed
            assert flow is not None
            found |= {name: value for name, value, _ in match_of_inputs(flow)}
        return found

    def aim(self, solution: Solution) -> Aim:
        """Where the beam of a solution goes, and what else of it is looked at."""
        field = self.field(solution)
        theta, phi = field.peak
        behind = None if field.front_to_back is None else (theta if field.half_space else np.pi - theta, phi + np.pi)
        lobe = field.side_lobe
        return Aim((theta, phi), behind, None if lobe is None else lobe[1:])

    def moved(self, values: Mapping[str, float]) -> Asked:
        """The same of other values, SI, whatever their ranges."""
        texts = {name: Value(text_of(self.file, name, value)) for name, value in values.items()}
        return self.moved_to(self.file.with_(**texts))

    def moved_to(self, file: DesignFile) -> Asked:
        """The same of the file with other values."""
        return replace(self, file=file, case=next(c for c in cases_of(file) if c.name == self.case.name))


def cases_of(file: DesignFile) -> tuple[Case, ...]:
    """How a file's antenna may be driven."""
    return tuple(file.cases or lone_case(file))


def asked_of(file: DesignFile, frequency: str | float | None = None, case: str | None = None) -> Asked:
    """The case of a name, or the first, at a frequency, or where the case is; raises UsageError for no such case."""
    cases = cases_of(file)
    found = next((one for one in cases if case in (None, one.name)), None)
    if found is None:
        raise UsageError(unknown("case", case or "", [one.name for one in cases]))
    hertz = found.frequencies[0] if frequency is None else frequency
    return Asked(file, found, units.frequency(hertz))


def names_of(file: DesignFile, names: tuple[str, ...] | list[str]) -> list[str]:
    """Values by name, all unless given; raises UsageError for ones there are not, or for a design without values."""
    known = dict(file.design.given)
    for name in names:
        if name not in known:
            raise UsageError(f"'{file.title}': {unknown('value', name, known)}")
    if not known:
        raise UsageError(f"'{file.title}' has no values: name its dimensions under [values]")
    return list(dict.fromkeys(names)) or list(known)


def text_of(file: DesignFile, name: str, value: float) -> str | float:
    """A value in SI as a design file has it; numbers as numbers."""
    kind = file.design.values.quantities[name].kind
    return float(value) if kind == "number" else f"{float(value)!r} {units.KINDS[kind]}"
