"""Antennas of tubes, cones and horns."""

from __future__ import annotations

from ..description.design import Design
from .draft import Draft


def waveguide(frequency: str | float, **values: str | float) -> Design:
    """An open-ended round waveguide with a probe, a can antenna: about 8 dBi from a tube closed at one end.

    The tube lies along x, open towards +x; the probe stands on its lowest line. Between 0.586 and 0.765 wavelengths of
    diameter only the TE11 wave passes. values: to change, by name. Raises UsageError and UnitError.
    """
    draft = Draft("Open-ended waveguide", "A round tube, closed behind, with a probe: a can antenna.", frequency)
    draft.value(
        "diameter", "0.7 lambda", "0.6 lambda", "0.76 lambda", "of the tube",
        "length, 0, -diameter / 2", "length, 0, diameter / 2",
    )  # fmt: skip
    draft.value(
        "length",
        "1.2 lambda",
        "0.7 lambda",
        "3 lambda",
        "of the tube",
        "0, 0, -diameter / 2",
        "length, 0, -diameter / 2",
    )
    draft.value(
        "probe",
        "0.235 lambda",
        "0.1 lambda",
        "0.35 lambda",
        "height",
        "back, 0, -diameter / 2",
        "back, 0, probe - diameter / 2",
    )
    draft.value("back", "0.36 lambda", "0.1 lambda", "0.8 lambda", "from the closed end to the probe")
    draft.rod("0.012 lambda")
    draft.wire("probe", "back, 0, -diameter / 2", "back, 0, probe - diameter / 2")
    draft.sheet("tube", "cylinder", {"diameter": "diameter", "length": "length", "axis": "x", "ends": "first"})
    draft.port("feed", "probe", 0)
    draft.band(0.93, 1.07, 41)
    draft.case("E", "H")
    return draft.design(values)


def horn(frequency: str | float, **values: str | float) -> Design:
    """A pyramidal horn on a rectangular waveguide with a probe: about 11 dBi, calm over its whole band.

    The beam is along +x, the field along z. values: to change, by name. Raises UsageError and UnitError.
    """
    draft = Draft("Pyramidal horn", "A pyramidal horn on a short rectangular waveguide with a probe.", frequency)
    draft.value("broad", "0.75 lambda", "0.55 lambda", "0.95 lambda", "broad side of the guide, along y")
    draft.value("narrow", "0.36 lambda", "0.2 lambda", "0.48 lambda", "narrow side of the guide, along z")
    draft.value(
        "guide",
        "0.75 lambda",
        "0.4 lambda",
        "2 lambda",
        "length of the guide",
        "0, 0, -narrow / 2",
        "guide, 0, -narrow / 2",
    )
    draft.value(
        "flare",
        "1.0 lambda",
        "0.3 lambda",
        "4 lambda",
        "length of the horn",
        "guide, 0, -tall / 2",
        "guide + flare, 0, -tall / 2",
    )
    rim = "guide + flare, -wide / 2, tall / 2"
    draft.value(
        "wide",
        "1.5 lambda",
        "0.8 lambda",
        "5 lambda",
        "of the mouth, along y",
        rim,
        "guide + flare, wide / 2, tall / 2",
    )
    draft.value(
        "tall",
        "1.15 lambda",
        "0.4 lambda",
        "5 lambda",
        "of the mouth, along z",
        "guide + flare, -wide / 2, -tall / 2",
        rim,
    )
    draft.value(
        "probe",
        "0.205 lambda",
        "0.1 lambda",
        "0.33 lambda",
        "height",
        "back, 0, -narrow / 2",
        "back, 0, probe - narrow / 2",
    )
    draft.value("back", "0.2 lambda", "0.1 lambda", "0.5 lambda", "from the closed end to the probe")
    draft.rod("0.02 lambda")
    draft.wire("probe", "back, 0, -narrow / 2", "back, 0, probe - narrow / 2")
    keys = {"width": "broad", "depth": "narrow", "height": "guide", "axis": "x", "centre": "guide / 2, 0, 0"}
    draft.sheet("guide", "box", {**keys, "without": "top"})
    mouth, throat = "guide + flare, {}wide / 2, {}tall / 2", "guide, {}broad / 2, {}narrow / 2"
    for name, one, two in (
        ("floor", ("-", "-"), ("", "-")),
        ("roof", ("-", ""), ("", "")),
        ("left", ("", "-"), ("", "")),
        ("right", ("-", "-"), ("-", "")),
    ):
        corners = [throat.format(*one), throat.format(*two), mouth.format(*two), mouth.format(*one)]
        draft.sheet(name, "polygon", {"points": corners})
    draft.port("feed", "probe", 0)
    draft.band(0.93, 1.1, 41)
    draft.case("E", "H")
    return draft.design(values)


