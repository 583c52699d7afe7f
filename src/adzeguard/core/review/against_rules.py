"""What a rule that mends will undo again: said before it is made by hand."""

from collections.abc import Collection, Iterable, Iterator
from typing import Final

from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.kinds.add_local_member import AddLocalMember, RemoveLocalMember
from adzeguard.core.change.kinds.add_member import AddMember, RemoveMember
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import id_of
from adzeguard.core.review.demands import Demand
from adzeguard.core.review.member_demands import MemberDemands

_SHOWN: Final = 6


def undone_by_rules(
    estate: Estate, charter: ResolvedCharter, changes: Iterable[Change], leased: Collection[tuple[str, str, str]]
) -> list[str]:
    """Return a sentence for each member put in or taken out by hand whom a rule that mends puts back or takes out.

    `leased` are memberships that leases give: a list that does not name them waits until their end.
    """
    by_hand = [
        change
        for change in changes
        if change.rule == BY_HAND_RULE and isinstance(change, AddMember | RemoveMember | _OnHost)
    ]
    if not by_hand:
        return []
    said = list(_sentences(estate, charter, by_hand, leased))
    return [*said[:_SHOWN], *([f"and {len(said) - _SHOWN} more that rules undo again"] if len(said) > _SHOWN else [])]


_OnHost = AddLocalMember | RemoveLocalMember


def _sentences(
    estate: Estate,
    charter: ResolvedCharter,
    by_hand: Iterable[AddMember | RemoveMember | AddLocalMember | RemoveLocalMember],
    leased: Collection[tuple[str, str, str]],
) -> Iterator[str]:
    demands = MemberDemands(charter)
    for change in by_hand:
        demand = _mending(estate, demands, change)
        key = change.member.key
        if isinstance(change, RemoveMember | RemoveLocalMember):
            rule = demand.wanted.get(key)
            if rule is not None:
                yield (
                    f"the rule {rule.rule.id} puts {change.member.name} in again: change the rule"
                    f" ({rule.rule.rule.place.at()})"
                )
            continue
        excluded, only = demand.unwanted.get(key), demand.only
        is_leased = (change.host_name.casefold(), change.group.sid, change.member.sid) in leased
        if excluded is None and (only is None or key in demand.wanted or is_leased):
            continue
        rule = excluded or only
        if rule is not None and key not in demands.keepers:
            way_out = "change the rule" if excluded else "give it for a time, adzeguard lease start, or change the rule"
            yield (
                f"the rule {rule.rule.id} takes {change.member.name} out again: {way_out} ({rule.rule.rule.place.at()})"
            )


def _mending(
    estate: Estate,
    demands: MemberDemands,
    change: AddMember | RemoveMember | AddLocalMember | RemoveLocalMember,
) -> Demand:
    if isinstance(change, AddMember | RemoveMember):
        group = id_of(estate, change.group)
        return demands.on_group(group).mending if group is not None else Demand()
    host = estate.hosts_by_name.get(change.host.casefold())
    found = dict(demands.on_host(host)) if host is not None else {}
    return found[change.group_sid].mending if change.group_sid in found else Demand()
