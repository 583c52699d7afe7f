"""By which doors people get into hosts: a group of the directory, an entry of their own, a local account."""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from functools import cache, cached_property, partial
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.access.logon import identities_of
from adzeguard.core.estate.elevation import elevations_of
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.estate.names import on_host
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass

Way = Literal["group", "direct", "local"]
_PEOPLE: Final = (Kind.USER, Kind.SERVICE)
_WAYS: Final[Mapping[Kind, Way]] = {Kind.GROUP: "group", Kind.LOCAL_ACCOUNT: "local"}


@dataclass(frozen=True, slots=True)
class Door:
    """One way of one person into one host. `through` is the group that the host names; `path` leads from there."""

    person: str
    sid: str
    host: str
    door: Way
    through: str = ""
    path: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class DoorCount:
    """One door with how many people come through it, into how many hosts."""

    through: str
    door: Way
    people: int
    hosts: int


class Doors:
    """All doors of an estate, or as they will be with another graph and other administrators of hosts."""

    def __init__(
        self,
        estate: Estate,
        graph: MembershipGraph | None = None,
        administrators: Sequence[frozenset[Sid]] | None = None,
    ) -> None:
        """`administrators` are the direct members of each host's administrators group, in the order of the hosts."""
        self._estate = estate
        self._graph = graph or estate.graph
        self._administrators = administrators
        self._inside = cache(self._people_inside)
        self._path = cache(self._path_to)

    @cached_property
    def _later(self) -> Mapping[int, frozenset[Sid]]:
        """The administrators that were given, by the ids of their hosts."""
        return dict(zip((host.id for host in self._estate.hosts), self._administrators or (), strict=True))

    def _members(self, host: Host) -> frozenset[Sid]:
        """Return the direct members of the administrators group of a host that is known."""
        if self._administrators is not None:
            return self._later[host.id]
        return host.administrators

    def into(self, host: Host) -> Iterator[Door]:
        """Yield each person's ways into one host; several for one who has several."""
        if host.state is None:
            return
        for sid, entry in sorted(on_host(self._estate, host.state, host.name, self._members(host)).items()):
            if entry.kind == Kind.GROUP:
                for person, person_sid, path in self._inside(entry.id):
                    yield Door(person, person_sid, host.name, "group", entry.qualified_name, path)
            elif entry.kind == Kind.LOCAL_ACCOUNT:
                yield Door(entry.qualified_name, sid, host.name, "local", host.state.unlisted.get(sid, ""))
            else:
                yield Door(entry.qualified_name, sid, host.name, "direct", host.state.unlisted.get(sid, ""))

    def all(self) -> Iterator[Door]:
        """Yield every way of everybody into every host."""
        for host in self._estate.hosts:
            yield from self.into(host)

    def of(self, person: Principal) -> Iterator[Door]:
        """Yield one person's ways into all hosts: of each host only what lets them in is looked at."""
        around = self._graph.effective_groups(person.id).tolist() if person.id >= 0 else []
        groups = self._estate.catalogue.principals(around).values()
        lets_in = {group.sid: group for group in groups if group.sid}
        closed: set[int] = set()
        for host in self._estate.hosts:
            if host.state is None or id(host.state.alike) in closed:
                continue
            if self._administrators is None and host.state.alike is not None:
                members = self._members(host)
                if person.sid not in members and lets_in.keys().isdisjoint(members):
                    closed.add(id(host.state.alike))
                    continue
            own = {group.sid for group in host.state.groups}
            for sid in sorted(sid for sid in self._members(host) if sid in lets_in or sid == person.sid):
                if sid == person.sid:
                    unlisted = host.state.unlisted.get(sid, "")
                    yield Door(person.qualified_name, sid, host.name, "direct", unlisted)
                elif sid not in own:  # a local group has the same SID as a built-in one of the directory
                    path = self._path(lets_in[sid].id, person.id)
                    name = lets_in[sid].qualified_name
                    yield Door(person.qualified_name, person.sid or "", host.name, "group", name, path)

    def _path_to(self, group: int, person: int) -> tuple[str, ...]:
        chain = self._graph.expand(group).proof(person) or []
        shown = self._estate.catalogue.principals(chain)
        return tuple(shown[i].qualified_name for i in chain if i in shown)

    def counted(self) -> list[DoorCount]:
        """Return each door with what comes through it, those that let in most first."""
        together = self._estate.alike_hosts if self._administrators is None else [[h] for h in self._estate.hosts]
        self._estate.who_are({sid for some in together for sid in self._members(some[0])})
        hosts: dict[tuple[Way, str, int], int] = {}
        for some in together:
            entries = self._entries(some[0])
            # The groups of a host itself are called after it, also where hosts are alike.
            each = len(some) > 1 and any(entry.kind == Kind.LOCAL_GROUP for entry in entries)
            for entry in [e for host in some for e in self._entries(host)] if each else entries:
                way: Way = _WAYS.get(entry.kind, "direct")
                name = rf"local\{entry.name}" if way == "local" else entry.qualified_name
                hosts[way, name, entry.id] = hosts.get((way, name, entry.id), 0) + (1 if each else len(some))
        counts = [
            DoorCount(name, way, self._count_inside(group) if way == "group" else 1, count)
            for (way, name, group), count in hosts.items()
        ]
        return sorted(counts, key=lambda one: (-one.people * one.hosts, one.through.casefold()))

    def _entries(self, host: Host) -> list[Principal]:
        if host.state is None:
            return []
        return list(on_host(self._estate, host.state, host.name, self._members(host)).values())

    @cached_property
    def _is_person(self) -> NDArray[np.bool_]:
        is_person = self._estate.of_kinds(_PEOPLE)
        is_person[list(self._estate.of_other_domains)] = True
        return is_person

    def _count_inside(self, group: int) -> int:
        if not self._graph.grants_access(group):
            return 0
        return int(self._is_person[self._graph.expand(group).people].sum())

    def _people_inside(self, group: int) -> tuple[tuple[str, str, tuple[str, ...]], ...]:
        if not self._graph.grants_access(group):
            return ()
        expansion = self._graph.expand(group)
        people = expansion.people.tolist()
        chains = {person: expansion.proof(person) or [] for person in people}
        shown = self._estate.catalogue.principals({i for chain in chains.values() for i in chain} | set(people))
        return tuple(
            (shown[p].qualified_name, shown[p].sid or "", tuple(shown[i].qualified_name for i in chains[p]))
            for p in people
            if p in shown and self._is_person[p] and all(i in shown for i in chains[p])
        )


