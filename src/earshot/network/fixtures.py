"""What a port brings with it, found from two lengths of line and taken off: reference planes where they are wanted.

With waves across a two-port as a chain matrix T, a long line's over a short one's is A Λ A⁻¹: Λ holds the line's own
wave, A the fixture between port and line (Engen and Hoer 1979, IEEE Trans. MTT 27, eqs. 10 to 21). Both ends have the
same fixture here, which does the work of a third standard.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import SPEED_OF_LIGHT
from ..errors import UsageError
from .network import Network, admittance_of


@dataclass(frozen=True, slots=True, eq=False)
class Fixture:
    """A port's fixture up to the middle of the short line, at frequencies (n,), Hz.

    matrices (n, 2, 2): its S, the port first, the line second, the line at its own impedance. index (n,): wavenumber of
    the line over k0.
    """

    frequencies: Floats
    matrices: Complexes
    index: Complexes

    def removed_from(self, network: Network, impedance: ArrayLike) -> Network:
        """A network less this fixture at every port, its ports now on lines of that impedance, ohm.

        Raises UsageError for a network at other frequencies, or whose ports have other references.
        """
        if not np.array_equal(network.frequencies, self.frequencies):
            raise UsageError("fixture: the network is at other frequencies: solve both at the same ones")
        count = len(network.ports)
        one = np.eye(count)
        outer, back, through = self.matrices[:, 0, 0], self.matrices[:, 1, 1], self.matrices[:, 0, 1] ** 2
        seen = (network.s().values - outer[:, None, None] * one) / through[:, None, None]
        inner = np.linalg.solve(np.swapaxes(one + back[:, None, None] * seen, 1, 2), np.swapaxes(seen, 1, 2))
        references = np.broadcast_to(np.asarray(impedance, np.complex128), (count,)).copy()
        matrices = np.asarray(np.swapaxes(inner, 1, 2), np.complex128)
        return replace(network, admittance=admittance_of(matrices, references), references=references)


def _chain(s: Complexes) -> Complexes:
    """Chain matrices of two-ports: waves at the first port from those at the second."""
    s11, s12, s21, s22 = s[:, 0, 0], s[:, 0, 1], s[:, 1, 0], s[:, 1, 1]
    rows = [[s12 * s21 - s11 * s22, s11], [-s22, np.ones_like(s11)]]
    return np.asarray(np.moveaxis(np.array(rows), -1, 0) / s21[:, None, None], np.complex128)


def line_fixture(short: Network, long: Network, difference: str | float, index: float) -> Fixture:
    """The fixture at both ends of two lines that differ only in length.

    difference: of the lengths, metres or text; index: what the wavenumber of the line over k0 is, roughly, to tell the
    wave that goes from the one that comes. Raises UsageError for networks that are not of two ports at the same
    frequencies, and where the difference is near a multiple of half a wave, which tells nothing.
    """
    metres = units.length(difference, "line_fixture, difference")
    if len(short.ports) != 2 or len(long.ports) != 2 or not np.array_equal(short.frequencies, long.frequencies):
        raise UsageError("line_fixture: give two lines of two ports each, solved at the same frequencies")
    k0 = 2.0 * math.pi * short.frequencies / SPEED_OF_LIGHT
    turn = index * k0 * metres
    if not metres > 0.0 or np.abs(np.sin(turn)).min() < 0.1:
        raise UsageError(
            f"line_fixture: a difference of {metres:g} m is near a multiple of half a wave at "
            f"{short.frequencies[np.abs(np.sin(turn)).argmin()]:g} Hz: make it about a quarter"
        )
    s = np.asarray(short.s().values, np.complex128)
    values, vectors = np.linalg.eig(_chain(np.asarray(long.s().values, np.complex128)) @ np.linalg.inv(_chain(s)))
    # The wave that goes comes first.
    first = np.abs(values - np.exp(-1j * turn)[:, None]).argmin(axis=1)
    rows = np.arange(len(values))
    going, coming = vectors[rows, :, first], vectors[rows, :, 1 - first]
    ratio, outer = going[:, 0] / going[:, 1], coming[:, 0] / coming[:, 1]
    # y is the square of what the fixture sends back into the line.
    seen = s[:, 0, 0] - outer
    y = seen / (seen + outer - ratio)
    back = 0.5 * (s[:, 1, 0] + s[:, 0, 1]) * (1.0 - y) / (outer - ratio)
    through = np.sqrt(back * (outer - ratio) + 0j)
    matrices = np.moveaxis(np.array([[outer, through], [through, back]]), -1, 0)
    # The logarithm nearest to what was expected.
    phase = 1j * np.log(values[rows, first])
    phase = phase + 2.0 * math.pi * np.round((turn - phase.real) / (2.0 * math.pi))
    return Fixture(short.frequencies, np.asarray(matrices, np.complex128), np.asarray(phase / (k0 * metres)))
