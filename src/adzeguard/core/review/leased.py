"""What a lease gives is decided on, until it ends: a list that does not name it is no reason to take it out before."""

from collections.abc import Collection, Iterable, Iterator

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_local_member import RemoveLocalMember
from adzeguard.core.change.kinds.add_member import RemoveMember
from adzeguard.core.charter.group_rule import ResolvedGroupRule
from adzeguard.core.charter.local_group_rule import ResolvedLocalGroupRule
from adzeguard.core.charter.membership import ResolvedMembership
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.named import Named, is_listed
from adzeguard.core.estate.names import local_group_named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.review.correction import Correction
from adzeguard.core.time.lease import Lease

_UNLISTED = "unlisted-member"


def less_leased(corrections: Iterable[Correction], leases: Iterable[Lease]) -> Iterator[Correction]:
    """Yield all but the members whom a rule does not list and an open lease gives. Who is excluded, is excluded."""
    leased: Collection[tuple[str, str, str]] = {lease.pair for lease in leases if lease.is_open}
    for one in corrections:
        host = one.host.name.casefold() if one.host is not None else ""
        member = one.member.sid if one.member is not None else ""
        if one.check != _UNLISTED or (host, one.subject.sid, member) not in leased:
            yield one


def leased_by_rules(estate: Estate, charter: ResolvedCharter) -> Iterator[Change]:
    """Yield the removal of each principal of the directory whom rules let be inside up to a last day, and no longer."""
    rules = charter.of(ResolvedGroupRule)
    for rule in rules:
        for member in _for_a_time(rule, [one for one in rules if one.group.id == rule.group.id]):
            if is_listed(estate, str(rule.group.sid or ""), str(member.sid)):
                yield RemoveMember(group=Named.of(rule.group), member=Named.of(member), rule=rule.id)
    local_rules = charter.of(ResolvedLocalGroupRule)
    if any(rule.leased for rule in local_rules):
        scopes = HostScopes(local_rules)
        for host in estate.hosts:
            yield from _leased_on(host, [scoped.rule for scoped in scopes.on(host)])


def _leased_on(host: Host, rules: Iterable[ResolvedLocalGroupRule]) -> Iterator[Change]:
    groups = [(rule, rule.group_on(host.state)) for rule in rules] if host.state is not None else []
    for rule, there in groups:
        if there is None or not rule.leased:
            continue
        named = local_group_named(host, there.name, there.sid)
        for member in _for_a_time(rule, [one for one, of in groups if of == there]):
            if member.sid in there.members:
                yield RemoveLocalMember(host=host.name, group=named, member=Named.of(member), rule=rule.id)


def _for_a_time(rule: ResolvedMembership, rules: Iterable[ResolvedMembership]) -> Iterator[Principal]:
    """Yield whom a rule lists up to a last day alone, unless another lists them for good."""
    for member in rule.leased:
        if isinstance(member, Principal) and member.sid and not any(_lists_for_good(one, member) for one in rules):
            yield member


def _lists_for_good(rule: ResolvedMembership, member: Principal) -> bool:
    listed = [one for one in (*(rule.only or ()), *rule.include) if one == member]
    return len(listed) > sum(one == member for one in rule.leased)
