"""The voltage along wires: the scalar potential of their charge, against infinity."""

from __future__ import annotations

import math

import numpy as np

from ..arraytypes import Complexes, Floats
from ..constants import ELECTRIC_CONSTANT
from ..errors import UsageError
from .currents import Currents

_ORDER = 6
_MIRROR = np.array([1.0, 1.0, -1.0])


def wire_potential(currents: Currents) -> Complexes:
    """The potential (segments,), volts peak, on the skin of wires at the middle of every segment.

    In the Lorenz gauge, of the charge -(dI/ds)/jω on the axes seen from the skin (thin wires; Harrington 1968, §4.2);
    over a perfect plane with that of the images. Raises UsageError over earth and layers, and with sheets.
    """
    mesh, medium = currents.mesh, currents.medium
    if medium.tabled or currents.sheets is not None:
        raise UsageError(
            f"voltage along wires: it is known of wires alone, in free space and over a perfect plane; these are "
            f"{'with sheets' if currents.sheets is not None else f'over {medium}'}"
        )
    density = (currents.ends[:, 0] - currents.ends[:, 1]) / (2j * math.pi * currents.frequency * mesh.lengths)
    starts, stops = mesh.starts, mesh.nodes[mesh.ends[:, 1]]
    found = _seen(mesh.centres, mesh.radii, starts, stops, currents.wavenumber) @ density
    if medium.has_plane:
        found = (
            found - _seen(mesh.centres, mesh.radii, starts * _MIRROR, stops * _MIRROR, currents.wavenumber) @ density
        )
    return np.asarray(found / (4.0 * math.pi * ELECTRIC_CONSTANT))


def _seen(places: Floats, radii: Floats, starts: Floats, stops: Floats, k: float) -> Complexes:
    """∫ exp(-jkR)/R ds over segments (n) from places (m) as far off as the radii there: (m, n).

    What is singular, 1/R, in closed form; the rest by Gauss's rule.
    """
    along = stops - starts
    lengths = np.linalg.norm(along, axis=1)
    unit = along / lengths[:, None]
    offset = places[:, None] - starts
    here = (offset * unit).sum(axis=2)
    square = np.maximum((offset**2).sum(axis=2) - here**2, 0.0) + radii[:, None] ** 2
    aside = np.sqrt(square)
    static = np.arcsinh(here / aside) + np.arcsinh((lengths - here) / aside)
    nodes, weights = np.polynomial.legendre.leggauss(_ORDER)
    total = static.astype(complex)
    for node, weight in zip(nodes, weights, strict=True):
        reach = np.sqrt(square + (0.5 * lengths * (1.0 + node) - here) ** 2)
        total += 0.5 * weight * lengths * (np.exp(-1j * k * reach) - 1.0) / reach
    seen: Complexes = total
    return seen
