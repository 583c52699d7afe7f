"""Settings of accounts held against the rules about them: facts that are wanted against facts that stand."""

import operator
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, Final, NamedTuple

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.charter.account_rule import AccountRule, ResolvedAccountRule, resolve_account_rule
from adzeguard.core.charter.account_scopes import Scoped, rules_of_accounts
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.logon_rule import ResolvedLogonRule
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named, id_of
from adzeguard.core.estate.principal import Principal
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.review.settings import Decided, contradiction, deviating, left_behind
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.values import dataclass

KEEPER: Final = "a keeper is never limited in how it signs in"


class AccountDeviation(NamedTuple):
    """One fact of an account that is not as it is wanted. `scoped` is the rule that decides."""

    account: Principal
    fact: Any
    stands: Any
    wanted: Any
    scoped: Scoped
    is_keeper: bool

    def of_rule(self) -> dict[str, Any]:
        """Return what a change says of its account and rule."""
        rule = self.scoped.rule.rule
        return {"object": Named.of(self.account), "rule": rule.id, "why": rule.why, "leaves": rule.leave}

    def correction(self, check: str, said: str, **evidence: Any) -> Correction:
        """Return the deviation in words."""
        evidence["scope"] = self.scoped.scope
        return correction_of(self.scoped.rule, check, Named.of(self.account), said, evidence=evidence)

    def unless_keeper(self, correction: Correction, change: Change) -> Correction:
        """Return the correction with its change; a keeper is left as it is."""
        return correction.without_changes(KEEPER) if self.is_keeper else correction.with_changes([change])


@dataclass(frozen=True)
class AccountSetting:
    """One kind of setting of accounts: what rules want, what stands, and how a deviation is said."""

    wanted: Callable[[Estate], Callable[[Sequence[Scoped]], Decided]]
    """What is decided about an account by the rules about it."""
    standing: Callable[[Principal], Mapping[Any, Any]]
    """What stands of an account, by its fact."""
    deviation: Callable[[Estate], Callable[[AccountDeviation], Correction | None]]
    """How a deviation is said; None for what is none after all."""
    put_in: Callable[[Change], tuple[Any, Any] | None]
    """The fact that a change has set, and to what; None for a change of something else."""
    contradicted: str = ""
    is_so: Callable[[Any, Any], bool] = operator.eq
    """Whether what stands is what is wanted."""

    def review(self, rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
        """Yield each fact that is not as the rules want it, and where they contradict each other."""
        estate, keepers = rights.estate, {keeper.sid for keeper in charter.keepers if keeper.is_person}
        wanted, corrected = self.wanted(estate), self.deviation(estate)
        for account, rules in accounts_with_rules(estate, charter):
            decided = wanted(rules)
            for each in decided.values():
                for one in each:
                    if one.conflict:
                        yield contradiction(Named.of(account), one.conflict, self.contradicted)
            for fact, stands, value, by in deviating(decided, self.standing(account), self.is_so):
                correction = corrected(AccountDeviation(account, fact, stands, value, by, account.sid in keepers))
                if correction is not None:
                    yield correction

    def withdraw(self, rights: Rights, charter: ResolvedCharter, put_in: Sequence[Change]) -> Iterator[Correction]:
        """Yield what rules have set and no rule asks for any more."""
        estate = rights.estate
        # A rule about hosts limits accounts as well, and sees to what it has put in.
        about_hosts = {rule.id for rule in charter.of(ResolvedLogonRule) if rule.leaving}
        ours = [
            (change, set_)
            for change in put_in
            if change.rule not in about_hosts and (set_ := self.put_in(change)) is not None
        ]
        rules = rules_of_accounts(estate, charter.of(ResolvedAccountRule)) if ours else {}
        wanted = self.wanted(estate)
        for change, (fact, value) in ours:
            if not isinstance(change, ObjectChange):
                continue
            object_id = id_of(estate, change.object)
            account = estate.principal(object_id) if object_id is not None else None
            if account is None or self.standing(account).get(fact) != value:
                continue
            back = change.taken_back(change, {})
            if back is not None and not wanted(rules.get(account.id, ())).get(fact):
                yield left_behind(Named.of(account), change, change.words or "a setting", back)


def accounts_with_rules(estate: Estate, charter: ResolvedCharter) -> Iterator[tuple[Principal, Sequence[Scoped]]]:
    """Yield each account that any rule is about, with those rules, closest first."""
    rules = rules_of_accounts(estate, charter.of(ResolvedAccountRule))
    for person, account in estate.catalogue.principals(rules).items():
        yield account, rules[person]


def kind_of_accounts(key: str, setting: AccountSetting) -> RuleKind:
    """Return the kind of rule about one setting of accounts."""
    return RuleKind(key, AccountRule, resolve_account_rule, setting.review, setting.withdraw)
