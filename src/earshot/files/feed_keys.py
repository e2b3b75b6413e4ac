"""The keys of a design file that say what lies in front of its antenna: parts, joined at nodes, and what is sent in."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..arraytypes import Floats
from ..description.design import Quantities
from ..description.strip_parts import corner, open_end
from ..description.strips import StripType, strip, strip_pair
from ..errors import DesignFileError, UsageError, unknown
from ..media.stack import Stack
from ..media.surroundings import Medium
from ..network import components, couplers, trees
from ..network.amplifier import amplifier
from ..network.assembly import Circuit, Placed
from ..network.components import Part, in_series, line, stub, to_ground
from ..network.elements import Impedance, LineType, with_q
from ..units import Quantity
from .circuit_keys import line_kind, read_impedance, tables_named
from .feed_schema import CircuitTable, CornerTable, ElementTable, OpenEndTable, PartTable, RunTable, RunToEndTable
from .line_schema import ImpedanceTable
from .sheet_schema import Table
from .texts import Texts
from .touchstone import read_block

_MADE: dict[str, Callable[..., Part]] = {
    "transformer": components.transformer, "balun": couplers.balun, "attenuator": components.attenuator,
    "isolator": components.isolator, "circulator": components.circulator, "phase_shifter": components.phase_shifter,
    "switch": components.switch, "coupler": couplers.coupler, "branch_line": couplers.branch_line,
    "ring": couplers.ring, "coupled_lines": couplers.coupled_lines, "divider": couplers.divider,
    "quarter_wave_divider": couplers.quarter_wave_divider, "unequal_divider": couplers.unequal_divider,
    "tee": couplers.tee, "beam_matrix": couplers.beam_matrix, "hybrid_matrix": trees.hybrid_matrix,
    "divider_tree": trees.divider_tree, "amplifier": amplifier,
}  # fmt: skip
"""By key, what makes a part of the same words."""
_KINDS = {"impedance": "resistance", "balanced_impedance": "resistance", "angle": "angle", "saturated": "power",
          "frequency": "frequency", "error": "angle"}  # fmt: skip
"""What a word is a quantity of, where it is no plain number."""
Reader = Callable[[Any, str, str], float]
"""Reads an amount of a kind, said somewhere."""
_COUNTS = ("bits", "ways", "state", "arms", "elements")
_MOST = 4096
_NUMBER = "#"


@dataclass(frozen=True, slots=True)
class Around:
    """What texts of a circuit may lean on: values, the medium, where an array's elements are (n, 3), metres."""

    names: Quantities
    medium: Medium
    places: Floats | None = None

    def numbered(self, number: int) -> Quantities:
        """Values with the number of a part, and of an array's elements its place; values of such names go before."""
        found = _Seen(self.names)
        own = {"n": Quantity(float(number), "number")}
        if self.places is not None and number <= len(self.places):
            own |= {
                axis: Quantity(float(at), "length")
                for axis, at in zip("xyz", self.places[number - 1].tolist(), strict=True)
            }
        for name, quantity in own.items():
            if name not in found:
                found.setdefault(name, quantity)
        return found


class _Seen(Quantities):
    """Quantities with some more, which tell those they come from what was asked for."""

    def __init__(self, of: Quantities) -> None:
        super().__init__()
        self.of = of
        self.update(of)

    def __getitem__(self, name: str) -> Quantity:
        if name in self.of:
            self.of.used.add(name)
        return super().__getitem__(name)


def read_circuit(texts: Texts, table: CircuitTable, around: Around, ports: Sequence[str]) -> Circuit:
    """The circuit of a file: its ports are the inputs, then those of the antenna that it names.

    ports: all that the antenna has. Raises DesignFileError, UsageError and UnitError for what is wrong with it.
    """
    own: dict[str, Circuit] = {}
    for name, one in table.own.items():
        what = f"circuit.own.{name}"
        own[name] = _within(texts, what, lambda one=one, what=what: Circuit(  # type: ignore[misc]
            _parts(texts, what, one.part, around, own), one.ports))  # fmt: skip
    parts = _parts(texts, "circuit", table.part, around, own)
    used = {node for placed in parts.values() for node in placed.nodes}
    for node in table.inputs:
        if node in ports:
            raise DesignFileError(f"{texts.name}: circuit.inputs: '{node}' is a port of the antenna: rename the node")
    if not table.inputs:
        raise DesignFileError(f"{texts.name}: circuit.inputs: none is given: name a node that power is sent into")
    fed = [port for port in ports if port in used]
    if not fed:
        shown = ", ".join(ports[:6]) + (", ..." if len(ports) > 6 else "")
        raise DesignFileError(f"{texts.name}: circuit: no part is joined to a port of the antenna; they are {shown}")
    return _within(texts, "circuit", lambda: Circuit(parts, [*table.inputs, *fed]))


