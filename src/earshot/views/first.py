"""The first screen of a run: what one reads first, on 80 columns and 24 lines; figures that are noise are words."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from rich.console import Group
from rich.text import Text

from ..fields import words
from ..fields.gains import decibels
from ..units import engineering, ohms
from .tables import plain_table, titled

if TYPE_CHECKING:
    import pandas as pd

    from ..answers.driven import Driven
    from ..answers.solution import Solution
    from ..fields.far import FarField
    from ..network.network import Network
    from ..runs.run import CaseRun, Run

Line = tuple[str, str]
_MOST = 8
_ROOM = 12
"""Cases and ports that one screen shows in a row each."""
_WORST = 3
_TOTAL = 1000
"""VSWR beyond which all comes back."""
_LEAST_SHARE = 5e-5
_FINE, _WHOLE = 1e-6, 1.02
_KINDS = {"metal of ": "metal", "jacket of ": "jackets"}


def first_screen(run: Run, vswr: float = 2.0) -> Iterator[Any]:
    """Tables of what is read first; the limit is that of the bandwidth."""
    yield headline(run.solution)
    network, ports = run.solution.network, run.solution.antenna.ports
    band = _band_lines(network, run.cases[0].driven.frequency, vswr) if len(ports) == 1 else []
    if len(run.cases) > 1:
        if band:
            yield _lines(f"port {ports[0].name}, {ohms(network.references[0])}", band)
        yield _rows_of_cases(run.cases)
        for one in run.cases:
            if one.case.sectors:
                yield _lines(one.title, _sector_lines(one))
        errors = _error_lines(run)
        if errors:
            yield _lines(f"of {run.cases[0].title}", errors)
        if len(ports) > 1:
            if len(run.cases) + min(len(ports), _MOST) <= _ROOM:
                yield _ports(run.cases[0].driven, network, run.cases[0].title)
            yield _lines("between ports", [("coupling", _coupling(run.cases[0].driven, network))])
        return
    case = run.cases[0]
    if len(ports) == 1:
        port = ports[0].name
        title = f"{port}, {ohms(network.references[0])}, {case.title}"
        yield _lines(title, [*_port_lines(case.driven), *band, *_field_lines(case), *_error_lines(run)])
    else:
        yield _ports(case.driven, network, case.title)
        coupling = ("coupling", _coupling(case.driven, network))
        yield _lines(case.title, [coupling, *_field_lines(case), *_error_lines(run)])


def headline(solution: Solution) -> Group:
    """What was solved, where it stands, and what it took."""
    antenna, many = solution.antenna, len(solution.solved)
    counts = [(len(antenna.wires), "wire"), (len(antenna.sheets), "sheet"), (solution.unknowns, "unknown")]
    parts = ", ".join(f"{count} {what}{'' if count == 1 else 's'}" for count, what in counts if count)
    took = f"{many} frequenc{'ies' if many > 1 else 'y'} solved in {solution.seconds:.2g} s"
    more = len(solution.frequencies) - many
    if more:
        took += f", {more} between (S within {max(solution.band_error, _FINE):.0e})"
    return Group(Text(antenna.name, style="bold"), Text(f"{antenna.medium}; {parts}; {took}", style="dim"))


def _lines(title: str, lines: Sequence[Line]) -> Group:
    table = plain_table([("", False), ("", False)])
    table.show_header = False
    for name, told in lines:
        table.add_row(Text(name, style="dim"), Text(told))
    return titled(title, table)


def _ohms(value: complex) -> str:
    return f"{value.real:.2f} {value.imag:+.2f}j" if math.isfinite(abs(value)) else "open"


def _standing(ratio: float) -> str:
    return f"{ratio:.3g}" if ratio < _TOTAL else f"above {_TOTAL}"


def _port_lines(driven: Driven) -> list[Line]:
    row = driven.ports_table().iloc[0]
    back = driven.incident - driven.accepted
    loss = words.level(float(decibels(driven.incident / back)) if back > 0.0 else math.inf)
    return [
        ("impedance", f"{_ohms(complex(row['active_impedance_ohm']))} ohm"),
        ("VSWR", f"{_standing(float(row['active_vswr'].real))}, return loss {loss}"),
    ]


def _band_lines(network: Network, hertz: float, vswr: float) -> list[Line]:
    """Resonance nearest to a frequency, and where the match is good enough; nothing for lone frequencies."""
    if not any(len(some) > 1 for some in network.stretches):
        return []
    found = network.resonances()
    lines = [("resonance", "none in the band")]
    if len(found):
        near = found.iloc[int(np.abs(found["frequency_Hz"] - hertz).argmin())]
        place = float(near["frequency_Hz"])
        off = 100.0 * (place / hertz - 1.0)
        away = "there" if abs(off) < 0.005 else f"{abs(off):.2f} % {'above' if off > 0 else 'below'}"
        q = f", Q {near['Q']:.1f}" if near["Q"] > 0 else ""
        lines = [("resonance", f"{engineering(place, 'Hz', 6)}, {away}; {near['kind']}, {near['R_ohm']:.1f} ohm{q}")]
    matched = {f"VSWR to {vswr:g}": network.bandwidth(vswr=vswr), "10 dB loss": network.bandwidth(return_loss=10.0)}
    return [*lines, *((name, _stretch(within, hertz)) for name, within in matched.items())]


def _stretch(within: pd.DataFrame, hertz: float) -> str:
    """The stretch that holds a frequency, or the nearest, in words."""
    if not len(within):
        return "nowhere in the band"
    low, high = within["from_Hz"].to_numpy(), within["to_Hz"].to_numpy()
    row = within.iloc[int(np.maximum(np.maximum(low - hertz, hertz - high), 0.0).argmin())]
    ends = " to ".join(engineering(float(row[key]), "Hz", 5) for key in ("from_Hz", "to_Hz"))
    wide = f"{engineering(float(row['width_Hz']), 'Hz', 4)}, {row['width_percent']:.3g} %"
    return f"{ends}: {wide}" + ("; goes on beyond the band" if row["cut_off"] else "")


def _field_lines(case: CaseRun) -> list[Line]:
    if not case.radiates:
        return [("far field", "none: it is between planes, where no waves get out"), ("lost", _lost(case.driven))]
    field, driven = case.field, case.driven
    gain, realized = (float(decibels(f(*field.peak))) for f in (field.gain, field.realized_gain))
    lost = gain - realized
    mismatch = f"mismatch loss {lost:.2f} dB" if lost >= 0.005 else "no mismatch loss"
    ground, above = words.along_ground(field), words.straight_above(field, driven.antenna.medium.layered)
    total = driven.accepted / driven.incident * field.efficiency
    kept = f"{_percent(field.efficiency)} of what is accepted, {_percent(total)} of what is sent"
    lines = [
        ("gain", f"{gain:.2f} dBi, realized {realized:.2f} dBi, {mismatch}"),
        ("efficiency", kept if field.efficiency < _WHOLE else f"{kept}: power does not balance"),
        ("peak", words.peak_place(field, above)),
        ("beamwidth", words.beamwidths(field, ground)),
    ]
    if ground:
        lines += [("lobes, dBi", words.lobes_over_ground(field)), ("gain, dBi", words.gain_low(field))]
    about = words.ratios(field)
    if about:
        lines.append(("front", about + (", in the cone of take-off" if ground else "")))
    if not ground:
        lines.append(("side lobes", words.side_lobe(field, above)))
    return [*lines, ("polarisation", words.polarised(field)), ("lost", _lost(driven)), *_sector_lines(case)]


def _error_lines(run: Run) -> list[Line]:
    """What is estimated of the mesh's errors, the greatest of any port; nothing where the solve did not keep it."""
    errors = run.mesh_errors()
    if errors is None:
        return []
    worst = errors["±"].groupby([name.partition(" at ")[0] for name in errors.index]).max()
    gain = max(worst["gain"], worst["realized gain"])
    ohms, level = f"R {worst['R']:.2g}, X {worst['X']:.2g} ohm", f"gain {gain:.2g} dB"
    network, hertz = run.solution.network, run.cases[0].driven.frequency
    around = [f for f in (network.frequencies[s] for s in network.stretches) if len(f) > 2 and f[0] <= hertz <= f[-1]]
    if len(network.ports) == 1 and around:
        x = network.impedances[:, 0].imag
        slope = abs(float(np.interp(hertz, network.frequencies, np.gradient(x, network.frequencies))))
        # Where it hardly changes with frequency, it is not what makes a resonance.
        if worst["X"] < slope * (around[0][-1] - around[0][0]):
            return [("±, mesh", f"{ohms}; {level}; resonance {engineering(float(worst['X']) / slope, 'Hz', 3)}")]
    return [("±, mesh", f"{ohms}; VSWR {worst['VSWR']:.2g}; {level}")]


