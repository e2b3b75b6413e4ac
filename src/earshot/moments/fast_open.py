"""The matrix of wires and sheets in the open, over a perfect plane or over earth as an operator.

What is near is held as it is, what is far by few functions of every cluster; feet are a dense border. What is nearly
the matrix is that of potentials that fade within a reach.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..constants import wavenumber
from ..running import in_parallel, report
from .alike import alike_elements
from .basis import Basis
from .bordered import Bordered
from .clusters import Clusters, boxes_of, clusters_of
from .feet_rows import standing
from .iterative import Nearly
from .nested import Meeting, Nested, misfit, nested
from .operator import StagnationError
from .tiles import Tiles

_SHARE, _AROUND = 0.4, 300
"""How far is near: a share of a wavelength, but no farther than so many functions are, mostly."""
_LOOKS = 400
_MISFIT, _LOOKED = 1e-4, 24
"""How far columns of what is made may be off, and how many are looked at."""


@dataclass(frozen=True, eq=False)
class InParts:
    """What is near and far, and what is inside the metal, sparse (functions, functions), if anything."""

    nested: Nested
    local: Any
    told = "; what is far in single precision"

    @property
    def bytes(self) -> int:
        """What it holds."""
        return self.nested.bytes

    def product(self, columns: Complexes) -> Complexes:
        """The matrix times columns (functions, columns)."""
        found = self.nested.product(columns)
        return found if self.local is None else np.asarray(found + self.local @ columns)


def reach_among(low: Floats, high: Floats, frequency: float) -> float:
    """How far is near, m, for functions in boxes from low to high (functions, 3)."""
    from scipy.spatial import cKDTree

    middles = 0.5 * (low + high)
    some = middles[np.unique(np.linspace(0, len(middles) - 1, _LOOKS).astype(int))]
    off, _ = cKDTree(middles).query(some, min(_AROUND, len(middles)))
    return float(min(_SHARE * 2.0 * np.pi / wavenumber(frequency), np.median(off[:, -1])))


class Clustered(NamedTuple):
    """Functions that are held in parts, and those of the border; of the first, places (inner, 3); the reach, m."""

    inner: Ints
    outer: Ints
    places: Floats
    reach: float
    clusters: Clusters


def clustered(basis: Basis, frequency: float) -> Clustered:
    """A basis in clusters."""
    outer = standing(basis)
    inner = np.setdiff1d(np.arange(basis.size), outer)
    low, high = (box[inner] for box in boxes_of(basis))
    reach = reach_among(low, high, frequency)
    return Clustered(inner, outer, 0.5 * (low + high), reach, clusters_of(low, high, reach))


def in_parts(tiles: Tiles, rows: Complexes, local: Any) -> Bordered:
    """The operator; rows (standing, functions): what feet bring beside what wires do.

    Raises StagnationError where it fails.
    """
    basis = tiles.basis
    inner, outer, places, reach, clusters = clustered(basis, tiles.frequency)

    def entries(one: Ints, two: Ints) -> Complexes:
        return np.asarray(tiles.tile(inner[one], inner[two])[0])

    near, faded = _near(tiles, inner, clusters, reach)
    scale = 1.0 / np.sqrt(np.abs(faded.diagonal()))
    looked = np.unique(np.linspace(0, len(inner) - 1, _LOOKED).astype(int))
    for more in (1.0, 2.0, 4.0):
        found = nested(clusters, entries, scale, near, more)
        off = misfit(found, entries, scale, looked)
        if off <= _MISFIT:
            break
    else:
        raise StagnationError(
            f"the matrix of {len(inner)} functions cannot be held by few: {off:.1e} of a column is left out, "
            f"{_MISFIT:.0e} allowed: solve it with --method dense (method='dense') if memory allows"
        )
    inside = None
    if local is not None:
        inside = local[inner][:, inner]
        faded, rows = (faded + inside).tocsr(), rows + local[outer].toarray()
    rows = rows + tiles.tile(outer, np.arange(basis.size))[0]
    own = Nearly(inner, outer, faded, places, rows[:, np.concatenate([inner, outer])])
    level = tiles.plane or tiles.table is not None
    return Bordered(InParts(found, inside), own, alike_elements(basis, level))


def _near(tiles: Tiles, inner: Ints, clusters: Clusters, reach: float) -> tuple[tuple[Meeting, ...], Any]:
    """Parts of the matrix, and sparse (inner, inner) what fades within a reach, m."""
    from scipy.sparse import coo_array

    report(f"what is near: {len(inner)} functions")
    others: dict[int, list[int]] = {}
    for one, two in clusters.near.tolist():
        others.setdefault(one, []).append(two)

    def part(one: int) -> tuple[Meeting, Any]:
        own = clusters.functions(one)
        beyond = [clusters.functions(two) for two in others[one] if two != one]
        columns = np.concatenate([own, *beyond])
        (mine, back), (met, order) = (np.unique(x, return_inverse=True) for x in (own, columns))
        exact, fades = tiles.tile(inner[mine], inner[met], reach)[:, back][:, :, order]
        count = len(own)
        for values in (exact, fades):
            values[:, :count] = 0.5 * (values[:, :count] + values[:, :count].T)
        row, column = np.nonzero(fades)
        return Meeting(own, columns, exact.copy()), (own[row], columns[column], fades[row, column], column >= count)

    found = in_parallel(part, list(others))
    row, column, value, beyond = (np.concatenate(x) for x in zip(*(f[1] for f in found), strict=True))
    # What is between two clusters is given once.
    ends = (np.concatenate([row, column[beyond]]), np.concatenate([column, row[beyond]]))
    size = len(inner)
    faded = coo_array((np.concatenate([value, value[beyond]]), ends), shape=(size, size)).tocsr()
    return tuple(f[0] for f in found), faded