def _within(texts: Texts, what: str, make: Callable[[], Circuit]) -> Circuit:
    try:
        return make()
    except UsageError as problem:
        if str(problem).startswith(f"{texts.name}: "):
            raise
        raise DesignFileError(f"{texts.name}: {what}: {str(problem).removeprefix('circuit: ')}") from None


def _parts(
    texts: Texts, what: str, table: Mapping[str, PartTable], around: Around, own: Mapping[str, Circuit]
) -> dict[str, Placed]:
    found: dict[str, Placed] = {}
    for name, part in table.items():
        where = f"{what}.part.{name}"
        given = [k for k, v in part if v is not None and k not in ("nodes", "count")]
        if len(given) != 1:
            raise DesignFileError(
                f"{texts.name}: {where}: say what it is by exactly one key, such as line, divider, phase_shifter; "
                f"{len(given) or 'none'} are there"
            )
        for number in _numbers(texts, where, part, around):
            one = _part(texts, where, given[0], getattr(part, given[0]), around, own, number)
            told = name if number is None else _told(name, number)
            nodes = [node if number is None else node.replace(_NUMBER, str(number)) for node in part.nodes]
            if len(nodes) != len(one.ports):
                raise DesignFileError(
                    f"{texts.name}: {where}: it has {len(one.ports)} ports ({', '.join(one.ports)}), but {len(nodes)} "
                    f"nodes ({', '.join(nodes)}): give one each"
                )
            if told in found:
                raise DesignFileError(f"{texts.name}: {where}: there is another part '{told}': rename one")
            found[told] = Placed(one, nodes)
    return found


def _told(name: str, number: int) -> str:
    return name.replace(_NUMBER, str(number)) if _NUMBER in name else f"{name} {number}"


def _numbers(texts: Texts, where: str, part: PartTable, around: Around) -> Sequence[int | None]:
    if part.count is None:
        if any(_NUMBER in node for node in part.nodes):
            raise DesignFileError(f"{texts.name}: {where}.nodes: '#' stands for a number: give a count as well")
        return [None]
    count = part.count
    if isinstance(count, str):
        if count != "elements" or around.places is None:
            raise DesignFileError(
                f"{texts.name}: {where}.count: '{count}' is no number"
                + ("" if count != "elements" else ": the file has no array, which has elements")
            )
        count = len(around.places)
    if not 1 <= count <= _MOST:
        raise DesignFileError(f"{texts.name}: {where}.count: {count} is outside 1 to {_MOST}")
    return range(1, count + 1)


def _part(
    texts: Texts, where: str, kind: str, said: Any, around: Around, own: Mapping[str, Circuit], number: int | None
) -> Part:
    what = f"{where}.{kind}"
    names = around.names if number is None else around.numbered(number)

    def read(value: Any, of: str, place: str) -> float:
        if isinstance(value, list):
            if number is None or len(value) < number:
                raise DesignFileError(
                    f"{texts.name}: {place}: a list of {len(value)} for "
                    f"{'one part: give one, or a count' if number is None else f'part {number}: give one for each'}"
                )
            value = value[number - 1]
        if of == "number" and not isinstance(value, str):
            return float(value)
        return texts.quantity(value, of, place, names)

    if kind == "use":
        if said not in own:
            raise DesignFileError(f"{texts.name}: {what}: {unknown('circuit', said, own)}: it is above in circuit.own")
        return own[said]
    if kind == "file":
        return read_block(texts.file(said))
    if kind in ("in_series", "to_ground"):
        ohms = _element(texts, said, what, read)
        return in_series(ohms) if kind == "in_series" else to_ground(ohms)
    if kind in ("line", "stub"):
        return _line(texts, said, what, read, around.medium)
    if kind == "strip_pair":
        sizes = {name: read(value, "length", f"{what}.{name}") for name, value in said}
        board, hertz = _board(texts, what, around.medium), texts.frequency
        return _made(texts, what, strip_pair, {"stack": board, "frequency": hertz, **sizes})
    if kind in ("corner", "open_end"):
        return _strip_part(texts, said, what, read, around.medium)
    words = _words(said, what, read)
    if "frequency" in type(said).model_fields and kind not in ("divider_tree", "hybrid_matrix"):
        words.setdefault("frequency", texts.frequency)
    if kind == "phase_shifter":
        words |= {name: float(np.degrees(words[name])) for name in ("angle", "error")}
    return _made(texts, what, _MADE[kind], words)


