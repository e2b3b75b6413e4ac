"""From a cell to a panel: couplings between elements, an element's pattern, and a panel's match foretold.

All phases from cell to cell are one period of a Fourier series, whose terms are the couplings to one element from those
of other cells: S(κ) = Σ S_pq e^{-jκ·r_pq}. A panel of few elements sees the terms that it has elements for: so its
match follows by sums over a window of them, as if what is beyond its edge were there, closed by its references.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from .. import units
from ..answers.solution import Solution
from ..arrays.elements import Element, tabulated
from ..arrays.solved import SolvedArray
from ..arraytypes import Complexes, Floats, Ints
from ..constants import WAVE_IMPEDANCE, wavenumber
from ..errors import UsageError
from ..lettering import Told
from ..meshing.mesh import MeshRule
from .cell import Cell
from .directions import angles, towards, zone
from .scan import CellScan, along, scan

if TYPE_CHECKING:
    import pandas as pd
    import xarray as xr

_ROUND, _RADIAL = 15.0, 2.0
"""Steps of φ and θ of a tabled pattern, degrees."""


@dataclass(frozen=True, eq=False, repr=False)
class Couplings(Told):
    """S between an element of an array without end and those of other cells, all closed by their references.

    terms (p, q, ports, ports): to an element from that of the cell p, q steps on, counted round: p of -1 is the last.
    """

    cell: Cell
    frequency: float
    terms: Complexes

    def _in_words(self) -> str:
        return f"{self.cell}: couplings over {self.terms.shape[0]} by {self.terms.shape[1]} cells"

    def scattering(self, steps: Ints) -> Complexes:
        """S (n, n) of one-port cells at places counted in steps (n, 2), as if all others were there and closed.

        Raises UsageError for places farther apart than half of what is known, and for cells of several ports.
        """
        if self.terms.shape[2] != 1:
            raise UsageError("couplings: a panel is foretold for cells of one port")
        off = steps - steps[:, None]
        most = np.array(self.terms.shape[:2]) // 2
        if (np.abs(off).max(axis=(0, 1)) > most).any():
            raise UsageError(
                f"couplings: elements are up to {np.abs(off).max()} steps apart, and couplings known to {most.min()}: "
                "ask for more cells"
            )
        return np.asarray(self.terms[off[..., 0], off[..., 1], 0, 0])

    def at(self, uv: Floats, steps: Ints) -> Complexes:
        """Active reflection (scans, n) at places in steps (n, 2), all fed alike and steered to u, v (scans, 2)."""
        return _active(self.scattering(steps), self.cell.lattice.places(steps), wavenumber(self.frequency) * uv)


def _active(scattering: Complexes, places: Floats, transverse: Floats) -> Complexes:
    """Active reflection (scans, n) at places (n, 2), of S (n, n), fed alike with phases of wavenumbers (scans, 2)."""
    waves = np.exp(-1j * transverse @ places.T)
    return np.asarray((waves @ scattering.T) / waves)


def couplings(
    cell: Cell, frequency: str | float, cells: tuple[int, int] = (24, 24), *, rule: MeshRule | None = None
) -> Couplings:
    """Couplings between cells, from a solve at each of so many phases along both steps.

    What is farther than half of them is folded back. Raises UsageError for counts that are none.
    """
    counts = tuple(units.count(n, "couplings: cells", 2, 200) for n in cells)
    hertz = units.frequency(frequency)
    # Half a step off, so that phases and their opposites are no multiples of one another's onsets.
    start = 0.5 * (cell.lattice.reciprocal / np.array(counts)[:, None]).sum(axis=0) / wavenumber(hertz)
    every = zone(cell.lattice, hertz, (counts[0], counts[1])) + start
    first = math.ceil(counts[0] / 2)
    half = scan(cell, every[:first].reshape(-1, 2), hertz, rule=rule).scattering
    ports = half.shape[-1]
    whole = np.empty((*counts, ports, ports), np.complex128)
    whole[:first] = half.reshape(first, counts[1], ports, ports)
    # The opposite scan: the matrix is turned over.
    whole[first:] = np.swapaxes(whole[: counts[0] - first][::-1, ::-1], 2, 3)
    wrapped = np.stack(
        np.meshgrid(*(np.where(np.arange(n) > n // 2, np.arange(n) - n, np.arange(n)) for n in counts), indexing="ij"),
        axis=-1,
    )
    turn = np.exp(1j * wavenumber(hertz) * (cell.lattice.places(wrapped) @ start))
    return Couplings(cell, hertz, np.fft.ifft2(whole, axes=(0, 1)) * turn[..., None, None])


def pattern_among_likes(
    cell: Cell, frequency: str | float, weights: Mapping[str, complex] | None = None, *, rule: MeshRule | None = None
) -> xr.Dataset:
    """(E_θ, E_φ) times distance, volts peak, of one cell's port sent 1 W among its likes, which are all closed.

    On a grid of θ and φ, degrees, as `FarField.sphere` gives it; along the array, at 90 degrees, nothing is sent.
    """
    import xarray as xr

    around = np.arange(0.0, 180.0, _ROUND)
    theta = np.arange(0.0, 90.0 + _RADIAL, _RADIAL)
    polar = np.concatenate([-theta[1:-1][::-1], theta[:-1]])
    sides = (1.0,) if cell.antenna.medium.has_plane else (1.0, -1.0)
    both = np.concatenate([theta, 180.0 - theta[:-1][::-1]]) if len(sides) == 2 else theta
    found = np.zeros((2, len(both), 2 * len(around)), np.complex128)
    for column, phi in enumerate(around):
        one, two = towards(polar[0], phi), towards(polar[-1], phi)
        ends = np.sin(np.radians(polar[[0, -1]]))
        shares = (np.sin(np.radians(polar)) - ends[0]) / (ends[1] - ends[0])
        cut = along(cell, one, two, np.clip(shares, 0.0, 1.0), units.frequency(frequency), rule=rule)
        waves = cut.weights(weights)
        sent = {name: complex(x / np.linalg.norm(waves)) for name, x in zip(cut.ports, waves, strict=True)}
        for n, angle in enumerate(polar):
            fed = cut.fed(n, sent)
            at = column + (len(around) if angle < 0.0 else 0)
            row = round(float(abs(angle)) / _RADIAL)
            for side in sides:
                turned = math.radians(abs(angle) if side > 0.0 else 180.0 - abs(angle))
                way = math.radians(phi + (180.0 if angle < 0.0 else 0.0))
                field = np.array([x[0] for x in fed.flow.far_field(np.array([turned]), np.array([way]))])
                found[:, row if side > 0.0 else len(both) - 1 - row, at] = field
                if angle == 0.0:
                    # Straight up φ alone turns θ and φ.
                    found[:, row if side > 0.0 else len(both) - 1 - row, at + len(around)] = -field
    phis = np.concatenate([around, around + 180.0])
    return xr.Dataset(
        {"e_theta": (("theta", "phi"), found[0]), "e_phi": (("theta", "phi"), found[1])},
        coords={"theta": both, "phi": phis},
    )


def element_among_likes(
    cell: Cell, frequency: str | float, weights: Mapping[str, complex] | None = None, *, rule: MeshRule | None = None
) -> Element:
    """One cell among its likes as an element for `es.arrays`, with the share of what it is sent that leaves.

    What is beyond a panel's edge is taken as there: gains of an array of it are realized ones, coupling in them.
    """
    samples = pattern_among_likes(cell, frequency, weights, rule=rule)
    made = tabulated(samples, f"{cell.antenna.name} among its likes")
    # `tabulated` makes it one watt: what it was before is the share that leaves.
    at = np.unravel_index(np.abs(samples["e_theta"].values).argmax(), samples["e_theta"].shape)
    theta, phi = (np.radians(samples[name].values[i]) for name, i in zip(("theta", "phi"), at, strict=True))
    one = abs(complex(made.field(np.array(theta), np.array(phi), units.frequency(frequency))[0]))
    share = float((np.abs(samples["e_theta"].values[at]) / one) ** 2)
    return replace(made, efficiency=share)


@dataclass(frozen=True, eq=False, repr=False)
class Beside(Told):
    """A cell's scan laid over a solved panel of the same elements, and over one element alone.

    scan: along a line. panel: its elements on the cell's lattice. foretold: by couplings of the cell. single: one
    element by itself, solved at that frequency.
    """

    scan: CellScan
    panel: SolvedArray
    foretold: Couplings
    single: Solution

    def _in_words(self) -> str:
        return f"{self.scan.cell} beside a panel of {len(self.panel)}"

    def _as_table(self) -> pd.DataFrame:
        return self.table()

    @cached_property
    def alone(self) -> complex:
        """Reflection of an element by itself."""
        return complex(self.single.at(self.panel.frequency).network.s()[0, 0, 0])

    @cached_property
    def steps(self) -> Ints:
        """Where the panel's elements are, in steps of the cell's lattice (n, 2)."""
        places = self.panel.layout.positions[:, :2]
        exact = np.linalg.solve(self.scan.cell.lattice.steps.T, (places - places[0]).T).T
        found = np.round(exact).astype(np.int64)
        if not np.abs(exact - found).max() < 1e-6:
            raise UsageError("beside: the panel's elements are not on the cell's lattice: solve a panel of this cell")
        return found

    @cached_property
    def central(self) -> int:
        """Number of the element nearest to the middle."""
        places = self.panel.layout.positions
        return int(np.linalg.norm(places - places.mean(axis=0), axis=1).argmin())

    @cached_property
    def outermost(self) -> int:
        """Number of the element farthest from the middle."""
        places = self.panel.layout.positions
        return int(np.linalg.norm(places - places.mean(axis=0), axis=1).argmax())

    @cached_property
    def solved(self) -> Complexes:
        """Active reflection of every element of the panel (scans, elements)."""
        places = self.panel.layout.positions[:, :2]
        return _active(self.panel.scattering, places, wavenumber(self.panel.frequency) * self.scan.uv)

    @cached_property
    def predicted(self) -> Complexes:
        """The same, foretold from the cell (scans, elements)."""
        return self.foretold.at(self.scan.uv, self.steps)

    def table(self) -> pd.DataFrame:
        """By scan: active reflection of the cell, of the panel's central and outermost element, solved and foretold.

        mean: root of the mean power that comes back over all elements. error: how far any is foretold wrong, at worst.
        Gains towards the scan (dBi) of the cell's port and of the two elements, all others closed, and of one alone.
        """
        import pandas as pd

        theta, phi = angles(self.scan.uv)
        seen = np.linalg.norm(self.scan.uv, axis=1) <= 1.0
        gains = {}
        fields = {
            "central": self.panel.embedded[self.central],
            "outermost": self.panel.embedded[self.outermost],
            "alone": self.single.drive(None, self.panel.frequency).far_field(),
        }
        for words, field in fields.items():
            level = np.full(len(theta), np.nan)
            e = field.field(np.radians(theta[seen]), np.radians(phi[seen]))
            power = (np.abs(np.stack(e)) ** 2).sum(axis=0) / (2.0 * WAVE_IMPEDANCE)
            level[seen] = 10.0 * np.log10(np.maximum(4.0 * math.pi * power, 1e-10))
            gains[f"{words}_gain_dBi"] = level
        return pd.DataFrame(
            {
                "theta_deg": theta,
                "phi_deg": phi,
                "u": self.scan.uv[:, 0],
                "v": self.scan.uv[:, 1],
                "cell": self.scan.scattering[:, 0, 0],
                "central": self.solved[:, self.central],
                "central_foretold": self.predicted[:, self.central],
                "outermost": self.solved[:, self.outermost],
                "outermost_foretold": self.predicted[:, self.outermost],
                "mean": np.sqrt((np.abs(self.solved) ** 2).mean(axis=1)),
                "mean_foretold": np.sqrt((np.abs(self.predicted) ** 2).mean(axis=1)),
                "error": np.abs(self.solved - self.predicted).max(axis=1),
                "cell_gain_dBi": self.scan.gains(),
                **gains,
            }
        )


def beside(scanned: CellScan, panel: SolvedArray, single: Solution, cells: tuple[int, int] = (24, 24)) -> Beside:
    """Lay a scan over a solved panel, and over one element by itself. cells: as `couplings` takes them.

    Raises UsageError for a panel at another frequency, or whose elements are not on the lattice.
    """
    hertz = float(scanned.frequencies[0])
    if abs(panel.frequency / hertz - 1.0) > 1e-6:
        raise UsageError(f"beside: the panel is at {panel.frequency:g} Hz and the scan at {hertz:g} Hz: scan it there")
    made = Beside(scanned, panel, couplings(scanned.cell, hertz, cells, rule=scanned.rule), single)
    _ = made.steps
    return made
