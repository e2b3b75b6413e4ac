"""The keys of a design file that say what is connected to an antenna: loads, terminals, lines, stubs."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ..description.circuit_parts import Line, Stub
from ..errors import DesignFileError
from ..network import elements
from ..network.elements import Impedance, LineType
from .line_schema import ImpedanceTable, LineKindTable, LumpedTable, PairTable
from .reading import KeptText, name_of, need, numbers, read_table
from .schema import LineTable, StubTable

Read = Callable[[str | float, str, str], float]
"""Reads a text as an SI number: (text, kind, place)."""
Find = Callable[[str], Path | KeptText]
"""Finds a file that is named."""


_LUMPED: dict[str, Callable[..., Impedance]] = {
    "series": elements.series,
    "parallel": elements.parallel,
    "trap": elements.trap,
}


_SAMPLE = ("frequency", "resistance", "resistance")


def read_impedance(table: ImpedanceTable | str, what: str, read: Read, find: Find) -> Impedance:
    """An impedance from a table or a word: "open", "short", ohms, samples, lumped elements or a CSV file.

    Raises DesignFileError unless exactly one is given, naming `what`.
    """
    words = {"open": elements.open_circuit, "short": elements.short_circuit}
    if isinstance(table, str):
        joined = None if table in words else elements.parts_of(table)
        if joined is not None:
            return joined[0](**{kind: read(text, kind, what) for kind, text in joined[1].items()})
        return words[table]() if table in words else elements.impedance(read(table, "resistance", what))
    given = {k: v for k, v in table if k in ImpedanceTable.model_fields and v is not None}
    if len(given) != 1:
        raise DesignFileError(
            f"{what}: give exactly one of impedance, table, samples, series, parallel, trap; {len(given)} are there"
        )
    ((kind, value),) = given.items()
    if isinstance(value, str) and value in words:
        return words[value]()
    if kind == "impedance":
        parts = value if isinstance(value, list) else [value]
        if len(parts) > 2:
            raise DesignFileError(
                f"{what}.impedance: {len(parts)} numbers; give resistance, or resistance and reactance"
            )
        return elements.impedance(complex(*(read(p, "resistance", f"{what}.impedance") for p in parts)))
    if kind == "samples":
        rows = [[read(text, k, f"{what}.samples") for text, k in zip(row, _SAMPLE, strict=True)] for row in value]
        return elements.impedance([complex(r, x) for _, r, x in rows], [f for f, _, _ in rows])
    if kind == "table":
        return impedance_file(find(value), what)
    return _LUMPED[kind](**_lumped(value, f"{what}.{kind}", read))


def _lumped(table: LumpedTable, what: str, read: Read) -> dict[str, float]:
    return {k: read(v, k, f"{what}.{k}") for k, v in table if v is not None}


def impedance_file(path: str | Path | KeptText, what: str = "impedance table") -> Impedance:
    """An impedance over frequency from a CSV file with columns frequency_Hz, R_ohm and X_ohm, as Earshot writes them.

    Raises DesignFileError for a file that cannot be read or lacks a column.
    """

    def wrong(says: str) -> DesignFileError:
        return DesignFileError(f"{what}: {says}")

    table, columns = read_table(path, wrong), ("frequency_Hz", "R_ohm", "X_ohm")
    need(table, columns, name_of(path), wrong)
    hertz, ohms, reactance = numbers(table, columns, name_of(path), wrong).values()
    return elements.impedance((ohms + 1j * reactance).tolist(), hertz.tolist())


def tables_named(end: ImpedanceTable | str) -> list[str]:
    """The tables (CSV) that an impedance names."""
    return [end.table] if isinstance(end, ImpedanceTable) and end.table is not None else []


def line_kind(table: LineKindTable, what: str, read: Read) -> LineType:
    """What a line is made of; raises DesignFileError unless that is said in one way."""
    given = [k for k in ("impedance", "two_wire", "coaxial") if getattr(table, k) is not None]
    if len(given) != 1:
        raise DesignFileError(f"{what}: give exactly one of impedance, two_wire, coaxial; {len(given)} are there")
    if table.impedance is not None:
        ohms, velocity = read(table.impedance, "resistance", f"{what}.impedance"), 1.0
    else:
        made = _conductors(table, given[0], what, read)
        ohms, velocity = made.impedance, made.velocity
    at = None if table.attenuation_at is None else read(table.attenuation_at, "frequency", f"{what}.attenuation_at")
    return LineType(ohms, table.velocity or velocity, table.attenuation, at)


def _conductors(table: LineKindTable, kind: str, what: str, read: Read) -> LineType:
    pair: PairTable = getattr(table, kind)
    names = ("spacing", "diameter") if kind == "two_wire" else ("inner", "outer")
    lengths = []
    for name in names:
        value = getattr(pair, name)
        if value is None:
            raise DesignFileError(f"{what}.{kind}.{name} is missing: add it")
        lengths.append(read(value, "length", f"{what}.{kind}.{name}"))
    make = elements.two_wire if kind == "two_wire" else elements.coaxial
    return make(lengths[0], lengths[1], pair.permittivity)


def read_line(name: str, table: LineTable, read: Read) -> Line:
    """A line from its table."""
    what = f"line.{name}"
    length = read(table.length, "length", f"{what}.length")
    return Line(name, table.from_, table.to, line_kind(table, what, read), length, crossed=table.crossed)


def read_stub(name: str, table: StubTable, read: Read, find: Find) -> Stub:
    """A stub from its table."""
    what = f"stub.{name}"
    length = read(table.length, "length", f"{what}.length")
    end = read_impedance(table.end, f"{what}.end", read, find)
    return Stub(name, table.at, line_kind(table, what, read), length, end)
