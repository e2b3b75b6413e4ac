"""A solution: solve once, then ask anything."""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..arraytypes import Complexes, Floats
from ..checks.check import check
from ..description.antenna import Antenna
from ..description.circuit_parts import Line, Load, Stub
from ..description.parts import Port
from ..errors import ModelError, UsageError, unknown
from ..lettering import Told
from ..meshing.mesh import MeshRule, WireMesh
from ..meshing.sheet_mesh import SheetMesh
from ..moments.basis import Basis
from ..moments.fewer import Rough, among_fewer, fewer_functions, rough
from ..moments.ports import gap_vectors
from ..moments.response import Response, impedance_operator, respond
from ..moments.sheet_terms import sheet_losses
from ..moments.wire_terms import wire_losses
from ..network.curves import Spans
from ..network.elements import Impedance, impedance
from ..network.feed import Feed, voltages_at
from ..network.gap_circuit import Parts
from ..network.network import Network, scattering
from ..network.rational import sweep
from ..network.receiver import Receiver
from ..network.sources import Source, driven_ports, volts, watts
from ..running import Record, report
from .between import Between, between, followed
from .cases import Case, Drive
from .circuits import absorbed, circuit_of, closed_admittance
from .driven import Driven, currents_of
from .frequencies import Wanted

if TYPE_CHECKING:
    import pandas as pd

    from .evidence import Evidence

_log = logging.getLogger("earshot")
_TRUSTED = 1e-3
"""Error of interpolated currents up to which they are used."""
_FOLLOWED = ("gain", "realized gain", "front-to-back ratio")
_KEPT = 16
"""Frequencies solved besides those that were asked for whose currents are kept."""


