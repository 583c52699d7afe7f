"""Changes that somebody makes by hand: the same changes, on the same road, as those of the charter."""

from collections.abc import Iterable

from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.draft import Draft, LeftOut
from adzeguard.core.change.kinds.add_member import AddMember, RemoveMember
from adzeguard.core.change.primary_group import leave_primary_group
from adzeguard.core.errors import GuardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.foreign import UNKNOWN_THERE
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.nesting import refused_nesting
from adzeguard.core.estate.principal import Principal

Pair = tuple[Principal, Principal]
"""A group and a member."""


def memberships_by_hand(estate: Estate, joins: Iterable[Pair], leaves: Iterable[Pair], why: str) -> Draft:
    """Return the changes that put members in and take members out, and what needs no change or cannot be done.

    `GuardError` where a group may not hold a member; then nothing is changed at all.
    """
    joins = list(joins)
    wrong = [reason for group, member in joins if (reason := refused_nesting(group, member))]
    if wrong:
        raise GuardError(wrong)
    changes: list[Change] = []
    left_out: list[LeftOut] = []
    for pairs, steps_of in ((joins, _join), (leaves, _leave)):
        for group, member in pairs:
            steps, reason = steps_of(estate, group, member, why)
            changes += steps
            if reason:
                names = {"subject": group.qualified_name, "member": member.qualified_name}
                left_out.append(LeftOut(**names, rule=BY_HAND_RULE, reason=reason))
    return Draft(tuple(changes), tuple(left_out))


def leaving(group: Principal, member: Principal, why: str) -> Change:
    """Make the change that takes a listed member out of a group."""
    return RemoveMember(group=Named.of(group), member=Named.of(member), rule=BY_HAND_RULE, why=why)


def _join(estate: Estate, group: Principal, member: Principal, why: str) -> tuple[list[Change], str]:
    if member.id in estate.graph.direct_members(group.id) or member.id in estate.graph.primary_members(group.id):
        return [], "is a member already"
    if member.id < 0:
        return [], "is not an object of the directory"
    if member.details.get("foreign_state") == UNKNOWN_THERE:
        return [], "is nobody: its own domain does not know the SID"
    return [AddMember(group=Named.of(group), member=Named.of(member), rule=BY_HAND_RULE, why=why)], ""


def _leave(estate: Estate, group: Principal, member: Principal, why: str) -> tuple[list[Change], str]:
    if member.id in estate.graph.primary_members(group.id):
        return leave_primary_group(estate, group, member, BY_HAND_RULE, why)
    if member.id not in estate.graph.direct_members(group.id):
        inside = estate.graph.expand(group.id).proof(member.id)
        return [], "is inside through other groups only; see: adzeguard why" if inside else "is not a member"
    return [leaving(group, member, why)], ""
