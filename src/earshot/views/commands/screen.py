"""Where commands print, and how they end."""

from __future__ import annotations

import logging
import sys
from collections.abc import Iterable
from typing import Any

from rich.console import Console

from ...errors import EarshotError, ModelError, RunError
from ...files.tables import json_text


def show(*things: Any) -> None:
    """Print tables and lines on standard output; colour only on a terminal."""
    # A pipe has no width to fit: let every line be as long as it is.
    console = Console(width=None if sys.stdout.isatty() else 240, highlight=False)
    for thing in things:
        console.print(thing)


def show_json(content: Any) -> None:
    """Print JSON and nothing else on standard output."""
    sys.stdout.write(json_text(content))


def complain(text: str) -> None:
    """Print on standard error."""
    Console(stderr=True, soft_wrap=True, highlight=False, markup=False).print(text)


def status_of(problem: EarshotError) -> int:
    """Exit status: 1 the model cannot be solved, 2 usage, 3 the run failed."""
    return 1 if isinstance(problem, ModelError) else 3 if isinstance(problem, RunError) else 2


class _Notes(logging.Handler):
    def emit(self, record: logging.LogRecord) -> None:
        complain(f"note: {record.getMessage()}")


def listen() -> None:
    """Send the library's remarks to standard error."""
    logger = logging.getLogger("earshot")
    logger.handlers = [_Notes()]
    logger.propagate = False


def paragraphs(things: Iterable[Any]) -> list[Any]:
    """The things with an empty line between them."""
    spaced: list[Any] = []
    for thing in things:
        spaced += [thing, ""]
    return spaced[:-1]
