"""Dipoles, monopoles and long wires."""

from __future__ import annotations

import math

from ..geometry.design import Design
from .sheet import Sheet, counted


def dipole(frequency: str | float, **values: str | float) -> Design:
    """A half-wave dipole: the plainest antenna there is, and what the others are measured against.

    Along y, fed in the middle, in free space. About 72 ohm and 2.15 dBi; a bandwidth of a few percent that grows with
    the rod's diameter. values: to change, by name. Raises UsageError and UnitError.
    """
    sheet = Sheet("Half-wave dipole", "A dipole along y, fed in the middle.", frequency)
    sheet.value(
        "length", "0.4695 lambda", "0.3 lambda", "1.5 lambda", "tip to tip", "0, -length / 2, 0", "0, length / 2, 0"
    )
    sheet.rod()
    sheet.wire("rod", "0, -length / 2, 0", "0, length / 2, 0")
    sheet.port("feed", "rod", 0.5)
    sheet.band(0.9, 1.1)
    sheet.case("E", "H")
    return sheet.design(values)


def inverted_v(frequency: str | float, **values: str | float) -> Design:
    """A dipole with its arms sloping down from one mast: one support, nearly round in azimuth, about 60 ohm.

    In the y-z plane, fed at the apex, which lies at `height` above a perfect plane. values: to change, by name. Raises
    UsageError and UnitError.
    """
    purpose = "An inverted V: a dipole whose arms slope down from one mast."
    sheet = Sheet("Inverted V", purpose, frequency, medium="perfect plane")
    tip = "apex / 2 + arm * cos(slope), height - arm * sin(slope)"
    sheet.value("arm", "0.2383 lambda", "0.15 lambda", "0.4 lambda", "one arm", "0, apex / 2, height", f"0, {tip}")
    sheet.value("slope", "35 deg", "0 deg", "60 deg", "of the arms below the horizon")
    sheet.value("height", "0.5 lambda", "0.25 lambda", "2 lambda", "of the apex", "0, 0, 0", "0, 0, height")
    sheet.value("apex", "0.015 lambda", "0.005 lambda", "0.05 lambda", "straight piece between the arms")
    sheet.rod("0.001 lambda")
    sheet.wire(
        "wire", f"0, -{tip.replace('/ 2 +', '/ 2 -', 1)}", "0, -apex / 2, height", "0, apex / 2, height", f"0, {tip}"
    )
    sheet.port("feed", "wire", 0.5)
    sheet.band(0.93, 1.07)
    sheet.case("azimuth 0 deg", "azimuth 90 deg", "elevation 30 deg")
    return sheet.design(values)


def folded_dipole(frequency: str | float, **values: str | float) -> Design:
    """Two parallel rods joined at their ends: four times a dipole's resistance, for 300 ohm line, and more bandwidth.

    In the y-z plane, fed in the middle of the lower rod. values: to change, by name. Raises UsageError and UnitError.
    """
    sheet = Sheet("Folded dipole", "A folded dipole: two rods joined at their ends, the lower one fed.", frequency)
    sheet.value(
        "length", "0.4504 lambda", "0.35 lambda", "0.6 lambda", "end to end", "0, -length / 2, 0", "0, length / 2, 0"
    )
    sheet.value("spacing", "0.025 lambda", "0.01 lambda", "0.08 lambda", "between the rods", "0, 0, 0", "0, 0, spacing")
    sheet.rod()
    corners = [f"0, {side}length / 2, {z}" for side, z in (("-", 0), ("", 0), ("", "spacing"), ("-", "spacing"))]
    sheet.wire("loop", *corners, corners[0])
    sheet.port("feed", "loop", "length / 2", "300 ohm")
    sheet.band(0.88, 1.12)
    sheet.case("E", "H")
    return sheet.design(values)


def open_sleeve(frequency: str | float, **values: str | float) -> Design:
    """A dipole between two shorter free rods that resonate at a second, higher frequency: two bands on one feed.

    Along y; the sleeves lie above and below, close to the driven rod. `second` is the higher band over the lower.
    values: to change, by name. Raises UsageError and UnitError.
    """
    purpose = "An open-sleeve dipole: two free rods beside the driven one add a second band."
    sheet = Sheet("Open-sleeve dipole", purpose, frequency)
    sheet.value("second", 1.9, 1.3, 2.5, "higher band over the lower")
    sheet.value(
        "driven", "0.4745 lambda", "0.4 lambda", "0.52 lambda", "tip to tip", "0, -driven / 2, 0", "0, driven / 2, 0"
    )
    sleeve = "0, -sleeve / 2, spacing", "0, sleeve / 2, spacing"
    sheet.value("sleeve", "0.434 lambda / second", "0.15 lambda", "0.4 lambda", "of each free rod", *sleeve)
    apart = "0, -sleeve / 2, 0", "0, -sleeve / 2, spacing"
    sheet.value("spacing", "0.024 lambda", "0.01 lambda", "0.08 lambda", "middle to middle", *apart)
    sheet.rod("0.005 lambda")
    sheet.wire("driven", "0, -driven / 2, 0", "0, driven / 2, 0")
    sheet.wire("upper", *sleeve)
    sheet.wire("lower", *(point.replace("spacing", "-spacing") for point in sleeve))
    sheet.port("feed", "driven", 0.5)
    sheet.band(0.9, 2.1, 201)
    sheet.case("E", "H")
    return sheet.design(values)


