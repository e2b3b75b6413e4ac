"""Strips on a board as lines, one or two side by side: their waves in cross-section."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from .. import units
from ..arraytypes import Complexes
from ..constants import wavenumber
from ..errors import UsageError
from ..media.coupled_strips import CoupledStrips, Strip, coupled_strips
from ..media.stack import Stack
from ..media.strip_line import strip_line
from ..network.couplers import CoupledLines
from ..network.elements import LineType

_LEAST, _MOST, _SAMPLES = 0.5, 1.6, 5
"""Over the frequency a strip is for: where it is known, and in how many places it is worked out."""


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

    def _known(self, frequency: float) -> tuple[complex, complex]:
        ratio = frequency / self.centre
        if not _LEAST * (1.0 - 1e-9) <= ratio <= _MOST * (1.0 + 1e-9):
            raise UsageError(
                f"the strip {units.engineering(self.width, 'm')} wide is worked out round "
                f"{units.engineering(self.centre, 'Hz')}, from {_LEAST} to {_MOST} times it; "
                f"{units.engineering(frequency, 'Hz')} is outside: give it a frequency nearer to that"
            )
        assert self.stack is not None
        index, impedance = _fits(self.stack, self.width, self.centre)
        return complex(np.polyval(index, ratio)), complex(np.polyval(impedance, ratio))


@lru_cache(maxsize=256)
def _section(stack: Stack, width: float, hertz: float) -> tuple[complex, complex]:
    found = strip_line(stack, width, hertz)
    return found.index, found.impedance


@lru_cache(maxsize=256)
def _fits(stack: Stack, width: float, centre: float) -> tuple[Complexes, Complexes]:
    """Coefficients of index and impedance against frequency over the centre."""
    places = np.linspace(_LEAST, _MOST, _SAMPLES)
    both = np.array([_section(stack, width, float(centre * x)) for x in places])
    index, impedance = (np.polyfit(places, values, _SAMPLES - 1) for values in both.T)
    return np.asarray(index, complex), np.asarray(impedance, complex)


def strip(stack: Stack, width: str | float, frequency: str | float) -> StripType:
    """A line that is a strip of a width on a stack, for frequencies about one.

    Raises UsageError for a width or frequency that is not above zero, RunError where no wave is bound to it.
    """
    metres, hertz = units.length(width, "strip, width"), units.frequency(frequency)
    if not metres > 0.0:
        raise UsageError(f"strip: width {width} is not above zero")
    index, impedance = _section(stack, metres, hertz)
    return StripType(impedance.real, min(1.0, 1.0 / index.real), 0.0, None, metres, hertz, stack)


def _pair(stack: Stack, width: float, gap: float) -> CoupledStrips:
    """Two alike on the level of a stack."""
    middle = 0.5 * (width + gap)
    return coupled_strips(stack, [Strip(stack.level, width, x) for x in (-middle, middle)])


def strip_pair(stack: Stack, width: str | float, gap: str | float, length: str | float) -> CoupledLines:
    """Two like strips side by side on the level of a stack as a part: ports in, coupled, through, isolated.

    By their even and odd modes at low frequency: without dispersion and loss. Raises UsageError for sizes that are not
    above zero, and for a board without a plane.
    """
    sizes = {"width": units.length(width, "strip pair, width"), "gap": units.length(gap, "strip pair, gap"),
             "length": units.length(length, "strip pair, length")}  # fmt: skip
    for name, metres in sizes.items():
        if not metres > 0.0:
            raise UsageError(f"strip pair: {name} {metres:g} m is not above zero")
    found = _pair(stack, sizes["width"], sizes["gap"])
    even, odd = (
        LineType(ohms, min(1.0, slow**-0.5))
        for ohms, slow in zip(found.even_and_odd, found.even_and_odd_permittivities, strict=True)
    )
    return CoupledLines(even, odd, sizes["length"])


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
