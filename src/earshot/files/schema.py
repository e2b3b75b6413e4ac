"""What may stand in a design file."""

from __future__ import annotations

import difflib
from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError

from ..errors import DesignFileError

Text = Annotated[str, Field(min_length=1)]


class _Table(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class ValueTable(_Table):
    """A named value with its range and a note."""

    is_: str | float = Field(alias="is")
    from_: str | float | None = Field(None, alias="from")
    to: str | float | None = None
    note: str = ""


class MetalTable(_Table):
    """A metal of the user's own: conductivity in S/m."""

    conductivity: float
    permeability: float = 1.0
    source: str = ""


class JacketTable(_Table):
    """An insulating sleeve."""

    thickness: str | float
    permittivity: float
    loss_tangent: float = 0.0


class WireTable(_Table):
    """A wire: corner points (texts "x, y, z", or a CSV file of them) and a radius."""

    points: list[Text] | Text
    radius: str | float
    metal: Text | None = None
    wall: str | float | None = None
    jacket: JacketTable | None = None


class PortTable(_Table):
    """A port."""

    on: Text
    at: str | float = 0.5
    gap: str | float | None = None
    reference: str | float | list[str | float] = "50 ohm"


class LumpedTable(_Table):
    """R, L and C, in series, in parallel or as a trap."""

    resistance: str | float | None = None
    inductance: str | float | None = None
    capacitance: str | float | None = None


class ImpedanceTable(_Table):
    """One of: ohms, a table in a CSV file, lumped elements."""

    impedance: str | float | list[str | float] | None = None
    table: Text | None = None
    series: LumpedTable | None = None
    parallel: LumpedTable | None = None
    trap: LumpedTable | None = None


class TerminalTable(_Table):
    """A gap for lines alone."""

    on: Text
    at: str | float = 0.5
    gap: str | float | None = None


class LoadTable(ImpedanceTable, TerminalTable):
    """A lumped impedance in a gap."""


class PairTable(_Table):
    """Two round conductors, by two lengths."""

    spacing: str | float | None = None
    diameter: str | float | None = None
    inner: str | float | None = None
    outer: str | float | None = None
    permittivity: float = 1.0


class LineKindTable(_Table):
    """What a line is made of: its impedance, or its conductors. attenuation in dB/m, at attenuation_at if given."""

    impedance: str | float | None = None
    two_wire: PairTable | None = None
    coaxial: PairTable | None = None
    velocity: float | None = None
    attenuation: float = 0.0
    attenuation_at: str | float | None = None
    length: str | float


class LineTable(LineKindTable):
    """A line between two gaps."""

    from_: Text = Field(alias="from")
    to: Text
    crossed: bool = False


class StubTable(LineKindTable):
    """A line from one gap to an end of its own."""

    at: Text
    end: Text | ImpedanceTable = "open"


class BandTable(_Table):
    """A band: where port figures are wanted, and how well it is interpolated."""

    from_: str | float = Field(alias="from")
    to: str | float
    points: int = 101
    spacing: Text = "linear"
    tolerance: float = 1e-3


class NearTable(_Table):
    """Near-field points: along a line (from, to, points), or over a plane (corner, u and v, the sides, and counts)."""

    from_: Text | None = Field(None, alias="from")
    to: Text | None = None
    points: int = 101
    corner: Text | None = None
    u: Text | None = None
    v: Text | None = None
    counts: tuple[int, int] = (41, 41)


class SectorTable(_Table):
    """A sector: within an angle of a direction."""

    toward: tuple[float, float, float]
    within: str | float


class CaseTable(_Table):
    """One way to drive the ports, where, and which cuts to take."""

    power: dict[str, str | float] = {}
    voltage: dict[str, str | float] = {}
    current: dict[str, str | float] = {}
    frequency: str | float | None = None
    frequencies: list[str | float] = []
    terminations: dict[str, Text | ImpedanceTable] = {}
    cuts: list[Text] = []
    near: dict[str, NearTable] = {}
    sectors: dict[str, SectorTable] = {}


def _several(value: Any) -> Any:
    """One table where several may stand."""
    return [value] if isinstance(value, dict) else value


class DesignTable(_Table):
    """The whole file."""

    title: Text
    frequency: str | float
    medium: Text = "free space"
    metal: Text | None = None
    metals: dict[str, MetalTable] = {}
    values: dict[str, str | float | ValueTable] = {}
    wire: dict[str, WireTable]
    port: dict[str, PortTable]
    load: dict[str, LoadTable] = {}
    terminal: dict[str, TerminalTable] = {}
    line: dict[str, LineTable] = {}
    stub: dict[str, StubTable] = {}
    band: Annotated[list[BandTable], BeforeValidator(_several)] = []
    frequencies: list[str | float] = []
    case: dict[str, CaseTable] = {}


_TABLES: dict[str, type[BaseModel]] = {
    "values": ValueTable,
    "wire": WireTable,
    "port": PortTable,
    "metals": MetalTable,
    "load": LoadTable,
    "terminal": TerminalTable,
    "line": LineTable,
    "stub": StubTable,
    "band": BandTable,
    "case": CaseTable,
}


def _known_keys(place: tuple[Any, ...]) -> list[str]:
    """The keys that may stand where a wrong one was found."""
    words = [p for p in place if isinstance(p, str)]
    table = _TABLES[words[0]] if len(words) > 1 and words[0] in _TABLES else DesignTable
    return [field.alias or name for name, field in table.model_fields.items()]


def _where(place: tuple[Any, ...]) -> str:
    if place[:2] == ("band", 0):
        place = ("band", *place[2:])
    return ".".join(
        str(p)
        for p in place
        if not str(p).startswith(("str", "float", "list[", "constrained")) and not str(p).endswith("Table")
    )


def _explain(problem: Any) -> str:
    place = _where(problem["loc"])
    if problem["type"] == "missing":
        return f"{place} is missing: add it"
    if problem["type"] == "extra_forbidden":
        word = str(problem["loc"][-1])
        known = _known_keys(problem["loc"])
        close = difflib.get_close_matches(word, known, n=1)
        hint = f"; did you mean '{close[0]}'?" if close else f"; the keys here are {', '.join(known)}"
        return f"{place} is not a key of a design file{hint}"
    return f"{place}: {problem['msg'].lower()}, not {problem['input']!r}"


def parsed(content: dict[str, Any], name: str) -> DesignTable:
    """Check the content of a design file; raises DesignFileError naming the place and the cure of every fault."""
    try:
        return DesignTable.model_validate(content)
    except ValidationError as problem:
        faults = dict.fromkeys(_explain(e) for e in problem.errors())
        raise DesignFileError("\n".join(f"{name}: {fault}" for fault in faults)) from None
