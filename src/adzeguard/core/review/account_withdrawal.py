"""What rules have set of accounts is taken back when no rule asks for it any more."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.object_change import values_of
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.charter.account_rule import ResolvedAccountRule
from adzeguard.core.charter.account_scopes import Scoped, rules_of_accounts
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.account_control import control_named
from adzeguard.core.estate.logon_limits import hosts_listed, hours_value
from adzeguard.core.estate.named import Named, id_of
from adzeguard.core.estate.principal import Principal
from adzeguard.core.review.account_logon import HOURS, WORKSTATIONS
from adzeguard.core.review.account_standards import CONTROLS_OF
from adzeguard.core.review.correction import Correction
from adzeguard.core.rights.delegations import Rights


def withdraw_account_settings(
    rights: Rights, charter: ResolvedCharter, put_in: Sequence[Change]
) -> Iterator[Correction]:
    """Yield what rules have set of accounts and no rule asks for any more."""
    estate = rights.estate
    rules = rules_of_accounts(estate, charter.of(ResolvedAccountRule))
    for change in put_in:
        asked = _ASKED.get(type(change))
        if asked is None or not isinstance(change, SetAttributes | SetAccountControl):
            continue
        object_id = id_of(estate, change.object)
        account = estate.principal(object_id) if object_id is not None else None
        if account is None or not asked.stands(change, account) or asked.wants(change, rules.get(account.id, ())):
            continue
        why = f"the rule {change.rule} put it there, and no rule asks for it any more"
        back = change.taken_back(change, {})
        if back is not None:
            yield Correction(
                "left-behind",
                Named.of(account),
                f"{change.words or 'a setting'}, because the rule set it, and no rule asks for it any more",
                change.rule,
                response="mend",
                changes=(back.by(change.rule, why),),
            )


@dataclass(frozen=True, slots=True)
class _Asked:
    """Whether a setting still stands, and whether any rule asks for one like it."""

    stands: Callable[[Any, Principal], bool]
    wants: Callable[[Any, Iterable[Scoped]], bool]


def _setting_stands(change: SetAttributes, account: Principal) -> bool:
    hosts, hours = values_of(change.attributes, WORKSTATIONS), values_of(change.attributes, HOURS)
    if hosts:
        return ",".join(hosts_listed(account)).encode() == hosts[0]
    return bool(hours) and hours_value(account) == hours[0]


def _setting_wanted(change: SetAttributes, rules: Iterable[Scoped]) -> bool:
    places = bool(values_of(change.attributes, WORKSTATIONS))
    return any((scoped.rule.hosts if places else scoped.rule.hours) is not None for scoped in rules)


def _control_stands(change: SetAccountControl, account: Principal) -> bool:
    return bool(account.flags & control_named(change.control).flag) == change.on


def _control_wanted(change: SetAccountControl, rules: Iterable[Scoped]) -> bool:
    return any(
        CONTROLS_OF[standard][:2] == (change.control, change.on)
        for scoped in rules
        for standard in scoped.rule.standards
        if standard in CONTROLS_OF
    )


_ASKED: Final[Mapping[type[Change], _Asked]] = {
    SetAttributes: _Asked(_setting_stands, _setting_wanted),
    SetAccountControl: _Asked(_control_stands, _control_wanted),
}