def discone(frequency: str | float, **values: str | float) -> Design:
    """A disk over a cone: a dipole's pattern over several octaves, for listening to everything.

    The axis is z; the frequency is the lowest it is meant for. Fed across the short tube between disk and cone. values:
    to change, by name. Raises UsageError and UnitError.
    """
    draft = Draft("Discone", "A disk over a cone, for a band of several octaves.", frequency)
    draft.value(
        "disk", "0.215 lambda", "0.1 lambda", "0.4 lambda", "diameter", "-disk / 2, 0, gap / 2", "disk / 2, 0, gap / 2"
    )
    draft.value("slant", "0.315 lambda", "0.2 lambda", "0.5 lambda", "length of the cone's side")
    draft.value("half", "30 deg", "15 deg", "60 deg", "angle between the cone's side and its axis")
    draft.value("neck", "0.012 lambda", "0.002 lambda", "0.05 lambda", "diameter of the feed and of the cone's tip")
    draft.value("gap", "0.006 lambda", "0.002 lambda", "0.03 lambda", "length of the feed")
    draft.sheet("top", "disk", {"diameter": "disk", "hole": "neck", "centre": "0, 0, gap / 2"})
    draft.sheet("feed_tube", "cylinder", {"diameter": "neck", "length": "gap", "base": "0, 0, -gap / 2"})
    skirt = {"first": "neck", "last": "neck + 2 * slant * sin(half)", "height": "slant * cos(half)"}
    draft.sheet("skirt", "cone", {**skirt, "base": "0, 0, -gap / 2", "axis": (0.0, 0.0, -1.0)})
    draft.sheet_port("feed", "feed_tube", "0, 0, 0", "z", "gap")
    draft.band(1.0, 3.0, 81)
    draft.case("azimuth 0 deg", "elevation 0 deg")
    return draft.design(values)


def sleeve_dipole(frequency: str | float, **values: str | float) -> Design:
    """A coaxial-sleeve dipole: a rod above, a tube below that also keeps current off the cable, fed from inside.

    Along z, in free space. The tube is closed where it meets the rod; the cable's outside runs down through it and a
    little beyond. values: to change, by name. Raises UsageError and UnitError.
    """
    draft = Draft("Coaxial-sleeve dipole", "A rod over a tube; the cable runs down through the tube.", frequency)
    draft.value(
        "rod_length", "0.247 lambda", "0.15 lambda", "0.35 lambda", "of the rod above", "0, 0, 0", "0, 0, rod_length"
    )
    draft.value(
        "tube_length", "0.226 lambda", "0.15 lambda", "0.35 lambda", "of the tube",
        "tube / 2, 0, -tube_length", "tube / 2, 0, 0",
    )  # fmt: skip
    draft.value("tube", "0.03 lambda", "0.012 lambda", "0.08 lambda", "diameter of the tube")
    draft.value("cable", "0.35 lambda", "0.3 lambda", "3 lambda", "its length from the feed down")
    draft.rod("0.005 lambda")
    draft.wire("rod", "0, 0, 0", "0, 0, rod_length")
    draft.wire("cable", "0, 0, 0", "0, 0, -cable")
    tube = {"diameter": "tube", "length": "tube_length", "base": "0, 0, -tube_length", "ends": "last"}
    draft.sheet("tube", "cylinder", tube)
    draft.port("feed", "rod", 0, "75 ohm")
    draft.band(0.88, 1.12, 51)
    draft.case("azimuth 0 deg", "elevation 0 deg")
    return draft.design(values)
