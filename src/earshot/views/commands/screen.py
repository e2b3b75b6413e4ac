"""Where commands print, and how they end."""

from __future__ import annotations

import logging
import sys
import threading
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

from rich.console import Console

from ...errors import EarshotError, ModelError, RunError
from ...running import reporting

_FIRST, _AGAIN = 1.0, 10.0
"""Seconds after which work is reported, and how often it is when that is not on a terminal."""


def show(*things: Any) -> None:
    """Print tables and lines on standard output; colour only on a terminal."""
    # A pipe has no width to fit: let every line be as long as it is.
    console = Console(width=None if sys.stdout.isatty() else 240, highlight=False)
    for thing in things:
        console.print(thing)


def show_json(content: Any) -> None:
    """Print JSON and nothing else on standard output."""
    from ...files.tables import json_text

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


class _Progress:
    """What is being done, once it has taken a second: a line that changes on a terminal, else one now and then."""

    def __init__(self) -> None:
        self.words, self.start = "working", time.monotonic()
        console = Console(stderr=True, highlight=False)
        self.status = console.status(self.words, spinner="line") if console.is_terminal else None
        self.done = threading.Event()
        self.watch = threading.Thread(target=self._watch, daemon=True)

    def __call__(self, words: str) -> None:
        self.words = words
        if self.status is not None:
            self.status.update(words)

    def _watch(self) -> None:
        wait = _FIRST
        while not self.done.wait(wait):
            if self.status is not None:
                self.status.start()
            else:
                complain(f"{time.monotonic() - self.start:.0f} s: {self.words}")
            wait = _AGAIN

    def end(self) -> None:
        self.done.set()
        self.watch.join()
        if self.status is not None:
            self.status.stop()


@contextmanager
def progress() -> Iterator[None]:
    """Report what is done inside on standard error, once it takes over a second."""
    one = _Progress()
    one.watch.start()
    try:
        with reporting(one):
            yield
    finally:
        one.end()


def paragraphs(things: Iterable[Any]) -> list[Any]:
    """The things with an empty line between them."""
    spaced: list[Any] = []
    for thing in things:
        spaced += [thing, ""]
    return spaced[:-1]
