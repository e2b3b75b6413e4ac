"""Which way a matrix is solved: all of it made and factorised, or by an operator and iterations; what each takes."""

from __future__ import annotations

from typing import NamedTuple

from ..description.antenna import Antenna
from ..errors import RunError, UsageError
from ..running import free_memory, thread_count
from .alike import LEAST
from .basis import Basis
from .formulation import Parts, formulation
from .iterative import columns_at_once

METHODS = ("auto", "dense", "fast")
_WORTH, _WORTH_IN_PARTS = 4000, 6000
"""Functions from which an operator is the faster: on the metal of a level, and of wires and sheets in the open."""
_PLENTY = 4 * 10**7
"""Bytes for tables of kernels, a pattern and what else does not grow with the unknowns."""
_TRIANGLE, _SEGMENT = 1200, 400
"""Bytes of a mesh and its functions, a triangle and a segment."""
_ENTRY, _LONG_ENTRY, _TABLE, _THROUGH = 2e-8, 1.2e-7, 0.15, 6e-6
"""Seconds, on a machine that does 5e10 operations a second, for an entry of the matrix of wires in closed form, for one
of sheets or of kernels from tables, for a table, and for a pair of triangles through an opening.
"""
_NEAR_BYTES, _NEAR_SECONDS = 400.0, 7e-6
"""Of a pair of triangles that is near: entries, twice while they are added up, and factors."""
_FOOT_SECONDS = 1.5e-5
"""Of a foot and a triangle."""
_HELD, _STEPS, _STEP_SECONDS = 14, 0.63, 5.5e-6
"""Iterates held; iterations, times functions to 0.3; and what one takes of a function and column."""
_NEAR_ENTRY, _FAR_SECONDS, _FAR_BYTES = 2.5e-7, 4e-3, 3.0e4
"""Of a matrix in parts: an entry that is near, and a pair of clusters that are far."""
_FADED_BYTES, _FRONT_BYTES, _FRONT_SECONDS, _READ = 1.2e4, 480.0, 1.5e-7, 4e9
"""What is nearly the matrix: of a function, times functions to 1.36, factors' seconds to 1.8; bytes read a second."""
_OF_WIRES, _BY_TABLE, _STEPS_IN_PARTS = 0.3, 5.0, 40
"""What entries of wires take of those of sheets; of kernels from tables besides; iterations, as large plates have."""
_OF_ALIKE = 16
"""Columns that many ports on elements that are alike take, products among those included."""
_BESIDES = 2 * 10**7
"""Bytes for a grid and what else does not grow with all of that."""


_ROOM = 0.9
"""Of free memory, what a solve may take."""


class Cost(NamedTuple):
    """What a solve at one frequency takes, more or less: bytes, seconds where 5e10 operations are one."""

    bytes: int
    seconds: float


def chosen(antenna: Antenna, basis: Basis, method: str = "auto") -> str:
    """ "dense" or "fast": what was asked for, or what is the faster. Raises UsageError where there is no fast way."""
    if method not in METHODS:
        raise UsageError(f"method {method!r}: there are {', '.join(METHODS)}")
    there = formulation(antenna.medium).taken_on(basis)
    if method == "fast" and not there:
        raise UsageError(
            f"method 'fast': '{antenna.name}' has no metal on its layers, or has it on several levels; there it is for "
            "metal on one: leave it out"
        )
    if method != "auto":
        return method
    return "fast" if there >= (_WORTH if antenna.medium.thickness else _WORTH_IN_PARTS) else "dense"


def cost(antenna: Antenna, basis: Basis, way: str, frequency: float, columns: int = 0) -> Cost:
    """What a solve takes by a way, `columns` of currents kept besides."""
    kept = 16 * columns * basis.size + _TRIANGLE * len(basis.sheet_mesh or ()) + _SEGMENT * len(basis.mesh) + _PLENTY
    alone = _dense(antenna, basis) if way == "dense" else _fast(antenna, basis, frequency)
    return Cost(alone.bytes + kept, alone.seconds)


