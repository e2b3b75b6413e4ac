"""Who does the work of a study: this process, several on this machine, or a cluster that is there already.

Work is a function of a job, both of which can be sent; results come in the order of the jobs, whoever does them.
"""

from __future__ import annotations

import multiprocessing
import os
import re
import time
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import BrokenExecutor, Future, ProcessPoolExecutor, wait
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any, TypeVar

from .. import units
from ..errors import RunError, UsageError
from ..running import report

J = TypeVar("J")
R = TypeVar("R")
_ANSWERS = "10 s"
"""How long a cluster may take to answer."""
_ADDRESS = re.compile(r"(?:[a-z]+://)?[^:/\s]+:\d+")
_CHUNKS = 8
_AGAIN = 3
"""How many times a job is done whose worker is lost."""
_TELLING = 90.0


@dataclass(frozen=True, slots=True)
class Crew:
    """How many local processes, or the address of a cluster's scheduler, such as "tcp://127.0.0.1:8786"."""

    processes: int = 1
    cluster: str | None = None

    def __post_init__(self) -> None:
        units.count(self.processes, "processes", 1, 1024)
        if self.cluster is not None and self.processes > 1:
            raise UsageError("give processes or a cluster, not both")
        if self.cluster is not None and not _ADDRESS.fullmatch(self.cluster):
            raise UsageError(f"cluster '{self.cluster}': write its scheduler's address like tcp://127.0.0.1:8786")

    @property
    def alone(self) -> bool:
        """Whether this process does it all."""
        return self.cluster is None and self.processes == 1

    def each(self, work: Callable[[J], R], jobs: Sequence[J], what: str) -> Iterator[R]:
        """What work makes of every job, in order; says how far it is and how long the rest will take."""
        told = _Told(what, len(jobs))
        if self.cluster is not None:
            yield from told(_on_cluster(self.cluster, work, jobs))
        elif self.alone or len(jobs) < 2:
            yield from told(work(job) for job in jobs)
        else:
            yield from told(_side_by_side(min(self.processes, len(jobs)), work, jobs))


class _Told:
    """Says which job is done, and how long the rest will take at the pace so far."""

    def __init__(self, what: str, count: int) -> None:
        self.what, self.count = what, count

    def __call__(self, results: Any) -> Iterator[Any]:
        start = time.perf_counter()
        report(f"{self.what} 1 of {self.count}")
        for number, result in enumerate(results, 1):
            if number < self.count:
                left = (time.perf_counter() - start) / number * (self.count - number)
                report(f"{self.what} {number + 1} of {self.count}, {time_left(left)} left")
            yield result


def time_left(seconds: float) -> str:
    """In words: "40 s", "12 min"."""
    return f"{seconds:.0f} s" if seconds < _TELLING else f"{seconds / 60.0:.0f} min"


