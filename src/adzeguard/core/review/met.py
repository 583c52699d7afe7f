"""What a rule asks for and stood before any rule of ours: met, and not ours, unless the rule takes it over."""

from collections.abc import Collection, Iterator

from adzeguard.core.change.change import Change, Key
from adzeguard.core.change.kinds.add_local_member import AddLocalMember
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.charter.group_rule import ResolvedGroupRule
from adzeguard.core.charter.local_group_rule import ResolvedLocalGroupRule
from adzeguard.core.charter.references import member_key
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.rule import Resolved
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import local_group_named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.review.closing import ClosingRules


def met_by(estate: Estate, charter: ResolvedCharter, rule: Resolved, ours: Collection[Key]) -> Iterator[Change]:
    """Yield the changes that would have put in what a rule asks for and finds standing; `ours` are claims of rules."""
    for change in (*_of_group(estate, rule), *_on_hosts(estate, charter, rule)):
        if not set(change.claims()) & set(ours) and member_of(change) not in _keepers(charter):
            yield change


def member_of(change: Change) -> str:
    """Return by what the member of a change is known; empty for a change of something else."""
    return change.member.key if isinstance(change, AddMember | AddLocalMember) else ""


def _keepers(charter: ResolvedCharter) -> frozenset[str]:
    # No rule takes a keeper out again: what it does not give back, it does not take over.
    return frozenset(member_key(keeper) for keeper in charter.keepers)


def _of_group(estate: Estate, rule: Resolved) -> Iterator[Change]:
    if not isinstance(rule, ResolvedGroupRule):
        return
    standing = set(estate.graph.direct_members(rule.group.id).tolist())
    for member in dict.fromkeys((*(rule.only or ()), *rule.include)):
        if isinstance(member, Principal) and member.id in standing:
            about = {"rule": rule.rule.id, "why": rule.rule.why, "leaves": rule.rule.leave}
            yield AddMember(group=Named.of(rule.group), member=Named.of(member), **about)


def _on_hosts(estate: Estate, charter: ResolvedCharter, rule: Resolved) -> Iterator[Change]:
    closing = ClosingRules(charter)
    scopes = HostScopes([rule]) if isinstance(rule, ResolvedLocalGroupRule) else None
    for host in estate.hosts:
        if scopes is not None and scopes.on(host):
            yield from _members_on(host, rule)
        for one in closing.on(estate, host):
            if one.rule is not None and one.rule.rule.id == rule.id:
                yield one.put_in_by(one.rule.rule.rule.id, one.rule.rule.rule.why)


def _members_on(host: Host, rule: Resolved) -> Iterator[Change]:
    group = rule.group_on(host.state) if isinstance(rule, ResolvedLocalGroupRule) and host.state is not None else None
    if not isinstance(rule, ResolvedLocalGroupRule) or group is None:
        return
    named = local_group_named(host, group.name, group.sid)
    for member in dict.fromkeys((*(rule.only or ()), *rule.include)):
        if isinstance(member, Principal) and member.sid in group.members:
            about = {"rule": rule.rule.id, "why": rule.rule.why, "leaves": rule.rule.leave}
            yield AddLocalMember(host=host.name, group=named, member=Named.of(member), **about)
