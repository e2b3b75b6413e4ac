"""An antenna repeated without end: what it is, and whether it can be."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from ..arraytypes import Floats, Ints
from ..checks.check import check
from ..checks.findings import Findings
from ..constants import wavelength
from ..description.antenna import Antenna
from ..description.design import Design, model_of
from ..errors import ModelError, UsageError, needs
from ..lattice import Lattice
from ..lettering import Told
from ..meshing.mesh import MeshRule
from ..moments.cell_basis import CellBasis, cell_basis
from ..moments.formulation import antenna_basis
from ..moments.ports import gap_vectors

_IMAGE = "image of "
_REMEDY = (
    "the copies on the lattice get in one another's way: set its steps farther apart, shrink the antenna, or let metal "
    "that goes on end exactly where its image begins"
)
_MOST_IMAGES = 60


@dataclass(frozen=True, eq=False, repr=False, init=False)
class Cell(Told):
    """An antenna at every place of a lattice, without end.

    In free space, over a perfect plane or earth, printed on a stack or in the air over it. A design stands for its
    antenna. Raises UsageError for anything else.
    """

    antenna: Antenna
    lattice: Lattice

    def __init__(self, antenna: Antenna | Design, lattice: Lattice) -> None:
        given = model_of(antenna, "cell")
        needs(lattice, Lattice, "cell, lattice", "a Lattice, such as rectangular('30 mm')")
        object.__setattr__(self, "antenna", given.antenna if isinstance(given, Design) else given)
        object.__setattr__(self, "lattice", lattice)

    def _in_words(self) -> str:
        return f"'{self.antenna.name}' without end by steps of {self.lattice.words}, in {self.antenna.medium}"


def check_cell(cell: Cell, frequency: float, rule: MeshRule | None = None, *, fed: bool = True) -> Findings:
    """What `check` finds on an antenna, and where its copies in other cells get in its way; frequency: highest, Hz."""
    rule, antenna = rule or MeshRule(), cell.antenna
    found = list(check(antenna, frequency, rule, fed=fed))
    if any(f.level == "stop" for f in found):
        return Findings(found)
    steps = _meeting(antenna, cell.lattice)
    if len(steps):
        joined = antenna
        for n, step in enumerate(steps):
            place = cell.lattice.places(step)
            joined = joined + antenna.prefixed(_IMAGE if len(steps) == 1 else f"{_IMAGE[:-4]} {n + 1} of ").moved(
                (float(place[0]), float(place[1]), 0.0)
            )
        with_images = check(joined, None, rule, fed=fed)
        found += [
            replace(f, remedy=_REMEDY) for f in with_images if f.level == "stop" and _IMAGE[:5] in f"{f.part} {f.says}"
        ]
    return Findings(found)


def _meeting(antenna: Antenna, lattice: Lattice) -> Ints:
    """Steps (n, 2), one way of each pair, to cells whose metal is within the box of this one's."""
    low, high = _box(antenna)
    size = high - low
    steps = lattice.within(float(np.linalg.norm(size)))
    half = steps[(steps[:, 0] > 0) | ((steps[:, 0] == 0) & (steps[:, 1] > 0))]
    off = np.abs(lattice.places(half))
    meeting: Ints = half[(off <= size * (1.0 + 1e-9)).all(axis=1)]
    if len(meeting) > _MOST_IMAGES:
        raise UsageError(
            f"cell of '{antenna.name}': its box of {size[0]:.4g} m by {size[1]:.4g} m holds {len(meeting)} other "
            "cells: the lattice is far too close for it"
        )
    return meeting


def _box(antenna: Antenna) -> tuple[Floats, Floats]:
    places = [w.corners for w in antenna.wires] + [s.surface.bounds for s in antenna.sheets]
    every = np.concatenate(places)[:, :2]
    return every.min(axis=0), every.max(axis=0)


@lru_cache(maxsize=4)
def basis_for(cell: Cell, frequency: float, rule: MeshRule, fed: bool) -> CellBasis:
    """The functions of a cell, meshed for a frequency, Hz; fed: whether it must have a port.

    Raises ModelError with its findings where it cannot be solved.
    """
    findings = check_cell(cell, frequency, rule, fed=fed)
    if findings.stops:
        raise ModelError("\n".join(str(f) for f in findings.stops), findings)
    stack = cell.antenna.medium.stack
    if cell.antenna.medium.sides or (stack is not None and stack.lid):
        raise ModelError(
            f"antenna '{cell.antenna.name}': cells without end are not solved on a plane with two sides or under lids: "
            "have layers on one side of it, or solve an array"
        )
    made = cell_basis(antenna_basis(cell.antenna, wavelength(frequency), rule), cell.lattice)
    printed = [] if stack is None else [bool(stack.carries(s.surface.bounds[:, 2]).all()) for s in cell.antenna.sheets]
    if len(made.reached) > 1 and any(printed) and not all(printed):
        raise ModelError(
            f"antenna '{cell.antenna.name}': metal goes on from cell to cell, some printed and some in the air: "
            "keep it off the cell's edge, or have one of them alone"
        )
    vectors = gap_vectors(cell.antenna, made.own)
    over = np.concatenate([h.cells[1].any(axis=1) for h in (made.on_sheets, made.on_wires) if h is not None])
    at = np.flatnonzero((vectors[over] != 0.0).any(axis=0))
    if len(at):
        gap = cell.antenna.gaps[int(at[0])]
        raise ModelError(f"{gap.what}: it lies where metal goes on into the next cell: move that edge off it")
    return made
