"""What the tool asks of hosts. A driver reads a host's state, makes one change, and says what it can do."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol

from adzeguard.core.estate.hosts import HostState
from adzeguard.core.identity import Sid


class Capability(StrEnum):
    """Something that a host driver may be able to change."""

    LOCAL_GROUPS = "local-groups"


@dataclass(frozen=True, slots=True)
class LocalGroupChange:
    """Add one member to, or remove one from, a local group of one host."""

    group: Sid
    member: Sid
    add: bool


class HostDriver(Protocol):
    """All hosts that are reached in one way. Methods raise errors under `HostError` or `InputError`, and no other.

    They are called from several threads at once, for different hosts.
    """

    @property
    def capabilities(self) -> frozenset[Capability]:
        """What can be changed; a change that needs another capability is `unsupported` in a proposal."""

    def read(self, host: str) -> HostState:
        """Read the state of one host."""

    def change(self, host: str, change: LocalGroupChange) -> None:
        """Make one change."""


Options = Mapping[str, str]
