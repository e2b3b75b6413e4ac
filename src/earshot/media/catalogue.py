"""What is known by name, to be looked up."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any, Protocol, TypeVar

from ..errors import UsageError, needs, unknown


class Named(Protocol):
    """What has a name."""

    @property
    def name(self) -> str:
        """By which it is known."""
        ...


T = TypeVar("T", bound=Named)


class Catalogue(Mapping[str, T]):
    """Things by name; asking for one it has not raises UsageError, which names the nearest there is."""

    def __init__(self, kind: str, things: Iterable[T]) -> None:
        self._kind, self._things = kind, {thing.name: thing for thing in things}

    def __getitem__(self, name: str) -> T:
        needs(name, str, self._kind, "its name")
        if name not in self._things:
            raise UsageError(unknown(self._kind, name, self._things))
        return self._things[name]

    def __contains__(self, name: object) -> bool:
        return name in self._things

    def get(self, name: str, default: Any = None) -> Any:
        """That of a name, or else something given."""
        return self._things.get(name, default)

    def __iter__(self) -> Iterator[str]:
        return iter(self._things)

    def __len__(self) -> int:
        return len(self._things)

    def __repr__(self) -> str:
        return f"{self._kind}s: {', '.join(self)}"
