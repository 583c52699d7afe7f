"""Changes that somebody makes by hand: the same changes, on the same road, as those of the charter."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from adzeguard.core.change.build import in_order, leave_primary_group
from adzeguard.core.change.plan import Change, Expected, LeftOut, MemberChange, MemberVerb, Named, Verb
from adzeguard.core.errors import GuardError
from adzeguard.core.estate import Estate
from adzeguard.core.nesting import refused_nesting
from adzeguard.core.principal import Kind, Principal

BY_HAND_RULE = "by-hand"
Pair = tuple[Principal, Principal]
"""A group and a member."""


def memberships_by_hand(
    estate: Estate, joins: Iterable[Pair], leaves: Iterable[Pair], why: str
) -> tuple[tuple[Change, ...], tuple[LeftOut, ...]]:
    """Return the changes that put members in and take members out, and what needs no change or cannot be done.

    `GuardError` where a group may not hold a member; then nothing is changed at all.
    """
    joins = list(joins)
    wrong = [reason for group, member in joins if (reason := refused_nesting(group, member))]
    if wrong:
        raise GuardError(wrong)
    changes: list[MemberChange] = []
    left_out: list[LeftOut] = []
    for pairs, steps_of in ((joins, _join), (leaves, _leave)):
        for group, member in pairs:
            steps, reason = steps_of(estate, group, member, why)
            changes += steps
            if reason:
                names = {"subject": group.qualified_name, "member": member.qualified_name}
                left_out.append(LeftOut(**names, rule=BY_HAND_RULE, reason=reason))
    return in_order(changes), tuple(left_out)


def _change(verb: MemberVerb, expects: str, group: Principal, member: Principal, why: str) -> MemberChange:
    return MemberChange(
        id="", verb=verb, group=Named.of(group), member=Named.of(member), expects=expects, rule=BY_HAND_RULE, why=why
    )


def leaving(group: Principal, member: Principal, why: str) -> MemberChange:
    """Make the change that takes a listed member out of a group."""
    return _change(Verb.REMOVE_MEMBER, Expected.PRESENT, group, member, why)


def _join(estate: Estate, group: Principal, member: Principal, why: str) -> tuple[list[MemberChange], str]:
    if member.id in estate.graph.direct_members(group.id) or member.id in estate.graph.primary_members(group.id):
        return [], "is a member already"
    if member.id < 0:
        return [], "is not an object of the directory"
    return [_change(Verb.ADD_MEMBER, Expected.ABSENT, group, member, why)], ""


def _leave(estate: Estate, group: Principal, member: Principal, why: str) -> tuple[list[MemberChange], str]:
    if member.id in estate.graph.primary_members(group.id):

        def make(verb: MemberVerb, expects: str, of: Principal) -> MemberChange:
            return _change(verb, expects, of, member, why)

        return leave_primary_group(estate, group, member, make)
    if member.id not in estate.graph.direct_members(group.id):
        inside = estate.graph.expand(group.id).proof(member.id)
        return [], "is inside through other groups only; see: adzeguard why" if inside else "is not a member"
    return [_change(Verb.REMOVE_MEMBER, Expected.PRESENT, group, member, why)], ""


@dataclass(frozen=True, slots=True)
class Candidate:
    """A group that somebody could get from somebody else."""

    group: Principal
    privileged: bool
    """It is privileged, or leads into a privileged group."""
    members: int
    """How many people are effectively inside."""


def copy_candidates(estate: Estate, source: Principal, target: Principal, privileged: Sequence[int]) -> list[Candidate]:
    """Return the groups that list `source` and not `target`, by name."""
    graph = estate.graph
    listed = set(graph.groups_listing(source.id).tolist()) - set(graph.groups_listing(target.id).tolist())
    found = [
        Candidate(group, bool({i, *graph.effective_groups(i).tolist()} & set(privileged)), len(graph.expand(i).people))
        for i, group in estate.catalogue.principals(listed).items()
    ]
    return sorted(found, key=lambda candidate: candidate.group.qualified_name.casefold())


def leftovers(estate: Estate, person: Principal) -> list[tuple[Principal, int]]:
    """Return the groups that list somebody and nobody else of the same department and title, with their peers' number.

    Peers are enabled users with the same department, and the same title where one is given. Without peers there is
    nothing to compare with.
    """
    department, title = person.details.get("department"), person.details.get("title")
    if not department:
        return []
    users = estate.catalogue.principals(estate.catalogue.of_kind(Kind.USER).tolist()).values()
    peers = [
        user for user in users if user.id != person.id and user.enabled and user.details.get("department") == department
    ]
    same_title = [peer for peer in peers if title and peer.details.get("title") == title]
    compared = [peer.id for peer in same_title or peers]
    of_peers = {group for peer in compared for group in estate.graph.groups_listing(peer).tolist()}
    mine = [g for g in estate.graph.groups_listing(person.id).tolist() if g not in of_peers]
    found = estate.catalogue.principals(mine)
    return [(found[g], len(compared)) for g in mine if g in found] if compared else []
