"""Boards of more than a patch over a plane: patches over patches, patches under covers, dipoles without a plane."""

from __future__ import annotations

import math

from .. import units
from ..constants import wavelength
from ..description.design import Design
from ..media.patch_start import patch_start
from ..media.stack import Dielectric, Layer, Stack
from ..media.strip_line import strip_line, strip_width
from .draft import Draft
from .patches import board_of, dielectric_of, shown

_THROUGH_SLOT = 0.935
"""Of a patch's own length, what slots leave of it: found on boards of εr 1.07, 2.3 and 4.4."""


def _probed(draft: Draft, name: str, face: str) -> None:
    """A patch on a face of the layers with its pin from the plane, fed and driven."""
    draft.sheet(name, "plate", {"width": "length", "depth": "width", "centre": f"0, 0, {face}"})
    draft.wire("pin", "offset, 0, 0", f"offset, 0, {face}")
    draft.port("feed", "pin", 0)
    draft.case("E", "H")


def stacked_patch(
    frequency: str | float,
    board: Dielectric | str = "ptfe glass",
    thickness: str | float = "0.02 lambda",
    spacer: Dielectric | str = "foam",
    **values: str | float,
) -> Design:
    """Two patches, one over the other on a spacer: fed by a probe into the lower one, and a sixth of the band wide.

    The board lies on a plane at z = 0, the field along x. The lower patch and the probe's offset move the match, the
    upper patch and the gap the loop that the impedance makes. values: to change, by name. Raises UsageError and
    UnitError.
    """
    draft = Draft("Stacked patch", "A patch over another, which is fed by a probe from below: a wide band.", frequency)
    start = patch_start(board_of(draft, board, thickness, "low"), draft.hertz)
    draft.value("gap", "0.085 lambda", "0.03 lambda", "0.15 lambda", "thickness of the spacer")
    draft.layer("gap", dielectric_of(spacer), "high")
    wave = wavelength(draft.hertz)
    shown(draft, "length", 1.03 * start.length, 0.8, 1.2, "of the lower patch, along the field",
           "-length / 2, -width / 2, low", "length / 2, -width / 2, low")  # fmt: skip
    shown(draft, "width", 0.955 * start.width, 0.4, 1.6, "of the lower patch, across the field")
    shown(draft, "upper", 0.359 * wave, 0.8, 1.2, "length of the upper patch", "-upper / 2, 0, high",
           "upper / 2, 0, high")  # fmt: skip
    shown(draft, "across", 0.43 * wave, 0.5, 1.5, "width of the upper patch")
    shown(draft, "offset", 0.48 * start.length, 0.3, 1.05, "of the probe, from the middle")
    draft.rod("0.016 lambda")
    draft.sheet("parasite", "plate", {"width": "upper", "depth": "across", "centre": "0, 0, high"})
    _probed(draft, "driven", "low")
    draft.band(0.85, 1.15, 121)
    return draft.design(values)


def covered_patch(
    frequency: str | float,
    board: Dielectric | str = "ptfe glass",
    thickness: str | float = "0.02 lambda",
    cover: Dielectric | str = "polycarbonate",
    cover_thickness: str | float = "0.01 lambda",
    **values: str | float,
) -> Design:
    """A rectangular patch under a cover, fed by a probe: weatherproof, and shorter by what the cover slows the wave.

    The field is along x. values: to change, by name. Raises UsageError and UnitError.
    """
    draft = Draft("Covered patch", "A rectangular patch under a cover, fed by a probe from below.", frequency)
    bare, lid = board_of(draft, board, thickness, "printed"), dielectric_of(cover)
    draft.value("cover", cover_thickness, "0.001 lambda", "0.06 lambda", "thickness of the cover")
    draft.layer("cover", lid)
    metres = units.read(cover_thickness, "length", what="cover_thickness", wavelength=wavelength(draft.hertz))
    start = patch_start(bare, draft.hertz)
    under = Stack([*bare.layers, Layer(metres, lid)], metal_on=1)
    open_, covered = (strip_line(stack, start.width, draft.hertz).index for stack in (bare, under))
    # The field at all four rims is in the cover, not only that of a line: found on boards of εr 2.3 and 4.4.
    slower = abs(open_ / covered) ** 4
    shown(draft, "length", 0.981 * slower * start.length, 0.8, 1.2, "of the patch, along the field",
           "-length / 2, -width / 2, printed", "length / 2, -width / 2, printed")  # fmt: skip
    shown(draft, "width", start.width, 0.4, 1.6, "of the patch, across the field",
           "length / 2, -width / 2, printed", "length / 2, width / 2, printed")  # fmt: skip
    shown(draft, "offset", 1.2 * start.offset, 0.1, 1.5, "of the probe, from the middle")
    draft.rod("0.008 lambda")
    _probed(draft, "patch", "printed")
    draft.band(0.95, 1.05, 81)
    return draft.design(values)


