"""Withdrawal: what a rule put in is taken out when no rule asks for it any more. What people did is not touched."""

from collections.abc import Iterable, Iterator
from collections.abc import Set as AbstractSet
from functools import cache

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_local_member import AddLocalMember
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import host_administrator
from adzeguard.core.estate.named import Named, id_of
from adzeguard.core.estate.names import host_named
from adzeguard.core.identity import fold_dn
from adzeguard.core.review.correction import Correction
from adzeguard.core.review.demands import Demands
from adzeguard.core.review.documented import documented_entries
from adzeguard.core.review.member_demands import MemberDemands
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.wellknown import RID_PROTECTED_USERS


def review_put_in(rights: Rights, charter: ResolvedCharter, put_in: Iterable[Change]) -> Iterator[Correction]:
    """Yield what still stands of what rules have put in, and what nobody asks for any more.

    A rule that cannot be followed because of a name, and rules that contradict each other, leave things as they are.
    """
    put_in = list(put_in)
    stopped = {problem.rule.id for problem in charter.problems}
    yield from _members(rights.estate, charter, [c for c in put_in if c.rule not in stopped])
    yield from _objects(rights, charter, [c for c in put_in if c.rule not in stopped])


def _members(estate: Estate, charter: ResolvedCharter, put_in: Iterable[Change]) -> Iterator[Correction]:
    demands = MemberDemands(charter)

    @cache
    def protected() -> AbstractSet[tuple[str, str]]:
        # Only here: rules about accounts need ten modules, and put people into no other group.
        from adzeguard.core.review.account_standards import protected_by_rules

        return protected_by_rules(estate, charter)

    for change in put_in:
        if not isinstance(change, AddMember | AddLocalMember) or change.member.key in demands.keepers:
            continue
        if isinstance(change, AddLocalMember) and _is_host_administrator(estate, change):
            continue
        by_standard = change.group.sid.endswith(f"-{RID_PROTECTED_USERS}")
        if by_standard and (change.group.sid, change.member.sid) in protected():
            continue
        demand = _demand(estate, demands, change)
        if demand is None or demand.conflicts or demand.wants(change.member.key):
            continue
        why = f"the rule {change.rule} put it in, and no rule asks for it any more"
        yield Correction(
            "left-behind",
            change.group,
            f"{change.member.name} is inside because the rule put it in, and no rule asks for it any more",
            change.rule,
            response="mend",
            member=change.member,
            host=_host_named(estate, change.host_name),
            changes=(change.removal(why),),
            evidence={"group_sid": change.group.sid, "member_sid": change.member.sid},
        )


def _is_host_administrator(estate: Estate, change: AddLocalMember) -> bool:
    """Whether it put a host's own administrator in: that stays, as a keeper does that a rule put in."""
    host = estate.hosts_by_name.get(change.host.casefold())
    return host is not None and host.state is not None and change.member.sid == host_administrator(host.state)


def _host_named(estate: Estate, name: str) -> Named | None:
    host = estate.hosts_by_name.get(name.casefold()) if name else None
    return host_named(host) if host else None


def _demand(estate: Estate, demands: MemberDemands, change: AddMember | AddLocalMember) -> Demands | None:
    """Return what is demanded where the change stands; None if it does not stand any more."""
    if isinstance(change, AddLocalMember):
        host = estate.hosts_by_name.get(change.host.casefold())
        if host is None or host.state is None or not change.stands(host.state):
            return None
        if any(scoped.rule.unknown_on(host.state) for scoped in demands.scopes.on(host)):
            return None  # a rule that is stopped there leaves things as they are
        return dict(demands.on_host(host)).get(change.group_sid, Demands())
    group_id, member = id_of(estate, change.group), id_of(estate, change.member)
    if group_id is None or member is None or member not in estate.graph.direct_members(group_id):
        return None
    return demands.on_group(group_id)


def _objects(rights: Rights, charter: ResolvedCharter, put_in: Iterable[Change]) -> Iterator[Correction]:
    documented = documented_entries(rights, charter)
    in_force = {rule.id for rule in charter.rules}
    for change in put_in:
        left: ObjectChange | None = None
        if isinstance(change, ChangeRights) and change.rule not in documented.unclear:
            asked_for = documented.entries.get(fold_dn(change.object.dn), frozenset())
            gone = tuple(entry for entry in change.gives if entry not in asked_for)
            left = change.model_copy(update={"gives": gone}) if gone else None
        elif isinstance(change, SetAttributes) and change.rule not in in_force:
            left = change
        if left is not None and _still_stands(rights.estate, left):
            why = f"the rule {change.rule} put it there, and does not hold any more"
            back = left.taken_back(left, {})
            if back is not None:
                taken = back.by(change.rule, why)
                yield Correction(
                    "left-behind",
                    Named(left.object.dn or left.object.name, left.object.sid, left.object.dn),
                    f"the rule put it there, and does not hold any more: {left.words}",
                    change.rule,
                    response="mend",
                    changes=(taken,),
                )


def _still_stands(estate: Estate, change: ObjectChange) -> bool:
    target = estate.catalogue.by_dn(change.object.dn)
    if target is None:
        return False
    if isinstance(change, ChangeRights):
        raw = estate.catalogue.descriptors([target]).get(target)
        return raw is not None and set(change.gives) <= set(Descriptor.from_bytes(raw).entries)
    known = {value.encode() for value in estate.principal(target).details.get("well_known_objects", ())}
    return isinstance(change, SetAttributes) and all(set(a.after) <= known for a in change.attributes)
