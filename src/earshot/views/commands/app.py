"""The command line as a whole."""

from __future__ import annotations

from collections.abc import Sequence
from importlib.metadata import version
from typing import Annotated

import typer

from ...errors import EarshotError
from .check import check
from .compare import compare
from .convert import convert
from .cut_list import cut_list
from .demo import demo
from .diff import diff
from .explain import explain
from .new import new
from .plot import plot
from .screen import complain, listen, status_of
from .show import show
from .solve import solve

app = typer.Typer(
    name="earshot",
    help="Wire antennas by the method of moments.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["--help", "-h"]},
)
for command in (demo, new, check, solve, show, plot, compare, diff, cut_list, explain, convert):
    app.command()(command)


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"earshot {version('earshot')}")
        raise typer.Exit


@app.callback()
def earshot(
    show_version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Say which version.")
    ] = False,
) -> None:
    """Wire antennas by the method of moments: describe, check, solve, look."""


def main(argv: Sequence[str] | None = None) -> int:
    """Run a command; returns 0 done, 1 the model has findings that stop it, 2 usage, 3 the run failed."""
    listen()
    try:
        app(None if argv is None else list(argv), prog_name="earshot")
    except SystemExit as end:
        return end.code if isinstance(end.code, int) else 0
    except EarshotError as problem:
        for line in str(problem).splitlines():
            complain(f"error: {line}")
        return status_of(problem)
    return 0
