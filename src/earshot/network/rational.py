"""Rational interpolation of a matrix over frequency, and the choice of where to sample it next.

Port admittances are meromorphic in frequency and obey Y(-f) = Y(f)*, so every sample is worth two. All entries share
one barycentric denominator, found by the set-valued AAA algorithm (Lietaert, Meerbergen, Pérez and Vandereycken 2022):
support points are taken greedily where the fit is worst, and the weights minimise the linearised misfit elsewhere.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes, Floats

_FIT = 1e-10


@dataclass(frozen=True, slots=True)
class Rational:
    """Σ w_j V_j/(x - x_j) / Σ w_j/(x - x_j): support points x_j (n,), values V_j (n, entries), weights w_j (n,)."""

    points: Floats
    values: Complexes
    weights: Complexes

    def __call__(self, x: Floats) -> Complexes:
        """Values (m, entries) at x (m,)."""
        gaps = x[:, None] - self.points
        hit = gaps == 0.0
        terms = self.weights / np.where(hit, 1.0, gaps)
        found = (terms @ self.values) / terms.sum(axis=1)[:, None]
        rows, columns = np.nonzero(hit)
        found[rows] = self.values[columns]
        return np.asarray(found)


def fit(x: Floats, values: Complexes, most: int | None = None, *, mirror: bool = True) -> Rational:
    """Fit samples values (n, entries) at x (n,) > 0 and their mirrors at -x.

    most: pairs of support points at the most; as many as the samples call for unless given. mirror: without, what is at
    -x is not known from what is at x, which may then have any sign.
    """
    both, mirrored = (np.concatenate([x, -x]), np.concatenate([values, values.conj()])) if mirror else (x, values)
    scaled = mirrored / np.maximum(np.abs(values).max(axis=0), 1e-300)
    # The weights are a least-squares solution, which a rotation of the entries leaves alone: no more than samples.
    turned = np.asarray(np.linalg.qr(scaled.T, mode="r")).T
    n = len(x)
    support: list[int] = []
    misfit = np.abs(scaled - scaled.mean(axis=0)).max(axis=1)
    best = Rational(both[:1], mirrored[:1], np.ones(1, complex))
    for _ in range(min(most or n, n)):
        worst = int(np.argmax(misfit[:n]))
        if misfit[worst] < _FIT and support:
            break
        support += [worst, worst + n] if mirror else [worst]
        rest = np.setdiff1d(np.arange(len(both)), support)
        if rest.size == 0:
            weights = _interpolation_weights(both[support])
        else:
            loewner = (turned[rest][:, None] - turned[support]) / (both[rest][:, None] - both[support])[..., None]
            rows = np.moveaxis(loewner, 2, 1).reshape(-1, len(support))
            # Many entries make it tall: its triangular factor has the same right singular vectors.
            square = np.linalg.qr(rows, mode="r") if len(rows) > len(support) else rows
            weights = np.linalg.svd(square, full_matrices=True)[2][-1].conj()
        best = Rational(both[support], mirrored[support], weights)
        misfit = np.abs(best(both) - mirrored).max(axis=1) / max(float(np.abs(values).max()), 1e-300)
    return best


def _interpolation_weights(points: Floats) -> Complexes:
    gaps = points[:, None] - points
    np.fill_diagonal(gaps, 1.0)
    scale = np.abs(gaps).max()
    return np.asarray((1.0 / np.prod(gaps / scale, axis=1)).astype(complex))


@dataclass(frozen=True, slots=True)
class Swept:
    """A sampled band: entries at every wanted point, and how far the model missed the last samples it was tested on."""

    values: Complexes
    error: float


def sweep(
    wanted: Floats,
    sample: Callable[[float], Complexes],
    measure: Callable[[Floats, Complexes], Complexes],
    tolerance: float,
    *,
    mirror: bool = True,
    besides: Sequence[int] = (),
) -> Swept:
    """Values (points, entries) at every wanted point from as few samples as will do.

    sample(x) gives the entries at one point; measure(x, entries) turns entries (n, entries)
    at x (n,) into what the tolerance is about. The
    next sample goes where two models of different degree disagree most, or into the largest gap. The end comes when two
    samples running, one of them in the largest gap, were both predicted within a quarter of the tolerance. mirror: as
    `fit` takes it. besides: numbers of points that are sampled whatever the models say.
    """
    last = len(wanted) - 1
    spread = np.unique(np.round(0.5 * last * (1.0 - np.cos(np.pi * np.arange(5) / 4))).astype(int))
    taken = sorted({int(i) for i in spread} | set(besides))
    values = {i: sample(float(wanted[i])) for i in taken}
    scale = float(np.abs(wanted).max())
    misses: list[tuple[float, bool]] = []
    while True:
        known = sorted(values)
        x, y = wanted[known] / scale, np.array([values[i] for i in known])
        model = fit(x, y, mirror=mirror)
        predicted = model(wanted / scale)
        if len(known) == len(wanted) or _settled(misses, tolerance):
            break
        rough = fit(x, y, most=max(1, len(model.points) // (2 if mirror else 1) - 1), mirror=mirror)(wanted / scale)
        doubt = np.abs(measure(wanted, predicted) - measure(wanted, rough)).max(axis=1)
        doubt[known] = 0.0
        widest = _widest_gap(known, wanted)
        # Once a doubtful place was predicted well, and wherever the models agree, look into the widest gap.
        confirmed = bool(misses) and misses[-1][0] < tolerance and not misses[-1][1]
        filling = confirmed or float(doubt.max()) < tolerance
        chosen = widest if filling else int(np.argmax(doubt))
        fresh = sample(float(wanted[chosen]))
        here = wanted[chosen : chosen + 1]
        miss = float(np.abs(measure(here, predicted[chosen][None]) - measure(here, fresh[None])).max())
        misses.append((miss, chosen == widest))
        values[chosen] = fresh
    predicted[known] = [values[i] for i in known]
    error = max((m for m, _ in misses[-2:]), default=0.0)
    return Swept(predicted, error)


def _settled(misses: list[tuple[float, bool]], tolerance: float) -> bool:
    recent = misses[-2:]
    return len(recent) == 2 and all(m < 0.25 * tolerance for m, _ in recent) and any(gap for _, gap in recent)


def _widest_gap(known: list[int], wanted: Floats) -> int:
    """The point nearest to the middle of the widest stretch without a sample that still holds a point."""
    gaps = [(wanted[b] - wanted[a], a, b) for a, b in itertools.pairwise(known) if b > a + 1]
    _, a, b = max(gaps)
    inner = np.arange(a + 1, b)
    return int(inner[np.argmin(np.abs(wanted[inner] - 0.5 * (wanted[a] + wanted[b])))])
