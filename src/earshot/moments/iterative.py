"""Solving by iterations: an operator, and a sparse matrix with a dense border that is nearly it, to precondition with.

What is asked for in the end are figures at ports, vᵀx. Of a symmetric matrix their error is (x - x')ᵀ Z (x - x'), of
second order in what is missing of x, and xᵀr, r the residual, tells it: iterations end by that, and by the residual,
which fields are as good as.
"""

from __future__ import annotations

import logging
import math
import time
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..running import free_memory, report
from .alike import LEAST, Alike, by_a_few
from .fronts import Fronts, fronts_of
from .krylov import Product, Step, block_gmres
from .operator import StagnationError

_log = logging.getLogger("earshot")

RESIDUAL, FIGURES = 1e-4, 1e-4
"""Where iterations end: the residual over the vector, and the error at ports that it is a sign of."""
_ALIKE = 5e-4
"""The residual of what is taken from a few ports, on elements that are alike."""
_POWER, _LEAST = 10.0, 1e-3
"""What that error is over: the figure, or so many times its real part where that is less, but no less than a share."""
_MOST, _KEPT, _ROUNDS = 120, 30, 4
"""Iterations at most, and those that memory is to hold; how often they begin anew."""
_SHARE = 0.4
"""Of free memory, for iterates."""


@dataclass(frozen=True, eq=False)
class Nearly:
    """What is nearly a matrix: sparse among `inner`, whole with and among `outer`.

    faded: sparse (inner, inner). places (inner, 2): of functions. rows (outer, inner and outer): the border, dense.
    """

    inner: Ints
    outer: Ints
    faded: Any
    places: Floats
    rows: Complexes

    def reduced(self, fewer: Any, product: Product) -> Nearly:
        """Among fewer functions, sparse (functions, fewer), of a matrix with that product."""
        across = fewer.T.tocsr()
        outer = np.unique(across[:, self.outer].nonzero()[0])
        inner = np.setdiff1d(np.arange(fewer.shape[1]), outer)
        own = fewer[:, inner][self.inner]
        weights = abs(own).T.tocsr()
        places = (weights @ self.places) / np.maximum(np.asarray(weights.sum(axis=1)), 1e-300)[:, None]
        faded = (own.T.tocsr() @ self.faded @ own).tocsr()
        border = np.zeros((len(outer), fewer.shape[1]), np.complex128)
        # What is made of the border's functions alone has its rows from theirs; the rest takes products.
        mixed = np.diff(fewer[:, outer][self.inner].tocsc().indptr) > 0
        order = np.concatenate([self.inner, self.outer])
        rows = fewer[self.outer][:, outer[~mixed]].T @ self.rows
        border[~mixed] = (fewer[order].T @ rows.T).T
        if mixed.any():
            border[mixed] = (across @ product(fewer[:, outer[mixed]].toarray().astype(complex))).T
        return Nearly(inner, outer, faded, places, border[:, np.concatenate([inner, outer])])


