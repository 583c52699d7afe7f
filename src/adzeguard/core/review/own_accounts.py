"""Accounts of hosts themselves that are enabled though a rule does not let them be."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any, Final

from adzeguard.core.change.kinds.own_account import DisableOwnAccount
from adzeguard.core.charter.own_accounts_rule import OwnAccountsRule, ResolvedOwnAccounts, resolve_own_accounts
from adzeguard.core.charter.scopes import ScopedRule
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.review.on_hosts import Decision, decisions
from adzeguard.core.review.settings import Decided, Deviation, Keepers, Said, Setting, kind_of_setting

Scoped = ScopedRule[ResolvedOwnAccounts]
_OTHERS = "others"
"""Which list of those who alone may be enabled decides; what that comes to stands by each account."""


def accounts_let(rule: ResolvedOwnAccounts, state: HostState) -> frozenset[Sid] | None:
    """Return the accounts of a host that alone may be enabled; None where the rule says nothing of that."""
    if rule.enabled_only is None:
        return None
    return frozenset(sid for name in rule.enabled_only if (sid := name.on(state)) is not None)


def _to_be_disabled(state: HostState, rules: Sequence[Scoped], _keepers: Keepers) -> Decided:
    """Return by SIDs what is to be disabled, and the rule that says so: one that mends before one that tells."""
    there = [account.sid for account in state.accounts]
    by_lists = decisions(rules, lambda rule: accounts_let(rule, state))
    found: dict[Sid, Scoped] = {}
    for decision in by_lists:
        if decision.by is not None and decision.value is not None:
            for sid in there:
                if sid not in decision.value:
                    found.setdefault(sid, decision.by)
    for scoped in sorted(rules, key=lambda scoped: scoped.rule.response != "mend"):
        disabled = {name.on(state) for name in scoped.rule.disabled}
        for sid in there:
            if sid in disabled and (sid not in found or found[sid].rule.response != "mend"):
                found[sid] = scoped
    wanted: dict[Any, list[Decision[ResolvedOwnAccounts, Any]]] = {s: [Decision(True, by)] for s, by in found.items()}
    return wanted | {_OTHERS: [replace(one, value=None) for one in by_lists]}


def _disabled(state: HostState) -> Mapping[Any, bool]:
    return {account.sid: not account.enabled for account in state.accounts}


def _enabled(one: Deviation) -> Correction:
    account = next(account for account in one.on.state.accounts if account.sid == one.fact)
    who = Named(rf"{one.on.host.name}\{account.name}", account.sid)
    return correction_of(
        one.scoped.rule,
        "local-account-enabled",
        one.on.named,
        f"{who.name} is enabled, and should not be",
        member=who,
        host=one.on.named,
        evidence={"sid": account.sid, "scope": one.scoped.scope},
    ).with_changes([DisableOwnAccount(who=who, **one.of_rule())])


def _said(rule: ResolvedOwnAccounts) -> Iterator[Said]:
    words = rule.rule.local_accounts
    if words.disabled:
        yield Said("own accounts", f"disable {', '.join(words.disabled)}")
    if words.enabled_only is not None:
        yield Said("own accounts", f"enable only {', '.join(words.enabled_only) or 'none'}", _OTHERS)


OWN_ACCOUNTS: Final = Setting(
    ResolvedOwnAccounts,
    _said,
    _to_be_disabled,
    _disabled,
    _enabled,
    DisableOwnAccount,
    contradicted=lambda _fact: "each lets other accounts of the host be enabled",
)


LOCAL_ACCOUNTS: Final = kind_of_setting("local-accounts", OwnAccountsRule, resolve_own_accounts, OWN_ACCOUNTS)
