"""Reach: everybody who is, or by the rights they hold could make themselves, a member of a group.

A graph is walked backwards from the group. Whoever is in the group, holds it by its rights, or holds one of those,
stands behind it. Grants are edges of their own, so that one that reaches many objects through an OU is one.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.access.members import people_in_any
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.objects import outsider
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import parent_dn
from adzeguard.core.rights.answers import Everybody, Tokens
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.origin import Given, given, giving_container
from adzeguard.core.rights.questions import Asked
from adzeguard.core.rights.takeover import JOINING, MEMBERS, OWNER, OWNS, PASSWORD, RIGHTS, Takeover, TakeoverReader
from adzeguard.core.wellknown import ADMINISTRATORS, EVERYONE_LIKE, RID_DOMAIN_ADMINS, RID_ENTERPRISE_ADMINS, WELL_KNOWN

MEMBER: Final = "is a member of"
PRIMARY: Final = "has as its primary group"
INHERITS: Final = "hands its rights on to"
EVERYBODY: Final = -2
"""Stands for everybody, where a right is given to a principal that everybody acts as."""
_ANYBODY: Final = outsider(WELL_KNOWN["everyone"])
PEOPLE: Final = frozenset({Kind.USER, Kind.COMPUTER, Kind.FOREIGN})
"""Who acts by itself."""


@dataclass(frozen=True, slots=True)
class Edge:
    """`holder` leads to `target`. A grant says over which object its entry really stands."""

    holder: int
    target: int
    how: str
    entry: Ace | None = None
    stands_on: int = -1

    @property
    def is_membership(self) -> bool:
        """Whether it is a membership."""
        return self.how in (MEMBER, PRIMARY)


@dataclass
class ReachGraph:
    """All edges that lead to a group, and the shortest way from everybody behind it."""

    group: int
    edges: list[Edge] = field(default_factory=list)
    onward: dict[int, Edge] = field(default_factory=dict)
    """From each object behind the group, the next edge of its shortest way."""

    def chain(self, start: int) -> list[Edge]:
        """Return the shortest way from an object to the group."""
        found: list[Edge] = []
        while start != self.group:
            edge = self.onward[start]
            found.append(edge)
            start = edge.target
        return found


class ReachFinder:
    """Walks backwards from groups, level by level; what it has read of objects it remembers."""

    def __init__(self, rights: Rights, *, with_directory: bool = False) -> None:
        """`with_directory` follows the principals as well that control the whole directory anyway."""
        self._estate = rights.estate
        self._reader = TakeoverReader(rights.schema)
        self._ruling = frozenset() if with_directory else ruling_ids(rights.estate)
        self._principals: dict[int, Principal] = {}
        self._descriptors: dict[int, bytes] = {}
        self._takeovers: dict[tuple[int, bytes], tuple[Takeover, ...]] = {}
        self._containers: dict[str, int | None] = {}
        self._origins: dict[tuple[str, Given], int | None] = {}

    @cached_property
    def _everybody(self) -> Everybody:
        return Everybody(self._estate, Tokens(self._estate))

    @cached_property
    def _people_ruling(self) -> NDArray[np.bool_]:
        return people_in_any(self._estate.graph, [i for i in self._ruling if self._is_group(i)])

    def _is_group(self, object_id: int) -> bool:
        return self._estate.graph.position_of(object_id) is not None

    def graph(self, group: int) -> ReachGraph:
        """Return what stands behind a group."""
        found = ReachGraph(group)
        level, seen = [group], {group}
        while level:
            self._load(level)
            following = []
            for edge in (edge for target in level for edge in self._behind(target)):
                found.edges.append(edge)
                if edge.holder not in seen:
                    seen.add(edge.holder)
                    found.onward[edge.holder] = edge
                    following.append(edge.holder)
            level = following
        return found

    def _load(self, ids: Iterable[int]) -> None:
        """Read the objects of a level in one go."""
        unknown = [i for i in ids if i not in self._principals and i >= 0]
        self._principals |= self._estate.catalogue.principals(unknown)
        found = self._estate.catalogue.descriptors(unknown)
        self._descriptors |= {i: raw for i, raw in found.items() if is_readable(raw)}

    def _behind(self, target: int) -> Iterator[Edge]:
        principal, raw = self._principals.get(target), self._descriptors.get(target)
        if principal is None:
            return
        yield from self._members(principal)
        if raw is not None:
            yield from self._holders(principal, raw)
            yield from self._container(principal, raw)

    def _members(self, principal: Principal) -> Iterator[Edge]:
        graph = self._estate.graph
        if graph.position_of(principal.id) is None or not graph.grants_access(principal.id):
            return
        for member in graph.direct_members(principal.id).tolist():
            yield Edge(member, principal.id, MEMBER)
        for member in graph.primary_members(principal.id).tolist():
            yield Edge(member, principal.id, PRIMARY)

    def _holders(self, principal: Principal, raw: bytes) -> Iterator[Edge]:
        key = (principal.kind, raw)
        if key not in self._takeovers:
            self._takeovers[key] = tuple(self._reader.takeovers(principal.kind, Descriptor.from_bytes(raw)))
        for hold in self._takeovers[key]:
            holder = self._estate.id_of_sid(hold.who)
            if holder is None and hold.who in EVERYONE_LIKE:
                holder = EVERYBODY
            if holder is None or holder == principal.id or holder in self._ruling:
                continue
            entry = hold.entry
            stands_on = self._origin(principal, entry) if entry is not None and entry.inherited else principal.id
            for one in self._not_denied(holder, principal, hold, raw):
                yield Edge(one, principal.id, hold.how, entry, stands_on)

    def _not_denied(self, holder: int, principal: Principal, hold: Takeover, raw: bytes) -> list[int]:
        """Return the holder, or those of its people whom no denial meets, where one meets some of them.

        A denial can stand on another group of theirs, on themselves or on everybody: who has what an entry gives is
        decided by all that people act with, as the directory does it, and not by the entry alone.
        """
        if hold.unless_denied is None:
            return [holder]
        asked = Asked(hold.how, (hold.unless_denied,))
        allowed = self._everybody.allowed(principal, asked, Descriptor.from_bytes(raw))
        having = self._everybody.having(hold.who, principal) & self._everybody.people
        if not (having & ~allowed).any():
            return [holder]
        return [int(i) for i in np.flatnonzero(having & allowed & ~self._people_ruling)]

    def _container(self, principal: Principal, raw: bytes) -> Iterator[Edge]:
        """Whoever changes the rights of a container can hand down what they like, unless the object takes nothing."""
        above = self._container_at(parent_dn(principal.dn))
        if above is not None and not Descriptor.from_bytes(raw).protected:
            yield Edge(above, principal.id, INHERITS)

    def _container_at(self, dn: str) -> int | None:
        if dn not in self._containers:
            self._containers[dn] = self._estate.catalogue.by_dn(dn) if dn else None
        return self._containers[dn]

    def _origin(self, principal: Principal, entry: Ace) -> int:
        """Return the container on which an inherited entry was given; neighbours share the answer."""
        key = (parent_dn(principal.dn), given(entry))
        if key not in self._origins:
            self._origins[key] = giving_container(self._estate, principal.dn, {given(entry)})
        found = self._origins[key]
        return principal.id if found is None else found


def ruling_ids(estate: Estate) -> frozenset[int]:
    """Return who controls the whole directory anyway: its administrators' groups, and the system itself."""
    domain = estate.domain
    sids = [ADMINISTRATORS, domain.account(RID_DOMAIN_ADMINS), domain.account(RID_ENTERPRISE_ADMINS)]
    sids += [WELL_KNOWN["system"], WELL_KNOWN["enterprise-domain-controllers"]]
    ids = estate.ids_of_sids(sids)
    return frozenset(found for sid in sids if (found := ids[sid]) is not None)


