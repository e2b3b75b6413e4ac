"""Loops and the helix."""

from __future__ import annotations

from ..description.design import Design
from .draft import Draft


def circular_loop(frequency: str | float, **values: str | float) -> Design:
    """A circle of one wavelength round: a little more gain than a dipole, broadside, about 140 ohm.

    In the y-z plane, fed at the bottom: horizontal polarisation, strongest along x. Below a tenth of a wavelength round
    it is a small loop, in whose plane the field is strongest. values: to change, by name. Raises UsageError and
    UnitError.
    """
    draft = Draft("Circular loop", "A circular loop of one wavelength, fed at the bottom.", frequency)
    across = "0, -around / pi / 2, 0", "0, around / pi / 2, 0"
    draft.value("around", "1.062 lambda", "0.05 lambda", "2.5 lambda", "circumference; drawn: the diameter", *across)
    draft.rod("0.002 lambda")
    draft.curve("loop", "circle", {"diameter": "around / pi", "axis": "x", "start": "90 deg"})
    draft.port("feed", "loop", 0.5, "100 ohm")
    draft.band(0.9, 1.1)
    draft.case("E", "H")
    return draft.design(values)


def square_loop(frequency: str | float, **values: str | float) -> Design:
    """A square of a quarter wavelength a side: broadside, about 130 ohm; the driven half of a quad.

    In the y-z plane, fed in the middle of the bottom side: horizontal polarisation, strongest along x. values: to
    change, by name.
    Raises UsageError and UnitError.
    """
    draft = Draft("Square loop", "A square loop, fed in the middle of its lower side.", frequency)
    bottom = "0, -side / 2, -side / 2", "0, side / 2, -side / 2"
    draft.value("side", "0.274 lambda", "0.02 lambda", "0.6 lambda", "of the square", *bottom)
    draft.rod("0.002 lambda")
    draft.wire("loop", *bottom, "0, side / 2, side / 2", "0, -side / 2, side / 2", bottom[0])
    draft.port("feed", "loop", 0.125, "100 ohm")
    draft.band(0.9, 1.1)
    draft.case("E", "H")
    return draft.design(values)


def delta_loop(frequency: str | float, **values: str | float) -> Design:
    """A triangle of a third of a wavelength a side, standing on its base: a full-wave loop on one mast.

    In the y-z plane, fed in the middle of the base: horizontal polarisation, strongest along x. values: to change, by
    name. Raises UsageError and UnitError.
    """
    draft = Draft("Delta loop", "A delta loop: an equilateral triangle fed in the middle of its base.", frequency)
    base = "0, -side / 2, 0", "0, side / 2, 0"
    draft.value("side", "0.3695 lambda", "0.02 lambda", "0.8 lambda", "of the triangle", *base)
    draft.rod("0.002 lambda")
    draft.wire("loop", *base, "0, 0, side * sqrt(0.75)", base[0])
    draft.port("feed", "loop", "side / 2", "100 ohm")
    draft.band(0.9, 1.1)
    draft.case("E", "H")
    return draft.design(values)


def helix(frequency: str | float, **values: str | float) -> Design:
    """A helix one wavelength round over a plane: a circularly polarised beam along its axis, over a wide band.

    Upright, fed at its foot; about 140 ohm. Right-handed. values: to change, by name. Raises UsageError and UnitError.
    """
    purpose = "An axial-mode helix over a large plane, taken as infinite and perfect."
    draft = Draft("Axial-mode helix", purpose, frequency, medium="perfect plane")
    across = "-around / pi / 2, 0, lead", "around / pi / 2, 0, lead"
    draft.value("around", "1.05 lambda", "0.7 lambda", "1.4 lambda", "circumference; drawn: the diameter", *across)
    one = "around / pi / 2, 0, lead", "around / pi / 2, 0, lead + rise"
    draft.value("rise", "0.235 lambda", "0.15 lambda", "0.35 lambda", "of one turn", *one)
    draft.value("turns", 8, 2, 40, "of the helix")
    draft.value("lead", "0.02 lambda", "0.01 lambda", "0.1 lambda", "straight up from the plane")
    draft.rod("0.006 lambda")
    draft.curve(
        "helix",
        "helix",
        {"diameter": "around / pi", "rise": "rise", "turns": "turns", "base": "0, 0, lead", "lead": "lead"},
    )
    draft.port("feed", "helix", 0, "140 ohm")
    draft.band(0.8, 1.2)
    draft.case("azimuth 0 deg", "azimuth 90 deg")
    return draft.design(values)
