"""Settings of hosts held against the rules that hold there: facts that are wanted against facts that stand."""

import operator
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from typing import Any, Final, Generic, NamedTuple

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.host_setting import RuledSetting
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.rule import RuleBase
from adzeguard.core.charter.scopes import ScopedRule
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import host_named
from adzeguard.core.identity import Sid
from adzeguard.core.review.correction import Correction, about_rule
from adzeguard.core.review.on_hosts import (
    Decision,
    OnHost,
    RuleT,
    decisions,
    hosts_with_rules,
    names_unknown,
)
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.values import dataclass

Keepers = frozenset[Sid]
Decided = Mapping[Any, Sequence[Decision[Any, Any]]]
"""By its fact, what is decided about it: what is mended, and what is told."""


class Deviation(NamedTuple):
    """One fact that is not as it is wanted. `scoped` is the rule that decides; `names` says who SIDs are there."""

    on: OnHost[Any]
    fact: Any
    stands: Any
    wanted: Any
    scoped: ScopedRule[Any]
    names: Mapping[Sid, Named]
    keepers: Keepers

    def of_rule(self) -> dict[str, Any]:
        """Return what a change says of its host and rule."""
        rule = self.scoped.rule.rule
        return {"host": self.on.host.name, "rule": rule.id, "why": rule.why, "leaves": rule.leave}


class Said(NamedTuple):
    """What one rule says of a setting: about what, in words, and by which fact it is decided; None adds to others."""

    about: str
    words: str
    fact: Any = None


def _always(_change: Any) -> bool:
    return True


def _nothing_else(*_: Any) -> tuple[()]:
    return ()


