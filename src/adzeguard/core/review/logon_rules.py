"""Logons at hosts held against the rules that hold there: who is refused, who alone may, and what is shown."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, Final

from adzeguard.core.change.kinds.logon_refusal import RefuseLogon
from adzeguard.core.change.kinds.set_logon_alone import SetLogonAlone
from adzeguard.core.change.kinds.set_notice import SetNotice
from adzeguard.core.charter.logon_rule import LogonRule, ResolvedLogonRule, resolve_logon_rule
from adzeguard.core.charter.scopes import ScopedRule
from adzeguard.core.charter.setting_rule import sids_on
from adzeguard.core.estate.hosts import HostState, host_administrator
from adzeguard.core.estate.logon import LogonRules, logon_of
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.notice import Notice, notice_of
from adzeguard.core.identity import Sid
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.review.on_hosts import Decision, OnHost
from adzeguard.core.review.settings import (
    Decided,
    Deviation,
    Keepers,
    Said,
    Setting,
    contradiction,
    each_that_any_wants,
    kind_of_setting,
    value_of_the_closest,
)

Scoped = ScopedRule[ResolvedLogonRule]


def _refusals(state: HostState, rules: Sequence[Scoped], _keepers: Keepers) -> Decided:
    """Return who is to be refused by which way; whom another rule lets alone is asked for and not decided."""
    known = logon_of(state)
    told_apart = (known or LogonRules()).refused
    wanted = each_that_any_wants(
        rules,
        lambda rule: (
            (way, sid)
            for way, listed in rule.refused.items()
            if way not in rule.where_told_apart or way in told_apart
            # Where nobody can be refused, the accounts are limited themselves.
            for sid in sorted(sids_on(listed if known else set(listed) - set(rule.leaving), state))
        ),
    )
    for way, both in _contradictions(state, rules):
        for (other, sid), (decision,) in wanted.items():
            if other == way and decision.by in both:
                wanted[other, sid] = [Decision(None, decision.by)]
    return wanted


def _contradictions(state: HostState, rules: Iterable[Scoped]) -> Iterator[tuple[str, tuple[Scoped, Scoped]]]:
    """Yield by ways the rules that refuse whom another at the same distance lets, alone."""
    alone = [scoped for scoped in rules if scoped.rule.alone]
    for refusing in rules if alone else ():
        for way, references in refusing.rule.refused.items():
            refused = sids_on(references, state)
            for letting in alone:
                let = sids_on(letting.rule.alone.get(way, ()), state)
                if letting.distance == refusing.distance and refused & let:
                    yield way, (refusing, letting)


def _contradicted(on: OnHost[ResolvedLogonRule], _decided: Decided) -> Iterator[Correction]:
    for way, both in _contradictions(on.state, on.rules):
        yield contradiction(on.named, both, f"{way}, one lets whom the other refuses", host=on.named)


def _not_refused(one: Deviation) -> Correction:
    way, sid = one.fact
    who, on, scoped = one.names[sid], one.on, one.scoped
    correction = correction_of(
        scoped.rule,
        "logon-not-refused",
        on.named,
        f"{who.name} is not refused logon by {way}",
        member=who,
        host=on.named,
        evidence={"way": way, "member_sid": sid, "scope": scoped.scope},
    )
    if sid in one.keepers or sid == host_administrator(on.state):
        return correction.without_changes("a keeper is never refused")
    return _where_told_apart(one, way, correction) or correction.with_changes(
        [RefuseLogon(way=way, who=who, **one.of_rule())]
    )


def _where_told_apart(one: Deviation, way: str, correction: Correction) -> Correction | None:
    logon = logon_of(one.on.state)
    if logon is None or way in logon.refused:
        return None
    return correction.without_changes(f"unsupported: {one.on.host.name} cannot tell logon by {way} apart")


def _refused(state: HostState) -> Mapping[Any, bool]:
    lists = (logon_of(state) or LogonRules()).refused
    return {(way, sid): True for way, sids in lists.items() for sid in sids}


def _refusals_said(rule: ResolvedLogonRule) -> Iterator[Said]:
    for way, names in rule.rule.refuse_logon.by_way().items() if rule.rule.refuse_logon else ():
        yield Said(f"logon by {way}", f"refuse {', '.join(names)}")
    if rule.rule.no_privileged_logons:
        yield Said("privileged logons", f"none of {', '.join(rule.rule.no_privileged_logons)}")


REFUSALS: Final = Setting(
    ResolvedLogonRule,
    _refusals_said,
    _refusals,
    _refused,
    _not_refused,
    RefuseLogon,
    sids=lambda fact, _stands, _wanted: fact[1:],
    also=_contradicted,
)


def alone_on(state: HostState, rule: ResolvedLogonRule, way: str, keepers: Keepers) -> frozenset[Sid] | None:
    """Return who alone is to log on by a way: those of the rule, keepers, and the host's own administrator."""
    listed = rule.alone.get(way)
    return None if listed is None else sids_on(listed, state) | keepers | {host_administrator(state)}


