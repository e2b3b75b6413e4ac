"""The keys of a design file that say what to solve and how to drive it: frequencies, bands and cases."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..answers.cases import Case, Cut
from ..answers.frequencies import Band, band
from ..arraytypes import Floats
from ..description.design import Quantities
from ..errors import DesignFileError, UsageError, unknown
from ..fields.near import line_of_points, plane_of_points
from ..media.surroundings import Medium
from ..network.assembly import Circuit
from ..network.feed import Feed
from ..network.receiver import Receiver
from ..network.sources import Source, amperes, volts
from ..network.sources import watts as watts_
from .atomic import told_apart
from .circuit_keys import read_impedance
from .schema import CaseTable, DesignTable, NearTable
from .texts import Texts

_CUT = re.compile(r"^(?:(?P<plane>[EH])|(?P<kind>elevation|azimuth)\s+(?P<angle>.+))$")


def read_frequencies(texts: Texts, table: DesignTable) -> tuple[float | Band, ...]:
    """Single frequencies (Hz), then bands; the file's own frequency when there are none."""
    found: list[float | Band] = []
    for i, text in enumerate(table.frequencies):
        with texts.gathering(f"frequencies, entry {i + 1}"):
            found.append(texts.hertz(text, f"frequencies, entry {i + 1}"))
    for i, b in enumerate(table.band):
        with texts.gathering(f"band, entry {i + 1}"):
            for key, text in (("from", b.from_), ("to", b.to)):
                texts.hertz(text, f"band.{key}")
            found.append(band(b.from_, b.to, b.points, spacing=b.spacing, tolerance=b.tolerance))
    return tuple(found) or (() if texts.frequency is None else (texts.frequency,))


def read_case(
    texts: Texts, table: DesignTable, name: str, medium: Medium, ports: Sequence[str], names: Quantities,
    circuit: Circuit | None = None,
) -> Case:  # fmt: skip
    """A case from its table. ports: the names there are. names: values that amounts, phases and closings may use.

    circuit: what is in front of the antenna, whose inputs may be driven instead of the ports.
    """
    case, what = table.case[name], f"case.{name}"
    inputs = [] if circuit is None else [port for port in circuit.ports if port not in ports]
    driven = {*case.power, *case.voltage, *case.current}
    through = circuit is not None and bool(driven & set(inputs))
    if case.receive is not None:
        if circuit is None or case.receive not in inputs:
            raise DesignFileError(f"{texts.name}: {what}.receive: {unknown('input', case.receive, inputs)}")
        if driven:
            raise DesignFileError(f"{texts.name}: {what}: it receives, and drives '{min(driven)}': keep one")
    if through and driven & set(ports):
        both = min(driven & set(ports))
        raise DesignFileError(
            f"{texts.name}: {what}: '{both}' is a port, but inputs of the circuit are driven: keep one"
        )
    sources = {} if case.receive else _sources(texts, inputs if through else ports, case, what, names)

    def read(text: str | float, kind: str, what: str) -> float:
        return texts.quantity(text, kind, what, names)

    if case.frequency is not None and case.frequencies:
        raise DesignFileError(f"{texts.name}: {what}: frequency and frequencies are both there; keep one")
    given = case.frequencies or [table.frequency if case.frequency is None else case.frequency]
    hertz = tuple(texts.hertz(text, f"{what}.frequency") for text in given)
    ends = {}
    for port, end in case.terminations.items():
        if port not in ports:
            raise DesignFileError(f"{texts.name}: {what}.terminations: {unknown('port', port, ports)}")
        if port in sources:
            raise DesignFileError(f"{texts.name}: {what}.terminations: port '{port}' is driven and closed: keep one")
        ends[port] = read_impedance(end, f"{what}.terminations.{port}", read, texts.file)
    told_apart(case.near, f"{texts.name}: {what}.near: near fields")
    near = {key: _near(texts, near, f"{what}.near.{key}") for key, near in case.near.items()}
    sectors = {
        key: (s.toward, texts.degrees(s.within, f"{what}.sectors.{key}.within")) for key, s in case.sectors.items()
    }
    cuts = tuple(read_cut(texts, text, what, medium) for text in case.cuts)
    if not through and case.receive is None:
        return Case(name, sources, hertz, cuts, ends, near, sectors)
    assert circuit is not None
    assert table.circuit is not None
    reference = texts.quantity(table.circuit.reference, "resistance", "circuit.reference", names)
    try:
        feed: Feed | Receiver = (
            Feed(circuit, sources, reference)
            if case.receive is None
            else Receiver(circuit, case.receive, reference, case.noise_temperature)
        )
    except UsageError as problem:
        raise DesignFileError(f"{texts.name}: {what}: {problem}") from None
    return Case(name, {}, hertz, cuts, ends, near, sectors, feed)


def _sources(texts: Texts, ports: Sequence[str], case: CaseTable, what: str, names: Quantities) -> dict[str, Source]:
    sources: dict[str, Source] = {}
    for kind, drives, make in (
        ("power", case.power, watts_),
        ("voltage", case.voltage, volts),
        ("current", case.current, amperes),
    ):
        for port, amount in drives.items():
            if port not in ports:
                raise DesignFileError(f"{texts.name}: {what}.{kind}: {unknown('port', port, ports)}")
            if port in sources:
                raise DesignFileError(f"{texts.name}: {what}: port '{port}' is driven twice: keep one")
            turn = texts.degrees(case.phase.get(port, 0.0), f"{what}.phase.{port}", names)
            sources[port] = make(texts.quantity(amount, kind, f"{what}.{kind}.{port}", names), turn)
    for port in case.phase:
        if port not in sources:
            raise DesignFileError(f"{texts.name}: {what}.phase: port '{port}' is not driven: drive it, or leave it out")
    if not sources and len(ports) > 1:
        raise DesignFileError(f"{texts.name}: {what} drives no port: add power = {{ {ports[0]} = '1 W' }}")
    return sources


def _near(texts: Texts, table: NearTable, what: str) -> Floats:
    def place(text: str | None, key: str) -> list[float]:
        if text is None:
            raise DesignFileError(f"{texts.name}: {what}.{key} is missing: give from and to, or corner, u and v")
        return texts.point(text, f"{what}.{key}")

    if table.corner is None:
        return line_of_points(place(table.from_, "from"), place(table.to, "to"), table.points)
    return plane_of_points(place(table.corner, "corner"), place(table.u, "u"), place(table.v, "v"), table.counts)


def read_cut(texts: Texts, text: str, what: str, medium: Medium) -> Cut:
    """A cut from its words; raises DesignFileError."""
    match = _CUT.match(text.strip())
    if not match:
        raise DesignFileError(
            f"{texts.name}: {what}.cuts: '{text}' is not a cut; write 'E', 'H', 'elevation 10 deg' or 'azimuth 0 deg'"
        )
    if match["plane"]:
        return Cut(plane=match["plane"])
    angle = texts.degrees(match["angle"], f"{what}.cuts")
    if match["kind"] == "azimuth":
        return Cut(azimuth=angle)
    least = 0.0 if medium.one_sided else -90.0
    if not least - 1e-9 <= angle <= 90.0 + 1e-9:
        raise DesignFileError(f"{texts.name}: {what}.cuts: '{text}' is outside {least:g} to 90 deg of elevation")
    return Cut(elevation=angle)