def turnstile(frequency: str | float, **values: str | float) -> Design:
    """Two crossed dipoles, the second fed through a quarter-wave line: circular polarisation straight up and down.

    Right-hand upwards; round in azimuth with horizontal polarisation. values: to change, by name. Raises UsageError and
    UnitError.
    """
    purpose = "A turnstile: two crossed dipoles, the lower fed a quarter period later through a line."
    sheet = Sheet("Turnstile", purpose, frequency)
    upper = "-length / 2, 0, apart / 2", "length / 2, 0, apart / 2"
    sheet.value("length", "0.47 lambda", "0.35 lambda", "0.6 lambda", "of both dipoles, tip to tip", *upper)
    sheet.value("apart", "0.012 lambda", "0.007 lambda", "0.1 lambda", "height between the two dipoles")
    sheet.value("line", "72 ohm", "25 ohm", "300 ohm", "impedance of the phasing line")
    sheet.rod()
    sheet.wire("upper", *upper)
    sheet.wire("lower", "0, -length / 2, -apart / 2", "0, length / 2, -apart / 2")
    sheet.port("feed", "upper", 0.5)
    sheet.terminal("tail", "lower")
    sheet.line("quarter", "feed", "tail", "line", "0.25 lambda")
    sheet.band(0.93, 1.07)
    sheet.case("elevation 0 deg", "azimuth 0 deg", "azimuth 90 deg")
    return sheet.design(values)


def monopole(frequency: str | float, *, radials: int = 4, **values: str | float) -> Design:
    """A quarter-wave mast over radials, flat or drooping: vertical, round in azimuth, where there is no metal roof.

    Fed between the mast and the radials, in free space. Flat radials give about 22 ohm, 40 degrees of droop about 50.
    radials: how many, 2 to 16. values: to change, by name. Raises UsageError and UnitError.
    """
    sheet = Sheet("Monopole with radials", "A quarter-wave mast over radials, which may droop.", frequency)
    sheet.value("mast", "0.2257 lambda", "0.15 lambda", "0.65 lambda", "height", "0, 0, 0", "0, 0, mast")
    first = "radial * cos(droop), 0, -radial * sin(droop)"
    sheet.value("radial", "0.25 lambda", "0.15 lambda", "0.5 lambda", "length of each", "0, 0, 0", first)
    sheet.value("droop", "40 deg", "0 deg", "75 deg", "of the radials below the horizon; 0 for flat ones")
    sheet.rod()
    sheet.wire("mast", "0, 0, 0", "0, 0, mast")
    for i in range(counted(radials, "radials", 2, 16)):
        turn = 2.0 * math.pi * i / radials
        across = f"radial * cos(droop) * {_rounded(math.cos(turn))}, radial * cos(droop) * {_rounded(math.sin(turn))}"
        sheet.wire(f"radial_{i + 1}", "0, 0, 0", f"{across}, -radial * sin(droop)")
    sheet.port("feed", "mast", 0)
    sheet.band(0.88, 1.12)
    sheet.case("azimuth 0 deg", "elevation 0 deg")
    return sheet.design(values)


def end_fed(frequency: str | float, **values: str | float) -> Design:
    """A half-wave wire fed near its end against a short counterpoise: one far support, about a kilohm at the feed.

    Along y in free space. values: to change, by name. Raises UsageError and UnitError.
    """
    purpose = "An end-fed half wave with a short counterpoise; its reference is that of a 25:1 transformer."
    sheet = Sheet("End-fed half wave", purpose, frequency)
    sheet.value("length", "0.455 lambda", "0.4 lambda", "2.1 lambda", "of the wire", "0, 0, 0", "0, length, 0")
    tail = "0, -counterpoise, 0", "0, 0, 0"
    sheet.value("counterpoise", "0.06 lambda", "0.02 lambda", "0.25 lambda", "behind the feed", *tail)
    sheet.rod("0.0005 lambda")
    sheet.wire("wire", "0, -counterpoise, 0", "0, length, 0")
    sheet.port("feed", "wire", "counterpoise", "1250 ohm")
    sheet.band(0.95, 1.05)
    sheet.case("E", "H")
    return sheet.design(values)


def off_centre(frequency: str | float, **values: str | float) -> Design:
    """A half-wave wire fed a fifth of the way along: about 200 ohm, and a fair match at even harmonics too.

    Along y in free space; the reference is that of a 4:1 transformer. values: to change, by name. Raises UsageError and
    UnitError.
    """
    purpose = "An off-centre fed wire; the reference is that of a 4:1 transformer."
    sheet = Sheet("Off-centre fed wire", purpose, frequency)
    ends = "0, -length / 2, 0", "0, length / 2, 0"
    sheet.value("length", "0.4853 lambda", "0.4 lambda", "1.1 lambda", "tip to tip", *ends)
    to_feed = "0, -length / 2, 0", "0, length * (place - 0.5), 0"
    sheet.value("place", 0.2, 0.05, 0.5, "of the feed, as a share of the length", *to_feed)
    sheet.rod("0.0005 lambda")
    sheet.wire("wire", *ends)
    sheet.port("feed", "wire", "place", "200 ohm")
    sheet.band(0.95, 1.05)
    sheet.case("E", "H")
    return sheet.design(values)


def _rounded(number: float) -> str:
    """A sine or cosine as short as it can be said."""
    return f"{number:.12g}" if abs(number) > 1e-12 else "0"