@dataclass(eq=False)
class Iterative:
    """Factors of what is nearly an operator, and iterations with it; told: what is to be known of that operator."""

    product: Product
    nearly: Nearly
    fronts: Fronts
    through: Complexes
    square: Complexes
    scale: Floats
    held: int
    alike: Alike | None = None
    done: list[tuple[int, float, float]] = field(default_factory=list)
    besides: str = ""
    told: str = ""

    @property
    def bytes(self) -> int:
        """Of operator and factors."""
        return self.held + self.fronts.bytes + 2 * self.nearly.rows.nbytes

    @property
    def way(self) -> str:
        """How it solved last."""
        if not self.done:
            return "iterations"
        steps, residual, figures = self.done[-1]
        return f"{steps} iterations{self.besides}, residual {residual:.1e}, {figures:.1e} at ports{self.told}"

    def _close(self, columns: Complexes) -> Complexes:
        """What is nearly the inverse, times columns."""
        own, (inner, outer) = self.nearly, (self.nearly.inner, self.nearly.outer)
        found = np.empty(columns.shape, np.complex128)
        within = self.fronts.solve(columns[inner])
        if len(outer):
            beyond = np.linalg.solve(self.square, columns[outer] - own.rows[:, : len(inner)] @ within)
            within -= self.through @ beyond
            found[outer] = beyond
        found[inner] = within
        return found

    def solve(self, vectors: Complexes) -> Complexes:
        """By iterations, some columns at a time where memory calls for it; of many, where elements are alike, a few."""
        self.besides = ""
        if self.alike is not None and vectors.shape[1] >= LEAST:
            found = by_a_few(self.alike, self.product, self._by_iterations, self._off, vectors.astype(complex))
            if found is not None:
                columns, self.besides = found[0], f" for {found[1]}"
                return columns
        return self._by_iterations(vectors)

    def _off(self, found: Complexes, vectors: Complexes) -> tuple[float, float]:
        """How far solutions are off, over what is allowed."""
        residual, figures = self._left(found, vectors, vectors - self.product(found))
        self.done.append((self.done[-1][0], residual, figures))
        return residual / _ALIKE, figures / FIGURES

    def _left(self, found: Complexes, vectors: Complexes, rest: Complexes) -> tuple[float, float]:
        """The residual, over the vector, and the error at ports."""
        scale = self.scale[:, None]
        size = np.linalg.norm(scale * vectors, axis=0)
        size[size == 0.0] = 1.0
        left = float((np.linalg.norm(scale * rest, axis=0) / size).max())
        own = found.T @ vectors
        # Power taken is a small part of much that comes and goes: its error counts as well.
        level = np.abs(np.diag(own))
        typical = np.sqrt(np.clip(_POWER * np.abs(np.diag(own).real), _LEAST * level, level))
        return left, float((np.abs(found.T @ rest) / np.maximum(np.outer(typical, typical), 1e-300)).max())

    def _by_iterations(self, vectors: Complexes) -> Complexes:
        together = columns_at_once(*vectors.shape)
        most = max(_KEPT, min(_MOST, int(_room(len(vectors)) / together)))
        parts = [
            self._some(vectors[:, first : first + together].astype(complex), most)
            for first in range(0, vectors.shape[1], together)
        ]
        return np.concatenate(parts, axis=1)

    def _some(self, vectors: Complexes, most: int) -> Complexes:
        scale, began = self.scale[:, None], time.perf_counter()
        steps, found, rest = 0, np.zeros(vectors.shape, np.complex128), vectors
        left, figures, wanted = 1.0, math.inf, RESIDUAL

        def told(step: Step) -> None:
            nonlocal steps
            steps += 1
            now = max(left * step.residual, 1e-300)
            ahead = math.log(max(now / wanted, 1.0)) / max(math.log(1.0 / now) / steps, 1e-3) if now < 1.0 else math.inf
            seconds = (time.perf_counter() - began) / steps * ahead
            soon = f", some {seconds:.0f} s to go" if steps > 2 and math.isfinite(seconds) and seconds < 1e5 else ""
            report(f"iteration {steps}: residual {now:.1e}, {wanted:.0e} wanted{soon}")

        for _ in range(_ROUNDS):
            step = block_gmres(
                lambda x: scale * self.product(scale * x), lambda x: self._close(x / scale) / scale, scale * rest,
                wanted / left, most, told,
            )  # fmt: skip
            found += scale * step
            rest = vectors - self.product(found)
            before, (left, figures) = left, self._left(found, vectors, rest)
            if not np.isfinite(left):
                break
            if left <= 1.5 * RESIDUAL and figures <= FIGURES:
                self.done.append((steps, left, figures))
                _log.info("%s", self.way)
                return found
            if left > 0.5 * before:
                break
            wanted = min(RESIDUAL, left * max(0.3 * FIGURES / figures, 1e-2))
        raise StagnationError(
            f"iterations came to rest after {steps} with {left:.1e} of the residual left, {RESIDUAL:.0e} wanted, and "
            f"{figures:.1e} of figures at ports, {FIGURES:.0e} wanted: "
            "solve it with --method dense (method='dense') if memory allows, or with triangles of more even size"
        )


def _room(functions: int) -> float:
    """How many columns of iterates may be held."""
    return _SHARE * free_memory() / (16.0 * functions)


def columns_at_once(functions: int, columns: int) -> int:
    """How many columns are solved for together: all, where memory holds their iterates."""
    return max(1, min(columns, int(_room(functions) / _KEPT)))


def iterative(product: Product, nearly: Nearly, held: int, alike: Alike | None = None, told: str = "") -> Iterative:
    """Factors of what is nearly a matrix with that product; held: bytes of the operator; alike: the elements it is of.

    told: of the operator, after how it was solved. Raises LinAlgError where it is singular.
    """
    inner, outer = nearly.inner, nearly.outer
    report(f"factorising what is near by, {len(inner)} functions")
    fronts = fronts_of(nearly.faded, nearly.places)
    border, corner = nearly.rows[:, : len(inner)], nearly.rows[:, len(inner) :]
    through = fronts.solve(np.ascontiguousarray(border.T))
    size = np.empty(len(inner) + len(outer))
    size[inner], size[outer] = np.abs(nearly.faded.diagonal()), np.abs(np.diag(corner))
    if not (np.isfinite(size).all() and size.all()):
        raise np.linalg.LinAlgError("a function without a term of its own")
    scale = 1.0 / np.sqrt(size)
    return Iterative(product, nearly, fronts, through, corner - border @ through, scale, held, alike, told=told)
