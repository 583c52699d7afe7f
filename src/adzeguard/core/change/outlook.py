"""The estate as it will be after a plan: the membership graph and each host's administrators."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from adzeguard.core.change.plan import Change, Verb
from adzeguard.core.estate import Estate
from adzeguard.core.identity import Sid
from adzeguard.core.membership import DirectChange, MembershipGraph
from adzeguard.core.wellknown import ADMINISTRATORS


@dataclass(frozen=True)
class Outlook:
    """What stands after a plan."""

    graph: MembershipGraph
    changed_groups: frozenset[int]
    administrators: tuple[frozenset[Sid], ...]
    """For each host of the estate, the direct members of its administrators group after the plan."""


def outlook(estate: Estate, changes: Iterable[Change]) -> Outlook:
    """Compute what will stand. Names that stand for nothing any more are left out; apply will call them conflicts."""
    gained: dict[int, set[int]] = defaultdict(set)
    lost: dict[int, set[int]] = defaultdict(set)
    on_hosts: dict[str, tuple[set[Sid], set[Sid]]] = defaultdict(lambda: (set(), set()))
    for change in changes:
        if change.host is not None:
            if change.group.sid == ADMINISTRATORS:
                on_hosts[change.host.casefold()][change.verb == Verb.REMOVE_MEMBER].add(Sid(change.member.sid))
            continue
        group, member = (
            _id(estate, change.group.sid, change.group.dn),
            _id(estate, change.member.sid, change.member.dn),
        )
        if group is not None and member is not None and change.verb != Verb.SET_PRIMARY_GROUP:
            (lost if change.verb == Verb.REMOVE_MEMBER else gained)[group].add(member)
    changed = gained.keys() | lost.keys()
    after = {g: DirectChange(frozenset(gained[g]), frozenset(lost[g])) for g in changed}
    administrators = []
    for host, members in zip(estate.hosts, estate.host_administrators, strict=True):
        added, removed = on_hosts.get(host.name.casefold(), ((), ()))
        administrators.append((members | frozenset(added)) - frozenset(removed) if added or removed else members)
    graph = estate.graph.with_changes(after) if after else estate.graph
    return Outlook(graph, frozenset(changed), tuple(administrators))


def _id(estate: Estate, sid: str, dn: str) -> int | None:
    return estate.id_of_sid(sid) if sid else estate.catalogue.by_dn(dn)
