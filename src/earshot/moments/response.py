"""The solve: currents for one volt at every port, at every frequency."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..arraytypes import Complexes, Floats
from ..description.antenna import Antenna
from ..errors import RunError
from ..running import Record, free_memory, thread_count
from .basis import Basis
from .factors import keep_factors, kept_factors
from .fewer import Rough, among_fewer, rough
from .formulation import formulation
from .ports import gap_vectors
from .sheet_terms import sheet_terms
from .wire_terms import wire_terms


@dataclass(frozen=True, slots=True)
class Response:
    """What a solve leaves: coefficients (frequencies, gaps, functions) for 1 V at one gap, the others shorted.

    admittance (frequencies, gaps, gaps), siemens; gaps are ports, loads and terminals, in that order. rough: by
    frequency, Hz, where errors are to be estimated, what fewer functions give.
    """

    antenna: Antenna
    basis: Basis
    frequencies: Floats
    coefficients: Complexes
    admittance: Complexes
    rough: Mapping[float, Rough] = field(default_factory=dict)


_PLENTY = 4 * 10**7
"""Bytes for tables of kernels, a pattern and what else does not grow with the unknowns."""
_TRIANGLE, _SEGMENT = 1200, 400
"""Bytes of a mesh and its functions, a triangle and a segment."""


def bytes_for(antenna: Antenna, basis: Basis, solves: int = 1) -> int:
    """What solves at so many frequencies ask for, bytes, more or less.

    The complex matrix, factorised in place, with one byte an entry to check it; what every segment and foot sees of
    every triangle (two sets of five numbers), from which it is coupled to the sheets; what earth sends back between
    wires, a matrix a thread; the mesh; the currents kept; a matrix of up to half as many functions to tell errors by.
    """
    n, segments, triangles = basis.size, len(basis.mesh), len(basis.sheet_mesh or ())
    seen = 160 * (segments + len(basis.feet)) * triangles + 64 * segments * basis.first_wire
    if antenna.medium.tabled:
        seen += 16 * (thread_count() + 1) * basis.wires.size**2
    gaps = len(antenna.gaps)
    return 21 * n**2 + seen + _TRIANGLE * triangles + _SEGMENT * segments + 16 * gaps * n * solves + _PLENTY


def refuse_if_too_large(antenna: Antenna, basis: Basis) -> None:
    """Raise RunError, before anything is allocated, when a solve would not fit into the memory that is free."""
    needed, free = bytes_for(antenna, basis), free_memory()
    if needed > 0.9 * free:
        raise RunError(
            f"antenna '{antenna.name}' has {basis.size} unknowns and would need {needed / 1e9:.1f} GB; "
            f"{free / 1e9:.1f} GB are free: use fewer segments per wavelength, a lower frequency, or less metal"
        )


def impedance_matrix(antenna: Antenna, basis: Basis, frequency: float) -> Complexes:
    """The whole impedance matrix (functions, functions), ohm, with what is inside and round the metal."""
    matrix, first = formulation(antenna.medium).matrix(basis, frequency), basis.first_wire
    for start, local in (
        (first, wire_terms(antenna, basis.wires, frequency)),
        (0, sheet_terms(antenna, basis, frequency)),
    ):
        if local is not None:
            entries = local.tocoo()
            matrix[start + entries.row, start + entries.col] += entries.data
    return matrix


def solved_for(
    antenna: Antenna,
    basis: Basis,
    frequency: float,
    vectors: Complexes,
    record: Record | None = None,
    look: Callable[[Complexes], None] = lambda _: None,
) -> Complexes:
    """Coefficients (functions, columns) for tested fields (functions, columns): one factorisation for all.

    look: is shown the matrix, where it is made and not kept from before, ahead of its factors, which take its place.

    Raises RunError when the matrix would not fit into memory, is singular or holds a value that is not finite.
    """
    from scipy import linalg

    record = record or Record()
    factors = kept_factors(antenna, basis, frequency)
    if factors is None:
        refuse_if_too_large(antenna, basis)
        with record.stage("fill", 16 * basis.size**2):
            matrix = impedance_matrix(antenna, basis, frequency)
        look(matrix)
        try:
            # The matrix is its own transpose; the transposed view is in the order LAPACK wants, so nothing is copied.
            with record.stage("factorise", basis.size**2):
                factors = linalg.lu_factor(matrix.T, overwrite_a=True, check_finite=True)
        except (linalg.LinAlgError, ValueError):
            raise RunError(
                f"antenna '{antenna.name}': the matrix at {frequency:g} Hz cannot be solved; run check: wires that "
                "overlap or nearly touch are the usual cause"
            ) from None
        keep_factors(antenna, basis, frequency, factors)
    with record.stage("solve", vectors.nbytes):
        coefficients = linalg.lu_solve(factors, vectors.astype(complex))
    if not np.isfinite(coefficients).all():
        raise RunError(f"antenna '{antenna.name}': the currents at {frequency:g} Hz are not finite; run check")
    return np.asarray(coefficients)


def respond(
    antenna: Antenna,
    basis: Basis,
    frequency: float,
    record: Record | None = None,
    vectors: Floats | None = None,
    fewer: Any = None,
) -> tuple[Complexes, Complexes, Rough | None]:
    """Coefficients (gaps, functions) and admittance (gaps, gaps) at one frequency, and what fewer functions give.

    vectors: the gaps' fields, tested, which are the same at every frequency. fewer: the functions, as `fewer_functions`
    gives them, if that is wanted. Raises RunError as `solved_for`.
    """
    vectors = gap_vectors(antenna, basis) if vectors is None else vectors
    record, among = record or Record(), None

    def look(matrix: Complexes) -> None:
        nonlocal among
        with record.stage("estimate errors", 16 * fewer.shape[1] ** 2):
            among = among_fewer(matrix, fewer, vectors)

    shown = {} if fewer is None else {"look": look}
    coefficients = solved_for(antenna, basis, frequency, vectors.astype(complex), record, **shown)
    admittance = vectors.T @ coefficients
    found = np.ascontiguousarray(coefficients.T)
    return found, 0.5 * (admittance + admittance.T), None if among is None else rough(basis, fewer, found, among)
