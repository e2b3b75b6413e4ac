"""The check of wires over real earth: how near to it they may come."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..constants import wavelength
from ..description.antenna import Antenna
from .findings import Finding
from .pieces import as_place, words_for

_RADII, _WAVES = 4.0, 1e-5


def over_earth(antenna: Antenna) -> Iterator[Finding]:
    """Findings that need no frequency: wires in the earth, touching it, or nearer than four radii."""
    for wire in antenna.wires:
        lowest = wire.corners[int(np.argmin(wire.corners[:, 2]))]
        thickness = wire.radius if wire.jacket is None else wire.radius + wire.jacket.thickness
        if lowest[2] <= 0.0:
            where = "touches the earth" if lowest[2] > -1e-9 else f"is {-lowest[2]:g} m under the surface of the earth"
            yield Finding(
                "stop",
                wire.name,
                f"wire '{wire.name}' {where} at {words_for(lowest)}: wires in contact with earth are not solved",
                "raise it, feed it against radials above the surface, or take a perfect plane, which it may stand on",
                as_place(lowest),
            )
        elif lowest[2] < _RADII * thickness:
            yield Finding(
                "stop",
                wire.name,
                f"wire '{wire.name}' is {lowest[2]:.3g} m above the earth at {words_for(lowest)}, less than "
                f"{_RADII:g} radii, {_RADII * thickness:.3g} m",
                "raise it, or make it thinner",
                as_place(lowest),
            )


def low_for(antenna: Antenna, frequency: float) -> Iterator[Finding]:
    """Findings at a frequency: wires nearer to earth than the kernels are tabulated."""
    least = _WAVES * wavelength(frequency)
    for wire in antenna.wires:
        height = float(wire.corners[:, 2].min())
        if 0.0 < height < least:
            says = f"wire '{wire.name}' is {height / wavelength(frequency):.1g} wavelengths above the earth"
            yield Finding("stop", wire.name, says, f"raise it to {least:.3g} m at {frequency / 1e6:g} MHz")
