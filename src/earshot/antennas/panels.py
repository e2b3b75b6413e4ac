"""Rows and panels of patches, fed one through another or through a tree of strips, all on one side of a board."""

from __future__ import annotations

import math
from typing import Any

from ..constants import wavelength
from ..description.design import Design
from ..errors import UsageError
from ..media.patch_start import patch_start
from ..media.stack import Dielectric
from ..media.strip_line import strip_line, strip_width
from .draft import Draft, counted
from .patches import board_of, shown

_BETWEEN, _LONGER = 0.88, 1.01
"""Of half a wave on the strip, what is right between two patches; and of the length that formulas give, a patch's."""
_LET_IN = 1.006
"""The same where a line is let in."""
_DENSITY = 0.5
"""Half as fine as usual: a panel is large, and its beam does not need more."""
_SEEN = 0.85
"""Of a rim's resistance by formula, over how many patches are in a row: what their feed sees."""


def _row(draft: Draft, board: Dielectric | str, thickness: str | float, patches: int) -> None:
    """Patches along x, the field along them, strips between, and a quarter wave to the pin before the first."""
    stack = board_of(draft, board, thickness)
    start = patch_start(stack, draft.hertz)
    thin = strip_width(stack, 100.0, draft.hertz)
    half = 0.5 * strip_line(stack, thin, draft.hertz).wavelength
    feed = strip_width(stack, math.sqrt(50.0 * _SEEN * start.edge_resistance / patches), draft.hertz)
    quarter = 0.25 * strip_line(stack, feed, draft.hertz).wavelength
    shown(draft, "length", _LONGER * start.length, 0.9, 1.1, "of a patch, along the field",
          "0, -width / 2, thickness", "length, -width / 2, thickness")  # fmt: skip
    shown(draft, "width", start.width, 0.4, 1.6, "of a patch, across the field", "0, -width / 2, thickness",
          "0, width / 2, thickness")  # fmt: skip
    shown(draft, "between", _BETWEEN * half, 0.8, 1.25, "from patch to patch, which phases them",
          "length, 0, thickness", "length + between, 0, thickness")  # fmt: skip
    shown(draft, "thin", thin, 0.4, 2.0, "width of the strips between")
    shown(draft, "strip", feed, 0.4, 2.0, "width of the strip to the first")
    shown(draft, "line", quarter, 0.4, 2.0, "from the pin to the first patch", "-line, 0, thickness", "0, 0, thickness")
    draft.rod("0.004 lambda")
    for n in range(patches):
        x = f"{n} * (length + between)"
        own = {"width": "length", "depth": "width", "centre": f"{x} + length / 2, 0, thickness"}
        draft.sheet(f"patch_{n + 1}", "plate", own, density=_DENSITY)
        if n + 1 < patches:
            ends = [f"{x} + length, 0, thickness", f"{n + 1} * (length + between), 0, thickness"]
            draft.sheet(f"between_{n + 1}", "trace", {"points": ends, "width": "thin"}, density=_DENSITY)
    ends = ["-line - strip / 2, 0, thickness", "0, 0, thickness"]
    draft.sheet("line", "trace", {"points": ends, "width": "strip"}, density=_DENSITY)
    draft.wire("pin", "-line, 0, 0", "-line, 0, thickness")
    draft.port("feed", "pin", 0)


def series_row(
    frequency: str | float,
    board: Dielectric | str = "ptfe glass",
    thickness: str | float = "0.02 lambda",
    *,
    patches: int = 5,
    **values: str | float,
) -> Design:
    """A row of patches fed one through another: a narrow fan beam for one pin and no divider.

    Along x, as is the field; the beam goes straight up, and leans with frequency. patches: 2 to 12. values: to change,
    by name. Raises UsageError and UnitError.
    """
    draft = Draft("Row of patches", "A row of patches fed one through another, along x.", frequency)
    _row(draft, board, thickness, counted(patches, "patches", 2, 12))
    draft.band(0.97, 1.03, 61)
    draft.case("E", "H")
    return draft.design(values)


