"""Hosts handed to other processes, where that can be done and pays; what they leave is done from here."""

from collections.abc import Callable, Iterator, Sequence

from adzeguard.core.estate.hosts import Host
from adzeguard.hosts.fleet import Fleet
from adzeguard.hosts.worker_pool import HostDone, HostTask, WorkerPool


def to_be_handed_out(fleet: Fleet, crew: WorkerPool | None, hosts: Sequence[Host], fewest: int = 1) -> list[Host]:
    """Return the hosts that the crew works with; none where they are too few to be worth it."""
    if crew is None:
        return []
    chosen = [host for host in hosts if fleet.in_worker(host, heavy_only=crew.heavy_only)]
    return chosen if len(chosen) >= (fewest if crew.heavy_only else 1) else []


def handed_out(
    fleet: Fleet, crew: WorkerPool, tasks: Sequence[HostTask], is_to_stop: Callable[[], bool] = lambda: False
) -> Iterator[HostDone]:
    """Yield what came of the tasks, in any order. What never comes back is not among it."""
    with crew.work(fleet.sources_apart(heavy_only=crew.heavy_only), tasks, is_to_stop) as results:
        yield from results
