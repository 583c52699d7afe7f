"""Members too many or too few, as corrections: what they say, and what would put them right."""

from collections.abc import Iterator
from collections.abc import Set as AbstractSet
from typing import Any, Final

from adzeguard.core.access.chains import chain_as_data, chain_in_words
from adzeguard.core.access.members import Access
from adzeguard.core.change.change import Change
from adzeguard.core.charter.membership import ResolvedMembership
from adzeguard.core.charter.references import MemberKey, member_key
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import looks_like_sid
from adzeguard.core.review.correction import Correction, about_rule, correction_of
from adzeguard.core.review.demands import Conflict, Demand, Demands, Deviation

CHECKS: Final = {
    "excluded": "excluded-member",
    "unlisted": "unlisted-member",
    "missing": "missing-member",
    "nested": "nested-group",
    "keeper": "keeper-not-listed",
}
"""The check of each kind of deviation."""
NEVER_MENDED: Final = {
    "keeper": "a keeper is never taken out",
    "nested": "whether the members of a nested group should be listed one by one is for people to say",
}


def member_correction(
    deviation: Deviation,
    subject: Named,
    member: Principal,
    *,
    host: Named | None = None,
    by_primary: bool = False,
    changes: tuple[Change, ...] = (),
) -> Correction:
    """Return the correction of one member, with the changes that put it right as far as they are known."""
    scoped = deviation.because
    evidence = {
        "place": scoped.rule.rule.place.at(),
        "group_sid": subject.sid,
        "member_sid": member.sid,
        "member_kind": member.label,
        "how": "primary group" if by_primary else "direct",
        "scope": scoped.scope,
    }
    more: dict[str, Any] = {"response": "tell"} if deviation.kind == "keeper" else {}
    return correction_of(
        scoped.rule,
        CHECKS[deviation.kind],
        subject,
        deviation_in_words(deviation, member, by_primary=by_primary),
        member=Named.of(member),
        host=host,
        changes=changes,
        left_out=NEVER_MENDED.get(deviation.kind, ""),
        evidence=evidence,
        **more,
    )


def deviation_in_words(deviation: Deviation, member: Principal, *, by_primary: bool = False) -> str:
    """Return what is wrong with one member."""
    what = f"{member.label} {member.qualified_name}"
    through = " by its primary group" if by_primary else ""
    match deviation.kind:
        case "missing":
            return f"{what} is missing"
        case "excluded":
            return f"{what} is inside{through} and must never be"
        case "nested":
            return f"{what} is inside, and no group may be"
        case "keeper":
            how = "excludes" if deviation.otherwise == "excluded" else "does not list"
            return f"{what} is a keeper that the rule {how}; it stays"
        case "unlisted" if member.kind == Kind.UNRESOLVED:
            return f"{member.qualified_name}, which this directory does not know, is inside and not listed"
        case _:
            return f"{what} is inside{through} and not listed"


def conflict_corrections(
    estate: Estate, demand: Demands, subject: Named, host: Named | None = None
) -> Iterator[Correction]:
    """Yield each conflict of rules: nothing is changed where they meet."""
    for conflict in demand.conflicts:
        ids = " and ".join(f"{rule.id} ({rule.rule.place.at()})" for rule in conflict.rules)
        known = estate.id_of_sid(conflict.member) if looks_like_sid(conflict.member) else None
        name = estate.principal(known).qualified_name if known is not None else conflict.member
        message = conflict.message.format(name)
        first = conflict.rules[0]
        yield Correction(
            "rule-conflict",
            subject,
            f"rules {ids} contradict each other: {message}; {_follows(demand, conflict)}",
            **about_rule(first.rule),
            host=host,
            left_out=f"rules {ids} contradict each other: {message}",
            stops_rule=True,
            evidence={"rules": [rule.id for rule in conflict.rules]},
        )


def _follows(demands: Demands, conflict: Conflict) -> str:
    """Return what follows from a conflict: one that only rules that mend have among themselves stops the mending."""
    if conflict in demands.mending.conflicts or demands.mending == Demand():
        return "nothing is changed here"
    return "what they tell is left open here"


def unlisted_reach(
    rule: ResolvedMembership,
    subject: Named,
    allowed: AbstractSet[MemberKey],
    accesses: list[Access],
    host: Named | None = None,
) -> Iterator[Correction]:
    """Yield everyone who gets in, however deeply nested, whom a `reach-only` does not list."""
    for access in accesses:
        member = access.principal
        if member.kind == Kind.GROUP or member_key(member) in allowed:
            continue
        yield correction_of(
            rule,
            "unlisted-reach",
            subject,
            f"{member.label} {member.qualified_name} gets in: {chain_in_words(access)}",
            response="tell",
            member=Named.of(member),
            host=host,
            evidence={"chain": chain_as_data(access), "member_sid": member.sid},
        )