def series_panel(
    frequency: str | float,
    board: Dielectric | str = "ptfe glass",
    thickness: str | float = "0.02 lambda",
    *,
    rows: int = 4,
    patches: int = 5,
    **values: str | float,
) -> Design:
    """A panel of series-fed rows side by side, with a port for each: steered across the rows by their phases.

    Rows along x, beside one another along y. rows: 2 to 12; patches: in a row, 2 to 12. values: to change, by name.
    Raises UsageError and UnitError.
    """
    draft = Draft("Panel of rows", "Rows of patches fed one through another, with a port for each row.", frequency)
    many = counted(rows, "rows", 2, 12)
    _row(draft, board, thickness, counted(patches, "patches", 2, 12))
    draft.value("pitch", "0.7 lambda", "0.5 lambda", "1 lambda", "from row to row")
    draft.value("steer", "0 deg", "-60 deg", "60 deg", "of the beam, from straight up towards y")
    draft.more("array.line", count=many, spacing="pitch", axis="y")
    draft.more("array.beam.steered", theta="steer", phi="90 deg", cuts=["azimuth 0 deg", "azimuth 90 deg"])
    return draft.design(values)


def corporate_panel(
    frequency: str | float,
    board: Dielectric | str = "ptfe glass",
    thickness: str | float = "0.015 lambda",
    *,
    rows: int = 2,
    columns: int = 4,
    **values: str | float,
) -> Design:
    """A panel of patches fed through a tree of strips that divides the power evenly, by one pin.

    The field is along x, across the rows; columns along y: 2, 4 or 8. rows: 1, 2, or 4 and 8 with as many columns or
    twice as many; for other numbers repeat one row with an array, a port each. Lines of 100 ohm meet at tees, with
    quarter waves of 70.7 ohm behind; from 4 rows on, of every two rows the lower one's line is a whole wave longer.
    values: to change, by name. Raises UsageError and UnitError.
    """
    if columns not in (2, 4, 8):
        raise UsageError(f"columns = {columns!r}: the tree divides by two: 2, 4 or 8")
    if counted(rows, "rows", 1, 64) > 2 and (rows not in (4, 8) or columns not in (rows, 2 * rows)):
        raise UsageError(
            f"rows = {rows} of {columns}: one pin feeds 1 or 2 rows, 4 of 4 or 8, or 8 of 8; for others make one row "
            f"and repeat it, --count 1x{columns} --array '{rows} along x', with a port for each"
        )
    draft = Draft("Panel with its tree", "Patches fed through a tree of strips, by one pin.", frequency)
    stack = board_of(draft, board, thickness)
    start = patch_start(stack, draft.hertz, 100.0)
    thin, middle, wide = (strip_width(stack, z, draft.hertz) for z in (100.0, math.sqrt(5000.0), 50.0))
    quarter, wave = 0.25 * strip_line(stack, middle, draft.hertz).wavelength, wavelength(draft.hertz)
    levels = columns.bit_length() - 1
    shown(draft, "length", _LET_IN * start.length, 0.9, 1.1, "of a patch, along the field")
    shown(draft, "width", start.width, 0.4, 1.6, "of a patch, across the field")
    shown(draft, "inset", 0.9 * start.inset, 0.2, 1.5, "from a patch's rim to where its line joins")
    shown(draft, "notch", 0.75 * thin, 0.4, 3.0, "between that line and the patch beside it")
    shown(draft, "thin", thin, 0.5, 2.0, "width of lines of 100 ohm")
    shown(draft, "middle", middle, 0.5, 2.0, "width of quarter waves of 70.7 ohm")
    shown(draft, "quarter", quarter, 0.7, 1.3, "length of a quarter wave")
    shown(draft, "clear", 0.1 * wave, 0.5, 2.0, "from a patch's rim to the first line beside it")
    pitch = 0.75 * wave
    shown(draft, "pitch", pitch, 0.7, 1.4, "from column to column")
    if rows > 2:
        whole = strip_line(stack, wide, draft.hertz).wavelength
        if whole + 0.16 * wave >= wave:
            raise UsageError(
                f"rows = {rows}: a wave on the strip is {whole / wave:.2f} of one in air, and rows that far apart "
                "have grating lobes: take a board of higher permittivity, or 1 or 2 rows"
            )
        shown(draft, "strip", wide, 0.5, 2.0, "width of lines of 50 ohm")
        shown(draft, "whole", whole, 0.8, 1.2, "what the line to the lower of two rows is longer: a whole wave")
        shown(draft, "apart", max(pitch, whole + 0.16 * wave), 0.9, 1.2, "from row to row")
    elif rows == 2:
        need = start.length + 0.2 * wave + (levels - 1) * quarter
        shown(draft, "apart", max(pitch, need), 0.8, 1.4, "from row to row")
    else:
        shown(draft, "strip", wide, 0.5, 2.0, "width of the line of 50 ohm to the pin")
    draft.rod("0.012 lambda")
    tips = []
    for number in range(rows):
        x0 = "0" if rows == 1 else f"{0.5 * (rows - 1) - number:g} * apart"
        for column in range(columns):
            _fed_patch(draft, f"{number + 1}_{column + 1}", x0, _across(column, columns))
        last = "middle" if rows == 2 else "strip"
        for level in range(1 if rows > 2 else levels):
            _tree(draft, number, level, 1 if rows > 2 else levels, columns, x0, last)
        tips.append(_run(x0, levels - 1))
    if rows > 2:
        pin = _branches(draft, rows, columns)
    elif rows == 1:
        pin = f"{tips[0]} - quarter"
        ends = [f"{x}, 0, thickness" for x in (f"{tips[0]} - thin / 2", f"{pin} - strip / 2")]
        draft.sheet("line", "trace", {"points": ends, "width": "strip"}, density=_DENSITY)
    else:
        upper, lower = tips
        pin = f"({upper} + {lower}) / 2"
        points = [f"{upper} - thin / 2", f"{upper} - thin / 2 - quarter", pin, f"{lower} + thin / 2 + quarter",
                  f"{lower} + thin / 2"]  # fmt: skip
        draft.sheet("trunk", "trace", {"points": [f"{x}, 0, thickness" for x in points],
                                       "width": ["middle", "thin", "thin", "middle"]}, density=_DENSITY)  # fmt: skip
    draft.wire("pin", f"{pin}, 0, 0", f"{pin}, 0, thickness")
    draft.port("feed", "pin", 0)
    draft.case("E", "H")
    return draft.design(values)


