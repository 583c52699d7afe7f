"""Which groups accounts may be in at all, while they lie where a rule says so: what is put away opens nothing."""

from collections.abc import Iterator
from typing import Final

from adzeguard.core.change.kinds.add_member import RemoveMember
from adzeguard.core.charter.account_rule import AccountRule, resolve_account_rule
from adzeguard.core.charter.account_scopes import Scoped
from adzeguard.core.charter.group_rule import ResolvedGroupRule
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.review.account_settings import accounts_with_rules
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.rights.delegations import Rights

_KEEPER: Final = "a keeper is never taken out"


def review_account_memberships(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each group that lists an account though the closest rule about its memberships does not name it.

    What a rule about the group itself puts in stays: two rules would put it in and take it out for ever.
    """
    estate, keepers = rights.estate, {keeper.sid for keeper in charter.keepers}
    asked_for = _asked_for(charter)
    for account, rules in accounts_with_rules(estate, charter):
        scoped = next((one for one in rules if one.rule.memberships is not None), None)
        if scoped is None or scoped.rule.memberships is None:
            continue
        allowed = {group.id for group in scoped.rule.memberships}
        others = [int(i) for i in estate.graph.groups_listing(account.id) if int(i) not in allowed]
        for group in sorted(estate.catalogue.principals(others).values(), key=lambda g: g.qualified_name.casefold()):
            correction = _correction(scoped, account, group)
            if account.sid in keepers:
                yield correction.without_changes(_KEEPER)
            elif (group.id, account.id) in asked_for:
                yield correction.without_changes(f"rule {asked_for[group.id, account.id]} puts it there")
            else:
                rule = scoped.rule.rule
                about = {"rule": rule.id, "why": rule.why, "leaves": rule.leave}
                yield correction.with_changes([RemoveMember(group=Named.of(group), member=Named.of(account), **about)])


def _asked_for(charter: ResolvedCharter) -> dict[tuple[int, int], str]:
    """Return by group and member which rule about the group names the member."""
    return {
        (rule.group.id, member.id): rule.id
        for rule in charter.of(ResolvedGroupRule)
        for member in (*(rule.only or ()), *rule.include)
        if isinstance(member, Principal)
    }


def _correction(scoped: Scoped, account: Principal, group: Principal) -> Correction:
    said = f"it is in {group.qualified_name}, and lies where no such group is open to it"
    evidence = {"scope": scoped.scope, "group_sid": group.sid}
    return correction_of(scoped.rule, "member-elsewhere", Named.of(account), said, evidence=evidence)


MEMBERSHIPS: Final = RuleKind("memberships", AccountRule, resolve_account_rule, review_account_memberships)
