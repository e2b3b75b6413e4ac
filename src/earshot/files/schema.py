"""What may stand in a design file."""

from __future__ import annotations

import difflib
import reprlib
from typing import Annotated, Any, TypeVar, get_args

from pydantic import BaseModel, BeforeValidator, Field, ValidationError

from ..errors import DesignFileError
from .array_schema import ArrayTable, LatticeTable
from .feed_schema import CircuitTable
from .line_schema import ImpedanceTable, LineKindTable
from .sheet_schema import SheetTable, Table, Text
from .study_schema import StudyTable
from .texts import Fault


class ValueTable(Table):
    """A named value with its range and a note. A bare text or number is short for one with `is` alone."""

    is_: str | float = Field(alias="is")
    """A quantity with a unit ("0.96 m", "60 mil", "0.25 lambda"), a number, or arithmetic with values before it."""
    from_: str | float | None = Field(None, alias="from")
    """Least it may be."""
    to: str | float | None = None
    """Greatest it may be."""
    note: str = ""
    """What it is, for people."""


class MetalTable(Table):
    """A metal of the user's own."""

    conductivity: float
    """In S/m."""
    permeability: float = 1.0
    """Relative."""
    source: str = ""
    """Where the figures are from."""


class DielectricTable(Table):
    """A dielectric of the user's own."""

    permittivity: float | str
    """Relative."""
    loss_tangent: float | str = 0.0
    """tan δ."""
    permeability: float = 1.0
    """Relative."""
    source: str = ""
    """Where the figures are from."""


class EarthTable(Table):
    """Earth of the user's own."""

    permittivity: float | str
    """Relative."""
    conductivity: float | str
    """A number of S/m."""
    source: str = ""
    """Where the figures are from."""


class LayerTable(Table):
    """A layer on a conducting plane at z = 0; they are given from the bottom up, with air above."""

    thickness: str | float
    """Of the layer."""
    of: Text
    """A dielectric by name, such as "ptfe glass", or one of `dielectrics`."""
    printed: bool = False
    """Whether lines of strips lie on this layer; on the topmost unless given. Sheets lie wherever they are drawn."""
    name: Text | None = None
    """What its face away from the plane is called: in arithmetic, the height of that face, such as in
    centre = "0, 0, top"."""
    lid: bool = False
    """Whether a plane lies on that face as well, of the same metal: of the last layer of a side, which is shut then."""


class JacketTable(Table):
    """An insulating sleeve."""

    thickness: str | float
    """Of the sleeve, beyond the metal."""
    permittivity: float
    """Relative."""
    loss_tangent: float = 0.0
    """Of the sleeve's material."""


class CircleTable(Table):
    """Round a circle, as a polygon of its area."""

    diameter: str | float
    """Of the circle."""
    centre: Text = "0, 0, 0"
    """Its middle, "x, y, z"."""
    axis: Text = "z"
    """The circle is square to "x", "y" or "z"."""
    start: str | float = "0 deg"
    """Where the wire begins, counted about the axis."""
    chords: int = 49
    """Sides of the polygon; an odd number puts the middle of the wire in the middle of a side."""


class HelixTable(Table):
    """Up a helix about an upright axis, as a polygon of its length."""

    diameter: str | float
    """Of the helix, middle to middle of the wire."""
    rise: str | float
    """Of one turn."""
    turns: str | float
    """How many; need not be whole."""
    base: Text = "0, 0, 0"
    """Where the axis begins, "x, y, z"."""
    start: str | float = "0 deg"
    """Where the wire begins, from x towards y."""
    hand: Text = "right"
    """Going up, a "right" or "left" hand screw."""
    lead: str | float = "0 m"
    """Length of a straight upright piece below the beginning."""
    chords: int = 24
    """Sides of the polygon in a turn."""