def _side_by_side(count: int, work: Callable[[J], R], jobs: Sequence[J]) -> Iterator[R]:
    """Over so many processes, this one among them: it works while the others still start."""
    # What jobs share, such as a design, is sent once for several of them.
    size = max(len(jobs) // (_CHUNKS * count), 1)
    waiting = deque(enumerate(jobs[first : first + size] for first in range(0, len(jobs), size)))
    done: dict[int, list[R]] = {}
    # Each process has its share of the cores.
    share = max((os.cpu_count() or 1) // count, 1)
    number, last = 0, len(waiting)
    with _threads(share), _Others(count - 1, share, work) as others:
        while number < last:
            while waiting and others.free:
                others.take(*waiting.popleft())
            own = waiting.popleft() if waiting else None
            if own is not None:
                done[own[0]] = [work(job) for job in own[1]]
            done |= others.ready(wanted=None if own is not None or number in done else number)
            while number in done:
                yield from done.pop(number)
                number += 1


class _Others:
    """Processes beside this one. Where one is lost they are started anew, and do again what was not done."""

    def __init__(self, count: int, share: int, work: Callable[[Any], Any]) -> None:
        self.count, self.share, self.work, self.lost = count, share, work, 0
        self.doing: dict[int, tuple[Sequence[Any], Future[list[Any]]]] = {}
        self.pool = self._started()

    def _started(self) -> ProcessPoolExecutor:
        context = multiprocessing.get_context("spawn")
        return ProcessPoolExecutor(self.count, context, _limit_threads, (self.share,))

    def __enter__(self) -> _Others:
        return self

    def __exit__(self, *_: object) -> None:
        self.pool.shutdown(wait=True, cancel_futures=True)

    @property
    def free(self) -> bool:
        """Whether there is room for more: one in work and one in waiting for each."""
        return len(self.doing) < 2 * self.count

    def take(self, number: int, jobs: Sequence[Any]) -> None:
        """Do some jobs under a number."""
        try:
            future = self.pool.submit(_all_of, self.work, jobs)
        except BrokenExecutor:
            # Lost since it was last looked at.
            self._again()
            future = self.pool.submit(_all_of, self.work, jobs)
        self.doing[number] = jobs, future

    def ready(self, wanted: int | None) -> dict[int, list[Any]]:
        """What is done, by number; waits for the wanted one."""
        if wanted is not None and wanted in self.doing:
            wait([self.doing[wanted][1]])
        try:
            found = {number: future.result() for number, (_, future) in self.doing.items() if future.done()}
        except BrokenExecutor:
            self._again()
            return {}
        for number in found:
            del self.doing[number]
        return found

    def _again(self) -> None:
        self.lost += 1
        if self.lost > _AGAIN:
            raise RunError(
                f"processes of the study were lost {self.lost} times, most likely for want of memory: use fewer "
                "processes, or a coarser mesh"
            )
        self.pool.shutdown(wait=True, cancel_futures=True)
        self.pool = self._started()
        for number, (jobs, future) in list(self.doing.items()):
            if not future.done() or future.cancelled() or future.exception() is not None:
                self.take(number, jobs)


def _all_of(work: Callable[[J], R], jobs: Sequence[J]) -> list[R]:
    return [work(job) for job in jobs]


def _limit_threads(share: int) -> None:
    """Threads of one process among others."""
    from threadpoolctl import threadpool_limits

    os.environ["EARSHOT_THREADS"] = str(share)
    threadpool_limits(share)


@contextmanager
def _threads(share: int) -> Iterator[None]:
    """The same of this process, for a while."""
    from threadpoolctl import threadpool_limits

    before = os.environ.get("EARSHOT_THREADS")
    os.environ["EARSHOT_THREADS"] = str(share)
    try:
        with threadpool_limits(share):
            yield
    finally:
        if before is None:
            del os.environ["EARSHOT_THREADS"]
        else:
            os.environ["EARSHOT_THREADS"] = before


def _on_cluster(address: str, work: Callable[[J], R], jobs: Sequence[J]) -> Iterator[R]:
    """On a cluster of dask.distributed; a lost worker's job is done by another."""
    try:
        from distributed import Client, KilledWorker
    except ImportError:
        raise UsageError("a cluster needs the package 'distributed': install earshot[cluster]") from None
    try:
        client = Client(address, timeout=_ANSWERS, set_as_default=False)  # type: ignore[no-untyped-call]
    except (OSError, ValueError, TypeError) as problem:
        raise RunError(
            f"cluster '{address}' does not answer within {_ANSWERS} ({type(problem).__name__}): start its scheduler, "
            "or look at the address, such as tcp://127.0.0.1:8786"
        ) from None
    with client:
        if not client.scheduler_info()["workers"]:
            raise RunError(f"cluster '{address}' has no workers: start one, or leave the cluster out")
        waiting = client.map(work, jobs, retries=_AGAIN, pure=False)
        for future in waiting:
            try:
                result = future.result()
            except (RuntimeError, ImportError, OSError, KilledWorker) as problem:
                raise RunError(
                    f"cluster '{address}' could not do a job ({type(problem).__name__}): its workers "
                    "need the same earshot and packages as here"
                ) from None
            yield result
