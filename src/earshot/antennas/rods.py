"""Dipoles, monopoles and long wires."""

from __future__ import annotations

import math

from ..description.design import Design
from .draft import Draft, counted


def dipole(frequency: str | float, **values: str | float) -> Design:
    """A half-wave dipole: the plainest antenna there is, and what the others are measured against.

    Along y, fed in the middle, in free space. About 72 ohm and 2.15 dBi; a bandwidth of a few percent that grows with
    the rod's diameter. values: to change, by name. Raises UsageError and UnitError.
    """
    draft = Draft("Half-wave dipole", "A dipole along y, fed in the middle.", frequency)
    draft.value(
        "length", "0.4695 lambda", "0.3 lambda", "1.5 lambda", "tip to tip", "0, -length / 2, 0", "0, length / 2, 0"
    )
    draft.rod()
    draft.wire("rod", "0, -length / 2, 0", "0, length / 2, 0")
    draft.port("feed", "rod", 0.5)
    draft.band(0.9, 1.1)
    draft.case("E", "H")
    return draft.design(values)


def inverted_v(frequency: str | float, **values: str | float) -> Design:
    """A dipole with its arms sloping down from one mast: one support, nearly round in azimuth, about 60 ohm.

    In the y-z plane, fed at the apex, which lies at `height` above a perfect plane. values: to change, by name. Raises
    UsageError and UnitError.
    """
    purpose = "An inverted V: a dipole whose arms slope down from one mast."
    draft = Draft("Inverted V", purpose, frequency, medium="perfect plane")
    tip = "apex / 2 + arm * cos(slope), height - arm * sin(slope)"
    draft.value("arm", "0.2383 lambda", "0.15 lambda", "0.4 lambda", "one arm", "0, apex / 2, height", f"0, {tip}")
    draft.value("slope", "35 deg", "0 deg", "60 deg", "of the arms below the horizon")
    draft.value("height", "0.5 lambda", "0.25 lambda", "2 lambda", "of the apex", "0, 0, 0", "0, 0, height")
    draft.value("apex", "0.015 lambda", "0.005 lambda", "0.05 lambda", "straight piece between the arms")
    draft.rod("0.001 lambda")
    draft.wire(
        "wire", f"0, -{tip.replace('/ 2 +', '/ 2 -', 1)}", "0, -apex / 2, height", "0, apex / 2, height", f"0, {tip}"
    )
    draft.port("feed", "wire", 0.5)
    draft.band(0.93, 1.07)
    draft.case("azimuth 0 deg", "azimuth 90 deg", "elevation 30 deg")
    return draft.design(values)


def folded_dipole(frequency: str | float, **values: str | float) -> Design:
    """Two parallel rods joined at their ends: four times a dipole's resistance, for 300 ohm line, and more bandwidth.

    In the y-z plane, fed in the middle of the lower rod. values: to change, by name. Raises UsageError and UnitError.
    """
    draft = Draft("Folded dipole", "A folded dipole: two rods joined at their ends, the lower one fed.", frequency)
    draft.value(
        "length", "0.4504 lambda", "0.35 lambda", "0.6 lambda", "end to end", "0, -length / 2, 0", "0, length / 2, 0"
    )
    draft.value("spacing", "0.025 lambda", "0.01 lambda", "0.08 lambda", "between the rods", "0, 0, 0", "0, 0, spacing")
    draft.rod()
    corners = [f"0, {side}length / 2, {z}" for side, z in (("-", 0), ("", 0), ("", "spacing"), ("-", "spacing"))]
    draft.wire("loop", *corners, corners[0])
    draft.port("feed", "loop", "length / 2", "300 ohm")
    draft.band(0.88, 1.12)
    draft.case("E", "H")
    return draft.design(values)


def open_sleeve(frequency: str | float, **values: str | float) -> Design:
    """A dipole between two shorter free rods that resonate at a second, higher frequency: two bands on one feed.

    Along y; the sleeves lie above and below, close to the driven rod. `second` is the higher band over the lower.
    values: to change, by name. Raises UsageError and UnitError.
    """
    purpose = "An open-sleeve dipole: two free rods beside the driven one add a second band."
    draft = Draft("Open-sleeve dipole", purpose, frequency)
    draft.value("second", 1.9, 1.3, 2.5, "higher band over the lower")
    draft.value(
        "driven", "0.4745 lambda", "0.4 lambda", "0.52 lambda", "tip to tip", "0, -driven / 2, 0", "0, driven / 2, 0"
    )
    sleeve = "0, -sleeve / 2, spacing", "0, sleeve / 2, spacing"
    draft.value("sleeve", "0.434 lambda / second", "0.15 lambda", "0.4 lambda", "of each free rod", *sleeve)
    apart = "0, -sleeve / 2, 0", "0, -sleeve / 2, spacing"
    draft.value("spacing", "0.024 lambda", "0.01 lambda", "0.08 lambda", "middle to middle", *apart)
    draft.rod("0.005 lambda")
    draft.wire("driven", "0, -driven / 2, 0", "0, driven / 2, 0")
    draft.wire("upper", *sleeve)
    draft.wire("lower", *(point.replace("spacing", "-spacing") for point in sleeve))
    draft.port("feed", "driven", 0.5)
    draft.band(0.9, 2.1, 201)
    draft.case("E", "H")
    return draft.design(values)