def _branches(draft: Draft, rows: int, columns: int) -> str:
    """The lines from pairs of patches to one place on y = 0, whose x is returned: joined along x and y by turns."""

    def x_of(step: float) -> str:
        return f"{step:g} * apart - length / 2 - clear + whole / 2"

    def laid(name: str, points: list[str], widths: list[str]) -> None:
        draft.sheet(name, "trace", {"points": points, "width": widths}, density=_DENSITY)

    # Two rows meet nearer to the upper one by half a wave on either side: where there is room to go on across.
    across = [0.5 * (columns - 1) - 2 * pair - 0.5 for pair in range(columns // 2)]
    along = [0.5 * (rows - 1) - 2 * pair - 0.5 for pair in range(rows // 2)]
    for n, step in enumerate(along):
        x = x_of(step)
        high, low = (f"{step + side:g} * apart - length / 2 - clear" for side in (0.5, -0.5))
        ends = [f"{high} - thin / 2", f"{x} + strip / 2", f"{x} - strip / 2", f"{low} + thin / 2"]
        for m, side in enumerate(across):
            laid(f"pair_{n + 1}_{m + 1}", [f"{at}, {side:g} * pitch, thickness" for at in ends], ["strip"] * 3)
    level, own, stem, quarter = 0, "strip", "strip", "whole / 4"
    while len(across) * len(along) > 1:
        sideways = level % 2 == 0
        joined = across if sideways else along
        middles = [0.5 * (a + b) for a, b in zip(joined[::2], joined[1::2], strict=True)]
        last = len(across) * len(along) == 2
        for n, middle in enumerate(middles):
            places = [f"{k:g} * pitch" if sideways else x_of(k) for k in (*joined[2 * n : 2 * n + 2], middle)]
            one, two, tee = places
            room = [tee] if last else [f"{tee} + middle / 2", f"{tee} - middle / 2"]
            steps = [f"{one} - {own} / 2", f"{one} - {own} / 2 - {quarter}", *room,
                     f"{two} + {own} / 2 + {quarter}", f"{two} + {own} / 2"]  # fmt: skip
            widths = [stem, *["thin"] * (len(room) + 1), stem]
            for m, other in enumerate(along if sideways else across):
                fixed = x_of(other) if sideways else f"{other:g} * pitch"
                points = [f"{fixed}, {at}, thickness" if sideways else f"{at}, {fixed}, thickness" for at in steps]
                laid(f"join_{level + 1}_{n + 1}_{m + 1}", points, widths)
        if sideways:
            across = middles
        else:
            along = middles
        level, own, stem, quarter = level + 1, "thin", "middle", "quarter"
    return x_of(along[0])


def _across(column: float, columns: int) -> str:
    """y of a column."""
    return f"{column - 0.5 * (columns - 1):g} * pitch"


def _run(x0: str, level: int) -> str:
    """x of the lines that join at a level."""
    return f"{x0} - length / 2 - clear" + (f" - {level} * quarter" if level else "")


def _fed_patch(draft: Draft, name: str, x0: str, y0: str) -> None:
    """A patch with a notch either side of where its line joins; the field along x."""
    x, y, inside = f"{x0} - length / 2", f"{y0} + width / 2", f"{x0} - length / 2 + inset"
    low, high, out = "thin / 2", "thin / 2", "thin / 2 + notch"
    corners = [
        (f"{x0} + length / 2", f"{y0} - width / 2"), (f"{x0} + length / 2", y), (x, y), (x, f"{y0} + {out}"),
        (inside, f"{y0} + {out}"), (inside, f"{y0} + {high}"), (inside, f"{y0} - {low}"), (inside, f"{y0} - ({out})"),
        (x, f"{y0} - ({out})"), (x, f"{y0} - width / 2"),
    ]  # fmt: skip
    draft.sheet(f"patch_{name}", "polygon", {"points": [f"{px}, {py}, thickness" for px, py in corners]},
                density=_DENSITY)  # fmt: skip


def _tree(draft: Draft, row: int, level: int, levels: int, columns: int, x0: str, last: str) -> None:
    """The traces of a level, each from one branch before it to the next, with room for a tee in the middle."""
    groups, run = columns >> (level + 1), _run(x0, level)
    size = 1 << level
    stem = last if level == levels - 1 else "middle"
    for group in range(groups):
        one, two = (2 * group * size + 0.5 * (size - 1), (2 * group + 1) * size + 0.5 * (size - 1))
        a, b = _across(one, columns), _across(two, columns)
        tee = f"({a} + {b}) / 2"
        if level == 0:
            start, widths = [f"{x0} - length / 2 + inset"], ["thin"]
        else:
            # The quarter wave of the tee before it, then the line.
            start, widths = [f"{_run(x0, level - 1)} - thin / 2", f"{run} + 2 * thin"], ["middle", "thin"]
        points = [(x, a) for x in start]
        points += [(run, a), (run, f"{tee} - {stem} / 2"), (run, f"{tee} + {stem} / 2"), (run, b)]
        points += [(x, b) for x in reversed(start)]
        every: dict[str, Any] = {"points": [f"{x}, {y}, thickness" for x, y in points],
                                 "width": [*widths, "thin", "thin", "thin", *reversed(widths)]}  # fmt: skip
        draft.sheet(f"tree_{row + 1}_{level + 1}_{group + 1}", "trace", every, density=_DENSITY)
