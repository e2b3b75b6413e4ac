"""A solution with its ports driven one way."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Complexes, Floats
from ..constants import ELECTRIC_CONSTANT
from ..description.antenna import Antenna
from ..errors import UsageError
from ..fields.currents import Currents
from ..fields.far import FarField
from ..fields.near import NearField, near_field, power_through_box
from ..fields.sheet_currents import SheetCurrents
from ..lettering import Told
from ..moments.basis import Basis
from ..moments.formulation import formulation
from ..network.flow import Flow
from ..network.receiver import Heard
from ..units import engineering

if TYPE_CHECKING:
    import pandas as pd


def currents_of(antenna: Antenna, basis: Basis, coefficients: Complexes, hertz: float) -> Currents:
    """The currents that coefficients (functions,) stand for, on wires and sheets."""
    on_wires, on_sheets = basis.split(coefficients)
    sheets = None
    if basis.sheets is not None:
        own = basis.sheets
        number, vector = np.zeros(len(own.mesh), complex), np.zeros((len(own.mesh), 3), complex)
        halves = [(own.pairs[s], on_sheets * own.coefficients[s], own.apexes[s]) for s in (0, 1)]
        flows = [complex(into @ on_wires) for _, into in basis.feet]
        halves += [
            (one.triangles, flow * one.coefficients, np.broadcast_to(one.apex, (len(one.triangles), 3)))
            for (one, _), flow in zip(basis.feet, flows, strict=True)
        ]
        for triangles, amounts, apexes in halves:
            np.add.at(number, triangles, amounts)
            np.add.at(vector, triangles, amounts[:, None] * apexes)
        feet = [(one.points, flow * one.moments) for (one, _), flow in zip(basis.feet, flows, strict=True)]
        points, moments = (np.concatenate([np.zeros((0, 3)), *x]) for x in zip(*feet, strict=True)) if feet else (
            np.zeros((0, 3)), np.zeros((0, 3), complex)
        )  # fmt: skip
        sheets = SheetCurrents(own.mesh, number, vector, points, moments)
    return Currents(basis.mesh, basis.segment_currents(coefficients), hertz, antenna.medium, sheets)


@dataclass(frozen=True, eq=False, repr=False)
class Driven(Told):
    """A solution with its ports driven one way, at one frequency.

    voltages, currents (ports,): peak, at the ports. driven: names of the ports with a source; the others are closed.
    taken: power in the metal and jacket of every wire, in every load, line and stub, W, by name.
    load_voltages, load_currents: across and through every load, peak. basis, amounts (functions,): what `flow` is of.
    feed: what goes on in the circuit in front of it, if there is one. heard: of a receiver, whose beam this is.
    """

    antenna: Antenna
    flow: Currents
    basis: Basis
    amounts: Complexes
    voltages: Complexes
    currents: Complexes
    driven: tuple[str, ...]
    taken: tuple[tuple[str, float], ...]
    load_voltages: Complexes
    load_currents: Complexes
    feed: Flow | None = None
    heard: Heard | None = None

    def _in_words(self) -> str:
        place = engineering(self.frequency, "Hz", 6)
        return f"'{self.antenna.name}' at {place}, {self.incident:.4g} W sent, {self.accepted:.4g} W accepted"

    def _as_table(self) -> pd.DataFrame:
        return self.ports_table()

    @property
    def frequency(self) -> float:
        """Frequency, Hz."""
        return self.flow.frequency

    @property
    def _port_powers(self) -> Floats:
        return np.asarray(0.5 * (self.voltages * self.currents.conj()).real)

    @property
    def accepted(self) -> float:
        """Power into the driven ports together, W."""
        fed = [p.name in self.driven for p in self.antenna.ports]
        return float(self._port_powers[fed].sum())

    @property
    def incident(self) -> float:
        """Power of the waves sent towards the driven ports by sources of their references, W (Pozar 2012, eq. 4.40)."""
        references = np.array([p.reference for p in self.antenna.ports])
        waves = np.abs(self.voltages + references * self.currents) ** 2 / (8.0 * references.real)
        return float(waves[[p.name in self.driven for p in self.antenna.ports]].sum())

    def budget(self) -> pd.DataFrame:
        """Where every watt goes: table of part, power (W) and share of the power sent towards the driven ports.

        What is not accepted comes back. The rows below "accepted" add up to it, to the accuracy of the solve.
        """
        import pandas as pd

        parts = [("sent", self.incident), ("returned", self.incident - self.accepted), ("accepted", self.accepted)]
        parts += self.losses()
        radiated = self.radiated
        parts += self.flow.guided()
        if self.lossy_below:
            # By convention: waves and radiation as they would be without the loss below, which takes the rest.
            # Earth takes all that is not radiated above it.
            rest = self.accepted - radiated - math.fsum(power for _, power in parts[3:])
            parts.append((f"{' and '.join(self.antenna.medium.takers)} (remainder)", rest))
        parts.append(("radiated", radiated))
        rows = [(name, power, power / self.incident if self.incident > 0.0 else math.nan) for name, power in parts]
        return pd.DataFrame(rows, columns=["part", "power_W", "share"]).set_index("part")

    def resistances(self) -> pd.Series:
        """What the resistance at a lone driven port is made of, ohm: radiated, and of every part that takes power.

        Raises UsageError when several ports are driven, or no current flows.
        """
        at = [i for i, p in enumerate(self.antenna.ports) if p.name in self.driven]
        if len(at) != 1 or not abs(self.currents[at[0]]) > 0.0:
            raise UsageError("resistances: they are told for one driven port with a current; drive one port alone")
        powers = self.budget()["power_W"].drop(["sent", "returned"]).rename(index={"accepted": "whole"})
        found: pd.Series = (2.0 * powers / abs(self.currents[at[0]]) ** 2).rename("resistance_ohm")
        return found

    @property
    def lossy_below(self) -> bool:
        """Whether the antenna is on layers, or over earth, that take power."""
        return bool(self.antenna.medium.takers)

    def losses(self) -> list[tuple[str, float]]:
        """Power in every part that takes some, W: metal, jackets, loads, lines, and what closes undriven ports."""
        closings = [
            (f"what closes port '{port.name}'", -float(power))
            for port, power in zip(self.antenna.ports, self._port_powers, strict=True)
            if port.name not in self.driven
        ]
        return [*self.taken, *closings]

    @property
    def radiated(self) -> float:
        """Power that goes off as radiation, W; none between planes."""
        return 0.0 if self.antenna.medium.shut else self.far_field().radiated

    def far_field(self) -> FarField:
        """The far field; raises UsageError when no power goes in."""
        if not self.accepted > 0.0:
            raise UsageError(
                f"antenna '{self.antenna.name}' accepts {self.accepted:g} W as driven; gain needs a drive above zero"
            )
        if self.antenna.medium.shut:
            raise UsageError(
                f"antenna '{self.antenna.name}' is between planes, where no waves get out: it has no far field: take "
                "its network (solution.network, or `earshot export DESIGN FILE.s2p`), or cut an opening"
            )
        return FarField(self.flow, self.accepted, self.incident, self.antenna.name)

    @property
    def balance(self) -> float:
        """(radiated + guided + lost)/accepted - 1: zero, but for the accuracy of the solve.

        Layers with loss and earth are given what is left, so that over them only too much can be told.
        """
        found = self.radiated + math.fsum(power for _, power in (*self.losses(), *self.flow.guided()))
        off = found / self.accepted - 1.0
        return max(off, 0.0) if self.lossy_below else off

    def near_field(self, points: ArrayLike, *, in_metal: str = "refuse") -> NearField:
        """Complex E and H, peak, at points (..., 3) outside the metal, in metres.

        `line_of_points`, `plane_of_points` and `box_of_points` make them. in_metal: "refuse" raises UsageError for a
        point inside metal; "zero" gives the field there, none.
        """
        return near_field(self.flow, points, in_metal=in_metal)

    def power_through_box(self, low: ArrayLike, high: ArrayLike) -> float:
        """Power leaving a box with corners low and high, W, from the near field on its faces."""
        return power_through_box(self.flow, low, high)

    def ports_table(self) -> pd.DataFrame:
        """Per port: voltage and current (peak), active impedance (ohm), its VSWR, and power accepted (W).

        The VSWR, at the port's reference, is infinite where nothing is driven and where more comes out than goes in.
        """
        import pandas as pd

        live = np.abs(self.currents) > 0.0
        impedance = np.full(len(live), complex(math.inf))
        impedance[live] = self.voltages[live] / self.currents[live]
        references = np.array([p.reference for p in self.antenna.ports])
        forward = np.abs(self.voltages + references * self.currents)
        back = np.abs(self.voltages - references.conj() * self.currents)
        into = (back < forward) & np.array([p.name in self.driven for p in self.antenna.ports])
        standing = np.full(len(live), math.inf)
        standing[into] = (forward[into] + back[into]) / (forward[into] - back[into])
        return pd.DataFrame(
            {
                "voltage_V": self.voltages,
                "current_A": self.currents,
                "active_impedance_ohm": impedance,
                "active_vswr": standing,
                "power_W": 0.5 * (self.voltages * self.currents.conj()).real,
            },
            index=pd.Index([p.name for p in self.antenna.ports], name="port"),
        )

    def loads_table(self) -> pd.DataFrame:
        """Per load: voltage across it and current through it (peak), power (W)."""
        import pandas as pd

        powers = dict(self.taken)
        loads = zip(self.antenna.loads, self.load_voltages, self.load_currents, strict=True)
        rows = [(load.name, voltage, current, powers[load.what]) for load, voltage, current in loads]
        return pd.DataFrame(rows, columns=["load", "voltage_V", "current_A", "power_W"]).set_index("load")

    def currents_table(self) -> pd.DataFrame:
        """Along every wire, a row per node: distance (m), place (m), current (A), charge (C/m), surface field (V/m).

        All peak. Charge is -(dI/ds)/jω, its mean over the segments at a node; the field is the charge's, q/2πε0a,
        square to the surface.
        """
        import pandas as pd

        frames = []
        flow, grid = self.flow, self.flow.mesh
        density = (flow.ends[:, 0] - flow.ends[:, 1]) / (2j * math.pi * self.frequency * grid.lengths)
        for index, wire in enumerate(self.antenna.wires):
            segments = np.flatnonzero(grid.wire == index)
            last = segments[-1]
            places = grid.nodes[np.append(grid.ends[segments, 0], grid.ends[last, 1])]
            own = density[segments]
            charge = 0.5 * (np.append(own, own[-1]) + np.append(own[0], own))
            columns = {
                "wire": wire.name,
                "along_m": np.append(grid.arc[segments, 0], grid.arc[last, 1]),
                "x_m": places[:, 0],
                "y_m": places[:, 1],
                "z_m": places[:, 2],
                "current_A": np.append(flow.ends[segments, 0], flow.ends[last, 1]),
                "charge_C_per_m": charge,
                "surface_field_V_per_m": charge / (2.0 * math.pi * ELECTRIC_CONSTANT * wire.radius),
            }
            frames.append(pd.DataFrame(columns))
        if not frames:
            raise UsageError(f"antenna '{self.antenna.name}' has no wires: ask for its sheet_currents_table")
        return pd.concat(frames, ignore_index=True)

    def potential_table(self) -> pd.DataFrame:
        """The scalar potential along every wire in the air, against infinity: table of wire, place, V peak and phase.

        Raises UsageError for antennas without such wires; see `moments.potential` for the gauge.
        """
        import pandas as pd

        grid = self.basis.mesh
        chosen = np.flatnonzero(~self.basis.wires.through)
        if not len(chosen):
            raise UsageError(f"antenna '{self.antenna.name}': voltage along wires: it has none in the air")
        volts = formulation(self.antenna.medium).potential(self.basis, self.amounts, self.frequency, chosen)
        names = [wire.name for wire in self.antenna.wires]
        where = {f"{axis}_m": grid.centres[chosen, i] for i, axis in enumerate("xyz")}
        own, along = [names[i] for i in grid.wire[chosen]], grid.arc[chosen].mean(axis=1)
        return pd.DataFrame({"wire": own, "along_m": along,
                             **where, "voltage_V": np.abs(volts),
                             "phase_deg": np.degrees(np.angle(volts))})  # fmt: skip

    def sheet_currents_table(self) -> pd.DataFrame:
        """A row per triangle: sheet, centroid (m), area (m²), surface current there by component (A/m, peak).

        Raises UsageError for an antenna without sheets.
        """
        import pandas as pd

        sheets = self.flow.on_metal
        if sheets is None:
            raise UsageError(f"antenna '{self.antenna.name}' has no sheets: ask for its currents_table")
        names = np.array([s.name for s in self.antenna.sheets], object)
        columns = {"sheet": names[sheets.mesh.sheet]}
        columns |= {f"{axis}_m": sheets.mesh.centres[:, i] for i, axis in enumerate("xyz")}
        columns["area_m2"] = sheets.mesh.areas
        columns |= {f"J{axis}_A_per_m": sheets.density[:, i] for i, axis in enumerate("xyz")}
        return pd.DataFrame(columns)
