"""A board in a few words: "4.4, 0.02, 1.6 mm" or "ptfe glass, 0.8 mm"."""

from __future__ import annotations

from .. import units
from ..errors import UnitError, UsageError
from .stack import Dielectric, dielectrics


def read_board(text: str) -> tuple[Dielectric | str | None, str | None]:
    """What a board is made of, a dielectric by name or by its numbers, and its thickness; None for what is not said.

    text: a name, or permittivity and perhaps loss tangent, and a length, with commas between; each may be left out.
    Raises UsageError for more than that, and for a dielectric there is not.
    """
    numbers: list[float] = []
    thickness: list[str] = []
    names: list[str] = []
    for piece in filter(None, (part.strip() for part in text.split(","))):
        try:
            found = units.evaluate(piece, wavelength=1.0)
        except UnitError:
            names.append(piece)
            continue
        if found.kind == "number":
            numbers.append(found.si)
        elif found.kind == "length":
            thickness.append(piece)
        else:
            names.append(piece)
    if (
        not (numbers or thickness or names)
        or len(numbers) > 2
        or len(thickness) > 1
        or len(names) > 1
        or (names and numbers)
    ):
        raise UsageError(
            f"board '{text}': give permittivity, loss tangent and thickness such as '4.4, 0.02, 1.6 mm', or a name and "
            "a thickness such as 'ptfe glass, 0.8 mm'"
        )
    made: Dielectric | str | None = None
    if names:
        made = dielectrics[names[0]].name
    elif numbers:
        told = f"er {numbers[0]:g}" + (f", tan {numbers[1]:g}" if len(numbers) > 1 else "")
        made = Dielectric(told, numbers[0], numbers[1] if len(numbers) > 1 else 0.0)
    return made, thickness[0] if thickness else None