def ruling_people(estate: Estate) -> set[int]:
    """Return the people who control the whole directory: whoever is inside one of the groups that do."""
    groups = [i for i in ruling_ids(estate) if estate.graph.position_of(i) is not None]
    return {int(i) for i in np.flatnonzero(people_in_any(estate.graph, groups))}


@dataclass(frozen=True, slots=True)
class Reaching:
    """Somebody who reaches a group, and the way."""

    principal: Principal
    chain: tuple[Edge, ...]
    words: str

    @property
    def member(self) -> bool:
        """Whether memberships alone lead there."""
        return all(edge.is_membership for edge in self.chain)


def reaching(estate: Estate, graph: ReachGraph, *, members_too: bool = True) -> list[Reaching]:
    """Return everybody behind a group: members first, then those who could become one, the nearest first."""
    chains = {i: tuple(graph.chain(i)) for i in graph.onward}
    if not members_too:
        chains = {i: chain for i, chain in chains.items() if not all(edge.is_membership for edge in chain)}
    shown = estate.catalogue.principals({graph.group, *(e.holder for chain in chains.values() for e in chain)})
    people = {i: shown[i] for i in chains if i in shown and shown[i].kind in PEOPLE}
    people |= {EVERYBODY: _ANYBODY} if EVERYBODY in chains else {}
    found = [Reaching(person, chains[i], chain_in_words(shown, chains[i])) for i, person in people.items()]
    return sorted(found, key=lambda r: (not r.member, len(r.chain), r.principal.qualified_name.casefold()))


def first_right(chain: Sequence[Edge]) -> Edge:
    """Return the first edge of a chain that is no membership: the right by which somebody could get in."""
    return next(edge for edge in chain if not edge.is_membership)


def chain_in_words(shown: Mapping[int, Principal], chain: Iterable[Edge]) -> str:
    """Return "A is a member of B, which may reset the password of C"."""
    edges = list(chain)
    head = [edge_in_words(shown, edge) for edge in edges[:1]]
    return ", ".join([*head, *(_SENTENCES[e.how].format("which", _name(shown, e.target)) for e in edges[1:])])


_SENTENCES: Final = {
    MEMBERS: "{} may change the members of {}",
    JOINING: "{} may put themselves into {}",
    PASSWORD: "{} may reset the password of {}",
    RIGHTS: "{} may change the rights over {}",
    OWNER: "{} may take the ownership of {}",
    OWNS: "{} owns {}",
    MEMBER: "{} is a member of {}",
    PRIMARY: "{} has {} as its primary group",
    INHERITS: "{} hands its rights on to {}",
}


def edge_in_words(shown: Mapping[int, Principal], edge: Edge) -> str:
    """Return one edge as a sentence."""
    return _SENTENCES[edge.how].format(_name(shown, edge.holder), _name(shown, edge.target))


def _name(shown: Mapping[int, Principal], object_id: int) -> str:
    if object_id == EVERYBODY:
        return _ANYBODY.qualified_name
    found = shown.get(object_id)
    return found.qualified_name if found is not None else "somebody"
