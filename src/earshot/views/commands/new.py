"""earshot new: a ready-made antenna as a commented design file."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from ... import antennas
from ...errors import UsageError, unknown
from ...files.atomic import write_atomically
from ...files.design_file import design_from_text
from ...files.design_text import design_text
from ...files.editing import KEYS, changed, changes_of, in_array
from ...media.board import read_board
from ..tables import kinds_table
from .options import Json, Sets
from .screen import complain, show, show_json


def kinds() -> dict[str, Callable[..., Any]]:
    """Every ready-made antenna by the name it has on the command line."""
    return {name.replace("_", "-"): getattr(antennas, name) for name in antennas.__all__}


def _like(start: str) -> list[str]:
    return [name for name in kinds() if name.startswith(start)]


def _counted(make: Callable[..., Any]) -> dict[str, Any]:
    """What the antenna has numbers of, if anything: elements, radials, turns, rows; and how many unless said."""
    own = {p.name: p.default for p in inspect.signature(make).parameters.values() if p.annotation == "int"}
    return own or ({"turns": f"{dict(make('1 GHz').given)['turns'].is_:g}"} if make is antennas.helix else {})


def _numbers(kind: str, make: Callable[..., Any], count: str | None) -> dict[str, Any]:
    """How many are wanted, by what they are of: "5", or "2x4" where there are two; raises UsageError."""
    if count is None:
        return {}
    own, said = list(_counted(make)), count.lower().split("x")
    if not own:
        raise UsageError(f"new: a {kind} has no number of elements, radials or turns to choose: leave --count out")
    if len(said) > len(own) or not all(text.strip().isdigit() for text in said):
        like = "'5'" if len(own) == 1 else f"'2x4' for {own[0]} and {own[1]}, or '2' for {own[0]} alone"
        raise UsageError(f"new: --count {count}: write it like {like}")
    return {name: int(text) for name, text in zip(own, said, strict=False)}


Kind = Annotated[
    str | None, typer.Argument(metavar="[KIND]", help="Which antenna.", show_default=False, autocompletion=_like)
]
Frequency = Annotated[
    str | None, typer.Option("--frequency", "-f", metavar="F", help="What it is for, such as '150.1 MHz'.")
]
Count = Annotated[
    str | None,
    typer.Option(
        "--count", "-n", metavar="N|NxM", help="How many elements, radials, turns or patches; rows x columns."
    ),
]
Repeated = Annotated[
    str | None,
    typer.Option("--array", metavar="N|CxR", help="Repeat it: 6 in a line along y, '6 along z', or 3x6 in a grid."),
]
Apart = Annotated[str, typer.Option("--apart", metavar="LENGTH", help="From one element of the array to the next.")]
Out = Annotated[Path | None, typer.Option("--out", "-o", metavar="FILE", help="Where it goes; KIND.toml unless given.")]
List = Annotated[bool, typer.Option("--list", help="Say which antennas there are.")]
Force = Annotated[bool, typer.Option("--force", help="Write over a file that is there.")]


def new(
    kind: Kind = None,
    frequency: Frequency = None,
    count: Count = None,
    array: Repeated = None,
    apart: Apart = "0.6 lambda",
    sets: Sets = None,
    out: Out = None,
    wanted: List = False,
    force: Force = False,
    json: Json = False,
) -> None:
    """Write a ready-made antenna as a commented design file, or list those there are."""
    known = kinds()
    if wanted:
        rows = [_described(name, make) for name, make in known.items()]
        if json:
            show_json(rows)
        else:
            show(kinds_table(rows))
        return
    if kind is None or frequency is None:
        raise UsageError(
            "new: say which antenna and for which frequency, as in earshot new yagi -f '150.1 MHz'; or --list"
        )
    if kind not in known:
        raise UsageError(f"new: {unknown('antenna', kind, known)}")
    numbers = _numbers(kind, known[kind], count)
    changes = changes_of(sets)
    if "board" in changes and "board" in inspect.signature(known[kind]).parameters:
        # It is designed for its board, not put on it afterwards.
        told = dict(zip(("board", "thickness"), read_board(changes.pop("board")), strict=True))
        numbers |= {key: value for key, value in told.items() if value is not None}
    # Its own words first; what any design file may change, in the text they make.
    own = {name: told for name, told in changes.items() if name not in KEYS and name.isidentifier()}
    design = known[kind](frequency, **numbers, **own)
    target = out or Path(f"{kind}.toml")
    if target.exists() and not force:
        raise UsageError(f"'{target}' is there already: choose another place with --out, or --force")
    text = design_text(design)
    if len(own) < len(changes) or array is not None:
        file = design_from_text(text, target.name, target.parent)
        file = changed(file, {name: told for name, told in changes.items() if name not in own})
        text = design_text((file if array is None else in_array(file, array, apart)).design)
    write_atomically(target, lambda place: place.write_text(text, encoding="utf-8"))
    if json:
        show_json({"file": str(target), "antenna": design.antenna.name})
    else:
        show(str(target))
        complain(f"now try: earshot check {target}, earshot solve {target}")


def _described(name: str, make: Callable[..., Any]) -> dict[str, str]:
    counted = _counted(make)
    purpose = (inspect.getdoc(make) or "").split("\n\n")[0].replace("\n", " ")
    told = " x ".join(f"{what}, {many}" for what, many in counted.items())
    return {"kind": name, "count": told, "what for": purpose}
