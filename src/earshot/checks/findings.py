"""What a check finds."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import asdict, dataclass
from typing import Any, overload

LEVELS = ("stop", "warn", "note")
"""Worst first: cannot be solved; can be solved but may mislead; good to know."""


@dataclass(frozen=True, slots=True)
class Finding:
    """One finding: how bad, on which part, where, what it is and what to do about it."""

    level: str
    part: str
    says: str
    remedy: str
    place: tuple[float, float, float] | None = None

    def __str__(self) -> str:
        return f"{self.says}: {self.remedy}"


class Findings(Sequence[Finding]):
    """Findings, worst first. Empty is good news."""

    def __init__(self, findings: Iterable[Finding]) -> None:
        self._findings = tuple(sorted(findings, key=lambda f: LEVELS.index(f.level)))

    @overload
    def __getitem__(self, index: int) -> Finding: ...
    @overload
    def __getitem__(self, index: slice) -> tuple[Finding, ...]: ...
    def __getitem__(self, index: int | slice) -> Finding | tuple[Finding, ...]:
        return self._findings[index]

    def __len__(self) -> int:
        return len(self._findings)

    def __iter__(self) -> Iterator[Finding]:
        return iter(self._findings)

    def __repr__(self) -> str:
        return "\n".join(f"{f.level}: {f}" for f in self) or "no findings"

    @property
    def stops(self) -> tuple[Finding, ...]:
        """The findings that keep the model from being solved."""
        return tuple(f for f in self if f.level == "stop")

    def to_frame(self) -> Any:
        """A pandas table with a row per finding."""
        import pandas as pd

        return pd.DataFrame([asdict(f) for f in self], columns=["level", "part", "says", "remedy", "place"])