def _sector_lines(case: CaseRun) -> list[Line]:
    return [
        (f"sector {name}", f"{gains['least']:.2f} to {gains['greatest']:.2f} dBi, mean {gains['mean']:.2f}")
        for name, gains in case.sectors().items()
    ]


def _brief(percent: float) -> str:
    return f"{percent:.1f}" if percent >= 10.0 else f"{percent:.2g}"


def _percent(share: float) -> str:
    return f"{100.0 * share:.1f} %"


def _lost(driven: Driven) -> str:
    """What does not go into space, by kind, greatest first."""

    def kind(part: str) -> str:
        return next(
            (told for start, told in _KINDS.items() if part.startswith(start)), part.removesuffix(" (remainder)")
        )

    shares = driven.budget()["share"].drop(["sent", "accepted", "radiated"]).groupby(kind).sum()
    told = [
        f"{name} {_brief(100.0 * s)} %" for name, s in shares.sort_values(ascending=False).items() if s >= _LEAST_SHARE
    ]
    return ", ".join(told) or "nothing to speak of"


def _ports(driven: Driven, network: Network, title: str) -> Group:
    """A row per port: its own match, and what it sees as driven; of many those that are driven and matched worst."""
    hertz = int(np.abs(network.frequencies - driven.frequency).argmin())
    s = network.s().values[hertz]
    columns = ["port", "own S, dB", "impedance, ohm", "active VSWR", "power, W"]
    table = plain_table([(name, name != "port") for name in columns])
    rows = driven.ports_table()
    standing = np.array([value.real for value in rows["active_vswr"]])
    # What is not driven has no match to speak of, and comes last.
    order = np.lexsort((-standing, np.array([port not in driven.driven for port in rows.index])))
    shown = sorted(order[:_MOST].tolist()) if len(rows) > _MOST else range(len(rows))
    for i in shown:
        row = rows.iloc[i]
        table.add_row(
            str(rows.index[i]),
            f"{float(decibels(abs(s[i, i]) ** 2)):.1f}",
            _ohms(complex(row["active_impedance_ohm"])),
            f"{standing[i]:.2f}" if math.isfinite(standing[i]) else "-",
            f"{row['power_W'].real + 0.0:.4g}",
        )
    left = len(rows) - len(shown)
    more = f", and {left} more" if left else ""
    return titled(f"ports in {title}{more}", table)