def turnstile(frequency: str | float, **values: str | float) -> Design:
    """Two crossed dipoles, the second fed through a quarter-wave line: circular polarisation straight up and down.

    Right-hand upwards; round in azimuth with horizontal polarisation. values: to change, by name. Raises UsageError and
    UnitError.
    """
    purpose = "A turnstile: two crossed dipoles, the lower fed a quarter period later through a line."
    draft = Draft("Turnstile", purpose, frequency)
    upper = "-length / 2, 0, apart / 2", "length / 2, 0, apart / 2"
    draft.value("length", "0.47 lambda", "0.35 lambda", "0.6 lambda", "of both dipoles, tip to tip", *upper)
    draft.value("apart", "0.012 lambda", "0.007 lambda", "0.1 lambda", "height between the two dipoles")
    draft.value("line", "72 ohm", "25 ohm", "300 ohm", "impedance of the phasing line")
    draft.rod()
    draft.wire("upper", *upper)
    draft.wire("lower", "0, -length / 2, -apart / 2", "0, length / 2, -apart / 2")
    draft.port("feed", "upper", 0.5)
    draft.terminal("tail", "lower")
    draft.line("quarter", "feed", "tail", "line", "0.25 lambda")
    draft.band(0.93, 1.07)
    draft.case("elevation 0 deg", "azimuth 0 deg", "azimuth 90 deg")
    return draft.design(values)


def monopole(frequency: str | float, *, radials: int = 4, **values: str | float) -> Design:
    """A quarter-wave mast over radials, flat or drooping: vertical, round in azimuth, where there is no metal roof.

    Fed between the mast and the radials, in free space. Flat radials give about 22 ohm, 40 degrees of droop about 50.
    radials: how many, 2 to 16. values: to change, by name. Raises UsageError and UnitError.
    """
    draft = Draft("Monopole with radials", "A quarter-wave mast over radials, which may droop.", frequency)
    draft.value("mast", "0.2257 lambda", "0.15 lambda", "0.65 lambda", "height", "0, 0, 0", "0, 0, mast")
    first = "radial * cos(droop), 0, -radial * sin(droop)"
    draft.value("radial", "0.25 lambda", "0.15 lambda", "0.5 lambda", "length of each", "0, 0, 0", first)
    draft.value("droop", "40 deg", "0 deg", "75 deg", "of the radials below the horizon; 0 for flat ones")
    draft.rod()
    draft.wire("mast", "0, 0, 0", "0, 0, mast")
    for i in range(counted(radials, "radials", 2, 16)):
        turn = 2.0 * math.pi * i / radials
        across = f"radial * cos(droop) * {_rounded(math.cos(turn))}, radial * cos(droop) * {_rounded(math.sin(turn))}"
        draft.wire(f"radial_{i + 1}", "0, 0, 0", f"{across}, -radial * sin(droop)")
    draft.port("feed", "mast", 0)
    draft.band(0.88, 1.12)
    draft.case("azimuth 0 deg", "elevation 0 deg")
    return draft.design(values)


def end_fed(frequency: str | float, **values: str | float) -> Design:
    """A half-wave wire fed near its end against a short counterpoise: one far support, about a kilohm at the feed.

    Along y in free space. values: to change, by name. Raises UsageError and UnitError.
    """
    purpose = "An end-fed half wave with a short counterpoise; its reference is that of a 25:1 transformer."
    draft = Draft("End-fed half wave", purpose, frequency)
    draft.value("length", "0.455 lambda", "0.4 lambda", "2.1 lambda", "of the wire", "0, 0, 0", "0, length, 0")
    tail = "0, -counterpoise, 0", "0, 0, 0"
    draft.value("counterpoise", "0.06 lambda", "0.02 lambda", "0.25 lambda", "behind the feed", *tail)
    draft.rod("0.0005 lambda")
    draft.wire("wire", "0, -counterpoise, 0", "0, length, 0")
    draft.port("feed", "wire", "counterpoise", "1250 ohm")
    draft.band(0.95, 1.05)
    draft.case("E", "H")
    return draft.design(values)


def off_centre(frequency: str | float, **values: str | float) -> Design:
    """A half-wave wire fed a fifth of the way along: about 200 ohm, and a fair match at even harmonics too.

    Along y in free space; the reference is that of a 4:1 transformer. values: to change, by name. Raises UsageError and
    UnitError.
    """
    purpose = "An off-centre fed wire; the reference is that of a 4:1 transformer."
    draft = Draft("Off-centre fed wire", purpose, frequency)
    ends = "0, -length / 2, 0", "0, length / 2, 0"
    draft.value("length", "0.4853 lambda", "0.4 lambda", "1.1 lambda", "tip to tip", *ends)
    to_feed = "0, -length / 2, 0", "0, length * (place - 0.5), 0"
    draft.value("place", 0.2, 0.05, 0.5, "of the feed, as a share of the length", *to_feed)
    draft.rod("0.0005 lambda")
    draft.wire("wire", *ends)
    draft.port("feed", "wire", "place", "200 ohm")
    draft.band(0.95, 1.05)
    draft.case("E", "H")
    return draft.design(values)


def _rounded(number: float) -> str:
    """A sine or cosine as short as it can be said."""
    return f"{number:.12g}" if abs(number) > 1e-12 else "0"
