"""What a host said of itself, part by part."""

import json
from collections.abc import Callable, Iterable, Mapping
from collections.abc import Set as AbstractSet
from dataclasses import field, replace
from typing import Any, Final, Generic, Protocol, TypeVar, runtime_checkable

from adzeguard.core.estate.seen_on import SeenOn
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import ADMINISTRATORS, LOCAL_ACCOUNT_RIDS, RID_ADMINISTRATOR

T = TypeVar("T")


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
    lacks: Mapping[str, str] = field(default_factory=dict)
    """By the names of capabilities that it has not: why, in words, where the driver knows."""
    unlisted: Mapping[Sid, str] = field(default_factory=dict)
    """Who administers the host though no list of members says so, and by what, such as "a line of sudo"."""
    seen_on: tuple[SeenOn, ...] | None = field(default=None, compare=False)
    """Whom it saw, where it was just read and can tell. It changes by itself, and is kept apart from what it is."""

    @property
    def alike(self) -> object | None:
        """What is the same object for all states that differ in their own SIDs alone; None where that is not known."""
        return None

    def group(self, sid: str) -> LocalGroup | None:
        """Return the local group with this SID."""
        return next((group for group in self.groups if group.sid == sid), None)

    def among(self, sids: AbstractSet[Sid]) -> tuple[list[LocalAccount], list[LocalGroup]]:
        """Return the accounts and groups of the host itself that have one of these SIDs."""
        return [a for a in self.accounts if a.sid in sids], [g for g in self.groups if g.sid in sids]

    def with_accounts(self, accounts: tuple[LocalAccount, ...]) -> "HostState":
        """Return the same with other accounts."""
        return replace(self, accounts=accounts)

    def group_named(self, name: str) -> LocalGroup | None:
        """Return the local group with this name of the host's own."""
        return next((group for group in self.groups if group.name.casefold() == name.casefold()), None)

    def unsupported(self, capability: str) -> str:
        """Return in words that the host lacks a capability, and why, as far as that is known."""
        why = self.lacks.get(capability, "")
        return f"no {capability}{f': {why}' if why else ''}"

    def account_named(self, name: str) -> Sid | None:
        """Return the SID of a local account; the built-in ones are found even when somebody renamed them."""
        rid = LOCAL_ACCOUNT_RIDS.get(name.casefold())
        if rid is not None:
            return Sid(f"{self.machine_sid}-{rid}")
        return next((account.sid for account in self.accounts if account.name.casefold() == name.casefold()), None)


class FoundOnce(Generic[T]):
    """Finds things on hosts; where nothing was found on one host, those that are alike are not looked at any more."""

    def __init__(self) -> None:
        self._without: set[int] = set()

    def on(self, state: HostState, find: Callable[[], Iterable[T]]) -> list[T]:
        """Return what `find` finds. It must find nothing on all that are alike where it finds nothing on one."""
        if state.alike is not None and id(state.alike) in self._without:
            return []
        found = list(find())
        if not found and state.alike is not None:
            self._without.add(id(state.alike))
        return found


GROUPS_IN_GROUPS: Final = "groups-in-groups"
"""What a host lacks whose groups hold accounts alone, as those of Linux do."""


def is_kept_by_itself(state: HostState, administrators: Iterable[Sid]) -> bool:
    """Tell whether a host has an account of its own among these administrators that somebody can log on with.

    Asked only of hosts whose groups hold accounts alone, as on Linux: no group of the directory's administrators can
    stand there, and none need to.
    """
    if GROUPS_IN_GROUPS not in state.lacks:
        return False
    enabled = {account.sid for account in state.accounts if account.enabled}
    return not enabled.isdisjoint(administrators)


def host_administrator(state: HostState) -> Sid:
    """Return the host's own administrator, by any name: the last way in when the directory does not answer."""
    return Sid(f"{state.machine_sid}-{RID_ADMINISTRATOR}")


@dataclass(frozen=True, slots=True)
class Host:
    """A computer of the directory, as a host that is looked after, or that nobody looks after yet.

    `state` is the last one read, even when the host did not answer this time; `trouble` says why it did not. `source`
    is the one through which it is reached, empty where none takes it.
    """

    id: int
    name: str
    dn: str
    state: HostState | None = None
    trouble: str = ""
    sid: str = ""
    source: str = "hosts"
    details: str = field(default="", repr=False)
    """What else the directory tells of it, as it is stored."""
    is_of_directory: bool = False
    """Whether it is a domain controller: it has no local groups of its own, they are the directory's."""

    @property
    def administrators(self) -> frozenset[Sid]:
        """The direct members of its administrators group; empty where nothing was read."""
        group = self.state.group(ADMINISTRATORS) if self.state is not None else None
        return group.members if group is not None else frozenset()

    @property
    def dns_name(self) -> str:
        """The name under which it is found on the network, where the directory tells one."""
        return self._detail("dns_host_name")

    @property
    def system(self) -> str:
        """Its operating system, where the directory tells one."""
        return self._detail("operating_system")

    @property
    def why_unknown(self) -> str:
        """Why nothing is known of a host without a state, in words."""
        return "it has never answered" if self.source else "no source of hosts takes it"

    def _detail(self, key: str) -> str:
        if f'"{key}"' not in self.details:
            return ""
        try:
            return str(json.loads(self.details).get(key, ""))
        except (ValueError, AttributeError):  # a store that was damaged is told of elsewhere
            return ""


@runtime_checkable
class SearchableHosts(Protocol):
    """Hosts of which a few can be had without reading all."""

    @property
    def is_fetched(self) -> bool:
        """Whether all of them were read already."""

    def with_local_group(self, name: str) -> list[Host]:
        """Return the hosts that have a local group of this name."""

    def named(self, name: str) -> Host | None:
        """Return the host of this name, ignoring case."""
