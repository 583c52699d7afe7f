"""What the tool asks of hosts. A source opens a session with a host; a session reads its state and makes one change."""

from collections.abc import Iterator
from contextlib import AbstractContextManager
from typing import Protocol, runtime_checkable

from adzeguard.core.change.change import Change
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.values import dataclass


class HostSession(Protocol):
    """One host that answers. Methods raise errors under `HostError` or `InputError`, and no other."""

    def read(self) -> HostState:
        """Read the state of the host, with the capabilities that it has."""

    def change(self, change: Change) -> None:
        """Make one change of a kind whose capability the host has; it is read back by the caller for it."""


class HostSource(Protocol):
    """All hosts that are reached in one way.

    Sessions with different hosts are opened and used from several threads at once, each from one at a time.
    """

    def session(self, host: Host) -> AbstractContextManager[HostSession]:
        """Open a session with one host; `HostUnknownError` where the source has none of that name."""

    def close(self) -> None:
        """Let go of everything that is kept open."""


@dataclass(frozen=True, slots=True)
class Step:
    """One thing that was tried with a host, such as its key, and what is in the way, empty where nothing is."""

    what: str
    said: str = ""
    trouble: str = ""


@runtime_checkable
class TryableSource(Protocol):
    """A source that can say step by step how far it comes with a host."""

    def steps(self, host: Host) -> Iterator[Step]:
        """Try one thing after the other, changing nothing; the first that fails is the last."""
