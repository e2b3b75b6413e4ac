"""Solving by products alone: block GMRES (Saad 2003, section 6.12), all columns at once."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from ..arraytypes import Complexes

Product = Callable[[Complexes], Complexes]


class Step(NamedTuple):
    """Where an iteration is: its number, and the largest residual of a column over its vector."""

    number: int
    residual: float


def block_gmres(
    product: Product, close: Product, vectors: Complexes, tolerance: float, most: int, told: Callable[[Step], None]
) -> Complexes:
    """Columns x with Z x = vectors (n, columns) to a relative residual, or as far as `most` steps go.

    close: what nearly inverts Z, from the right. told: hears of every step.
    """
    lengths = np.linalg.norm(vectors, axis=0)
    lengths[lengths == 0.0] = 1.0
    # Columns that are sums of one another would make the block singular.
    block, start = _orthonormal(vectors / lengths)
    if not block.shape[1]:
        return np.zeros(vectors.shape, np.complex128)
    bases: list[Complexes] = [block]
    small: Any = np.zeros((block.shape[1], 0), np.complex128)
    answer: Complexes = np.zeros((0, vectors.shape[1]), np.complex128)
    for step in range(most):
        image: Complexes = product(close(bases[-1]))
        above = np.zeros((small.shape[0], image.shape[1]), np.complex128)
        # Twice is enough (Giraud, Langou and Rozloznik 2005).
        for _ in range(2):
            first = 0
            for other in bases:
                part = other.conj().T @ image
                image -= other @ part
                above[first : first + len(part)] += part
                first += len(part)
        block, beyond = _orthonormal(image)
        small = np.block([[small, above], [np.zeros((len(beyond), small.shape[1])), beyond]])
        bases.append(block)
        wanted = np.zeros((small.shape[0], vectors.shape[1]), np.complex128)
        wanted[: len(start)] = start
        answer = np.linalg.lstsq(small, wanted)[0]
        left = float(np.linalg.norm(wanted - small @ answer, axis=0).max(initial=0.0))
        told(Step(step + 1, left))
        if left <= tolerance or not block.shape[1]:
            break
    found, first = np.zeros(vectors.shape, np.complex128), 0
    for part in bases[:-1]:
        found += part @ answer[first : first + part.shape[1]]
        first += part.shape[1]
    return np.asarray(close(found) * lengths)


def _orthonormal(columns: Complexes) -> tuple[Complexes, Complexes]:
    """Orthonormal columns (n, kept) of the same span, and the columns by them (kept, columns)."""
    from scipy import linalg

    q, r, order = linalg.qr(columns, mode="economic", pivoting=True, check_finite=False)
    size = np.abs(np.diag(r))
    kept = int((size > 1e-13 * size.max(initial=0.0)).sum())
    back = np.empty_like(order)
    back[order] = np.arange(len(order))
    return np.ascontiguousarray(q[:, :kept]), r[:kept, back]
