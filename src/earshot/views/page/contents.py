"""What a page holds of every model: curves, fields, currents and words, reduced with a word on by how much."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ... import units
from ...answers.driven import Driven
from ...arraytypes import Floats
from ...errors import EarshotError
from ...fields.currents import Currents
from ...files.tables import plain, records
from ...lettering import visible
from ...network.feed import Feed
from ...network.network import Network
from ...network.receiver import Receiver
from ...network.sources import volts, watts
from ...network.trace import Trace
from ...running import report
from ...runs.run import CaseRun
from ..near_places import near_maps
from .metal import bytes_of, currents_of, metal_of
from .packing import Packed
from .sphere import ENOUGH, Grid, grid_for, powers, sampled
from .subject import Measured, Subject, Table
from .tapers import tapers_over

MOST_STOPS = 41
"""Frequencies at which a model has fields and currents."""
_FIELDS, _CURRENTS = 4_600_000, 2_400_000
"""Bytes that fields and currents of all models may take, before they are packed."""
_BYTES = 8
"""Of a field in one direction: two polarisations, each a complex number of two bytes a part."""
_CURVES = 2_000_000
"""Bytes of admittances."""
_MOST_NEAR = 6
"""Models of one page that have near fields."""
_NEAR_UNKNOWNS = 3000
"""Unknowns above which near fields that no case names are left out."""


@dataclass(frozen=True, slots=True)
class Share:
    """What a model may take of the page, bytes; and whether it may have near fields."""

    fields: float
    currents: float
    curves: float
    near: bool

    @classmethod
    def of(cls, models: int) -> Share:
        """A fair share."""
        return cls(_FIELDS / models, _CURRENTS / models, _CURVES / models, models <= _MOST_NEAR)


def measured_of(one: Measured, packed: Packed) -> Iterator[dict[str, Any]]:
    """Measured curves, one of every port: |reflection|, and its phase where it has one."""
    network = one.network
    found = {"label": visible(one.label), "frequencies": packed.exactly(network.frequencies)}
    if isinstance(network, Trace):
        size = packed.reals(network.magnitude + 0j)
        yield found | {"reference": [network.reference, 0.0], "reflection": size, "phase": False}
        return
    several = len(network.ports) > 1
    for n, port in enumerate(network.ports):
        own = {"label": visible(f"{one.label}, {port}")} if several else {}
        gamma = packed.reals(network.s().values[:, n, n])
        yield found | own | {"reference": plain(complex(network.references[n])), "reflection": gamma, "phase": True}


def study_of(one: Table) -> dict[str, Any]:
    """A study as tables."""
    return {
        "label": visible(one.label),
        "changes": list(one.changes),
        "units": dict(one.units),
        "tables": [{"name": name, "rows": records(table)} for name, table in one.tables.items()],
    }


def model_of(one: Subject, share: Share, packed: Packed) -> dict[str, Any]:
    """Everything that a page holds of a model."""
    solution, antenna = one.solution, one.solution.antenna
    report(f"report: fields and currents of {one.label}")
    found = None if antenna.medium.shut else _grid(one, share)
    stops = _stops(one, share, found[0] if found else None)
    driven = [[_alone(one, port.name, hertz) for port in antenna.ports] for hertz in stops]
    flows = [[each.flow for each in row] for row in driven]
    notes = list(one.notes)
    content = {
        "label": visible(one.label),
        "title": visible(antenna.name),
        "medium": str(antenna.medium),
        "unknowns": solution.unknowns,
        "seconds": solution.seconds,
        "ports": [{"name": visible(p.name), "reference": plain(complex(p.reference))} for p in antenna.ports],
        "metal": metal_of(solution, packed),
        "stops": stops,
        "radiates": not antenna.medium.shut,
        "layered": bool(antenna.medium.layered),
        "stopAdmittance": packed.exactly(np.array([_admittance(row) for row in driven])),
        **_curves(solution.network, stops, share, packed, notes),
        "sphere": _sphere(flows, *found, packed, notes) if found else None,
        "currents": _currents(one, flows, stops, share, packed, notes),
        "near": list(_near(one, packed)) if share.near else [],
        "cases": [_case(case, stops) for case in one.cases],
        "arrays": _array(one),
    }
    return content | _words(one, notes)


def _curves(network: Network, stops: Sequence[float], share: Share, packed: Packed, notes: list[str]) -> dict[str, Any]:
    """Admittances over frequency, thinned out where they would be too many."""
    every, each = len(network.frequencies), 8 * len(network.ports) ** 2
    here = [int(np.abs(network.frequencies - hertz).argmin()) for hertz in stops]
    kept = _spread(every, max(int(share.curves // each), 2), here)
    if len(kept) < every:
        notes.append(f"note: curves are drawn through {len(kept)} of {every} frequencies")
    return {
        "frequencies": packed.exactly(network.frequencies[kept]),
        "admittance": packed.reals(network.y().values[kept]),
        "stretches": _stretches(network, kept),
    }


def _currents(
    one: Subject, flows: Sequence[Sequence[Currents]], stops: Sequence[float], share: Share, packed: Packed,
    notes: list[str],
) -> dict[str, Any]:  # fmt: skip
    """Currents of every port at as many stops as there is room for; where there is none, as cases drive them."""
    kept = int(share.currents // max(bytes_of(one.solution), 1))
    if not kept:
        notes.append("note: currents are too many for every port: those shown are of the case as it was solved")
        found = currents_of(one.solution, [[case.driven.flow for case in one.cases]], packed)
        return found | {"stops": [stops.index(case.driven.frequency) for case in one.cases], "ofCases": True}
    chosen = _spread(len(stops), kept, [stops.index(h) for h in _case_frequencies(one)])
    if len(chosen) < len(stops):
        notes.append(f"note: currents are held at {len(chosen)} of {len(stops)} frequencies; between, those nearest")
    return currents_of(one.solution, [flows[i] for i in chosen], packed) | {"stops": chosen, "ofCases": False}


def _alone(one: Subject, name: str, hertz: float) -> Driven:
    """One volt at a port, none at the others."""
    sources = {p.name: volts(1.0 if p.name == name else 0.0) for p in one.solution.antenna.ports}
    return one.solution.drive(sources, hertz)


def _admittance(row: Sequence[Driven]) -> Any:
    found = np.array([each.currents for each in row])
    return 0.5 * (found + found.T)


def _case_frequencies(one: Subject) -> list[float]:
    return list(dict.fromkeys(case.driven.frequency for case in one.cases))


def _known(one: Subject) -> Floats:
    """Frequencies whose currents are known without another solve."""
    solution = one.solution
    interpolated = solution.currents_error is not None and solution.currents_error <= 1e-3
    return solution.frequencies if interpolated else solution.solved


def _grid(one: Subject, share: Share) -> tuple[Grid, float]:
    """Directions that tell the field of every port at the highest frequency, and how far they are off."""
    highest = max([*_known(one).tolist(), *_case_frequencies(one)])
    flows = [_alone(one, port.name, highest).flow for port in one.solution.antenna.ports]
    return grid_for(flows, share.fields / (_BYTES * len(flows) * len(_case_frequencies(one))))


def _stops(one: Subject, share: Share, grid: Grid | None) -> list[float]:
    """Frequencies for fields: those of cases and, as many as there is room for, spread over what is known."""
    named = _case_frequencies(one)
    each = 0 if grid is None else _BYTES * len(one.solution.antenna.ports) * grid.size
    room = min(MOST_STOPS, int(share.fields // max(each, 1)))
    rest = np.array([f for f in _known(one).tolist() if min(abs(f / h - 1.0) for h in named) > 1e-9])
    chosen = _spread(len(rest), max(room - len(named), 0), [])
    return sorted([*named, *rest[chosen].tolist()])


def _spread(count: int, most: int, always: Sequence[int]) -> list[int]:
    """As many of so many as there may be, evenly, and those that always are."""
    even = np.linspace(0, count - 1, min(count, most)).round().astype(int).tolist() if count and most else []
    while always and len(set(even) | set(always)) > max(most, len(set(always))):
        even.pop(len(even) // 2)
    return sorted(set(even) | set(always))


def _stretches(network: Network, kept: Sequence[int]) -> list[list[int]]:
    """First and last place of every band, among what is kept."""
    places = np.array(kept)
    found = []
    for some in network.stretches:
        inside = np.flatnonzero((places >= some[0]) & (places <= some[-1]))
        if len(inside):
            found.append([int(inside[0]), int(inside[-1])])
    return found


def _sphere(
    flows: Sequence[Sequence[Currents]], grid: Grid, off: float, packed: Packed, notes: list[str]
) -> dict[str, Any]:
    """Embedded fields at every stop, and what they radiate."""
    if off > ENOUGH:
        notes.append(
            f"note: fields are held every {grid.step:g} degrees, between which they are off by {100.0 * off:.1g} % of "
            "the greatest: read side lobes off Earshot's own figures"
        )
    return {
        "step": grid.step,
        "plane": grid.plane,
        "steep": grid.steep,
        "error": off,
        "fields": packed.scaled([sampled(row, grid) for row in flows], 2),
        "powers": packed.exactly([powers(row) for row in flows]),
    }


def _near(one: Subject, packed: Packed) -> Iterator[dict[str, Any]]:
    """|E| and |H| on planes, as the first case drives them."""
    first = one.cases[0]
    asked = [name for name, points in first.case.near.items() if points.ndim == 3]
    if not asked and one.solution.unknowns > _NEAR_UNKNOWNS:
        return
    report(f"report: near fields of {one.label}")
    try:
        maps = near_maps(first)
    except EarshotError:
        return
    for name, found in zip(asked or ["upright", "level"], maps, strict=False):
        yield {
            "name": visible(name), "stopHz": found.frequency,
            "points": packed.reals(found.points), "e": packed.reals(found.magnitude("E")),
            "h": packed.reals(found.magnitude("H")),
        }  # fmt: skip


def _case(one: CaseRun, stops: Sequence[float]) -> dict[str, Any]:
    """How a case drives every port, in the words of the page's own sums."""
    driven, case = one.driven, one.case
    ports = []
    through_circuit = isinstance(case.feed, Feed | Receiver)
    sources = dict(case.sources) or {driven.antenna.ports[0].name: watts(1.0)}
    for n, port in enumerate(driven.antenna.ports):
        volt, ampere = complex(driven.voltages[n]), complex(driven.currents[n])
        if through_circuit and port.name in driven.driven:
            ports.append({"kind": "voltage", "amount": plain(volt)})
        elif port.name in sources and not through_circuit:
            source = sources[port.name]
            now = {"amount": plain(complex(source.at(driven.frequency).amount)), "delay": source.delay}
            ports.append({"kind": source.kind, **now, "from": driven.frequency})
        else:
            closing = -volt / ampere if abs(ampere) > 1e-15 * max(abs(volt), 1e-300) else complex(math.inf)
            given = port.name in case.terminations or through_circuit
            same = abs(closing - port.reference) <= 1e-6 * abs(port.reference) if math.isfinite(abs(closing)) else False
            if given and not same:
                what = {"closing": "open"} if not math.isfinite(abs(closing)) else {"closing": plain(closing)}
                what = {"closing": "short"} if abs(closing) < 1e-9 else what
                ports.append({"kind": "closed", **what})
            else:
                ports.append({"kind": "closed", "closing": "reference"})
    return {
        "name": visible(case.name), "title": visible(one.title), "stop": stops.index(driven.frequency), "ports": ports,
        "circuit": through_circuit,
        "cuts": [{"plane": c.plane, "elevation": _degrees(c.elevation), "azimuth": _degrees(c.azimuth)}
                 for c in case.cuts],
    }  # fmt: skip


