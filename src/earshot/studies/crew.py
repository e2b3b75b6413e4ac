"""Who does the work of a study: this process, several on this machine, or a cluster that is there already.

Work is a function of a job, both of which can be sent; results come in the order of the jobs, whoever does them.
"""

from __future__ import annotations

import multiprocessing
import os
import re
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
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
            count = min(self.processes, len(jobs))
            # Each process has its share of the cores.
            share = str(max((os.cpu_count() or 1) // count, 1))
            context = multiprocessing.get_context("spawn")
            with ProcessPoolExecutor(count, mp_context=context, initializer=_alone, initargs=(share,)) as pool:
                # What jobs share, such as a design, is sent once for several of them.
                yield from told(pool.map(work, jobs, chunksize=max(len(jobs) // (_CHUNKS * count), 1)))


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


def _alone(share: str) -> None:
    """Threads of one process among others."""
    from threadpoolctl import threadpool_limits

    os.environ["EARSHOT_THREADS"] = share
    threadpool_limits(int(share))


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
