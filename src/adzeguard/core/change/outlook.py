"""The estate as it will be after a plan: the membership graph and each host's administrators."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from adzeguard.core.change.plan import Change, MemberChange, ObjectChange, Verb
from adzeguard.core.estate import Estate
from adzeguard.core.identity import Sid
from adzeguard.core.membership import DirectChange, MembershipGraph
from adzeguard.core.wellknown import ADMINISTRATORS, SECURITY_ENABLED

_ByGroup = defaultdict[int, set[int]]


@dataclass(frozen=True)
class Outlook:
    """What stands after a plan."""

    graph: MembershipGraph
    changed_groups: frozenset[int]
    administrators: tuple[frozenset[Sid], ...]
    """For each host of the estate, the direct members of its administrators group after the plan."""


def outlook(estate: Estate, changes: Iterable[Change]) -> Outlook:
    """Compute what will stand. Names that stand for nothing any more are left out; apply will call them conflicts."""
    gained: _ByGroup = defaultdict(set)
    lost: _ByGroup = defaultdict(set)
    on_hosts: dict[str, tuple[set[Sid], set[Sid]]] = defaultdict(lambda: (set(), set()))
    deleted: set[str] = set()
    security: dict[int, bool] = {}
    for change in changes:
        if isinstance(change, ObjectChange):
            _of_object(estate, change, lost, deleted, security)
        elif change.host is not None:
            if change.group.sid == ADMINISTRATORS:
                on_hosts[change.host.casefold()][change.verb == Verb.REMOVE_MEMBER].add(Sid(change.member.sid))
        else:
            _of_group(estate, change, gained, lost)
    changed = gained.keys() | lost.keys() | security.keys()
    after = {g: DirectChange(frozenset(gained[g]), frozenset(lost[g])) for g in changed}
    administrators = []
    for host, members in zip(estate.hosts, estate.host_administrators, strict=True):
        added, removed = on_hosts.get(host.name.casefold(), ((), ()))
        gone = frozenset(removed) | (members & deleted)
        administrators.append((members | frozenset(added)) - gone if added or gone else members)
    graph = estate.graph.with_changes(after) if after else estate.graph
    graph = graph.with_security(security) if security else graph
    return Outlook(graph, frozenset(changed), tuple(administrators))


def _of_group(estate: Estate, change: MemberChange, gained: _ByGroup, lost: _ByGroup) -> None:
    group = _id(estate, change.group.sid, change.group.dn)
    member = _id(estate, change.member.sid, change.member.dn)
    if group is not None and member is not None and change.verb != Verb.SET_PRIMARY_GROUP:
        (lost if change.verb == Verb.REMOVE_MEMBER else gained)[group].add(member)


def _of_object(
    estate: Estate, change: ObjectChange, lost: _ByGroup, deleted: set[str], security: dict[int, bool]
) -> None:
    """What is deleted is in no group any more; a group that becomes one for mail alone gives no access."""
    found = _id(estate, change.object.sid, change.object.dn)
    if found is None:
        return
    if change.verb == Verb.DELETE:
        deleted.add(change.object.sid)
        for group in estate.graph.groups_listing(found).tolist():
            lost[group].add(found)
    kind = next((a.after[0] for a in change.attributes if a.name == "groupType" and a.after), "")
    if change.verb == Verb.SET and kind.removeprefix("-").isdecimal():
        security[found] = bool(int(kind) & SECURITY_ENABLED)


def _id(estate: Estate, sid: str, dn: str) -> int | None:
    return estate.id_of_sid(sid) if sid else estate.catalogue.by_dn(dn)
