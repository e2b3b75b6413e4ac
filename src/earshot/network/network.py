"""Z, Y and S between ports over frequency, and what is read off them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from .. import units
from ..arraytypes import Complexes, Floats, Ints
from ..constants import SPEED_OF_LIGHT
from ..errors import UsageError, unknown
from ..lettering import Told
from . import figures
from .curves import Curve, Spans, curves, reflection_of, stretches
from .elements import Impedance, impedance
from .gap_circuit import GapCircuit

if TYPE_CHECKING:
    import pandas as pd
    import xarray as xr


def scattering(admittance: Complexes, references: Complexes) -> Complexes:
    """Scattering matrices (n, ports, ports) of admittances (n, ports, ports) at references (ports,), complex or real.

    Power waves: S = F(1 - Z0*Y)(1 + Z0 Y)⁻¹F⁻¹, F = 1/2√Re Z0 (Kurokawa 1965, eq. 18).
    """
    one = np.eye(len(references))
    scale = np.sqrt(references.real)
    sent = one + references[:, None] * admittance
    returned = one - references.conj()[:, None] * admittance
    turned = np.linalg.solve(np.swapaxes(sent, 1, 2), np.swapaxes(returned, 1, 2))
    return np.asarray(np.swapaxes(turned, 1, 2) * scale / scale[:, None])


def admittance_of(matrices: Complexes, references: Complexes) -> Complexes:
    """Admittances (n, ports, ports) of scattering matrices at real references (ports,): (1 - S)(1 + S)⁻¹, scaled.

    Raises LinAlgError for a perfect short, which has none.
    """
    one, scale = np.eye(len(references)), np.sqrt(references.real)
    turned = np.linalg.solve(np.swapaxes(one + matrices, 1, 2), np.swapaxes(one - matrices, 1, 2))
    return np.asarray(np.swapaxes(turned, 1, 2) / (scale * scale[:, None]), np.complex128)


@dataclass(frozen=True, slots=True, eq=False, repr=False)
class Network(Told):
    """The antenna between its ports.

    frequencies (n,), Hz; admittance (n, ports, ports), siemens; ports: names; references (ports,), ohm; label: of
    the antenna. spans: lowest and highest frequency of each band among the frequencies, between which figures are read
    off a rational model; other frequencies stand alone. None for a measured sweep. Results are labelled by frequency
    and by port: `to` is where a wave comes out, `from` where it goes in.
    """

    frequencies: Floats
    admittance: Complexes
    ports: tuple[str, ...]
    references: Complexes
    label: str = ""
    spans: Spans | None = None

    def _in_words(self) -> str:
        places = [units.engineering(float(f), "Hz", 6) for f in (self.frequencies[0], self.frequencies[-1])]
        where = (
            places[0] if len(self.frequencies) == 1 else f"{len(self.frequencies)} frequencies, {' to '.join(places)}"
        )
        return f"{'port' if len(self.ports) == 1 else 'ports'} {', '.join(self.ports)}; {where}"

    def _as_table(self) -> pd.DataFrame:
        return self.to_frame(self.ports[0])

    def _index(self, port: str | None) -> int:
        if port is None:
            if len(self.ports) == 1:
                return 0
            raise UsageError(f"the antenna has {len(self.ports)} ports ({', '.join(self.ports)}): say which one")
        if port not in self.ports:
            raise UsageError(unknown("port", port, self.ports))
        return self.ports.index(port)

    @property
    def stretches(self) -> list[Ints]:
        """Which of the frequencies hang together, by number: those of each band; any other stands alone."""
        return stretches(self.frequencies, self.spans)

    def _pairs(self, values: Complexes, name: str, unit: str) -> xr.DataArray:
        import xarray as xr

        return xr.DataArray(
            values,
            dims=("frequency", "to", "from"),
            coords={
                "frequency": ("frequency", self.frequencies, {"units": "Hz"}),
                "to": list(self.ports),
                "from": list(self.ports),
            },
            name=name,
            attrs={"units": unit},
        )

    def _each(self, values: NDArray[Any], name: str, unit: str) -> xr.DataArray:
        import xarray as xr

        return xr.DataArray(
            values,
            dims=("frequency", "port"),
            coords={"frequency": ("frequency", self.frequencies, {"units": "Hz"}), "port": list(self.ports)},
            name=name,
            attrs={"units": unit},
        )

    def shifted(self, towards: Mapping[str, float | str], index: float | complex | NDArray[Any] = 1.0) -> Network:
        """The network with the reference planes of ports moved towards the antenna along lines of their references.

        towards: by port, a length, metres or text; below zero it goes away from it. index: wavenumber of the lines over
        k0, one or one per frequency, such as the `index` of a `strip_line`. Raises UsageError for unknown ports and
        complex references.
        """
        if np.abs(self.references.imag).max() > 0.0:
            raise UsageError(
                "shifted: a line has a real reference; refer the network to one first, by referred_to(...)"
            )
        turn = np.zeros((len(self.frequencies), len(self.ports)), complex)
        k0 = 2.0 * math.pi * self.frequencies / SPEED_OF_LIGHT
        for port, length in towards.items():
            turn[:, self._index(port)] = index * k0 * units.length(length, f"shifted, {port}")
        wave = np.exp(1j * turn)
        matrices = np.asarray(self._scattering() * wave[:, :, None] * wave[:, None, :], np.complex128)
        return replace(self, admittance=admittance_of(matrices, self.references))

    def y(self) -> xr.DataArray:
        """Admittance matrix (frequency, to, from), S: currents with every other port shorted."""
        return self._pairs(self.admittance, "Y", "S")

    def z(self) -> xr.DataArray:
        """Impedance matrix (frequency, to, from), ohm: voltages with every other port open."""
        return self._pairs(np.asarray(np.linalg.inv(self.admittance), np.complex128), "Z", "ohm")

    def _scattering(self) -> Complexes:
        return scattering(self.admittance, self.references)

    def s(self) -> xr.DataArray:
        """Scattering matrix (frequency, to, from) at the ports' own references."""
        return self._pairs(self._scattering(), "S", "1")

    def referred_to(self, *references: complex) -> Network:
        """The same network at other reference impedances (ohm, complex or real): one for all ports, or one each."""
        several = references if len(references) > 1 else references * len(self.ports)
        ohms: Complexes = np.array(several, np.complex128)
        if len(ohms) != len(self.ports):
            raise UsageError(f"{len(references)} references for {len(self.ports)} ports: give one, or one each")
        if not (np.isfinite(ohms).all() and (ohms.real > 0.0).all()):
            raise UsageError(f"reference {references} is not above zero; give ohms, such as 50")
        return replace(self, references=ohms)

    def terminated(self, terminations: Mapping[str, Impedance | complex]) -> Network:
        """The network left when some ports are closed by an impedance (`series`, `open_circuit`, ... or ohms).

        Raises UsageError for a port there is not, and when none would be left.
        """
        ends = {self._index(p): t if isinstance(t, Impedance) else impedance(t) for p, t in terminations.items()}
        left = [p for p in range(len(self.ports)) if p not in ends]
        if not left:
            raise UsageError("terminated: every port is closed; leave at least one")
        circuit = GapCircuit(len(left), len(self.ports), tuple(ends.values()), ())
        order = [*left, *ends]
        sorted_ = np.ascontiguousarray(self.admittance[:, order][:, :, order])
        closed = circuit.closed(sorted_, circuit.spread_over(sorted_, circuit.at(self.frequencies)))
        ports = tuple(self.ports[p] for p in left)
        return replace(self, admittance=closed, ports=ports, references=self.references[left])

    def reflection(self) -> xr.DataArray:
        """Reflection coefficient (frequency, port), every other port closed by its reference."""
        return self._each(self._reflections.copy(), "reflection", "1")

    @property
    def _reflections(self) -> Complexes:
        return np.diagonal(self._scattering(), axis1=1, axis2=2)

    @property
    def magnitudes(self) -> Floats:
        """Of the same (frequencies, ports), without labels."""
        return np.abs(self._reflections)

    def impedance(self) -> xr.DataArray:
        """Input impedance (frequency, port), ohm, every other port closed by its reference."""
        return self._each(self.impedances, "impedance", "ohm")

    @property
    def impedances(self) -> Complexes:
        """The same without labels."""
        found = np.empty(self.admittance.shape[:2], np.complex128)
        for p in range(len(self.ports)):
            # From the admittance itself: the reflection of a very small antenna has no digits left for its resistance.
            rest = [q for q in range(len(self.ports)) if q != p]
            others = self.admittance[:, rest][:, :, rest] + np.diag(1.0 / self.references[rest])
            back = np.linalg.solve(others, self.admittance[:, rest, p][..., None])[..., 0]
            through = np.einsum("nq,nq->n", self.admittance[:, p][:, rest], back)
            found[:, p] = 1.0 / (self.admittance[:, p, p] - through)
        return found

    def vswr(self) -> xr.DataArray:
        """Voltage standing wave ratio (frequency, port) on a line of the port's reference impedance."""
        return self._each(figures.vswr_of(self.magnitudes), "vswr", "1")

    def return_loss(self) -> xr.DataArray:
        """Return loss -20 log10|reflection| (frequency, port), dB."""
        return self._each(figures.return_loss_of(self.magnitudes), "return_loss", "dB")

    def resonances(self, port: str | None = None) -> pd.DataFrame:
        """Where a port's input reactance is zero: frequency, resistance, series or parallel, Q. See `figures`."""
        return figures.resonances(self._curves(self._index(port)))

    def _curves(self, port: int) -> list[Curve]:
        admittance = 1.0 / self.impedances[:, port]
        return curves(self.frequencies, np.asarray(admittance), complex(self.references[port]), self.spans)

    def bandwidth(
        self, port: str | None = None, *, vswr: float | None = None, return_loss: float | None = None
    ) -> pd.DataFrame:
        """Stretches within a VSWR or a return loss (dB): edges, width, whether the band's end cuts them, best match.

        Raises UsageError unless exactly one limit is given.
        """
        limit = figures.limit_of(vswr, return_loss)
        p = self._index(port)
        sizes = ((c.frequencies, np.abs(reflection_of(c.admittance, self.references[p]))) for c in self._curves(p))
        return figures.passbands(sizes, limit)

    def to_frame(self, port: str | None = None) -> pd.DataFrame:
        """A table over frequency for one port: R, X (ohm), VSWR, return loss (dB), reflection.

        A lone port needs no name. Raises UsageError for a port there is not.
        """
        import pandas as pd

        p = self._index(port)
        z, gamma = self.impedance().values[:, p], self.reflection().values[:, p]
        return pd.DataFrame(
            {
                "R_ohm": z.real,
                "X_ohm": z.imag,
                "VSWR": self.vswr().values[:, p],
                "return_loss_dB": self.return_loss().values[:, p],
                "reflection_re": gamma.real,
                "reflection_im": gamma.imag,
            },
            index=pd.Index(self.frequencies, name="frequency_Hz"),
        )
