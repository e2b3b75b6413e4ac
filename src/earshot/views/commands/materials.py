"""earshot materials: what is known by name, with its constants."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

import pandas as pd
import typer

from ...errors import UsageError, unknown
from ...media.catalogue import Catalogue
from ...media.earth import earths
from ...media.metals import metals
from ...media.stack import dielectrics
from ..tables import frame_table
from .options import Json
from .screen import show, show_json

_UNITS = {
    "conductivity": "conductivity, S/m",
    "permittivity": "relative permittivity",
    "permeability": "relative permeability",
    "loss_tangent": "loss tangent",
}
_KINDS: dict[str, Catalogue[Any]] = {"metals": metals, "dielectrics": dielectrics, "earths": earths}


def materials(
    kind: Annotated[
        str | None, typer.Argument(metavar="[KIND]", help="metals, dielectrics or earths.", show_default=False)
    ] = None,
    json: Json = False,
) -> None:
    """List metals, dielectrics and kinds of earth by name, with their constants and where those are from."""
    if kind is not None and kind not in _KINDS:
        raise UsageError(f"materials: {unknown('kind', kind, _KINDS)}")
    chosen = {kind: _KINDS[kind]} if kind else _KINDS
    if json:
        show_json({name: [asdict(thing) for thing in known.values()] for name, known in chosen.items()})
        return
    for name, known in chosen.items():
        table = pd.DataFrame([asdict(thing) for thing in known.values()])
        table = table.map(lambda x: f"{x:g}" if isinstance(x, float) else x)
        show(frame_table(table.rename(columns=_UNITS), name))
