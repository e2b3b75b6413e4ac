"""What leaves an array without end: Floquet waves, one in each direction in which all cells agree.

A cell whose far field is F(θ, φ) e^{-jkr}/r sends, with all others in step, plane waves of E = 2πF/(jkA cos θ), A its
area, and of the power λ²|F|²/(2ηA cos θ) a cell: the sum over places as one over waves (Poisson).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from ..answers.circuits import absorbed, circuit_of
from ..answers.driven import Driven
from ..arraytypes import Complexes, Floats, Ints
from ..constants import WAVE_IMPEDANCE, wavenumber
from ..fields.currents import Currents
from ..fields.sheet_currents import SheetCurrents
from ..lettering import Told
from ..moments.cell_basis import CellBasis
from ..moments.endless import metal_loss
from ..units import engineering
from .cell import Cell
from .directions import angles

if TYPE_CHECKING:
    import pandas as pd


def leaving(
    cell: Cell, flow: Currents, uv: Floats, upright: float = 0.0
) -> tuple[Ints, Floats, Floats, Floats, Complexes]:
    """Waves that a cell's currents send: numbers (n, 2), u and v (n, 2), θ and φ (n,), rad, and (E_θ, E_φ) (n, 2), V/m.

    Those upwards first, then, where there is air below, those downwards. upright: the φ of what goes straight up.
    """
    k = wavenumber(flow.frequency)
    numbers, waves = cell.lattice.waves(k * uv, k)
    own = waves / k
    cosine = np.sqrt(np.maximum(1.0 - (own**2).sum(axis=1), 0.0))
    kept = cosine > 1e-9
    numbers, own, cosine = numbers[kept], own[kept], cosine[kept]
    up = np.arccos(cosine)
    # Straight up, θ and φ point as the scan's plane says.
    phi = np.where(np.linalg.norm(own, axis=1) < 1e-12, upright, np.arctan2(own[:, 1], own[:, 0]))
    sides = 1 if cell.antenna.medium.has_plane else 2
    theta = np.concatenate([up, math.pi - up][:sides])
    phi, numbers, own, cosine = (np.concatenate([x] * sides) for x in (phi, numbers, own, cosine))
    fields = np.stack(flow.far_field(theta, phi), axis=-1)
    amplitudes = 2.0 * math.pi / (1j * k * cell.lattice.area * cosine)[:, None] * fields
    return numbers, own, theta, phi, amplitudes


@dataclass(frozen=True, eq=False, repr=False)
class Fed(Told):
    """A cell with its ports fed as those of all others, a phase apart.

    flow: its currents, and on pieces of other cells what its functions reach over to. amounts (functions,). uv (2,).
    weights (ports,): waves sent, √W. voltages, currents (ports,): peak. nodes: voltages and currents of its circuit.
    """

    cell: Cell
    basis: CellBasis
    flow: Currents
    amounts: Complexes
    uv: Floats
    weights: Complexes
    voltages: Complexes
    currents: Complexes
    nodes: Complexes

    def _in_words(self) -> str:
        return (
            f"'{self.cell.antenna.name}' among its likes at {engineering(self.flow.frequency, 'Hz', 6)}, "
            f"u = {self.uv[0]:.4g}, v = {self.uv[1]:.4g}: {self.sent:.4g} W sent, {self.accepted:.4g} W accepted a cell"
        )

    def _as_table(self) -> pd.DataFrame:
        return self.waves()

    def driven(self) -> Driven:
        """The cell's metal with all that flows on it, for tables and figures of currents.

        It is among its likes: a far field of it alone, or a balance, tells nothing.
        """
        antenna = self.cell.antenna
        fed = tuple(p.name for p, wave in zip(antenna.ports, self.weights, strict=True) if wave)
        loads = slice(len(antenna.ports), len(antenna.ports) + len(antenna.loads))
        return Driven(
            antenna, self._on_own_metal, self.basis.own, self.amounts, self.voltages, self.currents, fed,
            tuple(self.losses()), self.nodes[loads], np.full(len(antenna.loads), np.nan + 0j),
        )  # fmt: skip

    @cached_property
    def _on_own_metal(self) -> Currents:
        """What functions of other cells bring over the edge is as much as this one's bring there, a phase behind."""
        segments, triangles = self.basis.pieces
        own, k = self.flow, wavenumber(self.flow.frequency)

        def turns(pieces: Ints) -> Complexes:
            return np.exp(1j * k * self.cell.lattice.places(pieces[:, :2]) @ self.uv)

        ends = np.zeros((len(self.basis.wires), 2), np.complex128)
        np.add.at(ends, segments[:, 2], turns(segments)[:, None] * own.ends)
        sheets, mesh = None, self.basis.sheets
        if own.sheets is not None and mesh is not None:
            number, vector = np.zeros(len(mesh), np.complex128), np.zeros((len(mesh), 3), np.complex128)
            turn, moved = turns(triangles), np.zeros((len(triangles), 3))
            moved[:, :2] = self.cell.lattice.places(triangles[:, :2])
            np.add.at(number, triangles[:, 2], turn * own.sheets.number)
            there = own.sheets.vector - own.sheets.number[:, None] * moved
            np.add.at(vector, triangles[:, 2], turn[:, None] * there)
            sheets = SheetCurrents(mesh, number, vector, own.sheets.points, own.sheets.moments)
        return Currents(self.basis.wires, ends, own.frequency, own.medium, sheets)

    @property
    def sent(self) -> float:
        """Power of the waves towards the ports, W."""
        return float((np.abs(self.weights) ** 2).sum())

    @property
    def accepted(self) -> float:
        """Power into the fed ports, W."""
        powers = 0.5 * (self.voltages * self.currents.conj()).real
        return float(powers[self.weights != 0.0].sum())

    @cached_property
    def _leaving(self) -> tuple[Ints, Floats, Floats, Floats, Complexes]:
        return leaving(self.cell, self.flow, self.uv)

    @property
    def towards_scan(self) -> Complexes:
        """(E_θ, E_φ) times distance (2,), volts peak, of the cell's currents towards the scan, where it is seen."""
        size = float(np.linalg.norm(self.uv))
        if size > 1.0:
            return np.full(2, np.nan + 0j)
        theta = np.array([math.asin(min(size, 1.0))])
        phi = np.array([math.atan2(self.uv[1], self.uv[0]) if size > 0.0 else 0.0])
        return np.array([x[0] for x in self.flow.far_field(theta, phi)])

    def waves(self) -> pd.DataFrame:
        """A row per wave that leaves: its number along both steps, side, direction (deg), power of TM and TE (W)."""
        import pandas as pd

        numbers, own, theta, _, amplitudes = self._leaving
        powers = (
            np.abs(amplitudes) ** 2 * (self.cell.lattice.area * np.abs(np.cos(theta)) / (2.0 * WAVE_IMPEDANCE))[:, None]
        )
        return pd.DataFrame(
            {
                "p": numbers[:, 0],
                "q": numbers[:, 1],
                "side": np.where(theta < 0.5 * math.pi, "up", "down"),
                "theta_deg": np.degrees(theta),
                "phi_deg": angles(own)[1],
                "tm_W": powers[:, 0],
                "te_W": powers[:, 1],
            }
        )

    def losses(self) -> list[tuple[str, float]]:
        """Power in the metal and jackets, in every load and line, and in what closes ports that are not fed, W."""
        antenna, hertz = self.cell.antenna, self.flow.frequency
        metal = metal_loss(antenna, self.basis, hertz, wavenumber(hertz) * self.uv, self.amounts)
        found = [] if metal is None else [("metal and jackets", metal)]
        found += list(absorbed(antenna, circuit_of(antenna), hertz, self.nodes))
        powers = -0.5 * (self.voltages * self.currents.conj()).real
        closed = zip(antenna.ports, powers, self.weights, strict=True)
        return found + [(f"what closes port '{p.name}'", float(x)) for p, x, wave in closed if not wave]

    def budget(self) -> pd.DataFrame:
        """Where every watt of a cell goes: power (W) and share of what was sent."""
        import pandas as pd

        parts = [("sent", self.sent), ("returned", self.sent - self.accepted), ("accepted", self.accepted)]
        waves = self.waves()
        out = [
            (f"wave ({p}, {q}) {side}", float(tm + te))
            for p, q, side, tm, te in waves[["p", "q", "side", "tm_W", "te_W"]].itertuples(index=False)
        ]
        lost = self.losses()
        if self.cell.antenna.medium.takers:
            rest = self.accepted - math.fsum(x for _, x in (*out, *lost))
            lost.append((f"{' and '.join(self.cell.antenna.medium.takers)} (remainder)", rest))
        rows = [(name, power, power / self.sent) for name, power in (*parts, *lost, *out)]
        return pd.DataFrame(rows, columns=["part", "power_W", "share"]).set_index("part")

    @property
    def balance(self) -> float:
        """(waves + losses - accepted)/sent: zero, but for the accuracy of the solve; layers with loss take the rest."""
        waves = self.waves()
        found = float(waves["tm_W"].sum() + waves["te_W"].sum()) + math.fsum(x for _, x in self.losses())
        off = (found - self.accepted) / self.sent
        return max(off, 0.0) if self.cell.antenna.medium.takers else off
