"""earshot explain: what a printed figure means."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated

import typer

from ...errors import UsageError
from ...terms import term, terms
from ..tables import term_text, terms_table
from .options import Json
from .screen import show, show_json


def _like(start: str) -> list[str]:
    return [t.name for t in terms() if t.name.startswith(start)]


Words = Annotated[
    list[str] | None,
    typer.Argument(metavar="[TERM]", help="The figure, as it is printed.", show_default=False, autocompletion=_like),
]
List = Annotated[bool, typer.Option("--list", help="Say which terms there are.")]


def explain(words: Words = None, wanted: List = False, json: Json = False) -> None:
    """Say what a figure means: definition, formula and source."""
    if wanted or not words:
        if not wanted:
            raise UsageError("explain: which term? Name one, such as earshot explain realized gain; or --list")
        show_json([asdict(t) for t in terms()]) if json else show(terms_table(terms()))
        return
    found = term(" ".join(words))
    if json:
        show_json(asdict(found))
    else:
        show(term_text(found))
