"""The figures of merit of a far field, in the order in which they are told."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING

from . import polarisation
from .gains import decibels
from .lobes import EQUAL

if TYPE_CHECKING:
    from .far import FarField

Row = tuple[str, float | None, str, str]


def rows_of(field: FarField) -> Iterator[Row]:
    """Every figure of merit of a far field: its name, value, unit and a remark where one is needed."""
    theta, phi = field.peak
    for name, of in (("gain", field.accepted), ("realized gain", field.incident), ("directivity", field.radiated)):
        yield name, float(decibels(4.0 * math.pi * field.greatest / of)), "dBi", ""
    yield "azimuth of peak", math.degrees(phi), "deg", "same all round" if field.all_round and theta > 1e-3 else ""
    yield "elevation of peak", 90.0 - math.degrees(theta), "deg", ""
    below = "the lobe reaches the plane, or never falls that far" if field.half_space else "never falls that far"
    for plane in ("E", "H"):
        width = field.beamwidth(plane)
        yield f"half-power beamwidth, {plane}-plane", width, "deg", "" if width is not None else below
    yield _side_lobe(field)
    for plane in ("E", "H"):
        every = field.side_lobes(plane)
        lobe = next((x for x in every if x[0] < -EQUAL), None)
        remark = "no other lobe" if lobe is None else f"{abs(lobe[1]):.0f} deg from the peak"
        equal = [f"{abs(x[1]):.0f} deg" for x in every if x[0] >= -EQUAL]
        remark += f"; an equal beam {' and '.join(dict.fromkeys(equal))} off" if equal else ""
        yield f"side lobe level, {plane}-plane", None if lobe is None else lobe[0], "dB", remark
    back, overhead = field.front_to_back, "not defined over a plane: the beam goes up"
    where = "as high on the other side" if field.half_space else ""
    yield "front-to-back ratio", back, "dB", overhead if back is None else where
    rear = field.front_to_rear()
    undefined = "not defined over an infinite plane" if rear is None else ""
    yield "front-to-rear ratio", rear, "dB", undefined or "within 60 deg of the opposite direction"
    side = field.front_to_side
    nothing = "not defined: the beam is upright" if field.has_no_sides else "no field there"
    yield "front-to-side ratio", side, "dB", nothing if side is None else "the stronger side, a quarter turn aside"
    axial = float(polarisation.axial_ratio(*field.field(*field.peak)))
    remark = "linear" if axial > polarisation.LINEAR else ("right-hand" if field.right_handed else "left-hand")
    yield "axial ratio at the peak", axial, "dB", remark
    beyond = "above one: power does not balance, trust neither gain nor this" if field.efficiency > 1.02 else ""
    yield "radiation efficiency", field.efficiency, "1", beyond
    yield "power accepted", field.accepted, "W", ""
    yield "power radiated", field.radiated, "W", ""


def _side_lobe(field: FarField) -> Row:
    lobe, equal = field.side_lobe, field.equal_beams
    also = f"; {equal} equal beam{'' if equal == 1 else 's'} besides the main one" if equal else ""
    if lobe is None:
        return "side lobe level", None, "dB", f"no other lobe in any direction{also}"
    level, theta, phi = lobe
    place = f"in all directions: elevation {90.0 - math.degrees(theta):.1f}, azimuth {math.degrees(phi):.1f} deg"
    return "side lobe level", level, "dB", place + also
