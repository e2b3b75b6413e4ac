"""What earth below wires adds to their matrix."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike

from ..arraytypes import Complexes, Floats, Ints
from ..constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT, wavenumber
from ..media.earth_table import EarthTable, earth_table
from ..media.half_space import Below
from ..running import announce, in_threads, thread_count
from .basis import Basis
from .wire_basis import WireBasis

_ROWS = 64
_RULES = (1, 2, 3, 4, 6, 10, 16, 32)


def add_earth(basis: WireBasis, table: EarthTable, frequency: float, matrix: Complexes) -> None:
    """Add the whole of it, symmetric as it is, to a matrix (functions, functions), ohm."""
    upper = _gathered(basis, table, frequency, whole=False)
    matrix += upper
    matrix += upper.T


def earth_block(basis: Basis, earth: Below, frequency: float, rows: ArrayLike, columns: ArrayLike) -> Complexes:
    """Entries (rows, columns) between functions of wires, ohm, each as it stands: nothing is mirrored."""
    whole = _gathered(basis.wires, table_for(basis, earth, wavenumber(frequency)), frequency, whole=True)
    return np.asarray(whole[np.ix_(np.asarray(rows), np.asarray(columns))])


def table_for(basis: Basis, below: Below, wavenumber: float) -> EarthTable:
    """The kernels of what is below z = 0 for the extent of all metal."""
    places = np.concatenate([
        basis.mesh.nodes[np.unique(basis.mesh.ends)],
        *(m.vertices[np.unique(m.triangles)] for m in (basis.sheet_mesh,) if m is not None),
    ])  # fmt: skip
    low, high = places.min(axis=0), places.max(axis=0)
    across = float(np.linalg.norm((high - low)[:2]))
    return _table(below, wavenumber, across, 2.0 * float(low[2]), 2.0 * float(high[2]))


@lru_cache(maxsize=4)
def _table(below: Below, wavenumber: float, rho: float, low: float, high: float) -> EarthTable:
    return earth_table(
        below, wavenumber, (0.0, rho), (low, high), shares=thread_count(), side_by_side=in_threads
    )  # fmt: skip


def _gathered(basis: WireBasis, table: EarthTable, frequency: float, whole: bool) -> Complexes:
    from ..kernels.earth import earth_rows

    announce(earth_rows)
    segments, n, ends = basis.mesh.columns, len(basis.mesh), basis.ends
    omega = 2.0 * math.pi * frequency
    flow, charge = omega * MAGNETIC_CONSTANT / (4.0 * math.pi), 1.0 / (4.0 * math.pi * omega * ELECTRIC_CONSTANT)
    rules, sizes = rules_of_earth()
    # Later rows have fewer pairs, so spans are dealt out in turn; each thread adds to a matrix of its own, since a
    # function has halves in two spans.
    spans = [(i, min(i + _ROWS, n)) for i in range(0, n, _ROWS)]

    def work(own: int) -> None:
        found = np.zeros((basis.size, basis.size), np.complex128)
        for first, last in spans[own :: thread_count()]:
            earth_rows(segments, first, last, whole, rules, sizes, table.wavenumber, table.grid, table.weights, flow,
                       charge, ends.indptr, ends.indices, ends.data, found)  # fmt: skip
        parts.append(found)

    parts: list[Complexes] = []
    in_threads(work, range(min(thread_count(), len(spans))))
    return np.asarray(sum(parts))


@lru_cache(maxsize=1)
def rules_of_earth() -> tuple[Floats, Ints]:
    """Gauss rules (kinds, 2, most) on 0 to 1, nodes and weights, and how many of each (kinds,)."""
    rules = np.zeros((len(_RULES), 2, max(_RULES)))
    for i, count in enumerate(_RULES):
        x, w = np.polynomial.legendre.leggauss(count)
        rules[i, 0, :count], rules[i, 1, :count] = (x + 1.0) / 2.0, w / 2.0
    return rules, np.array(_RULES)
