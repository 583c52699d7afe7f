"""Settings of hosts that are nothing but texts by names."""

from collections.abc import Callable, Mapping

from adzeguard.core.change.kinds.set_fact import SetFact, facts_of
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.review.on_hosts import RuleT
from adzeguard.core.review.settings import Deviation, Said, Setting, value_of_the_closest


def setting_of_facts(
    capability: str, check: str, rule: type[RuleT], texts: Callable[[RuleT], Mapping[str, str]]
) -> Setting[RuleT]:
    """Return a setting that is nothing but texts by names; `texts` returns those that a rule wants."""
    called = capability.replace("-", " ")

    def named(fact: str) -> str:
        return f"{called} of {fact}" if fact else called

    def deviation(one: Deviation) -> Correction:
        stands = f"'{one.stands}'" if one.stands else "nothing"
        said = f"its {named(one.fact)} is {stands} and not '{one.wanted}'"
        change = SetFact(setting=capability, name=one.fact, before=one.stands or "", after=one.wanted, **one.of_rule())
        evidence = {"fact": one.fact, "stands": one.stands or "", "scope": one.scoped.scope}
        about = {"host": one.on.named, "evidence": evidence}
        return correction_of(one.scoped.rule, check, one.on.named, said, **about).with_changes([change])

    return Setting(
        rule,
        lambda asking: (Said(named(fact), f"set to '{text}'", fact) for fact, text in texts(asking).items()),
        lambda _state, rules, _keepers: value_of_the_closest(rules, texts),
        lambda state: facts_of(state, capability),
        deviation,
        SetFact,
        contradicted=lambda fact: f"each wants another {named(fact)}",
        is_about=lambda change: bool(change.setting == capability),
    )
