"""The first screen of models side by side: a row for each, its match and its beam, in as many digits as one reads."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING

from rich.console import Group

from ..fields import words
from ..fields.polarisation import LINEAR
from ..units import engineering
from .tables import plain_table, titled

if TYPE_CHECKING:
    import pandas as pd

Tell = Callable[[float], str]
_MOST = 10
_UPRIGHT = 89.95
_WIDE, _NARROWEST = 80, 12


def _places(digits: int, sign: str = "") -> Tell:
    return lambda value: f"{words.unsigned(value, digits):{sign}.{digits}f}"


def _megahertz(value: float) -> str:
    return engineering(1e6 * value, "Hz", 5)


def _standing(value: float) -> str:
    return f"{value:.3g}" if value < 1000.0 else "> 1000"


def _share(value: float) -> str:
    return f"{100.0 * value:.1f}"


def _level(value: float) -> str:
    return _places(1)(value) if abs(value) < words.BURIED else f"> {words.BURIED:.0f}"


def _axial(value: float) -> str:
    return "linear" if value > LINEAR else f"{value:.1f}"


_MATCH: dict[str, tuple[str, Tell]] = {
    "R, ohm": ("R", _places(2)),
    "X, ohm": ("X", _places(2, "+")),
    "VSWR": ("VSWR", _standing),
    "loss, dB": ("return loss", _places(1)),
    "resonance": ("nearest resonance", _megahertz),
    "Q": ("Q", _places(1)),
    "VSWR 2, %": ("bandwidth", lambda value: f"{value:.3g}"),
}
_BEAM: dict[str, tuple[str, Tell]] = {
    "gain": ("gain", _places(2)),
    "realized": ("realized gain", _places(2)),
    "eff., %": ("total efficiency", _share),
    "az": ("azimuth of peak", _places(0)),
    "el": ("elevation of peak", _places(1)),
    "E": ("half-power beamwidth, E-plane", _places(1)),
    "H": ("half-power beamwidth, H-plane", _places(1)),
    "F/B": ("front-to-back ratio", _level),
    "lobe": ("side lobe level", _level),
    "axes": ("axial ratio at the peak", _axial),
}


def told_as(figure: str, value: float) -> str:
    """A figure in as many digits as one reads."""
    if math.isnan(value):
        return "-"
    own: dict[str, Tell] = dict([*_MATCH.values(), *_BEAM.values()])
    return own[figure](value) if figure in own else f"{value:.4g}"


def compared(table: pd.DataFrame, title: str) -> Iterator[Group]:
    """The match and the beam of models, of a table as `compare` gives; what no model has is left out.

    Of several ports, each has a row; of many, the one with the worst match.
    """
    models = [str(name) for name in table.columns if name != "unit"]
    ports = _ports(table)
    rows = [(m, p) for m in models for p in ports if not math.isnan(_value(table, f"VSWR{p}", m))]
    more = ""
    if len(rows) > max(_MOST, len(models)):
        rows = [(m, max((p for x, p in rows if x == m), key=lambda p: _value(table, f"VSWR{p}", m))) for m in
                dict.fromkeys(m for m, _ in rows)]  # fmt: skip
        more = ", the port matched worst"
    named = [f"{m}{p.replace(' at ', ', ')}" for m, p in rows]
    match = [[_value(table, f"{figure}{p}", m) for figure, _ in _MATCH.values()] for m, p in rows]
    others = "" if ports == [""] else ", other ports closed by their references"
    yield _table(f"{title}: match{more}{others}", named, _MATCH, match)
    beam = [[_value(table, figure, m) for figure, _ in _BEAM.values()] for m in models]
    az, el = list(_BEAM).index("az"), list(_BEAM).index("el")
    for row in beam:
        # Straight up there is no azimuth.
        row[az] = row[az] if abs(row[el]) < _UPRIGHT else math.nan
    if any(not math.isnan(v) for row in beam for v in row):
        axial = [row[-1] for row in beam if not math.isnan(row[-1])]
        linear = bool(axial) and min(axial) > LINEAR
        heads = dict(list(_BEAM.items())[:-1]) if linear else _BEAM
        title = f"beam{', all linear' if linear else ''}: gain in dBi, angles in deg, ratios in dB"
        yield _table(title, models, heads, beam)
    sectors = {str(figure): (str(figure), _places(2)) for figure in table.index if str(figure).startswith("sector ")}
    if sectors:
        told = {name.removeprefix("sector "): one for name, one in sectors.items()}
        yield _table("gain within sectors, dBi", models, told, [[_value(table, f, m) for f in sectors] for m in models])


def _ports(table: pd.DataFrame) -> list[str]:
    """What stands behind a port's figures: nothing of a lone one."""
    return [str(f).removeprefix("VSWR") for f in table.index if f == "VSWR" or str(f).startswith("VSWR at ")]


def _value(table: pd.DataFrame, figure: str, model: str) -> float:
    return float(table[model].get(figure, math.nan))


def _table(
    title: str, names: Sequence[str], heads: Mapping[str, tuple[str, Tell]], rows: Sequence[Sequence[float]]
) -> Group:
    """A table of what some have of those who have something; long names fold, numbers do not."""
    kept = [i for i in range(len(heads)) if any(not math.isnan(row[i]) for row in rows)]
    tell = [tell for _, tell in heads.values()]
    shown = [[name for i, name in enumerate(heads) if i in kept]]
    shown += [["-" if math.isnan(row[i]) else tell[i](row[i]) for i in kept] for row in rows]
    table = plain_table([("model", False), *((name, True) for name in shown[0])])
    taken = sum(2 + max(map(len, column)) for column in zip(*shown, strict=True))
    table.columns[0].max_width = max(_WIDE - taken - 2, _NARROWEST)
    for column in table.columns[1:]:
        column.no_wrap = True
    for name, cells in zip(names, shown[1:], strict=True):
        if set(cells) != {"-"}:
            table.add_row(name, *cells)
    return titled(title, table)
