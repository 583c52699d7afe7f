"""From deviations to changes: what `correct` rules put right, in an order in which nobody is locked out half-way."""

from collections.abc import Callable, Collection, Iterable, Iterator
from dataclasses import dataclass
from typing import Final

from adzeguard.core.change.plan import Change, Expected, LeftOut, MemberChange, MemberVerb, Named, ObjectChange, Verb
from adzeguard.core.charter.demands import Deviation
from adzeguard.core.estate import Estate
from adzeguard.core.principal import Kind, Principal
from adzeguard.core.review import Review, named
from adzeguard.core.wellknown import RID_DOMAIN_COMPUTERS, RID_DOMAIN_USERS


@dataclass(frozen=True, slots=True)
class Draft:
    """The changes of a plan without its impact."""

    changes: tuple[Change, ...]
    left_out: tuple[LeftOut, ...]


def draft_plan(estate: Estate, reviews: Iterable[Review], also: Collection[str] = ()) -> Draft:
    """Turn the deviations into changes. `also` are ids of rules to put right although they only alert."""
    changes: list[Change] = []
    left_out: list[LeftOut] = []
    for review in reviews:
        for deviation in review.deviations:
            rule = deviation.holding.rule
            if rule.response == "correct" or rule.id in also:
                steps, reason = _steps(estate, review, deviation)
                changes += steps
                if reason:
                    member = named(review, deviation.member).qualified_name
                    left_out.append(LeftOut(subject=review.name, member=member, rule=rule.id, reason=reason))
    return Draft(in_order(changes), tuple(left_out))


def in_order(changes: Iterable[Change]) -> tuple[Change, ...]:
    """Return the changes of a plan in the order in which they are made, each once, numbered."""
    ordered = sorted(_without_twins(changes), key=_place_in_plan)
    return tuple(change.model_copy(update={"id": f"c{number:05}"}) for number, change in enumerate(ordered, 1))


def _place_in_plan(change: Change) -> tuple[int, str, str]:
    """New objects and additions go first, the directory before the hosts: a new way in stands before an old one goes.

    What is done to objects keeps the order in which it was asked for.
    """
    name = change.group.name.casefold() if isinstance(change, MemberChange) else ""
    return RANKS[change.verb] * 2 + bool(change.host), change.host or "", name


RANKS: Final = {
    Verb.CREATE: 0, Verb.ADD_MEMBER: 1, Verb.SET_PRIMARY_GROUP: 2, Verb.SET: 3, Verb.RIGHTS: 3, Verb.MOVE: 3,
    Verb.REMOVE_MEMBER: 4, Verb.DELETE: 5,
}  # fmt: skip
"""In which order the kinds of change are made."""


def _without_twins(changes: Iterable[Change]) -> Iterator[Change]:
    """Two groups can ask the same step of a person: to be listed in the group that becomes the primary one."""
    seen: set[tuple[str, ...]] = set()
    for change in changes:
        key = _twin_key(change)
        if key not in seen:
            seen.add(key)
            yield change


def _twin_key(change: Change) -> tuple[str, ...]:
    if isinstance(change, ObjectChange):
        return change.verb, change.object.dn.casefold(), *change.gives, *change.takes, change.model_dump_json()
    group = change.group.sid or change.group.dn.casefold()
    return change.verb, change.target, group, change.member.sid or change.member.dn


def _steps(estate: Estate, review: Review, deviation: Deviation) -> tuple[list[MemberChange], str]:
    member = named(review, deviation.member)
    match deviation.kind:
        case "missing":
            if review.host is None and member.id < 0:
                return (
                    [],
                    f"{member.qualified_name} is not an object of the directory, so no group can hold it",
                )
            return [_change(review, deviation, Verb.ADD_MEMBER, member, Expected.ABSENT)], ""
        case "keeper":
            return [], "a keeper is never taken out"
        case "nested":
            return (
                [],
                "whether the members of a nested group should be listed one by one is for people to say",
            )
        case _ if deviation.member in review.primary:

            def make(verb: MemberVerb, expects: str, group: Principal) -> MemberChange:
                return _change(review, deviation, verb, member, expects, group)

            return leave_primary_group(estate, review.group, member, make)
        case _:
            return [_change(review, deviation, Verb.REMOVE_MEMBER, member, Expected.PRESENT)], ""


def _change(
    review: Review,
    deviation: Deviation,
    verb: MemberVerb,
    member: Principal,
    expects: str,
    group: Principal | None = None,
) -> MemberChange:
    rule = deviation.holding.rule
    return MemberChange(
        id="",
        verb=verb,
        host=review.host.name if review.host else None,
        group=Named.of(group or review.group),
        member=Named.of(member),
        expects=expects,
        rule=rule.id,
        why=rule.rule.why,
        leaves=rule.rule.leave,
    )


Maker = Callable[[MemberVerb, str, Principal], MemberChange]
"""Makes a change about one member from a verb, what it expects, and the group."""


def leave_primary_group(
    estate: Estate, group: Principal, member: Principal, make: Maker
) -> tuple[list[MemberChange], str]:
    """Return the steps by which somebody leaves their primary group, or why it cannot be done.

    Nobody can be taken out of a primary group: another must be it first, and one can only be so for its members.
    When the directory switches the primary group, it lists the account in the old one; that entry is then removed.
    """
    rid = RID_DOMAIN_COMPUTERS if member.kind == Kind.COMPUTER else RID_DOMAIN_USERS
    fallback_id = estate.id_of_sid(estate.domain.account(rid))
    if fallback_id is None or fallback_id == group.id or group.sid is None:
        return [], f"it is the primary group of {member.qualified_name}, and there is no other to take its place"
    fallback = estate.principal(fallback_id)
    steps = []
    if member.id not in estate.graph.direct_members(fallback_id):
        steps.append(make(Verb.ADD_MEMBER, Expected.ABSENT, fallback))
    steps.append(make(Verb.SET_PRIMARY_GROUP, group.sid, fallback))
    steps.append(make(Verb.REMOVE_MEMBER, Expected.PRESENT, group))
    return steps, ""
