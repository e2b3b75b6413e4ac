"""What is read first of an antenna fed through a circuit: beams, inputs, and where the power goes."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any

from rich.text import Text

from ..fields import words
from ..network.feed import ANTENNA, inputs_of
from ..runs.questions import beam_rows, heard_rows
from ..units import engineering
from .first import headline
from .tables import plain_table, titled

if TYPE_CHECKING:
    import pandas as pd

    from ..network.flow import Flow
    from ..runs.run import CaseRun, Run

_LEAST = 1e-9


def circuit_screen(run: Run) -> Iterator[Any]:
    """Tables of the cases that go through the circuit: one row each; then where the power of the first goes."""
    fed = [(one.title, one) for one in run.cases if one.driven.feed is not None]
    heard = [(one.title, one) for one in run.cases if one.driven.heard is not None]
    yield headline(run.solution)
    if fed:
        yield _beams(beam_rows(fed), fed[0][1])
        yield _inputs([one for _, one in fed])
        flow = fed[0][1].driven.feed
        assert flow is not None
        yield _power(flow, fed[0][1].title)
    if heard:
        yield _heard(heard_rows(heard), heard[0][1])


def _place(row: Any, broadside: bool) -> str:
    theta, phi = row["theta_deg"], row["phi_deg"]
    return f"{theta:.1f}, {phi:.0f}" if broadside else f"{phi:.1f}, {words.unsigned(90.0 - theta, 1):.1f}"


def _wide(value: float | None) -> str:
    return "-" if value is None or not math.isfinite(value) else f"{value:.1f}"


def _beams(table: pd.DataFrame, first: CaseRun) -> Any:
    broadside = first.driven.antenna.medium.layered
    several = len({hertz for _, hertz in table.index}) > 1
    held = bool((table["compressed_dB"] > 0.05).any())
    columns = ["case", *(["frequency"] if several else []), "peak off, az" if broadside else "peak az, el", "EIRP, dBW"]
    columns += ["over sent, dB", "gain, dBi", "widths E, H", "side lobe", *(["held back, dB"] if held else [])]
    shown = plain_table([(name, name != "case") for name in columns])
    for (name, hertz), (_, row) in zip(table.index.to_list(), table.iterrows(), strict=True):
        shown.add_row(
            str(name),
            *([engineering(float(hertz), "Hz", 5)] if several else []),
            _place(row, broadside),
            f"{row['EIRP_dBW']:.2f}",
            f"{row['EIRP_over_sent_dB']:.2f}",
            f"{row['gain_dBi']:.2f}",
            f"{_wide(row['beamwidth_E_deg'])}, {_wide(row['beamwidth_H_deg'])}",
            _wide(row["side_lobe_dB"]),
            *([f"{row['compressed_dB']:.2f}"] if held else []),
        )
    place = "" if several else f" at {engineering(float(table.index[0][1]), 'Hz', 6)}"
    return titled(f"beams{place}", shown)


def _heard(table: pd.DataFrame, first: CaseRun) -> Any:
    broadside = first.driven.antenna.medium.layered
    columns = ["case", "frequency", "peak off, az" if broadside else "peak az, el", "gain, dBi", "to output, dB"]
    shown = plain_table([(name, name != "case") for name in [*columns, "noise, K", "of parts, K", "G/T, dB/K"]])
    for (name, hertz), (_, row) in zip(table.index.to_list(), table.iterrows(), strict=True):
        shown.add_row(
            str(name), engineering(float(hertz), "Hz", 5), _place(row, broadside), f"{row['gain_dBi']:.2f}",
            f"{row['gain_to_output_dB']:.2f}", f"{row['noise_K']:.4g}", f"{row['of_circuit_K']:.4g}",
            f"{row['G_over_T_dB_per_K']:.2f}",
        )  # fmt: skip
    return titled("reception", shown)


def _inputs(cases: Sequence[CaseRun]) -> Any:
    """A row for every input that is driven, with the element that is matched worst as all are driven."""
    columns = ["case", "input", "impedance, ohm", "VSWR", "returned, %", "worst element, active VSWR"]
    shown = plain_table([(name, name not in ("case", "input")) for name in columns])
    for one in cases:
        assert one.driven.feed is not None
        ports = one.driven.ports_table()["active_vswr"].loc[list(one.driven.driven)].map(lambda x: x.real)
        worst = f"{ports.idxmax()}: {_ratio(float(ports.max()))}"
        for name, row in inputs_of(one.driven.feed).iterrows():
            z = complex(row["impedance_ohm"])
            shown.add_row(
                one.case.name, str(name), f"{z.real:.1f} {z.imag:+.1f}j" if math.isfinite(abs(z)) else "open",
                _ratio(row["vswr"].real), f"{100.0 * row['returned_W'].real / row['sent_W'].real:.2f}", worst,
            )  # fmt: skip
    return titled("inputs", shown)


def _ratio(value: float) -> str:
    return f"{value:.2f}" if value < 100.0 else "above 100"


def _power(flow: Flow, title: str) -> Any:
    """What parts take or give, those that are alike in a row together; it adds up to what is sent."""
    shown = plain_table([("", False), ("power", True), ("of what is sent, %", True)])
    back = float((abs(flow.returned) ** 2).sum())
    rows = {"sent": flow.power_sent, "out of the inputs": back}
    alike: dict[str, list[float]] = {}
    for part, power in flow.budget().items():
        alike.setdefault(re.sub(r"\d+", "#", str(part)), []).append(float(power))
    antenna = alike.pop(ANTENNA)
    for name, powers in alike.items():
        kind = name.replace(" #", "").replace("#", "")
        rows[f"{kind}, {len(powers)} alike" if len(powers) > 1 else kind] = math.fsum(powers)
    rows["into the antenna"] = antenna[0]
    for name, power in rows.items():
        if abs(power) > _LEAST * flow.power_sent:
            told = f"{name}: gives" if power < 0.0 else name
            shown.add_row(Text(told), engineering(abs(power), "W", 4), f"{100.0 * abs(power) / flow.power_sent:.4g}")
    return titled(f"power in {title}", shown)