def _dense(antenna: Antenna, basis: Basis) -> Cost:
    """The complex matrix, factorised in place, with one byte an entry to check it; what every segment and foot sees of
    every triangle (two sets of five numbers), from which it is coupled to the sheets; what earth sends back between
    wires, a matrix a thread; a matrix of up to half as many functions to tell errors by.
    """
    n, tabled = basis.size, antenna.medium.tabled
    seen = _seen(basis) + 64 * len(basis.mesh) * basis.first_wire
    if tabled:
        seen += 16 * (thread_count() + 1) * basis.wires.size**2
    entry = _LONG_ENTRY if tabled or antenna.sheets else _ENTRY
    seconds = 8.0 / 3.0 * n**3 / 5e10 + entry * n**2 + _TABLE * tabled + 0.03
    return Cost(21 * n**2 + seen, seconds + _THROUGH * _through_openings(antenna, basis))


def _through_openings(antenna: Antenna, basis: Basis) -> int:
    """Pairs of triangles that see one another through openings in a plane."""
    mesh = basis.sheet_mesh
    if mesh is None or not antenna.medium.sides:
        return 0
    openings = int((antenna.medium.level_at(mesh.centres[:, 2]) == 0).sum())
    return openings * (len(mesh) - openings)


def _seen(basis: Basis) -> int:
    return 160 * (len(basis.mesh) + len(basis.feet)) * len(basis.sheet_mesh or ())


def _fast(antenna: Antenna, basis: Basis, frequency: float) -> Cost:
    """Entries between what is near, their factors, the grid, the dense border, and iterates."""
    amount = formulation(antenna.medium).amount(basis, frequency)
    if isinstance(amount, Parts):
        return _in_parts(antenna, basis, amount)
    functions, triangles, feet, pairs, alike = amount
    outer, columns, n = basis.size - functions, _columns(antenna, alike), basis.size
    together = columns_at_once(n, columns)
    held = _NEAR_BYTES * pairs + 64.0 * outer * n + 16.0 * _HELD * together * n + 160.0 * min(feet, 16) * triangles
    seconds = _NEAR_SECONDS * pairs + _FOOT_SECONDS * feet * triangles + _STEP_SECONDS * _STEPS * columns * n**1.3
    return Cost(int(held) + _BESIDES, seconds + 1.0)


def _columns(antenna: Antenna, alike: bool) -> int:
    """Ports that are solved for, as good as: where elements are alike, a few tell the others."""
    count = max(1, len(antenna.gaps))
    return min(count, _OF_ALIKE) if alike and count >= LEAST else count


def _in_parts(antenna: Antenna, basis: Basis, parts: Parts) -> Cost:
    """Entries that are near, and those between few functions of clusters that are far; iterates."""
    n, columns = basis.size, _columns(antenna, parts.alike)
    sheets, feet = basis.first_wire / n, len(basis.feet)
    slow = (1.0 + _BY_TABLE * antenna.medium.reflects) * (_OF_WIRES + (1.0 - _OF_WIRES) * sheets)
    kept = 16.0 * parts.near + _FAR_BYTES * parts.far
    fronts = _FRONT_BYTES * n**1.36 * (_OF_WIRES + (1.0 - _OF_WIRES) * sheets)
    held = kept + fronts + _FADED_BYTES * n + 64.0 * feet * n
    held += 16.0 * _STEPS_IN_PARTS * columns_at_once(n, columns) * n
    made = (_NEAR_ENTRY * parts.near + _FAR_SECONDS * parts.far) * slow + _FRONT_SECONDS * n**1.8 * sheets
    step = (kept + 2.0 * fronts) / _READ
    return Cost(int(held) + _BESIDES, made + _STEPS_IN_PARTS * columns * step + 1.0)


def fits(antenna: Antenna, basis: Basis, way: str, frequency: float) -> bool:
    """Whether a solve would fit into the memory that is free."""
    return cost(antenna, basis, way, frequency).bytes <= _ROOM * free_memory()


def refuse_if_too_large(antenna: Antenna, basis: Basis, way: str, frequency: float) -> None:
    """Raise RunError, before anything is allocated, when a solve would not fit into the memory that is free."""
    needed, free = cost(antenna, basis, way, frequency).bytes, free_memory()
    if needed > _ROOM * free:
        other = ""
        if way == "dense" and formulation(antenna.medium).taken_on(basis):
            other = f" (the fast way: {cost(antenna, basis, 'fast', frequency).bytes / 1e9:.1f} GB)"
        raise RunError(
            f"antenna '{antenna.name}' has {basis.size} unknowns and would need {needed / 1e9:.1f} GB{other}; "
            f"{free / 1e9:.1f} GB are free: use fewer segments per wavelength, a lower frequency, or less metal"
        )