def _coupling(driven: Driven, network: Network) -> str:
    """The strongest coupling between ports, dB."""
    hertz = int(np.abs(network.frequencies - driven.frequency).argmin())
    rows, columns = np.tril_indices(len(network.ports), -1)
    level = decibels(np.abs(network.s().values[hertz][rows, columns]) ** 2)
    strongest = np.argsort(-level, kind="stable")[:_WORST]
    return ", ".join(f"{network.ports[columns[n]]} to {network.ports[rows[n]]} {level[n]:.1f} dB" for n in strongest)


def _beam(field: FarField, broadside: bool) -> list[str]:
    """Gain, where its peak is, front-to-back ratio and side lobe."""
    back, lobe = field.front_to_back, field.side_lobe
    theta, phi = (math.degrees(x) for x in field.peak)
    return [
        f"{float(decibels(field.gain(*field.peak))):.2f}",
        f"{theta:.0f}, {phi:.0f}" if broadside else f"{phi:.0f}, {words.unsigned(90.0 - theta, 0):.0f}",
        "-" if back is None else words.level(back).removesuffix(" dB"),
        "none" if lobe is None else f"{lobe[0]:.1f}",
    ]


def _rows_of_cases(cases: Sequence[CaseRun]) -> Group:
    """A row for every case and frequency."""
    several, lone = len({c.case.name for c in cases}) > 1, len(cases[0].driven.antenna.ports) == 1
    where = ["case"] if several else []
    match = ["R, ohm", "X, ohm", "VSWR"] if lone else ["returned, %"]
    broadside = cases[0].driven.antenna.medium.layered
    peak = "peak off, az" if broadside else "peak az, el"
    radiates = cases[0].radiates
    columns = [*where, "frequency", *match, *(["gain, dBi", peak, "front/back", "side lobe"] if radiates else [])]
    table = plain_table([(name, name != "case") for name in columns])
    for one in cases:
        driven = one.driven
        row = driven.ports_table().iloc[0]
        z = complex(row["active_impedance_ohm"])
        told = [f"{z.real:.1f}", f"{z.imag:+.1f}", _standing(float(row["active_vswr"].real))]
        table.add_row(
            *([one.case.name] if several else []),
            engineering(driven.frequency, "Hz", 6),
            *(told if lone else [f"{100.0 * (1.0 - driven.accepted / driven.incident):.2f}"]),
            *(_beam(one.field, broadside) if radiates else []),
        )
    title = "every case" if several else f"case {cases[0].case.name}"
    return titled(title, table)