@dataclass(frozen=True, eq=False, repr=False)
class Solution(Told):
    """Currents of an antenna for one volt at every port, at every solved frequency; made by `solve`.

    Drives, gains and networks are read off it without solving again. frequencies, admittance: where port figures were
    wanted (Hz) and the admittances between all gaps there, interpolated between solved frequencies; band_error: how far
    the interpolation missed the last samples it was tested on, in S. record: what each stage took. spans: lowest and
    highest frequency of each band. evidence: how far to trust it, when `solve` was asked for that.
    """

    response: Response
    rule: MeshRule
    frequencies: Floats
    admittance: Complexes
    band_error: float
    record: Record
    spans: Spans = ()
    evidence: Evidence | None = None
    _besides: dict[float, tuple[Complexes, Complexes]] = field(default_factory=dict, init=False, repr=False)

    def _in_words(self) -> str:
        places = [units.engineering(float(f), "Hz", 6) for f in (self.frequencies[0], self.frequencies[-1])]
        count = len(self.frequencies)
        where = places[0] if count == 1 else f"{count} frequencies, {places[0]} to {places[1]}"
        return f"'{self.antenna.name}' in {self.antenna.medium}, {self.unknowns} unknowns, {where}"

    def _as_table(self) -> pd.DataFrame:
        return self.network.to_frame(self.network.ports[0])

    @property
    def antenna(self) -> Antenna:
        """The antenna that was solved."""
        return self.response.antenna

    @property
    def solved(self) -> Floats:
        """Frequencies (n,) that were solved, Hz, rising: fields and currents exist there."""
        return self.response.frequencies

    @property
    def mesh(self) -> WireMesh:
        """The segments it was solved on."""
        return self.response.basis.mesh

    @property
    def sheet_mesh(self) -> SheetMesh | None:
        """The triangles it was solved on, if there are sheets."""
        return self.response.basis.sheet_mesh

    @property
    def unknowns(self) -> int:
        """Number of basis functions."""
        return self.response.basis.size

    @cached_property
    def _bands(self) -> tuple[Between, ...]:
        found = (between(self.response, low, high) for low, high in self.spans)
        return tuple(x for x in found if x is not None)

    @property
    def currents_error(self) -> float | None:
        """How far currents interpolated in the bands are off, as a share: what samples kept out of the fit tell.

        Fields and drives at any frequency of a band are made from them, without another solve, where it is at most
        0.001. None without a band, or with too few samples to tell.
        """
        return max((band.error for band in self._bands), default=None)

    @property
    def seconds(self) -> float:
        """How long the solves took, all together."""
        return sum(self.record.seconds.get(stage, 0.0) for stage in ("mesh", "fill", "factorise", "solve"))

    def run_record(self) -> pd.DataFrame:
        """What each stage took: seconds in all, how often, memory asked for (MB), unknowns."""
        import pandas as pd

        taken = self.record
        rows = [(s, taken.seconds[s], taken.times[s], taken.bytes[s] / 1e6, self.unknowns) for s in taken.seconds]
        return pd.DataFrame(rows, columns=["stage", "seconds", "times", "memory_MB", "unknowns"]).set_index("stage")

    def figures(
        self,
        sources: Drive = None,
        frequencies: Sequence[str | float] | None = None,
        *,
        terminations: Mapping[str, Impedance | complex] | None = None,
        sectors: Mapping[str, tuple[Sequence[float], str | float]] | None = None,
    ) -> pd.DataFrame:
        """Every figure of merit over frequency, for one drive: a row per frequency, a column per figure.

        frequencies: the solved ones unless given; others are taken as `drive` takes them. sectors: by name, a direction
        and a half angle, whose least, mean and greatest gain are added. What is not defined is missing.
        """
        import pandas as pd

        rows = {}
        for hertz in self.solved if frequencies is None else frequencies:
            report(f"figures at {units.engineering(units.frequency(hertz), 'Hz', 6)}")
            beam = self.drive(sources, hertz, terminations=terminations).far_field()
            row = beam.summary()["value"].astype(float)
            for name, (direction, half_angle) in (sectors or {}).items():
                for which, gain in beam.sector(direction, half_angle).items():
                    row[f"{which} gain, {name}"] = gain
            rows[beam.frequency] = row
        return pd.DataFrame(rows).T.rename_axis("frequency_Hz")

    def smooth_figures(
        self,
        sources: Drive = None,
        *names: str,
        terminations: Mapping[str, Impedance | complex] | None = None,
        most: int = 81,
    ) -> pd.DataFrame:
        """Figures of merit through every band, from interpolated currents: `figures` at more places where they bend.

        names: those that are followed, to a quarter of a unit, at `most` frequencies; gains and front-to-back unless
        given. Where `currents_error` does not allow it, the solved frequencies alone.
        """
        if not self.spans or len(self._bands) < len(self.spans) or (self.currents_error or 0.0) > _TRUSTED:
            return self.figures(sources, terminations=terminations)

        def measure(places: Floats) -> pd.DataFrame:
            return self.figures(sources, places.tolist(), terminations=terminations)

        return followed(measure, self.solved, self.spans, names or _FOLLOWED, most)

    def towards(
        self,
        direction: ArrayLike,
        sources: Drive = None,
        frequencies: Sequence[str | float] | None = None,
        *,
        terminations: Mapping[str, Impedance | complex] | None = None,
    ) -> pd.DataFrame:
        """What goes in one direction (x, y, z) over frequency, for one drive, and what the ports then see.

        A row per frequency, the solved ones unless given: gains (dBi) by polarisation, axial ratio (dB), tilt (deg),
        and of every port its active reflection coefficient (V - Z*I)/(V + ZI), Z its reference.
        """
        import pandas as pd

        references = np.array([p.reference for p in self.antenna.ports])
        rows = {}
        for hertz in self.solved if frequencies is None else frequencies:
            driven = self.drive(sources, hertz, terminations=terminations)
            waves = driven.voltages + references * driven.currents
            active = (driven.voltages - references.conj() * driven.currents) / waves
            named = {f"active reflection, {p.name}": x for p, x in zip(self.antenna.ports, active, strict=True)}
            rows[driven.frequency] = driven.far_field().towards(direction) | named
        return pd.DataFrame.from_dict(rows, orient="index").rename_axis("frequency_Hz")

    @property
    def network(self) -> Network:
        """Z, Y, S, VSWR between the ports, with the loads and lines in place."""
        ports = self.antenna.ports
        return Network(
            self.frequencies,
            closed_admittance(circuit_of(self.antenna), self.frequencies, self.admittance),
            tuple(p.name for p in ports),
            np.array([p.reference for p in ports]),
            self.antenna.name,
            self.spans,
        )

    def drive(
        self,
        sources: Drive = None,
        frequency: str | float | None = None,
        *,
        terminations: Mapping[str, Impedance | complex] | None = None,
    ) -> Driven:
        """Drive the ports at one frequency.

        sources: by port, made by `volts`, `amperes`, `watts`; a lone port needs no name, and without words it gets 1 W
        available; or a circuit, `Feed` or `Receiver`. terminations: what closes ports that are not driven,
        `open_circuit()`, `short_circuit()`, any
        impedance or ohms; their references unless named. frequency: may be left out when only one was solved; one in a
        band has its currents interpolated where `currents_error` allows it, any other one that was not solved is solved
        now, and said so. Raises UsageError for unknown ports.
        """
        if isinstance(sources, Feed | Receiver):
            return self._fed(sources, frequency, terminations or {})
        given = self._named(sources)
        coefficients, admittance, hertz = self._at(frequency)
        names = [p.name for p in self.antenna.ports]
        circuit = circuit_of(self.antenna)
        spread = circuit.spread(admittance, hertz)
        ends = {names.index(n): ohms for n, ohms in self._closed(terminations or {}, given, hertz).items()}
        voltages, currents = driven_ports(
            circuit.closed(admittance, spread),
            np.array([p.reference for p in self.antenna.ports]),
            {names.index(n): s.at(hertz) for n, s in given.items()},
            ends,
        )
        nodes = spread @ voltages
        amounts = nodes[: circuit.gaps] @ coefficients
        flow = currents_of(self.antenna, self.response.basis, amounts, hertz)
        taken = (
            *wire_losses(self.antenna, self.response.basis.wires, hertz, flow.ends),
            *sheet_losses(self.antenna, self.response.basis, hertz, amounts),
            *absorbed(self.antenna, circuit, hertz, nodes),
        )
        loads = slice(circuit.ports, circuit.ports + len(self.antenna.loads))
        through = -circuit.drawn(admittance, nodes[:, None])[loads, 0]
        return Driven(
            self.antenna,
            flow,
            self.response.basis,
            amounts,
            voltages,
            currents,
            tuple(given),
            taken,
            nodes[loads],
            through,
        )

    def _fed(
        self, feed: Feed | Receiver, frequency: str | float | None, terminations: Mapping[str, Impedance | complex]
    ) -> Driven:
        for name in terminations:
            self.antenna.port(name)
        one = self.at(frequency)
        ports = one.network.ports
        heard = None
        if isinstance(feed, Receiver):
            heard = feed.heard(one.network, terminations)
            flow = heard.flow
        else:
            flow = feed.flow(one.network, terminations)
        at_ports = zip(ports, voltages_at(flow, ports).tolist(), strict=True)
        driven = one.drive({name: volts(voltage) for name, voltage in at_ports})
        return replace(
            driven, driven=tuple(p for p in ports if p in feed.circuit.ports), feed=None if heard else flow, heard=heard
        )

    def run(self, *cases: Case) -> dict[str, tuple[Driven, ...]]:
        """Drive the ports as each case says: by its name, one result per frequency it names.

        A case without frequencies runs at every solved one. Raises UsageError as `drive` does, and for two cases of one
        name.
        """
        names = [case.name for case in cases]
        twins = sorted({name for name in names if names.count(name) > 1})
        if twins:
            raise UsageError(f"two cases are named '{twins[0]}': rename one")
        return {
            case.name: tuple(
                self.drive(case.drive, hertz, terminations=case.terminations)
                for hertz in case.frequencies or self.solved.tolist()
            )
            for case in cases
        }

    def _closed(
        self, terminations: Mapping[str, Impedance | complex], given: dict[str, Source], hertz: float
    ) -> dict[str, complex]:
        ohms = {}
        for name, closing in terminations.items():
            self.antenna.port(name)
            if name in given:
                raise UsageError(f"port '{name}' is both driven and closed: keep one")
            ohms[name] = (closing if isinstance(closing, Impedance) else impedance(closing)).at(hertz)
        return ohms

    def with_(self, *parts: Port | Load | Line | Stub) -> Solution:
        """The same solve with other references, load impedances, lines or stubs: nothing is solved again.

        Raises UsageError when a part would change a gap that was solved, or its order.
        """
        changed = self.antenna.with_(*parts)
        before, after = (
            [(g.name, g.on, g.at, g.gap, g.across) for g in antenna.gaps] for antenna in (self.antenna, changed)
        )
        if before != after or (changed.wires, changed.sheets) != (self.antenna.wires, self.antenna.sheets):
            raise UsageError("with_: only references, impedances and lines change without a solve; solve it afresh")
        stops = check(changed).stops
        if stops:
            raise ModelError("\n".join(str(f) for f in stops), stops)
        return replace(self, response=replace(self.response, antenna=changed))

    def _named(self, sources: Drive) -> dict[str, Source]:
        names = [p.name for p in self.antenna.ports]
        if sources is None or isinstance(sources, Source):
            if len(names) > 1:
                raise UsageError(
                    f"antenna '{self.antenna.name}' has {len(names)} ports ({', '.join(names)}): say which are driven, "
                    f"such as {{'{names[0]}': watts(1)}}"
                )
            return {names[0]: sources or watts(1.0)}
        if not isinstance(sources, Mapping):
            raise UsageError(f"drive: {sources!r} is not a source; use volts(), amperes() or watts()")
        if not sources:
            raise UsageError("drive: no port is named; give at least one, such as {'" + names[0] + "': watts(1)}")
        for name, source in sources.items():
            if name not in names:
                raise UsageError(f"antenna '{self.antenna.name}': {unknown('port', name, names)}")
            if not isinstance(source, Source):
                raise UsageError(f"port '{name}': {source!r} is not a source; use volts(), amperes() or watts()")
        return sources

    def _at(self, frequency: str | float | None) -> tuple[Complexes, Complexes, float]:
        if frequency is None:
            if len(self.frequencies) > 1:
                raise UsageError(
                    f"the solution has {len(self.frequencies)} frequencies: say which one, such as "
                    f"frequency='{units.engineering(self.frequencies[0], 'Hz')}'"
                )
            hertz = float(self.frequencies[0])
        else:
            hertz = units.frequency(frequency)
        nearest = int(np.argmin(np.abs(self.solved - hertz)))
        if abs(self.solved[nearest] - hertz) <= 1e-9 * hertz:
            return self.response.coefficients[nearest], self.response.admittance[nearest], hertz
        if hertz > self.frequencies[-1]:
            raise UsageError(
                f"{units.engineering(hertz, 'Hz')} is above the highest solved frequency, "
                f"{units.engineering(float(self.frequencies[-1]), 'Hz')}, for which the mesh was made: solve it afresh"
            )
        for band in self._bands:
            if band.low <= hertz <= band.high and band.error <= _TRUSTED:
                return *band.at(hertz), hertz
        # The last few that were solved besides are kept: another drive there is no other solve.
        if hertz not in self._besides:
            _log.warning("%s was not among the solved frequencies: solving it too", units.engineering(hertz, "Hz"))
            while len(self._besides) >= _KEPT:
                del self._besides[next(iter(self._besides))]
            self._besides[hertz] = respond(self.antenna, self.response.basis, hertz, method=self.response.method)[:2]
        return *self._besides[hertz], hertz

    def at(self, frequency: str | float | None = None) -> Solution:
        """The solution at one frequency alone, solved now if it was not."""
        coefficients, admittance, hertz = self._at(frequency)
        return self._alone(hertz, coefficients, admittance, self.response.rough)

    def _alone(
        self, hertz: float, coefficients: Complexes, admittance: Complexes, known: Mapping[float, Rough]
    ) -> Solution:
        found = Response(
            self.antenna, self.response.basis, np.array([hertz]), coefficients[None], admittance[None],
            {at: own for at, own in known.items() if abs(at - hertz) <= 1e-9 * hertz}, self.response.method,
        )  # fmt: skip
        return Solution(found, self.rule, found.frequencies, found.admittance, 0.0, self.record)

    def tells_errors(self, hertz: float) -> bool:
        """Whether the solve kept what `mesh_errors` asks at a frequency."""
        return any(abs(at - hertz) <= 1e-9 * hertz for at in self.response.rough)

    @cached_property
    def rougher(self) -> tuple[Solution, Network, Network]:
        """At its first frequency, what a mesh of pieces twice as large would give, from the matrix it was solved with.

        The solution, and the network if the pieces of wires alone, or of sheets alone, were so large. The matrix is
        made again where a solve was not asked to keep what this takes.
        """
        own, hertz = self.response, float(self.solved[0])
        vectors = gap_vectors(self.antenna, own.basis)
        fewer = fewer_functions(self.antenna, own.basis, vectors)
        known = next((v for at, v in own.rough.items() if abs(at - hertz) <= 1e-9 * hertz), None)
        if known is None:
            report("estimating errors: the matrix once more")
            among = among_fewer(impedance_operator(self.antenna, own.basis, hertz, own.method), fewer, vectors)
            known = rough(own.basis, fewer, own.coefficients[0], among)
        coefficients = known.coefficients @ fewer.T
        admittance = coefficients @ vectors
        both, whole = 0.5 * (admittance + admittance.T), own.admittance[0]
        by_wires, by_sheets = (
            self._alone(hertz, coefficients, part, {}).network
            for part in (whole - known.by_wires, both + known.by_wires)
        )
        return self._alone(hertz, coefficients, both, {}), by_wires, by_sheets

    def resolved(self, basis: Basis) -> Solution:
        """The same antenna, every wanted frequency solved on another basis, such as one of a finer mesh."""
        return solved(self.antenna, basis, Wanted(self.frequencies, ()), self.rule, method=self.response.method)


