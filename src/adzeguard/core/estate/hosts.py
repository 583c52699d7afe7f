"""What a host said of itself, part by part."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol, runtime_checkable

from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import LOCAL_ACCOUNT_RIDS, RID_ADMINISTRATOR


@dataclass(frozen=True, slots=True)
class LocalAccount:
    """An account of the host itself."""

    name: str
    sid: Sid
    enabled: bool = True


@dataclass(frozen=True, slots=True)
class LocalGroup:
    """A group of the host itself, with its direct members as SIDs."""

    name: str
    sid: Sid
    members: frozenset[Sid]


@dataclass(frozen=True, slots=True)
class HostState:
    """What a host said of itself. `capabilities` are the names of what can be read and changed there.

    `parts` holds, for each further capability by its name, the value that the row of that capability packs.
    """

    machine_sid: Sid
    accounts: tuple[LocalAccount, ...] = ()
    groups: tuple[LocalGroup, ...] = ()
    capabilities: frozenset[str] = frozenset({"local-groups"})
    parts: Mapping[str, Any] = field(default_factory=dict)

    def group(self, sid: str) -> LocalGroup | None:
        """Return the local group with this SID."""
        return next((group for group in self.groups if group.sid == sid), None)

    def group_named(self, name: str) -> LocalGroup | None:
        """Return the local group with this name of the host's own."""
        return next((group for group in self.groups if group.name.casefold() == name.casefold()), None)

    def account_named(self, name: str) -> Sid | None:
        """Return the SID of a local account; the built-in ones are found even when somebody renamed them."""
        rid = LOCAL_ACCOUNT_RIDS.get(name.casefold())
        if rid is not None:
            return Sid(f"{self.machine_sid}-{rid}")
        return next((account.sid for account in self.accounts if account.name.casefold() == name.casefold()), None)


def host_administrator(state: HostState) -> Sid:
    """Return the host's own administrator, by whatever name: the last way in when the directory does not answer."""
    return Sid(f"{state.machine_sid}-{RID_ADMINISTRATOR}")


@dataclass(frozen=True, slots=True)
class Host:
    """A computer of the directory whose local groups are looked after.

    `state` is the last one read, even when the host did not answer this time; `trouble` says why it did not.
    """

    id: int
    name: str
    dn: str
    state: HostState | None = None
    trouble: str = ""
    sid: str = ""


@runtime_checkable
class SearchableHosts(Protocol):
    """Hosts of which a few can be had without reading all."""

    def with_local_group(self, name: str) -> list[Host]:
        """Return the hosts that have a local group of this name."""
