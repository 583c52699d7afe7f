"""What a change of a host knows of the host's state."""

from typing import Protocol, runtime_checkable

from adzeguard.core.estate.hosts import HostState


@runtime_checkable
class HostChange(Protocol):
    """A change of a host, which knows by the host's state whether it is so."""

    def stands(self, state: HostState) -> bool | None:
        """Tell whether the host is as wanted; None if the change means nothing there."""


@runtime_checkable
class ExpectingChange(Protocol):
    """A change of a whole value, which knows by the host's state whether it is still the one that was seen."""

    def finds(self, state: HostState) -> bool:
        """Tell whether the host is as the proposal saw it."""
