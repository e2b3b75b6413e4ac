"""What a far field is, in words: figures that are told as a phrase, not as a number of noise."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from . import polarisation
from .gains import decibels

if TYPE_CHECKING:
    from .far import FarField

_CIRCULAR = 3.0
"""Axial ratio, dB, up to which a wave is circular."""
BURIED = 60.0
"""dB beyond which a ratio says how well the antenna is balanced in the computer, and nothing of the antenna."""
_NEAR = 5.0
_RING = 5


def polarised(field: FarField) -> str:
    """How the wave at the peak is polarised."""
    e_theta, e_phi = field.field(*field.peak)
    axial = float(polarisation.axial_ratio(e_theta, e_phi))
    hand = "right-hand" if field.right_handed else "left-hand"
    if axial > polarisation.LINEAR:
        return f"linear{'' if field.has_no_sides else _way(float(polarisation.tilt(e_theta, e_phi)))}"
    return f"{hand} {'circular' if axial <= _CIRCULAR else 'elliptical'}, axial ratio {axial:.2f} dB"


def _way(tilt: float) -> str:
    if abs(tilt) < _NEAR:
        return ", vertical"
    return ", horizontal" if abs(tilt) > 90.0 - _NEAR else f", {abs(tilt):.0f} deg from the vertical"


def peak_place(field: FarField, above: str) -> str:
    """Where the peak is: azimuth and elevation, or how far from what is straight above, `above` naming that."""
    theta, phi = (math.degrees(x) for x in field.peak)
    if above:
        off = f"{theta:.1f} deg from {above}"
        return above if theta < 0.05 else f"{off}, towards azimuth {unsigned(phi):.1f} deg"
    if min(theta, 180.0 - theta) < 0.05:
        return f"straight {'up' if theta < 90.0 else 'down'}"
    up = f"elevation {unsigned(90.0 - theta):.1f} deg"
    return f"{up}, the same all round" if field.all_round and theta > 0.1 else f"azimuth {unsigned(phi):.1f}, {up}"


def place_of(theta: float, phi: float, above: str) -> str:
    """A direction (radians) in the same words."""
    around = f"azimuth {unsigned(math.degrees(phi)):.0f}"
    if above:
        return f"{math.degrees(theta):.0f} deg from {above}, {around}"
    return f"{around}, elevation {unsigned(90.0 - math.degrees(theta)):.0f}"


def straight_above(field: FarField, layered: bool) -> str:
    """What angles of an upright beam are counted from: broadside of a board, the zenith over ground; else nothing."""
    if layered:
        return "broadside"
    return "the zenith" if field.half_space and field.has_no_sides else ""


def ratios(field: FarField) -> str:
    """Front to back, to rear and to side, dB; those not defined are left out, and all where there is no front."""
    if field.all_round:
        return ""
    named = {"back": field.front_to_back, "rear": field.front_to_rear(), "side": field.front_to_side}
    told = [f"to {name} {level(found)}" for name, found in named.items() if found is not None]
    return ", ".join(told)


def level(decibel: float) -> str:
    """A ratio in dB, or that it is beyond what there is to be told."""
    return f"{unsigned(decibel, 2):.1f} dB" if abs(decibel) < BURIED else f"more than {BURIED:.0f} dB"


def side_lobe(field: FarField, above: str) -> str:
    """The strongest lobe besides the main one, in all directions."""
    equal, lobe = field.equal_beams, field.side_lobe
    # Samples of a ring are not beams.
    ring = "as strong in a whole ring of directions"
    told = [ring if equal > _RING else f"{equal} equal beam{'' if equal == 1 else 's'}"] if equal else []
    if lobe is not None and lobe[0] > -BURIED:
        told.append(f"{lobe[0]:.1f} dB at {place_of(lobe[1], lobe[2], above)}")
    return ", ".join(told) or "none"


def beamwidths(field: FarField, along_ground: bool) -> str:
    """Half-power widths: in elevation and azimuth for what goes along the ground, else in the E- and H-plane."""
    if along_ground:
        widths = {"in elevation": field.beamwidth(_upright_plane(field)), "in azimuth": field.azimuth_beamwidth}
    else:
        widths = {f"in the {plane}-plane": field.beamwidth(plane) for plane in ("E", "H")}
    endless = "all round" if field.all_round else "no end"
    return ", ".join(f"{endless if w is None else f'{w:.1f} deg'} {where}" for where, w in widths.items())


def _upright_plane(field: FarField) -> str:
    """Which of the E- and H-plane is the more upright."""
    return "E" if field.co_polar == "theta" else "H"


def lobes_over_ground(field: FarField, most: int = 4) -> str:
    """Gain and take-off angle of the lobes over the peak's azimuth, the strongest first."""
    table = field.take_off()
    rows = [f"{row.gain_dBi:.1f} at {row.elevation_deg:.1f}" for row in table.head(most).itertuples()]
    more = len(table) - most
    return f"{', '.join(rows)} deg{f', and {more} more' if more > 0 else ''}"


def gain_low(field: FarField) -> str:
    """Gain over the peak's azimuth at low elevations, dBi."""
    elevations = np.array([5.0, 10.0, 15.0, 20.0, 30.0])
    gain = decibels(field.gain(np.radians(90.0 - elevations), field.peak[1]))
    return ", ".join(f"{unsigned(g):.1f} at {e:.0f}" for e, g in zip(elevations, gain, strict=True)) + " deg"


def along_ground(field: FarField) -> bool:
    """Whether its beam goes along a plane or earth rather than up: where co-polar is vertical or horizontal."""
    return field.co_polar != "Ludwig 3"


def unsigned(value: float, digits: int = 2) -> float:
    """A number to so many digits after the point, without a sign on zero."""
    return round(value, digits) + 0.0
