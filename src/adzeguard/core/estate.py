"""The estate: all that was collected at one moment, the directory and the hosts."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from typing import Protocol

from adzeguard.core.identity import Sid
from adzeguard.core.links import Ids
from adzeguard.core.membership import MembershipGraph
from adzeguard.core.principal import Flag, Kind, Principal
from adzeguard.core.wellknown import ADMINISTRATORS, LOCAL_ACCOUNT_RIDS


@dataclass(frozen=True, slots=True)
class Domain:
    """The domain that the directory serves."""

    base_dn: str
    dns_name: str
    short_name: str
    sid: Sid

    def account(self, rid: int) -> Sid:
        """Return the SID of an account or group of the domain itself."""
        return Sid(f"{self.sid}-{rid}")

    def full_dn(self, dn: str) -> str:
        """Complete a distinguished name that leaves the base away."""
        ends = dn.casefold().endswith(self.base_dn.casefold())
        return dn if ends else f"{dn},{self.base_dn}"


class Catalogue(Protocol):
    """The objects of the directory, looked up by number, identity or name.

    Letter case never matters in a look-up. Objects that are gone are not found.
    """

    @property
    def size(self) -> int:
        """One more than the highest id."""

    def principals(self, ids: Iterable[int]) -> dict[int, Principal]:
        """Return the objects by id; an id that stands for nothing is left out."""

    def by_sids(self, sids: Iterable[str]) -> dict[str, int]:
        """Return the id of each SID that belongs to an object."""

    def by_dn(self, dn: str) -> int | None:
        """Return the object with this distinguished name."""

    def by_name(self, name: str) -> list[int]:
        """Return the objects with exactly this account name or, for those without one, this leaf name."""

    def by_user_principal_name(self, name: str) -> list[int]:
        """Return the objects with this user principal name, "name@domain"."""

    def containing(self, part: str, limit: int) -> list[int]:
        """Return up to `limit` objects in whose name the text stands, best first."""

    def of_kind(self, kind: Kind) -> Ids:
        """Return the ids of all objects of a kind, sorted."""

    def flagged(self, flag: Flag) -> Ids:
        """Return the ids of all objects of which this is true, sorted."""

    def below(self, dn: str) -> Ids:
        """Return the ids of all objects below a container, at any depth, sorted."""

    def descriptors(self, ids: Iterable[int]) -> dict[int, bytes]:
        """Return the security descriptors of objects; those that came without one are left out."""

    def descriptor_users(self) -> Iterator[tuple[bytes, Kind, Ids]]:
        """Yield each distinct security descriptor and kind with the ids of the objects that have both."""


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
    """What a host said of itself."""

    machine_sid: Sid
    accounts: tuple[LocalAccount, ...] = ()
    groups: tuple[LocalGroup, ...] = ()

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


@dataclass(frozen=True)
class Estate:
    """One moment of the directory and the hosts."""

    taken_at: datetime
    domain: Domain
    catalogue: Catalogue
    graph: MembershipGraph
    hosts: Sequence[Host] = ()
    _by_sid: dict[str, int | None] = field(default_factory=lambda: {"": None}, repr=False)

    def principal(self, object_id: int) -> Principal:
        """Return one object; `KeyError` when there is none."""
        return self.catalogue.principals([object_id])[object_id]

    def id_of_sid(self, sid: str) -> int | None:
        """Return the object with this SID, remembered, since hosts name the same few again and again."""
        if sid not in self._by_sid:
            self.ids_of_sids([sid])
        return self._by_sid[sid]

    def ids_of_sids(self, sids: Iterable[str]) -> Mapping[str, int | None]:
        """Look up many SIDs at once and remember them; those that belong to no object give nothing."""
        unknown = {sid for sid in sids if sid not in self._by_sid}
        if unknown:
            found = self.catalogue.by_sids(unknown)
            self._by_sid.update({sid: found.get(sid) for sid in unknown})
        return self._by_sid

    @cached_property
    def hosts_by_name(self) -> Mapping[str, Host]:
        """The hosts by their folded names."""
        return {host.name.casefold(): host for host in self.hosts}

    @cached_property
    def host_administrators(self) -> Sequence[frozenset[Sid]]:
        """For each of `hosts`, the direct members of its administrators group; empty where nothing was read."""
        found = []
        for host in self.hosts:
            group = host.state.group(ADMINISTRATORS) if host.state else None
            found.append(group.members if group else frozenset())
        # Looked up in one go: host by host, the accounts of each host's own would be asked for one at a time.
        self.ids_of_sids({sid for members in found for sid in members})
        return found
