"""Which rules are about which account, and how close each is."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, TypeAlias

from adzeguard.core.charter.scopes import EVERYWHERE, NAMED, ScopedRule
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Kind

if TYPE_CHECKING:
    from adzeguard.core.charter.account_rule import ResolvedAccountRule
    from adzeguard.core.charter.account_scope import ResolvedAccounts

Scoped: TypeAlias = "ScopedRule[ResolvedAccountRule]"


def accounts_of(estate: Estate, scope: "ResolvedAccounts") -> set[int]:
    """Return the ids of the users in a scope."""
    users = set(estate.catalogue.of_kind(Kind.USER).tolist())
    found = set(scope.named)
    for group in scope.inside:
        found |= users & set(estate.graph.expand(group.id).people.tolist())
    for ou in scope.under:
        found |= users & set(estate.catalogue.below(ou).tolist())
    return found - scope.excepted


def rules_of_accounts(estate: Estate, rules: "Iterable[ResolvedAccountRule]") -> Mapping[int, Sequence[Scoped]]:
    """Return by the ids of users the rules about them: by name first, then by the nearest OU, then by a group."""
    found: defaultdict[int, dict[str, Scoped]] = defaultdict(dict)
    rules = list(rules)
    if not rules:
        return {}  # as a rule there are none, and a directory has a million users
    users = set(estate.catalogue.of_kind(Kind.USER).tolist())
    for rule in rules:
        scope = rule.accounts
        for group in scope.inside:
            words = f"inside {group.qualified_name}"
            for person in users & set(estate.graph.expand(group.id).people.tolist()):
                _nearer(found[person], ScopedRule(rule, EVERYWHERE, words))
        for ou, dn in scope.under.items():
            below = [i for i in estate.catalogue.below(ou).tolist() if i in users]
            for person, principal in estate.catalogue.principals(below).items():
                depth = principal.dn.count("=") - ou.count("=")
                _nearer(found[person], ScopedRule(rule, depth, f"under {dn}"))
        for person in scope.named:
            _nearer(found[person], ScopedRule(rule, NAMED, "by name"))
        for person in scope.excepted:
            found[person].pop(rule.id, None)
    return {person: sorted(those.values(), key=_distance) for person, those in found.items() if those}


def _nearer(those: dict[str, Scoped], scoped: Scoped) -> None:
    known = those.get(scoped.rule.id)
    if known is None or scoped.distance < known.distance:
        those[scoped.rule.id] = scoped


def _distance(scoped: Scoped) -> int:
    return scoped.distance
