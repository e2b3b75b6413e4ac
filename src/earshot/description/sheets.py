"""A sheet: thin metal in the shape of a surface."""

from __future__ import annotations

from dataclasses import dataclass, replace
from numbers import Integral

from .. import units
from ..arraytypes import Floats
from ..errors import UsageError, needs
from ..media.metals import Metal, metals
from .parts import Length, named
from .surfaces import Surface


@dataclass(frozen=True, slots=True, init=False)
class Sheet:
    """Thin metal in the shape of a surface.

    surface: made by `plate`, `disk`, `box`, `cylinder`, `polygon` and the like. metal: as for a `Wire`; a perfect
    conductor unless given. thickness: of the metal, metres or text; many skin depths unless given. sides: how many of
    its two faces carry the current, 1 for reflectors and closed bodies, 2 for strips and rods in the open, where half
    flows on either. density: how much finer than usual its mesh is. Sheets are joined where their edges meet, and to
    wires that end on them. Raises UsageError and UnitError.

    >>> from earshot.shapes import plate
    >>> Sheet("roof", plate("3 m", "2 m", centre=(0, 0, "2.4 m")), metal="aluminium").surface.sizes
    (3.0, 2.0)
    """

    name: str
    surface: Surface
    metal: Metal | None
    thickness: float | None
    sides: int
    density: float

    def __init__(
        self,
        name: str,
        surface: Surface,
        *,
        metal: Metal | str | None = None,
        thickness: Length | None = None,
        sides: int = 1,
        density: float = 1.0,
    ) -> None:
        place = f"sheet '{named(name, 'sheet')}'"
        if not isinstance(surface, Surface):
            raise UsageError(f"{place}: {surface!r} is not a surface; make one with plate(), disk(), polygon() ...")
        if surface.apart:
            raise UsageError(
                f"{place}: its surface is in {1 + len(surface.apart)} pieces that do not touch: add what joins them, "
                "or make a sheet of each"
            )
        metres = None if thickness is None else units.length(thickness, f"{place}, thickness")
        if metres is not None and not metres > 0.0:
            raise UsageError(f"{place}: thickness {thickness} is not above zero; leave it out for many skin depths")
        if not isinstance(sides, Integral) or sides not in (1, 2):
            raise UsageError(f"{place}: sides = {sides!r} is not 1 or 2")
        if not 0.05 <= units.number(density, f"{place}, density") <= 50.0:
            raise UsageError(f"{place}: density = {density} is outside 0.05 to 50; 1 unless given")
        needs(metal, Metal | str | None, f"{place}, metal", "a metal by name, or a Metal")
        found = metals[metal] if isinstance(metal, str) else metal
        for key, value in (
            ("name", name), ("surface", surface), ("metal", found), ("thickness", metres), ("sides", sides),
            ("density", float(density)),
        ):  # fmt: skip
            object.__setattr__(self, key, value)

    def transformed(self, matrix: Floats, shift: Floats, stretch: float = 1.0) -> Sheet:
        """The sheet with its points mapped by matrix @ p + shift and its thickness multiplied by stretch."""
        return replace(
            self,
            surface=self.surface.transformed(matrix, shift, stretch),
            thickness=None if self.thickness is None else self.thickness * stretch,
        )
