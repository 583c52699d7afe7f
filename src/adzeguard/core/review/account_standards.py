"""What accounts must be like, held against the rules about them."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.charter.account_rule import Standard
from adzeguard.core.charter.account_scopes import Scoped
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.account_control import ControlName, control_named
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import Sid
from adzeguard.core.review.account_settings import (
    AccountDeviation,
    AccountSetting,
    accounts_with_rules,
    kind_of_accounts,
)
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
_CIPHERS: Final = "msDS-SupportedEncryptionTypes"
_MODERN: Final = 0x18
"""AES with keys of 128 and of 256 bits ([MS-KILE] 2.2.7); one that says nothing is given RC4 (seen with Samba 4.17)."""
_SERVICES: Final = "servicePrincipalName"
_MOST_SERVICES: Final = 50
"""No more are kept of an account when it is collected."""
_ATTRIBUTES: Final[Mapping[str, Standard]] = {_CIPHERS: "modern-encryption", _SERVICES: "no-service-names"}
_STANDARDS: Final = {(name, on): standard for standard, (names, on, _) in _CONTROLS.items() for name in names}


def _wanted(rules: Sequence[Scoped]) -> Decided:
    return each_that_any_wants(rules, lambda rule: rule.standards)


def _standing(account: Principal) -> Mapping[Any, bool]:
    """Protection is a membership, which is no flag of the account: the deviation looks at it."""
    controls = {standard: not _otherwise(account, names, on) for standard, (names, on, _) in _CONTROLS.items()}
    if account.kind != Kind.USER:
        return controls  # a computer's and a managed account's ciphers and services are looked after by the host
    return {
        **controls,
        "modern-encryption": _ciphers(account) & _MODERN != 0 and not _ciphers(account) & ~_MODERN,
        "no-service-names": not _services(account),
    }


def _ciphers(account: Principal) -> int:
    return int((account.details.get("signing_in") or {}).get("encryption", 0))


def _services(account: Principal) -> list[str]:
    return list((account.details.get("signing_in") or {}).get("services", ()))


def _otherwise(account: Principal, names: Sequence[ControlName], on: bool) -> list[ControlName]:
    return [name for name in names if bool(account.flags & control_named(name).flag) != on]


def _below_standard(estate: Estate) -> Callable[[AccountDeviation], Correction | None]:
    def said(one: AccountDeviation) -> Correction | None:
        if one.fact == _PROTECTED:
            return _unprotected(estate, one, estate.id_of_sid(_protecting(estate, one.account)))
        if one.fact in _ATTRIBUTES.values():
            return _of_attribute(one) if one.account.kind == Kind.USER else None
        names, on, words = _CONTROLS[one.fact]
        correction = one.correction("below-standard", words, standard=one.fact)
        wrong = _otherwise(one.account, names, on)
        changes = [SetAccountControl(control=name, on=on, **one.of_rule()) for name in wrong]
        if one.fact == "smart-card":
            return one.unless_keeper(correction, changes[0])
        return correction.with_changes(changes)

    return said


def _of_attribute(one: AccountDeviation) -> Correction:
    """Return what changes the ciphers of an account, or takes its services away."""
    if one.fact == "no-service-names":
        services = _services(one.account)
        correction = one.correction("below-standard", "anybody may ask for a ticket of its services", standard=one.fact)
        if len(services) >= _MOST_SERVICES:
            return correction.without_changes(
                "it has more services than are read: take them away at a directory server"
            )
        attribute = AttributeChange.of(_SERVICES, services, [])
        return correction.with_changes([SetAttributes(attributes=(attribute,), **one.of_rule())])
    ciphers = _ciphers(one.account)
    attribute = AttributeChange.of(_CIPHERS, [str(ciphers)] if ciphers else [], [str(_MODERN)])
    correction = one.correction("below-standard", "its tickets can be had with a broken cipher", standard=one.fact)
    return one.unless_keeper(correction, SetAttributes(attributes=(attribute,), **one.of_rule()))


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
    if isinstance(change, SetAttributes):
        found = next((_ATTRIBUTES[one.name] for one in change.attributes if one.name in _ATTRIBUTES), None)
        return (found, True) if found is not None else None
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


ACCOUNT_STANDARD: Final = kind_of_accounts("account-standard", STANDARDS)
