"""Work with hosts that another process does: what it is sent, what it does, and what it sends back.

Such a process has no store, no charter and no journal. It is sent a host with the changes to be made there and the
state by which they were judged. Where the host stands otherwise by now, it makes none of them, and the sender
judges anew.
"""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import AbstractContextManager
from dataclasses import field
from functools import lru_cache
from typing import Any, Final, Protocol

from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.judge import Allowed
from adzeguard.core.change.outcome import Outcome, Status
from adzeguard.core.drivers import Names, NoNames, Secret, Settings
from adzeguard.core.errors import AdzeguardError, HostUnknownError
from adzeguard.core.estate.capabilities import pack_state
from adzeguard.core.estate.fleet import FleetPart
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.values import dataclass
from adzeguard.hosts.executor import make_on_host
from adzeguard.hosts.guarded_session import session_with
from adzeguard.hosts.port import HostSession, HostSource

_AT_ONCE: Final = 4
"""Threads in a process: one waits while another computes."""
_OTHERWISE: Final = "it stands otherwise by now"


@dataclass(frozen=True, slots=True)
class SourceApart:
    """A source as it can be sent: its part of the fleet, what opens it, its settings, and its password if any."""

    part: FleetPart
    open: Callable[[Settings, Secret, Names], Any]
    settings: tuple[tuple[str, str], ...]
    secret: str = field(default="", repr=False)


@dataclass(frozen=True, slots=True)
class HostTask:
    """One host: to be read, or to be changed where it still stands as `seen`."""

    host: Host
    changes: tuple[Allowed, ...] = ()
    seen: HostState | None = None


@dataclass(frozen=True, slots=True)
class HostDone:
    """What came of one task. `otherwise` says that nothing was made of it, since the host is not as it was seen."""

    name: str
    state: HostState | None = None
    trouble: str = ""
    unknown: bool = False
    outcomes: tuple[Outcome, ...] = ()
    otherwise: bool = False


class WorkerPool(Protocol):
    """Other processes that work with hosts."""

    @property
    def heavy_only(self) -> bool:
        """Whether handing a host over pays only where it costs much computing."""

    def work(
        self, sources: Sequence[SourceApart], tasks: Sequence[HostTask], is_to_stop: Callable[[], bool]
    ) -> "AbstractContextManager[Any]":
        """Give what yields the results as they come; tasks of which nothing came back are left to the caller."""


def work_with_hosts(sources: tuple[SourceApart, ...], tasks: Sequence[HostTask]) -> list[HostDone]:
    """Do tasks, in the other process. What can go wrong with one host is in its result, and stops no other."""
    opened = _opened(sources)
    with ThreadPoolExecutor(min(_AT_ONCE, len(tasks)) or 1) as pool:
        return list(pool.map(lambda task: _done(opened, task), tasks))


@lru_cache(maxsize=4)
def _opened(sources: tuple[SourceApart, ...]) -> list[tuple[FleetPart, HostSource]]:
    """Open the sources once a process."""

    def open_one(source: SourceApart) -> HostSource:
        opened: HostSource = source.open(dict(source.settings), lambda: source.secret, NoNames())
        return opened

    return [(source.part, open_one(source)) for source in sources]


def _done(opened: Sequence[tuple[FleetPart, HostSource]], task: HostTask) -> HostDone:
    source = next((source for part, source in opened if part.takes(task.host)), None)
    if source is None:
        return HostDone(task.host.name, unknown=True)
    try:
        with session_with(source, task.host) as session:
            return _changed(session, task) if task.changes else HostDone(task.host.name, session.read())
    except HostUnknownError:
        return HostDone(task.host.name, unknown=True)
    except AdzeguardError as error:
        unreached = tuple(Outcome(one.change, Status.UNREACHABLE, error.message) for one in task.changes)
        return HostDone(task.host.name, trouble=error.message, outcomes=unreached)


def _changed(session: HostSession, task: HostTask) -> HostDone:
    outcomes: list[Outcome] = []
    state: HostState | None = None
    for allowed in task.changes:
        judge = _as_seen(task.seen) if not outcomes else _anything
        outcome, last = make_on_host(session, allowed, lambda _change: None, judge)
        state = last or state
        if not outcomes and (outcome.already or outcome.detail == _OTHERWISE):
            return HostDone(task.host.name, state, otherwise=True)
        outcomes.append(outcome)
    return HostDone(task.host.name, state, outcomes=tuple(outcomes))


def _anything(_change: Change, _state: HostState) -> str:
    return ""


def _as_seen(seen: HostState | None) -> Callable[[Change, HostState], str]:
    def judge(_change: Change, state: HostState) -> str:
        return "" if seen is not None and pack_state(seen) == pack_state(state) else _OTHERWISE

    return judge
