"""The scalar potential that solved currents make at places on wires: what a unit charge there meets.

A test charge is a row of the matrix without a current, so it sees the very charges that the matrix does, everywhere in
the same gauge: the Lorenz gauge in the open (Harrington 1968, §4.2), over earth with one kernel for all charges, over
layers formulation C (Michalski and Mosig 1997). E = -jωA - ∇φ; where all is small against a wavelength, E = -∇φ.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..constants import ELECTRIC_CONSTANT, wavenumber
from ..media.half_space import Below
from ..media.stack import Stack
from .basis import Basis
from .coupling import Points, fan_points, frames_of, potentials_of, with_fan, with_sheets
from .earth import table_for
from .earth_sheets import points_by_earth, sheets_by_earth
from .layered import Aloft, Layered
from .over_layers import at_ends, with_level

_ORDER, _MOST_PIECES, _SMOOTH = 4, 64, 6
_RING, _NEAR = 16, 10.0
"""Angles round tubes in line, as far as so many radii off."""


def charges_at(basis: Basis, segments: Ints) -> Points:
    """A unit charge spread along every segment, as the matrix tests with, a row each."""
    mesh, count = basis.mesh, len(segments)
    nodes, shares = np.polynomial.legendre.leggauss(_ORDER)
    along = 0.5 * (nodes + 1.0) * mesh.lengths[segments, None]
    places = mesh.starts[segments, None] + along[..., None] * mesh.tangents[segments, None]
    weights = np.zeros((count * _ORDER, 2, 4))
    weights[:, 0, 3] = np.tile(0.5 * shares, count)
    return Points(
        places.reshape(-1, 3), np.repeat(frames_of(mesh.tangents[segments]), _ORDER, axis=0),
        np.repeat(mesh.radii[segments], _ORDER), np.repeat(np.arange(count), _ORDER), weights,
    )  # fmt: skip


def in_the_open(basis: Basis, amounts: Complexes, frequency: float, places: Points) -> Complexes:
    """The potential (rows,), V, of functions times amounts (functions,) as if nothing were around."""
    on_wires, on_sheets = basis.split(amounts)
    mesh, omega = basis.mesh, 2.0 * math.pi * frequency
    found = np.zeros(places.rows, np.complex128)
    if len(mesh):
        ends = basis.wires.segment_currents(on_wires)
        charge = (ends[:, 0] - ends[:, 1]) / (1j * omega * mesh.lengths)
        stops = mesh.nodes[mesh.ends[:, 1]]
        seen = _line_potentials(places.places, places.radii, mesh.starts, stops, wavenumber(frequency))
        volts = seen @ charge / (4.0 * math.pi * ELECTRIC_CONSTANT)
        np.add.at(found, places.owner, places.weights[:, 0, 3] * volts)
    if basis.sheets is not None:
        seen = potentials_of(places, basis.sheets.mesh.columns, frequency)
        found -= with_sheets(seen, basis.sheets, frequency)[:, 0] @ on_sheets
        for fan, into in basis.feet:
            found -= with_fan(seen, fan, frequency)[:, 0] * (into @ on_wires)
    return found


def over_plane(basis: Basis, amounts: Complexes, frequency: float, places: Points) -> Complexes:
    """The same over a perfect plane z = 0: the image of a charge is its opposite."""
    mirrored = replace(places.image, weights=places.weights)
    return in_the_open(basis, amounts, frequency, places) - in_the_open(basis, amounts, frequency, mirrored)


def over(basis: Basis, amounts: Complexes, frequency: float, places: Points, below: Below) -> Complexes:
    """The same over z = 0 where something sends waves back."""
    found = in_the_open(basis, amounts, frequency, places)
    table = table_for(basis, below, wavenumber(frequency))
    on_wires, on_sheets = basis.split(amounts)
    if len(basis.mesh):
        ends = basis.wires.segment_currents(on_wires)
        charges = _as_points(basis, ends[:, 1] - ends[:, 0])
        found -= sum(
            share * points_by_earth(places, part, table, frequency)[:, 0, 0]
            for share, part in zip((1.0, 1j), charges, strict=True)
        )
    if basis.sheets is not None:
        found -= sheets_by_earth(places, basis.sheets, table, frequency)[:, 0] @ on_sheets
    if basis.feet and basis.sheets is not None:
        feet = fan_points(basis.sheets, tuple(fan for fan, _ in basis.feet), near=False)
        into = np.array([amount for _, amount in basis.feet])
        found -= points_by_earth(places, feet, table, frequency)[:, 0] @ (into @ on_wires)
    return found


def over_layers(parts: Layered, amounts: Complexes, frequency: float, stack: Stack) -> Complexes:
    """The same on and over a stack: at the segments that are in the air."""
    aloft = parts.aloft
    assert aloft is not None
    own = amounts[aloft.own]
    places = charges_at(aloft.basis, np.arange(len(aloft.basis.mesh)))
    found = over(aloft.basis, own, frequency, places, stack.at(frequency))
    asking = replace(parts, aloft=_asking(aloft, places, stack.thickness))
    on = np.concatenate([parts.on_metal, np.arange(len(amounts) - parts.wires, len(amounts))])
    found -= with_level(asking, frequency) @ amounts[on]
    if len(aloft.ends):
        found -= at_ends(asking, frequency) @ (aloft.left @ own)
    return found


def _asking(aloft: Aloft, places: Points, top: float) -> Aloft:
    """Test charges in place of currents in the air."""
    from scipy.sparse import csr_array

    shape = len(places.places), places.rows
    none = csr_array(shape)
    charges = csr_array((places.weights[:, 0, 3], (np.arange(shape[0]), places.owner)), shape=shape)
    return replace(
        aloft, places=places.places + np.array([0.0, 0.0, top]), thick=places.radii,
        carried=(none, none, none, charges),
    )  # fmt: skip


def _as_points(basis: Basis, divergence: Complexes) -> tuple[Points, Points]:
    """Charge of segments (segments,) as points, real and imaginary: in pieces no longer than they are high."""
    mesh = basis.mesh
    nodes, weights = np.polynomial.legendre.leggauss(_ORDER)
    low = mesh.nodes[mesh.ends, 2].min(axis=1)
    pieces = np.clip(np.ceil(mesh.lengths / np.maximum(2.0 * low, 1e-12)), 1, _MOST_PIECES).astype(np.int64)
    owner = np.repeat(np.arange(len(pieces)), pieces)
    first = np.arange(len(owner)) - np.repeat(np.cumsum(pieces) - pieces, pieces)
    share = (first[:, None] + 0.5 * (nodes + 1.0)) / pieces[owner, None]
    places = mesh.starts[owner, None] + (share * mesh.lengths[owner, None])[..., None] * mesh.tangents[owner, None]
    amounts = ((divergence / pieces)[owner, None] * 0.5 * weights).ravel()
    found = []
    for part in (amounts.real, amounts.imag):
        carried = np.zeros((len(part), 2, 4))
        carried[:, 0, 3] = part
        found.append(Points(places.reshape(-1, 3), np.zeros((len(part), 6)), np.zeros(len(part)),
                            np.zeros(len(part), np.int64), carried))  # fmt: skip
    return found[0], found[1]


def _line_potentials(places: Floats, radii: Floats, starts: Floats, stops: Floats, k: float) -> Complexes:
    """∫ exp(-jkR)/R ds over segments (n) from places (m) as far off as the radii there: (m, n).

    What is singular, 1/R, in closed form, the mean round the tube near to its own axis; the rest by Gauss's rule.
    """
    along = stops - starts
    lengths = np.linalg.norm(along, axis=1)
    unit = along / lengths[:, None]
    offset = places[:, None] - starts
    here = (offset * unit).sum(axis=2)
    off = np.maximum((offset**2).sum(axis=2) - here**2, 0.0)
    square = off + radii[:, None] ** 2
    aside = np.sqrt(square)
    static = np.arcsinh(here / aside) + np.arcsinh((lengths - here) / aside)
    # Tubes in line are rings that see each other across: at a free end, shorter than a radius, it is not their middle.
    reach = np.maximum(np.maximum(-here, here - lengths), 0.0)
    p, s = np.nonzero((off <= 1e-6 * square) & (reach <= _NEAR * radii[:, None]))
    x, shares = np.polynomial.legendre.leggauss(_RING)
    # Angles crowd towards none, where the logarithm is.
    part = (0.5 * (x + 1.0)) ** 3
    across = 2.0 * radii[p, None] * np.sin(0.5 * np.pi * part)
    before, after = here[p, s][:, None], (lengths[s] - here[p, s])[:, None]
    static[p, s] = (np.arcsinh(before / across) + np.arcsinh(after / across)) @ (1.5 * shares * part ** (2 / 3))
    nodes, weights = np.polynomial.legendre.leggauss(_SMOOTH)
    total = static.astype(complex)
    for node, weight in zip(nodes, weights, strict=True):
        reach = np.sqrt(square + (0.5 * lengths * (1.0 + node) - here) ** 2)
        total += 0.5 * weight * lengths * (np.exp(-1j * k * reach) - 1.0) / reach
    seen: Complexes = total
    return seen