def _board(texts: Texts, what: str, medium: Medium) -> Stack:
    if medium.stack is None:
        raise DesignFileError(f"{texts.name}: {what}: the file has no layers to print it on: add [[layer]]")
    return medium.stack


def _strip(texts: Texts, said: str | float | list[Any], what: str, read: Reader, medium: Medium) -> StripType:
    """A strip of a width on the file's board."""
    assert texts.frequency is not None
    return strip(_board(texts, what, medium), read(said, "length", what), texts.frequency)


def _strip_part(texts: Texts, said: OpenEndTable, what: str, read: Reader, medium: Medium) -> Part:
    """A corner or an open end of a strip on the file's board."""
    kind = _strip(texts, said.strip, f"{what}.strip", read, medium)
    if isinstance(said, CornerTable):
        return _made(texts, what, corner, {"kind": kind, "mitred": said.mitred})
    return _made(texts, what, open_end, {"kind": kind})


def _made(texts: Texts, what: str, make: Callable[..., Part], words: Mapping[str, Any]) -> Part:
    try:
        return make(**words)
    except UsageError as problem:
        raise DesignFileError(f"{texts.name}: {what}: {problem}") from None


def _words(said: Table, what: str, read: Reader) -> dict[str, Any]:
    """What a part is made by; what is not given is left to it."""
    found: dict[str, Any] = {}
    for name, value in said:
        if value is None:
            continue
        if name in ("shares", "isolated"):
            found[name] = value
            continue
        number = read(value, _KINDS.get(name, "number"), f"{what}.{name}")
        whole = name in _COUNTS and float(number).is_integer()
        found[name] = int(number) if whole else number
    return found


def _element(texts: Texts, said: str | ElementTable, what: str, read: Reader) -> Impedance:
    if isinstance(said, str):
        return read_impedance(said, what, read, texts.file)
    plain = ImpedanceTable(**{k: v for k, v in said if k in ImpedanceTable.model_fields})
    found = read_impedance(plain, what, read, texts.file)
    if said.q is None:
        return found
    assert texts.frequency is not None
    try:
        return with_q(found, read(said.q, "number", f"{what}.q"), texts.frequency)
    except UsageError as problem:
        raise DesignFileError(f"{texts.name}: {what}: {problem}") from None


def _line(texts: Texts, said: RunTable, what: str, read: Reader, medium: Medium) -> Part:
    kind, long = run_of(texts, said, what, read, medium)
    if isinstance(said, RunToEndTable):
        end = read_impedance(said.end, f"{what}.end", read, texts.file)
        return _made(texts, what, stub, {"kind": kind, "length": long, "end": end})
    return _made(texts, what, line, {"kind": kind, "length": long})


def run_of(texts: Texts, said: RunTable, what: str, read: Reader, medium: Medium) -> tuple[LineType, float]:
    """What a length of line is, and how long, metres."""
    kind = _run(texts, said, what, read, medium)
    if (said.length is None) == (said.turn is None):
        raise DesignFileError(f"{texts.name}: {what}: give its length or its turn, one of them")
    if said.length is not None:
        return kind, read(said.length, "length", f"{what}.length")
    assert texts.frequency is not None
    return kind, read(said.turn, "angle", f"{what}.turn") / kind.propagation(texts.frequency).imag


def _run(texts: Texts, said: RunTable, what: str, read: Reader, medium: Medium) -> LineType:
    if said.strip is None:
        return line_kind(said, what, read)
    if any(getattr(said, key) is not None for key in ("impedance", "two_wire", "coaxial")):
        raise DesignFileError(f"{texts.name}: {what}: strip, and another kind of line as well: keep one")
    return _strip(texts, said.strip, f"{what}.strip", read, medium)


def files_named(table: CircuitTable) -> list[str]:
    """The files that a circuit names: networks and tables of impedances."""
    found: list[str] = []
    for part in [*table.part.values(), *(p for own in table.own.values() for p in own.part.values())]:
        found += [part.file] if part.file is not None else []
        ends = [x for x in (part.in_series, part.to_ground, part.stub.end if part.stub else None) if x is not None]
        found += [name for end in ends for name in tables_named(end)]
    return found


def settings(said: Mapping[str, str | float | list[str | float]]) -> list[dict[str, str | float]]:
    """What a case sets, one after the other where lists are given: every combination, the last changing fastest."""
    choices = [[(name, v) for v in (value if isinstance(value, list) else [value])] for name, value in said.items()]
    return [dict(some) for some in itertools.product(*choices)]
