"""Accounts of hosts themselves that are enabled though a rule does not let them be."""

from collections.abc import Iterator, Sequence

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.own_account import DisableOwnAccount
from adzeguard.core.charter.own_accounts_rule import ResolvedOwnAccounts
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import ScopedRule
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named
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

Scoped = ScopedRule[ResolvedOwnAccounts]


def review_own_accounts(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each account of a host that is enabled and should not be."""
    estate, rules = rights.estate, charter.of(ResolvedOwnAccounts)
    yield from names_unknown(estate, rules)
    for on in hosts_with_rules(estate, rules):
        for decision in decisions(on.rules, lambda rule, state=on.state: accounts_let(rule, state)):  # type: ignore[misc]
            if decision.conflict:
                yield contradiction(on, decision.conflict, "each lets other accounts of the host be enabled")
        wanted = _to_be_disabled(on)
        names = {account.sid: Named(rf"{on.host.name}\{account.name}", account.sid) for account in on.state.accounts}
        for account in on.state.accounts:
            scoped = wanted.get(account.sid)
            if account.enabled and scoped is not None:
                rule = scoped.rule.rule
                who = names[account.sid]
                yield correction_of(
                    scoped.rule,
                    "local-account-enabled",
                    on.named,
                    f"{who.name} is enabled, and should not be",
                    member=who,
                    host=on.named,
                    evidence={"sid": account.sid, "scope": scoped.scope},
                ).with_changes(
                    [DisableOwnAccount(host=on.host.name, who=who, rule=rule.id, why=rule.why, leaves=rule.leave)]
                )


def withdraw_own_accounts(rights: Rights, charter: ResolvedCharter, put_in: Sequence[Change]) -> Iterator[Correction]:
    """Yield what rules have disabled and no rule wants disabled any more."""
    hosts = {on.host.name.casefold(): on for on in hosts_with_rules(rights.estate, charter.of(ResolvedOwnAccounts))}
    for change in put_in:
        host = rights.estate.hosts_by_name.get(change.host_name.casefold())
        if not isinstance(change, DisableOwnAccount) or host is None or host.state is None:
            continue
        on = hosts.get(host.name.casefold())
        if change.stands(host.state) and (on is None or change.who.sid not in _to_be_disabled(on)):
            why = f"the rule {change.rule} put it in, and no rule asks for it any more"
            yield left_behind(change, host, change.ended(change.rule, why), f"{change.who.name} is disabled")


def accounts_let(rule: ResolvedOwnAccounts, state: HostState) -> frozenset[Sid] | None:
    """Return the accounts of a host that alone may be enabled; nothing where the rule says nothing of that."""
    if rule.enabled_only is None:
        return None
    return frozenset(sid for name in rule.enabled_only if (sid := name.on(state)) is not None)


def _to_be_disabled(on: OnHost[ResolvedOwnAccounts]) -> dict[str, Scoped]:
    """Return by SIDs what is to be disabled, and the rule that says so: one that mends before one that tells."""
    wanted: dict[str, Scoped] = {}
    for decision in decisions(on.rules, lambda rule: accounts_let(rule, on.state)):
        if decision.by is not None and decision.value is not None:
            for account in on.state.accounts:
                if account.sid not in decision.value:
                    wanted.setdefault(account.sid, decision.by)
    for scoped in sorted(on.rules, key=lambda scoped: scoped.rule.response != "mend"):
        for name in scoped.rule.disabled:
            sid = name.on(on.state)
            if sid is not None and wanted.get(sid, scoped).rule.response != "mend":
                wanted[sid] = scoped
            elif sid is not None:
                wanted.setdefault(sid, scoped)
    return wanted