def board_dipole(
    frequency: str | float,
    board: Dielectric | str = "ptfe glass",
    thickness: str | float = "0.01 lambda",
    **values: str | float,
) -> Design:
    """A half-wave dipole of two strips on a board without a plane: some 2 dBi, to both sides of the board.

    Along y, the board's lower face at z = 0; fed across the gap in its middle. values: to change, by name. Raises
    UsageError and UnitError.
    """
    draft = Draft(
        "Dipole on a board",
        "A dipole of strips on a board without a plane, fed in its middle.",
        frequency,
        plane="none",
    )  # fmt: skip
    made = dielectric_of(board)
    draft.value("thickness", thickness, "0.001 lambda", "0.03 lambda", "of the board")
    draft.layer("thickness", made, "top")
    wave = wavelength(draft.hertz)
    metres = units.read(thickness, "length", what="thickness", wavelength=wave)
    slow = _slowed(made.permittivity, metres / wave)
    shown(
        draft, "length", 0.465 * wave / slow, 0.7, 1.2, "from end to end", "0, -length / 2, top", "0, length / 2, top"
    )
    shown(draft, "width", 0.02 * wave, 0.1, 3.0, "of the strips")
    draft.value("gap", "0.006 lambda", "0.001 lambda", "0.03 lambda", "between the strips, where it is fed")
    draft.sheet("strips", "plate", {"width": "width", "depth": "length", "centre": "0, 0, top"})
    draft.sheet_port("feed", "strips", "0, 0, top", "y", "gap", "75 ohm")
    draft.band(0.9, 1.1, 81)
    draft.case("E", "H")
    return draft.design(values)


def slot_patch(
    frequency: str | float,
    board: Dielectric | str = "foam",
    thickness: str | float = "0.04 lambda",
    feed_board: Dielectric | str = "ceramic-filled hydrocarbon",
    feed_thickness: str | float = "0.01 lambda",
    **values: str | float,
) -> Design:
    """A patch fed through a slot in its plane, by an open line on the board under that: no pin near it, and broad.

    The plane is at z = 0, the patch over it, the line under it along x like the field. The slot's length sets how much
    is coupled, the stub beyond it the reactance. values: to change, by name. Raises UsageError and UnitError.
    """
    draft = Draft("Slot-fed patch", "A patch fed through a slot by a line under its plane.", frequency)
    over, made, under = board_of(draft, board, thickness, "high"), dielectric_of(board), dielectric_of(feed_board)
    start, wave = patch_start(over, draft.hertz), wavelength(draft.hertz)
    draft.value("depth", feed_thickness, "0.002 lambda", "0.03 lambda", "of the board under the plane")
    draft.layer("depth", under, "low", under=True)
    metres = units.read(feed_thickness, "length", what="feed_thickness", wavelength=wave)
    feed = Stack(Layer(metres, under))
    guided = wave / strip_line(feed, strip_width(feed, 50.0, draft.hertz), draft.hertz).index.real
    shown(draft, "length", _THROUGH_SLOT * start.length, 0.8, 1.2, "of the patch, along the field",
           "-length / 2, -width / 2, high", "length / 2, -width / 2, high")  # fmt: skip
    shown(draft, "width", start.width, 0.4, 1.6, "of the patch, across the field")
    # The slot is in both matters; how much it has to couple goes with what the patch radiates, and so with its height.
    slow, high = math.sqrt((made.permittivity + under.permittivity) / 2.0), over.thickness / wave
    shown(draft, "slot", 0.287 * (high / 0.04) ** 0.48 / slow * wave, 0.4, 1.6, "length of the slot, across the line",
           "0, -slot / 2, 0", "0, slot / 2, 0")  # fmt: skip
    shown(draft, "opening", 0.02 * wave, 0.3, 2.0, "width of the slot")
    shown(draft, "stub", 0.16 * guided, 0.3, 1.6, "of the line, beyond the slot")
    shown(draft, "run", 0.5 * guided, 0.5, 3.0, "of the line, up to the slot")
    draft.rod("0.006 lambda")
    draft.sheet("patch", "plate", {"width": "length", "depth": "width", "centre": "0, 0, high"})
    draft.sheet("slot", "plate", {"width": "opening", "depth": "slot"})
    draft.sheet("line", "trace", {"points": ["-run, 0, low", "stub, 0, low"], "impedance": "50 ohm"})
    draft.wire("pin", "rod - run, 0, 0", "rod - run, 0, low")
    draft.port("feed", "pin", 0)
    draft.case("E", "H")
    draft.band(0.9, 1.1, 81)
    return draft.design(values)


