"""What a solve needs of a matrix: its product with columns, itself among fewer functions, and factors to solve by."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from ..arraytypes import Complexes
from ..errors import RunError

_ROWS = 256


class StagnationError(RunError):
    """A fast way came to nothing; says what to do."""


class Factors(Protocol):
    """What solves."""

    @property
    def bytes(self) -> int:
        """What is held."""
        ...

    @property
    def way(self) -> str:
        """How it solved, in words."""
        ...

    def solve(self, vectors: Complexes) -> Complexes:
        """Solutions (functions, columns) for vectors (functions, columns).

        Raises StagnationError where iterations come to nothing.
        """
        ...

    def product(self, columns: Complexes, /) -> Complexes:
        """The matrix they are of times columns (functions, columns)."""
        ...


class Operator(Protocol):
    """A symmetric matrix."""

    @property
    def bytes(self) -> int:
        """What is held."""
        ...

    def product(self, columns: Complexes) -> Complexes:
        """The matrix times columns (functions, columns)."""
        ...

    def reduced(self, fewer: Any) -> Operator:
        """PᵀZP, P = fewer: sparse (functions, fewer)."""
        ...

    def factors(self) -> Factors:
        """What solves with it, which may take its place; raises LinAlgError or ValueError where nothing does."""
        ...


@dataclass(frozen=True, eq=False)
class Dense:
    """All of a matrix."""

    matrix: Complexes

    @property
    def bytes(self) -> int:
        """Of its entries."""
        return self.matrix.nbytes

    def product(self, columns: Complexes) -> Complexes:
        """As of any matrix."""
        return np.asarray(self.matrix @ columns)

    def reduced(self, fewer: Any) -> Dense:
        """By blocks of rows, so that little is held besides."""
        across, count = fewer.T.tocsr(), fewer.shape[1]
        small = np.zeros((count, count), np.complex128)
        for first in range(0, len(self.matrix), _ROWS):
            rows = slice(first, first + _ROWS)
            # Real times complex, as twice as many real columns.
            columns = np.ascontiguousarray(self.matrix[:, rows])
            half = (across @ columns.view(np.float64)).view(np.complex128)
            small += (fewer[rows].T @ half.T).T
        return Dense(small)

    def factors(self) -> Lower:
        """By LU, in the matrix's own place."""
        from scipy import linalg

        # The matrix is its own transpose; the transposed view is in the order LAPACK wants, so nothing is copied.
        return Lower(linalg.lu_factor(self.matrix.T, overwrite_a=True, check_finite=True))


@dataclass(frozen=True, eq=False)
class Lower:
    """Factors as `scipy.linalg.lu_factor` gives them."""

    lu: tuple[Any, Any]

    @property
    def bytes(self) -> int:
        """Of the factors."""
        return int(self.lu[0].nbytes)

    @property
    def way(self) -> str:
        """How it solved."""
        return "dense"

    def solve(self, vectors: Complexes) -> Complexes:
        """By substitution."""
        from scipy import linalg

        return np.asarray(linalg.lu_solve(self.lu, vectors, check_finite=False))

    def product(self, columns: Complexes) -> Complexes:
        """P L U times columns: as dear as a substitution, where the matrix itself is gone."""
        from scipy.linalg import blas

        factors, swaps = self.lu
        found = blas.ztrmm(1.0, factors, columns)
        found = blas.ztrmm(1.0, factors, found, lower=True, diag=True)
        for row in range(len(swaps) - 1, -1, -1):
            other = swaps[row]
            if other != row:
                found[[row, other]] = found[[other, row]]
        return np.asarray(found)