class WireTable(Table):
    """A round wire: its radius, and one of `points`, `circle` and `helix`. Wires that share a point are joined."""

    points: list[Text] | Text | None = None
    """Corners, each "x, y, z", or the name of a CSV file that begins with a line like "x (mm), y (mm), z (mm)"."""
    circle: CircleTable | None = None
    """Round a circle instead."""
    helix: HelixTable | None = None
    """Up a helix instead."""
    radius: str | float
    """Of the metal."""
    metal: Text | None = None
    """A metal by name, such as "copper", or one of `metals`; the file's own `metal` unless given."""
    wall: str | float | None = None
    """Thickness of a tube's wall; solid unless given."""
    jacket: JacketTable | None = None
    """An insulating sleeve."""


class PortTable(Table):
    """A pair of terminals in a gap of a wire, or of a sheet."""

    on: Text
    """The wire or sheet."""
    at: str | float = 0.5
    """The middle of the gap: a share of the wire's length, or a distance from its first point; on a sheet "x, y, z"."""
    across: Text | tuple[float, float, float] | None = None
    """On a sheet, which way the field in the gap points: "x", "y", "z" or a direction [x, y, z]."""
    gap: str | float | None = None
    """Width of the gap; on a wire six radii unless given, on a sheet none: the edges at that place."""
    reference: str | float | list[str | float] = "50 ohm"
    """Reference impedance, or resistance and reactance."""


class TerminalTable(Table):
    """A gap that lines and stubs are joined to."""

    on: Text
    """The wire or sheet."""
    at: str | float = 0.5
    """As for a port."""
    across: Text | tuple[float, float, float] | None = None
    """As for a port."""
    gap: str | float | None = None
    """As for a port."""


class LoadTable(ImpedanceTable, TerminalTable):
    """A lumped impedance in a gap of a wire."""


class LineTable(LineKindTable):
    """A transmission line between two gaps; its own field is left out."""

    from_: Text = Field(alias="from")
    """A port, terminal or load."""
    to: Text
    """Another one."""
    crossed: bool = False
    """Whether its conductors swap on the way."""


class StubTable(LineKindTable):
    """A line from one gap to an end of its own."""

    at: Text
    """A port, terminal or load."""
    end: Text | ImpedanceTable = "open"
    """The words "open" or "short", ohms, parts such as "68 ohm + 22 nH" or "1 kohm || 2 pF", or an impedance."""


class BandTable(Table):
    """A band: where port figures are wanted. It is solved where it needs to be, and interpolated between."""

    from_: str | float = Field(alias="from")
    """Lowest frequency."""
    to: str | float
    """Highest frequency."""
    points: int = 101
    """How many, both ends included."""
    spacing: Text = "linear"
    """Even in frequency, "linear", or in its logarithm, "logarithmic"."""
    tolerance: float = 1e-3
    """Of the interpolated scattering matrix; 0 solves every point."""


class NearTable(Table):
    """Points of a near field: on a line (`from`, `to`, `points`) or a plane (`corner`, `u`, `v`, `counts`)."""

    from_: Text | None = Field(None, alias="from")
    """First point, "x, y, z"."""
    to: Text | None = None
    """Last point."""
    points: int = 101
    """How many."""
    corner: Text | None = None
    """A corner of the plane."""
    u: Text | None = None
    """One side of it, as a vector "x, y, z"."""
    v: Text | None = None
    """The other side."""
    counts: tuple[int, int] = (41, 41)
    """Points along each side."""


class SectorTable(Table):
    """A sector, within an angle of a direction."""

    toward: tuple[float, float, float]
    """The direction [x, y, z]."""
    within: str | float
    """The angle."""


