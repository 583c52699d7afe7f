"""Withdrawal: what a rule put in is taken out when no rule asks for it any more. What people did is not touched."""

from collections.abc import Iterable, Iterator

from adzeguard.core.change.plan import Expected, MemberChange, Verb
from adzeguard.core.charter.demands import Demand, demand_of
from adzeguard.core.charter.references import member_key
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import NAMED, Holding, HostScopes
from adzeguard.core.estate import Estate, Host
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.core.review import directory_keys, host_keys, local_group_of


def withdrawals(estate: Estate, charter: ResolvedCharter, standing: Iterable[MemberChange]) -> Iterator[MemberChange]:
    """Yield the removals of what still stands of `standing` (additions that rules made) and nobody asks for.

    A rule that cannot be followed because of a name, and rules that contradict each other, leave things as they are.
    """
    stopped = {problem.rule.id for problem in charter.problems}
    keepers = {member_key(keeper) for keeper in charter.keepers}
    scopes = HostScopes(charter.host_rules)
    for change in standing:
        key = change.member.sid or fold_dn(change.member.dn)
        if change.rule in stopped or key in keepers or not _still_stands(estate, change):
            continue
        demand = _demand(estate, charter, scopes, change)
        if demand is not None and not demand.conflicts and key not in demand.wanted:
            yield change.model_copy(
                update={
                    "verb": Verb.REMOVE_MEMBER,
                    "expects": Expected.PRESENT,
                    "why": f"the rule {change.rule} put it in, and no rule asks for it any more",
                }
            )


def _still_stands(estate: Estate, change: MemberChange) -> bool:
    if change.host is not None:
        host = estate.hosts_by_name.get(change.host.casefold())
        group = host.state.group(change.group.sid) if host and host.state else None
        return group is not None and Sid(change.member.sid) in group.members
    group_id, member = estate.id_of_sid(change.group.sid), _member_id(estate, change)
    return group_id is not None and member is not None and member in estate.graph.direct_members(group_id)


def _member_id(estate: Estate, change: MemberChange) -> int | None:
    return estate.id_of_sid(change.member.sid) if change.member.sid else estate.catalogue.by_dn(change.member.dn)


def _demand(estate: Estate, charter: ResolvedCharter, scopes: HostScopes, change: MemberChange) -> Demand | None:
    if change.host is not None:
        host = estate.hosts_by_name.get(change.host.casefold())
        return _demand_on_host(scopes, host, change.group.sid) if host else None
    rules = [rule for rule in charter.group_rules if rule.group is not None and rule.group.sid == change.group.sid]
    return demand_of([Holding(rule, NAMED, "the group by name") for rule in rules], directory_keys)


def _demand_on_host(scopes: HostScopes, host: Host, group_sid: str) -> Demand | None:
    state = host.state
    if state is None:
        return None
    holding = [
        held
        for held in scopes.holding_on(host)
        if (group := local_group_of(state, held.rule)) is not None and group.sid == group_sid
    ]
    return demand_of(holding, host_keys(state))
