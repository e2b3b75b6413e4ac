"""The command line as a whole."""

from __future__ import annotations

import ast
from collections.abc import Sequence
from importlib import import_module
from pathlib import Path
from typing import Annotated, Any

import typer
from typer.core import TyperGroup

from ... import __version__
from ...errors import EarshotError, UsageError, unknown
from .screen import complain, listen, status_of

COMMANDS = (
    "demo",
    "new",
    "check",
    "beams",
    "cell",
    "solve",
    "show",
    "ask",
    "plot",
    "compare",
    "report",
    "diff",
    "vary",
    "effects",
    "tune",
    "optimise",
    "fit",
    "match",
    "circuit",
    "tolerate",
    "study",
    "path",
    "coverage",
    "scene",
    "store",
    "cut-list",
    "export",
    "explain",
    "convert",
    "materials",
)
"""One file each, imported when the command is run or asked for its help."""


class _Commands(TyperGroup):
    def list_commands(self, _context: Any) -> list[str]:
        return list(COMMANDS)

    def get_command(self, context: Any, name: str) -> Any:
        if name not in COMMANDS:
            if context.resilient_parsing:
                return None
            raise UsageError(unknown("command", name, COMMANDS))
        word = name.replace("-", "_")
        alone = typer.Typer(add_completion=False, pretty_exceptions_enable=False, rich_markup_mode=None)
        alone.command(name)(getattr(import_module(f"{__package__}.{word}"), word))
        return typer.main.get_command(alone)

    def format_commands(self, _context: Any, formatter: Any) -> None:
        """Every command with what it is for, whole; none of them is imported for it."""
        with formatter.section("Commands"):
            formatter.write_dl([(name, _purpose(name)) for name in COMMANDS])


def _purpose(name: str) -> str:
    """The first paragraph of what a command's function says of itself."""
    word = name.replace("-", "_")
    tree = ast.parse(Path(__file__).with_name(f"{word}.py").read_text(encoding="utf-8"))
    own = next(node for node in tree.body if isinstance(node, ast.FunctionDef) and node.name == word)
    return " ".join((ast.get_docstring(own) or "").partition("\n\n")[0].split())


app = typer.Typer(
    name="earshot",
    cls=_Commands,
    help="Wire and patch antennas and their arrays, by the method of moments.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["--help", "-h"]},
)


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"earshot {__version__}")
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
    except MemoryError:
        complain(
            "error: the run needs more memory than there is: use fewer points, a coarser mesh or fewer frequencies"
        )
        return 3
    except Exception as problem:
        return _unforeseen(problem)
    return 0


def _unforeseen(problem: Exception) -> int:
    """Say where an error came up that nobody foresaw: the run failed."""
    import traceback

    last = traceback.extract_tb(problem.__traceback__)[-1]
    complain(f"error: {type(problem).__name__}: {str(problem)[:200]} ({Path(last.filename).name}, line {last.lineno})")
    complain("this is a fault of Earshot, not of your model: please report it with the design file and this line")
    return 3
