"""Which rules about settings hold on a host, what each says there, and what part it has in what is wanted."""

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from adzeguard.core.charter.elevate_rule import ElevateRule, ResolvedElevateRule
from adzeguard.core.charter.logon_rule import LogonRule, ResolvedLogonRule
from adzeguard.core.charter.own_accounts_rule import OwnAccountsRule, ResolvedOwnAccounts
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import HostScopes, ScopedRule
from adzeguard.core.charter.setting_rule import ResolvedSetting
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.identity import Sid
from adzeguard.core.review.logon_rules import alone_on
from adzeguard.core.review.on_hosts import Decision, decisions
from adzeguard.core.review.own_accounts import accounts_let


def setting_rows(charter: ResolvedCharter, host: Host) -> Iterator[dict[str, Any]]:
    """Yield one row for each thing that a rule says of the host; excepted ones last."""
    logon, elevate = HostScopes(charter.of(ResolvedLogonRule)), HostScopes(charter.of(ResolvedElevateRule))
    own = HostScopes(charter.of(ResolvedOwnAccounts))
    keepers = frozenset(Sid(k.sid) for k in charter.keepers if k.sid)
    if host.state is not None:
        yield from _logon_rows(host.state, logon.on(host), keepers)
        yield from _elevation_rows(host.state, elevate.on(host))
        yield from _own_account_rows(host.state, own.on(host))
    for scopes in (logon, elevate, own):
        for scoped in scopes.excepted_on(host):
            yield _row(scoped, "the host", "nothing", "excepts this host")


def _logon_rows(
    state: HostState, rules: Sequence[ScopedRule[ResolvedLogonRule]], keepers: frozenset[Sid]
) -> Iterator[dict[str, Any]]:
    followed = [scoped for scoped in rules if not scoped.rule.unknown_on(state)]
    for scoped in rules:
        words = scoped.rule.rule
        if not isinstance(words, LogonRule):
            continue
        stopped = "" if scoped in followed else "not followed here: a name that the host does not know"
        for way, names in (words.refuse_logon.by_way() if words.refuse_logon else {}).items():
            yield _row(scoped, f"logon by {way}", f"refuse {', '.join(names)}", stopped or "adds to it")
        for way, names in (words.allow_logon_only.by_way() if words.allow_logon_only else {}).items():
            decided = decisions(followed, _alone_by(state, way, keepers))
            said = f"only {', '.join(names) or 'keepers'}"
            yield _row(scoped, f"logon by {way}", said, stopped or _part(scoped, decided))
        if words.notice:
            decided_notice = decisions(followed, lambda rule: rule.notice)
            yield _row(scoped, "notice", f"show '{words.notice.title}'", stopped or _part(scoped, decided_notice))


def _alone_by(
    state: HostState, way: str, keepers: frozenset[Sid]
) -> Callable[[ResolvedLogonRule], frozenset[Sid] | None]:
    return lambda rule: alone_on(state, rule, way, keepers)


def _elevation_rows(state: HostState, rules: Sequence[ScopedRule[ResolvedElevateRule]]) -> Iterator[dict[str, Any]]:
    for scoped in rules:
        words = scoped.rule.rule
        if isinstance(words, ElevateRule):
            said = f"{words.elevate.program} at {words.elevate.sha256[:12]}… for {', '.join(words.elevate.for_)}"
            unknown = scoped.rule.unknown_on(state)
            yield _row(scoped, "elevation", said, "not followed here" if unknown else "adds to it")


def _own_account_rows(state: HostState, rules: Sequence[ScopedRule[ResolvedOwnAccounts]]) -> Iterator[dict[str, Any]]:
    for scoped in rules:
        words = scoped.rule.rule
        if not isinstance(words, OwnAccountsRule):
            continue
        if words.local_accounts.disabled:
            yield _row(scoped, "own accounts", f"disable {', '.join(words.local_accounts.disabled)}", "adds to it")
        if words.local_accounts.enabled_only is not None:
            decided = decisions(rules, lambda rule: accounts_let(rule, state))
            said = f"enable only {', '.join(words.local_accounts.enabled_only) or 'none'}"
            yield _row(scoped, "own accounts", said, _part(scoped, decided))


def _part(scoped: ScopedRule[Any], decided: Sequence[Decision[Any, Any]]) -> str:
    """Say what part a rule has where the closest one decides."""
    if any(scoped in decision.conflict for decision in decided):
        return "contradicted"
    for decision in decided:
        if decision.by is scoped:
            several = len(decided) > 1
            return "decides" if not several else f"decides what is {'mended' if decision is decided[0] else 'told'}"
    return "overruled by a closer one"


def _row(scoped: ScopedRule[Any], about: str, says: str, decides: str) -> dict[str, Any]:
    rule: ResolvedSetting = scoped.rule
    return {
        "rule": rule.id,
        "about": about,
        "says": says,
        "scope": scoped.scope,
        "decides": decides,
        "response": rule.response,
        "place": rule.rule.place.at(),
    }
