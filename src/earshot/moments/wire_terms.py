"""What is inside and round a wire adds to the matrix: series impedance of the metal, elastance of a jacket.

Series impedance z (ohm/m): ∫ z f_m f_n ds. Jacket of elastance p: 1/jω ∫ p f_m' f_n' ds. Both are local: a function
meets only those on its own segments.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from ..arraytypes import Complexes
from ..description.antenna import Antenna
from .wire_basis import WireBasis


def series_impedance(antenna: Antenna, frequency: float) -> Complexes:
    """Internal impedance per metre of every wire (wires,), ohm/m; zero for perfect conductors."""
    return np.array(
        [0j if w.metal is None else w.metal.wire_impedance(frequency, w.radius, w.wall) for w in antenna.wires]
    )


def _overlaps(basis: WireBasis) -> tuple[Any, Any]:
    """Sparse (2 segments, 2 segments): ∫ N_a N_b ds and ∫ N_a' N_b' ds between half functions of one segment."""
    from scipy.sparse import csr_array

    lengths = basis.mesh.lengths
    mass = np.array([[2.0, 1.0], [1.0, 2.0]]) / 6.0
    slope = np.array([[1.0, -1.0], [-1.0, 1.0]])
    count = 2 * len(lengths)
    # Blocks of two by two along the diagonal.
    columns = (np.arange(count) // 2 * 2)[:, None] + np.arange(2)
    starts = 2 * np.arange(count + 1)
    return tuple(
        csr_array(((each[:, None, None] * block).ravel(), columns.ravel(), starts), shape=(count, count))
        for each, block in ((lengths, mass), (1.0 / lengths, slope))
    )


def wire_terms(antenna: Antenna, basis: WireBasis, frequency: float) -> Any:
    """Sparse addition to the impedance matrix (functions, functions), ohm, or None when no wire has metal or jacket."""
    metal = series_impedance(antenna, frequency)
    jackets = [0j if w.jacket is None else w.jacket.elastance(w.radius) for w in antenna.wires]
    elastance = np.array(jackets) / (2j * math.pi * frequency)
    if not (metal.any() or elastance.any()):
        return None
    from scipy.sparse import diags_array

    mass, slope = _overlaps(basis)
    own = np.repeat(basis.mesh.wire, 2)
    halves = diags_array(metal[own]) @ mass + diags_array(elastance[own]) @ slope
    return basis.ends.T @ halves @ basis.ends


def wire_losses(antenna: Antenna, basis: WireBasis, frequency: float, ends: Complexes) -> list[tuple[str, float]]:
    """Power lost in the metal and the jacket of every wire, W; ends (segments, 2): its currents, A peak."""
    if not any(wire.metal or wire.jacket for wire in antenna.wires):
        return []
    mass, slope = _overlaps(basis)
    flat = ends.ravel()
    heat, charge = (0.5 * (flat.conj() * (m @ flat)).real for m in (mass, slope))
    own = np.repeat(basis.mesh.wire, 2)
    metal = series_impedance(antenna, frequency).real
    lost = []
    for index, wire in enumerate(antenna.wires):
        if wire.metal is not None:
            lost.append((f"metal of wire '{wire.name}'", float(metal[index] * heat[own == index].sum())))
        if wire.jacket is not None:
            resistance = (wire.jacket.elastance(wire.radius) / (2j * math.pi * frequency)).real
            lost.append((f"jacket of wire '{wire.name}'", float(resistance * charge[own == index].sum())))
    return lost