class CaseTable(Table):
    """One way to drive the ports, or inputs of the circuit, and what to take from it."""

    power: dict[str, str | float] = {}
    """By port, or by input: available power of a generator of its reference."""
    set: dict[str, str | float | list[str | float]] = {}
    """Values that are other ones in this case; of the circuit and the drive alone. A list makes a case of each."""
    receive: Text | None = None
    """Instead of driving anything: the input of the circuit that is listened at."""
    noise_temperature: float = 290.0
    """Of all that the antenna sees as it listens, kelvin."""
    voltage: dict[str, str | float] = {}
    """By port: peak volts."""
    current: dict[str, str | float] = {}
    """By port: peak amperes."""
    phase: dict[str, str | float] = {}
    """By port: phase of what drives it, "-90 deg"; 0 unless given."""
    frequency: str | float | None = None
    """Where; the file's frequency unless given."""
    frequencies: list[str | float] = []
    """Several of them."""
    terminations: dict[str, Text | ImpedanceTable] = {}
    """By port: what closes it when it is not driven; its reference unless given."""
    cuts: list[Text] = []
    """Cuts to take: "E", "H", "elevation 10 deg", "azimuth 0 deg"."""
    near: dict[str, NearTable] = {}
    """Near fields, by name."""
    sectors: dict[str, SectorTable] = {}
    """Sectors whose least, mean and greatest gain are wanted, by name."""


def _several(value: Any) -> Any:
    """One table where several may stand."""
    return [value] if isinstance(value, dict) else value


class DesignTable(Table):
    """A design file."""

    title: Text
    """What the antenna is called."""
    frequency: str | float
    """Where "lambda" is measured, and what is solved when nothing else is asked."""
    height: str | float = 0.0
    """How far all metal is moved up from where it is drawn, and over what the medium has below."""
    scale: str | float = 1.0
    """How many times as large all metal is as it is drawn, before it is held and moved up; layers stay."""
    roll: str | float = 0.0
    """How far all metal is rolled about the x axis it is drawn along, from y towards z, before it is tilted. Of an
    array, roll, tilt and azimuth turn each element where it stands."""
    tilt: str | float = 0.0
    """How far what is drawn towards +x is then tilted up."""
    azimuth: str | float = 0.0
    """Where what is drawn towards +x is then turned to, about the z axis."""
    medium: Text = "free space"
    """What it stands in: "free space"; "perfect plane", which lies at z = 0; or what lies below z = 0, of `earths` or
    by name: "dry sand", "rock", "city", "meadow", "farmland", "marsh", "fresh water", "sea", "ice". Leave it out when
    there are layers."""
    earths: dict[str, EarthTable] = {}
    """Kinds of earth of the user's own, by name."""
    layer: Annotated[list[LayerTable], BeforeValidator(_several)] = []
    """Layers on a plane at z = 0, from the bottom up: what patches are printed on, and wires and sheets may be over."""
    under: Annotated[list[LayerTable], BeforeValidator(_several)] = []
    """Layers under the plane, from it downwards, with air beyond: fields are on both sides of it then, and a sheet at
    z = 0 is an opening in it, through which they see each other. What is named of them is their lower face."""
    plane: Text | None = None
    """The metal of the plane under the layers; a perfect conductor when left out. "none": no plane, but air below."""
    dielectrics: dict[str, DielectricTable] = {}
    """Dielectrics of the user's own, by name."""
    metal: Text | None = None
    """The metal of every wire and sheet that names none; a perfect conductor when left out."""
    metals: dict[str, MetalTable] = {}
    """Metals of the user's own, by name."""
    values: dict[str, str | float | ValueTable] = {}
    """Values that the texts below may use, by name."""
    dimensions: dict[str, tuple[Text, Text]] = {}
    """By value: the two points "x, y, z" that a drawing of the geometry shows it between."""
    wire: dict[str, WireTable] = {}
    """Wires, by name."""
    sheet: dict[str, SheetTable] = {}
    """Sheets, by name."""
    port: dict[str, PortTable] = {}
    """Ports, by name; at least one of an antenna."""
    lattice: LatticeTable | None = None
    """Steps of an array of it without end, for `earshot cell`; those of `array.grid` unless given. It needs no port."""
    array: ArrayTable | None = None
    """The antenna repeated over a layout, solved with all coupling, and the beams it is to make."""
    load: dict[str, LoadTable] = {}
    """Lumped loads, by name."""
    terminal: dict[str, TerminalTable] = {}
    """Terminals, by name."""
    line: dict[str, LineTable] = {}
    """Lines, by name."""
    stub: dict[str, StubTable] = {}
    """Stubs, by name."""
    circuit: CircuitTable | None = None
    """What lies between the antenna's ports and the inputs that cases send power into."""
    band: Annotated[list[BandTable], BeforeValidator(_several)] = []
    """A band, or several."""
    frequencies: list[str | float] = []
    """Single frequencies to solve."""
    case: dict[str, CaseTable] = {}
    """Ways to drive it, by name; a lone port needs none."""
    study: dict[str, StudyTable] = {}
    """Questions that take many solves, by name; `earshot study` answers them."""

    @property
    def pattern_only(self) -> bool:
        """Whether there is no metal: an array of elements whose pattern alone is known."""
        return self.array is not None and self.array.element is not None and not (self.wire or self.sheet)


