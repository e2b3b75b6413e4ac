"""Strips on a board as lines, one or two side by side: their waves in cross-section."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from .. import units
from ..arraytypes import Complexes
from ..constants import wavenumber
from ..errors import UsageError, needs
from ..media.coupled_strips import CoupledStrips, Strip, coupled_strips
from ..media.stack import Stack
from ..media.strip_line import strip_line
from ..media.strip_waves import bound_waves
from ..network.couplers import CoupledLines
from ..network.elements import LineType

_LEAST, _MOST = 0.5, 1.6
"""Over the frequency a strip is for: where it is known."""
_PLACES = np.linspace(_LEAST, _MOST, 5)


@dataclass(frozen=True, slots=True)
class StripType(LineType):
    """A line that is a strip: impedance and velocity at the frequency it is for (Hz), `width`, metres, on a stack.

    Between half and 1.6 times that frequency its index and impedance are polynomials through five solved sections.
    """

    width: float = 0.0
    centre: float = 0.0
    stack: Stack | None = None

    def propagation(self, frequency: float) -> complex:
        """α + jβ per metre; raises UsageError outside the frequencies it is known for."""
        return complex(1j * wavenumber(frequency) * self._known(frequency)[0])

    def characteristic(self, frequency: float) -> float:
        """Ohm; raises UsageError as `propagation` does."""
        return float(self._known(frequency)[1].real)

    @property
    def _fitted(self) -> tuple[Complexes, Complexes]:
        """Coefficients of index and impedance against frequency over the centre."""
        assert self.stack is not None
        return _fits(self.stack, self.width, self.centre)

    def _known(self, frequency: float) -> tuple[complex, complex]:
        ratio = frequency / self.centre
        if not _LEAST * (1.0 - 1e-9) <= ratio <= _MOST * (1.0 + 1e-9):
            raise UsageError(
                f"the strip {units.engineering(self.width, 'm')} wide is worked out round "
                f"{units.engineering(self.centre, 'Hz')}, from {_LEAST} to {_MOST} times it; "
                f"{units.engineering(frequency, 'Hz')} is outside: give it a frequency nearer to that"
            )
        index, impedance = self._fitted
        return complex(np.polyval(index, ratio)), complex(np.polyval(impedance, ratio))


@dataclass(frozen=True, slots=True)
class PairType(StripType):
    """One of the two waves of two like strips side by side: they are fed alike, or against one another (odd)."""

    gap: float = 0.0
    odd: bool = False

    @property
    def _fitted(self) -> tuple[Complexes, Complexes]:
        assert self.stack is not None
        return _pair_fits(self.stack, self.width, self.gap, self.centre)[self.odd]


@lru_cache(maxsize=256)
def _section(stack: Stack, width: float, hertz: float) -> tuple[complex, complex]:
    found = strip_line(stack, width, hertz)
    return found.index, found.impedance


def _through_samples(both: Sequence[tuple[complex, complex]]) -> tuple[Complexes, Complexes]:
    """Polynomials through index and impedance, a pair for each of the sampled frequencies."""
    index, impedance = (np.polyfit(_PLACES, values, len(_PLACES) - 1) for values in np.array(both).T)
    return np.asarray(index, complex), np.asarray(impedance, complex)


@lru_cache(maxsize=256)
def _fits(stack: Stack, width: float, centre: float) -> tuple[Complexes, Complexes]:
    return _through_samples([_section(stack, width, float(centre * x)) for x in _PLACES])


@lru_cache(maxsize=256)
def _pair_section(stack: Stack, width: float, gap: float, hertz: float) -> tuple[tuple[complex, complex], ...]:
    """Index and impedance of the even wave, and of the odd one."""
    found = bound_waves(stack, _beside(stack, width, gap), hertz)
    if len(found.indices) < 2 and stack.lid:
        # The planes' own wave is slower than one of theirs: that is none of frequency.
        still = _pair(stack, width, gap)
        slow = np.sqrt(still.even_and_odd_permittivities)
        return tuple((complex(n), complex(z)) for n, z in zip(slow, still.even_and_odd, strict=True))
    even, odd = found.even_and_odd
    alike = (found.currents[0] * found.currents[1].conj()).real > 0.0
    return (complex(found.indices[alike][0]), complex(even)), (complex(found.indices[~alike][0]), complex(odd))


@lru_cache(maxsize=256)
def _pair_fits(stack: Stack, width: float, gap: float, centre: float) -> tuple[tuple[Complexes, Complexes], ...]:
    samples = [_pair_section(stack, width, gap, float(centre * x)) for x in _PLACES]
    return tuple(_through_samples(one) for one in zip(*samples, strict=True))


def strip(stack: Stack, width: str | float, frequency: str | float) -> StripType:
    """A line that is a strip of a width on a stack, for frequencies about one.

    Raises UsageError for a width or frequency that is not above zero, RunError where no wave is bound to it.
    """
    needs(stack, Stack, "strip", "a board: a Stack, or substrate(...)")
    metres, hertz = units.length(width, "strip, width"), units.frequency(frequency)
    if not metres > 0.0:
        raise UsageError(f"strip: width {width} is not above zero")
    index, impedance = _section(stack, metres, hertz)
    return StripType(impedance.real, min(1.0, 1.0 / index.real), 0.0, None, metres, hertz, stack)


def _beside(stack: Stack, width: float, gap: float) -> tuple[Strip, Strip]:
    """Two alike on the level of a stack."""
    middle = 0.5 * (width + gap)
    return Strip(stack.level, width, -middle), Strip(stack.level, width, middle)


def _pair(stack: Stack, width: float, gap: float) -> CoupledStrips:
    return coupled_strips(stack, _beside(stack, width, gap))


def strip_pair(
    stack: Stack, width: str | float, gap: str | float, length: str | float, frequency: str | float | None = None
) -> CoupledLines:
    """Two like strips side by side on the level of a stack as a part: ports in, coupled, through, isolated.

    By their even and odd waves: about a frequency, from half to 1.6 times it, as they are there with what layers lose;
    else as at low frequency, without dispersion and loss, and so between planes where one of them is not bound. Raises
    UsageError for sizes that are not above zero, and for a board without a plane.
    """
    needs(stack, Stack, "strip pair", "a board: a Stack, or substrate(...)")
    sizes = {"width": units.length(width, "strip pair, width"), "gap": units.length(gap, "strip pair, gap"),
             "length": units.length(length, "strip pair, length")}  # fmt: skip
    for name, metres in sizes.items():
        if not metres > 0.0:
            raise UsageError(f"strip pair: {name} {metres:g} m is not above zero")
    wide, apart, long = sizes.values()
    if frequency is not None and stack.has_plane:
        hertz = units.frequency(frequency, "strip pair")
        kinds = [
            PairType(z.real, min(1.0, 1.0 / index.real), 0.0, None, wide, hertz, stack, apart, odd)
            for odd, (index, z) in zip((False, True), _pair_section(stack, wide, apart, hertz), strict=True)
        ]
        return CoupledLines(kinds[0], kinds[1], long)
    found = _pair(stack, wide, apart)
    even, odd = (
        LineType(ohms, min(1.0, slow**-0.5))
        for ohms, slow in zip(found.even_and_odd, found.even_and_odd_permittivities, strict=True)
    )
    return CoupledLines(even, odd, long)


def strip_pair_sizes(stack: Stack, even: float, odd: float) -> tuple[float, float]:
    """Width and gap, m, of two strips of even and odd impedances, ohm, on the level of a stack.

    Raises UsageError where odd is not below even, and where no sizes between 0.02 and 20 of the board's thickness do.
    """
    from scipy.optimize import least_squares

    if not 0.0 < odd < even:
        raise UsageError(f"strip pair: odd {odd:g} ohm is not above zero and below even, {even:g} ohm")
    wanted, high = np.log([even, odd]), stack.level

    def miss(logs: Complexes) -> Complexes:
        return np.asarray(np.log(_pair(stack, *(high * np.exp(logs))).even_and_odd) - wanted)

    low, most = np.log(0.02), np.log(20.0)
    found = least_squares(miss, np.log([1.0, 0.5]), bounds=(low, most), diff_step=1e-4, xtol=1e-10, ftol=1e-12)
    if np.abs(found.fun).max() > 1e-4:
        raise UsageError(f"strip pair: no width and gap on {stack} make {even:g} and {odd:g} ohm: ask for others")
    width, gap = (float(x) for x in high * np.exp(found.x))
    return width, gap