def _degrees(angle: str | float | None) -> float | None:
    return None if angle is None else math.degrees(units.angle(angle))


def _array(one: Subject) -> dict[str, Any] | None:
    """Of several ports: where they are, and tapers over them."""
    antenna = one.solution.antenna
    if len(antenna.ports) < 2:
        return None
    places = np.array([antenna.place_of(p) for p in antenna.ports])
    return {"places": places.tolist(), "tapers": tapers_over(places)}


def _words(one: Subject, notes: Sequence[str]) -> dict[str, Any]:
    """Figures, findings, the record of the run, and the design itself."""
    errors = one.errors
    return {
        "notes": [visible(note) for note in notes],
        "findings": [{"level": f.level, "part": visible(f.part), "says": visible(f.says), "remedy": visible(f.remedy)}
                     for f in one.findings],
        "figures": [{"title": visible(c.title), "rows": records(c.field.summary())} for c in one.cases
                    if not c.driven.antenna.medium.shut],
        "budgets": [{"title": visible(c.title), "rows": records(c.driven.budget())} for c in one.cases],
        "values": [] if one.values is None else records(one.values),
        "errors": {} if errors is None else {str(k): plain(v) for k, v in errors["±"].items()},
        "record": records(one.solution.run_record()),
        "evidence": [] if one.solution.evidence is None else records(one.solution.evidence.to_frame()),
        "solvedAt": [units.engineering(float(f), "Hz", 9) for f in one.solution.solved],
        "design": one.text, "tables": dict(one.tables),
    }  # fmt: skip
