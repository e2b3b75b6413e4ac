"""The formats that results are written in, one register: endings, what each holds, and how it is written."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from .. import units
from ..answers.evidence import Evidence
from ..answers.solution import Solution
from ..checks.findings import Findings
from ..description.antenna import Antenna
from ..description.design import Design
from ..errors import UsageError
from ..fields.currents import Currents
from ..network.network import Network
from .atomic import write_atomically
from .design_file import DesignFile
from .tables import flat, json_text, network_table, records
from .touchstone import is_touchstone, write_touchstone


@dataclass(frozen=True, slots=True)
class Format:
    """A format. endings: in words; fits: whether a path is of it; holds: what, in words, and kinds, their types.

    write: takes what it holds and a path; `parameters` and `form` besides, where networks go.
    """

    endings: str
    fits: Callable[[Path], bool]
    holds: str
    kinds: tuple[type, ...]
    write: Callable[..., Path]


def _ends(*endings: str) -> Callable[[Path], bool]:
    return lambda path: path.suffix.lower() in endings


# What writes is loaded when something is written.
def _solution(solution: Solution, path: Path, **_: str) -> Path:
    from .results import write_results

    return write_results(solution, path)


def _currents(currents: Currents, path: Path, **_: str) -> Path:
    from .triangles import write_vtk

    return write_vtk(currents, path)


def _design(
    given: Design | DesignFile | Antenna, path: Path, *, frequency: str | float | None = None, **_: str
) -> Path:
    from .design_text import antenna_text, design_text

    if isinstance(given, Antenna):
        if frequency is None:
            raise UsageError(
                f"'{path.name}': a design file says where 'lambda' is measured: give write(..., frequency=...)"
            )
        text = antenna_text(given, units.frequency(frequency))
    else:
        text = design_text(given.design if isinstance(given, DesignFile) else given)
    return write_atomically(path, lambda place: place.write_text(text, encoding="utf-8"))


def _table(result: Any, path: Path, **how: str) -> Path:
    table = network_table(result, **how) if isinstance(result, Network) else result
    table = table.to_frame() if isinstance(table, Evidence | Findings) else table
    if not hasattr(table, "reset_index"):
        raise UsageError(
            f"'{path.name}': a {type(result).__name__} is no table; write one of its tables, such as .summary() "
            "or .cut('E')"
        )
    if path.suffix.lower() == ".csv":
        return write_atomically(path, lambda place: flat(table).to_csv(place, index=False))
    return write_atomically(path, lambda place: place.write_text(json_text(records(table)), encoding="utf-8"))


FORMATS = (
    Format(".s1p, .s2p, ... or .ts", is_touchstone, "networks", (Network,), write_touchstone),
    Format(".nc", _ends(".nc"), "a Solution", (Solution,), _solution),
    Format(".toml", _ends(".toml"), "a Design or an Antenna", (Design, DesignFile, Antenna), _design),
    Format(".vtu", _ends(".vtu"), "currents", (Currents,), _currents),
    Format(".csv and .json", _ends(".csv", ".json"), "tables and networks", (object,), _table),
)


def known(path: Path) -> bool:
    """Whether a path ends as one of the formats does."""
    return any(one.fits(path) for one in FORMATS)


def endings() -> str:
    """All endings, in words."""
    return ", ".join(one.endings for one in FORMATS)


def write(
    result: Any, path: str | Path, *, parameters: str = "S", form: str = "RI", frequency: str | float | None = None
) -> Path:
    """Write a result by the ending of the path. The file appears whole or not at all.

    .csv, .json: a `Network`, a pandas table or labelled samples such as a cut. .s1p, .s2p, ... and .ts: a network as
    Touchstone 1 or 2. Networks hold parameters "S", "Y" or "Z" in the form "RI", "MA" or "DB". .nc: a `Solution`, to be
    opened with `read_results`. .toml: a `Design`, or an `Antenna` and the frequency it is for, as a design file. .vtu:
    the currents of a drive on their mesh, VTK's. Raises UsageError for a result that the ending cannot hold, RunError
    when the place cannot be written to.

    >>> import pandas as pd
    >>> print(write(pd.DataFrame({"x": [1, 2]}), getfixture("tmp_path") / "x.csv").read_text())
    x
    1
    2
    <BLANKLINE>
    """
    target = Path(path)
    own = tuple(kind for one in FORMATS for kind in one.kinds if kind not in (object, Network))
    for one in FORMATS:
        # What has a format of its own is no table.
        if one.fits(target) and isinstance(result, one.kinds) and not (object in one.kinds and isinstance(result, own)):
            how = {"parameters": parameters, "form": form}
            return one.write(result, target, **how, **({"frequency": frequency} if frequency is not None else {}))
    places = "; ".join(f"{one.holds} to {one.endings}" for one in FORMATS)
    raise UsageError(f"'{target.name}': {type(result).__name__} cannot be written there: write {places}")
