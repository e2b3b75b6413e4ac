"""Array factors: Σ w e^{jk r̂·r'}, by the way that is quickest for where the elements are.

On a lattice the sum is a polynomial in two phases: where the weights are one along one step times another along the
other, as of tapers and steering, a product of two; else a non-uniform FFT of type 2 (Barnett and others 2019).
Elsewhere, when many elements meet many directions, one of type 3 in as many dimensions as the elements spread over; or,
and as the reference, every term.
"""

from __future__ import annotations

import math

import numpy as np

from ..arraytypes import Complexes, Floats
from ..errors import UsageError
from ..running import announce, in_shares, thread_count
from .layouts import Lattice

WAYS = ("auto", "direct", "lattice", "scattered")
# Eight samples wide, which is what processors add at once.
_EXACT = 1e-7
_FEW = 400_000
_MOST_CELLS = 2_000_000


def array_factor(
    positions: Floats, weights: Complexes, directions: Floats, k: float, lattice: Lattice | None, how: str = "auto"
) -> Complexes:
    """The sum for directions (m, 3): (m,). how: "auto" unless one of `WAYS` is wanted; all agree to 1e-7."""
    if how not in WAYS:
        raise UsageError(f"array factor: '{how}' is not one of {', '.join(WAYS)}")
    if how == "auto":
        how = _quickest(positions, len(directions), k, lattice)
    if how == "direct":
        return direct_sum(positions, weights, directions, k)
    if how == "lattice":
        if lattice is None:
            raise UsageError("array factor: the elements are on no lattice: leave the way open, or take 'direct'")
        return _on_lattice(lattice, weights, directions, k)
    return _scattered(positions, weights, directions, k)


def _quickest(positions: Floats, directions: int, k: float, lattice: Lattice | None) -> str:
    terms = len(positions) * directions
    if terms < _FEW:
        return "direct"
    if lattice is not None:
        span = np.ptp(lattice.places, axis=0) + 1
        # A thinned lattice is still one, unless hardly anything is left on it.
        if span.prod() < 50 * len(positions):
            return "lattice"
    extents = k * np.ptp(positions, axis=0)
    cells = np.prod(2.0 * (extents[extents > 1e-9] / math.pi + 8.0))
    return "scattered" if cells < _MOST_CELLS and terms > 20.0 * cells else "direct"


def direct_sum(positions: Floats, weights: Complexes, directions: Floats, k: float) -> Complexes:
    """Every term, by plain threads."""
    from ..kernels.array_sum import array_sum

    announce(array_sum)
    places, ways = np.ascontiguousarray(positions.T), np.ascontiguousarray(directions.T)
    both, out = np.stack([weights.real, weights.imag]), np.empty(len(directions), np.complex128)

    def work(share: slice) -> None:
        array_sum(places, both, np.ascontiguousarray(ways[:, share]), k, out[share])

    in_shares(work, len(directions))
    return out


def _on_lattice(lattice: Lattice, weights: Complexes, directions: Floats, k: float) -> Complexes:
    low = lattice.places.min(axis=0)
    counts = np.ptp(lattice.places, axis=0) + 1
    modes = np.zeros(counts, np.complex128)
    modes[tuple((lattice.places - low).T)] = weights
    # By both steps, and of the first place of all.
    phases = (k * np.vstack([lattice.steps, lattice.origin + low @ lattice.steps])) @ directions.T
    one, two = _factors(modes)
    return _transformed(modes, phases) if one is None else _product(one, two, phases)


def _factors(modes: Complexes) -> tuple[Complexes | None, Complexes]:
    """Modes as a column times a row, or None when they are not: found at the greatest of them."""
    i, j = np.unravel_index(int(np.abs(modes).argmax()), modes.shape)
    column, row = modes[:, j], modes[i] / modes[i, j]
    alike = np.abs(np.outer(column, row) - modes).max() < 1e-12 * abs(modes[i, j])
    return (np.ascontiguousarray(column) if alike else None), np.ascontiguousarray(row)


def _product(one: Complexes, two: Complexes, phases: Floats) -> Complexes:
    from ..kernels.array_sum import lattice_product

    announce(lattice_product)
    out = np.empty(phases.shape[1], np.complex128)
    in_shares(lambda share: lattice_product(one, two, phases[:, share], out[share]), len(out))
    return out


def _transformed(modes: Complexes, phases: Floats) -> Complexes:
    import finufft

    from ..kernels.array_sum import turn

    announce(turn)
    # Modes stay in the cache: neither sorting directions nor threads pay.
    found = finufft.nufft2d2(phases[0], phases[1], modes, isign=1, eps=_EXACT, nthreads=1, spread_sort=0)
    # Its modes count from -count//2 up.
    middle = np.array(modes.shape) // 2
    turn(found, middle @ phases[:2] + phases[2])
    return np.asarray(found)


def _scattered(positions: Floats, weights: Complexes, directions: Floats, k: float) -> Complexes:
    import finufft

    middle = positions.mean(axis=0)
    away = positions - middle
    spread = np.flatnonzero(np.abs(away).max(axis=0) > 1e-12)
    turn = np.exp(1j * k * (directions @ middle))
    if not spread.size:
        return np.asarray(weights.sum() * turn)
    transform = (finufft.nufft1d3, finufft.nufft2d3, finufft.nufft3d3)[len(spread) - 1]
    sources = [np.ascontiguousarray(away[:, axis]) for axis in spread]
    targets = [np.ascontiguousarray(k * directions[:, axis]) for axis in spread]
    ordered = [*sources, np.ascontiguousarray(weights, np.complex128), *targets]
    return np.asarray(turn * transform(*ordered, isign=1, eps=_EXACT, nthreads=thread_count()))