def stripline_slot(
    frequency: str | float,
    board: Dielectric | str = "ptfe glass",
    thickness: str | float = "0.012 lambda",
    **values: str | float,
) -> Design:
    """A slot in one plane of a stripline, in a fence of posts that keeps its waves in: flush, and to one side alone.

    The slot is in the plane z = 0, the line along x between two boards under it; posts from plane to plane make a
    cavity. The stub sets the resistance, the slot's length the resonance. values: to change, by name. Raises UsageError
    and UnitError.
    """
    draft = Draft("Slot on a stripline", "A slot in a stripline's plane, with a fence of posts.", frequency)
    made, wave = dielectric_of(board), wavelength(draft.hertz)
    draft.value("thickness", thickness, "0.004 lambda", "0.03 lambda", "of each of the two boards")
    draft.layer("thickness", made, "middle", under=True)
    draft.layer("thickness", made, "floor", under=True, lid=True)
    half, slow = math.sqrt((1.0 + made.permittivity) / 2.0), math.sqrt(made.permittivity)
    shown(draft, "slot", 0.579 / half * wave, 0.7, 1.3, "length of the slot, across the line", "0, -slot / 2, 0",
           "0, slot / 2, 0")  # fmt: skip
    shown(draft, "opening", 0.02 * wave, 0.3, 2.0, "width of the slot")
    shown(draft, "stub", 0.076 / slow * wave, 0.2, 4.0, "of the line, beyond the slot")
    shown(draft, "run", 0.37 / slow * wave, 0.9, 2.0, "of the line, up to the slot")
    shown(draft, "along", 0.57 / slow * wave, 0.7, 1.2, "of the fence, along the line", "-along / 2, -across / 2, 0",
           "along / 2, -across / 2, 0")  # fmt: skip
    shown(draft, "across", 0.80 / slow * wave, 0.8, 1.3, "of the fence, across it", "along / 2, -across / 2, 0",
           "along / 2, across / 2, 0")  # fmt: skip
    draft.rod("0.01 lambda")
    draft.sheet("slot", "plate", {"width": "opening", "depth": "slot"})
    draft.sheet("line", "trace", {"points": ["-run, 0, middle", "stub, 0, middle"], "impedance": "50 ohm"})
    draft.wire("pin", "rod - run, 0, 0", "rod - run, 0, middle")
    for number, (x, y) in enumerate(_fence(6, 8), 1):
        place = f"{x} * along, {y} * across"
        draft.wire(f"post_{number}", f"{place}, 0", f"{place}, floor")
    draft.port("feed", "pin", 0)
    draft.case("E", "H")
    draft.band(0.9, 1.1, 81)
    return draft.design(values)


def _fence(along: int, across: int) -> list[tuple[float, float]]:
    """Places round a rectangle of sides one, evenly spread on each."""
    xs, ys = ([round(n / (count - 1) - 0.5, 4) for n in range(count)] for count in (along, across))
    return [(x, y) for x in xs for y in (-0.5, 0.5)] + [(x, y) for y in ys[1:-1] for x in (-0.5, 0.5)]


def _slowed(permittivity: float, thickness: float) -> float:
    """How much slower the wave is along strips a fiftieth of a wavelength wide; thickness in wavelengths.

    Found by solving dipoles on boards of εr 2.3 and 4.4, 0.005 to 0.02 wavelengths thick: within 1 %.
    """
    more = permittivity - 1.0
    return math.sqrt(1.0 + 0.234 * more / (1.0 + 0.066 * more) * (thickness / 0.01) ** 0.6)
