"""Processes of this machine that work with hosts, for those that cost much computing."""

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from multiprocessing import get_context
from typing import Final

from adzeguard.hosts.worker_pool import HostDone, HostTask, SourceApart, work_with_hosts

_IN_A_TASK: Final = 16
FEWEST: Final = 32
"""Hosts below which starting processes takes longer than they save."""


class Processes:
    """As many processes as there are cores. One that dies loses no host: what did not come back is told so."""

    heavy_only = True

    def __init__(self, count: int = 0) -> None:
        self._count = count or os.cpu_count() or 1

    @contextmanager
    def work(
        self, sources: Sequence[SourceApart], tasks: Sequence[HostTask], is_to_stop: Callable[[], bool]
    ) -> Iterator[Iterator[HostDone]]:
        """Give the results as they come."""
        # A forked copy of a process with threads and connections is none that can be used.
        with ProcessPoolExecutor(self._count, get_context("spawn")) as pool:
            yield _results(pool, tuple(sources), tasks, 2 * self._count, is_to_stop)


def _results(
    pool: ProcessPoolExecutor,
    sources: tuple[SourceApart, ...],
    tasks: Sequence[HostTask],
    ahead: int,
    is_to_stop: Callable[[], bool],
) -> Iterator[HostDone]:
    parts = iter([tasks[at : at + _IN_A_TASK] for at in range(0, len(tasks), _IN_A_TASK)])
    running: set[Future[list[HostDone]]] = set()
    try:
        while True:
            while len(running) < ahead and not is_to_stop() and (part := next(parts, None)):
                running.add(pool.submit(work_with_hosts, sources, part))
            if not running:
                return
            done, running = wait(running, return_when=FIRST_COMPLETED)
            for one in done:
                yield from one.result()
    except BrokenProcessPool:
        return
