"""Incident plane waves, tested by the basis functions."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import WAVE_IMPEDANCE, wavenumber
from ..errors import UsageError
from ..media.spectral import Spectrum
from ..media.stack import Stack
from ..meshing.sheet_mesh import MIRROR
from .basis import Basis
from .coupling import fan_points
from .layered import layered
from .openings import Sides
from .sheet_basis import Fan, SheetBasis
from .wire_basis import WireBasis


@dataclass(frozen=True, slots=True)
class PlaneWave:
    """A plane wave arriving from a direction (radians); e_theta, e_phi: its field at the origin, V/m peak."""

    theta: float
    phi: float
    e_theta: complex
    e_phi: complex

    @property
    def strength(self) -> float:
        """Magnitude of the field, V/m peak."""
        return math.hypot(abs(self.e_theta), abs(self.e_phi))

    @property
    def density(self) -> float:
        """Power density, W/m²."""
        return self.strength**2 / (2.0 * WAVE_IMPEDANCE)


def plane_wave(theta: str | float, phi: str | float, e_theta: complex = 0.0, e_phi: complex = 0.0) -> PlaneWave:
    """A plane wave arriving from (θ, φ), text or degrees, with field components in V/m peak at the origin.

    Raises UsageError for a wave without a field.
    """
    for what, field in (("e_theta", e_theta), ("e_phi", e_phi)):
        units.phasor(field, f"plane wave, {what}, V/m")
    wave = PlaneWave(units.angle(theta, "plane wave, theta"), units.angle(phi, "plane wave, phi"), e_theta, e_phi)
    if not (math.isfinite(wave.strength) and wave.strength > 0.0):
        raise UsageError("plane wave: it has no field; give e_theta or e_phi in V/m")
    return wave


def refuse_from_below(wave: PlaneWave) -> None:
    """Raise UsageError for a wave that arrives from below a plane."""
    if math.cos(wave.theta) < -1e-12:
        raise UsageError("plane wave: it arrives from below the plane; choose theta up to 90 deg")


Reflected = Callable[[Floats, float], tuple[Complexes, Complexes]]
"""Factors of TM and TE of plane waves from θ (n,), at a frequency in Hz."""


def tested_in_the_open(basis: Basis, wave: PlaneWave, frequency: float, reflected: Reflected | None) -> Complexes:
    """∫ f_m·E (functions,), volts, averaged over the tubes of wires, with the wave that is reflected below.

    Four Gauss points a segment, where the average round a tube across the ray is J0(ka sin); seven a triangle.
    """
    k = wavenumber(frequency)
    found = np.zeros(basis.size, np.complex128)
    for ray, field in _arriving(wave, frequency, reflected):
        on_wires = basis.wires.ends.T @ _on_segments(basis.wires, k, ray, field).ravel()
        if basis.sheets is not None:
            for one, into in basis.feet:
                on_wires = on_wires + into * _on_fan(basis.sheets, one, k * ray, field)
            found[: basis.first_wire] += _on_sheets(basis.sheets, k * ray, field)
        found[basis.first_wire :] += on_wires
    return found


def _arriving(wave: PlaneWave, frequency: float, reflected: Reflected | None) -> Iterator[tuple[Floats, Complexes]]:
    """The wave and what is reflected of it: where each comes from (3,), and its field at the origin (3,)."""
    yield _ray_and_field(wave)
    if reflected is not None:
        tm, te = reflected(np.array([wave.theta]), frequency)
        back = replace(wave, e_theta=complex(tm[0]) * wave.e_theta, e_phi=-complex(te[0]) * wave.e_phi)
        ray, field = _ray_and_field(back)
        yield ray * MIRROR, -field * MIRROR


def tested_in_layers(basis: Basis, wave: PlaneWave, frequency: float, stack: Stack) -> Complexes:
    """The same on layers: on the metal there, along probes, and in the air over them.

    By reciprocity with what currents there send towards the wave, see `fields.printed`.
    """
    parts, found = layered(basis, stack), np.zeros(basis.size, np.complex128)
    k, sine, cosine = wavenumber(frequency), math.sin(wave.theta), math.cos(wave.theta)
    under = cosine < -1e-12
    along = np.array([math.cos(wave.phi), math.sin(wave.phi), 0.0])
    across = np.array([-along[1], along[0], 0.0])
    top = 2.0 if under else 2.0 * np.exp(1j * k * stack.thickness * max(cosine, 0.0))
    e_theta = -wave.e_theta if under else wave.e_theta
    ray = k * sine * along
    for level in parts.every:
        spectrum = Spectrum(level.stack.turned if under else level.stack, frequency)
        tm, te, probe = (complex(x[0]) for x in spectrum.into_air(np.array([sine])))
        field = top * (tm * e_theta * along + te * abs(cosine) * wave.e_phi * across)
        if level.metal is not None:
            found[level.on_metal] = _on_sheets(level.metal, ray, field)
            for one, into in zip(level.fans, level.into, strict=True):
                found[basis.first_wire :] += into * _on_fan(level.metal, one, ray, field)
        if len(level.probes):
            upward = -top * probe * e_theta / k * np.exp(1j * (level.probes @ ray))
            found[basis.first_wire :] += level.up.T @ upward
    if parts.aloft is not None:
        found[parts.aloft.own] += _over_layers(parts.aloft.basis, wave, frequency, stack)
    return found


def tested_by_sides(parts: Sides, size: int, wave: PlaneWave, frequency: float) -> Complexes:
    """∫ f·E (functions,) on both sides of a plane, and -∫ f·H of openings in it where it is closed up.

    By reciprocity with what their magnetic currents send towards the wave.
    """
    found, k = np.zeros(size, np.complex128), wavenumber(frequency)
    under = math.cos(wave.theta) < 0.0
    side = parts.sides[int(under)]
    if side.stack.lid:
        return found
    if under:
        wave = replace(wave, theta=math.pi - wave.theta, e_theta=-wave.e_theta)
    if side.basis.size:
        found[side.own] = tested_in_layers(side.basis, wave, frequency, side.stack)
    if parts.openings is not None:
        sine, cosine = math.sin(wave.theta), math.cos(wave.theta)
        along = np.array([math.cos(wave.phi), math.sin(wave.phi), 0.0])
        across = np.array([-along[1], along[0], 0.0])
        tm, te = (complex(x[0]) for x in Spectrum(side.stack, frequency).from_opening(np.array([sine])))
        scale = -2.0 / WAVE_IMPEDANCE * np.exp(1j * k * side.stack.thickness * cosine)
        field = scale * (tm * wave.e_theta * along + te * cosine * wave.e_phi * across)
        # E0 = ẑ × f, and (ẑ × f)·E = f·(E × ẑ).
        turned = np.array([field[1], -field[0], 0.0])
        found[parts.own] = _on_sheets(parts.openings, k * sine * along, turned)
    return found


def _over_layers(aloft: Basis, wave: PlaneWave, frequency: float, stack: Stack) -> Complexes:
    """∫ f·E of what is in the air over a stack: the wave and what the layers reflect, or let through from below."""
    turn = np.exp(1j * wavenumber(frequency) * stack.thickness * math.cos(wave.theta))
    if math.cos(wave.theta) < -1e-12:
        tm, te = (complex(x[0]) for x in stack.at(frequency).transmitted(np.array([wave.theta])))
        through = replace(wave, e_theta=tm * wave.e_theta / turn, e_phi=te * wave.e_phi / turn)
        return tested_in_the_open(aloft.raised(stack.thickness), through, frequency, None)
    there = replace(wave, e_theta=wave.e_theta * turn, e_phi=wave.e_phi * turn)
    return tested_in_the_open(aloft, there, frequency, stack.reflected)


def _on_fan(sheets: SheetBasis, one: Fan, ray: Floats, field: Complexes) -> complex:
    points = fan_points(sheets, (one,))
    return complex(np.exp(1j * (points.places @ ray)) @ (points.weights[..., :3].sum(axis=1) @ field))


def _on_sheets(sheets: SheetBasis, ray: Floats, field: Complexes) -> Complexes:
    """∫ f·E of the functions on sheets, of E = field e^{j ray·r}."""
    from ..kernels.sheets import P7, W7

    mesh = sheets.mesh
    places = np.einsum("pc,tcx->tpx", P7, mesh.corners)
    phase = np.exp(1j * (places @ ray)) * W7 * mesh.areas[:, None]
    # ∫ e^{jk·r} dS and ∫ (r·E) e^{jk·r} dS of every triangle.
    plain, along = phase.sum(axis=1), (phase * (places @ field)).sum(axis=1)
    return np.asarray(
        sum(
            sheets.coefficients[s] * (along[sheets.pairs[s]] - (sheets.apexes[s] @ field) * plain[sheets.pairs[s]])
            for s in (0, 1)
        )
    )


def _ray_and_field(wave: PlaneWave) -> tuple[Any, Complexes]:
    """Unit vector towards where the wave comes from (3,), and its field at the origin (3,)."""
    t, p = wave.theta, wave.phi
    ray = np.array([math.sin(t) * math.cos(p), math.sin(t) * math.sin(p), math.cos(t)])
    field = wave.e_theta * np.array([math.cos(t) * math.cos(p), math.cos(t) * math.sin(p), -math.sin(t)])
    return ray, field + wave.e_phi * np.array([-math.sin(p), math.cos(p), 0.0])


def _on_segments(basis: WireBasis, k: float, ray: Floats, field: Complexes) -> Complexes:
    """∫ of the half functions of every segment (segments, 2) and E = field e^{jk ray·r}, averaged round the tubes."""
    from scipy.special import j0

    mesh = basis.mesh
    start, tangents, lengths, radii = mesh.starts, mesh.tangents, mesh.lengths, mesh.radii
    along = tangents @ ray
    ring = j0(k * radii * np.sqrt(np.maximum(1.0 - along**2, 0.0)))
    tested = np.zeros((len(lengths), 2), complex)
    for x, w in zip(*np.polynomial.legendre.leggauss(4), strict=True):
        share = 0.5 * (x + 1.0)
        phase = np.exp(1j * k * (start @ ray + share * lengths * along))
        value = 0.5 * w * lengths * ring * phase * (tangents @ field)
        tested += value[:, None] * np.array([1.0 - share, share])
    return tested
