"""Logons at hosts held against the rules that hold there: who is refused, who alone may, and what is shown."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.logon_refusal import RefuseLogon
from adzeguard.core.change.kinds.set_logon_alone import SetLogonAlone
from adzeguard.core.change.kinds.set_notice import SetNotice
from adzeguard.core.charter.logon_rule import ResolvedLogonRule
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import ScopedRule
from adzeguard.core.charter.setting_rule import sids_on
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host, HostState, host_administrator
from adzeguard.core.estate.logon import logon_of
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.notice import Notice, notice_of
from adzeguard.core.identity import Sid
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.review.on_hosts import (
    OnHost,
    contradiction,
    decisions,
    hosts_with_rules,
    left_behind,
    names_unknown,
)
from adzeguard.core.rights.delegations import Rights

Scoped = ScopedRule[ResolvedLogonRule]


def review_refusals(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield everybody who is to be refused logon at a host and is not; and what stops a rule about logons there."""
    estate, rules = rights.estate, charter.of(ResolvedLogonRule)
    yield from names_unknown(estate, rules)
    keepers = _keepers(charter)
    for on in hosts_with_rules(estate, [rule for rule in rules if rule.refused]):
        logon = logon_of(on.state)
        wanted = refusals_on(on.state, on.rules)
        contradicted = _contradicted(on)
        yield from (contradiction(on, both, f"{way}, one lets whom the other refuses") for way, both in contradicted)
        open_ = {
            (way, sid): scoped
            for (way, sid), scoped in wanted.items()
            if (logon is None or sid not in logon.refused.get(way, ()))
            and not any(way == other and scoped in both for other, both in contradicted)
        }
        names = on.names_of(estate, {sid for _, sid in open_})
        for (way, sid), scoped in open_.items():
            who = names[sid]
            correction = correction_of(
                scoped.rule,
                "logon-not-refused",
                on.named,
                f"{who.name} is not refused logon by {way}",
                member=who,
                host=on.named,
                evidence={"way": way, "member_sid": sid, "scope": scoped.scope},
            )
            if sid in keepers or sid == host_administrator(on.state):
                yield correction.without_changes("a keeper is never refused")
            elif logon is not None and way not in logon.refused:
                yield correction.without_changes(f"unsupported: {on.host.name} cannot tell logon by {way} apart")
            else:
                yield correction.with_changes([RefuseLogon(host=on.host.name, way=way, who=who, **_of(scoped))])


def refusals_on(state: HostState, rules: Iterable[Scoped]) -> dict[tuple[str, Sid], Scoped]:
    """Return who is to be refused by which way, and the rule that says so: one that mends before one that tells."""
    wanted: dict[tuple[str, Sid], Scoped] = {}
    for scoped in sorted(rules, key=lambda scoped: scoped.rule.response != "mend"):
        for way, references in scoped.rule.refused.items():
            for sid in sorted(sids_on(references, state)):
                wanted.setdefault((way, sid), scoped)
    return wanted


def _contradicted(on: OnHost[ResolvedLogonRule]) -> list[tuple[str, tuple[Scoped, Scoped]]]:
    """Return by ways the rules that refuse whom another at the same distance lets, alone."""
    found = []
    for refusing in on.rules:
        for way, references in refusing.rule.refused.items():
            refused = sids_on(references, on.state)
            for letting in on.rules:
                let = sids_on(letting.rule.alone.get(way, ()), on.state)
                if letting.distance == refusing.distance and refused & let:
                    found.append((way, (refusing, letting)))
    return found


