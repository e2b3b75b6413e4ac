"""Amplifiers: gain and match or scattering, noise, an output that saturates softly."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..errors import UsageError
from .components import characteristic, decibels_lost, plain_number
from .waves import renormalised


@dataclass(frozen=True, slots=True)
class Amplifier:
    """From port in to port out: S (2 x 2) at an impedance, ohm, the same at all frequencies.

    saturated: W that it gives at most, which it nears softly. noise_figure: dB, whatever feeds it: its noise comes out
    behind, and none in front.
    """

    matrix: tuple[tuple[complex, complex], tuple[complex, complex]]
    noise_figure: float = 0.0
    saturated: float = math.inf
    impedance: float = 50.0
    ports: tuple[str, str] = ("in", "out")

    def scattering(self, frequencies: Floats, reference: float) -> Complexes:
        """Of small signals."""
        one = renormalised(np.array([self.matrix], complex), self.impedance, reference)
        return np.repeat(one, len(frequencies), axis=0)

    def noise(self, frequencies: Floats, reference: float) -> Complexes:
        """(F - 1) k·290 K at its input, seen behind it."""
        passed = self.scattering(frequencies, reference)[:, 1, 0]
        found = np.zeros((len(frequencies), 2, 2), complex)
        found[:, 1, 1] = (10.0 ** (self.noise_figure / 10.0) - 1.0) * np.abs(passed) ** 2
        return found

    def held_back(self, linear: Floats) -> Floats:
        """What is left of a wave's size, as a share, that would be `linear` W: 1/(1 + (P/Ps)²)^¼ (Rapp 1991, p = 2)."""
        if math.isinf(self.saturated):
            return np.ones_like(linear)
        return np.asarray((1.0 + (linear / self.saturated) ** 2) ** -0.25)


def amplifier(
    gain: float,
    *,
    noise_figure: float = 0.0,
    saturated: float | str = math.inf,
    phase: float = 0.0,
    input_match: float = math.inf,
    output_match: float = math.inf,
    isolation: float = math.inf,
    impedance: float | str = 50.0,
) -> Amplifier:
    """An amplifier by gain (dB), phase (deg), return losses of both sides and isolation backwards (dB).

    saturated: W or text. Raises UsageError for a match, an isolation or a noise figure below 0 dB, and no output.
    """
    for name, value in (("noise figure", noise_figure), ("input match", input_match), ("output match", output_match),
                        ("isolation", isolation)):  # fmt: skip
        decibels_lost(value, f"amplifier, {name}")
    most = (
        units.read(saturated, "power", what="amplifier, saturated") if isinstance(saturated, str) else float(saturated)
    )
    if not most > 0.0:
        raise UsageError(f"amplifier: saturated {saturated} is not above zero")
    if not math.isfinite(plain_number(gain, "amplifier, gain")):
        raise UsageError(f"amplifier: a gain of {gain} dB is none")
    front, back, behind = (10.0 ** (-x / 20.0) + 0j for x in (input_match, isolation, output_match))
    turn = complex(math.cos(math.radians(phase)), math.sin(math.radians(phase)))
    rows = ((front, back), (10.0 ** (gain / 20.0) * turn, behind))
    return Amplifier(rows, noise_figure, most, characteristic(impedance, "amplifier"))
