"""The keys of a design file that repeat its antenna without end."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..description.design import Quantities
from ..errors import DesignFileError, UsageError
from ..lattice import Lattice, skewed
from .array_schema import LatticeTable
from .texts import Texts

if TYPE_CHECKING:
    from ..arrays.layouts import Layout
    from ..cells.cell import Cell
    from .design_file import DesignFile


def read_lattice(texts: Texts, table: LatticeTable, names: Quantities) -> Lattice:
    """The lattice; raises DesignFileError for steps that span no cell."""
    spacing = texts.quantity(table.spacing, "length", "lattice.spacing", names)
    rows = table.between_rows
    between = spacing if rows is None else texts.quantity(rows, "length", "lattice.between_rows", names)
    try:
        return skewed(spacing, between, texts.degrees(table.skew, "lattice.skew", names))
    except UsageError as problem:
        raise DesignFileError(f"{texts.name}: {problem}") from None


def layout_of(file: DesignFile) -> Layout:
    """Where the elements of a file's array are; raises UsageError for a file without one."""
    from .array_keys import read_array
    from .design_file import FileBuild

    build = file.design.build
    if not isinstance(build, FileBuild) or build.table.array is None:
        raise UsageError(f"design '{file.title}' has no array: add the key 'array' to its file")
    texts = build.texts_at(file.values.frequency or build.frequency)
    return read_array(texts, build.table.array, file.values.quantities)


def cell_of(file: DesignFile) -> Cell:
    """The antenna of a file without end: on its lattice, or else on that of its array's grid or hexagon.

    Raises UsageError where the file says neither, and DesignFileError as reading.
    """
    from ..cells.cell import Cell
    from .design_file import FileBuild, alone

    build, names = file.design.build, file.values.quantities
    table = build.table if isinstance(build, FileBuild) else None
    if table is None or (table.lattice is None and table.array is None):
        raise UsageError(
            f"design '{file.title}' has no lattice: add the table 'lattice' with its spacing, or an 'array' with a grid"
        )
    assert isinstance(build, FileBuild)
    texts = build.texts_at(file.values.frequency or build.frequency)
    single = file.design if table.array is None else alone(file.design)
    if table.lattice is not None:
        return Cell(single.antenna, read_lattice(texts, table.lattice, names))
    layout = layout_of(file)
    if layout.lattice is None or np.linalg.matrix_rank(layout.lattice.steps[:, :2]) < 2:
        raise UsageError(
            f"design '{file.title}': its array lies on no lattice of two steps: give it a grid, or add a 'lattice'"
        )
    return Cell(single.antenna, Lattice(layout.lattice.steps[:, :2]))
