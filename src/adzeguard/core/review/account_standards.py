"""What accounts must be like, held against the rules about them."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.charter.account_rule import Standard
from adzeguard.core.charter.account_scopes import Scoped
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.account_control import ControlName, control_named
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid
from adzeguard.core.review.account_settings import AccountDeviation, AccountSetting, accounts_with_rules
from adzeguard.core.review.correction import Correction
from adzeguard.core.review.settings import Decided, each_that_any_wants
from adzeguard.core.wellknown import RID_PROTECTED_USERS

_PROTECTED: Final = "protected"
_CONTROLS: Final[Mapping[Standard, tuple[tuple[ControlName, ...], bool, str]]] = {
    "not-delegated": (("not-delegated",), True, "services may act in its name"),
    "smart-card": (("smart-card",), True, "it signs in without a smart card"),
    "password-expires": (("password-kept",), False, "its password never expires"),
    "no-delegation": (("trusted-for-any-service", "acts-for-anybody"), False, "it acts in the name of others"),
    "pre-authentication": (("unproven",), False, "it need not prove itself before it is given a ticket"),
    "password-needed": (("password-optional",), False, "it may go without a password"),
    "password-hidden": (("password-readable",), False, "its password is kept so that it can be read"),
}
"""By standard the controls that must all be on, or all off, and what is said where they are not."""
_STANDARDS: Final = {(name, on): standard for standard, (names, on, _) in _CONTROLS.items() for name in names}


def _wanted(rules: Sequence[Scoped]) -> Decided:
    return each_that_any_wants(rules, lambda rule: rule.standards)


def _standing(account: Principal) -> Mapping[Any, bool]:
    """Protection is a membership, which is no flag of the account: the deviation looks at it."""
    return {standard: not _otherwise(account, names, on) for standard, (names, on, _) in _CONTROLS.items()}


def _otherwise(account: Principal, names: Sequence[ControlName], on: bool) -> list[ControlName]:
    return [name for name in names if bool(account.flags & control_named(name).flag) != on]


def _below_standard(estate: Estate) -> Callable[[AccountDeviation], Correction | None]:
    def said(one: AccountDeviation) -> Correction | None:
        if one.fact == _PROTECTED:
            return _unprotected(estate, one, estate.id_of_sid(_protecting(estate, one.account)))
        names, on, words = _CONTROLS[one.fact]
        correction = one.correction("below-standard", words, standard=one.fact)
        wrong = _otherwise(one.account, names, on)
        changes = [SetAccountControl(control=name, on=on, **one.of_rule()) for name in wrong]
        if one.fact == "smart-card":
            return one.unless_keeper(correction, changes[0])
        return correction.with_changes(changes)

    return said


def _protecting(estate: Estate, account: Principal) -> Sid:
    """Return the SID of the group of protected users: each domain has one for its own people."""
    return estate.domain.holding(account.dn).account(RID_PROTECTED_USERS)


def _unprotected(estate: Estate, one: AccountDeviation, protected: int | None) -> Correction | None:
    if protected is not None and protected in estate.graph.effective_groups(one.account.id).tolist():
        return None
    correction = one.correction("below-standard", "it is not protected", standard=_PROTECTED)
    if protected is None:
        return correction.without_changes("the directory has no group of protected users")
    about = one.of_rule()
    member = about.pop("object")
    return one.unless_keeper(correction, AddMember(group=Named.of(estate.principal(protected)), member=member, **about))


def _put_in(change: Change) -> tuple[Any, Any] | None:
    if not isinstance(change, SetAccountControl) or (change.control, change.on) not in _STANDARDS:
        return None
    return _STANDARDS[change.control, change.on], True


STANDARDS: Final = AccountSetting(lambda _estate: _wanted, _standing, _below_standard, _put_in)


def protected_by_rules(estate: Estate, charter: ResolvedCharter) -> frozenset[tuple[str, str]]:
    """Return by group and member, as SIDs, whom a rule wants in the group of protected users."""
    return frozenset(
        (str(_protecting(estate, account)), str(account.sid))
        for account, rules in accounts_with_rules(estate, charter)
        if _PROTECTED in _wanted(rules)
    )
