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
from rich.segment import Segment
from rich.text import Text

from ...errors import EarshotError, ModelError, RunError
from ...lettering import visible
from ...running import reporting

_FIRST, _AGAIN = 1.0, 10.0
"""Seconds after which work is reported, and how often it is when that is not on a terminal."""


class _Plain(Console):
    """A console that writes control codes of what it is given out as text."""

    def render_str(self, text: str, **how: Any) -> Text:
        """A text as what is printed, with its true width."""
        return super().render_str(visible(text), **how)

    def render(self, renderable: Any, options: Any = None) -> Iterable[Segment]:
        """The segments to print."""
        for segment in super().render(renderable, options):
            yield segment if segment.control else Segment(visible(segment.text), segment.style)


def show(*things: Any) -> None:
    """Print tables and lines on standard output; colour only on a terminal."""
    # A pipe has no width to fit: let every line be as long as it is.
    # What stands in brackets is a name, not a colour, and no name gives orders to the terminal.
    console = _Plain(width=None if sys.stdout.isatty() else 240, highlight=False, markup=False, emoji=False)
    for thing in things:
        console.print(thing)


def show_json(content: Any) -> None:
    """Print JSON and nothing else on standard output."""
    from ...files.tables import json_text

    sys.stdout.write(json_text(content))


def complain(text: str) -> None:
    """Print on standard error."""
    Console(stderr=True, soft_wrap=True, highlight=False, markup=False, emoji=False).print(visible(text))


def status_of(problem: EarshotError) -> int:
    """Exit status: 1 the model cannot be solved, 2 usage, 3 the run failed."""
    return 1 if isinstance(problem, ModelError) else 3 if isinstance(problem, RunError) else 2


class _Notes(logging.Handler):
    """Remarks, each once, however many tries of a study call for it."""

    def __init__(self) -> None:
        super().__init__()
        self.said: set[str] = set()

    def emit(self, record: logging.LogRecord) -> None:
        words = record.getMessage()
        if words not in self.said:
            self.said.add(words)
            complain(f"note: {words}")


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