def _scattering(antenna: Antenna) -> Callable[[Floats, Complexes], Complexes]:
    """From gap admittances (n, entries) at n frequencies to what a band's tolerance is about: S (n, ports²)."""
    references, count = np.array([p.reference for p in antenna.ports]), len(antenna.gaps)
    circuit = circuit_of(antenna)
    known: dict[bytes, Parts] = {}

    def measure(frequencies: Floats, admittance: Complexes) -> Complexes:
        square = _whole(admittance, count)
        # The same band is looked at again and again.
        key = frequencies.tobytes()
        if key not in known:
            known[key] = circuit.at(frequencies)
        ports = closed_admittance(circuit, frequencies, square, known[key])
        return scattering(ports, references).reshape(len(square), -1)

    return measure


def _whole(upper: Complexes, count: int) -> Complexes:
    """Symmetric matrices (n, count, count) from the entries on and above their diagonals (n, entries)."""
    rows, columns = np.triu_indices(count)
    found = np.empty((len(upper), count, count), np.complex128)
    found[:, rows, columns] = found[:, columns, rows] = upper
    return found


def solved(
    antenna: Antenna, basis: Basis, wanted: Wanted, rule: MeshRule, record: Record | None = None, *,
    errors: bool = False, method: str = "auto",
) -> Solution:  # fmt: skip
    """Solve on a given basis at single frequencies and over bands, without looking at the model first.

    errors: keep at single frequencies what tells the mesh's. method: see `solve`.
    """
    record, vectors = record or Record(), gap_vectors(antenna, basis)
    samples: dict[float, tuple[Complexes, Complexes, Rough | None]] = {}
    gaps = len(antenna.gaps)
    told = set(wanted.single.tolist()) if errors else set()
    fewer = fewer_functions(antenna, basis, vectors) if told else None

    def sample(hertz: float) -> Complexes:
        if hertz not in samples:
            done = f", {len(samples)} done" if samples else ""
            report(f"solving {antenna.name} at {units.engineering(hertz, 'Hz', 6)}, {basis.size} unknowns{done}")
            samples[hertz] = respond(antenna, basis, hertz, record, vectors, fewer if hertz in told else None, method)
        return samples[hertz][1][np.triu_indices(gaps)]

    points = {float(f): sample(float(f)) for f in wanted.single}
    error = 0.0
    for band in wanted.bands:
        with record.stage("band, its solves included"):
            swept = sweep(band.frequencies, sample, _scattering(antenna), band.tolerance)
        points |= dict(zip(band.frequencies.tolist(), swept.values, strict=True))
        error = max(error, swept.error)
    every = wanted.every
    admittance = _whole(np.array([points[f] for f in every.tolist()]), gaps)
    rising = np.array(sorted(samples))
    found = Response(
        antenna, basis, rising, np.array([samples[f][0] for f in rising]), np.array([samples[f][1] for f in rising]),
        {hertz: known for hertz, (*_, known) in samples.items() if known is not None}, method,
    )  # fmt: skip
    spans = tuple((float(b.frequencies[0]), float(b.frequencies[-1])) for b in wanted.bands)
    return Solution(found, rule, every, admittance, error, record, spans)