def _tables_at(table: Any, place: tuple[Any, ...]) -> type[BaseModel]:
    """The kind of table that stands at a place in a table, followed through the types of the fields."""
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


def _explain(problem: Any, model: type[BaseModel], kind: str) -> str:
    place = _where(problem["loc"])
    if problem["type"] == "missing":
        return f"{place} is missing: add it"
    if problem["type"] == "extra_forbidden":
        word = str(problem["loc"][-1])
        known = [field.alias or name for name, field in _tables_at(model, problem["loc"][:-1]).model_fields.items()]
        close = difflib.get_close_matches(word, known, n=1)
        hint = f"; did you mean '{close[0]}'?" if close else f"; the keys here are {', '.join(known)}"
        return f"{place} is not a key of a {kind}{hint}"
    return f"{place}: {problem['msg'].lower()}, not {reprlib.repr(problem['input'])}"


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
                here[last] = {} if last == "wire" else "?"
    return mended


DEEPEST = 8
"""Tables and lists that may lie in one another."""
MOST_ENTRIES = 200_000
"""Keys and list entries of a file."""


def _look_over(content: Any, name: str) -> None:
    """Raise DesignFileError for content that is deeper, longer or greater than any design is."""
    waiting, entries = [(content, 0)], 0
    while waiting:
        thing, depth = waiting.pop()
        if isinstance(thing, int) and not isinstance(thing, bool) and abs(thing) >= 2**63:
            raise DesignFileError(f"{name}: a number has {len(f'{abs(thing):x}') * 1.2:.0f} digits; use fewer")
        if not isinstance(thing, dict | list):
            continue
        entries += len(thing)
        if depth >= DEEPEST or entries > MOST_ENTRIES:
            what = f"its tables lie more than {DEEPEST} deep" if depth >= DEEPEST else f"over {MOST_ENTRIES:,} entries"
            raise DesignFileError(f"{name} is not a design file: {what}")
        waiting += [(one, depth + 1) for one in (thing.values() if isinstance(thing, dict) else thing)]


def parsed(content: dict[str, Any], name: str) -> tuple[DesignTable, list[Fault]]:
    """The content of a design file, and what is wrong with it; see `as_table`."""
    return as_table(content, name, DesignTable, "design file")


Whole = TypeVar("Whole", bound=Table)


def as_table(content: dict[str, Any], name: str, model: type[Whole], kind: str) -> tuple[Whole, list[Fault]]:
    """The content of a file of some kind, and what is wrong with it.

    What is at fault is left out of the table. Raises DesignFileError when too little is left to go on reading.
    """
    _look_over(content, name)
    try:
        return model.model_validate(content), []
    except ValidationError as problem:
        wrong = problem.errors()
    # Where one of several kinds may stand, each kind complains: the first will do.
    by_place = {_where(e["loc"]): f"{name}: {_explain(e, model, kind)}" for e in reversed(wrong)}
    faults = [Fault(place, says) for place, says in reversed(by_place.items())]
    try:
        return model.model_validate(_without_faults(content, wrong)), faults
    except ValidationError:
        raise DesignFileError("\n".join(fault.says for fault in faults)) from None