def what_becomes(before: Iterable[Door], after: Iterable[Door]) -> Iterator[tuple[Door, str]]:
    """Yield each door with what becomes of it: stays, goes (another stays), loses (it was the last), or comes."""
    had, has = {_key(door): door for door in before}, {_key(door): door for door in after}
    still = {(door.sid, door.host) for door in has.values()}
    for key, door in had.items():
        if key in has:
            yield has[key], "stays"
        else:
            yield door, "goes" if (door.sid, door.host) in still else "loses"
    yield from ((door, "comes") for key, door in has.items() if key not in had)


def programs_needed(
    estate: Estate, doors: Iterable[tuple[Door, str]], given: Collection[tuple[str, str, str]] = ()
) -> Mapping[tuple[str, str], list[str]]:
    """Return by person and host, of those who lose it, the programs that they ran elevated there and may not after it.

    Only where the host keeps a log of that; what an elevation of its own lets them run stays as it is. `given` are
    elevations that come with the loss: host, SID of the person or group, program.
    """
    needed: dict[tuple[str, str], list[str]] = {}
    token_of = cache(partial(identities_of, estate))
    for door, becomes in doors:
        host = estate.hosts_by_name.get(door.host.casefold()) if becomes == "loses" else None
        part = elevations_of(host.state) if host is not None and host.state is not None else None
        if host is None or host.state is None or part is None:
            continue
        token = token_of(Sid(door.sid))
        let = {one.program for one in part.granted if one.who in token}
        let |= {program for name, who, program in given if name.casefold() == door.host.casefold() and who in token}
        ran = sorted({one.program for one in part.used if one.who == door.sid} - let)
        if ran:
            needed[door.sid, door.host] = ran
    return needed


def _key(door: Door) -> tuple[str, ...]:
    return door.sid, door.host, door.door, door.through


def lost_hosts(doors: Iterable[tuple[Door, str]]) -> Mapping[str, int]:
    """Return by the names of people how many hosts they lose."""
    lost: dict[str, set[str]] = {}
    for door, becomes in doors:
        if becomes == "loses":
            lost.setdefault(door.person, set()).add(door.host)
    return {person: len(hosts) for person, hosts in sorted(lost.items(), key=lambda item: (-len(item[1]), item[0]))}