@dataclass(frozen=True)
class Setting(Generic[RuleT]):
    """One kind of setting: which rules ask for it, what they want, what stands, and how a deviation is said."""

    rule: type[RuleT]
    said_by: Callable[[RuleT], Iterable[Said]]
    """What a rule says of it, for people; none if it is about something else."""
    wanted: Callable[[HostState, Sequence[ScopedRule[RuleT]], Keepers], Decided]
    """What is decided on a host by the rules that are followed there."""
    standing: Callable[[HostState], Mapping[Any, Any]]
    """What stands on a host, by its fact."""
    deviation: Callable[[Deviation], Correction]
    put_in_by: type[RuledSetting]
    """The kind of change by which rules put it in."""
    contradicted: Callable[[Any], str] = str
    """What rules contradict each other about, by the fact."""
    sids: Callable[[Any, Any, Any], Iterable[Sid]] = _nothing_else
    """Who is named in a deviation: by its fact, what stands and what is wanted."""
    also: Callable[[OnHost[RuleT], Decided], Iterable[Correction]] = _nothing_else
    """What else the rules come to on a host."""
    about_rule: Callable[[RuleT], Iterable[Correction]] = _nothing_else
    """What is to be said of a rule itself, on whatever hosts it holds."""
    is_about: Callable[[Any], bool] = _always
    """Whether a change of that kind is one of this setting."""
    tells_unknown_names: bool = True
    """One of several settings that a kind of rule has tells of names that a host lacks."""

    def review(self, rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
        """Yield each fact that is not as the rules want it, and where they contradict each other."""
        estate, rules, keepers = rights.estate, charter.of(self.rule), keepers_of(charter)
        if self.tells_unknown_names:
            yield from names_unknown(estate, rules)
        for rule in rules:
            yield from self.about_rule(rule)
        for on in hosts_with_rules(estate, [rule for rule in rules if any(True for _ in self.said_by(rule))]):
            decided, standing = self.wanted(on.state, on.rules, keepers), self.standing(on.state)
            yield from self.also(on, decided)
            for fact, each in decided.items():
                for one in each:
                    if one.conflict:
                        said = self.contradicted(fact)
                        yield contradiction(on.named, one.conflict, said, host=on.named)
            found = list(deviating(decided, standing))
            sids = {sid for fact, stands, wanted, _ in found for sid in self.sids(fact, stands, wanted)}
            names = on.names_of(estate, sids) if sids else {}
            for fact, stands, wanted, by in found:
                yield self.deviation(Deviation(on, fact, stands, wanted, by, names, keepers))

    def withdraw(self, rights: Rights, charter: ResolvedCharter, put_in: Sequence[Change]) -> Iterator[Correction]:
        """Yield what rules have set and no rule asks for any more; a rule that is stopped there leaves all."""
        ours = [change for change in put_in if isinstance(change, self.put_in_by) and self.is_about(change)]
        if not ours:
            return
        rules, keepers = charter.of(self.rule), keepers_of(charter)
        hosts = {on.host.name.casefold(): on for on in hosts_with_rules(rights.estate, rules)}
        asked_for: dict[str, Decided] = {}
        for change in ours:
            name = change.host_name.casefold()
            host = rights.estate.hosts_by_name.get(name)
            if host is None or host.state is None or not change.stands(host.state):
                continue
            if any(rule.unknown_on(host.state) for rule in rules):
                continue
            if name not in asked_for:
                on = hosts.get(name)
                asked_for[name] = self.wanted(on.state, on.rules, keepers) if on is not None else {}
            if not any(one.by is not None or one.conflict for one in asked_for[name].get(change.fact, ())):
                back = change.ended(change.rule, "")
                yield left_behind(host_named(host), change, change.said(), back, host=host_named(host))


def keepers_of(charter: ResolvedCharter) -> Keepers:
    """Return the SIDs of the keepers."""
    return frozenset(Sid(keeper.sid) for keeper in charter.keepers if keeper.sid)


def each_that_any_wants(
    rules: Sequence[ScopedRule[RuleT]], facts: Callable[[RuleT], Iterable[Hashable]]
) -> dict[Any, list[Decision[RuleT, bool]]]:
    """Return all facts that any rule wants: one that mends speaks before one that tells, and a closer one first."""
    wanted: dict[Any, list[Decision[RuleT, bool]]] = {}
    for scoped in sorted(rules, key=lambda scoped: scoped.rule.response != "mend"):
        for fact in facts(scoped.rule):
            wanted.setdefault(fact, [Decision(True, scoped)])
    return wanted


def value_of_the_closest(
    rules: Sequence[ScopedRule[RuleT]], values: Callable[[RuleT], Mapping[Any, Any]]
) -> dict[Any, list[Decision[RuleT, Any]]]:
    """Return by its fact the value that the closest rule wants which wants any."""
    said = {id(scoped.rule): values(scoped.rule) for scoped in rules}
    facts = dict.fromkeys(fact for each in said.values() for fact in each)
    return {fact: decisions(rules, lambda rule, fact=fact: said[id(rule)].get(fact)) for fact in facts}  # type: ignore[misc]


_NO_MORE: Final = "put it in, and no rule asks for it any more"


def deviating(
    decided: Decided, standing: Mapping[Any, Any], is_so: Callable[[Any, Any], bool] = operator.eq
) -> Iterator[tuple[Any, Any, Any, ScopedRule[Any]]]:
    """Yield each fact that is not as it is decided: the fact, what stands, what is wanted, and by which rule."""
    for fact, each in decided.items():
        stands = standing.get(fact)
        for one in each:
            if one.by is not None and one.value is not None and not is_so(stands, one.value):
                yield fact, stands, one.value, one.by


def contradiction(about: Named, rules: Sequence[ScopedRule[Any]], what: str, host: Named | None = None) -> Correction:
    """Return that rules contradict each other about a host or an account, where nothing is then changed."""
    ids = " and ".join(f"{scoped.rule.id} ({scoped.rule.rule.place.at()})" for scoped in rules)
    said = f"rules {ids} contradict each other: {what}"
    return Correction(
        "rule-conflict",
        about,
        f"{said}; nothing is changed here",
        **about_rule(rules[0].rule.rule),
        host=host,
        left_out=said,
        stops_rule=True,
        evidence={"rules": [scoped.rule.id for scoped in rules]},
    )


def left_behind(about: Named, change: Change, what: str, back: Change, host: Named | None = None) -> Correction:
    """Return that something is left of a rule which does not ask for it any more, and what takes it away."""
    return Correction(
        "left-behind",
        about,
        f"{what}, because the rule {_NO_MORE}",
        change.rule,
        response="mend",
        host=host,
        changes=(back.by(change.rule, f"the rule {change.rule} {_NO_MORE}"),),
    )


@dataclass(frozen=True, slots=True)
class SettingKind(RuleKind):
    """A kind of rule about one setting of hosts."""

    setting: Setting[Any] | None = None


def kind_of_setting(
    key: str, words: type[RuleBase], resolve: Callable[..., Iterable[Any]], setting: Setting[Any]
) -> SettingKind:
    """Return the kind of rule about one setting of hosts."""
    return SettingKind(key, words, resolve, setting.review, setting.withdraw, setting)
