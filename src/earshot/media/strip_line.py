"""A strip on layers in cross-section: the wave it guides, by the same spectra as everything else on a stack.

Galerkin's method in the transverse wavenumber (Itoh and Mittra 1973), with currents that have the right edges: along
the strip T_2n(ξ)/√(1-ξ²), across it U_2n-1(ξ)√(1-ξ²), ξ = 2x/w, whose transforms are Bessel functions.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import SPEED_OF_LIGHT, WAVE_IMPEDANCE
from ..errors import RunError, UsageError
from .bessel import bessel_orders
from .coupled_strips import Strip, coupled_strips
from .modes import surface_waves
from .spectral import Spectrum
from .stack import Layer, Stack

_FUNCTIONS = 5
_END = 320.25
_SCAN = 32
_SLIGHTLY = 1e-3


@dataclass(frozen=True, slots=True)
class StripLine:
    """The wave of a strip. index: its wavenumber over k0; impedance: ohm, voltage under its middle over its current."""

    width: float
    frequency: float
    index: complex
    impedance: complex

    @property
    def effective_permittivity(self) -> float:
        """ε_eff, the square of the index."""
        return float((self.index**2).real)

    @property
    def wavelength(self) -> float:
        """Along the strip, metres."""
        from ..constants import wavelength

        return wavelength(self.frequency) / self.index.real

    @property
    def loss(self) -> float:
        """From the layers and the plane, dB per metre."""
        from ..constants import wavenumber

        return -20.0 * math.log10(math.e) * self.index.imag * wavenumber(self.frequency)


def strip_line(stack: Stack, width: str | float, frequency: str | float) -> StripLine:
    """The slowest wave of an endless strip printed on a stack, without loss in the metal of the strip.

    Between two planes, where it hardly disperses, as at low frequencies. Raises UsageError for a width or frequency
    that is not above zero, RunError when no wave is found.
    """
    metres, hertz = units.length(width, "strip_line, width"), units.frequency(frequency)
    if not metres > 0.0:
        raise UsageError(f"strip_line: width {width} is not above zero")
    if stack.lid:
        return _between_planes(stack, metres, hertz)
    plain = Spectrum(stack.lossless, hertz)
    low = max([1.0, *(w.index.real for w in surface_waves(plain))]) * (1.0 + 1e-9)
    line = _Section(plain, metres)
    between = _slowest_turn(line, low + (plain.slowest - low) * (np.arange(_SCAN) + 0.5) / _SCAN)
    if between is None:
        raise RunError(f"strip_line: no wave is bound to a strip of {metres:g} m on {stack} at {hertz:g} Hz")
    from scipy.optimize import brentq

    index = complex(brentq(lambda x: line.determinant(x).real, *between, xtol=1e-12))
    if stack != stack.lossless:
        line = _Section(Spectrum(stack, hertz), metres)
        index = _followed(line, index)
    return StripLine(metres, hertz, index, line.impedance(index))


def _slowest_turn(line: _Section, indices: Floats) -> tuple[float, float] | None:
    """The two highest indices between which the determinant changes its sign, from the highest down."""
    after: tuple[float, float] | None = None
    for index in indices[::-1].tolist():
        here = index, line.determinant(index).real
        if after is not None and np.sign(here[1]) != np.sign(after[1]):
            return here[0], after[0]
        after = here
    return None


def _between_planes(stack: Stack, width: float, hertz: float) -> StripLine:
    """By capacitance and inductance; what every layer loses goes with how the capacitance hangs on its permittivity."""
    strip = [Strip(stack.level, width)]
    whole = coupled_strips(stack, strip, lid=True)
    held, inductance = float(whole.capacitance[0, 0]), float(whole.inductance[0, 0])
    lost = 0.0
    for number, layer in enumerate(stack.layers):
        if layer.material.loss_tangent:
            more = replace(layer.material, permittivity=layer.material.permittivity * (1.0 + _SLIGHTLY))
            layers = [*stack.layers]
            layers[number] = Layer(layer.thickness, more)
            other = coupled_strips(Stack(layers, stack.metal_on, lid=True), strip, lid=True)
            lost += (float(other.capacitance[0, 0]) - held) / _SLIGHTLY * layer.material.loss_tangent
    capacitance = held - 1j * lost
    index = SPEED_OF_LIGHT * np.sqrt(inductance * capacitance)
    return StripLine(width, hertz, complex(index), complex(np.sqrt(inductance / capacitance)))


def strip_width(stack: Stack, impedance: float, frequency: str | float) -> float:
    """The width, m, of a strip of an impedance, ohm; raises UsageError when none between h/50 and 50 h has it."""
    from scipy.optimize import brentq

    def miss(log: float) -> float:
        return strip_line(stack, stack.level * math.exp(log), frequency).impedance.real - impedance

    low, high = math.log(0.02), math.log(50.0)
    most, least = miss(low) + impedance, miss(high) + impedance
    if not least < impedance < most:
        raise UsageError(
            f"strip_width: {impedance:g} ohm is outside the {least:.3g} to {most:.3g} ohm that strips have on {stack}"
        )
    return float(stack.level * math.exp(brentq(miss, low, high, xtol=1e-5)))


def _followed(line: _Section, start: complex) -> complex:
    """The root with losses, by the secant method."""
    one, two = start, start * (1.0 - 1e-5j)
    f1, f2 = line.determinant(one), line.determinant(two)
    for _ in range(40):
        if abs(two - one) < 1e-13 or f2 == f1:
            return two
        one, two, f1 = two, two - f2 * (two - one) / (f2 - f1), f2
        f2 = line.determinant(two)
    raise RunError(f"strip_line: the wave of index {start.real:.6g} is lost with the losses of what is below")


class _Section:
    """The matrix of a strip's currents at any index along it. Lengths are normalised by k0, x = k_x w/2."""

    def __init__(self, spectrum: Spectrum, width: float) -> None:
        self.spectrum = spectrum
        self.half = 0.5 * width * spectrum.wavenumber
        nodes, weights = np.polynomial.legendre.leggauss(8)
        # Fine where the layers are seen, then by half a period of the currents.
        height = spectrum.level / self.half
        fine = np.geomspace(1e-4, 1.0, 24) * min(1.0, 2.0 / max(height, 1e-9), self.half)
        settled = min(_END, max(20.0 / height, fine[-1]))
        layered = np.arange(fine[-1], settled, min(1.5, 0.5 / height, 0.05 * settled))
        edges = np.unique(np.concatenate([[0.0], fine, layered, np.arange(settled, _END, 1.5), [_END]]))
        middle, width_ = (edges[1:] + edges[:-1]) / 2.0, np.diff(edges) / 2.0
        self.x = (middle[:, None] + width_[:, None] * nodes).ravel()
        self.weights = (width_[:, None] * weights).ravel()
        self.last = float(edges[-1])
        orders = 2 * np.arange(_FUNCTIONS)[:, None]
        waves = bessel_orders(2 * _FUNCTIONS, self.x)[::2]
        self.along = (-1.0) ** (orders // 2) * waves
        self.across = (-1.0) ** (orders[1:] // 2) * orders[1:] * waves[1:] / self.x

    def matrix(self, index: complex) -> Complexes:
        """-∫ J·E of every pair of currents, over k_x > 0."""
        kx = self.x / self.half
        k = np.sqrt(kx**2 + index**2 + 0j)
        sweep, own = self.spectrum.sweep(k), self.spectrum.stack.metal_on
        tm, te = sweep.shunt(own, True), sweep.shunt(own, False)
        zz = (tm * index**2 + te * kx**2) / k**2
        xx = (tm * kx**2 + te * index**2) / k**2
        xz = (tm - te) * kx * index / k**2
        w = self.weights
        top = (self.along * (w * zz)) @ self.along.T
        side = (self.along * (w * xz)) @ self.across.T
        low = (self.across * (w * xx)) @ self.across.T
        # Beyond the last node, by the mean of J_2m J_2n, ± 1/πx, which the signs of the transforms make 1/πx.
        rest = 1.0 / (math.pi * self.last)
        orders = 2.0 * np.arange(1, _FUNCTIONS)
        top = top + rest * zz[-1] * self.x[-1]
        side = side + rest * xz[-1] * orders
        low = low + rest * xx[-1] / self.x[-1] * np.outer(orders, orders)
        return np.block([[top, side], [side.T, low]])

    def determinant(self, index: complex) -> complex:
        """Zero where a wave runs; of the matrix over j, which is real without loss."""
        return complex(np.linalg.det(self.matrix(index) / (1j * self.scale)))

    @cached_property
    def scale(self) -> Floats:
        """What the entries are divided by, so that the determinant is of the size of one."""
        size = np.sqrt(np.abs(np.diag(self.matrix(0.5 * (1.0 + self.spectrum.slowest)))))
        return np.asarray(np.outer(size, size))

    def impedance(self, index: complex) -> complex:
        """Voltage under the middle of the strip over the current along it, ohm."""
        # The current is the vector that the matrix makes least of.
        vector = np.linalg.svd(self.matrix(index))[2][-1].conj()
        kx = self.x / self.half
        k = np.sqrt(kx**2 + index**2 + 0j)
        along = vector[:_FUNCTIONS] @ self.along
        across = vector[_FUNCTIONS:] @ self.across
        voltage = self.spectrum.waves(k).probe / k * (index * along + kx * across)
        # J_0(0) = 1 is the whole current; an even integrand, over k_x = x / half.
        whole = (self.weights * voltage).sum() / self.half * WAVE_IMPEDANCE / math.pi
        return complex(whole / vector[0])
