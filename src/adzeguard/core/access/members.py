"""Who is inside a group or an administrator of a host, and through what."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.links import Ids, less
from adzeguard.core.estate.membership import LEFT_OUT, MembershipGraph
from adzeguard.core.estate.names import local_group_label, local_principal, on_host
from adzeguard.core.estate.principal import ACCOUNTS, Kind, Principal
from adzeguard.core.identity import OF_A_DOMAIN, Sid
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import ADMINISTRATORS, BUILTIN_AUTHORITY, EVERYONE_LIKE

_LONGEST_CHAIN = 30
"""Of so many groups inside each other all are told to everybody; `why` tells all of any number."""
_GROUPS_BETWEEN = Principal(LEFT_OUT, Kind.GROUP, "…", "…", None, "")


@dataclass(frozen=True, slots=True)
class Step:
    """One link of a chain: `holder` contains the next one, as a listed member or as its primary group."""

    principal: Principal
    how: str
    """"start", "member" (the one before lists it), "primary group", "local entry", "everybody", or else by what."""


@dataclass(frozen=True, slots=True)
class Access:
    """One effective member and the shortest chain that proves it, from the group down to the member."""

    principal: Principal
    chain: tuple[Step, ...]

    @property
    def direct(self) -> bool:
        """Whether the group itself holds the member, without another group between."""
        return len(self.chain) == 2  # noqa: PLR2004 - the group and the member


def members_of(estate: Estate, group: Principal) -> list[Access]:
    """Return every effective member of a directory group, groups included, direct ones first."""
    expansion = estate.graph.expand(group.id)
    proofs = {int(m): expansion.proof(int(m), _LONGEST_CHAIN) or [] for m in expansion.members}
    return _sorted(_accesses(estate, proofs))


def _accesses(estate: Estate, proofs: dict[int, list[int]]) -> list[Access]:
    """Make the chains; what was deleted in between can be missing from the catalogue and is left out."""
    shown = estate.catalogue.principals({i for proof in proofs.values() for i in proof if i != LEFT_OUT})
    shown[LEFT_OUT] = _GROUPS_BETWEEN
    accesses = []
    primary_holders = _PrimaryHolders(estate.graph)
    for proof in proofs.values():
        if all(i in shown for i in proof):
            steps = [Step(shown[proof[0]], "start")]
            steps += [Step(shown[low], primary_holders.how(high, low)) for high, low in pairwise(proof)]
            accesses.append(Access(steps[-1].principal, tuple(steps)))
    return accesses


class _PrimaryHolders:
    """Tells a listed membership from a primary one, remembering the members of the groups asked about."""

    def __init__(self, graph: MembershipGraph) -> None:
        self._graph = graph
        self._listed: dict[int, set[int]] = {}

    def how(self, group: int, member: int) -> str:
        if LEFT_OUT in (group, member):
            return "member"
        if group not in self._listed:
            self._listed[group] = set(self._graph.direct_members(group).tolist())
        return "member" if member in self._listed[group] else "primary group"


def _sorted(accesses: list[Access]) -> list[Access]:
    return sorted(accesses, key=lambda a: (len(a.chain), a.principal.qualified_name.casefold()))


def proof_in_group(estate: Estate, member: Principal, group: Principal) -> Access | None:
    """Return the shortest chain from a group to one member; None when none leads there, not by being anybody either."""
    expansion = estate.graph.expand(group.id)
    proof = expansion.proof(member.id)
    if proof:
        return _accesses(estate, {member.id: proof})[0]
    everybody = like_everyone(estate, expansion.members)
    return by_everybody(_sorted(_accesses(estate, {i: expansion.proof(i) or [] for i in everybody})), member)


def by_everybody(inside: Iterable[Access], member: Principal) -> Access | None:
    """Return how somebody is inside because everybody is; None for a group, and where nobody stands for everybody."""
    foreign = member.kind == Kind.FOREIGN and (member.sid or "").startswith(OF_A_DOMAIN)
    if member.kind not in ACCOUNTS and not foreign:
        return None
    everybody = next((access for access in inside if access.principal.sid in EVERYONE_LIKE), None)
    return Access(member, (*everybody.chain, Step(member, "everybody"))) if everybody is not None else None


def like_everyone(estate: Estate, among: Ids | None = None) -> frozenset[int]:
    """Return the objects of the directory that stand for everybody, or for everybody who has logged on.

    One SID can have two of them: one in the domain, as of another domain's account, and one in the configuration.
    """
    foreign = estate.catalogue.of_kind(Kind.FOREIGN)
    some = foreign if among is None else np.intersect1d(foreign, among)
    return frozenset(i for i, p in estate.catalogue.principals(some.tolist()).items() if p.sid in EVERYONE_LIKE)


def groups_of_everyone(estate: Estate) -> frozenset[Sid]:
    """Return the groups of the directory in which everybody is; those of every host have the same SIDs as its own."""
    inside = {group for i in like_everyone(estate) for group in estate.graph.effective_groups(i).tolist()}
    groups = estate.catalogue.principals(inside).values()
    return frozenset(group.sid for group in groups if group.sid and group.sid.authority != BUILTIN_AUTHORITY)


def hosts_of_everyone(estate: Estate) -> list[str]:
    """Return the hosts that practically everybody administers, by themselves or through a group."""
    everybody = EVERYONE_LIKE | groups_of_everyone(estate)
    found = [
        host.name
        for some, members in zip(estate.alike_hosts, estate.alike_administrators, strict=True)
        for host in (some if not everybody.isdisjoint(members) else ())
    ]
    return sorted(found)


def members_on_host(estate: Estate, host: Host, group_sid: Sid = ADMINISTRATORS) -> list[Access]:
    """Return everyone in a local group of a host: the entries, and everyone inside the directory groups they name."""
    best: dict[str, Access] = {}
    for access in _entries(estate, host, group_sid, frozenset({group_sid})):
        key = access.principal.sid or access.principal.dn
        if key not in best or len(access.chain) < len(best[key].chain):
            best[key] = access
    return _sorted(list(best.values()))


def _entries(estate: Estate, host: Host, group_sid: Sid, seen: frozenset[Sid]) -> Iterator[Access]:
    """Every entry of a local group and what is inside it.

    Hosts refuse a local group inside a local group, but a damaged host may show one, and a ring of them: `seen`.
    """
    group = host.state.group(group_sid) if host.state else None
    if host.state is None or group is None:
        return
    top = Step(
        local_principal(host.name, local_group_label(group.name, group.sid), group.sid, Kind.LOCAL_GROUP),
        "start",
    )
    for sid, entry in on_host(estate, host.state, host.name, group.members).items():
        head = (top, Step(entry, host.state.unlisted.get(sid, "local entry")))
        yield Access(entry, head)
        inside: Iterable[Access] = ()
        if entry.kind == Kind.LOCAL_GROUP and sid not in seen:
            inside = _entries(estate, host, sid, seen | {sid})
        elif entry.kind == Kind.GROUP and estate.graph.grants_access(entry.id):
            inside = members_of(estate, entry)
        for access in inside:
            yield Access(access.principal, head + access.chain[1:])


def hosts_per_person(estate: Estate, memberships: Sequence[frozenset[Sid]] | None = None) -> dict[int, int]:
    """Return for each directory account on how many hosts it is effectively an administrator.

    Hosts are taken together by the directory groups they name, and each such class is expanded once; what single
    hosts name directly is added person by person.
    """
    alike = zip(estate.alike_administrators, map(len, estate.alike_hosts), strict=True)
    together = [(members, 1) for members in memberships] if memberships is not None else list(alike)
    estate.ids_of_sids({sid for members, _ in together for sid in members})
    graph = estate.graph
    hosts_of: Counter[frozenset[int]] = Counter()
    direct: dict[frozenset[int], Counter[int]] = defaultdict(Counter)
    for members, count in together:
        groups, people_named = estate.groups_and_people(members)
        hosts_of[groups] += count
        direct[groups].update(dict.fromkeys(people_named, count))
    counts = np.zeros(graph.size, np.int64)
    for groups, of_class in hosts_of.items():
        inside = people_inside(graph, groups)
        counts[inside] += of_class
        people = np.array(sorted(direct[groups]), np.int32)
        outside = less(people, inside)
        counts[outside] += np.array([direct[groups][person] for person in outside.tolist()], np.int64)
    people_ids = np.flatnonzero(counts)
    return {int(person): int(counts[person]) for person in people_ids}


def people_in_any(graph: MembershipGraph, groups: Iterable[int]) -> NDArray[np.bool_]:
    """Return for every id whether it is an effective member, not a group, of at least one of the security groups."""
    inside = np.zeros(graph.size, bool)
    inside[people_inside(graph, groups)] = True
    return inside


def people_inside(graph: MembershipGraph, groups: Iterable[int]) -> Ids:
    """Return the ids of the same, sorted."""
    return graph.people_below(group for group in groups if graph.grants_access(group))
