"""The solve: currents for one volt at every port, at every frequency."""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..arraytypes import Complexes, Floats
from ..description.antenna import Antenna
from ..errors import RunError
from ..running import Record
from .basis import Basis
from .factors import keep_factors, kept_factors, let_go
from .fewer import Rough, among_fewer, rough
from .formulation import formulation
from .operator import Dense, Operator, StagnationError
from .ports import gap_vectors
from .sheet_terms import sheet_terms
from .ways import chosen, fits, refuse_if_too_large
from .wire_terms import wire_terms

_log = logging.getLogger("earshot")


@dataclass(frozen=True, slots=True)
class Response:
    """What a solve leaves: coefficients (frequencies, gaps, functions) for 1 V at one gap, the others shorted.

    admittance (frequencies, gaps, gaps), siemens; gaps are ports, loads and terminals, in that order. rough: by
    frequency, Hz, where errors are to be estimated, what fewer functions give. method: how it was asked to be solved.
    """

    antenna: Antenna
    basis: Basis
    frequencies: Floats
    coefficients: Complexes
    admittance: Complexes
    rough: Mapping[float, Rough] = field(default_factory=dict)
    method: str = "auto"


def impedance_operator(antenna: Antenna, basis: Basis, frequency: float, method: str = "auto") -> Operator:
    """The impedance matrix (functions, functions), ohm, with what is inside and round the metal: whole, or in parts.

    Raises UsageError and RunError, before anything is allocated, as `ways` does.
    """
    way = chosen(antenna, basis, method)
    refuse_if_too_large(antenna, basis, way, frequency)
    own, local = formulation(antenna.medium), local_terms(antenna, basis, frequency)
    if way == "fast":
        return own.operator(basis, frequency, local)
    matrix = own.matrix(basis, frequency)
    if local is not None:
        entries = local.tocoo()
        matrix[entries.row, entries.col] += entries.data
    return Dense(matrix)


def local_terms(antenna: Antenna, basis: Basis, frequency: float) -> Any:
    """What is inside and round the metal, sparse (functions, functions), ohm, if anything."""
    from scipy.sparse import block_diag, csr_array

    on_wires, on_sheets = wire_terms(antenna, basis.wires, frequency), sheet_terms(antenna, basis, frequency)
    if on_wires is None and on_sheets is None:
        return None
    first, wires = basis.first_wire, basis.size - basis.first_wire
    none = csr_array((wires, wires)) if on_wires is None else on_wires
    return block_diag([csr_array((first, first)) if on_sheets is None else on_sheets, none], format="csr")


def solved_for(
    antenna: Antenna,
    basis: Basis,
    frequency: float,
    vectors: Complexes,
    record: Record | None = None,
    look: Callable[[Operator], None] = lambda _: None,
    method: str = "auto",
) -> Complexes:
    """Coefficients (functions, columns) for tested fields (functions, columns): one factorisation for all.

    look: is shown the matrix, where it is made and not kept from before, ahead of factors, which may take its place.

    What iterations do not solve is solved dense where `method` leaves the choice and memory allows it. Raises RunError
    when the matrix would not fit into memory, is singular or holds a value that is not finite.
    """
    record = record or Record()
    try:
        return _solved(antenna, basis, frequency, vectors, record, look, method)
    except StagnationError as problem:
        told = f"antenna '{antenna.name}' at {frequency:g} Hz: {problem}"
        if method != "auto" or not fits(antenna, basis, "dense", frequency):
            raise RunError(told) from None
        _log.warning("%s: it is solved so now", told)
        let_go(antenna, basis, frequency)
        return _solved(antenna, basis, frequency, vectors, record, look, "dense")


def _solved(
    antenna: Antenna, basis: Basis, frequency: float, vectors: Complexes, record: Record,
    look: Callable[[Operator], None], method: str,
) -> Complexes:  # fmt: skip
    factors = kept_factors(antenna, basis, frequency)
    if factors is None:
        with record.stage("fill"):
            operator = impedance_operator(antenna, basis, frequency, method)
        record.took("fill", operator.bytes)
        look(operator)
        try:
            with record.stage("factorise"):
                factors = operator.factors()
        except (np.linalg.LinAlgError, ValueError):
            raise RunError(
                f"antenna '{antenna.name}': the matrix at {frequency:g} Hz cannot be solved; run check: wires that "
                "overlap or nearly touch are the usual cause"
            ) from None
        record.took("factorise", factors.bytes)
        keep_factors(antenna, basis, frequency, factors)
    with record.stage("solve", vectors.nbytes):
        coefficients = factors.solve(vectors.astype(complex))
    record.ways[frequency] = factors.way
    if not np.isfinite(coefficients).all():
        raise RunError(f"antenna '{antenna.name}': the currents at {frequency:g} Hz are not finite; run check")
    return coefficients


def respond(
    antenna: Antenna,
    basis: Basis,
    frequency: float,
    record: Record | None = None,
    vectors: Floats | None = None,
    fewer: Any = None,
    method: str = "auto",
) -> tuple[Complexes, Complexes, Rough | None]:
    """Coefficients (gaps, functions) and admittance (gaps, gaps) at one frequency, and what fewer functions give.

    vectors: the gaps' fields, tested, which are the same at every frequency. fewer: the functions, as `fewer_functions`
    gives them, if that is wanted. method: see `ways`. Raises RunError as `solved_for`.
    """
    vectors = gap_vectors(antenna, basis) if vectors is None else vectors
    record, among = record or Record(), None

    def look(operator: Operator) -> None:
        nonlocal among
        with record.stage("estimate errors"):
            among = among_fewer(operator, fewer, vectors)

    shown: dict[str, Any] = {} if fewer is None else {"look": look}
    coefficients = solved_for(antenna, basis, frequency, vectors.astype(complex), record, method=method, **shown)
    admittance = vectors.T @ coefficients
    found = np.ascontiguousarray(coefficients.T)
    return found, 0.5 * (admittance + admittance.T), None if among is None else rough(basis, fewer, found, among)
