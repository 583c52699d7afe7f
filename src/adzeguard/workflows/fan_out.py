"""One way of doing the same with many hosts at once, for reading as for changing."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Final, TypeVar

from adzeguard.hosts.deadline import STOPPED
from adzeguard.workflows.pace import AT_ONCE

_IN_A_TASK: Final = 50
"""Hosts a task: single ones cost more to hand over than to do."""
T = TypeVar("T")
R = TypeVar("R")


def over_hosts(
    items: Sequence[T], work: Callable[[T], R], *, in_a_task: int = _IN_A_TASK, at_once: int = AT_ONCE
) -> Iterator[list[R]]:
    """Yield what the work comes to for some items after the other, in their order; an error of one stops all."""
    parts = [items[at : at + in_a_task] for at in range(0, len(items), in_a_task)]
    if not parts:
        return
    STOPPED.clear()
    pool = ThreadPoolExecutor(min(at_once, len(parts)))
    try:
        yield from pool.map(lambda part: [work(item) for item in part], parts)
    except KeyboardInterrupt:
        # Whoever stops this does not wait for hosts that are slow to answer.
        STOPPED.set()
        raise
    finally:
        pool.shutdown(cancel_futures=True)
