"""How good a beam of an array is, and where grating lobes are to be."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from .. import units
from ..arraytypes import Complexes, Floats
from ..constants import wavelength
from ..errors import UsageError
from ..fields.directions import angles_of
from ..fields.lobes import EQUAL
from .array import Array, Beam
from .elements import Element
from .weights import Weights

if TYPE_CHECKING:
    import pandas as pd


def grating_lobes(array: Array, towards: Floats, frequency: str | float) -> pd.DataFrame:
    """Directions above and below the horizon that an array on a lattice has its beam in besides: u, v, θ and φ, deg.

    From the reciprocal lattice: all whose phases by both steps differ by whole turns from the beam's (Balanis 2016,
    sec. 6.10.1). level_dB: of the element there, against where the beam is. Raises UsageError off a lattice.
    """
    import pandas as pd

    lattice, hertz = array.layout.lattice, units.frequency(frequency)
    if lattice is None:
        raise UsageError(f"grating_lobes: the elements of '{array.label}' are on no lattice")
    counts = np.ptp(lattice.places, axis=0) + 1
    steps = lattice.steps[counts > 1, :2] / wavelength(hertz)
    if not len(steps) or np.abs(lattice.steps[counts > 1, 2]).max() > 1e-12:
        raise UsageError(f"grating_lobes: the elements of '{array.label}' are not spread over the x-y plane")
    if len(steps) == 1:
        # A line: cones; those in its own plane with the zenith.
        steps = np.vstack([steps, [-steps[0, 1], steps[0, 0]]])
    most = [math.ceil(2.0 * np.linalg.norm(s)) + 1 for s in steps]
    if (counts > 1).sum() == 1:
        most[1] = 0
    back = np.linalg.inv(steps)
    rows = []
    element = array.elements[0]
    start = _power(element, towards, hertz)
    for a in range(-most[0], most[0] + 1):
        for b in range(-most[1], most[1] + 1):
            uv = np.asarray(towards)[:2] + back @ np.array([a, b])
            if (a, b) == (0, 0) or np.hypot(*uv) > 1.0 + 1e-9:
                continue
            way = np.array([*uv, math.sqrt(max(1.0 - float(uv @ uv), 0.0))])
            theta, phi = (float(np.degrees(x)) for x in angles_of(way))
            level = 10.0 * math.log10(max(_power(element, way, hertz) / start, 1e-20)) if start > 0.0 else math.nan
            rows.append((*uv, theta, phi, level))
    return pd.DataFrame(rows, columns=["u", "v", "theta_deg", "phi_deg", "level_dB"])


def _power(element: Element, way: Floats, hertz: float) -> float:
    theta, phi = (np.atleast_1d(x) for x in angles_of(np.asarray(way, float)))
    fields = element.field(theta, phi, hertz)
    return float(sum(np.abs(x[0]) ** 2 for x in fields))


def beam_figures(array: Array, weights: Weights | None = None, *, frequency: str | float) -> pd.Series:
    """Figures of one beam: directivity and gain (dBi), where the peak is (deg), the strongest side lobe in all
    directions, half-power widths and side lobes in the planes along and across its polarisation, taper efficiency, scan
    loss against the same weights in phase (dB), how many grating lobes the lattice has, and the power of the plain sum
    of the elements' fields over what they radiate alone (dB): far from zero, elements are so close that coupling
    matters.
    """
    import pandas as pd

    own, hertz = array.fitting(weights), units.frequency(frequency)
    beam = array.beam(hertz, own)
    theta, phi = beam.peak
    flat = array.beam(hertz, Weights(np.abs(own.values)))
    broadside = float(flat.directivity(*flat.peak))
    directivity = float(beam.directivity(theta, phi))
    found: dict[str, float] = {
        "directivity_dBi": 10.0 * math.log10(directivity),
        "gain_dBi": 10.0 * math.log10(float(beam.gain(theta, phi))),
        "peak_theta_deg": math.degrees(theta),
        "peak_phi_deg": math.degrees(phi),
        "peak_azimuth_deg": math.degrees(phi),
        "peak_elevation_deg": 90.0 - math.degrees(theta),
    }
    found["side_lobe_dB"] = math.nan if beam.side_lobe is None else beam.side_lobe[0]
    for plane in ("E", "H"):
        width, lobes = beam.beamwidth(plane), [x for x in beam.side_lobes(plane) if x[0] < -EQUAL]
        found[f"beamwidth_{plane}_deg"] = math.nan if width is None else width
        found[f"side_lobe_{plane}_dB"] = lobes[0][0] if lobes else math.nan
    found["taper_efficiency"] = own.taper_efficiency
    found["plain_sum_dB"] = 10.0 * math.log10(Beam(array, hertz, own.at(hertz)).plain_sum)
    found["scan_loss_dB"] = 10.0 * math.log10(broadside / directivity)
    if array.layout.lattice is not None and np.abs(array.layout.lattice.steps[:, 2]).max() < 1e-12:
        way = np.array([math.sin(theta) * math.cos(phi), math.sin(theta) * math.sin(phi), math.cos(theta)])
        found["grating_lobes"] = float(len(grating_lobes(array, way, hertz))) if len(array) > 1 else 0.0
    return pd.Series(found, name=array.label)


def isotropic_directivity(positions: Floats, values: Complexes, frequency: float, way: Floats) -> float:
    """Of isotropic elements by the double sum |Σ w e^{jk r̂·r}|²/ΣΣ w w* sinc(kr), exact (Balanis 2016, sec. 6.10.3)."""
    k = 2.0 * math.pi / wavelength(frequency)
    apart = np.linalg.norm(positions[:, None] - positions, axis=2)
    power = (values.conj() @ np.sinc(k * apart / math.pi) @ values).real
    return float(abs(values @ np.exp(1j * k * positions @ way)) ** 2 / power)
