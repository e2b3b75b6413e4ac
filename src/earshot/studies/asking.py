"""What a study asks of a model: one case of a design file, its figures at one frequency, and its values as numbers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import pandas as pd

from .. import units
from ..answers.cases import Case
from ..answers.comparing import compare
from ..answers.solution import Solution
from ..description.antenna import Antenna
from ..description.design import Value
from ..errors import UsageError, unknown
from ..files.design_file import DesignFile
from ..runs.run import lone_case

STEP = 3e-5
"""By how much a value is moved to see what follows, as a share of it."""


@dataclass(frozen=True, slots=True)
class Asked:
    """A design file, the case that is asked about, and where, Hz."""

    file: DesignFile
    case: Case
    hertz: float

    def figures(self, solution: Solution, at: float | None = None) -> pd.Series[float]:
        """Every figure of a solution, driven as the case says, at the frequency or another."""
        return self.table(solution, at)["value"].astype(float)

    def table(self, solution: Solution, at: float | None = None) -> pd.DataFrame:
        """The same with their units."""
        sources = dict(self.case.sources) or None
        return compare(
            {"value": solution}, sources, at or self.hertz, terminations=self.case.terminations,
            sectors=self.case.sectors,
        )  # fmt: skip

    def antenna(self, name: str, value: float) -> Antenna:
        """The antenna with one value, SI, whatever its range."""
        return self.changed_by({name: value})

    def changed_by(self, values: Mapping[str, float]) -> Antenna:
        """The same with several."""
        texts = {name: Value(text_of(self.file, name, value)) for name, value in values.items()}
        return self.file.design.with_(**texts).antenna


def asked_of(file: DesignFile, frequency: str | float | None = None, case: str | None = None) -> Asked:
    """The case of a name, or the first, at a frequency, or where the case is; raises UsageError for no such case."""
    cases = file.cases or lone_case(file)
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


def plain(figures: pd.Series[float]) -> dict[str, float]:
    """Figures by name."""
    return {str(name): float(value) for name, value in figures.items()}