def review_alone(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each host and way where others may log on than the closest rule lets, or some of those may not."""
    estate = rights.estate
    keepers = _keepers(charter)
    for on in hosts_with_rules(estate, [rule for rule in charter.of(ResolvedLogonRule) if rule.alone]):
        for way in dict.fromkeys(way for scoped in on.rules for way in scoped.rule.alone):
            yield from _alone_by(estate, on, way, keepers)


def alone_on(state: HostState, rule: ResolvedLogonRule, way: str, keepers: frozenset[Sid]) -> frozenset[Sid] | None:
    """Return who alone is to log on by a way: those of the rule, keepers, and the host's own administrator."""
    listed = rule.alone.get(way)
    return None if listed is None else sids_on(listed, state) | keepers | {host_administrator(state)}


def _alone_by(estate: Estate, on: OnHost[ResolvedLogonRule], way: str, keepers: frozenset[Sid]) -> Iterator[Correction]:
    logon = logon_of(on.state)
    stands = logon.alone.get(way) if logon is not None else None
    for decision in decisions(on.rules, lambda rule: alone_on(on.state, rule, way, keepers)):
        if decision.conflict:
            yield contradiction(on, decision.conflict, f"each lets others alone log on by {way}")
        if decision.by is None or decision.value is None or decision.value == stands:
            continue
        names = on.names_of(estate, decision.value | (stands or frozenset()))
        few = ", ".join(sorted(names[sid].name for sid in decision.value))
        correction = correction_of(
            decision.by.rule,
            "logon-not-limited",
            on.named,
            f"others than {few} may log on by {way}" if stands is None else f"not only {few} may log on by {way}",
            host=on.named,
            evidence={"way": way, "scope": decision.by.scope},
        )
        if logon is not None and way not in logon.refused:
            yield correction.without_changes(f"unsupported: {on.host.name} cannot tell logon by {way} apart")
            continue
        lists = {
            "before": None if stands is None else tuple(sorted((names[sid] for sid in stands), key=_by_name)),
            "after": tuple(sorted((names[sid] for sid in decision.value), key=_by_name)),
        }
        yield correction.with_changes([SetLogonAlone(host=on.host.name, way=way, **lists, **_of(decision.by))])


def review_notices(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each host that shows another notice than the closest rule wants."""
    for on in hosts_with_rules(rights.estate, [rule for rule in charter.of(ResolvedLogonRule) if rule.notice]):
        stands = notice_of(on.state)
        for decision in decisions(on.rules, lambda rule: rule.notice):
            if decision.conflict:
                yield contradiction(on, decision.conflict, "each wants another notice")
            if decision.by is None or decision.value is None or decision.value == stands:
                continue
            before = stands or Notice()
            change = SetNotice(
                host=on.host.name,
                title_before=before.title,
                text_before=before.text,
                title=decision.value.title,
                text=decision.value.text,
                **_of(decision.by),
            )
            said = f"shows {before.in_words()} and not {decision.value.in_words()}"
            evidence = {"stands": before.title, "scope": decision.by.scope}
            correction = correction_of(
                decision.by.rule, "other-notice", on.named, said, host=on.named, evidence=evidence
            )
            yield correction.with_changes([change])


def withdraw_logon(rights: Rights, charter: ResolvedCharter, put_in: Sequence[Change]) -> Iterator[Correction]:
    """Yield what rules have set about logons and no rule asks for any more."""
    rules = charter.of(ResolvedLogonRule)
    hosts = {on.host.name.casefold(): on for on in hosts_with_rules(rights.estate, rules)}
    for change in put_in:
        if isinstance(change, RefuseLogon | SetLogonAlone | SetNotice):
            host = rights.estate.hosts_by_name.get(change.host.casefold())
            if host is None or host.state is None or not change.stands(host.state):
                continue
            if any(rule.unknown_on(host.state) for rule in rules):
                continue  # a rule that is stopped there leaves things as they are
            on = hosts.get(change.host.casefold())
            if not _is_asked_for(change, host, on.rules if on else ()):
                yield _withdrawn(change, host)


def _is_asked_for(change: RefuseLogon | SetLogonAlone | SetNotice, host: Host, rules: Sequence[Scoped]) -> bool:
    state = host.state
    if state is None:
        return True
    if isinstance(change, RefuseLogon):
        return (change.way, Sid(change.who.sid)) in refusals_on(state, rules)
    if isinstance(change, SetLogonAlone):
        return any(change.way in scoped.rule.alone for scoped in rules)  # another list is told, and replaces it
    return any(scoped.rule.notice is not None for scoped in rules)


def _withdrawn(change: RefuseLogon | SetLogonAlone | SetNotice, host: Host) -> Correction:
    why = f"the rule {change.rule} put it in, and no rule asks for it any more"
    if isinstance(change, RefuseLogon):
        what = f"{change.who.name} is refused logon by {change.way}"
        return left_behind(change, host, change.ended(change.rule, why), what)
    if isinstance(change, SetLogonAlone):
        gone: Change = change.by(change.rule, why, id="", before=change.after, after=None)
        return left_behind(change, host, gone, f"only some may log on by {change.way}")
    gone = change.by(change.rule, why, id="", title_before=change.title, text_before=change.text, title="", text="")
    return left_behind(change, host, gone, f"the notice {change.after.in_words()} is shown")


def _by_name(named: Named) -> str:
    return named.name.casefold()


def _keepers(charter: ResolvedCharter) -> frozenset[Sid]:
    return frozenset(Sid(keeper.sid) for keeper in charter.keepers if keeper.sid)


def _of(scoped: ScopedRule[Any]) -> Mapping[str, Any]:
    rule = scoped.rule.rule
    return {"rule": rule.id, "why": rule.why, "leaves": rule.leave}
