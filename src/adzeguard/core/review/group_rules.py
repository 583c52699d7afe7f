"""Directory groups held against the rules that name them."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Final

from adzeguard.core.access.members import members_of
from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_member import AddMember, RemoveMember
from adzeguard.core.charter.group_rule import GroupRule, ResolvedGroupRule, resolve_group_rule
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.membership import ResolvedMembership
from adzeguard.core.charter.references import MemberKey, member_key
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.objects import outsider
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import Sid
from adzeguard.core.review.correction import Correction
from adzeguard.core.review.demands import Demands, Deviation
from adzeguard.core.review.member_demands import MemberDemands, directory_keys
from adzeguard.core.review.members import conflict_corrections, member_correction, unlisted_reach
from adzeguard.core.rights.delegations import Rights


def review_groups(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield what deviates in each directory group that a rule names. Primary members count as direct members."""
    estate, demands = rights.estate, MemberDemands(charter)
    for group, demand in demands.on_groups():
        yield from conflict_corrections(rights.estate, demand, Named.of(group))
        yield from _deviations(estate, demands, group, demand)
    for rule in charter.of(ResolvedGroupRule):
        if rule.reach_only is not None:
            allowed = directory_keys(rule.reach_only)
            yield from unlisted_reach(rule, Named.of(rule.group), allowed, members_of(estate, rule.group))


def _deviations(estate: Estate, demands: MemberDemands, group: Principal, demand: Demands) -> Iterator[Correction]:
    listed = estate.catalogue.principals(estate.graph.direct_members(group.id).tolist()).values()
    primary = estate.catalogue.principals(estate.graph.primary_members(group.id).tolist()).values()
    members = {member_key(p): p for p in (*listed, *primary)}
    groups = {key for key, p in members.items() if p.kind == Kind.GROUP}
    by_primary = {member_key(p) for p in primary} - {member_key(p) for p in listed}
    deviating = demand.deviations(members.keys(), demands.keepers, groups)
    named = members | _named_by(deviating)
    for deviation in deviating:
        member = named.get(deviation.member) or outsider(Sid(deviation.member))
        inside_by_primary = deviation.member in by_primary
        correction = member_correction(deviation, Named.of(group), member, by_primary=inside_by_primary)
        if correction.left_out:
            yield correction
        else:
            yield _with_changes(estate, correction, deviation, group, member, by_primary=inside_by_primary)


def _named_by(deviating: list[Deviation]) -> dict[MemberKey, Principal]:
    rules: list[ResolvedMembership] = [deviation.because.rule for deviation in deviating]
    return {member_key(p): p for rule in rules for p in rule.listed if isinstance(p, Principal)}


def _with_changes(
    estate: Estate,
    correction: Correction,
    deviation: Deviation,
    group: Principal,
    member: Principal,
    *,
    by_primary: bool,
) -> Correction:
    rule = deviation.because.rule.rule
    changes: list[Change] = []
    reason = ""
    about = {"group": Named.of(group), "member": Named.of(member), "rule": rule.id, "why": rule.why}
    if deviation.kind == "missing" and member.id < 0:
        reason = f"{member.qualified_name} is not an object of the directory, so no group can hold it"
    elif deviation.kind == "missing":
        changes = [AddMember(**about, leaves=rule.leave)]
    elif by_primary:
        from adzeguard.core.change.primary_group import leave_primary_group  # only here: few are told to leave it

        changes, reason = leave_primary_group(estate, group, member, rule.id, rule.why)
    else:
        changes = [RemoveMember(**about, leaves=rule.leave)]
    return replace(correction, changes=tuple(changes), left_out=reason)


GROUP: Final = RuleKind("group", GroupRule, resolve_group_rule, review_groups)
