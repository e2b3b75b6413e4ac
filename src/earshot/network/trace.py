"""A measured curve of which only the size of the reflection is known."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..errors import UsageError
from . import figures

if TYPE_CHECKING:
    import pandas as pd
    import xarray as xr


@dataclass(frozen=True, slots=True, eq=False)
class Trace:
    """|reflection| over frequency at one port: what a meter without phase gives.

    frequencies (n,), Hz. magnitude (n,). reference: ohm it was measured against. It lies over networks in figures of
    VSWR and return loss; it has no impedance.
    """

    frequencies: Floats
    magnitude: Floats
    reference: float
    label: str

    def __post_init__(self) -> None:
        for name in ("frequencies", "magnitude"):
            object.__setattr__(self, name, np.asarray(getattr(self, name), float))
        if self.frequencies.shape != self.magnitude.shape or self.frequencies.ndim != 1 or not self.frequencies.size:
            raise UsageError(f"trace '{self.label}': give as many magnitudes as frequencies, one at least")

    @property
    def ports(self) -> tuple[str, ...]:
        """Its one port."""
        return ("measured",)

    @property
    def stretches(self) -> list[Ints]:
        """Which of the frequencies hang together: all of one sweep."""
        return [np.arange(len(self.frequencies))]

    @property
    def references(self) -> Complexes:
        """The reference as networks have it (1,)."""
        return np.array([self.reference], np.complex128)

    def _each(self, values: Floats, name: str, unit: str) -> xr.DataArray:
        import xarray as xr

        coordinates = {"frequency": ("frequency", self.frequencies, {"units": "Hz"}), "port": list(self.ports)}
        return xr.DataArray(values[:, None], coordinates, ("frequency", "port"), name, {"units": unit})

    @property
    def magnitudes(self) -> Floats:
        """Of its reflection, as a network has them (n, 1)."""
        return self.magnitude[:, None]

    def vswr(self) -> xr.DataArray:
        """Voltage standing wave ratio (frequency, port)."""
        return self._each(figures.vswr_of(self.magnitude), "vswr", "1")

    def return_loss(self) -> xr.DataArray:
        """Return loss (frequency, port), dB."""
        return self._each(figures.return_loss_of(self.magnitude), "return_loss", "dB")

    def bandwidth(self, *, vswr: float | None = None, return_loss: float | None = None) -> pd.DataFrame:
        """Stretches within a VSWR or a return loss (dB), as `Network.bandwidth` gives them."""
        limit = figures.limit_of(vswr, return_loss)
        return figures.passbands([(self.frequencies, self.magnitude)] if len(self.frequencies) > 3 else [], limit)
