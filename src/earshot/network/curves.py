"""A port over frequency as a curve that can be read between its samples, and where it cannot."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arraytypes import Bools, Complexes, Floats, Ints
from .rational import Rational, fit

Spans = tuple[tuple[float, float], ...]
"""Lowest and highest frequency of each band, Hz."""

_STEP = 0.35
"""How far the reflection may move from one sample to the next for what lies between to be seen."""
_FINE = 0.1
_MISS = 0.05
"""How far a model of every other sample may miss the reflection at the rest."""
_MOST = 20_000
_FITTED = 200


@dataclass(frozen=True, slots=True, eq=False)
class Curve:
    """Frequencies (n,), Hz, rising, and the port's input admittance (n,), so close that nothing hides between them."""

    frequencies: Floats
    admittance: Complexes


def curves(frequencies: Floats, admittance: Complexes, reference: complex, spans: Spans | None) -> list[Curve]:
    """The stretches of a port's admittance (n,) that can be read between its samples.

    spans: the bands that the samples belong to, each of which a rational model describes; samples outside them stand
    alone, and nothing is read off between them. None for measured samples, which are one sweep: stretches of it whose
    samples lie close enough. Samples of a band are modelled anew, on as many points as it takes for the reflection to
    move by little from one to the next; a band whose every other sample does not foretell the rest is taken as
    measured.
    """
    if spans is None:
        return _close(frequencies, admittance, reference)
    found = []
    for span in spans:
        inside = _within(frequencies, span)
        found += _modelled(frequencies[inside], admittance[inside], reference)
    return found


def stretches(frequencies: Floats, spans: Spans | None) -> list[Ints]:
    """Which samples hang together: those of each band, or of a measured sweep; any other stands alone."""
    if spans is None:
        return [np.arange(len(frequencies))]
    inside = [np.flatnonzero(_within(frequencies, span)) for span in spans]
    left = np.setdiff1d(np.arange(len(frequencies)), np.concatenate([np.zeros(0, int), *inside]))
    return [some for some in inside if len(some)] + [np.array([i]) for i in left]


def _within(frequencies: Floats, span: tuple[float, float]) -> Bools:
    return np.asarray((frequencies >= span[0] * (1.0 - 1e-9)) & (frequencies <= span[1] * (1.0 + 1e-9)))


def reflection_of(admittance: Complexes, reference: complex) -> Complexes:
    """Reflection coefficient of an admittance against a reference impedance (power waves, Kurokawa 1965, eq. 18)."""
    return np.asarray((1.0 - np.conj(reference) * admittance) / (1.0 + reference * admittance))


def _close(frequencies: Floats, admittance: Complexes, reference: complex) -> list[Curve]:
    moved = np.abs(np.diff(reflection_of(admittance, reference)))
    runs = np.split(np.arange(len(frequencies)), np.flatnonzero(moved > _STEP) + 1)
    return [Curve(frequencies[run], admittance[run]) for run in runs if len(run) >= 4]


def _modelled(frequencies: Floats, admittance: Complexes, reference: complex) -> list[Curve]:
    count = len(frequencies)
    if count < 4:
        return []
    taken = np.unique(np.round(np.linspace(0, count - 1, min(count, _FITTED))).astype(int))
    scale = frequencies[-1]
    samples = reflection_of(admittance, reference)

    def fitted(some: Ints) -> tuple[Rational, float]:
        """A model of some samples, and how far it misses the reflection at any."""
        found = fit(frequencies[some] / scale, admittance[some, None])
        missed = reflection_of(found(frequencies / scale)[:, 0], reference) - samples
        return found, float(np.abs(missed).max())

    model, miss = fitted(taken)
    if max(miss, fitted(np.union1d(taken[::2], taken[-1:]))[1]) > _MISS:
        return _close(frequencies, admittance, reference)
    places = frequencies
    while len(places) < _MOST:
        values = model(places / scale)[:, 0]
        coarse = np.flatnonzero(np.abs(np.diff(reflection_of(values, reference))) > _FINE)
        if not coarse.size and len(places) >= 32:
            break
        coarse = coarse if coarse.size else np.arange(len(places) - 1)
        places = np.sort(np.concatenate([places, 0.5 * (places[coarse] + places[coarse + 1])]))
    return [Curve(places, np.asarray(model(places / scale)[:, 0]))]
