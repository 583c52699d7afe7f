"""What the tool asks of hosts. A source opens a session with a host; a session reads its state and makes one change."""

from contextlib import AbstractContextManager
from typing import Protocol

from adzeguard.core.change.change import Change
from adzeguard.core.estate.hosts import HostState


class HostSession(Protocol):
    """One host that answers. Methods raise errors under `HostError` or `InputError`, and no other."""

    def read(self) -> HostState:
        """Read the state of the host, with the capabilities that it has."""

    def change(self, change: Change) -> None:
        """Make one change of a kind whose capability the host has; it is read back by whoever asked for it."""


class HostSource(Protocol):
    """All hosts that are reached in one way.

    Sessions with different hosts are opened and used from several threads at once, each from one at a time.
    """

    def session(self, host: str) -> AbstractContextManager[HostSession]:
        """Open a session with one host; `HostUnknownError` where the source has none of that name."""

    def close(self) -> None:
        """Let go of everything that is kept open."""