def _alone(state: HostState, rules: Sequence[Scoped], keepers: Keepers) -> Decided:
    return value_of_the_closest(rules, lambda rule: {way: alone_on(state, rule, way, keepers) for way in rule.alone})


def _not_limited(one: Deviation) -> Correction:
    way, names, stands = one.fact, one.names, one.stands
    few = ", ".join(sorted(names[sid].name for sid in one.wanted))
    correction = correction_of(
        one.scoped.rule,
        "logon-not-limited",
        one.on.named,
        f"others than {few} may log on by {way}" if stands is None else f"not only {few} may log on by {way}",
        host=one.on.named,
        evidence={"way": way, "scope": one.scoped.scope},
    )
    change = SetLogonAlone(
        way=way,
        before=None if stands is None else _by_name(names[sid] for sid in stands),
        after=_by_name(names[sid] for sid in one.wanted),
        **one.of_rule(),
    )
    return _where_told_apart(one, way, correction) or correction.with_changes([change])


def _by_name(named: Iterable[Named]) -> tuple[Named, ...]:
    return tuple(sorted(named, key=lambda one: one.name.casefold()))


def _alone_said(rule: ResolvedLogonRule) -> Iterator[Said]:
    for way, names in rule.rule.allow_logon_only.by_way().items() if rule.rule.allow_logon_only else ():
        yield Said(f"logon by {way}", f"only {', '.join(names) or 'keepers'}", way)


ALONE: Final = Setting(
    ResolvedLogonRule,
    _alone_said,
    _alone,
    lambda state: (logon_of(state) or LogonRules()).alone,
    _not_limited,
    SetLogonAlone,
    contradicted=lambda way: f"each lets others alone log on by {way}",
    sids=lambda _fact, stands, wanted: wanted | (stands or frozenset()),
    tells_unknown_names=False,
)


def _notices(_state: HostState, rules: Sequence[Scoped], _keepers: Keepers) -> Decided:
    return value_of_the_closest(rules, lambda rule: {"notice": rule.notice} if rule.notice else {})


def _other_notice(one: Deviation) -> Correction:
    stands, wanted, on = one.stands or Notice(), one.wanted, one.on
    correction = correction_of(
        one.scoped.rule,
        "other-notice",
        on.named,
        f"shows {stands.in_words()} and not {wanted.in_words()}",
        host=on.named,
        evidence={"stands": stands.title, "scope": one.scoped.scope},
    )
    before, after = (stands.title, stands.text), (wanted.title, wanted.text)
    texts = zip(("title_before", "text_before", "title", "text"), before + after, strict=True)
    return correction.with_changes([SetNotice(**dict(texts), **one.of_rule())])


def _notice_said(rule: ResolvedLogonRule) -> Iterator[Said]:
    if rule.notice:
        yield Said("notice", f"show '{rule.notice.title}'", "notice")


NOTICES: Final = Setting(
    ResolvedLogonRule,
    _notice_said,
    _notices,
    lambda state: {"notice": notice_of(state)},
    _other_notice,
    SetNotice,
    contradicted=lambda _fact: "each wants another notice",
    tells_unknown_names=False,
)


REFUSE_LOGON: Final = kind_of_setting("refuse-logon", LogonRule, resolve_logon_rule, REFUSALS)
ALLOW_LOGON_ONLY: Final = kind_of_setting("allow-logon-only", LogonRule, resolve_logon_rule, ALONE)
NOTICE: Final = kind_of_setting("notice", LogonRule, resolve_logon_rule, NOTICES)
