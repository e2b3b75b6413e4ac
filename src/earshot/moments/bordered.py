"""An operator with a dense border: what cannot go the fast way, and is little."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from ..arraytypes import Complexes
from .alike import Alike
from .iterative import Iterative, Nearly, iterative


class Inner(Protocol):
    """What is inside."""

    @property
    def bytes(self) -> int:
        """What it holds."""
        ...

    @property
    def told(self) -> str:
        """What is to be known of it; mostly nothing."""
        ...

    def product(self, columns: Complexes) -> Complexes:
        """The matrix times columns (functions, columns)."""
        ...


def bytes_of(matrix: Any) -> int:
    """What a sparse matrix holds."""
    return int(matrix.data.nbytes + matrix.indices.nbytes + matrix.indptr.nbytes)


@dataclass(frozen=True, eq=False)
class Bordered:
    """An operator among inner functions and its dense border; nearly: what is to solve with.

    alike: the elements it is of, if these are alike.
    """

    inside: Inner
    nearly: Nearly
    alike: Alike | None = None

    @property
    def bytes(self) -> int:
        """Of both, and what is nearly they."""
        return self.inside.bytes + bytes_of(self.nearly.faded) + self.nearly.rows.nbytes

    def product(self, columns: Complexes) -> Complexes:
        """The matrix times columns (functions, columns)."""
        own, (inner, outer) = self.nearly, (self.nearly.inner, self.nearly.outer)
        found = np.empty(columns.shape, np.complex128)
        within, beyond = columns[inner], columns[outer]
        border = own.rows[:, : len(inner)]
        found[inner] = self.inside.product(within) + border.T @ beyond
        found[outer] = border @ within + own.rows[:, len(inner) :] @ beyond
        return found

    def reduced(self, fewer: Any) -> Reduced:
        """Among fewer functions."""
        alike = None if self.alike is None else self.alike.among_fewer(fewer)
        return Reduced(self, fewer, self.nearly.reduced(fewer, self.product), alike)

    def factors(self) -> Iterative:
        """By iterations."""
        return iterative(self.product, self.nearly, self.bytes, self.alike, self.inside.told)


@dataclass(frozen=True, eq=False)
class Reduced:
    """A bordered operator among fewer functions."""

    whole: Bordered
    fewer: Any
    nearly: Nearly
    alike: Alike | None = None

    @property
    def bytes(self) -> int:
        """Beside the whole."""
        return bytes_of(self.nearly.faded) + self.nearly.rows.nbytes

    def product(self, columns: Complexes) -> Complexes:
        """PᵀZP times columns (fewer, columns)."""
        return np.asarray(self.fewer.T @ self.whole.product(self.fewer @ columns))

    def reduced(self, fewer: Any) -> Reduced:
        """Among fewer still."""
        alike = None if self.alike is None else self.alike.among_fewer(fewer)
        return Reduced(self.whole, self.fewer @ fewer, self.nearly.reduced(fewer, self.product), alike)

    def factors(self) -> Iterative:
        """By iterations."""
        return iterative(self.product, self.nearly, self.bytes, self.alike, self.whole.inside.told)
