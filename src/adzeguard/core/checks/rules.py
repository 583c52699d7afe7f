"""Findings that come from the rules of the charter."""

from collections.abc import Iterable, Iterator

from adzeguard.core.access import members_of, members_on_host
from adzeguard.core.change.plan import MemberChange
from adzeguard.core.charter.demands import Deviation
from adzeguard.core.charter.membership_rules import ResolvedRule
from adzeguard.core.charter.references import LocalName, member_key
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.checks.chains import chain_as_data, chain_in_words
from adzeguard.core.checks.finding import Finding, Severity
from adzeguard.core.estate import Estate, Host
from adzeguard.core.principal import Kind, Principal
from adzeguard.core.review import Review, local_group_of, named, review_host

_SEVERITY = {
    "excluded": Severity.HIGH,
    "unlisted": Severity.HIGH,
    "missing": Severity.MEDIUM,
    "nested": Severity.MEDIUM,
    "keeper": Severity.MEDIUM,
}
_CHECK = {
    "excluded": "excluded-member",
    "unlisted": "unlisted-member",
    "missing": "missing-member",
    "nested": "nested-group",
    "keeper": "keeper-not-listed",
}


def name_problems(charter: ResolvedCharter) -> Iterator[Finding]:
    """Each name in a rule that stands for nothing or for several things; its rule is not followed."""
    for problem in charter.problems:
        rule = problem.rule
        message = f"the rule is not followed: {problem.message}"
        evidence = {"place": problem.where, "name": problem.name}
        yield Finding(
            "unresolved-name",
            Severity.HIGH,
            f"rule {rule.id}",
            problem.name,
            message,
            rule.id,
            rule.owner,
            "",
            evidence,
        )


def deviations_found(reviews: Iterable[Review]) -> Iterator[Finding]:
    """Each member too many or too few, and each group whose rules cannot be followed together."""
    for review in reviews:
        for conflict in review.demand.conflicts:
            ids = " and ".join(rule.id for rule in conflict.rules)
            places = [rule.rule.place.at() for rule in conflict.rules]
            first = conflict.rules[0]
            message = f"rules {ids} contradict each other: {conflict.message}; nothing is changed here"
            yield Finding(
                "rule-conflict",
                Severity.HIGH,
                review.name,
                "",
                message,
                first.id,
                first.rule.owner,
                "",
                {"places": places},
            )
        for deviation in review.deviations:
            yield _finding(review, deviation)


def _finding(review: Review, deviation: Deviation) -> Finding:
    rule = deviation.holding.rule
    member = named(review, deviation.member)
    evidence = {
        "group_sid": review.group.sid,
        "member_sid": member.sid,
        "member_kind": member.kind.label,
        "how": "primary group" if deviation.member in review.primary else "direct",
        "scope": deviation.holding.scope,
        "place": rule.rule.place.at(),
    }
    message = _message(review, deviation, member)
    return Finding(
        _CHECK[deviation.kind],
        _SEVERITY[deviation.kind],
        review.name,
        member.qualified_name,
        message,
        rule.id,
        rule.rule.owner,
        rule.response if deviation.kind != "keeper" else "alert",
        evidence,
    )


def _message(review: Review, deviation: Deviation, member: Principal) -> str:
    what = f"{member.kind.label} {member.qualified_name}"
    through = " by its primary group" if deviation.member in review.primary else ""
    match deviation.kind:
        case "missing":
            return f"{what} is missing"
        case "excluded":
            return f"{what} is inside{through} and must never be"
        case "nested":
            return f"{what} is inside, and no group may be"
        case "keeper":
            return f"{what} is a keeper that the rule does not list; it stays"
        case _ if member.kind == Kind.UNRESOLVED:
            return f"{member.qualified_name}, which resolves to nothing, is inside and not listed"
        case _:
            return f"{what} is inside{through} and not listed"


def reaching_unlisted(estate: Estate, charter: ResolvedCharter) -> Iterator[Finding]:
    """Everyone who reaches a group, however deeply nested, whom a `reach-only` does not list."""
    for rule in charter.group_rules:
        if rule.reach_only is not None and rule.group is not None:
            allowed = {member_key(p) for p in rule.reach_only if isinstance(p, Principal)}
            yield from _unlisted(rule, rule.group.qualified_name, allowed, members_of(estate, rule.group))
    scopes = HostScopes(rule for rule in charter.host_rules if rule.reach_only is not None)
    for host in estate.hosts:
        for holding in scopes.holding_on(host):
            yield from _reaching_on_host(estate, host, holding.rule)


def _reaching_on_host(estate: Estate, host: Host, rule: ResolvedRule) -> Iterator[Finding]:
    group = local_group_of(host.state, rule) if host.state else None
    if host.state is None or group is None:
        return
    keys = (r.on(host.state) if isinstance(r, LocalName) else member_key(r) for r in rule.reach_only or ())
    allowed = {key for key in keys if key is not None}
    accesses = members_on_host(estate, host, group.sid)
    yield from _unlisted(rule, rf"{host.name}\{group.name}", allowed, accesses)


def _unlisted(rule: ResolvedRule, subject: str, allowed: set[str], accesses: list) -> Iterator[Finding]:  # type: ignore[type-arg]
    for access in accesses:
        member = access.principal
        if member.kind == Kind.GROUP or member_key(member) in allowed:
            continue
        message = f"{member.kind.label} {member.qualified_name} gets in: {chain_in_words(access)}"
        yield Finding(
            "unlisted-reach", Severity.HIGH, subject, member.qualified_name, message, rule.id, rule.rule.owner, "alert",
            {"chain": chain_as_data(access), "member_sid": member.sid},
        )  # fmt: skip


def hosts_excepted(estate: Estate, charter: ResolvedCharter) -> Iterator[Finding]:
    """Hosts that a rule excepts by name, with what it would have found there: an exception must not be forgotten."""
    scopes = HostScopes(charter.host_rules)
    for host in estate.hosts:
        for holding in scopes.excepted_on(host):
            rule = holding.rule
            would = [d for review in review_host(estate, charter, host, [holding]) for d in _told(review)]
            message = f"the host is excepted by name; otherwise: {'; '.join(would) or 'nothing would deviate'}"
            yield Finding(
                "host-excepted", Severity.NOTE, host.name, "", message, rule.id, rule.rule.owner, "",
                {"place": rule.rule.place.at("hosts", "except"), "would_deviate": would},
            )  # fmt: skip


def _told(review: Review) -> list[str]:
    return [_message(review, d, named(review, d.member)) for d in review.deviations if d.kind != "keeper"]


def left_behind(removals: Iterable[MemberChange]) -> Iterator[Finding]:
    """Yield a finding for each membership that a rule put in and that no rule asks for any more."""
    for change in removals:
        message = f"{change.member.name} is inside because the rule put it in, and no rule asks for it any more"
        yield Finding(
            "left-behind", Severity.MEDIUM, change.group.name, change.member.name, message, change.rule, "", "correct",
            {"group_sid": change.group.sid, "member_sid": change.member.sid},
        )  # fmt: skip
