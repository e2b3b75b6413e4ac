"""Running kernels: over several threads, and with a word before the first compilation."""

from __future__ import annotations

import logging
import math
import os
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from contextlib import contextmanager
from contextvars import ContextVar
from functools import cache
from pathlib import Path
from typing import Any

_log = logging.getLogger("earshot")

# The linear-algebra library's idle threads spin for a while after every factorisation, on the processors that the next
# fill needs: let them sleep at once. It reads this when it is loaded; what the user has set stands.
os.environ.setdefault("OPENBLAS_THREAD_TIMEOUT", "4")


def announce(kernel: Any) -> None:
    """Say that a kernel is about to be compiled, when no earlier run has left it in the cache."""
    if kernel.signatures or list(Path(kernel.stats.cache_path).glob(f"*{kernel.__name__}-*.nbi")):
        return
    _log.warning("compiling '%s': once per installation, up to 20 seconds", kernel.__name__)


_listener: ContextVar[Callable[[str], None] | None] = ContextVar("listener", default=None)


def report(doing: str) -> None:
    """Say what is being done, to whoever listens."""
    listener = _listener.get()
    if listener is not None:
        listener(doing)


@contextmanager
def reporting(listener: Callable[[str], None]) -> Iterator[None]:
    """Have what is done inside reported to a listener, in words."""
    token = _listener.set(listener)
    try:
        yield
    finally:
        _listener.reset(token)


class Record:
    """What a run took, stage by stage: seconds, the most memory a stage asked for; and how frequencies were solved."""

    def __init__(self) -> None:
        self.seconds: dict[str, float] = {}
        self.times: dict[str, int] = {}
        self.bytes: dict[str, int] = {}
        self.ways: dict[float, str] = {}

    @contextmanager
    def stage(self, name: str, size: int = 0) -> Iterator[None]:
        """Count the time inside as the stage's, and `size` bytes as asked for."""
        start = time.perf_counter()
        try:
            yield
        finally:
            self.seconds[name] = self.seconds.get(name, 0.0) + time.perf_counter() - start
            self.times[name] = self.times.get(name, 0) + 1
            self.took(name, size)

    def took(self, name: str, size: int) -> None:
        """Count bytes as asked for by a stage."""
        self.bytes[name] = max(self.bytes.get(name, 0), size)


def free_memory() -> int:
    """Bytes that can be had without pushing anything out."""
    import psutil

    return int(psutil.virtual_memory().available)


def thread_count() -> int:
    """Processors this process may use, or EARSHOT_THREADS when that is set."""
    given = os.environ.get("EARSHOT_THREADS")
    if given:
        return int(given)
    # Only some systems tell which processors a process may use.
    allowed = getattr(os, "sched_getaffinity", None)
    return len(allowed(0)) if allowed else os.cpu_count() or 1


_HELPER = "earshot-helper"


@cache
def _helpers(count: int) -> ThreadPoolExecutor:
    """Threads that wait for work: starting them takes as long as a small sum."""
    return ThreadPoolExecutor(count, _HELPER)


if hasattr(os, "register_at_fork"):
    # A copied process has none of its parent's threads.
    os.register_at_fork(after_in_child=_helpers.cache_clear)


def in_threads(work: Callable[[Any], None], shares: Sequence[Any]) -> None:
    """Call work(share) for every share, side by side; the first error is raised, when all are done."""
    if len(shares) < 2 or threading.current_thread().name.startswith(_HELPER):
        # Within a share there is nobody left to help.
        for share in shares:
            work(share)
        return
    helpers = _helpers(len(shares) - 1)
    others = [helpers.submit(work, share) for share in shares[1:]]
    try:
        work(shares[0])
    finally:
        wait(others)
    for other in others:
        other.result()


def in_parallel(work: Callable[[Any], Any], things: Sequence[Any]) -> list[Any]:
    """What work(thing) returns for every thing, in order, done side by side."""
    found: dict[int, Any] = {}

    def some(numbers: range) -> None:
        for n in numbers:
            found[n] = work(things[n])

    count = thread_count()
    in_threads(some, [range(first, len(things), count) for first in range(min(count, len(things)))])
    return [found[n] for n in range(len(things))]


def in_shares(work: Callable[[slice], None], count: int, least: int = 1) -> None:
    """Call work(share) for as many shares of 0 to count as there are threads, side by side; none below `least`."""
    step = max(math.ceil(count / thread_count()), least)
    in_threads(work, [slice(i, i + step) for i in range(0, count, step)])
