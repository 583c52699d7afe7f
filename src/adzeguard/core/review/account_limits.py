"""Privileged logons at hosts that can refuse nobody: those accounts that have a list of hosts lose these from it.

A file server of Samba that is joined to a domain knows no refusals (seen with 4.17).
"""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from typing import Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.object_change import AttributeChange, values_of
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.charter.account_rule import ResolvedAccountRule
from adzeguard.core.charter.account_scopes import rules_of_accounts
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.logon_rule import LogonRule, ResolvedLogonRule, resolve_logon_rule
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import ScopedRule
from adzeguard.core.charter.setting_rule import sids_on
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.logon import logon_of
from adzeguard.core.estate.logon_limits import hosts_in, hosts_listed
from adzeguard.core.estate.named import Named, id_of
from adzeguard.core.estate.principal import Kind
from adzeguard.core.identity import Sid
from adzeguard.core.review.account_logon import WORKSTATIONS
from adzeguard.core.review.account_settings import KEEPER
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.review.on_hosts import hosts_with_rules
from adzeguard.core.review.settings import left_behind
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.wording import some_of

Barred = Mapping[int, Mapping[str, ScopedRule[ResolvedLogonRule]]]
"""By the id of an account, the hosts on which it has no business and that cannot refuse it, with the rule."""


def review_account_limits(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each account that may log on to such hosts; one without a list of hosts is told alone."""
    estate, keepers = rights.estate, {keeper.sid for keeper in charter.keepers if keeper.is_person}
    barred = _barred(estate, charter)
    own_rules = rules_of_accounts(estate, charter.of(ResolvedAccountRule)) if barred else {}
    accounts = estate.catalogue.principals(barred)
    for account in sorted(accounts.values(), key=lambda one: one.qualified_name.casefold()):
        listed = hosts_listed(account)
        folded = {name.casefold() for name in listed}
        there = {host: by for host, by in barred[account.id].items() if not listed or host.casefold() in folded}
        if not there or account.kind != Kind.USER or not account.enabled:
            continue
        rule = min(there.values(), key=lambda by: by.distance).rule
        said = f"it may log on to {some_of(sorted(there))}, which can refuse nobody"
        correction = correction_of(rule, "not-kept-away", Named.of(account), said, evidence={"hosts": sorted(there)})
        closest = next((one for one in own_rules.get(account.id, ()) if one.rule.hosts is not None), None)
        gone = {host.casefold() for host in there}
        left = tuple(name for name in listed if name.casefold() not in gone)
        if account.sid in keepers:
            yield correction.without_changes(KEEPER)
        elif closest is not None:
            yield correction.without_changes(f"rule {closest.rule.id} says on which hosts alone it may")
        elif not left:
            yield correction.without_changes("a rule with logon-only-on gives it a list of hosts without them")
        else:
            change = AttributeChange(
                name=WORKSTATIONS, before=(str(account.details.get("workstations", "")).encode(),), after=(_text(left),)
            )
            of_rule = {"rule": rule.id, "why": rule.rule.why, "leaves": rule.rule.leave}
            yield correction.with_changes([SetAttributes(object=Named.of(account), attributes=(change,), **of_rule)])


def withdraw_account_limits(rights: Rights, charter: ResolvedCharter, put_in: Sequence[Change]) -> Iterator[Correction]:
    """Yield the lists that a rule made shorter which asks for that no more; of a rule that is gone others see to it."""
    rules = {rule.id for rule in charter.of(ResolvedLogonRule)}
    ours = [one for one in put_in if isinstance(one, SetAttributes) and one.rule in rules]
    barred = _barred(rights.estate, charter) if ours else {}
    for change in ours:
        object_id = id_of(rights.estate, change.object)
        account = rights.estate.principal(object_id) if object_id is not None else None
        if account is None or (_text(hosts_listed(account)),) != values_of(change.attributes, WORKSTATIONS):
            continue
        back = change.taken_back(change, {})
        before = next(one.before for one in change.attributes if one.name == WORKSTATIONS)
        given_back = _names(before) - {name.casefold() for name in hosts_listed(account)}
        if given_back.isdisjoint(host.casefold() for host in barred.get(account.id, ())):
            yield left_behind(Named.of(account), change, "its list of hosts is shorter", back)


def _barred(estate: Estate, charter: ResolvedCharter) -> Barred:
    rules = [rule for rule in charter.of(ResolvedLogonRule) if rule.leaving]
    found: defaultdict[Sid, dict[str, ScopedRule[ResolvedLogonRule]]] = defaultdict(dict)
    for on in hosts_with_rules(estate, rules) if rules else ():
        if logon_of(on.state) is None:
            for scoped in reversed(on.rules):
                for sid in sids_on(scoped.rule.leaving, on.state):
                    found[sid][on.host.name] = scoped
    ids = estate.ids_of_sids(found)
    barred: defaultdict[int, dict[str, ScopedRule[ResolvedLogonRule]]] = defaultdict(dict)
    for sid, hosts in found.items():
        principal = ids[sid]
        for account in _accounts(estate, principal) if principal is not None else ():
            barred[account] = {**barred[account], **hosts}
    return barred


def _accounts(estate: Estate, principal: int) -> list[int]:
    is_group = estate.graph.position_of(principal) is not None
    return list(estate.graph.expand(principal).people.tolist()) if is_group else [principal]


def _text(names: Sequence[str]) -> bytes:
    return ",".join(names).encode()


def _names(values: Sequence[bytes]) -> set[str]:
    return {name.casefold() for value in values for name in hosts_in(value.decode("utf-8", "replace"))}


# It comes to refusals, which another kind sees to, and to limits of accounts where a host can refuse nobody.
NO_PRIVILEGED_LOGONS: Final = RuleKind(
    "no-privileged-logons", LogonRule, resolve_logon_rule, review_account_limits, withdraw_account_limits
)
