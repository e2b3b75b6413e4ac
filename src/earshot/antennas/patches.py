"""Patches on a board: printed metal over a plane."""

from __future__ import annotations

from .. import units
from ..constants import wavelength
from ..description.design import Design
from ..media.patch_start import PatchStart, disk_start, patch_start
from ..media.stack import Dielectric, Layer, Stack, dielectrics
from ..media.strip_line import strip_width
from .draft import Draft


def dielectric_of(board: Dielectric | str) -> Dielectric:
    """One of the user's own, or one by name."""
    return dielectrics[board] if isinstance(board, str) else board


def board_of(draft: Draft, board: Dielectric | str, thickness: str | float, name: str = "") -> Stack:
    """The layer in the draft, its upper face perhaps named, and as the formulas want it."""
    made = dielectric_of(board)
    draft.value("thickness", thickness, "0.003 lambda", "0.06 lambda", "of the board")
    draft.layer("thickness", made, name)
    metres = units.read(thickness, "length", what="thickness", wavelength=wavelength(draft.hertz))
    return Stack(Layer(metres, made))


def shown(draft: Draft, name: str, metres: float, low: float, high: float, note: str, *at: str) -> None:
    """A length in wavelengths, and the shares of it that it may range between."""
    share = metres / wavelength(draft.hertz)
    texts = [f"{round(factor * share, 5)} lambda" for factor in (1.0, low, high)]
    draft.value(name, *texts, note, *at)


def _pin(draft: Draft, name: str, x: str, y: str = "0") -> None:
    draft.wire(name, f"{x}, {y}, 0", f"{x}, {y}, thickness")


def patch(
    frequency: str | float,
    board: Dielectric | str = "ptfe glass",
    thickness: str | float = "0.02 lambda",
    **values: str | float,
) -> Design:
    """A rectangular patch over a plane, fed by a probe: flat, easily made, about 7 dBi straight up.

    The board lies on a plane at z = 0, the field along x. board: a dielectric by name, or your own. values: to change,
    by name. Raises UsageError and UnitError.
    """
    draft = Draft("Patch", "A rectangular patch on a board over a plane, fed by a probe from below.", frequency)
    start = patch_start(board_of(draft, board, thickness), draft.hertz)
    _rectangle(draft, start, 0.981)
    shown(draft, "offset", 1.15 * start.offset, 0.1, 1.5, "of the probe, from the middle", "0, 0, thickness",
           "offset, 0, thickness")  # fmt: skip
    draft.rod("0.008 lambda")
    draft.sheet("patch", "plate", {"width": "length", "depth": "width", "centre": "0, 0, thickness"})
    _pin(draft, "pin", "offset")
    draft.port("feed", "pin", 0)
    draft.band(0.95, 1.05, 81)
    draft.case("E", "H")
    return draft.design(values)


def _rectangle(draft: Draft, start: PatchStart, share: float) -> None:
    shown(draft, "length", share * start.length, 0.8, 1.2, "of the patch, along the field",
           "-length / 2, -width / 2, thickness", "length / 2, -width / 2, thickness")  # fmt: skip
    shown(draft, "width", start.width, 0.4, 1.6, "of the patch, across the field",
           "length / 2, -width / 2, thickness", "length / 2, width / 2, thickness")  # fmt: skip


def inset_patch(
    frequency: str | float,
    board: Dielectric | str = "ptfe glass",
    thickness: str | float = "0.02 lambda",
    **values: str | float,
) -> Design:
    """A rectangular patch fed by a strip of 50 ohm that is let into it: all on one side of the board.

    The line comes from -x and ends in a pin to the plane, where the port is; the field is along x. values: to change,
    by name. Raises UsageError and UnitError.
    """
    draft = Draft("Inset patch", "A rectangular patch fed by a strip let into its rim.", frequency)
    stack = board_of(draft, board, thickness)
    start = patch_start(stack, draft.hertz)
    _rectangle(draft, start, 1.015)
    strip = strip_width(stack, 50.0, draft.hertz)
    shown(draft, "strip", strip, 0.4, 2.0, "width of the line")
    shown(draft, "notch", 0.4 * strip, 0.3, 3.0, "between the line and the patch beside it")
    shown(draft, "inset", 0.9 * start.inset, 0.2, 1.4, "from the rim to where the line joins",
           "-length / 2, 0, thickness", "-length / 2 + inset, 0, thickness")  # fmt: skip
    shown(draft, "line", 0.5 * start.length, 0.3, 3.0, "from the pin to the rim",
           "-length / 2 - line, 0, thickness", "-length / 2, 0, thickness")  # fmt: skip
    draft.rod("0.004 lambda")
    x, low, high, out = "-length / 2", "-strip / 2", "strip / 2", "strip / 2 + notch"
    corners = [
        (f"{x} - line", low), (f"{x} + inset", low), (f"{x} + inset", f"-({out})"), (x, f"-({out})"),
        (x, "-width / 2"), ("length / 2", "-width / 2"), ("length / 2", "width / 2"), (x, "width / 2"),
        (x, out), (f"{x} + inset", out), (f"{x} + inset", high), (f"{x} - line", high),
    ]  # fmt: skip
    draft.sheet("patch", "polygon", {"points": [f"{px}, {py}, thickness" for px, py in corners]})
    _pin(draft, "pin", f"{x} - line")
    draft.port("feed", "pin", 0)
    draft.band(0.95, 1.05, 81)
    draft.case("E", "H")
    return draft.design(values)


def disk_patch(
    frequency: str | float,
    board: Dielectric | str = "ptfe glass",
    thickness: str | float = "0.02 lambda",
    **values: str | float,
) -> Design:
    """A round patch over a plane, fed by a probe: one dimension to tune, and the same whichever way it is turned.

    The field is along x. values: to change, by name. Raises UsageError and UnitError.
    """
    draft = Draft("Round patch", "A round patch on a board over a plane, fed by a probe from below.", frequency)
    start = disk_start(board_of(draft, board, thickness), draft.hertz)
    shown(draft, "across", 1.0085 * start.length, 0.8, 1.2, "diameter of the patch", "-across / 2, 0, thickness",
           "across / 2, 0, thickness")  # fmt: skip
    shown(draft, "offset", 1.1 * start.offset, 0.1, 1.5, "of the probe, from the middle")
    draft.rod("0.008 lambda")
    draft.sheet("patch", "disk", {"diameter": "across", "centre": "0, 0, thickness"})
    _pin(draft, "pin", "offset")
    draft.port("feed", "pin", 0)
    draft.band(0.95, 1.05, 81)
    draft.case("E", "H")
    return draft.design(values)
