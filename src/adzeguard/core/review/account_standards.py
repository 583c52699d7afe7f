"""What accounts must be like, held against the rules about them."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Final

from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.charter.account_rule import Standard
from adzeguard.core.charter.account_scopes import Scoped
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.account_control import ControlName, control_named
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.review.correction import Correction
from adzeguard.core.review.on_accounts import accounts_with_rules, of_rule, on_account, unless_keeper
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.wellknown import RID_PROTECTED_USERS

CONTROLS_OF: Final[Mapping[Standard, tuple[ControlName, bool, str]]] = {
    "not-delegated": ("not-delegated", True, "services may act in its name"),
    "smart-card": ("smart-card", True, "it signs in without a smart card"),
    "password-expires": ("password-kept", False, "its password never expires"),
}


def review_standards(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each account that is not as a standard wants it."""
    estate = rights.estate
    protected = estate.id_of_sid(estate.domain.account(RID_PROTECTED_USERS))
    for account, rules in accounts_with_rules(estate, charter):
        for standard, scoped in _standards(rules).items():
            if standard == "protected":
                yield from _protection(estate, charter, account, scoped, protected)
                continue
            name, on, said = CONTROLS_OF[standard]
            if bool(account.flags & control_named(name).flag) == on:
                continue
            correction = on_account(scoped, "below-standard", account, said, standard=standard)
            change = SetAccountControl(object=Named.of(account), control=name, on=on, **of_rule(scoped))
            limits = standard == "smart-card"
            yield unless_keeper(charter, correction, change) if limits else correction.with_changes([change])


def protected_by_rules(estate: Estate, charter: ResolvedCharter) -> frozenset[tuple[str, str]]:
    """Return by group and member, as SIDs, whom a rule wants in the group of protected users."""
    group = estate.domain.account(RID_PROTECTED_USERS)
    return frozenset(
        (str(group), str(account.sid))
        for account, rules in accounts_with_rules(estate, charter)
        if "protected" in _standards(rules)
    )


def _standards(rules: Sequence[Scoped]) -> dict[Standard, Scoped]:
    """What must be so, and the rule that says it: one that mends before one that tells."""
    found: dict[Standard, Scoped] = {}
    for scoped in sorted(rules, key=lambda scoped: scoped.rule.response != "mend"):
        for standard in scoped.rule.standards:
            found.setdefault(standard, scoped)
    return found


def _protection(
    estate: Estate, charter: ResolvedCharter, account: Principal, scoped: Scoped, protected: int | None
) -> Iterator[Correction]:
    if protected is not None and protected in estate.graph.effective_groups(account.id).tolist():
        return
    correction = on_account(scoped, "below-standard", account, "it is not protected", standard="protected")
    if protected is None:
        yield correction.without_changes("the directory has no group of protected users")
        return
    group = Named.of(estate.principal(protected))
    yield unless_keeper(charter, correction, AddMember(group=group, member=Named.of(account), **of_rule(scoped)))
