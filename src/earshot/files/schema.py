"""What may stand in a design file."""

from __future__ import annotations

import difflib
from typing import Annotated, Any, get_args

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


class CircleTable(_Table):
    """Round a circle, as a polygon of its area: see `circle_points`."""

    diameter: str | float
    centre: Text = "0, 0, 0"
    axis: Text = "z"
    start: str | float = "0 deg"
    chords: int = 49


class HelixTable(_Table):
    """Up a helix about an upright axis, as a polygon of its length: see `helix_points`."""

    diameter: str | float
    rise: str | float
    turns: str | float
    base: Text = "0, 0, 0"
    start: str | float = "0 deg"
    hand: Text = "right"
    lead: str | float = "0 m"
    chords: int = 24


class WireTable(_Table):
    """A wire: where it runs and its radius."""

    points: list[Text] | Text | None = None
    circle: CircleTable | None = None
    helix: HelixTable | None = None
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
    """One of: ohms, "open" or "short"; a table in a CSV file; samples [frequency, R, X]; lumped elements."""

    impedance: str | float | list[str | float] | None = None
    table: Text | None = None
    samples: list[tuple[str | float, str | float, str | float]] | None = None
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
    dimensions: dict[str, tuple[Text, Text]] = {}
    wire: dict[str, WireTable]
    port: dict[str, PortTable]
    load: dict[str, LoadTable] = {}
    terminal: dict[str, TerminalTable] = {}
    line: dict[str, LineTable] = {}
    stub: dict[str, StubTable] = {}
    band: Annotated[list[BandTable], BeforeValidator(_several)] = []
    frequencies: list[str | float] = []
    case: dict[str, CaseTable] = {}


def _tables_at(place: tuple[Any, ...]) -> type[BaseModel]:
    """The kind of table that stands at a place in the file, followed through the types of the fields."""
    table: Any = DesignTable
    for word in place:
        fields = {field.alias or name: field for name, field in table.model_fields.items()}
        if word in fields:
            found = _model_in(fields[word].annotation)
            table = found or table
    return table  # type: ignore[no-any-return]


def _model_in(annotation: Any) -> type[BaseModel] | None:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    return next((m for m in map(_model_in, get_args(annotation)) if m), None)


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
        known = [field.alias or name for name, field in _tables_at(problem["loc"][:-1]).model_fields.items()]
        close = difflib.get_close_matches(word, known, n=1)
        hint = f"; did you mean '{close[0]}'?" if close else f"; the keys here are {', '.join(known)}"
        return f"{place} is not a key of a design file{hint}"
    return f"{place}: {problem['msg'].lower()}, not {problem['input']!r}"


def _without_faults(content: dict[str, Any], problems: list[Any]) -> dict[str, Any]:
    """The content less what is wrong, with a stand-in for what is missing, so that the rest can be looked at too."""
    import copy

    mended = copy.deepcopy(content)
    for problem in problems:
        *path, last = [p for p in problem["loc"] if not str(p).endswith("Table")]
        here: Any = mended
        for step in path:
            here = here.get(step) if isinstance(here, dict) else None
        if isinstance(here, dict):
            here.pop(last, None)
            if problem["type"] == "missing":
                here[last] = {} if last in ("wire", "port") else "?"
    return mended


def parsed(content: dict[str, Any], name: str) -> tuple[DesignTable, dict[str, str]]:
    """The content of a design file, and what is wrong with it: a complaint, with place and cure, by place.

    What is at fault is left out of the table. Raises DesignFileError when too little is left to go on reading.
    """
    try:
        return DesignTable.model_validate(content), {}
    except ValidationError as problem:
        wrong = problem.errors()
    faults = {_where(e["loc"]): f"{name}: {_explain(e)}" for e in reversed(wrong)}
    faults = dict(reversed(faults.items()))
    try:
        return DesignTable.model_validate(_without_faults(content, wrong)), faults
    except ValidationError:
        raise DesignFileError("\n".join(faults.values())) from None
