"""What every review of accounts needs: which rules are about whom, and what a deviation says."""

from collections.abc import Iterator, Sequence
from typing import Any, Final

from adzeguard.core.change.change import Change
from adzeguard.core.charter.account_rule import ResolvedAccountRule
from adzeguard.core.charter.account_scopes import Scoped, rules_of_accounts
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.review.correction import Correction, about_rule, correction_of

_KEEPER: Final = "a keeper is never limited in how it signs in"


def accounts_with_rules(estate: Estate, charter: ResolvedCharter) -> Iterator[tuple[Principal, Sequence[Scoped]]]:
    """Yield each account that any rule is about, with those rules, closest first."""
    rules = rules_of_accounts(estate, charter.of(ResolvedAccountRule))
    for person, account in estate.catalogue.principals(rules).items():
        yield account, rules[person]


def unless_keeper(charter: ResolvedCharter, correction: Correction, change: Change) -> Correction:
    """Return the correction with its change; a keeper is left as it is."""
    if correction.subject.sid in {keeper.sid for keeper in charter.keepers if keeper.is_person}:
        return correction.without_changes(_KEEPER)
    return correction.with_changes([change])


def on_account(scoped: Scoped, check: str, account: Principal, said: str, **evidence: Any) -> Correction:
    """Return that an account deviates from a rule."""
    evidence["scope"] = scoped.scope
    return correction_of(scoped.rule, check, Named.of(account), said, evidence=evidence)


def contradiction_on(account: Principal, rules: Sequence[Scoped], what: str) -> Correction:
    """Return that rules contradict each other about an account, where nothing is then changed."""
    ids = " and ".join(f"{scoped.rule.id} ({scoped.rule.rule.place.at()})" for scoped in rules)
    said = f"rules {ids} contradict each other: {what}"
    return Correction(
        "rule-conflict",
        Named.of(account),
        f"{said}; nothing is changed here",
        **about_rule(rules[0].rule.rule),
        left_out=said,
        stops_rule=True,
        evidence={"rules": [scoped.rule.id for scoped in rules]},
    )


def of_rule(scoped: Scoped) -> dict[str, Any]:
    """Return what a change says of its rule."""
    rule = scoped.rule.rule
    return {"rule": rule.id, "why": rule.why, "leaves": rule.leave}
