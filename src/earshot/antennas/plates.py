"""Antennas with flat metal: plates under, behind and as the antenna."""

from __future__ import annotations

from ..description.design import Design
from .draft import Draft


def plate_monopole(frequency: str | float, **values: str | float) -> Design:
    """A quarter-wave mast on a square plate, such as a roof: what a finite ground does to impedance and pattern.

    In free space, the plate in the x-y plane. The edge throws the beam upward: a plate of a few wavelengths is far from
    an infinite plane. values: to change, by name. Raises UsageError and UnitError.
    """
    draft = Draft("Monopole on a plate", "A quarter-wave mast standing on a square metal plate.", frequency)
    draft.value("mast", "0.2345 lambda", "0.15 lambda", "0.65 lambda", "height", "at, 0, 0", "at, 0, mast")
    draft.value(
        "side", "0.9 lambda", "0.3 lambda", "3 lambda", "of the plate",
        "-side / 2, -side / 2, 0", "side / 2, -side / 2, 0",
    )  # fmt: skip
    draft.value("at", "0 lambda", "-1.4 lambda", "1.4 lambda", "of the foot, from the middle along x")
    draft.rod()
    draft.wire("mast", "at, 0, 0", "at, 0, mast")
    draft.sheet("plate", "plate", {"width": "side", "depth": "side"})
    draft.port("feed", "mast", 0)
    draft.band(0.88, 1.12, 51)
    draft.case("azimuth 0 deg", "elevation 20 deg")
    return draft.design(values)


def plane_reflector(frequency: str | float, **values: str | float) -> Design:
    """A dipole in front of a flat plate: about 8 dBi from a shallow antenna, with little behind it.

    The dipole lies along y at the origin, the plate square to x behind it; the beam is along +x. values: to change, by
    name. Raises UsageError and UnitError.
    """
    draft = Draft("Plane reflector", "A dipole in front of a flat metal plate.", frequency)
    draft.value(
        "length", "0.4475 lambda", "0.3 lambda", "0.7 lambda", "tip to tip", "0, -length / 2, 0", "0, length / 2, 0"
    )
    draft.value("spacing", "0.2 lambda", "0.08 lambda", "0.6 lambda", "plate to dipole", "-spacing, 0, 0", "0, 0, 0")
    draft.value(
        "width", "0.9 lambda", "0.4 lambda", "2.5 lambda", "of the plate, along the dipole",
        "-spacing, -width / 2, -depth / 2", "-spacing, width / 2, -depth / 2",
    )  # fmt: skip
    draft.value("depth", "0.8 lambda", "0.3 lambda", "2.5 lambda", "of the plate, across the dipole")
    draft.rod()
    draft.wire("dipole", "0, -length / 2, 0", "0, length / 2, 0")
    draft.sheet("plate", "plate", {"width": "width", "depth": "depth", "axis": "x", "centre": "-spacing, 0, 0"})
    draft.port("feed", "dipole", 0.5)
    draft.band(0.88, 1.12, 51)
    draft.case("E", "H")
    return draft.design(values)


def corner_reflector(frequency: str | float, **values: str | float) -> Design:
    """A dipole between two plates that meet at an angle: 10 to 12 dBi, a clean beam, and easy to make.

    The dipole stands along z at the origin, the edge of the corner behind it; the beam is along +x. values: to change,
    by name. Raises UsageError and UnitError.
    """
    draft = Draft("Corner reflector", "A dipole between two plates that meet at an edge behind it.", frequency)
    draft.value(
        "length", "0.4365 lambda", "0.3 lambda", "0.7 lambda", "tip to tip", "0, 0, -length / 2", "0, 0, length / 2"
    )
    draft.value("spacing", "0.36 lambda", "0.2 lambda", "0.9 lambda", "edge to dipole", "-spacing, 0, 0", "0, 0, 0")
    draft.value("corner", "90 deg", "40 deg", "150 deg", "between the plates")
    out = "-spacing + side * cos(corner / 2), {} * sin(corner / 2), {}"
    draft.value(
        "side", "0.9 lambda", "0.4 lambda", "2.5 lambda", "of a plate, from the edge out",
        "-spacing, 0, -height / 2", out.format("side", "-height / 2"),
    )  # fmt: skip
    draft.value("height", "0.75 lambda", "0.4 lambda", "2 lambda", "of the plates, along the dipole")
    draft.rod()
    draft.wire("dipole", "0, 0, -length / 2", "0, 0, length / 2")
    for name, way in (("left", "side"), ("right", "-side")):
        corners = [f"-spacing, 0, {z}" for z in ("-height / 2", "height / 2")]
        corners += [out.format(way, z) for z in ("height / 2", "-height / 2")]
        draft.sheet(name, "polygon", {"points": corners})
    draft.port("feed", "dipole", 0.5)
    draft.band(0.88, 1.12, 51)
    draft.case("E", "H")
    return draft.design(values)


def bow_tie(frequency: str | float, **values: str | float) -> Design:
    """Two flat triangles, tip to tip: a dipole with twice the bandwidth, cut from a sheet.

    In the y-z plane, fed across a narrow gap between the tips. values: to change, by name. Raises UsageError and
    UnitError.
    """
    draft = Draft("Bow-tie", "Two flat triangles, tip to tip.", frequency)
    draft.value(
        "length", "0.313 lambda", "0.2 lambda", "1.2 lambda", "end to end", "0, -length / 2, 0", "0, length / 2, 0"
    )
    draft.value("flare", "60 deg", "10 deg", "110 deg", "of each triangle, at its tip")
    draft.value("neck", "0.012 lambda", "0.004 lambda", "0.05 lambda", "width where it is fed")
    draft.value("gap", "0.006 lambda", "0.002 lambda", "0.04 lambda", "at the feed")
    end = "(neck / 2 + (length / 2 - neck / 2) * sin(flare / 2) / cos(flare / 2))"
    outline = [
        f"0, {y}, {z}"
        for y, z in (
            ("-length / 2", f"-{end}"), ("-neck / 2", "-neck / 2"), ("neck / 2", "-neck / 2"),
            ("length / 2", f"-{end}"), ("length / 2", end), ("neck / 2", "neck / 2"), ("-neck / 2", "neck / 2"),
            ("-length / 2", end),
        )
    ]  # fmt: skip
    draft.sheet("tie", "polygon", {"points": outline}, sides=2)
    draft.sheet_port("feed", "tie", "0, 0, 0", "y", "gap")
    draft.band(0.75, 1.3, 61)
    draft.case("E", "H")
    return draft.design(values)
